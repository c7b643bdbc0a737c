//! Clips of a set: made, named and changed.
//!
//! [`ClipSpec`] is what a person types (`swim = 0-7 @12fps`), [`RowList`] names the rows of a sheet in one go; the functions
//! beside them change clips that are there. What a set holds of a clip is [`Clip`].

mod edit;

pub use crate::grammar::{ApplyError, ClipSpec, EmptyRow, RowClips, RowError, RowList, add_clips};
pub use crate::sequence::{
    Clip, ClipError, Clock, FrameDuration, PlayMode, Step, TimeError, Timed, common_clock,
};
pub use edit::{
    EditError, EventSpec, FrameRate, Renaming, drop_clip, quantize, rename_clips, set_events, speed,
};
