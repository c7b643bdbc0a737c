//! A folder of images as frames.
//!
//! Natural order (`f2` before `f10`); a sub-folder is a sprite of its own, or a set; numbered siblings
//! `leap_00.png … leap_07.png` become the clip `leap`; numbers that are missing are remarked. Files that
//! are no images are passed over.

use std::collections::HashMap;
use std::ffi::OsString;
use std::fs;
use std::path::{Path, PathBuf};

use shibori_core::clip::{Clip, FrameDuration};
use shibori_core::parallel;
use shibori_core::{Frame, FrameSet, Name};

use crate::decode::codec::ReadOptions;
use crate::decode::frames::load_frames;
use crate::decode::outcome::{LoadedFrames, ReadNotice, file_name, sprite_name};
use crate::decode::set::load;
use crate::{FileError, ReadProblem, manifest};

const ENDINGS: [&str; 13] =
    ["png", "apng", "gif", "webp", "jpg", "jpeg", "bmp", "tif", "tiff", "tga", "qoi", "y4m", "ora"];

/// Folders in folders in folders: deeper is a mistake, or a link that leads back.
const DEEPEST: usize = 8;

/// A folder of images as frames, whether or not a manifest is there too.
///
/// # Errors
/// If an image can't be read, or there are none.
pub fn read(folder: &Path, limits: &ReadOptions) -> Result<LoadedFrames, FileError> {
    let mut gathered = LoadedFrames::default();
    let mut sets = Vec::new();
    gather(folder, limits, 0, &mut sets, &mut gathered)?;
    if sets.is_empty() {
        return Err(FileError::read(folder, ReadProblem::NoImages));
    }
    gathered.set = FrameSet::merge(sets).map_err(|error| FileError::read(folder, error))?;
    Ok(gathered)
}

/// The names of the folders in a folder, in order; none if it can't be read.
pub fn subfolders(folder: &Path) -> Vec<PathBuf> {
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut names: Vec<PathBuf> =
        entries.filter(|entry| entry.path().is_dir()).map(|entry| entry.file_name().into()).collect();
    names.sort();
    names
}

/// The images in a folder and the folders in it, in natural order.
///
/// # Errors
/// If a folder can't be read, or there are none.
pub fn images_in(folder: &Path) -> Result<Vec<PathBuf>, FileError> {
    fn gather(folder: &Path, depth: usize, all: &mut Vec<PathBuf>) -> Result<(), FileError> {
        let (images, folders) = listing(folder)?;
        all.extend(images);
        let mut deeper = folders.iter().filter(|_| depth < DEEPEST);
        deeper.try_for_each(|inner| gather(inner, depth + 1, all))
    }
    let mut all = Vec::new();
    gather(folder, 0, &mut all)?;
    if all.is_empty() { Err(FileError::read(folder, ReadProblem::NoImages)) } else { Ok(all) }
}

fn gather(
    folder: &Path,
    limits: &ReadOptions,
    depth: usize,
    sets: &mut Vec<FrameSet>,
    gathered: &mut LoadedFrames,
) -> Result<(), FileError> {
    let (images, folders) = listing(folder)?;
    if !images.is_empty() {
        let (set, remarks) = load_sprite(folder, &images, limits)?;
        sets.push(set);
        gathered.remarks.extend(remarks);
        gathered.files.extend(images);
    }
    for inner in folders {
        let set = inner.join(manifest::SET_FILE);
        if set.is_file() {
            let one = load(&set, limits)?;
            sets.push(one.set);
            gathered.files.extend(one.files);
        } else if depth < DEEPEST {
            gather(&inner, limits, depth + 1, sets, gathered)?;
        }
    }
    Ok(())
}

/// The names of everything in a folder, in natural order.
pub fn names_in(folder: &Path) -> Result<Vec<OsString>, FileError> {
    // An empty path is the current folder.
    let place = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let entries = fs::read_dir(place).map_err(|error| FileError::read(folder, error))?;
    let mut names: Vec<OsString> = entries.flatten().map(|entry| entry.file_name()).collect();
    names.sort_by(|a, b| natord::compare(&a.to_string_lossy(), &b.to_string_lossy()).then_with(|| a.cmp(b)));
    Ok(names)
}

/// Images and subfolders, each in natural order.
fn listing(folder: &Path) -> Result<(Vec<PathBuf>, Vec<PathBuf>), FileError> {
    let names = names_in(folder)?.into_iter().filter(|name| !name.to_string_lossy().starts_with('.'));
    let paths = names.map(|name| folder.join(name)).filter(|path| path.is_dir() || is_image(path));
    Ok(paths.partition(|path| !path.is_dir()))
}

/// Whether a file is called as images and animations are.
pub fn is_image(path: &Path) -> bool {
    let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    ENDINGS.contains(&ending.as_str())
}

/// The images of one folder: a sprite named after it.
fn load_sprite(
    folder: &Path,
    images: &[PathBuf],
    limits: &ReadOptions,
) -> Result<(FrameSet, Vec<ReadNotice>), FileError> {
    // `.` and `..` have no name of their own until they are spelled out.
    let spelled = folder.canonicalize().unwrap_or_else(|_| folder.to_owned());
    let sprite = sprite_name(Path::new(&file_name(&spelled)))?;
    one_sprite(folder, &sprite, images, limits)
}

/// A list of images as sources of their own, but numbered siblings together: `leap_0.png leap_1.png` are the sprite
/// `leap` with its clip, in natural order.
pub(super) fn siblings(paths: &[PathBuf]) -> Vec<Sequence> {
    let mut found: Vec<Sequence> = Vec::new();
    let mut known: HashMap<_, usize> = HashMap::new();
    for path in paths {
        let key = sequence_of(path).filter(|_| is_image(path) && path.is_file());
        match key.as_ref().and_then(|key| known.get(key)) {
            Some(&at) => found[at].paths.push(path.clone()),
            None => {
                known.extend(key.clone().map(|key| (key, found.len())));
                found.push(Sequence { key, paths: vec![path.clone()] });
            }
        }
    }
    for one in &mut found {
        one.paths.sort_by(|a, b| natord::compare(&file_name(a), &file_name(b)));
    }
    found
}

/// Whether these are numbered images of one name in one folder.
pub fn is_numbered(paths: &[PathBuf]) -> bool {
    siblings(paths).len() == 1
}

/// Numbered images of one name, or anything else alone.
pub(super) struct Sequence {
    key: Option<(PathBuf, String, String)>,
    paths: Vec<PathBuf>,
}

impl Sequence {
    /// Reads what is numbered together as one sprite, and the rest with `alone`.
    pub(super) fn read(
        self,
        limits: &ReadOptions,
        alone: impl Fn(&Path) -> Result<LoadedFrames, FileError>,
    ) -> Result<LoadedFrames, FileError> {
        let [first, _, ..] = self.paths.as_slice() else { return alone(&self.paths[0]) };
        let (_, prefix, _) = self.key.unwrap_or_default();
        let name = match trim_separator(&prefix) {
            "" => sprite_name(first)?,
            name => Name::new(name).map_err(|error| FileError::read(first, error))?,
        };
        let (set, remarks) = one_sprite(first, &name, &self.paths, limits)?;
        Ok(LoadedFrames { set, remarks, files: self.paths })
    }
}

/// What the files of a numbered sequence have in common: a file's folder, its name before the number, and its ending. `None`
/// where its name ends in no number.
pub fn sequence_of(path: &Path) -> Option<(PathBuf, String, String)> {
    let stem = path.file_stem()?.to_string_lossy().into_owned();
    let (prefix, _) = split_number(&stem)?;
    let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
    let folder = path.parent().unwrap_or(Path::new("")).to_owned();
    Some((folder, prefix.to_owned(), ending))
}

/// `leap_07` as `leap_` and `07`, and `leap (7)` as `leap (` and `7`.
fn split_number(name: &str) -> Option<(&str, &str)> {
    let inner = name.strip_suffix(')').unwrap_or(name);
    let digits = inner.bytes().rev().take_while(u8::is_ascii_digit).count();
    let (prefix, number) = inner.split_at(inner.len() - digits);
    let is_whole = inner.len() == name.len() || prefix.ends_with('(');
    (digits > 0 && is_whole).then_some((prefix, number))
}

fn one_sprite(
    folder: &Path,
    sprite: &Name,
    images: &[PathBuf],
    limits: &ReadOptions,
) -> Result<(FrameSet, Vec<ReadNotice>), FileError> {
    let read = parallel::try_map(images.len(), |at| load_frames(&images[at], sprite, limits))?;
    let (mut sets, mut remarks) = (Vec::new(), Vec::new());
    for (set, said) in read {
        sets.push(set);
        remarks.extend(said);
    }
    let set = FrameSet::merge(sets).map_err(|error| FileError::read(folder, error))?;
    let (clips, missing) =
        numbered_clips(&set, sprite).map_err(|problem| FileError::read(folder, problem))?;
    remarks.extend(missing);
    let clips = set.clips().iter().cloned().chain(clips).collect();
    Ok((set.with_clips(clips).map_err(|error| FileError::read(folder, error))?, remarks))
}

/// Files whose names differ in their last number only, at least two of them, as clips.
fn numbered_clips(set: &FrameSet, sprite: &Name) -> Result<(Vec<Clip>, Vec<ReadNotice>), ReadProblem> {
    let mut sequences: Vec<(String, Vec<(u64, usize)>)> = Vec::new();
    let mut known: HashMap<String, usize> = HashMap::new();
    let still = |at: &usize| set.first_clip_of(*at).is_none();
    for at in (0..set.frames().len()).filter(still) {
        let Some((prefix, number)) = numbered(&set.frames()[at]) else { continue };
        match known.get(&prefix) {
            Some(&sequence) => sequences[sequence].1.push((number, at)),
            None => {
                known.insert(prefix.clone(), sequences.len());
                sequences.push((prefix, vec![(number, at)]));
            }
        }
    }
    let (mut clips, mut remarks) = (Vec::new(), Vec::new());
    for (prefix, mut members) in sequences.into_iter().filter(|(_, members)| members.len() > 1) {
        members.sort_unstable();
        let spans: Vec<(usize, FrameDuration)> =
            members.iter().map(|&(_, at)| (at, FrameDuration::DEFAULT)).collect();
        let name = trim_separator(&prefix);
        let name = if name.is_empty() { sprite.clone() } else { Name::new(name)? };
        clips.push(Clip::from_durations(sprite.clone(), name, &spans)?);
        let numbers: Vec<u64> = members.iter().map(|&(number, _)| number).collect();
        let missing = missing(&numbers);
        if !missing.is_empty() {
            remarks.push(ReadNotice::MissingNumbers { sequence: prefix, missing });
        }
    }
    Ok((clips, remarks))
}

/// `leap_` and `leap (` as `leap`.
fn trim_separator(prefix: &str) -> &str {
    prefix.trim_end_matches(['-', '_', ' ', '.', '('])
}

/// `leap_07` as `leap_` and 7.
fn numbered(frame: &Frame) -> Option<(String, u64)> {
    let (prefix, number) = split_number(frame.name().as_str())?;
    Some((prefix.to_owned(), number.parse().ok()?))
}

/// The first numbers, up to twenty, between the lowest and the highest that are not there.
fn missing(numbers: &[u64]) -> Vec<u64> {
    let gaps = numbers.windows(2).flat_map(|pair| pair[0].saturating_add(1)..pair[1]);
    gaps.take(20).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_split_from_names() {
        assert_eq!(split_number("leap_07"), Some(("leap_", "07")));
        assert_eq!(split_number("leap (12)"), Some(("leap (", "12")));
        assert_eq!(split_number("3"), Some(("", "3")));
        for name in ["leap", "leap7)", "leap (x)", "(", ")"] {
            assert_eq!(split_number(name), None, "{name}");
        }
    }

    #[test]
    fn gaps_are_found_without_walking_a_huge_one() {
        assert_eq!(missing(&[1, 2, 5, 7]), [3, 4, 6]);
        assert_eq!(missing(&[0, u64::MAX]).len(), 20);
        assert!(missing(&[3]).is_empty());
    }

    fn folder(files: &[&str]) -> tempfile::TempDir {
        let folder = tempfile::tempdir().unwrap();
        let png = crate::encode::png(&image::RgbaImage::new(2, 2)).unwrap();
        for file in files {
            let path = folder.path().join(file);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, &png).unwrap();
        }
        folder
    }

    fn loaded(files: &[&str]) -> (Vec<String>, Vec<String>) {
        let folder = folder(files);
        let set = read(&folder.path().join("pond"), &ReadOptions::default()).unwrap().set;
        let frames = set.frames().iter().map(|frame| format!("{}:{}", frame.sprite(), frame.name()));
        let clips = set.clips().iter().map(|c| format!("{}:{} {}", c.sprite(), c.name(), c.steps().len()));
        (frames.collect(), clips.collect())
    }

    #[test]
    fn sub_folders_are_sprites_and_numbered_siblings_clips_in_natural_order() {
        let (frames, clips) = loaded(&[
            "pond/sign.png",
            "pond/frog/leap_10.png",
            "pond/frog/leap_2.png",
            "pond/frog/sit-1.png",
            "pond/frog/sit-2.png",
            "pond/koi/01.png",
            "pond/koi/02.png",
            "pond/koi/.hidden.png",
        ]);
        let wanted =
            ["pond:sign", "frog:leap_2", "frog:leap_10", "frog:sit-1", "frog:sit-2", "koi:01", "koi:02"];
        assert_eq!(frames, wanted);
        // Numbers alone are the sprite's own clip.
        assert_eq!(clips, ["frog:leap 2", "frog:sit 2", "koi:koi 2"]);
    }

    #[test]
    fn a_list_of_numbered_images_is_one_sprite() {
        let folder = folder(&["leap_10.png", "leap_2.png", "sign.png", "other/leap_3.png"]);
        let at = |file: &str| folder.path().join(file);
        let paths = [at("leap_10.png"), at("sign.png"), at("leap_2.png"), at("other/leap_3.png")];
        let all = crate::decode::sources(&paths, &ReadOptions::default()).unwrap();
        let frames: Vec<String> =
            all.set.frames().iter().map(|frame| format!("{}:{}", frame.sprite(), frame.name())).collect();
        assert_eq!(frames, ["leap:leap_2", "leap:leap_10", "sign:sign", "leap_3:leap_3"]);
        assert_eq!(all.set.clips()[0].name().as_str(), "leap");
        assert!(
            matches!(&all.remarks[..], [ReadNotice::MissingNumbers { missing, .. }] if missing.len() == 7)
        );
    }

    #[test]
    fn a_folder_without_images_says_so() {
        let folder = folder(&["other/a.png"]);
        fs::create_dir(folder.path().join("pond")).unwrap();
        let error = read(&folder.path().join("pond"), &ReadOptions::default()).unwrap_err();
        assert!(matches!(error, FileError::Read { problem: ReadProblem::NoImages, .. }));
    }
}
