//! A sheet into frames.
//!
//! [`Grid`] is the arithmetic of columns and rows, [`cut_cells`] looks at the pixels, [`Cut::into_frames`]
//! makes them frames of a sprite. Cutting never changes or copies a pixel.

mod cells;
mod dots;
mod grid;
mod infer;
mod islands;
mod rects;
mod seams;
mod through;

pub use cells::{BlankCells, CellChoice, Cut, CutCell, ReadOrder, cut_cells};
pub use grid::{Axis, Counts, CutError, Grid, Spacing, nearest_divisors};
pub use infer::{Certainty, GridCandidate, GridDetection, NameHints, detect_grid, detect_grid_with_hints};
pub use islands::{Island, IslandOptions, Islands, islands};
pub use rects::{NamedRect, RectError, cut_rects, frame_from_rect};
pub use through::{Crossing, Side, find_crossings};
