//! PNG, true color with alpha or indexed.

use ::png::{BitDepth, ColorType, Compression, Encoder, EncodingError, Filter};
use image::RgbaImage;

use crate::WriteProblem;
use crate::encode::page::{Palette, PngSize, rgba};
use crate::store::seal;

/// The bytes of a PNG as all pictures but pages are written.
pub fn png(image: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    rgba::png(image, PngSize::Usual).map(seal::png)
}

/// The same without a seal, for a picture that is a person's work.
pub(in crate::encode) fn unsealed_png(image: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    rgba::png(image, PngSize::Usual)
}

/// One number a pixel, as few bits as the palette allows.
pub(super) fn indexed(image: &RgbaImage, palette: &Palette, size: PngSize) -> Result<Vec<u8>, WriteProblem> {
    let colors = palette.colors();
    let (depth, bits) = match colors.len() {
        0..=2 => (BitDepth::One, 1),
        3..=4 => (BitDepth::Two, 2),
        5..=16 => (BitDepth::Four, 4),
        _ => (BitDepth::Eight, 8),
    };
    let indices = palette.indices(image);
    let packed: Vec<u8> = indices.chunks(image.width() as usize).flat_map(|row| packed(row, bits)).collect();
    let mut bytes = Vec::new();
    let mut encoder = Encoder::new(&mut bytes, image.width(), image.height());
    encoder.set_color(ColorType::Indexed);
    encoder.set_depth(depth);
    encoder.set_palette(colors.iter().flat_map(|[r, g, b, _]| [*r, *g, *b]).collect::<Vec<u8>>());
    encoder.set_trns(colors.iter().map(|color| color[3]).collect::<Vec<u8>>());
    encoder.set_compression(compression(size));
    // Numbers of colors have no neighbors to be predicted from.
    encoder.set_filter(Filter::NoFilter);
    finished(encoder, &packed).map_err(|error| problem(&error))?;
    Ok(bytes)
}

fn packed(row: &[u8], bits: usize) -> Vec<u8> {
    let pack = |part: &[u8]| {
        part.iter().enumerate().fold(0, |byte, (at, index)| byte | index << (8 - bits * (at + 1)))
    };
    row.chunks(8 / bits).map(pack).collect()
}

/// The same pixels in the fewest bytes: every filter and color type is tried.
pub(super) fn smallest(bytes: &[u8]) -> Result<Vec<u8>, WriteProblem> {
    let options = oxipng::Options::from_preset(4);
    oxipng::optimize_from_memory(bytes, &options).map_err(|error| WriteProblem::Format(error.to_string()))
}

fn finished(encoder: Encoder<'_, &mut Vec<u8>>, data: &[u8]) -> Result<(), EncodingError> {
    let mut writer = encoder.write_header()?;
    writer.write_image_data(data)?;
    writer.finish()
}

fn compression(size: PngSize) -> Compression {
    match size {
        PngSize::Quick => Compression::Fast,
        // What is made smaller later need not be small now.
        PngSize::Small => Compression::Fast,
        PngSize::Usual => Compression::Balanced,
    }
}

/// The settings of every PNG written.
pub(in crate::encode) fn encoder<'a>(
    bytes: &'a mut Vec<u8>,
    image: &RgbaImage,
) -> Encoder<'static, &'a mut Vec<u8>> {
    let mut encoder = Encoder::new(bytes, image.width(), image.height());
    encoder.set_color(ColorType::Rgba);
    encoder.set_depth(BitDepth::Eight);
    encoder.set_compression(Compression::Balanced);
    encoder.set_filter(Filter::Adaptive);
    encoder
}

pub(in crate::encode) fn problem(error: &EncodingError) -> WriteProblem {
    WriteProblem::Format(error.to_string())
}
