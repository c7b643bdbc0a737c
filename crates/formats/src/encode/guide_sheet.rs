//! Guide sheets: PNG with the lines on transparency, SVG, and OpenRaster with the guide on a layer of its own
//! above an empty layer to draw on.

use std::path::{Path, PathBuf};

use image::RgbaImage;

use crate::decode::open_raster::GUIDE;
use crate::encode::{open_raster, png};
use crate::store::{Transaction, Written, seal};
use crate::{FileError, WriteProblem};

/// Writes a guide sheet in the format its extension asks for: .png, .svg or .ora. Only the drawing that this takes is made.
pub fn guide_sheet(
    path: &Path,
    image: impl FnOnce() -> RgbaImage,
    svg: impl FnOnce() -> String,
    run: &Transaction,
) -> Result<Written, FileError> {
    let extension = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    let bytes = match extension.as_str() {
        "svg" => Ok(seal::text(svg(), "<!-- ", " -->\n")),
        "png" => png(&image()),
        "ora" => painting(&image()),
        other => {
            Err(WriteProblem::Format(format!("a guide sheet ends in .png, .svg or .ora, not '.{other}'")))
        }
    };
    let bytes = bytes.map_err(|problem| FileError::write(path, problem))?;
    let batch = run.plan(&[PathBuf::from(path)], &[])?;
    batch.stage(0, &bytes)?;
    Ok(batch.written())
}

/// A painting of two layers: an empty one to draw on, and the guide above it.
fn painting(guide: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    let (width, height) = guide.dimensions();
    let stack = format!(
        "  <layer name=\"{GUIDE}\" src=\"data/guide.png\" x=\"0\" y=\"0\" edit-locked=\"true\"/>\n  \
         <layer name=\"drawing\" src=\"data/drawing.png\" x=\"0\" y=\"0\" selected=\"true\"/>\n"
    );
    let files = [
        ("data/guide.png".to_owned(), png(guide)?),
        ("data/drawing.png".to_owned(), png(&RgbaImage::new(width, height))?),
    ];
    open_raster::archive(guide, &stack, &files)
}

#[cfg(test)]
mod tests {
    use std::io::{Cursor, Read};

    use super::*;

    #[test]
    fn an_openraster_file_begins_with_its_kind_and_holds_both_layers() {
        let guide = RgbaImage::from_pixel(300, 20, image::Rgba([1, 2, 3, 255]));
        let bytes = painting(&guide).unwrap();
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
