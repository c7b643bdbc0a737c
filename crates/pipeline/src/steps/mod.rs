//! The work of every command: functions from options and inputs to an outcome. They print nothing, read no clock and ask no
//! terminal; files go into the context's transaction and are in place once that is committed.

mod adjust;
mod changes;
mod check;
mod clip;
mod draft;
mod export;
mod gather;
mod guide;
mod html;
mod inspect;
mod light_table;
mod own;
mod pack;
mod pages;
mod preview;
mod sheet;
mod slice;
mod unpack;

pub use adjust::{Adjusted, FrameChange, Target, What, adjust, adjust_set, write_adjusted};
pub(crate) use check::checked;
pub use check::{CheckReport, check};
pub use clip::{ClipOutcome, clip, clip_set};
pub use draft::{Draft, DraftCut, DraftSprite, draft};
pub(crate) use export::template_ending;
pub use export::{Exported, export, starter, write_export};
pub(crate) use gather::whole;
pub use guide::guide_sheet;
pub use html::{HtmlPage, html, html_of};
pub use inspect::{GridAnalysis, ImageContent, ImageReport, IslandReading, Transparency, inspect};
pub use light_table::{LightTablePage, light_table, light_table_of};
pub(crate) use own::replace_clip_frames;
pub use pack::{Packed, pack, pack_set, write_atlases};
pub use preview::{
    Drawn, MotionContent, RenderedCut, RenderedMotion, contact, contact_of, drift, drift_of, grid, motion,
    motion_of, onion, onion_of, pages, pages_of_set, write_animation, write_pictures,
};
pub use slice::{
    How, ShapeOutcome, SheetReport, Sliced, SpriteInput, default_set, slice, slice_manifests, slice_sprite,
    write_set,
};
pub use unpack::unpack;
