//! Sources as frames, and what was noticed on the way.

use std::path::{Path, PathBuf};

use shibori_core::FrameSet;
use shibori_formats::ShownPath;
use shibori_formats::read::{Gathered, Limits, load_companions, manifest_of, source, sources};

use tracing::{debug, info_span};

use crate::options::OnlyOption;
use crate::{Context, Error, Notice};

/// Frames of several sources in one set. Their files are sources of the run from now on. With `tighten`, only what shows of
/// each frame is kept: for those that are trimmed anyway.
pub(crate) fn many(
    paths: &[PathBuf],
    only: &OnlyOption,
    tighten: bool,
    cx: &Context<'_>,
) -> Result<FrameSet, Error> {
    let _span = info_span!("read", sources = paths.len()).entered();
    let paths: Vec<PathBuf> = paths.iter().map(|path| cx.at(path)).collect();
    Ok(only.of(heard(sources(&paths, &Limits { tighten, ..cx.limits().clone() })?, cx))?)
}

/// Frames of one source.
pub(crate) fn one(path: &Path, only: &OnlyOption, cx: &Context<'_>) -> Result<FrameSet, Error> {
    Ok(only.of(whole(path, cx)?)?)
}

/// Frames of one source, all of them.
pub(crate) fn whole(path: &Path, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let _span = info_span!("read", source = %path.shown()).entered();
    Ok(heard(source(&cx.at(path), cx.limits())?, cx))
}

/// Frames of one source that may be written over by its own step: its files are no sources of the run.
pub(crate) fn own(path: &Path, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let gathered = source(&cx.at(path), cx.limits())?;
    gathered.remarks.into_iter().for_each(|remark| cx.tell(Notice::Read(remark)));
    Ok(gathered.set)
}

/// Frames of an atlas, and the companions beside them as frames of their own.
pub(crate) fn with_companions(path: &Path, only: &OnlyOption, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let mut set = whole(path, cx)?;
    if let Some(manifest) = manifest_of(&cx.at(path)) {
        for companions in load_companions(&manifest, cx.limits())? {
            set = FrameSet::merge([set, heard(companions, cx)])?;
        }
    }
    Ok(only.of(set)?)
}

pub(crate) fn heard(gathered: Gathered, cx: &Context<'_>) -> FrameSet {
    gathered.remarks.into_iter().for_each(|remark| cx.tell(Notice::Read(remark)));
    debug!(frames = gathered.set.frames().len(), clips = gathered.set.clips().len(), "read");
    cx.run().add_sources(&gathered.files);
    gathered.set
}
