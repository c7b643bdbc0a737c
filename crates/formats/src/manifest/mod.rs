//! The manifest `shibori/1`: the JSON that says what is where.
//!
//! [`Manifest`] is the file as it stands, [`parse`] reads it; [`of_set`] and
//! [`of_atlas`] describe what is about to be written; [`Manifest::to_text`] is the text, one frame a
//! line so that a change shows as one line; [`schema`] is its JSON Schema. Keys this version does not
//! know survive from reading to writing.

mod carried;
pub(crate) mod merge;
mod model;
mod parse;
mod paths;
mod save;
mod text;

pub(crate) use carried::carry;
pub use model::{
    Alpha, ClipEntry, Coordinate, FrameEntry, GridEntry, Manifest, PageEntry, Sampling, SourceEntry,
    StepEntry,
};
pub use parse::{as_seen, parse};
pub(crate) use paths::{images_of_page, page_files, page_path};
pub use save::{PageInfo, UvOrigin, of_atlas, of_images, of_set, of_sheet, replace_clips};
pub(crate) use save::{SetPicture, pictures_of, uv_of};

/// The format this version reads and writes.
pub const FORMAT: &str = "shibori/1";

/// The manifest's name in a set's folder.
pub const SET_FILE: &str = "frames.json";

/// The JSON Schema (2020-12) of the manifest. It is made from [`Manifest`] and kept as a file; a test holds the two together,
/// so that the program needs nothing that makes schemas.
pub fn schema() -> &'static str {
    include_str!("../../schema/manifest.schema.json")
}

#[cfg(test)]
mod tests;
