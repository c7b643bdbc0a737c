//! Named sequences.

use clap::Args;
use serde::Deserialize;
use shibori_core::FrameSet;
use shibori_core::clip::{ApplyError, ClipSpec, add_clips};

use crate::args::value::texts;

#[derive(Args, Clone, Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[command(next_help_heading = "Clips")]
pub(crate) struct ClipArgs {
    /// A clip: "NAME = FRAMES [@TIME] [PLAY]", such as "walk = 0-5 @12fps", "leap = r2 @total 0.8s once",
    /// "idle = 0-3@80ms,4x2@240ms bounce"; may be given several times
    #[arg(long, value_name = "CLIP")]
    #[serde(deserialize_with = "texts")]
    pub(crate) clip: Vec<ClipSpec>,
}

impl ClipArgs {
    pub(crate) fn apply(&self, set: FrameSet) -> Result<FrameSet, ApplyError> {
        add_clips(set, &self.clip)
    }
}
