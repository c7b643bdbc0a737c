//! A manifest's text as values, and its pages' pixels as they are meant. Opens no file.

use image::RgbaImage;
use serde::Deserialize;
use shibori_core::Pixels;

use crate::ReadProblem;
use crate::manifest::{Alpha, FORMAT, Manifest, Page};

/// Reads a manifest's text.
///
/// # Errors
/// Where it is no JSON, no manifest, of an unknown format number, or a key has a wrong value.
pub fn parse(bytes: &[u8]) -> Result<Manifest, ReadProblem> {
    // What some editors put before a text.
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    #[derive(Deserialize)]
    struct Stamp {
        format: Option<String>,
    }
    let stamp: Stamp = serde_json::from_slice(bytes).map_err(|error| json(&error))?;
    match stamp.format.as_deref() {
        Some(FORMAT) => serde_json::from_slice(bytes).map_err(|error| json(&error)),
        Some(other) => Err(ReadProblem::UnknownFormat(other.to_owned())),
        None => Err(ReadProblem::NotAManifest),
    }
}

fn json(error: &serde_json::Error) -> ReadProblem {
    let text = error.to_string();
    let why = text.split(" at line ").next().unwrap_or(&text).to_owned();
    ReadProblem::Json { line: error.line(), column: error.column(), why }
}

/// A page's pixels with straight alpha, however the file keeps them.
pub fn as_seen(page: &Page, pixels: Pixels) -> Pixels {
    match page.alpha {
        Alpha::Straight => pixels,
        Alpha::Premultiplied => Pixels::from_image(straightened(pixels.to_image())),
    }
}

/// Colors divided by their alpha, rounded to nearest. What premultiplying rounded away stays lost.
fn straightened(mut image: RgbaImage) -> RgbaImage {
    for pixel in image.pixels_mut() {
        let alpha = u32::from(pixel[3]);
        for channel in 0..3 {
            let full = (u32::from(pixel[channel]) * 255 + alpha / 2).checked_div(alpha);
            pixel[channel] = full.unwrap_or(0).min(255) as u8;
        }
    }
    image
}
