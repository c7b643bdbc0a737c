//! Reading sources, and saying what was noticed on the way.

use std::path::{Path, PathBuf};

use shibori_core::FrameSet;
use shibori_formats::manifest::load_companions;
use shibori_formats::read::{Gathered, Remark, manifest_of, source, sources};

use crate::args::{Everywhere, OnlyArgs};
use crate::console::{Console, counted};
use crate::failure::Failure;

/// Frames of several sources in one set, and the files they came from.
pub(super) fn many(
    paths: &[PathBuf],
    only: &OnlyArgs,
    everywhere: &Everywhere,
    console: &Console,
) -> Result<(FrameSet, Vec<PathBuf>), Failure> {
    narrowed(sources(paths, &everywhere.limits())?, only, console)
}

/// Frames of one source.
pub(super) fn one(
    path: &Path,
    only: &OnlyArgs,
    everywhere: &Everywhere,
    console: &Console,
) -> Result<(FrameSet, Vec<PathBuf>), Failure> {
    narrowed(source(path, &everywhere.limits())?, only, console)
}

/// Frames of an atlas, and the companions beside them as frames of their own.
pub(super) fn unpacked(
    path: &Path,
    only: &OnlyArgs,
    everywhere: &Everywhere,
    console: &Console,
) -> Result<(FrameSet, Vec<PathBuf>), Failure> {
    let limits = everywhere.limits();
    let mut gathered = source(path, &limits)?;
    if let Some(manifest) = manifest_of(path) {
        for companions in load_companions(&manifest, &limits)? {
            gathered.set = FrameSet::merge([gathered.set, companions.set])?;
            gathered.files.extend(companions.files);
        }
    }
    narrowed(gathered, only, console)
}

/// Frames of one source, all of them.
pub(super) fn whole(
    path: &Path,
    everywhere: &Everywhere,
    console: &Console,
) -> Result<(FrameSet, Vec<PathBuf>), Failure> {
    let gathered = source(path, &everywhere.limits())?;
    gathered.remarks.iter().for_each(|remark| tell(remark, console));
    Ok((gathered.set, gathered.files))
}

fn narrowed(
    gathered: Gathered,
    only: &OnlyArgs,
    console: &Console,
) -> Result<(FrameSet, Vec<PathBuf>), Failure> {
    for remark in &gathered.remarks {
        tell(remark, console);
    }
    let set = match &only.only {
        Some(only) => only.of(&gathered.set)?,
        None => gathered.set,
    };
    Ok((set, gathered.files))
}

pub(super) fn tell(remark: &Remark, console: &Console) {
    match remark {
        Remark::MissingNumbers { sequence, missing } => {
            let numbers: Vec<String> = missing.iter().map(ToString::to_string).collect();
            let text = format!("numbered images '{sequence}': missing {}", numbers.join(", "));
            console.warn(&text, Some("the clip plays without them; add the files if they were forgotten"));
        }
        Remark::Truncated { file, frames } => {
            let frames = counted(*frames, "frame");
            console.warn(&format!("{file}: breaks off; the {frames} before the break were taken"), None);
        }
        Remark::Edited { frame, file, was, now, canvas } => {
            console.note(&format!(
                "{file}: was {was} px, is {now} px; frame '{frame}' has a canvas of {canvas} px now"
            ));
        }
        Remark::FastDelays { file, frames } => {
            let frames = counted(*frames, "frame");
            console
                .note(&format!("{file}: {frames} with a delay of 0 or 10 ms play as 100 ms, as in browsers"));
        }
    }
}
