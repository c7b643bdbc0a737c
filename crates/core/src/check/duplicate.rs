//! Two steps after one another that are different frames with the same picture: one frame held longer says it better.

use crate::check::{Finding, Fix, Observation, Rule};
use crate::{Frame, FrameSet};

pub(super) fn find(set: &FrameSet) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (number, clip) in set.clips().iter().enumerate() {
        for pair in clip.steps().windows(2) {
            let (a, b) = (pair[0].frame, pair[1].frame);
            let (before, frame) = (&set.frames()[a], &set.frames()[b]);
            if a == b || pair[0].mirror != pair[1].mirror || frame.is_blank() || !is_same(before, frame) {
                continue;
            }
            findings.push(Finding {
                rule: Rule::Duplicate,
                sprite: clip.sprite().clone(),
                frame: b,
                clip: Some(clip.name().clone()),
                at: None,
                area: None,
                value: 1.0,
                limit: 0.0,
                seen: Observation::Repeats { before: a },
                fix: Fix::Hold(number),
            });
        }
    }
    findings
}

fn is_same(a: &Frame, b: &Frame) -> bool {
    a.canvas() == b.canvas()
        && a.pivot() == b.pivot()
        && a.content(0) == b.content(0)
        && a.full_image().is_same_image(&b.full_image())
}
