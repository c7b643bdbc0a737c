//! A set: a folder with one PNG per frame and `frames.json`.
//!
//! A frame's file holds its kept pixels, and so do those of its companions. A frame that keeps none is written as its blank
//! canvas, so that every frame has a file that can be painted in.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use shibori_core::{Budget, Frame, FrameSet, Size, UVec2};

use crate::encode::batch::encode_all;
use crate::encode::page::unsealed_png;
use crate::encode::paint::{digest_of_pixels, find_painted, is_plain, pixel_digest};
use crate::encode::png;
use crate::encode::replacement::{ExistingManifest, replacement};
use crate::manifest::{self, Manifest, SET_FILE, SetPicture, images_of_page, pictures_of};
use crate::store::seal::is_intact;
use crate::store::{Digest, Transaction, Written, files_of};
use crate::{FileError, WriteProblem};

/// Plans and stages a set in a folder. `tick` is called once a file, from any thread.
///
/// # Errors
/// If frames can't be files, a person and the run changed the same, or the transaction refuses a target.
pub fn set(
    set: FrameSet,
    folder: &Path,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<Written, FileError> {
    let set = with_blank_canvases(set, folder)?;
    let files = files_of(&set, folder)?;
    let unit = folder.join(SET_FILE);
    run.claim(&unit)?;
    let ledger = run.ledger(&unit)?;
    let pictures = pictures_of(&set);
    let image = |index: usize| Some(pictures[index].pixels(&set).to_image());
    let painted = find_painted(folder, &files, image, &unit, ledger.as_ref(), run)?;
    let new = replacement(&unit, &manifest::of_set(&set, &files), &painted, ledger.as_ref(), run)?;
    painted.keys().for_each(|file| run.approve(&folder.join(file)));
    let targets = targets(folder, &files);
    let pages = new.manifest.pages.iter().flat_map(images_of_page).map(|file| folder.join(file));
    let staying: HashSet<PathBuf> = targets.iter().cloned().chain(pages).collect();
    let batch = run.plan(&targets, &orphans(folder, &staying, run))?;
    let paths = Paths { folder, files: &files };
    encode(&set, &paths, run.memory(), &tick, |index, bytes, pixels| {
        match new.painted.contains(&files[index]) {
            true => batch.leave(index, bytes, pixels),
            false => batch.stage_picture(index, bytes, Some(pixels))?,
        }
        Ok(())
    })?;
    new.stage(files.len(), &batch)?;
    Ok(batch.written())
}

/// Writes the frames of a set over its own files, exactly those that its manifest names, painted over or not. That is a
/// person's work: whoever wrote the set last keeps it as such.
///
/// # Errors
/// If the set can't be read, a frame has no image of its own in it, or the transaction refuses a target.
pub fn set_in_place(
    set: FrameSet,
    folder: &Path,
    run: &Transaction,
    tick: impl Fn() + Sync,
) -> Result<Written, FileError> {
    let path = folder.join(SET_FILE);
    let old =
        ExistingManifest::read(&path, run).ok_or_else(|| FileError::write(&path, WriteProblem::NotOurs))?;
    let set = with_blank_canvases(set, folder)?;
    let files = own_files(&set, &old.manifest)
        .map_err(|frame| FileError::write(&path, WriteProblem::NoOwnImage { frame }))?;
    let mut manifest = manifest::of_set(&set, &files);
    for page in &mut manifest.pages {
        if let Some(before) = old.manifest.pages.iter().find(|before| before.file == page.file) {
            (page.extras, page.other) = (before.extras.clone(), before.other.clone());
        }
    }
    let (targets, pictures) = (targets(folder, &files), pictures_of(&set));
    // Images of frames that are left out go.
    let staying: HashSet<PathBuf> = targets.iter().cloned().collect();
    let batch = run.plan_hand_work(&targets, &orphans(folder, &staying, run))?;
    let is_first = old.is_sealed && run.ledger(&path)?.is_none();
    let paths = Paths { folder, files: &files };
    encode(&set, &paths, run.memory(), &tick, |index, bytes, _| {
        let before = std::fs::read(&targets[index]).unwrap_or_default();
        if is_first && is_intact(&before) {
            batch.adopt(index, &before, pixel_digest(&targets[index]));
        }
        // Without a seal, it shows that the picture is a person's.
        let image = || pictures[index].pixels(&set).to_image();
        let is_same = before == bytes;
        let bytes = if is_same {
            bytes.to_owned()
        } else {
            unsealed_png(&image()).map_err(|p| paths.fault(index, p))?
        };
        batch.stage_hand_work(index, &bytes)
    })?;
    if is_first {
        batch.adopt_manifest(files.len(), &old.text);
    }
    batch.stage_hand_work(files.len(), &old.rewritten(manifest))?;
    Ok(batch.written())
}

/// The image of each frame and its companions, as the set's manifest names it; or the name of a frame that has none of its own.
fn own_files(set: &FrameSet, old: &Manifest) -> Result<Vec<String>, String> {
    let mut users: HashMap<usize, usize> = HashMap::new();
    old.frames.iter().for_each(|entry| *users.entry(entry.page).or_default() += 1);
    let entries: HashMap<(&str, &str), usize> =
        old.frames.iter().map(|entry| ((&*entry.sprite, &*entry.name), entry.page)).collect();
    let own_file = |frame: &Frame, companion: Option<usize>| {
        let page = *entries.get(&(frame.sprite().as_str(), frame.name().as_str()))?;
        let page = (users.get(&page) == Some(&1)).then(|| old.pages.get(page)).flatten()?;
        match companion.map(|companion| &frame.companions()[companion].spec.suffix) {
            None => Some(page.file.clone()),
            Some(suffix) => page.companions.get(suffix).cloned(),
        }
    };
    let file = |SetPicture { frame, companion }: SetPicture| {
        let frame = &set.frames()[frame];
        own_file(frame, companion).ok_or_else(|| frame.name().to_string())
    };
    pictures_of(set).into_iter().map(file).collect()
}

/// The manifest goes last: it says what the others are.
fn targets(folder: &Path, files: &[String]) -> Vec<PathBuf> {
    files.iter().map(|file| folder.join(file)).chain([folder.join(SET_FILE)]).collect()
}

/// The images of a set.
struct Paths<'a> {
    folder: &'a Path,
    files: &'a [String],
}

impl Paths<'_> {
    fn fault(&self, index: usize, problem: WriteProblem) -> FileError {
        FileError::write(&self.folder.join(&self.files[index]), problem)
    }
}

/// Encodes every picture and hands it on, with the digest of its pixels.
fn encode(
    set: &FrameSet,
    paths: &Paths<'_>,
    memory: &Budget,
    tick: &(impl Fn() + Sync),
    stage: impl Fn(usize, &[u8], Digest) -> Result<(), FileError> + Sync,
) -> Result<(), FileError> {
    let pictures = pictures_of(set);
    let sizes: Vec<Size> = pictures.iter().map(|picture| picture.pixels(set).size()).collect();
    encode_all(
        &sizes,
        memory,
        |index, problem| paths.fault(index, problem),
        |index| {
            let image = pictures[index].pixels(set).to_image();
            let bytes = png(&image).map_err(|problem| paths.fault(index, problem))?;
            tick();
            stage(index, &bytes, digest_of_pixels(&image))
        },
    )?;
    Ok(())
}

fn with_blank_canvases(set: FrameSet, folder: &Path) -> Result<FrameSet, FileError> {
    let whole = set.map_frames(|_, frame| match frame.pixels().is_empty() {
        true => {
            let blank = frame.full_image();
            Ok(frame.with_pixels(blank, UVec2::default()).expect("a canvas fits itself"))
        }
        false => Ok::<_, shibori_core::SetError>(frame),
    });
    whole.map_err(|error| FileError::write(folder, WriteProblem::Format(error.to_string())))
}

/// Files that the folder's old manifest lists and the new set has no use for.
fn orphans(folder: &Path, staying: &HashSet<PathBuf>, run: &Transaction) -> Vec<PathBuf> {
    let old = ExistingManifest::read(&folder.join(SET_FILE), run);
    let pages = old.iter().flat_map(|old| &old.manifest.pages).flat_map(images_of_page);
    let files = pages.filter(|file| is_plain(file)).map(|file| folder.join(file));
    files.filter(|path| !staying.contains(path)).collect()
}
