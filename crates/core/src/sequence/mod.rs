//! What a set holds of a clip: steps, each a frame and an exact time. Below both [`FrameSet`](crate::FrameSet), which holds
//! clips, and [`clip`](crate::clip), which makes and changes them on a set.
//!
//! Times are whole ticks of a clip's own clock, so that every rate and every total is exact and nothing adds up wrong.

mod clip;
mod timing;

pub(crate) use clip::playback_text;
pub use clip::{Clip, ClipError, Step};
pub use shibori_play::{Clock, PlayMode, Timed};
pub use timing::{FrameDuration, TimeError, common_clock};
