//! Clips of a set: made, named and changed.
//!
//! [`ClipSpec`] is what a person types (`swim = 0-7 @12fps`), [`RowList`] names the rows of a sheet in one go; the functions
//! beside them change clips that are there. What a set holds of a clip is [`Clip`].

mod edit;
mod grammar;
mod rows;

pub use crate::sequence::{Clip, ClipError, Play, Span, Step, TimeError};
pub use edit::{EditError, EventSpec, Rate, Renaming, drop_clip, fit, rename_clip, set_events, speed};
pub use grammar::{ApplyError, ClipSpec, add_clips};
pub use rows::{EmptyRow, RowClips, RowError, RowList};
