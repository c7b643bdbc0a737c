//! A set: a folder with one PNG a frame and `frames.json`.
//!
//! A frame's file holds its kept pixels. A frame that keeps none is written as its blank canvas, so that
//! every frame has a file that can be painted in.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};

use shibori_core::parallel;
use shibori_core::{FrameSet, Pair};

use crate::manifest::{self, SET_FILE};
use crate::write::names::files_of;
use crate::write::{Batch, Transaction, Written, png};
use crate::{Error, WriteProblem};

/// Plans and stages a set in a folder. `tick` is called once a file, from any thread.
///
/// # Errors
/// Where frames can't be files, or the transaction refuses a target.
pub fn set(
    set: FrameSet,
    folder: &Path,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<Written, Error> {
    staged(set, folder, |targets, stale| run.plan(targets, stale), tick)
}

/// The same over the set's own files, those that were painted over included.
///
/// # Errors
/// As [`set`].
pub fn set_in_place(
    set: FrameSet,
    folder: &Path,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<Written, Error> {
    staged(set, folder, |targets, stale| run.plan_over(targets, stale), tick)
}

fn staged(
    set: FrameSet,
    folder: &Path,
    plan: impl FnOnce(&[PathBuf], &[PathBuf]) -> Result<Batch, Error>,
    tick: impl Fn() + Sync,
) -> Result<Written, Error> {
    let set = with_blank_canvases(set, folder)?;
    let files = files_of(&set, folder)?;
    // The manifest goes last: while it is the old one, the old frames are still what it says.
    let targets: Vec<PathBuf> =
        files.iter().map(|file| folder.join(file)).chain([folder.join(SET_FILE)]).collect();
    let batch = plan(&targets, &left_behind(folder, &targets))?;
    parallel::fallible(set.frames().len(), |at| {
        let bytes = png(&set.frames()[at].pixels().to_image());
        let bytes = bytes.map_err(|problem| Error::write(&folder.join(&files[at]), problem))?;
        tick();
        batch.stage(at, &bytes)
    })?;
    let text = manifest::of_set(&set, &files).to_text();
    batch.stage(files.len(), text.as_bytes())?;
    Ok(batch.written())
}

fn with_blank_canvases(set: FrameSet, folder: &Path) -> Result<FrameSet, Error> {
    let whole = set.map_frames(|_, frame| match frame.pixels().is_empty() {
        true => {
            let blank = frame.restored();
            Ok(frame.with_pixels(blank, Pair::default()).expect("a canvas fits itself"))
        }
        false => Ok::<_, shibori_core::SetError>(frame),
    });
    whole.map_err(|error| Error::write(folder, WriteProblem::Format(error.to_string())))
}

/// Files that the folder's old manifest lists and the new set has no use for.
fn left_behind(folder: &Path, targets: &[PathBuf]) -> Vec<PathBuf> {
    let old = fs::read(folder.join(SET_FILE)).ok().and_then(|bytes| manifest::parse(&bytes).ok());
    let pages = old.into_iter().flat_map(|old| old.pages);
    let is_plain = |file: &str| !file.contains("..") && !file.starts_with('/') && !file.contains(['\\', ':']);
    let files = pages.filter(|page| is_plain(&page.file)).map(|page| folder.join(page.file));
    let targets: HashSet<&PathBuf> = targets.iter().collect();
    files.filter(|path| !targets.contains(path)).collect()
}
