//! Sets to draw in tests.

use image::{Rgba, RgbaImage};
use shibori_core::clip::add_clips;
use shibori_core::{Cell, Frame, FrameSet, FrameSource, Name, Pixels};

/// A set of one sprite whose frames are in rows of the given lengths, each 4x4 in a color of its own.
pub(crate) fn rows(sprite: &str, lengths: &[u32]) -> FrameSet {
    let cells =
        (0..).zip(lengths).flat_map(|(row, &length)| (0..length).map(move |column| Cell { row, column }));
    let frame = |(number, cell): (usize, Cell)| {
        let image = RgbaImage::from_pixel(4, 4, Rgba([cell.row as u8, cell.column as u8, 7, 255]));
        let (sprite, name) = (Name::new(sprite), Name::new(format!("{sprite}-{number:02}")));
        let frame = Frame::new(sprite.unwrap(), name.unwrap(), Pixels::from_image(image)).unwrap();
        frame.with_source(Some(FrameSource { cell: Some(cell), ..FrameSource::default() }))
    };
    FrameSet::new(cells.enumerate().map(frame).collect(), Vec::new()).unwrap()
}

/// The set with these clips.
pub(crate) fn with_clips(set: FrameSet, clips: &[&str]) -> FrameSet {
    let specs: Vec<_> = clips.iter().map(|text| text.parse().unwrap()).collect();
    add_clips(set, &specs).unwrap()
}
