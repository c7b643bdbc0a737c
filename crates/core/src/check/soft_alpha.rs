//! Half-clear pixels in art of hard edges: what an eraser or a smooth tool left.

use crate::check::{Finding, Fix, Observation, Rule};
use crate::{FrameSet, UVec2};

/// Art with a larger share of half-clear pixels is soft on purpose.
const MOST: f64 = 0.02;

pub(super) fn find(set: &FrameSet) -> Vec<Finding> {
    let mut findings = Vec::new();
    for sprite in set.sprites() {
        let counted: Vec<(usize, Soft)> =
            set.frames_of(sprite).iter().copied().map(|at| (at, Soft::of(set, at))).collect();
        let soft: u64 = counted.iter().map(|(_, soft)| soft.count).sum();
        let shown: u64 = counted.iter().map(|(_, soft)| soft.shown).sum();
        if soft == 0 || soft as f64 > MOST * shown as f64 {
            continue;
        }
        for (at, soft) in counted.into_iter().filter(|(_, soft)| soft.count > 0) {
            findings.push(Finding {
                rule: Rule::SoftAlpha,
                sprite: sprite.clone(),
                frame: at,
                clip: set.first_clip_of(at).map(|clip| clip.name().clone()),
                at: soft.first,
                area: None,
                value: soft.count as f64,
                limit: 0.0,
                seen: Observation::Soft { pixels: soft.count },
                fix: Fix::HardenAlpha,
            });
        }
    }
    findings
}

struct Soft {
    count: u64,
    shown: u64,
    first: Option<UVec2>,
}

impl Soft {
    fn of(set: &FrameSet, at: usize) -> Self {
        let frame = &set.frames()[at];
        let inset = frame.inset();
        let mut soft = Self { count: 0, shown: 0, first: None };
        for (y, row) in (inset.y..).zip(frame.pixels().rows()) {
            for (x, pixel) in (inset.x..).zip(row.chunks_exact(4)) {
                soft.shown += u64::from(pixel[3] > 0);
                if (1..255).contains(&pixel[3]) {
                    soft.count += 1;
                    soft.first.get_or_insert(UVec2 { x, y });
                }
            }
        }
        soft
    }
}
