//! Registration marks: a spot of one color that an artist sets in every frame. It is found, used, and erased.

use image::Rgba;

use crate::cut::pieces;
use crate::parallel;
use crate::{Color, Frame, FrameSet, Name, Pair, Pixels, Point, SetError};

/// Why a mark is of no use.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum MarkError {
    /// A frame has none.
    #[error("frame '{frame}' has no mark of the color {color}")]
    Missing {
        /// The frame.
        frame: Name,
        /// The color.
        color: Color,
    },
    /// A frame has several.
    #[error("frame '{frame}' has {count} marks of the color {color}, at {places}")]
    Several {
        /// The frame.
        frame: Name,
        /// The color.
        color: Color,
        /// How many.
        count: usize,
        /// Where, as text.
        places: String,
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Finds the mark of a color in every frame that shows anything, and erases it. The points are the middles of the
/// marks on the canvas; `None` for a blank frame.
pub fn take_marks(set: FrameSet, color: Color) -> Result<(FrameSet, Vec<Option<Point>>), MarkError> {
    let frames = set.frames();
    let found = parallel::fallible(frames.len(), |at| taken(frames[at].clone(), color))?;
    let points = found.iter().map(|(_, point)| *point).collect();
    let set = set.map_frames(|at, _| Ok::<_, MarkError>(found[at].0.clone()))?;
    Ok((set, points))
}

fn taken(frame: Frame, color: Color) -> Result<(Frame, Option<Point>), MarkError> {
    if frame.is_blank() {
        return Ok((frame, None));
    }
    let width = frame.pixels().size().width;
    let is_mark = |pixel: &[u8]| pixel == color.0.0.as_slice();
    let found = pieces(frame.pixels(), is_mark);
    let mut boxes: Vec<Option<(u32, u32, u32, u32)>> = vec![None; found.areas.len()];
    let mut image = frame.pixels().to_image();
    for (at, label) in found.labels.iter().enumerate() {
        let Some(piece) = label.checked_sub(1) else { continue };
        let (x, y) = (at as u32 % width, at as u32 / width);
        image.put_pixel(x, y, Rgba([0; 4]));
        let old = boxes[piece as usize].unwrap_or((x, y, x, y));
        boxes[piece as usize] = Some((old.0.min(x), old.1.min(y), old.2.max(x), old.3.max(y)));
    }
    let inset = frame.inset();
    let corner = |&(x, y, ..): &(u32, u32, u32, u32)| format!("{},{}", x + inset.x, y + inset.y);
    let boxes: Vec<_> = boxes.into_iter().flatten().collect();
    let name = frame.name().clone();
    match boxes.as_slice() {
        [] => Err(MarkError::Missing { frame: name, color }),
        [(left, top, right, bottom)] => {
            let middle = |low: u32, high: u32, inset: u32| f64::from(low + high + 1) / 2.0 + f64::from(inset);
            let point = Point::new(middle(*left, *right, inset.x), middle(*top, *bottom, inset.y));
            let inset = Pair { ..inset };
            let erased = frame.with_pixels(Pixels::whole(image), inset).expect("the size is the same");
            Ok((erased, Some(point)))
        }
        several => {
            let places: Vec<String> = several.iter().take(4).map(corner).collect();
            let places = places.join(" and ");
            Err(MarkError::Several { frame: name, color, count: several.len(), places })
        }
    }
}
