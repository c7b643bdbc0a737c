//! The same pages in another size. Frames and places are brought onto whole steps before, so that nothing is rounded.

use std::fmt;

use crate::cut::Spacing;
use crate::pack::{Atlas, PackedPage, PageGrid, Placement};
use crate::shape::{Resample, ScaleError, kernel_radius, scale};
use crate::{Frame, FrameError, FrameSet, Ratio, Rect, SetError, Size, UVec2, ValueError};
use num_integer::gcd;

/// A factor at which every place lands on whole pixels: a fraction with small numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PageScale(pub(crate) Ratio);

/// The largest number above and below the line.
const MAX_SCALE_PART: u32 = 16;

/// Why a text isn't a factor for pages.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PageScaleError {
    /// No number above 0.
    #[error(transparent)]
    Shape(#[from] ValueError),
    /// A factor that would need frames of odd sizes.
    #[error(
        "{text} is {}/{}, which can't land on whole pixels; both numbers must be at most {MAX_SCALE_PART}",
        ratio.numerator(), ratio.denominator()
    )]
    Fine {
        /// What was typed.
        text: String,
        /// What that is.
        ratio: Ratio,
    },
}

impl PageScale {
    /// Checks a factor for pages.
    ///
    /// # Errors
    /// If its numerator or denominator is above 16.
    pub fn new(ratio: Ratio) -> Result<Self, PageScaleError> {
        match ratio.numerator().max(ratio.denominator()) <= MAX_SCALE_PART {
            true => Ok(Self(ratio)),
            false => Err(PageScaleError::Fine { text: ratio.to_string(), ratio }),
        }
    }

    /// As drawn.
    pub const ONE: Self = Self(Ratio::ONE);

    /// The factor.
    pub fn ratio(self) -> Ratio {
        self.0
    }

    /// So many pixels, which must be a multiple of the step, in this size.
    fn of(self, length: u32) -> u32 {
        length / self.0.denominator() * self.0.numerator()
    }

    fn rect(self, rect: Rect) -> Rect {
        Rect::new(self.of(rect.x), self.of(rect.y), self.of(rect.width), self.of(rect.height))
    }
}

impl fmt::Display for PageScale {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// The step in which places must lie so that all of these factors land on whole pixels.
pub fn snap_for(factors: &[PageScale]) -> u32 {
    let step = factors.iter().fold(1, |step: u64, factor| {
        let over = u64::from(factor.0.denominator());
        step / gcd(step, over) * over
    });
    step as u32
}

/// How many empty pixels a frame's drawing needs around it so that its soft rim is there at all of these factors.
pub fn kernel_margin(factors: &[PageScale], how: Resample) -> u32 {
    let others = factors.iter().filter(|factor| **factor != PageScale::ONE);
    others.map(|factor| kernel_radius(factor.0, how)).max().unwrap_or(0)
}

/// The same frames with canvases and kept pixels that begin and end on whole steps: both grow, to the right and
/// downwards, by transparency. What is trimmed keeps up to `rim` pixels more around it.
pub fn snap_frames(set: FrameSet, step: u32, rim: u32) -> Result<FrameSet, SetError> {
    if step <= 1 && rim == 0 {
        return Ok(set);
    }
    let up = |length: u32| length.next_multiple_of(step);
    let grow = |frame: Frame| -> Result<Frame, FrameError> {
        let canvas = frame.canvas();
        let frame = frame.translate_onto(Size::new(up(canvas.width), up(canvas.height)), 0, 0)?;
        let kept = frame.kept_rect();
        if kept.is_empty() {
            return Ok(frame);
        }
        let low = |at: u32| at.saturating_sub(rim) / step * step;
        let high = |at: u64, canvas: u32| up((at as u32).saturating_add(rim)).min(canvas);
        let (x, y) = (low(kept.x), low(kept.y));
        let Size { width, height } = frame.canvas();
        frame.with_kept_rect(Rect::new(x, y, high(kept.right(), width) - x, high(kept.bottom(), height) - y))
    };
    set.map_frames(|_, frame| {
        let (name, canvas) = (frame.name().clone(), frame.canvas());
        grow(frame).map_err(|_| SetError::canvas(&name, Size::new(up(canvas.width), up(canvas.height))))
    })
}

impl Atlas {
    /// The same atlas in another size. Its frames must be in whole steps: see [`snap_frames`] and [`snap_for`].
    pub fn scaled(&self, factor: PageScale, how: Resample) -> Result<Atlas, ScaleError> {
        if factor == PageScale::ONE {
            return Ok(self.clone());
        }
        let place = |place: &Placement| Placement { rect: factor.rect(place.rect), ..*place };
        let page = |page: &PackedPage| {
            // A page's own size may be no multiple of the step; what is on it is.
            let up = |length: u32| factor.of(length.next_multiple_of(factor.0.denominator()));
            let pair = |at: UVec2| UVec2 { x: factor.of(at.x), y: factor.of(at.y) };
            let grid = page.grid.map(|grid| PageGrid {
                counts: grid.counts,
                cell: Size::new(factor.of(grid.cell.width), factor.of(grid.cell.height)),
                spacing: Spacing { offset: pair(grid.spacing.offset), gutter: pair(grid.spacing.gutter) },
            });
            PackedPage {
                size: self.asked.rounded(Size::new(up(page.size.width), up(page.size.height))),
                label: page.label.clone(),
                grid,
            }
        };
        let set = scale(self.set.clone(), factor.0, how)?;
        // What smooth scaling reaches beyond its place would be on others.
        let cut = |at: usize, frame: Frame| -> Result<Frame, SetError> {
            let kept = factor.rect(self.set.frames()[at].kept_rect());
            let frame = if frame.kept_rect() == kept { Ok(frame) } else { frame.with_kept_rect(kept) };
            Ok(frame.expect("a canvas in whole steps holds kept pixels in whole steps"))
        };
        let set = set.map_frames(cut)?;
        Ok(Atlas {
            places: self.places.iter().map(place).collect(),
            pages: self.pages.iter().map(page).collect(),
            set,
            // What is left of a bleed that does not divide is not worth a fraction.
            bleed: factor.0.floor(i64::from(self.bleed)) as u32,
            factor: factor.0,
            ..self.clone()
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn factors_are_fractions_of_small_numbers() {
        let ratio =
            |text: &str| text.parse::<PageScale>().map(|scale| (scale.0.numerator(), scale.0.denominator()));
        assert_eq!(ratio("2.2"), Ok((11, 5)));
        assert_eq!(ratio("7/3"), Ok((7, 3)));
        let error = ratio("0.33").unwrap_err().to_string();
        assert!(error.starts_with("0.33 is 33/100,"), "{error}");
        let step =
            |texts: &[&str]| snap_for(&texts.iter().map(|text| text.parse().unwrap()).collect::<Vec<_>>());
        assert_eq!((step(&["1", "2"]), step(&["0.5", "0.75"]), step(&["1/3", "0.5"])), (1, 4, 6));
    }
}
