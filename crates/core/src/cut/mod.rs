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

pub use cells::{Blank, CellChoice, Cut, CutCell, Read, cut_cells};
pub use grid::{Across, Counts, CutError, Grid, Spacing, even_counts};
pub use infer::{Certainty, Found, GridCandidate, NameHints, find_grid, find_grid_named};
pub use islands::{Island, IslandOptions, Islands, islands};
pub use rects::{NamedRect, RectError, cut_rects, part_frame};
pub use through::{Side, Through, cut_through};
