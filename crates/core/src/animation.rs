use image::RgbaImage;

use crate::clip::FrameDuration;

/// Images with their times: an animation ready to be encoded or shown.
#[derive(Clone, Debug)]
pub struct RenderedAnimation {
    /// What is shown, and for how long. At least one; all of one size.
    pub images: Vec<(RgbaImage, FrameDuration)>,
    /// How many times it plays; 0 is forever.
    pub plays: u32,
}
