//! Reading sources, and saying what was noticed on the way.

use std::path::{Path, PathBuf};

use shibori_core::FrameSet;
use shibori_formats::read::{Gathered, Limits, Remark, source, sources};

use crate::args::OnlyArgs;
use crate::console::{Console, counted};
use crate::failure::Failure;

/// Frames of several sources in one set, and the files they came from.
pub(super) fn many(
    paths: &[PathBuf],
    only: &OnlyArgs,
    console: &Console,
) -> Result<(FrameSet, Vec<PathBuf>), Failure> {
    narrowed(sources(paths, &Limits::default())?, only, console)
}

/// Frames of one source.
pub(super) fn one(
    path: &Path,
    only: &OnlyArgs,
    console: &Console,
) -> Result<(FrameSet, Vec<PathBuf>), Failure> {
    narrowed(source(path, &Limits::default())?, only, console)
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
        Remark::FastDelays { file, frames } => {
            let frames = counted(*frames, "frame");
            console
                .note(&format!("{file}: {frames} with a delay of 0 or 10 ms play as 100 ms, as in browsers"));
        }
    }
}
