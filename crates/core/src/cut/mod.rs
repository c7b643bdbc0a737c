//! A sheet into frames.
//!
//! [`Grid`] is the arithmetic of columns and rows, [`cut_cells`] looks at the pixels, [`Cut::into_frames`]
//! makes them frames of a sprite. Cutting never changes or copies a pixel.

mod analysis;
mod cells;
mod crossings;
mod grid;
mod infer;
mod islands;
mod occupancy;
mod rects;
mod seams;

pub use analysis::SheetAnalysis;
pub use cells::{BlankCells, CellChoice, Cut, CutCell, ReadOrder, cut_cells};
pub use crossings::{Crossing, Side, find_crossings};
pub use grid::{Axis, Counts, CutError, Grid, Spacing, nearest_divisors};
pub use infer::{
    Doubt, GridCandidate, GridDetection, NameHints, RuledGrid, TERMS, Term, Terms, Weights, detect_grid,
    detect_grid_with_hints, judge_grids, ruled_grid,
};
pub use islands::{Island, IslandOptions, Islands, islands};
pub use rects::{NamedRect, RectError, cut_rects, frame_from_rect};
