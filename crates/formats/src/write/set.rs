//! A set: a folder with one PNG per frame and `frames.json`.
//!
//! A frame's file holds its kept pixels. A frame that keeps none is written as its blank canvas, so that
//! every frame has a file that can be painted in.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use shibori_core::{Budget, Frame, FrameSet, Pair, Size};

use crate::manifest::{self, Manifest, SET_FILE, hand};
use crate::write::names::files_of;
use crate::write::replace::{Old, over, text};
use crate::write::room::encoded;
use crate::write::{Batch, Transaction, Written, png};
use crate::{Error, WriteProblem};

/// Plans and stages a set in a folder. `tick` is called once a file, from any thread.
///
/// # Errors
/// Where frames can't be files, the set that lies there would lose something, or the transaction refuses a target.
pub fn set(
    set: FrameSet,
    folder: &Path,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<Written, Error> {
    let set = with_blank_canvases(set, folder)?;
    let files = files_of(&set, folder)?;
    let manifest = over(&folder.join(SET_FILE), manifest::of_set(&set, &files), run)?;
    let targets = targets(folder, &files);
    let batch = run.plan(&targets, &left_behind(folder, &targets))?;
    staged(&set, folder, &files, &manifest, &batch, run.memory(), tick)
}

/// Writes the frames of a set over its own files, exactly those that its manifest names, painted over or not.
///
/// # Errors
/// Where the set can't be read, a frame has no image of its own in it, or the transaction refuses a target.
pub fn set_in_place(
    set: FrameSet,
    folder: &Path,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<Written, Error> {
    let path = folder.join(SET_FILE);
    let old = Old::at(&path).ok_or_else(|| Error::write(&path, WriteProblem::NotOurs))?;
    let set = with_blank_canvases(set, folder)?;
    let files = own_files(&set, &old.manifest)
        .map_err(|frame| Error::write(&path, WriteProblem::NoOwnImage { frame }))?;
    let mut manifest = manifest::of_set(&set, &files);
    hand::carry_pages(&old.manifest, &mut manifest);
    let manifest = text(manifest, old.is_sealed);
    let batch = run.plan_over(&targets(folder, &files), &[])?;
    staged(&set, folder, &files, &manifest, &batch, run.memory(), tick)
}

/// The image of each frame, as the set's manifest names it; or the name of a frame that has none of its own.
fn own_files(set: &FrameSet, old: &Manifest) -> Result<Vec<String>, String> {
    let mut users: HashMap<usize, usize> = HashMap::new();
    old.frames.iter().for_each(|entry| *users.entry(entry.page).or_default() += 1);
    let entries: HashMap<(&str, &str), usize> =
        old.frames.iter().map(|entry| ((&*entry.sprite, &*entry.name), entry.page)).collect();
    let file = |frame: &Frame| {
        let page = *entries.get(&(frame.sprite().as_str(), frame.name().as_str()))?;
        (users.get(&page) == Some(&1)).then(|| old.pages.get(page)).flatten().map(|page| page.file.clone())
    };
    set.frames().iter().map(|frame| file(frame).ok_or_else(|| frame.name().to_string())).collect()
}

/// The manifest goes last: while it is the old one, the old frames are still what it says.
fn targets(folder: &Path, files: &[String]) -> Vec<PathBuf> {
    files.iter().map(|file| folder.join(file)).chain([folder.join(SET_FILE)]).collect()
}

fn staged(
    set: &FrameSet,
    folder: &Path,
    files: &[String],
    manifest: &[u8],
    batch: &Batch,
    memory: &Budget,
    tick: impl Fn() + Sync,
) -> Result<Written, Error> {
    let sizes: Vec<Size> = set.frames().iter().map(|frame| frame.pixels().size()).collect();
    let at_fault = |at: usize, problem| Error::write(&folder.join(&files[at]), problem);
    encoded(&sizes, memory, at_fault, |at| {
        let bytes = png(&set.frames()[at].pixels().to_image()).map_err(|problem| at_fault(at, problem))?;
        tick();
        batch.stage(at, &bytes)
    })?;
    batch.stage(files.len(), manifest)?;
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
    let old = Old::at(&folder.join(SET_FILE));
    let pages = old.into_iter().flat_map(|old| old.manifest.pages);
    let is_plain = |file: &str| !file.contains("..") && !file.starts_with('/') && !file.contains(['\\', ':']);
    let files = pages.filter(|page| is_plain(&page.file)).map(|page| folder.join(page.file));
    let targets: HashSet<&PathBuf> = targets.iter().collect();
    files.filter(|path| !targets.contains(path)).collect()
}
