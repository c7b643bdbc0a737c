//! Drawings moved on their canvases, which grow where one would leave them. Judges no shift.

use crate::{FrameSet, SetError, Size, UVec2};

/// Pixels that the canvases of a sprite grow on each side.
#[derive(Clone, Copy, Default)]
struct Growth {
    left: i64,
    top: i64,
    right: i64,
    bottom: i64,
}

/// How the canvases of each sprite grow when its drawings are moved so far.
fn growths(set: &FrameSet, ways: &[(i64, i64)]) -> Vec<Growth> {
    let mut growths = vec![Growth::default(); set.frames().len()];
    for sprite in set.sprites() {
        let places = set.frames_of(sprite);
        let growth = places.iter().fold(Growth::default(), |all, &at| {
            let (frame, (x, y)) = (&set.frames()[at], ways[at]);
            let Some(drawn) = frame.extent(0) else { return all };
            let canvas = frame.canvas();
            Growth {
                left: all.left.max(-(i64::from(drawn.x) + x)),
                top: all.top.max(-(i64::from(drawn.y) + y)),
                right: all.right.max(drawn.right() as i64 + x - i64::from(canvas.width)),
                bottom: all.bottom.max(drawn.bottom() as i64 + y - i64::from(canvas.height)),
            }
        });
        places.iter().for_each(|&at| growths[at] = growth);
    }
    growths
}

impl Growth {
    fn of(self, canvas: Size) -> Size {
        let side = |length: u32, more: i64| u32::try_from(i64::from(length) + more).unwrap_or(u32::MAX);
        Size::new(side(canvas.width, self.left + self.right), side(canvas.height, self.top + self.bottom))
    }
}

/// The canvas that each frame would have, so that it can be held to a limit before any is made.
pub(super) fn canvases(set: &FrameSet, ways: &[(i64, i64)]) -> Vec<Size> {
    let grown = growths(set, ways).into_iter().zip(set.frames());
    grown.map(|(growth, frame)| growth.of(frame.canvas())).collect()
}

/// Moves the drawing of each frame by this many pixels to the right and down. Where one would leave its canvas, all canvases of the
/// sprite grow, and pivots and boxes with them.
pub(super) fn shift_drawings(set: FrameSet, ways: &[(i64, i64)]) -> Result<FrameSet, SetError> {
    let growths = growths(&set, ways);
    set.map_frames(|at, frame| {
        let ((x, y), Growth { left, top, right, bottom }) = (ways[at], growths[at]);
        if (x, y) == (0, 0) && left + top + right + bottom == 0 {
            return Ok(frame);
        }
        let (was_whole, name) = (frame.is_untrimmed(), frame.name().clone());
        let canvas = growths[at].of(frame.canvas());
        let drawn = frame.extent(0).unwrap_or_default();
        let moved = frame
            .with_kept_rect(drawn)
            .and_then(|frame| frame.translate_onto(canvas, left, top))
            .and_then(|frame| frame.translate(x, y))
            .map_err(|_| SetError::canvas(&name, canvas))?;
        if !was_whole {
            return Ok(moved);
        }
        let whole = moved.full_image();
        Ok(moved.with_pixels(whole, UVec2::default()).expect("a canvas fits itself"))
    })
}
