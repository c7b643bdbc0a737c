//! The colors of a clip in a few classes, and frames as maps of them.
//!
//! Classes are found once for all frames that are compared, by splitting the colors where they are spread widest (after P. Heckbert,
//! "Color image quantization for frame buffer display", 1982; the split is at the mean, the next box is the one with the largest
//! sum of squares). Whole numbers only. Faint pixels have no class: shadows and glows come and go.

use crate::shape::points::SOLID;
use crate::{Frame, Rect};

/// The most classes.
pub(super) const CLASSES: usize = 23;
/// Bits of each channel by which colors are distinguished.
const BITS: u32 = 5;
const BINS: usize = 1 << (3 * BITS);

/// What is solid in a frame, as classes.
pub(super) struct LabelMap {
    /// The left and top edge on the canvas.
    pub(super) at: (i64, i64),
    pub(super) width: u32,
    pub(super) height: u32,
    /// From 1, row by row; 0 where nothing solid is.
    pub(super) classes: Vec<u8>,
    /// Solid pixels.
    pub(super) area: u64,
}

/// Frames as maps of classes; `None` where nothing is solid.
pub(super) fn label_frames(frames: &[&Frame]) -> Vec<Option<LabelMap>> {
    let mut counts = vec![0u64; BINS];
    for frame in frames {
        for pixel in frame.pixels().rows().flat_map(|row| row.chunks_exact(4)).filter(|p| p[3] > SOLID) {
            counts[bin(pixel)] += 1;
        }
    }
    let class_of = classes(&counts);
    crate::parallel::map_slice(frames, |frame| label_frame(frame, &class_of))
}

fn bin(pixel: &[u8]) -> usize {
    let part = |channel: usize| usize::from(pixel[channel]) >> (8 - BITS);
    part(0) << (2 * BITS) | part(1) << BITS | part(2)
}

fn label_frame(frame: &Frame, class_of: &[u8]) -> Option<LabelMap> {
    let Rect { x, y, width, height } = frame.content(SOLID)?;
    let inset = frame.inset();
    let (left, top) = ((x - inset.x) as usize, (y - inset.y) as usize);
    let mut classes = Vec::with_capacity(width as usize * height as usize);
    for row in frame.pixels().rows().skip(top).take(height as usize) {
        let pixels = row[left * 4..(left + width as usize) * 4].chunks_exact(4);
        classes.extend(pixels.map(|pixel| if pixel[3] > SOLID { class_of[bin(pixel)] } else { 0 }));
    }
    let area = classes.iter().filter(|&&class| class > 0).count() as u64;
    Some(LabelMap { at: (i64::from(x), i64::from(y)), width, height, classes, area })
}

/// Colors that are one class, as a range of the list of bins.
struct ColorBox {
    from: usize,
    to: usize,
    /// The channel in which it is spread widest, its mean there, and the sum of squares about it.
    channel: usize,
    mean: u64,
    spread: u64,
}

/// For each bin its class, from 1.
fn classes(counts: &[u64]) -> Vec<u8> {
    let mut bins: Vec<usize> = (0..BINS).filter(|&bin| counts[bin] > 0).collect();
    let mut class_of = vec![0; BINS];
    if bins.is_empty() {
        return class_of;
    }
    let mut shades = vec![shade(&bins, 0, bins.len(), counts)];
    while shades.len() < CLASSES {
        let widest = (0..shades.len()).max_by_key(|&at| (shades[at].spread, usize::MAX - at));
        let Some(at) = widest.filter(|&at| shades[at].spread > 0) else { break };
        let ColorBox { from, to, channel, mean, .. } = shades.swap_remove(at);
        bins[from..to].sort_by_key(|&bin| (part(bin, channel), bin));
        let split = from + bins[from..to].partition_point(|&bin| part(bin, channel) * SCALE <= mean);
        // The mean is between the least and the most, so that both halves have something.
        shades.push(shade(&bins, from, split, counts));
        shades.push(shade(&bins, split, to, counts));
    }
    for (class, shade) in (1..).zip(&shades) {
        bins[shade.from..shade.to].iter().for_each(|&bin| class_of[bin] = class);
    }
    class_of
}

/// Means are kept in so many parts of a step.
const SCALE: u64 = 256;

fn part(bin: usize, channel: usize) -> u64 {
    (bin >> ((2 - channel as u32) * BITS) & ((1 << BITS) - 1)) as u64
}

fn shade(bins: &[usize], from: usize, to: usize, counts: &[u64]) -> ColorBox {
    let weight: u64 = bins[from..to].iter().map(|&bin| counts[bin]).sum();
    let of_channel = |channel: usize| {
        let sum: u64 = bins[from..to].iter().map(|&bin| counts[bin] * part(bin, channel)).sum();
        let squares: u64 = bins[from..to].iter().map(|&bin| counts[bin] * part(bin, channel).pow(2)).sum();
        // n·Σx² − (Σx)², over n: whole numbers, and 0 just where all are alike.
        let spread = u128::from(weight) * u128::from(squares) - u128::from(sum) * u128::from(sum);
        let is_spread = u128::from(spread > 0);
        ((spread / u128::from(weight)).max(is_spread) as u64, sum * SCALE / weight)
    };
    let spreads = [of_channel(0), of_channel(1), of_channel(2)];
    let channel = (0..3).max_by_key(|&channel| (spreads[channel].0, 2 - channel)).unwrap_or(0);
    ColorBox { from, to, channel, mean: spreads[channel].1, spread: spreads[channel].0 }
}
