//! Clips: named sequences of frames with exact times.
//!
//! [`ClipSpec`] is what a person types (`swim = 0-7 @12fps`), [`Clip`] what a set holds. Times are whole
//! ticks of a clip's own clock, so that every rate and every total is exact and nothing adds up wrong.

#[allow(clippy::module_inception)] // The noun of the file is the clip.
mod clip;
mod grammar;
mod timing;

pub use clip::{Clip, ClipError, Play, Step};
pub use grammar::{ApplyError, ClipSpec, add_clips};
pub use timing::{Span, TimeError};
