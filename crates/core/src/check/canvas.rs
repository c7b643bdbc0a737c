//! Frames of one clip on canvases of different size: engines that draw by the canvas make the figure jump.

use std::collections::HashMap;

use crate::check::{Finding, Fix, Observation, Rule};
use crate::{FrameSet, Size};

pub(super) fn find(set: &FrameSet) -> Vec<Finding> {
    let mut findings = Vec::new();
    // What holds all frames of a sprite, for those sprites that need it.
    let mut commons: HashMap<usize, Size> = HashMap::new();
    for clip in set.clips() {
        let first = clip.steps()[0].frame;
        let wanted = set.frames()[first].canvas();
        let other =
            clip.steps().iter().map(|step| step.frame).find(|&at| set.frames()[at].canvas() != wanted);
        let Some(at) = other else { continue };
        let canvas = set.frames()[at].canvas();
        let wider = f64::from(canvas.width.abs_diff(wanted.width).max(canvas.height.abs_diff(wanted.height)));
        let common = *commons.entry(set.index().sprite_of(at)).or_insert_with(|| {
            let canvases = set.frames_of(clip.sprite()).iter().map(|&at| set.frames()[at].canvas());
            canvases.fold(wanted, Size::union)
        });
        findings.push(Finding {
            rule: Rule::Canvases,
            sprite: clip.sprite().clone(),
            frame: at,
            clip: Some(clip.name().clone()),
            at: None,
            area: None,
            value: wider,
            limit: 0.0,
            seen: Observation::OtherCanvas { than: first },
            fix: Fix::Canvas(common),
        });
    }
    findings
}
