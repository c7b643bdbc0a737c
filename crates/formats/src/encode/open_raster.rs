//! OpenRaster (version 0.0.5): frames as layers to paint on, and what else is written in that format.
//!
//! The first frame is at the bottom. A clip is a group that holds the frames it shows first; the name of the group says its time and how it
//! plays. A manifest in the archive says the rest, for as long as nobody drops it.

use std::io::{Cursor, Write as _};
use std::path::Path;

use image::{RgbaImage, imageops};
use shibori_core::clip::{Clip, ClipSpec};
use shibori_core::{Frame, FrameSet, Pixels, Size};
use zip::result::ZipError;
use zip::write::{SimpleFileOptions, ZipWriter};
use zip::{CompressionMethod, DateTime};

use crate::decode::open_raster::MANIFEST;
use crate::decode::{Layer, LayeredImage};
use crate::encode::png;
use crate::manifest::of_images;
use crate::store::{Transaction, Written, seal};
use crate::{FileError, WriteProblem, escape_xml};

/// The longest side of a thumbnail.
const THUMBNAIL: f64 = 256.0;

/// Writes frames as the layers of a painting.
///
/// # Errors
/// If the file can't be written.
pub fn painting(path: &Path, set: &FrameSet, run: &Transaction) -> Result<Written, FileError> {
    let wrong = |problem: WriteProblem| FileError::write(path, problem);
    let canvas = set.frames().iter().fold(Size::default(), |size, frame| size.union(frame.canvas()));
    let files: Vec<String> = (0..set.frames().len()).map(|number| format!("data/{number:04}.png")).collect();
    // Its pages are layers.
    let manifest = of_images(set, &files);
    let mut archived = Vec::with_capacity(files.len() + 1);
    let mut layers = Vec::new();
    for (frame, file) in set.frames().iter().zip(&files) {
        let shown = frame.clone().trim_to_content();
        let pixels =
            if shown.is_blank() { Pixels::from_image(RgbaImage::new(1, 1)) } else { shown.pixels().clone() };
        archived.push((file.clone(), png(&pixels.to_image()).map_err(wrong)?));
        let (name, at) = (frame.name().to_string(), shown.inset());
        layers.push(Layer { name, groups: Vec::new(), pixels, at });
    }
    archived.push((MANIFEST.to_owned(), manifest.to_text().into_bytes()));
    let stack = stack(set, &layers, &files);
    let merged = LayeredImage::of(canvas, layers).merged();
    let bytes = archive(&merged, &stack, &archived).map_err(wrong)?;
    let batch = run.plan(&[path.to_owned()], &[])?;
    batch.stage(0, &bytes)?;
    Ok(batch.written())
}

/// The elements of all layers, the last frame's first: the file begins at the top.
fn stack(set: &FrameSet, layers: &[Layer], files: &[String]) -> String {
    let is_alone = set.sprites().len() <= 1;
    let group = |number: usize| -> Option<String> {
        let frame: &Frame = &set.frames()[number];
        let clip = set.first_clip_of(number).filter(|clip| clip.sprite() == frame.sprite());
        let sprite = if is_alone { String::new() } else { format!("{}:", frame.sprite()) };
        match clip {
            Some(clip) => Some(format!("{sprite}{}", clip_text(set, clip))),
            None => Some(sprite).filter(|sprite| !sprite.is_empty()),
        }
    };
    let groups: Vec<Option<String>> = (0..layers.len()).map(group).collect();
    let numbered: Vec<usize> = (0..layers.len()).rev().collect();
    let mut text = String::new();
    for run in numbered.chunk_by(|&a, &b| groups[a] == groups[b]) {
        if let Some(group) = &groups[run[0]] {
            text += &format!("  <stack name=\"{}\">\n", escape_xml(group));
        }
        for &number in run {
            let Layer { name, at, .. } = &layers[number];
            let (name, file) = (escape_xml(name), &files[number]);
            text += &format!("   <layer name=\"{name}\" src=\"{file}\" x=\"{}\" y=\"{}\"/>\n", at.x, at.y);
        }
        if groups[run[0]].is_some() {
            text += "  </stack>\n";
        }
    }
    text
}

/// A clip's name with its time and how it plays, as far as a group can say that.
fn clip_text(set: &FrameSet, clip: &Clip) -> String {
    let name = clip.name().to_string();
    let spec = ClipSpec::for_clip(set, clip).map(|spec| spec.to_string()).unwrap_or_default();
    let timing = spec.rsplit_once(" @").map(|(_, timing)| timing.replace(" mirrored", ""));
    timing.map_or_else(|| name.clone(), |timing| format!("{name} @{timing}"))
}

/// The archive of a painting. `stack` are the elements of its layers, `merged` is what they look like together.
pub(crate) fn archive(
    merged: &RgbaImage,
    stack: &str,
    layers: &[(String, Vec<u8>)],
) -> Result<Vec<u8>, WriteProblem> {
    let (width, height) = merged.dimensions();
    let stack = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<image version=\"0.0.5\" w=\"{width}\" h=\"{height}\">\n \
         <stack>\n{stack} </stack>\n</image>\n"
    );
    let side = f64::from(width.max(height)) / THUMBNAIL;
    let scaled = |length: u32| ((f64::from(length) / side.max(1.0)) as u32).max(1);
    let thumbnail = imageops::thumbnail(merged, scaled(width), scaled(height));
    let (merged, thumbnail) = (png(merged)?, png(&thumbnail)?);
    let ends: [(&str, &[u8]); 2] = [("mergedimage.png", &merged), ("Thumbnails/thumbnail.png", &thumbnail)];
    let begin: [(&str, &[u8]); 2] = [("mimetype", b"image/openraster"), ("stack.xml", stack.as_bytes())];
    let layers = layers.iter().map(|(name, bytes)| (&**name, &**bytes));
    zipped(begin.into_iter().chain(layers).chain(ends))
        .map_err(|error| WriteProblem::Format(error.to_string()))
}

/// A ZIP archive without compression: PNG is compressed already, and `mimetype` must not be. The seal is the
/// archive's comment, which stands last.
fn zipped<'a>(files: impl Iterator<Item = (&'a str, &'a [u8])>) -> Result<Vec<u8>, ZipError> {
    let options = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Stored)
        .last_modified_time(DateTime::default());
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(name, options)?;
        zip.write_all(bytes)?;
    }
    Ok(seal::zip(zip.finish()?.into_inner()))
}
