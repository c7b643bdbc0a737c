//! A thin frame of one color round all four sides of an otherwise open picture: what an effect or an export left there.

use image::Rgba;

use crate::check::{Finding, Fix, Observation, Rule, frame_finding};
use crate::{Color, FrameSet, Pixels, Size, UVec2};

/// The widest border, in pixels.
const WIDEST: u32 = 3;
/// The share of a ring that a border fills, and of the ring inside it that is open.
const FULL: f64 = 0.97;
const OPEN: f64 = 0.4;
/// Colors this near each other, over all channels, are one.
const ALIKE: u32 = 24;

pub(super) fn find(set: &FrameSet, at: usize) -> Vec<Finding> {
    let frame = &set.frames()[at];
    let size = frame.canvas();
    // A frame that was trimmed to less has no border; the pixels are those of the canvas.
    if !frame.is_untrimmed() || size.width.min(size.height) < 3 * WIDEST {
        return Vec::new();
    }
    let pixels = frame.pixels();
    let Some(corner) = pixels.get(0, 0).filter(|pixel| pixel[3] > 0) else { return Vec::new() };
    let is_border = |pixel: Rgba<u8>| {
        let apart: u32 = (0..4).map(|channel| u32::from(pixel[channel].abs_diff(corner[channel]))).sum();
        pixel[3] > 0 && apart <= ALIKE
    };
    let wide = (0..WIDEST).take_while(|&ring| share(pixels, ring, is_border) >= FULL).count() as u32;
    if wide == 0 || share(pixels, wide, |pixel| pixel[3] == 0) < OPEN {
        return Vec::new();
    }
    let color = Color(Rgba([corner[0], corner[1], corner[2], 255]));
    let seen = Observation::Border { color, pixels: wide };
    let finding = frame_finding(set, at, Rule::Border, seen, Fix::ClearEdge(wide));
    vec![Finding { at: Some(UVec2::default()), value: f64::from(wide), ..finding }]
}

/// The share of a ring, this many pixels inside the edge, that passes a test.
pub(super) fn share(pixels: &Pixels, inside: u32, is: impl Fn(Rgba<u8>) -> bool) -> f64 {
    let Size { width, height } = pixels.size();
    let (right, bottom) = (width - 1 - inside, height - 1 - inside);
    let across = (inside..=right).flat_map(|x| [(x, inside), (x, bottom)]);
    let down = (inside + 1..bottom).flat_map(|y| [(inside, y), (right, y)]);
    let (mut passed, mut all) = (0u32, 0u32);
    for pixel in across.chain(down).filter_map(|(x, y)| pixels.get(x, y)) {
        all += 1;
        passed += u32::from(is(pixel));
    }
    f64::from(passed) / f64::from(all.max(1))
}
