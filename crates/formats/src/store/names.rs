//! Frame names as file names, safe on Windows, macOS and Linux alike.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use shibori_core::{FrameSet, portability_problem};
use unicode_normalization::UnicodeNormalization;

use crate::manifest::{SetPicture, pictures_of};
use crate::{FileError, WriteProblem};

/// A file for every picture of a set, as paths with `/`: a companion's file has its frame's name plus the suffix. Where
/// frames of several sprites have one name, each sprite gets a folder.
pub(crate) fn files_of(set: &FrameSet, folder: &Path) -> Result<Vec<String>, FileError> {
    let file = |SetPicture { frame, companion }: SetPicture| {
        let frame = &set.frames()[frame];
        let suffix = companion.map_or("", |companion| &frame.companions()[companion].spec.suffix);
        format!("{}{suffix}.png", frame.name())
    };
    let pictures = pictures_of(set);
    let plain: Vec<String> = pictures.iter().map(|picture| file(*picture)).collect();
    let files = match twice(&plain) {
        None => plain,
        Some(_) => {
            let sprite = |picture: &SetPicture| set.frames()[picture.frame].sprite();
            pictures.iter().map(|picture| format!("{}/{}", sprite(picture), file(*picture))).collect()
        }
    };
    for file in &files {
        let name = file.trim_end_matches(".png");
        if let Some(why) = portability_problem(name) {
            return Err(FileError::write(folder, WriteProblem::FileName { name: name.to_owned(), why }));
        }
    }
    match twice(&files) {
        None => Ok(files),
        Some((first, second)) => {
            let (first, second) = (files[first].clone(), files[second].clone());
            Err(FileError::write(&folder.join(&second), WriteProblem::Twice { first, second }))
        }
    }
}

/// Refuses what a run would make under a name that fails somewhere: files and folders alike. What is there already has proved
/// its name, and may be written again.
pub(super) fn check_new(targets: &[PathBuf]) -> Result<(), FileError> {
    let is_new = |path: &&Path| path.symlink_metadata().is_err();
    let mut folders = HashSet::new();
    for target in targets {
        let new_folders =
            target.ancestors().skip(1).take_while(|folder| folders.insert(folder.to_path_buf()));
        for path in std::iter::once(target.as_path()).chain(new_folders).filter(is_new) {
            // Neither the end of a path nor `..` makes anything.
            let Some(name) = path.file_name() else { continue };
            let name = name.to_string_lossy();
            let fault = portability_problem(&name)
                .or((name.split('.').next() == Some("-"))
                    .then_some("nothing is written to the output stream"));
            if let Some(why) = fault {
                return Err(FileError::write(target, WriteProblem::NewName { name: name.into_owned(), why }));
            }
        }
    }
    Ok(())
}

/// Key under which file names are compared: equal for names that are one file on some system, where neither case nor the
/// spelling of an accent counts.
pub fn file_key(name: &str) -> String {
    name.nfc().collect::<String>().to_lowercase().nfc().collect()
}

/// Two paths that are one file on some system.
fn twice(files: &[String]) -> Option<(usize, usize)> {
    let mut seen: HashMap<String, usize> = HashMap::with_capacity(files.len());
    files.iter().enumerate().find_map(|(at, file)| Some((seen.insert(file_key(file), at)?, at)))
}

#[cfg(test)]
mod tests {
    use shibori_core::{Frame, Name, Pixels};

    use super::*;

    #[test]
    fn only_what_is_new_must_have_a_name_that_works_everywhere() {
        let folder = tempfile::tempdir().unwrap();
        let fault = |path: &str| check_new(&[folder.path().join(path)]).err().map(|error| error.to_string());
        for good in ["koi.json", "new/deep/koi.png", ".hidden", "../koi-x.png"] {
            assert_eq!(fault(good), None, "{good}");
        }
        for bad in ["NUL", "con.png", "new/aux/koi.png", "koi.", "koi ", "nul./koi.png", "-", "-.png"] {
            assert!(fault(bad).is_some(), "{bad}");
        }
        std::fs::create_dir(folder.path().join("aux")).unwrap();
        assert_eq!(fault("aux/koi.png"), None);
    }

    fn set(frames: &[(&str, &str)]) -> FrameSet {
        let frame = |&(sprite, name): &(&str, &str)| {
            let pixels = Pixels::from_image(image::RgbaImage::new(1, 1));
            Frame::new(Name::new(sprite).unwrap(), Name::new(name).unwrap(), pixels).unwrap()
        };
        FrameSet::new(frames.iter().map(frame).collect(), Vec::new()).unwrap()
    }

    #[test]
    fn sprites_get_folders_where_their_frames_have_one_name() {
        let files = |frames: &[(&str, &str)]| files_of(&set(frames), Path::new("out")).unwrap();
        assert_eq!(files(&[("koi", "koi-0"), ("frog", "frog-0")]), ["koi-0.png", "frog-0.png"]);
        assert_eq!(files(&[("koi", "0"), ("frog", "0")]), ["koi/0.png", "frog/0.png"]);
    }

    #[test]
    fn names_that_differ_in_capitals_only_would_be_one_file() {
        let error = files_of(&set(&[("koi", "Up"), ("koi", "up")]), Path::new("out")).unwrap_err();
        assert!(matches!(error, FileError::Write { problem: WriteProblem::Twice { .. }, .. }), "{error}");
        let error = files_of(&set(&[("koi", "\u{e9}"), ("koi", "e\u{301}")]), Path::new("out")).unwrap_err();
        assert!(matches!(error, FileError::Write { problem: WriteProblem::Twice { .. }, .. }), "{error}");
        let error = files_of(&set(&[("koi", "a:b")]), Path::new("out")).unwrap_err();
        assert!(error.to_string().contains("'a:b' can't be a file name"), "{error}");
    }
}
