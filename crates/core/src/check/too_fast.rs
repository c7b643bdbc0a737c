//! Steps shorter than a screen shows a picture: it skips them, another one each time.

use crate::FrameSet;
use crate::check::{Finding, Fix, Observation, Rule, clip_finding};

/// A screen of 60 pictures a second shows each so long, in milliseconds, and a little less is the same.
const PICTURE: f64 = 16.0;

pub(super) fn find(set: &FrameSet) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (number, clip) in set.clips().iter().enumerate() {
        let times = clip.steps().iter().map(|step| clip.span(step).millis()).enumerate();
        let shortest = times.min_by(|a, b| a.1.total_cmp(&b.1));
        let Some((step, millis)) = shortest.filter(|(_, millis)| *millis < PICTURE && clip.steps().len() > 1)
        else {
            continue;
        };
        let frame = clip.steps()[step].frame;
        let finding = clip_finding(
            clip,
            frame,
            Rule::TooFast,
            Observation::Short { step, millis },
            Fix::Slower(number),
        );
        findings.push(Finding { value: millis, limit: PICTURE, ..finding });
    }
    findings
}
