//! One frame scaled by itself: wider and higher, or narrower and lower, than the clip has the figure.

use crate::check::{Finding, Limits, Remedy, Rule, Seen, frames_of, median};
use crate::shape::points::SOLID;
use crate::{FrameSet, Pair, Rect};

pub(super) fn find(set: &FrameSet, limits: &Limits) -> Vec<Finding> {
    let mut findings = Vec::new();
    for clip in set.clips() {
        let boxes: Vec<(usize, Rect)> = frames_of(clip)
            .into_iter()
            .filter_map(|at| Some((at, set.frames()[at].content(SOLID)?)))
            .collect();
        if boxes.len() < 3 {
            continue;
        }
        let width = median(boxes.iter().map(|(_, rect)| f64::from(rect.width)).collect());
        let height = median(boxes.iter().map(|(_, rect)| f64::from(rect.height)).collect());
        for (at, rect) in boxes {
            let (across, down) = (f64::from(rect.width) / width, f64::from(rect.height) / height);
            let (least, most) = (across.min(down), across.max(down));
            // A stretched arm makes a figure wider, not larger.
            let factor = if least > 1.0 { least } else { most };
            let is_alike = most / least < 1.15;
            let jump = if factor > 1.0 { factor - 1.0 } else { 1.0 / factor - 1.0 };
            if !is_alike || jump <= limits.size {
                continue;
            }
            findings.push(Finding {
                rule: Rule::SizeJump,
                sprite: clip.sprite().clone(),
                frame: at,
                clip: Some(clip.name().clone()),
                at: Some(Pair { x: rect.x, y: rect.y }),
                value: jump,
                limit: limits.size,
                seen: Seen::Size { drawing: rect.size(), middle: (width, height), factor },
                remedy: Remedy::Scale(1.0 / factor),
            });
        }
    }
    findings
}
