//! What can be asked for. One file a group of options: plain structs whose types allow no wrong value, filled by a command
//! line (feature `clap`), by serde from a recipe, or by hand.
//!
//! Every option distinguishes "unset" from any value; defaults are applied last, by the accessor methods. What
//! contradicts is checked by each group's `validate`, which every step calls first. Paths are as the user wrote them;
//! [`Context::at`](crate::Context::at) says which file is meant.

// What is said of an option is also its help on a command line, where brackets are no links.
#![allow(rustdoc::broken_intra_doc_links)]

mod clean;
mod clips;
mod commands;
mod contradiction;
mod cut;
mod pack;
mod page;
mod picture;
mod run;
mod shape;
pub(crate) mod value;
mod write;

pub use clean::CleanOptions;
pub use clips::{ClipEdits, ClipOptions};
pub use commands::{
    AdjustOptions, Allowance, ChangesOptions, CheckOptions, ClipCommand, ContactOptions, DriftOptions,
    ExportFormat, ExportOptions, FilterOption, GridPreviewOptions, GuideOptions, HtmlOptions, MotionOptions,
    OnionOptions, PackOptions, PagesOptions, RecipeRule, SliceOptions, Unit, UnpackOptions,
};
pub use contradiction::{OptionConflict, Requirement};
pub use cut::CutOptions;
pub use pack::{ArrangeOptions, LayoutName, PAGE_MAX, PickOptions};
pub use page::PageOptions;
pub use picture::{HeightOption, OverlayPart, ShowOption, WidthOption, ZoomOption};
pub use run::{Accept, RunOptions};
pub use shape::ShapeOptions;
pub use value::{AmountError, BoundedInt, DEFAULT, Flag, NonNegative, WholeError};
pub use write::{command_words, recipe_tables, toml_key, toml_string};

/// What an option is called that had another name once.
pub fn current_name(option: &str) -> Option<&'static str> {
    const NAMES: [(&str, &str); 3] =
        [("allow-turn", "allow-rotation"), ("places", "per-frame"), ("fit", "snap")];
    NAMES.iter().find(|(old, _)| *old == option).map(|(_, new)| *new)
}

#[cfg(test)]
mod tests;
