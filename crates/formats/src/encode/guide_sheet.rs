//! Guide sheets: PNG with the lines on transparency, SVG, and OpenRaster with the guide on a layer of its own
//! above an empty layer to draw on.

use std::io::{Cursor, Write as _};
use std::path::{Path, PathBuf};

use image::{RgbaImage, imageops};
use zip::result::ZipError;
use zip::write::{SimpleFileOptions, ZipWriter};
use zip::{CompressionMethod, DateTime};

use crate::encode::png;
use crate::store::{Transaction, Written, seal};
use crate::{Error, WriteProblem};

/// Writes a guide sheet in the format its extension asks for: .png, .svg or .ora. Only the drawing that this takes is made.
pub fn guide_sheet(
    path: &Path,
    image: impl FnOnce() -> RgbaImage,
    svg: impl FnOnce() -> String,
    run: &Transaction,
) -> Result<Written, Error> {
    let extension = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    let bytes = match extension.as_str() {
        "svg" => Ok(seal::text(svg(), "<!-- ", " -->\n")),
        "png" => png(&image()),
        "ora" => open_raster(&image()),
        other => {
            Err(WriteProblem::Format(format!("a guide sheet ends in .png, .svg or .ora, not '.{other}'")))
        }
    };
    let bytes = bytes.map_err(|problem| Error::write(path, problem))?;
    let batch = run.plan(&[PathBuf::from(path)], &[])?;
    batch.stage(0, &bytes)?;
    Ok(batch.written())
}

/// An OpenRaster file (version 0.0.5): an empty layer to draw on, and the guide above it.
fn open_raster(guide: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    let (width, height) = guide.dimensions();
    let stack = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<image version=\"0.0.5\" w=\"{width}\" h=\"{height}\">\n <stack>\n  \
         <layer name=\"guide\" src=\"data/guide.png\" x=\"0\" y=\"0\" edit-locked=\"true\"/>\n  \
         <layer name=\"drawing\" src=\"data/drawing.png\" x=\"0\" y=\"0\" selected=\"true\"/>\n </stack>\n</image>\n"
    );
    let side = f64::from(width.max(height)) / 256.0;
    let scaled = |length: u32| ((f64::from(length) / side.max(1.0)) as u32).max(1);
    let thumbnail = imageops::thumbnail(guide, scaled(width), scaled(height));
    let empty = png(&RgbaImage::new(width, height))?;
    let drawn = png(guide)?;
    let files: [(&str, Vec<u8>); 6] = [
        ("mimetype", b"image/openraster".to_vec()),
        ("stack.xml", stack.into_bytes()),
        ("data/guide.png", drawn.clone()),
        ("data/drawing.png", empty),
        ("mergedimage.png", drawn),
        ("Thumbnails/thumbnail.png", png(&thumbnail)?),
    ];
    archive(&files).map_err(|error| WriteProblem::Format(error.to_string()))
}

/// A ZIP archive without compression: PNG is compressed already, and `mimetype` must not be. The seal is the
/// archive's comment, which stands last.
fn archive(files: &[(&str, Vec<u8>)]) -> Result<Vec<u8>, ZipError> {
    let options = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Stored)
        .last_modified_time(DateTime::default());
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(*name, options)?;
        zip.write_all(bytes)?;
    }
    let bytes = zip.finish()?.into_inner();
    Ok(seal::zip(bytes))
}

#[cfg(test)]
mod tests {
    use std::io::Read;

    use super::*;

    #[test]
    fn an_openraster_file_begins_with_its_kind_and_holds_both_layers() {
        let guide = RgbaImage::from_pixel(300, 20, image::Rgba([1, 2, 3, 255]));
        let bytes = open_raster(&guide).unwrap();
        assert_eq!(&bytes[30..54], b"mimetypeimage/openraster");
        assert!(seal::is_intact(&bytes));
        let mut zip = zip::ZipArchive::new(Cursor::new(bytes)).unwrap();
        let mut stack = String::new();
        zip.by_name("stack.xml").unwrap().read_to_string(&mut stack).unwrap();
        assert!(stack.find("guide.png") < stack.find("drawing.png"));
        let names: Vec<&str> = zip.file_names().collect();
        assert!(["data/guide.png", "data/drawing.png", "mergedimage.png"].iter().all(|n| names.contains(n)));
    }
}
