//! The work of every command: functions from options and inputs to an outcome. They print nothing, read no clock and ask no
//! terminal; files go into the context's transaction and are in place once that is committed.

mod adjust;
mod check;
mod clip;
mod clip_override;
mod draft;
mod export;
mod guide_sheet;
mod inspect;
mod loading;
mod lowering;
mod namesakes;
mod pack;
mod preview;
mod sheet;
mod slice;
mod slice_sources;
mod unpack;

pub use adjust::{AdjustTarget, Adjusted, ChangedProperty, FrameAdjustment, adjust, stage_adjusted};
pub use check::{CheckReport, FindingGroup, check};
pub use clip::{ClipOutcome, clip, edit_clips};
pub(crate) use clip_override::replace_clip_frames;
pub use draft::{Draft, DraftCut, DraftSprite, draft};
pub(crate) use export::template_ending;
pub use export::{Exported, export, export_by_text, stage_export, starter};
pub use guide_sheet::guide_sheet;
pub use inspect::{
    GridAnalysis, ImageContent, ImageReport, Inspected, IslandReading, SequenceReport, Transparency, inspect,
};
pub(crate) use loading::folder_of_set;
pub use loading::open_in_place;
pub use pack::{Packed, pack, stage_atlases};
pub use preview::{
    Comparison, CutImage, HtmlPage, Motion, MotionContent, RenderedPreview, TableTarget, View, WrittenView,
};
pub use slice::{
    CutMethod, ShapeOutcome, SheetReport, Sliced, SpriteInput, default_set, slice, slice_manifests,
    slice_sprite, stage_set,
};
pub use unpack::{stage_painting, unpack};
