//! TGA with run lengths and the footer of version 2, which is added with the seal.

use image::codecs::tga::TgaEncoder;
use image::{ExtendedColorType, ImageEncoder, RgbaImage};

use crate::WriteProblem;

pub(super) fn tga(image: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    let (width, height) = image.dimensions();
    if width > u32::from(u16::MAX) || height > u32::from(u16::MAX) {
        let text = format!("a TGA is at most 65535 px wide and high, this is {width}x{height} px");
        return Err(WriteProblem::Format(text));
    }
    let mut bytes = Vec::new();
    let encoded =
        TgaEncoder::new(&mut bytes).write_image(image.as_raw(), width, height, ExtendedColorType::Rgba8);
    encoded.map_err(|error| WriteProblem::Format(error.to_string()))?;
    Ok(bytes)
}
