//! Guide sheets: PNG with the lines on transparency, SVG, and OpenRaster with the guide on a layer of its own
//! above an empty layer to draw on.

use std::fmt::Write as _;
use std::io::{Cursor, Write as _};
use std::path::{Path, PathBuf};

use image::{RgbaImage, imageops};
use shibori_core::Size;
use shibori_core::draw::{GUIDE_LINE, GUIDE_PIVOT, Guide, GuideCell, draw_guide};
use zip::result::ZipError;
use zip::write::{SimpleFileOptions, ZipWriter};
use zip::{CompressionMethod, DateTime};

use crate::store::{Transaction, Written, seal};
use crate::write::png;
use crate::xml::escaped;
use crate::{Error, WriteProblem};

/// Writes a guide sheet in the format its ending asks for: .png, .svg or .ora.
pub fn guide(path: &Path, guide: &Guide, run: &Transaction) -> Result<Written, Error> {
    let wrong = |problem: WriteProblem| Error::write(path, problem);
    let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    let too_large = || WriteProblem::TooLong { longest: 65535 };
    let size = guide.size().ok_or_else(too_large).map_err(wrong)?;
    let bytes = match ending.as_str() {
        "svg" => Ok(seal::text(svg(guide, size), "<!-- ", " -->\n")),
        "png" | "ora" => {
            let image = draw_guide(guide).ok_or_else(too_large).map_err(wrong)?;
            if ending == "png" { png(&image) } else { open_raster(&image) }
        }
        other => {
            Err(WriteProblem::Format(format!("a guide sheet ends in .png, .svg or .ora, not '.{other}'")))
        }
    };
    let bytes = bytes.map_err(wrong)?;
    let batch = run.plan(&[PathBuf::from(path)], &[])?;
    batch.stage(0, &bytes)?;
    Ok(batch.written())
}

fn svg(guide: &Guide, size: Size) -> String {
    let Size { width, height } = size;
    let hex = |color: image::Rgba<u8>| format!("#{:02x}{:02x}{:02x}", color[0], color[1], color[2]);
    let mut text = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" viewBox=\"0 0 {width} {height}\">\n"
    );
    let style = format!(
        "<style>rect{{fill:none;stroke:{}}} path{{stroke:{};fill:none}} text{{font:8px monospace;fill:{}}}</style>\n",
        hex(GUIDE_LINE),
        hex(GUIDE_PIVOT),
        hex(GUIDE_LINE)
    );
    text += &style;
    for GuideCell { rect, label, pivot } in guide.cells() {
        let (x, y) = (f64::from(rect.x) + 0.5, f64::from(rect.y) + 0.5);
        let arm = (rect.width.min(rect.height) / 12).clamp(1, 6);
        // Writing to a string can't fail.
        let _ = writeln!(
            text,
            "<rect x=\"{x}\" y=\"{y}\" width=\"{}\" height=\"{}\"/><path d=\"M{} {}h{}M{} {}v{}\"/><text x=\"{}\" y=\"{}\">{}</text>",
            rect.width - 1,
            rect.height - 1,
            pivot.x - f64::from(arm),
            pivot.y,
            2 * arm,
            pivot.x,
            pivot.y - f64::from(arm),
            2 * arm,
            x + 2.5,
            y + 9.5,
            escaped(&label)
        );
    }
    text + "</svg>\n"
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
