//! The whole work of shibori as a library: sheets into frames, frames lined up, clips named, atlases packed.
//!
//! [`options`] say what is wanted: plain structs that a command line, a recipe or code fills. [`steps`] do it: each takes
//! options and a source and gives an outcome. [`plan`] is the one order in which frames are changed. A [`Context`] holds
//! limits, hears [`Notice`]s, and owns the transaction through which every file goes: nothing is in place before
//! [`Context::commit`].
//!
//! A [`recipe`] holds the options of many steps, and a [`build`] does it, and only what changed.
//!
//! Nothing here prints or asks a terminal, and nothing but watching reads a clock; [`Error`]s are values that name no option.
//!
//! Frames that are in memory need no file at all:
//!
//! ```
//! use shibori_core::Pixels;
//! use shibori_pipeline::options::{AdjustOptions, CutOptions, PackOptions, ShapeOptions, SliceOptions};
//! use shibori_pipeline::steps::{adjust, pack, slice};
//! use shibori_pipeline::{Context, NoopObserver, Source};
//!
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! // Two cells of 32x32 px, with a figure of 8x20 px that stands 3 px further to the right in the second.
//! let figure = |x: u32, y: u32| (8..16).contains(&x) && (10..30).contains(&y);
//! let sheet = image::RgbaImage::from_fn(64, 32, |x, y| {
//!     let solid = if x < 32 { figure(x, y) } else { figure(x.saturating_sub(32 + 3), y) };
//!     image::Rgba(if solid { [200, 90, 30, 255] } else { [0; 4] })
//! });
//! let sheet = Source::sheet("heron.png", Pixels::from_image(sheet));
//!
//! let cx = Context::new(&NoopObserver);
//! let cut = CutOptions { grid: Some("2x1".parse()?), ..Default::default() };
//! let sliced = slice(&[sheet], &SliceOptions { cut, ..Default::default() }, &cx)?;
//!
//! let shape = ShapeOptions { align: Some("center".parse()?), pivot: Some("feet".parse()?), ..Default::default() };
//! let frames = Source::frames("heron", sliced.set);
//! let adjusted = adjust(&frames, &AdjustOptions { shape, ..Default::default() }, &cx)?;
//! assert_eq!(adjusted.frames[1].shift.map(|shift| shift.x), Some(-3));
//!
//! // Lined up, both frames are the same picture: they share one place.
//! let packed = pack(&[Source::frames("heron", adjusted.set)], &PackOptions::default(), &cx)?;
//! assert_eq!(packed.atlases[0].rects_on(0).len(), 1);
//! # Ok(())
//! # }
//! ```
//!
//! A game's build script packs a folder:
//!
//! ```no_run
//! use std::path::Path;
//!
//! use shibori_pipeline::options::PackOptions;
//! use shibori_pipeline::steps::{pack, stage_atlases};
//! use shibori_pipeline::{Context, Error, NoopObserver};
//!
//! fn main() -> Result<(), Error> {
//!     let cx = Context::new(&NoopObserver);
//!     let options = PackOptions::default();
//!     let packed = pack(&[Path::new("art").into()], &options, &cx)?;
//!     stage_atlases(&packed, Path::new("build/pond"), &options, &cx)?;
//!     // build/pond.json and build/pond.png are there now, or all is as it was.
//!     cx.commit()
//! }
//! ```

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
