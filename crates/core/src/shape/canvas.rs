//! Putting frames on one canvas, held together by their pivots. Never scales, never cuts a kept pixel.

use std::fmt;
use std::str::FromStr;

use crate::{Frame, FrameSet, Name, Rect, SetError, Size, SizeError};

/// Which canvas frames get.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CanvasRule {
    /// The smallest one that holds all frames of a sprite with their pivots on one point.
    Common,
    /// This size; spare room goes where the frames' pivots are not.
    Size(Size),
    /// Each frame's own kept pixels: what was trimmed is forgotten.
    Fit,
}

impl FromStr for CanvasRule {
    type Err = SizeError;

    fn from_str(text: &str) -> Result<Self, SizeError> {
        match text {
            "fit" => Ok(Self::Fit),
            size => size.parse().map(Self::Size),
        }
    }
}

impl fmt::Display for CanvasRule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Common => f.write_str("common"),
            Self::Fit => f.write_str("fit"),
            Self::Size(size) => size.fmt(f),
        }
    }
}

/// Why frames do not go on a canvas.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum CanvasError {
    /// Held together by their pivots, the frames need more room.
    #[error(
        "a canvas of {canvas} px is too small: with their pivots on one point the frames of '{sprite}' need {needed} px"
    )]
    TooSmall {
        /// The canvas asked for.
        canvas: Size,
        /// The sprite.
        sprite: Name,
        /// What its frames need.
        needed: Size,
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Gives every frame another canvas. Pivots stay on the same point of the drawing.
pub fn set_canvas(set: FrameSet, rule: CanvasRule) -> Result<FrameSet, CanvasError> {
    if rule == CanvasRule::Fit {
        return set.map_frames(|_, frame| Ok(fitted(frame)));
    }
    let mut stages: Vec<Stage> = Vec::new();
    for places in set.index().sprites() {
        let sprite = set.frames()[places[0]].sprite();
        let stage = Stage::around(places.iter().map(|&at| &set.frames()[at]));
        let stage = match rule {
            CanvasRule::Size(canvas) if !stage.size().fits_in(canvas) => {
                return Err(CanvasError::TooSmall { canvas, sprite: sprite.clone(), needed: stage.size() });
            }
            CanvasRule::Size(canvas) => stage.widened(canvas),
            _ => stage,
        };
        stages.push(stage);
    }
    let stage_of: Vec<usize> = (0..set.frames().len()).map(|at| set.index().sprite_of(at)).collect();
    set.map_frames(|at, frame| Ok(stages[stage_of[at]].place(frame)))
}

fn fitted(frame: Frame) -> Frame {
    let kept = frame.kept();
    if kept.is_empty() {
        return frame;
    }
    let (x, y) = (-i64::from(kept.x), -i64::from(kept.y));
    frame.moved_on(kept.size(), x, y).expect("kept pixels fit themselves")
}

/// The room that frames take round their pivots, in whole pixels.
#[derive(Clone, Copy, Debug)]
struct Stage {
    left: i64,
    top: i64,
    right: i64,
    bottom: i64,
}

impl Stage {
    fn around<'a>(frames: impl Iterator<Item = &'a Frame>) -> Self {
        let none = Self { left: i64::MAX, top: i64::MAX, right: i64::MIN, bottom: i64::MIN };
        frames.fold(none, |all, frame| {
            let (x, y) = whole_pivot(frame);
            let canvas = Rect::of(frame.canvas());
            Self {
                left: all.left.min(-x),
                top: all.top.min(-y),
                right: all.right.max(i64::from(canvas.width) - x),
                bottom: all.bottom.max(i64::from(canvas.height) - y),
            }
        })
    }

    fn size(&self) -> Size {
        Size::new((self.right - self.left) as u32, (self.bottom - self.top) as u32)
    }

    /// The stage with spare room on both sides of the pivot in the ratio there is already: feet stay at
    /// the bottom, a center in the middle.
    fn widened(self, canvas: Size) -> Self {
        let share = |low: i64, high: i64, room: u32| {
            let spare = i64::from(room) - (high - low);
            let before = if high - low == 0 {
                0
            } else {
                (spare as f64 * (-low) as f64 / (high - low) as f64).round() as i64
            };
            let before = before.clamp(0, spare);
            (low - before, high + spare - before)
        };
        let (left, right) = share(self.left, self.right, canvas.width);
        let (top, bottom) = share(self.top, self.bottom, canvas.height);
        Self { left, top, right, bottom }
    }

    fn place(&self, frame: Frame) -> Frame {
        let (x, y) = whole_pivot(&frame);
        let (dx, dy) = (-x - self.left, -y - self.top);
        frame.moved_on(self.size(), dx, dy).expect("the stage holds every canvas")
    }
}

/// The pixel corner at or before the pivot: rounded one way for all, frames keep to whole pixels.
fn whole_pivot(frame: &Frame) -> (i64, i64) {
    (frame.pivot().x.floor() as i64, frame.pivot().y.floor() as i64)
}

#[cfg(test)]
mod tests {
    use image::{Rgba, RgbaImage};
    use proptest::prelude::*;

    use super::*;
    use crate::Pixels;
    use crate::shape::{PivotPer, set_pivot};

    fn set(sizes: &[(u32, u32)], pivot: &str) -> FrameSet {
        let frame = |(at, &(width, height)): (usize, &(u32, u32))| {
            let pixels = Pixels::whole(RgbaImage::from_pixel(width, height, Rgba([9, 9, 9, 255])));
            Frame::new(Name::new("reed").unwrap(), Name::new(at.to_string()).unwrap(), pixels).unwrap()
        };
        let set = FrameSet::new(sizes.iter().enumerate().map(frame).collect(), vec![]).unwrap();
        set_pivot(set, pivot.parse().unwrap(), PivotPer::Frame).unwrap()
    }

    fn told(set: &FrameSet) -> Vec<String> {
        let tell = |f: &Frame| format!("{} at {} pivot {}", f.canvas(), f.inset(), f.pivot());
        set.frames().iter().map(tell).collect()
    }

    #[test]
    fn drawings_stand_on_one_line_of_a_common_canvas() {
        let common = set_canvas(set(&[(4, 10), (8, 6)], "bottom"), CanvasRule::Common).unwrap();
        assert_eq!(told(&common), ["8x10 at 2,0 pivot 4,10", "8x10 at 0,4 pivot 4,10"]);
        let larger = set_canvas(common, CanvasRule::Size(Size::new(12, 16))).unwrap();
        assert_eq!(told(&larger), ["12x16 at 4,6 pivot 6,16", "12x16 at 2,10 pivot 6,16"]);
        let fit = set_canvas(larger, CanvasRule::Fit).unwrap();
        assert_eq!(told(&fit), ["4x10 at 0,0 pivot 2,10", "8x6 at 0,0 pivot 4,6"]);
    }

    #[test]
    fn a_canvas_that_is_too_small_says_what_is_needed() {
        let error =
            set_canvas(set(&[(4, 10), (8, 6)], "bottom"), CanvasRule::Size(Size::new(8, 9))).unwrap_err();
        assert!(matches!(error, CanvasError::TooSmall { needed, .. } if needed == Size::new(8, 10)));
    }

    proptest! {
        #[test]
        fn no_pixel_is_lost_and_pivots_stay_on_the_drawing(
            sizes in prop::collection::vec((1u32..20, 1u32..20), 1..8), extra in 0u32..9, x in 0.0f64..1.0, y in 0.0f64..1.0,
        ) {
            let before = set(&sizes, &format!("{x},{y}"));
            let common = set_canvas(before.clone(), CanvasRule::Common).unwrap();
            let size = common.frames()[0].canvas();
            let larger = Size::new(size.width + extra, size.height + extra);
            for after in [common.clone(), set_canvas(common, CanvasRule::Size(larger)).unwrap()] {
                for (old, new) in before.frames().iter().zip(after.frames()) {
                    prop_assert_eq!(new.canvas(), after.frames()[0].canvas());
                    prop_assert!(new.pixels().looks_like(old.pixels()));
                    let on_drawing = |f: &Frame| f.pivot().x - f64::from(f.inset().x);
                    prop_assert!((on_drawing(new) - on_drawing(old)).abs() < 1e-9);
                    // All pivots lie within one pixel of each other.
                    prop_assert!((new.pivot().x - after.frames()[0].pivot().x).abs() < 1.0);
                    prop_assert!((new.pivot().y - after.frames()[0].pivot().y).abs() < 1.0);
                }
            }
        }
    }
}
