//! Drawings that touch their cell's edge, and pixels there that belong to the cell beside it.
//!
//! The main drawing is the largest piece. A piece that touches an edge, hangs together with nothing and is much smaller
//! has poked in from next door. Frames that were trimmed are judged by their canvas; a set of single images, which
//! nothing was cut from, is judged all the same.

use crate::check::{Finding, Limits, Remedy, Rule, Seen, Sides};
use crate::components::pieces;
use crate::{FrameSet, Pair, Size};

/// A piece at the edge with less than this share of the main drawing's pixels is a neighbor's.
const SHARE: f64 = 0.25;
/// A tip of so many pixels may touch the edge; what is cut off ends in more.
const TIP: u32 = 1;

pub(super) fn find(set: &FrameSet, at: usize, _: &Limits) -> Vec<Finding> {
    let frame = &set.frames()[at];
    // What lies inside its canvas on all sides touches nothing: most frames end here.
    let (Some(drawn), canvas) = (frame.content(0), frame.canvas()) else { return Vec::new() };
    let touches = drawn.x == 0
        || drawn.y == 0
        || drawn.right() == u64::from(canvas.width)
        || drawn.bottom() == u64::from(canvas.height);
    if !touches {
        return Vec::new();
    }
    let whole = frame.restored();
    let found = pieces(&whole, |pixel| pixel[3] > 0);
    let Size { width, height } = whole.size();
    let mut touching: Vec<Touch> = Vec::new();
    for (place, label) in found.labels.iter().enumerate() {
        let (x, y) = (place as u32 % width, place as u32 / width);
        let side = match (x, y) {
            (0, _) => 0,
            (x, _) if x + 1 == width => 1,
            (_, 0) => 2,
            (_, y) if y + 1 == height => 3,
            _ => continue,
        };
        let Some(piece) = label.checked_sub(1) else { continue };
        match touching.iter_mut().find(|touch| touch.piece == piece) {
            Some(touch) => (touch.pixels, touch.sides[side]) = (touch.pixels + 1, true),
            None => {
                let mut sides = [false; 4];
                sides[side] = true;
                touching.push(Touch { piece, at: Pair { x, y }, pixels: 1, sides });
            }
        }
    }
    let largest = found.areas.iter().copied().max().unwrap_or(0);
    // A tile fills its cell; that is no mistake.
    let is_tile = touching.iter().any(|touch| touch.sides == [true; 4]);
    if is_tile {
        return Vec::new();
    }
    // A drawing that was cut out by its own outline fills its canvas on purpose.
    let is_outlined = frame.source().is_some_and(|source| source.cell.is_none() && source.rect.is_some());
    let area_of = |piece: u32| found.areas[piece as usize];
    let is_told = |touch: &&Touch| touch.pixels > TIP && !is_outlined || area_of(touch.piece) < largest;
    touching
        .iter()
        .filter(is_told)
        .map(|touch| told(set, at, touch, found.areas[touch.piece as usize], largest))
        .collect()
}

struct Touch {
    piece: u32,
    at: Pair,
    pixels: u32,
    sides: [bool; 4],
}

fn told(set: &FrameSet, at: usize, touch: &Touch, area: u32, largest: u32) -> Finding {
    let is_neighbor = f64::from(area) < SHARE * f64::from(largest);
    let (sides, pixels) = (Sides(touch.sides), touch.pixels);
    let (rule, value, remedy, seen) = if is_neighbor {
        (Rule::Neighbor, f64::from(area), Remedy::RemoveGroups(area), Seen::Neighbor { area, sides })
    } else {
        (Rule::TouchesEdge, f64::from(pixels), Remedy::MoreRoom, Seen::Touches { pixels, sides })
    };
    let (sprite, clip) =
        (set.frames()[at].sprite().clone(), set.first_clip_of(at).map(|clip| clip.name().clone()));
    Finding {
        rule,
        sprite,
        frame: at,
        clip,
        at: Some(touch.at),
        value,
        limit: if is_neighbor { 0.0 } else { f64::from(TIP) },
        seen,
        remedy,
    }
}
