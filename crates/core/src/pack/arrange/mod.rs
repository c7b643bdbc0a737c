//! Places for rectangles, from their sizes alone.
//!
//! The one door is [`dense`]: sizes in, spots and page sizes out. What is behind it may change without
//! anything else noticing. Nothing here sees a pixel or a name.

mod maxrects;
mod niche;
mod search;

use crate::Size;

pub(super) use search::dense;

/// Where a piece lies.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Spot {
    pub(super) page: usize,
    pub(super) x: u32,
    pub(super) y: u32,
}

/// A spot for every piece, in the pieces' order, and the pages they need.
#[derive(Clone, Debug, Default)]
pub(super) struct Arranged {
    pub(super) spots: Vec<Spot>,
    pub(super) pages: Vec<Size>,
}
