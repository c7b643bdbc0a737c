//! Registration marks: a spot of one color that an artist sets in every frame. It is found, used, and erased.

use image::Rgba;

use crate::components::label_image;
use crate::{Annotations, Color, Frame, FrameSet, Name, Pixels, Point, SetError, UVec2};

/// Why a mark is of no use.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum MarkError {
    /// A frame has none.
    #[error("frame '{frame}' has no mark in the color {color}")]
    Missing {
        /// The frame.
        frame: Name,
        /// The color.
        color: Color,
    },
    /// A frame has several.
    #[error("frame '{frame}' has {count} marks in the color {color}, at {list}",
        count = places.len(), list = describe_places(places))]
    Several {
        /// The frame.
        frame: Name,
        /// The color.
        color: Color,
        /// Where: the top left of each.
        places: Vec<UVec2>,
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Finds the mark of a color in every frame that shows anything, erases it, and notes its middle among the frame's
/// annotations, where it follows the drawing until [`align`](crate::shape::align) and
/// [`set_pivot`](crate::shape::set_pivot) use it and [`forget_marks`] takes it away.
///
/// # Errors
/// If a frame has none, or several.
pub fn take_marks(set: FrameSet, color: Color) -> Result<FrameSet, MarkError> {
    set.map_frames(|_, frame| extract_mark(frame, color))
}

/// Takes the notes of all marks away.
///
/// # Errors
/// None that a set can have; names do not change.
pub fn forget_marks(set: FrameSet) -> Result<FrameSet, SetError> {
    set.map_frames(|_, frame| {
        let annotations = Annotations { marks: Vec::new(), ..frame.annotations().clone() };
        Ok(frame.with_annotations(annotations))
    })
}

/// The first four places.
fn describe_places(places: &[UVec2]) -> String {
    places.iter().take(4).map(ToString::to_string).collect::<Vec<_>>().join(" and ")
}

fn extract_mark(frame: Frame, color: Color) -> Result<Frame, MarkError> {
    if frame.is_blank() {
        return Ok(frame);
    }
    let width = frame.pixels().size().width;
    let is_mark = |pixel: &[u8]| pixel == color.0.0.as_slice();
    let found = label_image(frame.pixels(), is_mark);
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
    let corner = |&(x, y, ..): &(u32, u32, u32, u32)| UVec2 { x: x + inset.x, y: y + inset.y };
    let boxes: Vec<_> = boxes.into_iter().flatten().collect();
    let name = frame.name().clone();
    match boxes.as_slice() {
        [] => Err(MarkError::Missing { frame: name, color }),
        [(left, top, right, bottom)] => {
            let middle = |low: u32, high: u32, inset: u32| f64::from(low + high + 1) / 2.0 + f64::from(inset);
            let point = Point::new(middle(*left, *right, inset.x), middle(*top, *bottom, inset.y));
            let inset = UVec2 { ..inset };
            let erased = frame.with_pixels(Pixels::from_image(image), inset).expect("the size is the same");
            let mut annotations = erased.annotations().clone();
            annotations.marks.push((color, point));
            Ok(erased.with_annotations(annotations))
        }
        several => {
            Err(MarkError::Several { frame: name, color, places: several.iter().map(corner).collect() })
        }
    }
}
