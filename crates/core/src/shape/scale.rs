//! One factor for all frames, so that a figure never grows from frame to frame.
//!
//! `nearest` repeats or drops pixels and makes no color that was not there. `smooth` weighs neighbors by the
//! Catmull-Rom spline (Catmull and Rom, "A class of local interpolating splines", 1974), widened when a picture gets
//! smaller, in premultiplied alpha so that clear pixels lend no color. Sums run in one order, so the same input gives
//! the same bytes on every machine.

use image::{Rgba, RgbaImage};

use crate::{Frame, FrameSet, Name, Pair, Pixels, Point, Rect, SetError, Size};

/// How pixels between pixels are made.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Resample {
    /// The nearest pixel.
    #[default]
    Nearest,
    /// A weighing of its neighbors.
    Smooth,
}

/// Why frames can't be scaled.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ScaleError {
    /// No number above 0, or an absurd one.
    #[error("a factor of {0} scales nothing; it must be above 0 and at most 64")]
    Factor(f64),
    /// Nothing would be left.
    #[error("frame '{frame}' of {canvas} px would be {factor} times that: less than a pixel")]
    Nothing {
        /// The frame.
        frame: Name,
        /// Its canvas.
        canvas: Size,
        /// The factor.
        factor: f64,
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Scales every frame by one factor; pivot, boxes, nine-slice and polygon follow.
pub fn scale(set: FrameSet, factor: f64, how: Resample) -> Result<FrameSet, ScaleError> {
    if !(factor > 0.0 && factor <= 64.0) {
        return Err(ScaleError::Factor(factor));
    }
    set.map_frames(|_, frame| scaled(&frame, factor, how))
}

/// Whether `nearest` draws all pixels of equal size: a whole factor, or one that drops all but every n-th.
pub fn is_even(factor: f64) -> bool {
    let is_whole = |n: f64| (n - n.round()).abs() < 1e-9;
    is_whole(factor) || is_whole(1.0 / factor)
}

fn scaled(frame: &Frame, factor: f64, how: Resample) -> Result<Frame, ScaleError> {
    let old = frame.canvas();
    let side = |length: u32| (f64::from(length) * factor).round() as u32;
    let canvas = Size::new(side(old.width), side(old.height));
    if canvas.is_empty() {
        return Err(ScaleError::Nothing { frame: frame.name().clone(), canvas: old, factor });
    }
    let annotations = frame.annotations().clone().scaled(factor);
    let pivot = Point::new(frame.pivot().x * factor, frame.pivot().y * factor);
    let whole = frame.restored();
    let image = match how {
        Resample::Nearest => nearest(&whole, canvas, factor),
        Resample::Smooth => smooth(&whole, canvas, factor),
    };
    let (pixels, inset) = kept(frame, image, factor);
    let moved = Frame::trimmed(frame.sprite().clone(), frame.name().clone(), pixels, canvas, inset)
        .expect("the kept part lies on the canvas");
    Ok(moved
        .with_pivot(pivot)
        .with_annotations(annotations)
        .with_source(frame.source().cloned())
        .with_carried(frame.carried().clone()))
}

/// A trimmed frame stays trimmed to what it kept.
fn kept(frame: &Frame, image: RgbaImage, factor: f64) -> (Pixels, Pair) {
    let all = Rect::of(Size::from(image.dimensions()));
    let pixels = Pixels::whole(image);
    if frame.is_whole() {
        return (pixels, Pair::default());
    }
    let old = frame.kept();
    let low = |at: u32| (f64::from(at) * factor).floor() as u32;
    let high = |at: u64| (at as f64 * factor).ceil() as u32;
    let (x, y) = (low(old.x), low(old.y));
    let wanted = Rect::new(x, y, high(old.right()).saturating_sub(x), high(old.bottom()).saturating_sub(y));
    match wanted.intersection(all) {
        Some(rect) => (pixels.part(rect).expect("cut to the canvas"), Pair { x: rect.x, y: rect.y }),
        None => (Pixels::none(), Pair::default()),
    }
}

fn nearest(whole: &Pixels, canvas: Size, factor: f64) -> RgbaImage {
    let old = whole.size();
    let from = |at: u32, length: u32| (((f64::from(at) + 0.5) / factor).floor() as u32).min(length - 1);
    let columns: Vec<u32> = (0..canvas.width).map(|x| from(x, old.width)).collect();
    let mut image = RgbaImage::new(canvas.width, canvas.height);
    for (y, row) in (0..).zip(image.rows_mut()) {
        let source = whole.row(from(y, old.height));
        for (pixel, &x) in row.zip(&columns) {
            let at = x as usize * 4;
            *pixel = Rgba([source[at], source[at + 1], source[at + 2], source[at + 3]]);
        }
    }
    image
}

/// Which pixels a new one is made of: the first of them, and their shares.
struct Shares {
    first: usize,
    weights: Vec<f32>,
}

fn shares(new: u32, old: u32, factor: f64) -> Vec<Shares> {
    // When a picture gets smaller each new pixel is made of more old ones.
    let wide = (1.0 / factor).max(1.0);
    let one = |at: u32| {
        let middle = (f64::from(at) + 0.5) / factor - 0.5;
        let (low, high) = ((middle - 2.0 * wide).ceil() as i64, (middle + 2.0 * wide).floor() as i64);
        let raw: Vec<(i64, f64)> = (low..=high).map(|n| (n, spline((n as f64 - middle) / wide))).collect();
        let sum: f64 = raw.iter().map(|(_, weight)| weight).sum();
        // Beyond the edge is transparency: those shares count, but nothing is there.
        let inside = raw.iter().filter(|(n, _)| (0..i64::from(old)).contains(n));
        let first = low.clamp(0, i64::from(old) - 1) as usize;
        Shares { first, weights: inside.map(|(_, weight)| (weight / sum) as f32).collect() }
    };
    (0..new).map(one).collect()
}

fn spline(at: f64) -> f64 {
    let x = at.abs();
    match x {
        x if x < 1.0 => 1.5 * x * x * x - 2.5 * x * x + 1.0,
        x if x < 2.0 => -0.5 * x * x * x + 2.5 * x * x - 4.0 * x + 2.0,
        _ => 0.0,
    }
}

fn smooth(whole: &Pixels, canvas: Size, factor: f64) -> RgbaImage {
    let old = whole.size();
    let (across, down) = (shares(canvas.width, old.width, factor), shares(canvas.height, old.height, factor));
    let premultiplied = |pixel: &[u8]| -> [f32; 4] {
        let alpha = f32::from(pixel[3]) / 255.0;
        [
            f32::from(pixel[0]) * alpha,
            f32::from(pixel[1]) * alpha,
            f32::from(pixel[2]) * alpha,
            f32::from(pixel[3]),
        ]
    };
    let sum = |shares: &Shares, at: &dyn Fn(usize) -> [f32; 4]| {
        let mut total = [0f32; 4];
        for (n, weight) in shares.weights.iter().enumerate() {
            let pixel = at(shares.first + n);
            (0..4).for_each(|channel| total[channel] += weight * pixel[channel]);
        }
        total
    };
    let narrowed: Vec<Vec<[f32; 4]>> = whole
        .rows()
        .map(|row| {
            let row: Vec<[f32; 4]> = row.chunks_exact(4).map(premultiplied).collect();
            across.iter().map(|shares| sum(shares, &|x| row[x])).collect()
        })
        .collect();
    RgbaImage::from_fn(canvas.width, canvas.height, |x, y| {
        let [r, g, b, alpha] = sum(&down[y as usize], &|line| narrowed[line][x as usize]);
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
