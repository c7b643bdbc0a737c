//! Outputs of one file: a picture, or the manifest of a sheet that stays as it is.

use std::path::{Path, PathBuf};

use image::RgbaImage;
use shibori_core::pack::PageGrid;
use shibori_core::{FrameSet, Size};

use crate::manifest::{SET_FILE, of_images, of_sheet, replace_clips};
use crate::read::file_name;
use crate::write::replace::{over, text};
use crate::write::{Transaction, Written, png, seal};
use crate::{Error, WriteProblem};

/// Writes pictures as PNG: the first under its name, the others numbered from 1, as the pages of an atlas are.
pub fn pictures(path: &Path, images: &[RgbaImage], run: &Transaction) -> Result<Written, Error> {
    let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    if ending != "png" {
        let text = format!("this picture is written as PNG, so its name ends in .png, not '.{ending}'");
        return Err(Error::write(path, WriteProblem::Format(text)));
    }
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    let numbered = |at: usize| match at {
        0 => path.to_owned(),
        at => path.with_file_name(format!(
            "{stem}-{at}.{}",
            path.extension().unwrap_or_default().to_string_lossy()
        )),
    };
    let targets: Vec<PathBuf> = (0..images.len()).map(numbered).collect();
    let batch = run.plan(&targets, &[])?;
    for (at, image) in images.iter().enumerate() {
        let bytes = png(image).map_err(|problem| Error::write(&targets[at], problem))?;
        batch.stage(at, &bytes)?;
    }
    Ok(batch.written())
}

/// Writes `sheet.json` beside an untouched `sheet.png` whose parts the frames of `set` are.
/// `grid` is what it was cut by, if it was.
pub fn sheet_manifest(
    sheet: &Path,
    size: Size,
    set: &FrameSet,
    grid: Option<&PageGrid>,
    run: &Transaction,
) -> Result<Written, Error> {
    let target = sheet.with_extension("json");
    let manifest = over(&target, of_sheet(set, &file_name(sheet), size, grid), run)?;
    let batch = run.plan(std::slice::from_ref(&target), &[])?;
    batch.stage(0, &manifest)?;
    Ok(batch.written())
}

/// Writes `frames.json` into a folder whose images, named from there, are the frames of `set` and stay as they are.
///
/// # Errors
/// Where the set that lies there would lose something, or the manifest can't be written.
pub fn images_manifest(
    folder: &Path,
    set: &FrameSet,
    files: &[String],
    run: &Transaction,
) -> Result<Written, Error> {
    let target = folder.join(SET_FILE);
    let manifest = over(&target, of_images(set, files), run)?;
    let batch = run.plan(std::slice::from_ref(&target), &[])?;
    batch.stage(0, &manifest)?;
    Ok(batch.written())
}

/// Writes the clips of a set into the manifest that its frames came from, and touches nothing else.
pub fn clips(path: &Path, set: &FrameSet, run: &Transaction) -> Result<Written, Error> {
    let bytes = crate::read::bytes_of(path)?;
    let mut manifest = crate::manifest::parse(&bytes).map_err(|problem| Error::read(path, problem))?;
    replace_clips(&mut manifest, set);
    // A person's own values in it stay known as such.
    let is_sealed = seal::is_whole(&bytes);
    let batch = run.plan_over(&[PathBuf::from(path)], &[])?;
    batch.stage(0, &text(manifest, is_sealed))?;
    Ok(batch.written())
}

/// Writes files whose bytes are there already, all or none.
pub fn bytes(files: &[(PathBuf, &[u8])], run: &Transaction) -> Result<Written, Error> {
    let targets: Vec<PathBuf> = files.iter().map(|(path, _)| path.clone()).collect();
    files.iter().for_each(|(path, bytes)| run.clear_same(path, bytes));
    let batch = run.plan(&targets, &[])?;
    files.iter().enumerate().try_for_each(|(at, (_, bytes))| batch.stage(at, bytes))?;
    Ok(batch.written())
}
