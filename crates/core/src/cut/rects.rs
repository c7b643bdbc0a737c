//! Frames at given places: names and rectangles, in a list. Reads no file.

use crate::{Cell, Frame, FrameError, FrameSource, Name, Pixels, Rect, Size};

/// One place of a list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NamedRect {
    /// The frame's name.
    pub name: Name,
    /// Its pixels on the sheet.
    pub rect: Rect,
    /// The line of the list it stands on, from 1.
    pub line: usize,
}

/// Why a list does not fit a sheet.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum RectError {
    /// A rectangle without a pixel.
    #[error("line {line}: '{name}' is {size} px, which is empty")]
    Empty {
        /// The line.
        line: usize,
        /// The frame.
        name: Name,
        /// Its size.
        size: Size,
    },
    /// A rectangle that extends beyond the sheet.
    #[error("line {line}: '{name}' at {rect} extends beyond the sheet of {sheet} px")]
    Outside {
        /// The line.
        line: usize,
        /// The frame.
        name: Name,
        /// Its place.
        rect: Rect,
        /// The sheet's size.
        sheet: Size,
    },
}

/// Cuts a sheet at given places. Places may overlap: frames often share pixels.
pub fn cut_rects(sheet: &Pixels, rects: &[NamedRect]) -> Result<Vec<(NamedRect, Pixels)>, RectError> {
    let cut = |named: &NamedRect| {
        let (line, name, rect) = (named.line, named.name.clone(), named.rect);
        if rect.is_empty() {
            return Err(RectError::Empty { line, name, size: rect.size() });
        }
        let outside = RectError::Outside { line, name, rect, sheet: sheet.size() };
        Ok((named.clone(), sheet.crop(rect).ok_or(outside)?))
    };
    rects.iter().map(cut).collect()
}

/// A part of a sheet as a frame that knows where it came from.
pub fn frame_from_rect(
    sprite: &Name,
    name: Name,
    pixels: Pixels,
    file: &str,
    rect: Rect,
    cell: Option<Cell>,
) -> Result<Frame, FrameError> {
    let source = FrameSource { file: file.to_owned(), rect: Some(rect), cell, ..FrameSource::default() };
    Ok(Frame::new(sprite.clone(), name, pixels)?.with_source(Some(source)))
}
