//! The same pages in another size. Frames and places are brought onto whole steps before, so that nothing is rounded.

use std::fmt;
use std::str::FromStr;

use crate::pack::{Atlas, Page, Place};
use crate::shape::{Resample, ScaleError, scale};
use crate::{Frame, FrameError, FrameSet, Name, Pixels, Rect, SetError, Size};

/// A factor that lands on whole pixels: a fraction with small numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ratio {
    times: u32,
    over: u32,
}

/// The largest number above and below the line.
const LARGEST: u32 = 16;

/// Why a text is no factor.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RatioError {
    /// No number above 0.
    #[error("'{0}' is not a factor such as 0.5, 2 or 1/3")]
    Shape(String),
    /// A factor that would need frames of odd sizes.
    #[error(
        "{text} is {times}/{over}: places can't land on whole pixels; both numbers must be at most {LARGEST}"
    )]
    Fine {
        /// What was typed.
        text: String,
        /// Above the line.
        times: u64,
        /// Below it.
        over: u64,
    },
}

impl Ratio {
    /// As drawn.
    pub const ONE: Self = Self { times: 1, over: 1 };

    /// The factor as a number.
    pub fn value(self) -> f64 {
        f64::from(self.times) / f64::from(self.over)
    }

    /// So many pixels, which must be a multiple of the step, in this size.
    fn of(self, length: u32) -> u32 {
        length / self.over * self.times
    }

    fn size(self, size: Size) -> Size {
        Size::new(self.of(size.width), self.of(size.height))
    }
}

impl fmt::Display for Ratio {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.value())
    }
}

impl FromStr for Ratio {
    type Err = RatioError;

    /// Reads `2`, `0.75` or `2/3`.
    fn from_str(text: &str) -> Result<Self, RatioError> {
        let wrong = || RatioError::Shape(text.to_owned());
        let whole = |part: &str| part.parse::<u64>().map_err(|_| wrong());
        let (times, over) = match (text.split_once('/'), text.split_once('.')) {
            (Some((times, over)), _) => (whole(times)?, whole(over)?),
            (None, None) => (whole(text)?, 1),
            (None, Some((units, decimals))) if decimals.len() <= 9 => {
                let scale = 10u64.pow(decimals.len() as u32);
                let units = if units.is_empty() { 0 } else { whole(units)?.min(u64::from(u32::MAX)) };
                (units * scale + whole(decimals)?, scale)
            }
            _ => return Err(wrong()),
        };
        if times == 0 || over == 0 {
            return Err(wrong());
        }
        let shared = greatest_divisor(times, over);
        let (times, over) = (times / shared, over / shared);
        let small = |number: u64| u32::try_from(number).ok().filter(|number| *number <= LARGEST);
        match (small(times), small(over)) {
            (Some(times), Some(over)) => Ok(Self { times, over }),
            _ => Err(RatioError::Fine { text: text.to_owned(), times, over }),
        }
    }
}

fn greatest_divisor(a: u64, b: u64) -> u64 {
    if b == 0 { a } else { greatest_divisor(b, a % b) }
}

/// The step in which places must lie so that all of these factors land on whole pixels.
pub fn step_of(factors: &[Ratio]) -> u32 {
    let step = factors.iter().fold(1, |step: u64, ratio| {
        let over = u64::from(ratio.over);
        step / greatest_divisor(step, over) * over
    });
    step as u32
}

/// The same frames with canvases and kept pixels that begin and end on whole steps: both grow, to the right and
/// downwards, by transparency.
pub fn in_steps(set: FrameSet, step: u32) -> Result<FrameSet, SetError> {
    if step <= 1 {
        return Ok(set);
    }
    let grow = |frame: Frame| -> Result<Frame, FrameError> {
        let canvas = frame.canvas();
        let up = |length: u32| length.next_multiple_of(step);
        let frame = frame.moved_on(Size::new(up(canvas.width), up(canvas.height)), 0, 0)?;
        let kept = frame.kept();
        if kept.is_empty() {
            return Ok(frame);
        }
        let (x, y) = (kept.x - kept.x % step, kept.y - kept.y % step);
        let (width, height) = (up(kept.right() as u32 - x), up(kept.bottom() as u32 - y));
        frame.keeping(Rect::new(x, y, width, height))
    };
    set.map_frames(|_, frame| Ok(grow(frame).expect("what a canvas holds, a larger one holds")))
}

impl Atlas {
    /// The same atlas in another size. Its frames must lie in whole steps: see [`in_steps`] and [`step_of`].
    pub fn scaled(&self, factor: Ratio, how: Resample) -> Result<Atlas, ScaleError> {
        if factor == Ratio::ONE {
            return Ok(self.clone());
        }
        let place = |place: &Place| {
            let Rect { x, y, .. } = place.rect;
            Place { rect: Rect::at(factor.of(x), factor.of(y), factor.size(place.rect.size())), ..*place }
        };
        let page = |page: &Page| {
            // A page's own size may be no multiple of the step; what lies on it is.
            let up = |length: u32| factor.of(length.next_multiple_of(factor.over));
            Page { size: Size::new(up(page.size.width), up(page.size.height)), label: page.label.clone() }
        };
        let mut layers = self.layers.clone();
        for layer in &mut layers {
            layer.pixels = scaled_pixels(&layer.pixels, factor, how)?;
        }
        Ok(Atlas {
            set: scale(self.set.clone(), factor.value(), how)?,
            places: self.places.iter().map(place).collect(),
            pages: self.pages.iter().map(page).collect(),
            layers,
            // What is left of a bleed that does not divide is not worth a fraction.
            bleed: (f64::from(self.bleed) * factor.value()).floor() as u32,
            factor,
            ..self.clone()
        })
    }
}

fn scaled_pixels(pixels: &[Pixels], factor: Ratio, how: Resample) -> Result<Vec<Pixels>, ScaleError> {
    let sprite = Name::new("layer").expect("a name");
    let shown: Vec<usize> = (0..pixels.len()).filter(|&at| !pixels[at].is_empty()).collect();
    let frame = |&at: &usize| {
        let name = Name::new(at.to_string()).expect("a number is a name");
        Frame::new(sprite.clone(), name, pixels[at].clone()).expect("not empty")
    };
    let set = FrameSet::new(shown.iter().map(frame).collect(), Vec::new())?;
    let scaled = scale(set, factor.value(), how)?;
    let mut all = vec![Pixels::none(); pixels.len()];
    for (at, frame) in shown.into_iter().zip(scaled.frames()) {
        all[at] = frame.pixels().clone();
    }
    Ok(all)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn factors_are_fractions_of_small_numbers() {
        let ratio = |text: &str| text.parse::<Ratio>().map(|ratio| (ratio.times, ratio.over));
        assert_eq!(ratio("0.5"), Ok((1, 2)));
        assert_eq!(ratio("1.5"), Ok((3, 2)));
        assert_eq!(ratio(".75"), Ok((3, 4)));
        assert_eq!(ratio("2/6"), Ok((1, 3)));
        for wrong in ["0", "-1", "", "x", "1/0", "1e3", "0.0"] {
            assert!(ratio(wrong).is_err(), "{wrong}");
        }
        let error = ratio("0.33").unwrap_err().to_string();
        assert!(error.starts_with("0.33 is 33/100:"), "{error}");
        let step =
            |texts: &[&str]| step_of(&texts.iter().map(|text| text.parse().unwrap()).collect::<Vec<_>>());
        assert_eq!((step(&["1", "2"]), step(&["0.5", "0.75"]), step(&["1/3", "0.5"])), (1, 4, 6));
    }
}
