//! QOI.

use image::codecs::qoi::QoiEncoder;
use image::{ExtendedColorType, ImageEncoder, RgbaImage};

use crate::WriteProblem;

pub(super) fn qoi(image: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    let mut bytes = Vec::new();
    let encoded = QoiEncoder::new(&mut bytes).write_image(
        image.as_raw(),
        image.width(),
        image.height(),
        ExtendedColorType::Rgba8,
    );
    encoded.map_err(|error| WriteProblem::Format(error.to_string()))?;
    Ok(bytes)
}
