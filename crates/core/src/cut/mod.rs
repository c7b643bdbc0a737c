//! A sheet into frames.
//!
//! [`Grid`] is the arithmetic of columns and rows, [`cut_cells`] looks at the pixels, [`Cut::into_frames`]
//! makes them frames of a sprite. Cutting never changes or copies a pixel.

mod cells;
mod crossings;
mod grid;
mod infer;
mod islands;
mod letters;
mod rects;
mod seams;

pub use cells::{BlankCells, CellChoice, Cut, CutCell, ReadOrder, cut_cells};
pub use crossings::{Crossing, Side, find_crossings};
pub use grid::{Axis, Counts, CutError, Grid, Spacing, nearest_divisors};
pub use infer::{
    Certainty, GridCandidate, GridDetection, NameHints, RuledGrid, detect_grid, detect_grid_with_hints,
    ruled_grid,
};
pub use islands::{Island, IslandOptions, Islands, islands};
pub use rects::{NamedRect, RectError, cut_rects, frame_from_rect};
