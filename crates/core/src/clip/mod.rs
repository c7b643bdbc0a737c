//! Clips: named sequences of frames with exact times.
//!
//! [`ClipSpec`] is what a person types (`swim = 0-7 @12fps`), [`Clip`] what a set holds. Times are whole
//! ticks of a clip's own clock, so that every rate and every total is exact and nothing adds up wrong. [`RowList`] names the
//! rows of a sheet in one go; the functions beside them change clips that are there.

#[allow(clippy::module_inception)] // The noun of the file is the clip.
mod clip;
mod edit;
mod grammar;
mod rows;
mod timing;

pub use clip::{Clip, ClipError, Play, Step};
pub use edit::{EditError, EventSpec, Factor, Rate, Renaming, drop_clip, fit, rename_clip, set_event, speed};
pub use grammar::{ApplyError, ClipSpec, add_clips};
pub use rows::{RowError, RowList};
pub(crate) use timing::gcd;
pub use timing::{Span, TimeError};
