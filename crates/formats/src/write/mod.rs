//! Files out.
//!
//! [`Outputs`] puts files in place all or nothing and never over a file that is not ours; [`set`], [`atlas`]
//! and [`film`] know what belongs together; the rest encode bytes. Nothing here decides what a picture
//! shows.

mod apng;
mod atlas;
mod film;
mod gif;
mod guide;
mod names;
mod outputs;
mod page;
pub(crate) mod seal;
mod set;
mod single;

pub use atlas::{AtlasFiles, AtlasReport, PageFile, atlas, atlas_files};
pub use film::{FilmFormat, FilmReport, film};
pub use guide::guide;
pub use outputs::{Outputs, Policy, Written};
pub use page::{Loss, PageFormat, PageOptions, PngSize, png};
pub use set::{SetFiles, set, set_files};
pub use single::{bytes, clips, picture, sheet_manifest};
