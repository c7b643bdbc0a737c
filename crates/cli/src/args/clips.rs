//! Named sequences.

use clap::Args;
use serde::Deserialize;
use shibori_core::FrameSet;
use shibori_core::clip::{ClipSpec, EventSpec, RowList, add_clips, set_event};

use crate::args::value::{text, texts};
use crate::failure::Failure;

#[derive(Args, Clone, Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[command(next_help_heading = "Clips")]
pub(crate) struct ClipArgs {
    /// A clip: "NAME = FRAMES [@TIME] [PLAY]", such as "walk = 0-5 @12fps", "leap = r2 @total 0.8s once",
    /// "idle = 0-3@80ms,4x2@240ms bounce"; may be given several times
    #[arg(long, value_name = "CLIP")]
    #[serde(deserialize_with = "texts")]
    pub(crate) clip: Vec<ClipSpec>,
    /// Names of the sheet's rows in order, each a clip: "idle,walk@12fps,-,leap once"; - skips a row, and walk-{dir8}
    /// is eight rows clockwise from north ({dir:e,ne,n} gives another order)
    #[arg(long, value_name = "NAMES")]
    #[serde(deserialize_with = "text")]
    pub(crate) clip_rows: Option<RowList>,
    /// Mark a step: CLIP@STEP=NAME, such as leap@3=splash; may be given several times
    #[arg(long, value_name = "EVENT")]
    #[serde(deserialize_with = "texts")]
    pub(crate) event: Vec<EventSpec>,
}

impl ClipArgs {
    pub(crate) fn apply(&self, set: FrameSet) -> Result<FrameSet, Failure> {
        let rows = match &self.clip_rows {
            Some(list) => list.specs(&set)?,
            None => Vec::new(),
        };
        let set = add_clips(set, &rows)?;
        let set = add_clips(set, &self.clip)?;
        Ok(self.event.iter().try_fold(set, set_event)?)
    }
}
