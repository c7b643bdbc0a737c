//! Frame names as file names, safe on Windows, macOS and Linux alike.

use std::collections::HashMap;
use std::path::Path;

use shibori_core::{FrameSet, file_fault};

use crate::{Error, WriteProblem};

/// A file for every frame, as paths with `/`. Where frames of several sprites have one name, each sprite
/// gets a folder.
pub(super) fn files_of(set: &FrameSet, folder: &Path) -> Result<Vec<String>, Error> {
    let plain: Vec<String> = set.frames().iter().map(|frame| format!("{}.png", frame.name())).collect();
    let files = match twice(&plain) {
        None => plain,
        Some(_) => {
            set.frames().iter().map(|frame| format!("{}/{}.png", frame.sprite(), frame.name())).collect()
        }
    };
    for file in &files {
        let name = file.trim_end_matches(".png");
        if let Some(why) = file_fault(name) {
            return Err(Error::write(folder, WriteProblem::FileName { name: name.to_owned(), why }));
        }
    }
    match twice(&files) {
        None => Ok(files),
        Some((first, second)) => {
            let (first, second) = (files[first].clone(), files[second].clone());
            Err(Error::write(&folder.join(&second), WriteProblem::Twice { first, second }))
        }
    }
}

/// Two paths that are one file where capitals do not count.
fn twice(files: &[String]) -> Option<(usize, usize)> {
    let mut seen: HashMap<String, usize> = HashMap::with_capacity(files.len());
    files.iter().enumerate().find_map(|(at, file)| Some((seen.insert(file.to_lowercase(), at)?, at)))
}

#[cfg(test)]
mod tests {
    use shibori_core::{Frame, Name, Pixels};

    use super::*;

    fn set(frames: &[(&str, &str)]) -> FrameSet {
        let frame = |&(sprite, name): &(&str, &str)| {
            let pixels = Pixels::whole(image::RgbaImage::new(1, 1));
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
        assert!(matches!(error, Error::Write { problem: WriteProblem::Twice { .. }, .. }), "{error}");
        let error = files_of(&set(&[("koi", "a:b")]), Path::new("out")).unwrap_err();
        assert!(error.to_string().contains("'a:b' can't be a file name"), "{error}");
    }
}
