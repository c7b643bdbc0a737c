//! The work of every command: functions from options and inputs to an outcome. They print nothing, read no clock and ask no
//! terminal; files go into the context's transaction and are in place once that is committed.

mod adjust;
mod changes;
mod check;
mod clip;
mod export;
mod gather;
mod guide;
mod html;
mod inspect;
mod pack;
mod pages;
mod preview;
mod sheet;
mod slice;
mod unpack;

pub use adjust::{Adjusted, FrameChange, Target, What, adjust, adjust_set, write_adjusted};
pub use check::{Checked, check};
pub use clip::{Clipped, clip};
pub use export::{Exported, export, starter, write_export};
pub use guide::guide_sheet;
pub use html::{HtmlPage, html};
pub use inspect::{GridReading, Holds, Inspected, Transparency, inspect};
pub use pack::{Packed, pack, pack_set, write_atlases};
pub use preview::{
    CutDrawn, Drawn, Moving, Shows, contact, drift, grid, motion, onion, pages, write_film, write_picture,
};
pub use slice::{How, Shaped, SheetReport, Sliced, default_set, slice, slice_manifests, write_set};
pub use unpack::unpack;
