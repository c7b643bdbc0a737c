//! Putting frames on one canvas, held together by their pivots. Never scales, never cuts a kept pixel.

use std::fmt;

use crate::{Frame, FrameSet, Name, Rect, SetError, Size, SizeError, UVec2};

/// Which canvas frames get.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CanvasRule {
    /// The smallest one that holds all frames of a sprite with their pivots on one point.
    Common,
    /// This size; spare room goes where the frames' pivots are not.
    Size(Size),
    /// This size, with the frames' pivots on this pixel corner.
    At(Size, UVec2),
    /// Each frame's own kept pixels: what was trimmed is forgotten.
    Fit,
}

impl fmt::Display for CanvasRule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Common => f.write_str("common"),
            Self::Fit => f.write_str("fit"),
            Self::Size(size) => size.fmt(f),
            Self::At(size, at) => write!(f, "{size}@{at}"),
        }
    }
}

/// Why a text is not a canvas.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum CanvasRuleError {
    /// Neither a size, a size with a pivot, nor `fit`.
    #[error("'{0}' is not a canvas; write 48x48, 48x48@24,47 (with the pivot position), or fit")]
    Shape(String),
    /// A number that is 0 or beyond [`LONGEST`](crate::LONGEST).
    #[error(transparent)]
    Size(SizeError),
}

/// Why frames do not go on a canvas.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum CanvasError {
    /// Held together by their pivots, the frames need more room.
    #[error(
        "a canvas of {canvas} px is too small: aligned by pivot, the frames of '{sprite}' need {needed} px"
    )]
    TooSmall {
        /// The canvas asked for.
        canvas: Size,
        /// The sprite.
        sprite: Name,
        /// What its frames need.
        needed: Size,
    },
    /// With the pivots on that point, drawings would be cut.
    #[error("with pivots at {at}, a canvas of {canvas} px would cut off drawings of '{sprite}'")]
    Cuts {
        /// The canvas asked for.
        canvas: Size,
        /// Where the pivots were to lie.
        at: UVec2,
        /// The sprite.
        sprite: Name,
        /// The smallest canvas that holds them, and where the pivots are on it.
        needed: (Size, UVec2),
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Gives every frame another canvas. Pivots stay on the same point of the drawing. Where whole canvases do not fit, their
/// drawings alone may.
///
/// # Errors
/// If drawings would be cut.
pub fn set_canvas(set: FrameSet, rule: CanvasRule) -> Result<FrameSet, CanvasError> {
    if rule == CanvasRule::Fit {
        return set.map_frames(|_, frame| Ok(fitted(frame)));
    }
    let mut stages: Vec<PivotExtent> = Vec::new();
    for places in set.index().sprites() {
        let sprite = set.frames()[places[0]].sprite();
        let stage = PivotExtent::around(places.iter().map(|&at| &set.frames()[at]));
        let drawn = || PivotExtent::around_drawings(places.iter().map(|&at| &set.frames()[at]));
        stages.push(match rule {
            CanvasRule::Size(canvas) if stage.size().fits_in(canvas) => stage.pad_to(canvas),
            CanvasRule::Size(canvas) => {
                let drawn = drawn();
                if !drawn.size().fits_in(canvas) {
                    let needed = drawn.size();
                    return Err(CanvasError::TooSmall { canvas, sprite: sprite.clone(), needed });
                }
                drawn.pad_to(canvas)
            }
            CanvasRule::At(canvas, at) => {
                let wanted = PivotExtent::with_pivot(canvas, at);
                let drawn = drawn();
                if !drawn.is_within(&wanted) {
                    let needed = (drawn.size(), drawn.pivot());
                    return Err(CanvasError::Cuts { canvas, at, sprite: sprite.clone(), needed });
                }
                wanted
            }
            CanvasRule::Common | CanvasRule::Fit => stage,
        });
    }
    let stage_of: Vec<usize> = (0..set.frames().len()).map(|at| set.index().sprite_of(at)).collect();
    set.map_frames(|at, frame| Ok(stages[stage_of[at]].place(frame)?))
}

fn fitted(frame: Frame) -> Frame {
    let kept = frame.kept_rect();
    if kept.is_empty() {
        return frame;
    }
    let (x, y) = (-i64::from(kept.x), -i64::from(kept.y));
    frame.translate_onto(kept.size(), x, y).expect("kept pixels fit themselves")
}

/// The room that frames take round their pivots, in whole pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct PivotExtent {
    left: i64,
    top: i64,
    right: i64,
    bottom: i64,
}

impl PivotExtent {
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

    /// The room of what shows alone; a blank frame needs none but its pivot's.
    fn around_drawings<'a>(frames: impl Iterator<Item = &'a Frame>) -> Self {
        let none = Self { left: i64::MAX, top: i64::MAX, right: i64::MIN, bottom: i64::MIN };
        let all = frames.fold(none, |all, frame| {
            let (x, y) = whole_pivot(frame);
            let Some(shown) = frame.extent(0) else { return all };
            Self {
                left: all.left.min(i64::from(shown.x) - x),
                top: all.top.min(i64::from(shown.y) - y),
                right: all.right.max(shown.right() as i64 - x),
                bottom: all.bottom.max(shown.bottom() as i64 - y),
            }
        });
        if all == none { Self { left: 0, top: 0, right: 1, bottom: 1 } } else { all }
    }

    /// A canvas with the pivot on a point of it.
    fn with_pivot(canvas: Size, at: UVec2) -> Self {
        let (x, y) = (i64::from(at.x), i64::from(at.y));
        Self { left: -x, top: -y, right: i64::from(canvas.width) - x, bottom: i64::from(canvas.height) - y }
    }

    fn is_within(&self, other: &Self) -> bool {
        self.left >= other.left
            && self.top >= other.top
            && self.right <= other.right
            && self.bottom <= other.bottom
    }

    /// Where the pivot is on the smallest canvas that holds both the stage and it.
    fn pivot(&self) -> UVec2 {
        UVec2 { x: (-self.left).max(0) as u32, y: (-self.top).max(0) as u32 }
    }

    fn size(&self) -> Size {
        Size::new((self.right - self.left) as u32, (self.bottom - self.top) as u32)
    }

    /// The stage with spare room on both sides of the pivot in the ratio there is already: feet stay at
    /// the bottom, a center in the middle.
    fn pad_to(self, canvas: Size) -> Self {
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

    fn place(&self, frame: Frame) -> Result<Frame, SetError> {
        let (x, y) = whole_pivot(&frame);
        let name = frame.name().clone();
        let (dx, dy) = (-x - self.left, -y - self.top);
        // If the kept rectangle does not fit, its content does: checked by the caller.
        let moved = frame.clone().translate_onto(self.size(), dx, dy);
        moved
            .or_else(|_| frame.trim_to_content().translate_onto(self.size(), dx, dy))
            .map_err(|_| SetError::canvas(&name, self.size()))
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
            let pixels = Pixels::from_image(RgbaImage::from_pixel(width, height, Rgba([9, 9, 9, 255])));
            Frame::new(Name::new("reed").unwrap(), Name::new(at.to_string()).unwrap(), pixels).unwrap()
        };
        let set = FrameSet::new(sizes.iter().enumerate().map(frame).collect(), vec![]).unwrap();
        set_pivot(set, pivot.parse().unwrap(), PivotPer::Frame).unwrap()
    }

    fn described(set: &FrameSet) -> Vec<String> {
        let tell = |f: &Frame| format!("{} at {} pivot {}", f.canvas(), f.inset(), f.pivot());
        set.frames().iter().map(tell).collect()
    }

    #[test]
    fn drawings_stand_on_one_line_of_a_common_canvas() {
        let common = set_canvas(set(&[(4, 10), (8, 6)], "bottom"), CanvasRule::Common).unwrap();
        assert_eq!(described(&common), ["8x10 at 2,0 pivot 4,10", "8x10 at 0,4 pivot 4,10"]);
        let larger = set_canvas(common, CanvasRule::Size(Size::new(12, 16))).unwrap();
        assert_eq!(described(&larger), ["12x16 at 4,6 pivot 6,16", "12x16 at 2,10 pivot 6,16"]);
        let fit = set_canvas(larger, CanvasRule::Fit).unwrap();
        assert_eq!(described(&fit), ["4x10 at 0,0 pivot 2,10", "8x6 at 0,0 pivot 4,6"]);
    }

    #[test]
    fn a_canvas_that_is_too_small_says_what_is_needed() {
        let error =
            set_canvas(set(&[(4, 10), (8, 6)], "bottom"), CanvasRule::Size(Size::new(8, 9))).unwrap_err();
        assert!(matches!(error, CanvasError::TooSmall { needed, .. } if needed == Size::new(8, 10)));
    }

    #[test]
    fn pivots_come_to_lie_where_it_was_said_and_empty_rims_may_go() {
        let mut image = RgbaImage::new(20, 20);
        image.put_pixel(9, 12, Rgba([9, 9, 9, 255]));
        image.put_pixel(11, 15, Rgba([9, 9, 9, 255]));
        let frame = Frame::new(Name::new("koi").unwrap(), Name::new("0").unwrap(), Pixels::from_image(image))
            .unwrap();
        let set = FrameSet::new(vec![frame.with_pivot(crate::Point::new(10.0, 16.0))], vec![]).unwrap();
        let put =
            |rule: &str| set_canvas(set.clone(), rule.parse().unwrap()).map(|set| described(&set)[0].clone());
        assert_eq!(put("40x40@15,28").unwrap(), "40x40 at 5,12 pivot 15,28");
        assert_eq!(put("8x8@4,6").unwrap(), "8x8 at 3,2 pivot 4,6");
        assert_eq!(put("3x4").unwrap(), "3x4 at 0,0 pivot 1,4");
        let error = put("8x8@4,3").unwrap_err();
        let needed = (Size::new(3, 4), UVec2 { x: 1, y: 4 });
        assert!(matches!(error, CanvasError::Cuts { needed: n, .. } if n == needed), "{error:?}");
        for wrong in ["48", "0x4", "48x48@", "48x48@7", "48x48@-1,2", "fit@1,2", ""] {
            assert!(wrong.parse::<CanvasRule>().is_err(), "{wrong}");
        }
        for long in ["1048577x1", "48x48@1048577,0"] {
            let error = long.parse::<CanvasRule>().unwrap_err().to_string();
            assert!(error.ends_with("at most 1048576"), "{error}");
        }
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
                    prop_assert!(new.pixels().is_same_image(old.pixels()));
                    let on_drawing = |f: &Frame| f.pivot().x - f64::from(f.inset().x);
                    prop_assert!((on_drawing(new) - on_drawing(old)).abs() < 1e-9);
                    // All pivots are within one pixel of each other.
                    prop_assert!((new.pivot().x - after.frames()[0].pivot().x).abs() < 1.0);
                    prop_assert!((new.pivot().y - after.frames()[0].pivot().y).abs() < 1.0);
                }
            }
        }
    }
}
