//! Files out.
//!
//! [`set`], [`atlas`] and [`film`] know which files belong together; the rest encode bytes. What a person changed in a
//! manifest or a picture is merged here; the [`store`](crate::store) puts everything in place. Nothing here decides what a
//! picture shows.

mod apng;
mod atlas;
mod chunk;
mod film;
mod gif;
mod guide;
mod page;
mod paint;
mod replacement;
mod room;
mod set;
mod single;

pub use atlas::{AtlasReport, PageFile, atlas, stem_of as atlas_stem};
pub use film::{AnimationFormat, AnimationReport, film};
pub use guide::guide;
pub use page::{Loss, PageEncoding, PageFormat, PngSize, png};
pub(crate) use replacement::{fault_of_manifest, sprites_of_manifest};
pub use set::{set, set_in_place};
pub use single::{bytes, clips, fresh_bytes, images_manifest, pictures, sheet_manifest};
