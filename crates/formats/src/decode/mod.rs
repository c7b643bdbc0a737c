//! Files in.
//!
//! [`image`] decodes one picture or animation by what its bytes say, not by its ending; [`source`] takes
//! whatever a person points at (a manifest, an image, an animation, a folder) and gives the frames.
//! Nothing is cut here: a sheet comes in as one frame.

mod animation;
mod codec;
mod composite;
mod folder;
mod frames;
mod gif;
mod image;
pub(crate) mod open_raster;
mod outcome;
mod overrides;
mod png;
mod records;
mod rects;
pub(crate) mod set;
mod source;
mod still;
mod webp;
mod y4m;

pub use codec::{
    Animation, AnimationFrame, DecodedFile, DecodedImage, Format, ImageInfo, Layer, LayerLoss, LayeredImage,
    ReadLoss, ReadOptions,
};
pub use folder::{images_in, is_image, is_numbered, names_in, read as images_of, sequence_of, subfolders};
pub use frames::{animation_frames, frames_of_still};
pub use image::{image, image_from_bytes, read_bytes};
pub use open_raster::layer_frames;
pub(crate) use outcome::file_name;
pub use outcome::{LoadedFrames, ReadNotice, sprite_name};
pub use overrides::overrides;
pub use rects::rects;
pub use set::{
    CompanionFault, companion_problems, frames_from_pages, load, load_without_pages, manifest_images,
    pages_of, previous_placements,
};
pub(crate) use set::{LoadedPage, companion_specs, open_manifest, open_manifest_alone};
pub use source::{manifest_of, memory_for, source, sources};
