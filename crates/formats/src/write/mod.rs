//! Files out.
//!
//! [`Transaction`] puts the files of a run in place all together and never over a file that is not ours; [`set`], [`atlas`]
//! and [`film`] know what belongs together; the rest encode bytes. Nothing here decides what a picture
//! shows.

mod apng;
mod atlas;
mod chunk;
mod disk;
#[cfg(test)]
mod faults;
mod film;
mod gif;
mod guide;
mod names;
mod os_text;
mod page;
mod replace;
mod room;
pub(crate) mod seal;
mod set;
mod single;
mod staging;
mod transaction;

pub use atlas::{AtlasReport, PageFile, atlas, stem_of as atlas_stem};
pub use film::{FilmFormat, FilmReport, film};
pub use guide::guide;
pub use os_text::OsText;
pub use page::{Loss, PageEncoding, PageFormat, PngSize, png};
pub use set::{set, set_in_place};
pub use single::{bytes, clips, images_manifest, pictures, sheet_manifest};
pub use staging::{Abandoned, abandon, heal};
pub use transaction::{Batch, Policy, Transaction, Written};
