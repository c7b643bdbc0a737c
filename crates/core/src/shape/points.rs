//! Points of a drawing that can be found again in every frame.
//!
//! All on the canvas, in pixels; `None` where a frame shows nothing solid. Changes nothing.

use crate::{Frame, Point, Rect};

/// Pixels with a higher alpha are solid: enough to stand on, to bump into.
pub const SOLID: u8 = 127;

/// The alpha above which pixels of a frame count as solid: [`SOLID`], but 0 for a ghost that has no such pixel.
pub(crate) fn solid_above(frame: &Frame) -> u8 {
    if frame.content(SOLID).is_some() { SOLID } else { 0 }
}

/// The box round the solid pixels.
pub(crate) fn solid_content(frame: &Frame) -> Option<Rect> {
    frame.content(SOLID).or_else(|| frame.content(0))
}

/// The middle of the lowest solid pixels, on the edge below them. `None` where nothing is solid.
pub fn feet(frame: &Frame) -> Option<Point> {
    let lowest = solid_content(frame)?.bottom() - 1 - u64::from(frame.inset().y);
    let row = frame.pixels().row(lowest as u32);
    let least = solid_above(frame);
    let solid = |pixel: &[u8]| pixel[3] > least;
    let left = row.chunks_exact(4).position(solid)?;
    let right = row.chunks_exact(4).rposition(solid)? + 1;
    let x = f64::from(frame.inset().x) + (left + right) as f64 / 2.0;
    Some(Point::new(x, (lowest + 1) as f64 + f64::from(frame.inset().y)))
}

/// The middle of the box round the solid pixels.
pub fn center(frame: &Frame) -> Option<Point> {
    let rect = solid_content(frame)?;
    let middle = |start: u32, length: u32| f64::from(start) + f64::from(length) / 2.0;
    Some(Point::new(middle(rect.x, rect.width), middle(rect.y, rect.height)))
}

/// The center of mass, each pixel weighing its alpha.
pub(crate) fn mass(frame: &Frame) -> Option<Point> {
    let (mut sum, mut across, mut down) = (0u64, 0u64, 0u64);
    for (y, row) in (0u64..).zip(frame.pixels().rows()) {
        for (x, pixel) in (0u64..).zip(row.chunks_exact(4)) {
            let weight = u64::from(pixel[3]);
            sum += weight;
            across += weight * x;
            down += weight * y;
        }
    }
    let mean = |total: u64, inset: u32| total as f64 / sum as f64 + 0.5 + f64::from(inset);
    (sum > 0).then(|| Point::new(mean(across, frame.inset().x), mean(down, frame.inset().y)))
}
