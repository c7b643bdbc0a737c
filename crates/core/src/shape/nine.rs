//! Nine-slice: which border of a panel stays as it is, and which rows and columns between stretch.
//!
//! Found where rows and columns repeat: the longest run of columns that are all alike is what can be drawn wider, and
//! the longest run of such rows higher.

use std::fmt;

use crate::{Annotations, FrameSet, Insets, Name, Pixels, SetError, Size};

/// Given, or to be found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NineRule {
    /// Found from what repeats.
    Auto,
    /// These.
    Given(Insets),
}

impl fmt::Display for NineRule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Auto => f.write_str("auto"),
            Self::Given(insets) => insets.fmt(f),
        }
    }
}

/// Why a frame has no nine-slice.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NineError {
    /// The corners meet.
    #[error("a nine-slice of {insets} leaves nothing to stretch in frame '{frame}' of {canvas} px")]
    TooLarge {
        /// The insets.
        insets: Insets,
        /// The frame.
        frame: Name,
        /// Its canvas.
        canvas: Size,
    },
    /// No two neighbors are alike.
    #[error("no two adjacent {what} of frame '{frame}' are the same, so nothing can stretch")]
    NothingRepeats {
        /// "columns" or "rows".
        what: &'static str,
        /// The frame.
        frame: Name,
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Sets the nine-slice of every frame that shows anything.
pub fn set_nine(set: FrameSet, rule: NineRule) -> Result<FrameSet, NineError> {
    set.map_frames(|_, frame| {
        if frame.is_blank() {
            return Ok(frame);
        }
        let canvas = frame.canvas();
        let insets = match rule {
            NineRule::Given(insets) if !insets.fit(canvas) => {
                return Err(NineError::TooLarge { insets, frame: frame.name().clone(), canvas });
            }
            NineRule::Given(insets) => insets,
            NineRule::Auto => found(&frame.full_image())
                .map_err(|what| NineError::NothingRepeats { what, frame: frame.name().clone() })?,
        };
        let annotations = Annotations { nine: Some(insets), ..frame.annotations().clone() };
        Ok(frame.with_annotations(annotations))
    })
}

fn found(whole: &Pixels) -> Result<Insets, &'static str> {
    let Size { width, height } = whole.size();
    let shown = |pixel: &[u8]| if pixel[3] == 0 { [0; 4] } else { [pixel[0], pixel[1], pixel[2], pixel[3]] };
    let at = |x: u32, y: u32| shown(&whole.row(y)[x as usize * 4..][..4]);
    let is_clear = |x: u32, y: u32| at(x, y)[3] == 0;
    let columns = longest_run(
        width,
        |a, b| (0..height).all(|y| at(a, y) == at(b, y)),
        |x| (0..height).all(|y| is_clear(x, y)),
    );
    let rows = longest_run(
        height,
        |a, b| (0..width).all(|x| at(x, a) == at(x, b)),
        |y| (0..width).all(|x| is_clear(x, y)),
    );
    let ((left, right), (top, bottom)) = (columns.ok_or("columns")?, rows.ok_or("rows")?);
    Ok(Insets { left, top, right: width - right, bottom: height - bottom })
}

/// The longest run of lines that are alike and show something: the first, and the one after the last.
fn longest_run(
    count: u32,
    are_alike: impl Fn(u32, u32) -> bool,
    is_clear: impl Fn(u32) -> bool,
) -> Option<(u32, u32)> {
    let (mut best, mut start) = ((0, 0), 0);
    for at in 1..=count {
        if at == count || !are_alike(at - 1, at) {
            if at - start > best.1 - best.0 && !is_clear(start) {
                best = (start, at);
            }
            start = at;
        }
    }
    (best.1 - best.0 >= 2).then_some(best)
}

#[cfg(test)]
mod tests {
    use image::{Rgba, RgbaImage};

    use super::*;
    use crate::Frame;

    /// A panel of 12x9 with corners of 3 and 4 px across, 2 and 3 down.
    fn panel() -> FrameSet {
        let image = RgbaImage::from_fn(12, 9, |x, y| {
            let across = if x < 3 {
                x
            } else if x >= 8 {
                20 + x
            } else {
                10
            };
            let down = if y < 2 {
                y
            } else if y >= 6 {
                20 + y
            } else {
                10
            };
            Rgba([across as u8, down as u8, 0, 255])
        });
        let frame =
            Frame::new(Name::new("sign").unwrap(), Name::new("0").unwrap(), Pixels::from_image(image));
        FrameSet::new(vec![frame.unwrap()], vec![]).unwrap()
    }

    #[test]
    fn what_repeats_is_what_stretches() {
        let set = set_nine(panel(), NineRule::Auto).unwrap();
        let wanted = Insets { left: 3, top: 2, right: 4, bottom: 3 };
        assert_eq!(set.frames()[0].annotations().nine, Some(wanted));
    }

    #[test]
    fn corners_that_meet_and_drawings_that_repeat_nowhere_are_refused() {
        let too_large = set_nine(panel(), "6,1,6,1".parse().unwrap());
        assert!(matches!(too_large, Err(NineError::TooLarge { .. })));
        let busy = panel().map_frames(|_, frame| {
            let image = RgbaImage::from_fn(12, 9, |x, y| Rgba([x as u8 * 9, y as u8 * 9, 0, 255]));
            Ok::<_, SetError>(frame.with_pixels(Pixels::from_image(image), Default::default()).unwrap())
        });
        let error = set_nine(busy.unwrap(), NineRule::Auto).unwrap_err();
        assert!(matches!(error, NineError::NothingRepeats { what: "columns", .. }));
    }
}
