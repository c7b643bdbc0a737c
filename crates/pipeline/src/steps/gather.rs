//! Sources as frames, and what was noticed on the way.

use std::path::{Path, PathBuf};

use shibori_core::{FrameSet, OverBudget};
use shibori_formats::DisplaySlashed;
use shibori_formats::decode::{
    Limits, LoadedFrames, load_companions, manifest_of, memory_for, source, sources,
};
use shibori_formats::{Error as File, ReadProblem};

use tracing::{debug, info_span};

use crate::options::FilterOption;
use crate::{Context, Error, Notice};

/// Frames of several sources in one set. Their files are sources of the run from now on. With `tighten`, only what shows of
/// each frame is kept: for those that are trimmed anyway.
pub(crate) fn many(
    paths: &[PathBuf],
    only: &FilterOption,
    tighten: bool,
    cx: &Context<'_>,
) -> Result<FrameSet, Error> {
    let _span = info_span!("read", sources = paths.len()).entered();
    paths.iter().try_for_each(|path| cx.finish_interrupted(path))?;
    let places: Vec<PathBuf> = paths.iter().map(|path| cx.at(path)).collect();
    let read = sources(&places, &Limits { tighten, ..cx.limits().clone() }).map_err(Error::from);
    Ok(only.of(heard(whole_need(read, paths, cx)?, cx))?)
}

/// Frames of one source.
pub(crate) fn one(path: &Path, only: &FilterOption, cx: &Context<'_>) -> Result<FrameSet, Error> {
    Ok(only.of(whole(path, cx)?)?)
}

/// Frames of one source, all of them.
pub(crate) fn whole(path: &Path, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let _span = info_span!("read", source = %path.shown()).entered();
    cx.finish_interrupted(path)?;
    let read = source(&cx.at(path), cx.limits()).map_err(Error::from);
    Ok(heard(whole_need(read, std::slice::from_ref(&path.to_owned()), cx)?, cx))
}

/// Frames of one source that may be written over by its own step: its files are no sources of the run.
pub(crate) fn own(path: &Path, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let gathered = source(&cx.at(path), cx.limits())?;
    gathered.remarks.into_iter().for_each(|remark| cx.tell(Notice::Read(remark)));
    Ok(gathered.set)
}

/// Frames of an atlas, and the companions beside them as frames of their own.
pub(crate) fn with_companions(path: &Path, only: &FilterOption, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let mut set = whole(path, cx)?;
    if let Some(manifest) = manifest_of(&cx.at(path)) {
        for companions in load_companions(&manifest, cx.limits())? {
            set = FrameSet::merge([set, heard(companions, cx)])?;
        }
    }
    Ok(only.of(set)?)
}

/// Where memory is short while sources are read: says what all of them need, not only the next.
pub(crate) fn whole_need<T>(
    result: Result<T, Error>,
    paths: &[PathBuf],
    cx: &Context<'_>,
) -> Result<T, Error> {
    result.map_err(|error| match error {
        Error::File(File::Read { path, problem: ReadProblem::Memory(over) }) => {
            let paths: Vec<PathBuf> = paths.iter().map(|path| cx.at(path)).collect();
            let need = memory_for(&paths).max(over.need.saturating_add(over.taken));
            let problem = ReadProblem::Memory(OverBudget { need, taken: 0, ..over });
            Error::File(File::Read { path, problem })
        }
        error => error,
    })
}

pub(crate) fn heard(gathered: LoadedFrames, cx: &Context<'_>) -> FrameSet {
    gathered.remarks.into_iter().for_each(|remark| cx.tell(Notice::Read(remark)));
    debug!(frames = gathered.set.frames().len(), clips = gathered.set.clips().len(), "read");
    cx.run().add_sources(&gathered.files);
    gathered.set
}
