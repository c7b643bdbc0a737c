//! Whatever a person points at, as frames.

use std::path::{Path, PathBuf};

use serde_json::Value;
use shibori_core::clip::{Clip, Play};
use shibori_core::{Frame, FrameSet, Name, Pixels, Size, Source};

use crate::read::Limits;
use crate::read::folder;
use crate::read::image::{Animation, Loaded, Picture, image};
use crate::{Error, ReadProblem, manifest};

/// Frames, and what was noticed on the way.
#[derive(Clone, Debug, Default)]
pub struct Gathered {
    /// The frames and clips.
    pub set: FrameSet,
    /// What the user should hear.
    pub remarks: Vec<Remark>,
    /// Every file that was read: none of them may be overwritten.
    pub files: Vec<PathBuf>,
}

/// Something that is no error, but not as it may seem.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Remark {
    /// Numbers missing in a numbered sequence.
    MissingNumbers {
        /// The sequence, such as `leap_`.
        sequence: String,
        /// The numbers that are not there.
        missing: Vec<u64>,
    },
    /// An animation that breaks off; the frames before that were taken.
    Truncated {
        /// The file.
        file: String,
        /// How many frames are whole.
        frames: usize,
    },
    /// An image of a set that was painted over at another size.
    Edited {
        /// The frame.
        frame: String,
        /// Its image.
        file: String,
        /// The size it had.
        was: Size,
        /// The size it has.
        now: Size,
        /// The frame's canvas now.
        canvas: Size,
    },
    /// Delays too short for viewers, played as 100 ms.
    FastDelays {
        /// The file.
        file: String,
        /// How many frames have one.
        frames: usize,
    },
}

/// Reads several sources into one set; numbered images of one name among them are one sprite with its clip.
pub fn sources(paths: &[PathBuf], limits: &Limits) -> Result<Gathered, Error> {
    let mut all = Gathered::default();
    let mut sets = Vec::with_capacity(paths.len());
    for siblings in folder::siblings(paths) {
        let one = siblings.read(limits, |path| source(path, limits))?;
        sets.push(one.set);
        all.remarks.extend(one.remarks);
        all.files.extend(one.files);
    }
    let last = paths.last().map_or(Path::new(""), PathBuf::as_path);
    all.set = FrameSet::merge(sets).map_err(|error| Error::read(last, error))?;
    Ok(all)
}

/// Reads a set, an atlas, an image, an animation or a folder of images. An atlas may be named without
/// its ending.
pub fn source(path: &Path, limits: &Limits) -> Result<Gathered, Error> {
    if let Some(manifest) = manifest_of(path) {
        return from_manifest(&manifest, limits);
    }
    if path.is_dir() {
        return folder::read(path, limits);
    }
    let (set, remarks) = frames_of_file(path, &sprite_name(path)?, limits)?;
    Ok(Gathered { set, remarks, files: vec![path.to_owned()] })
}

/// The manifest that a person means by a path: itself, that of a set's folder, or that of an atlas named without its
/// ending.
pub fn manifest_of(path: &Path) -> Option<PathBuf> {
    let in_folder = path.join(manifest::SET_FILE);
    if path.is_dir() {
        return in_folder.is_file().then_some(in_folder);
    }
    if path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("json")) {
        return Some(path.to_owned());
    }
    let with_ending = path.with_added_extension("json");
    (!path.exists() && with_ending.is_file()).then_some(with_ending)
}

pub(super) fn from_manifest(path: &Path, limits: &Limits) -> Result<Gathered, Error> {
    manifest::load(path, limits)
}

/// A file's name without its folders and its ending: the sprite it is taken for.
pub fn sprite_name(path: &Path) -> Result<Name, Error> {
    if path == Path::new("-") {
        return Name::new("stdin").map_err(|error| Error::read(path, error));
    }
    let stem = path.file_stem().map_or_else(|| "frames".into(), |stem| stem.to_string_lossy());
    Name::new(stem).map_err(|error| Error::read(path, error))
}

pub(crate) fn file_name(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}

/// The frames of one image file: one named after the file, or an animation's with their clip.
pub(super) fn frames_of_file(
    path: &Path,
    sprite: &Name,
    limits: &Limits,
) -> Result<(FrameSet, Vec<Remark>), Error> {
    let Loaded { picture, is_truncated, .. } = image(path, limits)?;
    let file = file_name(path);
    match picture {
        Picture::Still(pixels) => {
            let set = still(pixels, sprite, sprite_name(path)?, &file);
            Ok((set.map_err(|problem| Error::read(path, problem))?, Vec::new()))
        }
        Picture::Moving(animation) => {
            let name = sprite_name(path)?;
            animation_frames(animation, sprite, &name, &file, is_truncated)
                .map_err(|problem| Error::read(path, problem))
        }
    }
}

fn still(pixels: Pixels, sprite: &Name, name: Name, file: &str) -> Result<FrameSet, ReadProblem> {
    let frame = Frame::new(sprite.clone(), name, pixels);
    let frame = frame.map_err(|error| ReadProblem::Frame { frame: file.to_owned(), error })?;
    let source = Source { file: file.to_owned(), ..Source::default() };
    Ok(FrameSet::new(vec![frame.with_source(Some(source))], Vec::new())?)
}

/// The pictures of an animation as frames `name-00`, `name-01`, ..., and the clip `name` that plays them.
pub fn animation_frames(
    animation: Animation,
    sprite: &Name,
    name: &Name,
    file: &str,
    is_truncated: bool,
) -> Result<(FrameSet, Vec<Remark>), ReadProblem> {
    let digits = animation.moments.len().saturating_sub(1).max(10).ilog10() as usize + 1;
    let (mut frames, mut spans, mut fast) = (Vec::new(), Vec::new(), 0);
    for (number, moment) in animation.moments.into_iter().enumerate() {
        let frame_name = Name::new(format!("{name}-{number:0digits$}"))?;
        let mut source = Source { file: file.to_owned(), ..Source::default() };
        if let Some(raw) = moment.raw_delay {
            source.carried.insert("delay".to_owned(), Value::from(raw));
            fast += 1;
        }
        let frame = Frame::new(sprite.clone(), frame_name, Pixels::whole(moment.picture));
        let frame = frame.map_err(|error| ReadProblem::Frame { frame: file.to_owned(), error })?;
        frames.push(frame.with_source(Some(source)));
        spans.push((number, moment.span));
    }
    let clip = Clip::of_spans(sprite.clone(), name.clone(), &spans)?.playing(Play::Forward, animation.plays);
    let remark = Remark::FastDelays { file: file.to_owned(), frames: fast };
    let mut remarks = if fast > 0 { vec![remark] } else { Vec::new() };
    if is_truncated {
        remarks.push(Remark::Truncated { file: file.to_owned(), frames: frames.len() });
    }
    Ok((FrameSet::new(frames, vec![clip])?, remarks))
}
