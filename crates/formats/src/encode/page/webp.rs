//! WebP, lossless, in the extended layout that allows for more chunks.

use image::RgbaImage;
use image_webp::{ColorType, WebPEncoder};

use shibori_core::Size;

use crate::WriteProblem;

/// The longest side the format holds.
const LONGEST: u32 = 16_383;

/// A picture in the extended layout.
pub(in crate::encode) fn webp(image: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    let (width, height) = image.dimensions();
    if width > LONGEST || height > LONGEST {
        let size = Size::new(width, height);
        return Err(WriteProblem::TooLarge { format: "WebP", longest: LONGEST, size });
    }
    let mut plain = Vec::new();
    let encoder = WebPEncoder::new(&mut plain);
    let encoded = encoder.encode(image.as_raw(), width, height, ColorType::Rgba8);
    encoded.map_err(|error| WriteProblem::Format(error.to_string()))?;
    // "RIFF", the length, "WEBP", then the picture's chunk, before which the extended layout wants its own.
    let mut bytes = plain[..12].to_vec();
    let [w, h] = [width - 1, height - 1].map(u32::to_le_bytes);
    const HAS_ALPHA: u8 = 0x10;
    bytes.extend(b"VP8X");
    bytes.extend(10u32.to_le_bytes());
    bytes.extend([HAS_ALPHA, 0, 0, 0, w[0], w[1], w[2], h[0], h[1], h[2]]);
    bytes.extend(&plain[12..]);
    Ok(bytes)
}
