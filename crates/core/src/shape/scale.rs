//! One factor for all frames, so that a figure never grows from frame to frame.
//!
//! `nearest` repeats or drops pixels and makes no color that was not there. `smooth` weighs neighbors by the
//! Catmull-Rom spline (Catmull and Rom, "A class of local interpolating splines", 1974), widened when a picture gets
//! smaller, in premultiplied alpha so that clear pixels lend no color. Sums run in one order, so the same input gives
//! the same bytes on every machine.

use std::collections::HashMap;

use image::{Rgba, RgbaImage};

use crate::{
    Companion, CompanionSpec, Frame, FrameSet, LONGEST, Name, Pixels, Point, Ratio, Rect, SetError, Size,
    UVec2,
};

/// How pixels between pixels are made.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum Resample {
    /// Sharp pixels, for factors such as 2 or 0.5
    #[default]
    Nearest,
    /// Blended pixels, for painted art
    Smooth,
}

/// The largest factor.
pub(crate) const MAX_FACTOR: u64 = 64;

/// Why frames can't be scaled.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum ScaleError {
    /// An absurd factor.
    #[error("a factor of {0} is too large; the maximum is {MAX_FACTOR}")]
    Factor(Ratio),
    /// Nothing would be left.
    #[error("frame '{frame}' of {canvas} px, scaled by {factor}, would be smaller than a pixel")]
    Nothing {
        /// The frame.
        frame: Name,
        /// Its canvas.
        canvas: Size,
        /// The factor.
        factor: Ratio,
    },
    /// More would be left than a canvas can hold.
    #[error("frame '{frame}' would become {canvas} px; sides are at most {LONGEST} px")]
    TooLong {
        /// The frame.
        frame: Name,
        /// Its canvas, scaled.
        canvas: Size,
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// By how much frames are scaled.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ScaleRule {
    /// All by this factor.
    By(Ratio),
    /// Each sprite by the one factor at which all of its frames fit.
    Fit(Size),
}

/// Scales every frame by one factor; pivot, boxes, nine-slice, polygon and companions follow.
///
/// # Errors
/// If the factor is over 64, or nothing of a frame would be left.
pub fn scale(set: FrameSet, factor: Ratio, how: Resample) -> Result<FrameSet, ScaleError> {
    check(factor)?;
    set.map_frames(|_, frame| scaled(&frame, factor, how))
}

/// For each sprite the one factor at which all of its frames fit into `room`: with hard pixels a whole one, or one over a whole.
pub fn fit_factors(set: &FrameSet, room: Size, how: Resample) -> Vec<(Name, Ratio)> {
    let factor = |places: &[usize]| {
        let canvases = places.iter().map(|&at| set.frames()[at].canvas());
        let canvas = canvases.fold(Size::new(1, 1), Size::union);
        let (across, down) = (Ratio::new(room.width, canvas.width), Ratio::new(room.height, canvas.height));
        let exact = match (across, down) {
            (Ok(across), Ok(down)) if across.value() <= down.value() => across,
            (_, Ok(down)) => down,
            _ => Ratio::ONE,
        };
        let (times, over) = (exact.numerator(), exact.denominator());
        let hard =
            if times >= over { Ratio::new(times / over, 1) } else { Ratio::new(1, over.div_ceil(times)) };
        let factor = if how == Resample::Nearest { hard.unwrap_or(exact) } else { exact };
        // Larger than that nothing is scaled; it fits all the same.
        if check(factor).is_ok() { factor } else { Ratio::new(MAX_FACTOR as u32, 1).unwrap_or(factor) }
    };
    let sprite = |places: &[usize]| (set.frames()[places[0]].sprite().clone(), factor(places));
    set.index().sprites().map(sprite).collect()
}

/// Scales each sprite by a factor of its own.
///
/// # Errors
/// As [`scale`].
pub fn scale_each(set: FrameSet, factors: &[(Name, Ratio)], how: Resample) -> Result<FrameSet, ScaleError> {
    let of: HashMap<&Name, Ratio> = factors.iter().map(|(sprite, factor)| (sprite, *factor)).collect();
    set.map_frames(|_, frame| scaled(&frame, of.get(frame.sprite()).copied().unwrap_or(Ratio::ONE), how))
}

pub(crate) fn is_scale_factor(factor: Ratio) -> bool {
    check(factor).is_ok()
}

fn check(factor: Ratio) -> Result<(), ScaleError> {
    let is_absurd = u64::from(factor.numerator()) > MAX_FACTOR * u64::from(factor.denominator());
    if is_absurd { Err(ScaleError::Factor(factor)) } else { Ok(()) }
}

fn scaled(frame: &Frame, factor: Ratio, how: Resample) -> Result<Frame, ScaleError> {
    let old = frame.canvas();
    let canvas = Size::new(factor.scale_length(old.width), factor.scale_length(old.height));
    if canvas.is_empty() {
        return Err(ScaleError::Nothing { frame: frame.name().clone(), canvas: old, factor });
    }
    if canvas.width.max(canvas.height) > LONGEST {
        return Err(ScaleError::TooLong { frame: frame.name().clone(), canvas });
    }
    let annotations = frame.to_follow().scaled(factor, canvas);
    let pivot = Point::new(frame.pivot().x * factor.value(), frame.pivot().y * factor.value());
    let kept =
        if frame.is_untrimmed() { Rect::of(canvas) } else { reached(frame.kept_rect(), canvas, factor, how) };
    let (pixels, inset) = match kept.is_empty() {
        true => (Pixels::empty(), UVec2::default()),
        false => (resampled(&frame.full_image(), canvas, kept, factor, how), UVec2 { x: kept.x, y: kept.y }),
    };
    let companion = |(spec, whole): (&CompanionSpec, Pixels)| Companion {
        spec: spec.clone(),
        pixels: match kept.is_empty() {
            true => Pixels::empty(),
            false => resampled(&whole, canvas, kept, factor, how),
        },
    };
    let moved = Frame::trimmed(frame.sprite().clone(), frame.name().clone(), pixels, canvas, inset)
        .expect("the kept part is inside the canvas");
    Ok(moved
        .with_companions(frame.whole_companions().map(companion).collect())
        .with_pivot(pivot)
        .with_annotations(annotations)
        .with_source(frame.source().cloned())
        .with_carried(frame.carried().clone()))
}

/// How far from a pixel of the old picture, in pixels of that, new ones take something of it.
pub(crate) fn kernel_radius(factor: Ratio, how: Resample) -> u32 {
    match how {
        Resample::Nearest => 0,
        // When a picture gets smaller each new pixel is made of more old ones.
        Resample::Smooth => (2 * factor.denominator().div_ceil(factor.numerator())).max(2),
    }
}

/// What a kept rectangle becomes: all pixels of the new canvas that anything of it reaches.
fn reached(kept: Rect, canvas: Size, factor: Ratio, how: Resample) -> Rect {
    if kept.is_empty() {
        return Rect::default();
    }
    let reach = i64::from(kernel_radius(factor, how));
    let low = |at: u32| factor.floor(i64::from(at) - reach).max(0) as u32;
    let high = |at: u64, length: u32| factor.ceil(at as i64 + reach).min(i64::from(length)) as u32;
    let (x, y) = (low(kept.x), low(kept.y));
    let (right, bottom) = (high(kept.right(), canvas.width), high(kept.bottom(), canvas.height));
    Rect::new(x, y, right.saturating_sub(x), bottom.saturating_sub(y))
        .intersection(Rect::of(canvas))
        .unwrap_or_default()
}

/// The part `wanted` of a picture that is `canvas` large once it is scaled.
fn resampled(whole: &Pixels, canvas: Size, wanted: Rect, factor: Ratio, how: Resample) -> Pixels {
    Pixels::from_image(match how {
        Resample::Nearest => nearest(whole, wanted, factor),
        Resample::Smooth => smooth(whole, canvas, wanted, factor),
    })
}

fn nearest(whole: &Pixels, wanted: Rect, factor: Ratio) -> RgbaImage {
    let old = whole.size();
    // The middle of a new pixel is in this old one.
    let from = |at: u32, length: u32| {
        let doubled = (2 * u64::from(at) + 1) * u64::from(factor.denominator());
        ((doubled / (2 * u64::from(factor.numerator()))) as u32).min(length - 1)
    };
    let columns: Vec<u32> = (wanted.x..wanted.x + wanted.width).map(|x| from(x, old.width)).collect();
    let mut image = RgbaImage::new(wanted.width, wanted.height);
    for (y, row) in (wanted.y..).zip(image.rows_mut()) {
        let source = whole.row(from(y, old.height));
        for (pixel, &x) in row.zip(&columns) {
            let at = x as usize * 4;
            *pixel = Rgba([source[at], source[at + 1], source[at + 2], source[at + 3]]);
        }
    }
    image
}

/// Whether a picture goes on to all edges of its canvas, as tiles and the companions of drawings do. Beyond such edges lies
/// more of the same, beyond others nothing.
fn fills_canvas(whole: &Pixels) -> bool {
    let is_there = |pixel: &[u8]| pixel[3] > 0;
    let last = whole.size().height.saturating_sub(1);
    (0..=last).all(|y| {
        let row = whole.row(y);
        match y == 0 || y == last {
            true => row.chunks_exact(4).all(is_there),
            false => is_there(&row[..4]) && is_there(&row[row.len() - 4..]),
        }
    })
}

/// Which pixels a new one is made of: the first of them, and their shares.
struct KernelWeights {
    first: usize,
    weights: Vec<f32>,
}

/// Those of the new pixels from `start` on, `count` of them.
fn shares(start: u32, count: u32, old: u32, factor: Ratio, repeats: bool) -> Vec<KernelWeights> {
    let wide = (1.0 / factor.value()).max(1.0);
    let one = |at: u32| {
        // Whole numbers up to the last division.
        let doubled =
            (2 * i64::from(at) + 1) * i64::from(factor.denominator()) - i64::from(factor.numerator());
        let middle = doubled as f64 / (2 * i64::from(factor.numerator())) as f64;
        let (low, high) = ((middle - 2.0 * wide).ceil() as i64, (middle + 2.0 * wide).floor() as i64);
        let raw: Vec<(i64, f64)> = (low..=high).map(|n| (n, spline((n as f64 - middle) / wide))).collect();
        let sum: f64 = raw.iter().map(|(_, weight)| weight).sum();
        let end = i64::from(old) - 1;
        let first = low.clamp(0, end);
        let mut weights = vec![0.0; (high.clamp(0, end) - first + 1) as usize];
        for (n, weight) in raw {
            // Beyond an edge that does not repeat is transparency: those shares count, but nothing is there.
            if repeats || (0..=end).contains(&n) {
                weights[(n.clamp(0, end) - first) as usize] += weight / sum;
            }
        }
        KernelWeights {
            first: first as usize,
            weights: weights.into_iter().map(|weight| weight as f32).collect(),
        }
    };
    (start..start + count).map(one).collect()
}

fn spline(at: f64) -> f64 {
    let x = at.abs();
    match x {
        x if x < 1.0 => 1.5 * x * x * x - 2.5 * x * x + 1.0,
        x if x < 2.0 => -0.5 * x * x * x + 2.5 * x * x - 4.0 * x + 2.0,
        _ => 0.0,
    }
}

fn smooth(whole: &Pixels, canvas: Size, wanted: Rect, factor: Ratio) -> RgbaImage {
    let (old, repeats) = (whole.size(), fills_canvas(whole));
    debug_assert!(wanted.lies_in(Rect::of(canvas)));
    let across = shares(wanted.x, wanted.width, old.width, factor, repeats);
    let down = shares(wanted.y, wanted.height, old.height, factor, repeats);
    let premultiplied = |pixel: &[u8]| -> [f32; 4] {
        let alpha = f32::from(pixel[3]) / 255.0;
        [
            f32::from(pixel[0]) * alpha,
            f32::from(pixel[1]) * alpha,
            f32::from(pixel[2]) * alpha,
            f32::from(pixel[3]),
        ]
    };
    let sum = |shares: &KernelWeights, at: &dyn Fn(usize) -> [f32; 4]| {
        let mut total = [0f32; 4];
        for (n, weight) in shares.weights.iter().enumerate() {
            let pixel = at(shares.first + n);
            (0..4).for_each(|channel| total[channel] += weight * pixel[channel]);
        }
        total
    };
    // Only rows that something is made of.
    let first = down.iter().map(|shares| shares.first).min().unwrap_or(0);
    let last = down.iter().map(|shares| shares.first + shares.weights.len()).max().unwrap_or(0);
    let narrowed: Vec<Vec<[f32; 4]>> = (first..last)
        .map(|y| {
            let row: Vec<[f32; 4]> = whole.row(y as u32).chunks_exact(4).map(premultiplied).collect();
            across.iter().map(|shares| sum(shares, &|x| row[x])).collect()
        })
        .collect();
    RgbaImage::from_fn(wanted.width, wanted.height, |x, y| {
        let [r, g, b, alpha] = sum(&down[y as usize], &|line| narrowed[line - first][x as usize]);
        let whole = |value: f32| value.round().clamp(0.0, 255.0) as u8;
        match whole(alpha) {
            0 => Rgba([0; 4]),
            solid => {
                let [r, g, b] = [r, g, b].map(|channel| whole(channel * 255.0 / alpha));
                Rgba([r, g, b, solid])
            }
        }
    })
}
