//! Whatever a person points at, as frames.

use std::path::{Path, PathBuf};

use shibori_core::{Budget, FrameSet};

use crate::decode::codec::ReadOptions;
use crate::decode::folder::{self, images_in};
use crate::decode::frames::load_frames;
use crate::decode::image::image;
use crate::decode::outcome::{LoadedFrames, sprite_name};
use crate::decode::set::{load, manifest_images};
use crate::{FileError, ReadProblem, manifest};

/// Reads several sources into one set; numbered images of one name among them are one sprite with its clip.
pub fn sources(paths: &[PathBuf], limits: &ReadOptions) -> Result<LoadedFrames, FileError> {
    let mut all = LoadedFrames::default();
    let mut sets = Vec::with_capacity(paths.len());
    for siblings in folder::siblings(paths) {
        let one = siblings.read(limits, |path| source(path, limits))?;
        sets.push(one.set);
        all.remarks.extend(one.remarks);
        all.files.extend(one.files);
    }
    let last = paths.last().map_or(Path::new(""), PathBuf::as_path);
    all.set = FrameSet::merge(sets).map_err(|error| FileError::read(last, error))?;
    Ok(all)
}

/// Reads a set, an atlas, an image, an animation or a folder of images. An atlas may be named without
/// its ending.
pub fn source(path: &Path, limits: &ReadOptions) -> Result<LoadedFrames, FileError> {
    if let Some(manifest) = limits.manifest_of(path) {
        return load(&manifest, limits);
    }
    if path.is_dir() {
        return folder::read(path, limits);
    }
    let (set, remarks) = load_frames(path, &sprite_name(path)?, limits)?;
    Ok(LoadedFrames { set, remarks, files: vec![path.to_owned()] })
}

/// The memory that reading these sources takes, all of them together, as far as the heads of their files say. Each file is
/// read once more for that, and nothing is decoded.
pub fn memory_for(paths: &[PathBuf]) -> u64 {
    let files = |path: &PathBuf| match manifest_of(path) {
        Some(manifest) => manifest_images(&manifest).unwrap_or_default(),
        None if path.is_dir() => images_in(path).unwrap_or_default(),
        None if path.is_file() => vec![path.clone()],
        None => Vec::new(),
    };
    let need = |file: PathBuf| {
        // With room for the file alone, the first picture is refused, with what it needs.
        let length = std::fs::metadata(&file).map_or(0, |meta| meta.len());
        match image(&file, &ReadOptions { memory: Budget::with_limit(length), ..ReadOptions::default() }) {
            Err(FileError::Read { problem: ReadProblem::Memory(over), .. }) => over.need,
            _ => length,
        }
    };
    paths.iter().flat_map(files).map(need).fold(0, u64::saturating_add)
}

/// The manifest that a person means by a path: itself, that of a set's folder, or that of an atlas named without its
/// ending.
pub fn manifest_of(path: &Path) -> Option<PathBuf> {
    ReadOptions::default().manifest_of(path)
}

impl ReadOptions {
    /// The same among files that are there or staged.
    pub fn manifest_of(&self, path: &Path) -> Option<PathBuf> {
        let in_folder = path.join(manifest::SET_FILE);
        if path.is_dir() || self.staged.exists(&in_folder) {
            return self.staged.exists(&in_folder).then_some(in_folder);
        }
        if path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("json")) {
            return Some(path.to_owned());
        }
        let with_ending = path.with_added_extension("json");
        (!path.exists() && self.staged.exists(&with_ending)).then_some(with_ending)
    }
}
