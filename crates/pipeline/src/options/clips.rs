//! Named sequences.

use serde::{Deserialize, Serialize};
use shibori_core::clip::{ClipSpec, EventSpec, FrameRate, Renaming, RowList};

use shibori_core::Ratio;

use crate::options::value::{text, texts};

/// Named sequences of frames, with their times.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", command(next_help_heading = "Clips"))]
pub struct ClipOptions {
    /// A clip: "NAME = FRAMES [@TIME] [PLAY]", such as "walk = 0-5 @12fps", "leap = r2 @total 0.8s once",
    /// "idle = 0-3@80ms,4x2@240ms bounce", "back = 5-0" (animation, tag; duration or rate, loop or once, ping-pong as
    /// bounce, reverse order); repeatable
    #[cfg_attr(feature = "clap", arg(long, value_name = "CLIP"))]
    #[serde(with = "texts")]
    pub clip: Vec<ClipSpec>,
    /// Names of the sheet's rows in order, one clip each: "idle,walk@12fps,-,leap once"; - skips a row, walk-{dir8}
    /// names eight rows clockwise from north ({dir:e,ne,n} sets another order)
    #[cfg_attr(feature = "clap", arg(long, value_name = "NAMES", allow_hyphen_values = true))]
    #[serde(with = "text")]
    pub clip_rows: Option<RowList>,
    /// Add an event to a step: CLIP@STEP=NAME, such as leap@3=splash; repeatable
    #[cfg_attr(feature = "clap", arg(long, value_name = "EVENT"))]
    #[serde(with = "texts")]
    pub event: Vec<EventSpec>,
}

/// Changes of clips that are there already, beside new ones.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", command(next_help_heading = "Changes"))]
pub struct ClipEdits {
    /// Remove a clip but keep its frames
    #[cfg_attr(feature = "clap", arg(long, value_name = "CLIP"))]
    #[serde(with = "texts")]
    pub drop: Vec<String>,
    /// Rename a clip
    #[cfg_attr(feature = "clap", arg(long, value_name = "OLD=NEW"))]
    #[serde(with = "texts")]
    pub rename: Vec<Renaming>,
    /// Multiply the playback speed: 2, 0.5, 1/3
    #[cfg_attr(feature = "clap", arg(long, value_name = "F"))]
    #[serde(with = "text")]
    pub speed: Option<Ratio>,
    /// Round step times to a frame rate, such as 24fps, and report the error
    #[cfg_attr(feature = "clap", arg(long, value_name = "RATE"))]
    #[serde(with = "text")]
    pub snap: Option<FrameRate>,
}
