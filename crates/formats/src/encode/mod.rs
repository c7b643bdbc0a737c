//! Images, animations, sets and atlases as files.
//!
//! [`set`], [`atlas`] and [`animation`] know which files belong together; the rest encode bytes. What a person changed in a
//! manifest or a picture is merged here; the [`store`](crate::store) puts everything in place. Nothing here decides what a
//! picture shows.

mod animation;
mod apng;
mod atlas;
mod batch;
mod chunk;
mod gif;
mod guide_sheet;
mod open_raster;
mod overrides;
mod page;
mod paint;
mod replacement;
mod set;
mod single;
mod webp;
mod y4m;

pub use animation::{AnimationFormat, AnimationReport, animation};
pub use atlas::{AtlasReport, PageFile, PaletteOutcome, atlas, stale_scales, stem_of as atlas_stem};
pub use guide_sheet::guide_sheet;
#[cfg(test)]
pub(crate) use open_raster::archive;
pub use open_raster::painting;
pub use overrides::override_columns;
pub use page::{PageEncoding, PageFormat, PngSize, QuantizationError, png};
pub(crate) use replacement::{fault_of_manifest, sprites_of_manifest};
pub use set::{set, set_in_place};
pub use single::{bytes, clips, fresh_bytes, html, images_manifest, pictures, sheet_manifest};
