//! A manifest's text as values, and its pages' pixels as they are meant. Opens no file.

use image::RgbaImage;
use serde::Deserialize;
use shibori_core::clip::{ClipError, TimeError};
use shibori_core::{Name, Pixels, Rect, SetError, Size};

use crate::ReadProblem;
use crate::manifest::{Alpha, FORMAT, Manifest, PageEntry};

/// Reads a manifest's text and checks that it doesn't contradict itself.
///
/// # Errors
/// If it isn't JSON or a manifest, has an unknown format number, a key has a wrong value, a clip can't play, or a frame isn't
/// on its page.
pub fn parse(bytes: &[u8]) -> Result<Manifest, ReadProblem> {
    // What some editors put before a text.
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    #[derive(Deserialize)]
    struct Stamp {
        format: Option<String>,
    }
    let stamp: Stamp = serde_json::from_slice(bytes).map_err(|error| json(&error))?;
    match stamp.format.as_deref() {
        Some(FORMAT) => {
            let manifest: Manifest = serde_json::from_slice(bytes).map_err(|error| json(&error))?;
            check(&manifest)?;
            Ok(manifest)
        }
        Some(other) => Err(ReadProblem::UnknownFormat(other.to_owned())),
        None => Err(ReadProblem::NotAManifest),
    }
}

/// Checks everything that needs no page, except for duplicate names.
fn check(manifest: &Manifest) -> Result<(), ReadProblem> {
    for frame in manifest.frames.iter().filter(|frame| frame.rect[2] > 0 && frame.rect[3] > 0) {
        let name = || frame.name.clone();
        let count = manifest.pages.len();
        let Some(page) = manifest.pages.get(frame.page) else {
            return Err(ReadProblem::NoPage { frame: name(), page: frame.page, count });
        };
        let [x, y, width, height] = frame.rect;
        let (rect, page) = (Rect::new(x, y, width, height), Size::from((page.size[0], page.size[1])));
        if !rect.lies_in(Rect::of(page)) {
            return Err(ReadProblem::RectOutside { frame: name(), rect, page });
        }
    }
    let count = manifest.frames.len();
    for clip in &manifest.clips {
        let name = || Name::new(clip.name.clone());
        if clip.steps.is_empty() {
            return Err(ClipError::Empty(name()?).into());
        }
        if clip.timescale == 0 || clip.steps.iter().any(|step| step.ticks == 0) {
            return Err(ClipError::Time { clip: name()?, error: TimeError::Zero }.into());
        }
        if let Some(step) = clip.steps.iter().find(|step| step.frame >= count) {
            return Err(SetError::NoFrame { clip: name()?, frame: step.frame, count }.into());
        }
    }
    Ok(())
}

fn json(error: &serde_json::Error) -> ReadProblem {
    let text = error.to_string();
    let why = text.split(" at line ").next().unwrap_or(&text).to_owned();
    ReadProblem::Json { line: error.line(), column: error.column(), why }
}

/// A page's pixels with straight alpha, however the file keeps them.
pub fn as_seen(page: &PageEntry, pixels: Pixels) -> Pixels {
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
