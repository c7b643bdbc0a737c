//! A frame that shows nothing within a clip: a cell that was cut too many, or a drawing that was lost. The figure blinks.

use crate::FrameSet;
use crate::check::{Finding, Fix, Observation, Rule, frames_of};

pub(super) fn find(set: &FrameSet) -> Vec<Finding> {
    let mut findings = Vec::new();
    for clip in set.clips() {
        let frames = frames_of(clip);
        let blank: Vec<usize> = frames.iter().copied().filter(|&at| set.frames()[at].is_blank()).collect();
        // A clip of nothing but blank frames is meant to be one.
        if blank.len() == frames.len() {
            continue;
        }
        findings.extend(blank.into_iter().map(|frame| Finding {
            rule: Rule::Blank,
            sprite: clip.sprite().clone(),
            frame,
            clip: Some(clip.name().clone()),
            at: None,
            area: None,
            value: 0.0,
            limit: 1.0,
            seen: Observation::Nothing,
            fix: Fix::LeaveOut,
        }));
    }
    findings
}
