//! The whole work of shibori as a library: sheets into frames, frames lined up, clips named, atlases packed.
//!
//! [`options`] say what is wanted: plain structs that a command line, a recipe or code fills. [`steps`] do it: each takes
//! options and a source and gives an outcome. [`plan`] is the one order in which frames are changed. A [`Context`] holds
//! limits, hears [`Notice`]s, and owns the transaction through which every file goes: nothing is in place before
//! [`Context::commit`].
//!
//! A [`recipe`] holds the options of many steps, and a [`build`] does it, and only what changed.
//!
//! Nothing here prints, asks a terminal or reads the environment, or standard input unless
//! [`ReadOptions`](shibori_formats::decode::ReadOptions) say so. The store looks at the clock to know whether a file's time can be
//! trusted, and watching waits by it; no output depends on it. [`Error`]s are values that name no option.
#![doc = include_str!("../README.md")]

pub mod build;
pub mod options;
pub mod plan;
pub mod recipe;
pub mod steps;

mod command_line;
mod context;
mod error;
mod notice;
mod notice_text;
mod paths;
pub mod remedy;
mod source;

pub use command_line::CommandLine;
pub use context::{Context, NoopObserver, Observer, Task};
pub use error::{ClipsError, Error, ExportInputError, GuideError, LimitError, SheetError, SizeCause};
pub use notice::Notice;
pub use shibori_formats::system::{available_memory, peak_memory};
pub use source::Source;
