//! Stray pixels: groups too small to be drawn on purpose, beside the drawing or alone in a blank frame.
//!
//! Small art is made of few pixels, so a group counts only if it is small compared with the drawing, too, and sparks
//! that every frame is full of aren't strays.

use crate::check::{Finding, Fix, Observation, Rule, Thresholds};
use crate::components::label_image;
use crate::{FrameSet, Rect, UVec2};

/// More strays than this in one frame are sparks.
const SPARKS: usize = 3;
/// A drawing has at least this many times the pixels of a stray.
const TIMES: u32 = 12;

pub(super) fn find(set: &FrameSet, at: usize, limits: &Thresholds) -> Vec<Finding> {
    let frame = &set.frames()[at];
    if frame.is_blank() {
        return Vec::new();
    }
    let found = label_image(frame.pixels(), |pixel| pixel[3] > 0);
    let (width, inset) = (frame.pixels().size().width, frame.inset());
    let largest = found.areas.iter().copied().max().unwrap_or(0);
    let is_alone = largest <= limits.specks;
    let is_stray = |area: u32| area <= limits.specks && (is_alone || area * TIMES <= largest);
    let strays: Vec<u32> =
        (0..).zip(&found.areas).filter(|(_, area)| is_stray(**area)).map(|(piece, _)| piece).collect();
    if strays.is_empty() || strays.len() > SPARKS {
        return Vec::new();
    }
    let boxes = found.bounding_boxes(frame.pixels().size());
    let finding = |piece: u32| {
        let place = found.labels.iter().position(|&label| label == piece + 1).unwrap_or(0) as u32;
        let spot = UVec2 { x: place % width + inset.x, y: place / width + inset.y };
        let area = found.areas[piece as usize];
        let bounds = boxes[piece as usize];
        let seen = match is_alone {
            true => Observation::Forgotten { area },
            false => Observation::Stray { area, drawing: largest },
        };
        let (sprite, clip) = (frame.sprite().clone(), set.first_clip_of(at).map(|clip| clip.name().clone()));
        let (value, limit) = (f64::from(area), f64::from(limits.specks));
        let fix = Fix::RemoveGroups(area);
        let bounds = Rect { x: bounds.x + inset.x, y: bounds.y + inset.y, ..bounds };
        let (at_spot, area) = (Some(spot), Some(bounds));
        Finding { rule: Rule::Specks, sprite, frame: at, clip, at: at_spot, area, value, limit, seen, fix }
    };
    // Another rule reports what touches the canvas's edge.
    let canvas = frame.canvas();
    let is_inside =
        |spot: UVec2| spot.x > 0 && spot.y > 0 && spot.x + 1 < canvas.width && spot.y + 1 < canvas.height;
    strays.into_iter().map(finding).filter(|f| is_alone || f.at.is_some_and(is_inside)).collect()
}
