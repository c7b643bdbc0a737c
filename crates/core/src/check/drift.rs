//! Figures that slide: feet and center both away from where the clip has them, seen from the pivot as a game sees it.
//!
//! Feet alone move in every stride and the center alone in every reach; where both go the same way, the whole figure
//! moves. A leap does so on purpose.

use crate::check::{Finding, Limits, Remedy, Rule, Seen, frames_of, median};
use crate::shape::points::{center, feet};
use crate::{Frame, FrameSet, Pair, Point};

pub(super) fn find(set: &FrameSet, limits: &Limits) -> Vec<Finding> {
    let mut findings = Vec::new();
    for clip in set.clips() {
        let seen: Vec<(usize, Point, Point)> = frames_of(clip)
            .into_iter()
            .filter_map(|at| {
                let frame = &set.frames()[at];
                Some((at, from_pivot(frame, feet(frame)?), from_pivot(frame, center(frame)?)))
            })
            .collect();
        if seen.len() < 3 {
            continue;
        }
        let middle = |value: fn(&(usize, Point, Point)) -> f64| median(seen.iter().map(value).collect());
        let feet = Point::new(middle(|s| s.1.x), middle(|s| s.1.y));
        let center = Point::new(middle(|s| s.2.x), middle(|s| s.2.y));
        for (at, own_feet, own_center) in &seen {
            let across = both(own_feet.x - feet.x, own_center.x - center.x);
            let down = both(own_feet.y - feet.y, own_center.y - center.y);
            let farthest = across.abs().max(down.abs());
            if farthest <= limits.drift {
                continue;
            }
            let beyond = |pixels: f64| if pixels.abs() > limits.drift { pixels } else { 0.0 };
            let frame = &set.frames()[*at];
            let spot = own_feet.x + frame.pivot().x;
            let line = own_feet.y + frame.pivot().y;
            findings.push(Finding {
                rule: Rule::Drift,
                sprite: clip.sprite().clone(),
                frame: *at,
                clip: Some(clip.name().clone()),
                at: Some(Pair { x: spot as u32, y: (line as u32).saturating_sub(1) }),
                value: farthest,
                limit: limits.drift,
                seen: Seen::Moved { right: beyond(across), down: beyond(down) },
                remedy: Remedy::LineUp,
            });
        }
    }
    findings
}

fn from_pivot(frame: &Frame, at: Point) -> Point {
    Point::new(at.x - frame.pivot().x, at.y - frame.pivot().y)
}

/// How far both went the same way.
fn both(a: f64, b: f64) -> f64 {
    if a.signum() != b.signum() { 0.0 } else { a.abs().min(b.abs()) * a.signum() }
}
