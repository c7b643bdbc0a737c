//! Outputs of one file: a picture, or the manifest of a sheet that stays as it is.

use std::borrow::Cow;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

use image::RgbaImage;
use shibori_core::pack::PageGrid;
use shibori_core::{FrameSet, Size, parallel};

use crate::decode::file_name;
use crate::encode::png;
use crate::encode::replacement::{ExistingManifest, replacement};
use crate::manifest::{Manifest, SET_FILE, of_images, of_sheet, parse, replace_clips};
use crate::store::seal::{self, is_intact};
use crate::store::{Transaction, Written};
use crate::{FileError, WriteProblem};

/// Writes so many pictures as PNG: the first under its name, the others numbered from 1, as the pages of an atlas are. `picture`
/// draws one when it is its turn, on any thread.
///
/// # Errors
/// If the name doesn't end in `.png`, or a file can't be written.
pub fn pictures<'a>(
    path: &Path,
    count: usize,
    picture: impl Fn(usize) -> Cow<'a, RgbaImage> + Sync,
    run: &Transaction,
) -> Result<Written, FileError> {
    let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    if ending != "png" {
        let text = format!("this picture is written as PNG, so its name ends in .png, not '.{ending}'");
        return Err(FileError::write(path, WriteProblem::Format(text)));
    }
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    let numbered = |at: usize| match at {
        0 => path.to_owned(),
        at => path.with_file_name(format!(
            "{stem}-{at}.{}",
            path.extension().unwrap_or_default().to_string_lossy()
        )),
    };
    // The main file goes last: it says what the others are.
    let mut ordered: Vec<usize> = (0..count).collect();
    ordered.rotate_left(1.min(count));
    let targets: Vec<PathBuf> = ordered.iter().map(|&at| numbered(at)).collect();
    let batch = run.plan(&targets, &[])?;
    parallel::try_map(count, |index| {
        let bytes = png(&picture(ordered[index]));
        batch.stage(index, &bytes.map_err(|problem| FileError::write(&targets[index], problem))?)
    })?;
    Ok(Written { files: (0..count).map(numbered).collect(), ..batch.written() })
}

/// Writes `sheet.json` beside an untouched `sheet.png` whose parts the frames of `set` are.
/// `grid` is what it was cut by, if it was.
pub fn sheet_manifest(
    sheet: &Path,
    size: Size,
    set: &FrameSet,
    grid: Option<&PageGrid>,
    run: &Transaction,
) -> Result<Written, FileError> {
    let target = sheet.with_extension("json");
    write_manifest(&target, &of_sheet(set, &file_name(sheet), size, grid), run)
}

/// Writes `frames.json` into a folder whose images, named from there, are the frames of `set` and stay as they are.
///
/// # Errors
/// If the set that is there would lose something, or the manifest can't be written.
pub fn images_manifest(
    folder: &Path,
    set: &FrameSet,
    files: &[String],
    run: &Transaction,
) -> Result<Written, FileError> {
    let target = folder.join(SET_FILE);
    write_manifest(&target, &of_images(set, files), run)
}

fn write_manifest(target: &Path, manifest: &Manifest, run: &Transaction) -> Result<Written, FileError> {
    run.claim(target)?;
    let ledger = run.ledger(target)?;
    let new = replacement(target, manifest, &HashMap::new(), ledger.as_ref(), run)?;
    let batch = run.plan(&[target.to_owned()], &[])?;
    new.stage(0, &batch)?;
    Ok(batch.written())
}

/// Writes the clips of a set into the manifest that its frames came from, and touches nothing else. That is a person's work:
/// whoever wrote the manifest last keeps it as such.
pub fn clips(path: &Path, set: &FrameSet, run: &Transaction) -> Result<Written, FileError> {
    let bytes = run.staged().read(path).map_err(|error| FileError::read(path, error))?;
    let problem = |problem| FileError::read(path, problem);
    let old = ExistingManifest {
        manifest: parse(&bytes).map_err(problem)?,
        is_sealed: is_intact(&bytes),
        text: bytes,
    };
    let mut manifest = old.manifest.clone();
    replace_clips(&mut manifest, set);
    let batch = run.plan_hand_work(&[PathBuf::from(path)], &[])?;
    if old.is_sealed && run.ledger(path)?.is_none() {
        batch.adopt_manifest(0, &old.text);
    }
    batch.stage_hand_work(0, &old.rewritten(manifest))?;
    Ok(batch.written())
}

/// Writes a file even if it has these contents already. One that nobody knows is replaced if `is_such` says that it is of the
/// same kind.
pub fn fresh_bytes(
    path: &Path,
    bytes: &[u8],
    is_such: impl Fn(&[u8]) -> bool,
    run: &Transaction,
) -> Result<Written, FileError> {
    if std::fs::read(path).is_ok_and(|old| is_such(&old)) {
        run.approve(path);
    }
    let batch = run.plan(&[path.to_owned()], &[])?;
    batch.stage_fresh(0, bytes)?;
    Ok(batch.written())
}

/// Writes files whose bytes are there already, all or none.
pub fn bytes(files: &[(PathBuf, &[u8])], run: &Transaction) -> Result<Written, FileError> {
    let targets: Vec<PathBuf> = files.iter().map(|(path, _)| path.clone()).collect();
    files.iter().for_each(|(path, bytes)| run.approve_unchanged(path, bytes));
    let batch = run.plan(&targets, &[])?;
    files.iter().enumerate().try_for_each(|(at, (_, bytes))| batch.stage(at, bytes))?;
    Ok(batch.written())
}

/// Writes an HTML page with its seal, and gives how many bytes it has then.
pub fn html(path: &Path, page: String, run: &Transaction) -> Result<(Written, usize), FileError> {
    let batch = run.plan(&[path.to_owned()], &[])?;
    let bytes = seal::text(page, "<!-- ", " -->\n");
    batch.stage(0, &bytes)?;
    Ok((batch.written(), bytes.len()))
}
