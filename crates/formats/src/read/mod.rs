//! Files in.
//!
//! [`image`] decodes one picture or animation by what its bytes say, not by its ending; [`source`] takes
//! whatever a person points at (a manifest, an image, an animation, a folder) and gives the frames.
//! Nothing is cut here: a sheet comes in as one frame.

mod composite;
mod film;
mod folder;
mod gif;
mod image;
mod list;
mod places;
mod png;
mod rects;
mod source;
mod still;
mod webp;
mod y4m;

pub(crate) use image::bytes_of;
pub use image::{Animation, Format, ImageInfo, Loaded, Moment, Picture, image};
pub use places::places;
pub use rects::rects;
pub(crate) use source::file_name;
pub use source::{Gathered, Remark, animation_frames, manifest_of, source, sources, sprite_name};

/// How much a file may ask for before it is refused, and what is taken of a broken one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// Pixels of one picture.
    pub pixels: u64,
    /// Frames of one animation.
    pub frames: u32,
    /// Take the whole frames of an animation that breaks off.
    pub accept_truncated: bool,
    /// Take images of a set whose size was changed since.
    pub accept_edits: bool,
}

impl Limits {
    /// Pixels of all frames of one animation together: eight pictures of the largest size.
    pub(crate) fn film_pixels(&self) -> u64 {
        self.pixels.saturating_mul(8)
    }
}

impl Default for Limits {
    fn default() -> Self {
        Self { pixels: 1 << 28, frames: 10_000, accept_truncated: false, accept_edits: false }
    }
}
