//! PNG, true colour with alpha.

use ::png::{BitDepth, ColorType, Compression, Encoder, EncodingError, Filter};
use image::RgbaImage;

use crate::WriteProblem;
use crate::write::seal;

/// The bytes of a PNG.
pub fn png(image: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    encode(image).map(seal::png).map_err(|error| problem(&error))
}

fn encode(image: &RgbaImage) -> Result<Vec<u8>, EncodingError> {
    let mut bytes = Vec::new();
    let mut writer = encoder(&mut bytes, image).write_header()?;
    writer.write_image_data(image)?;
    writer.finish()?;
    Ok(bytes)
}

/// The settings of every PNG written.
pub(super) fn encoder<'a>(bytes: &'a mut Vec<u8>, image: &RgbaImage) -> Encoder<'static, &'a mut Vec<u8>> {
    let mut encoder = Encoder::new(bytes, image.width(), image.height());
    encoder.set_color(ColorType::Rgba);
    encoder.set_depth(BitDepth::Eight);
    encoder.set_compression(Compression::Balanced);
    encoder.set_filter(Filter::Adaptive);
    encoder
}

pub(super) fn problem(error: &EncodingError) -> WriteProblem {
    WriteProblem::Format(error.to_string())
}
