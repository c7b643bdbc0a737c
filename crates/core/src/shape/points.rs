//! Points of a drawing that can be found again in every frame.
//!
//! All on the canvas, in pixels; `None` where a frame shows nothing solid. Changes nothing.

use crate::{Frame, Point};

/// Pixels with a higher alpha are solid: enough to stand on, to bump into.
pub const SOLID: u8 = 127;

/// The middle of the lowest solid pixels, on the edge below them. `None` where nothing is solid.
pub fn feet(frame: &Frame) -> Option<Point> {
    let lowest = frame.content(SOLID)?.bottom() - 1 - u64::from(frame.inset().y);
    let row = frame.pixels().row(lowest as u32);
    let solid = |pixel: &[u8]| pixel[3] > SOLID;
    let left = row.chunks_exact(4).position(solid)?;
    let right = row.chunks_exact(4).rposition(solid)? + 1;
    let x = f64::from(frame.inset().x) + (left + right) as f64 / 2.0;
    Some(Point::new(x, (lowest + 1) as f64 + f64::from(frame.inset().y)))
}

/// The middle of the box round the solid pixels.
pub fn center(frame: &Frame) -> Option<Point> {
    let rect = frame.content(SOLID)?;
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
