//! The clips of a set or an atlas, changed in its manifest alone.

use std::path::{Path, PathBuf};

use shibori_core::FrameSet;
use shibori_core::clip::{Clip, drop_clip, quantize, rename_clips, speed};
use shibori_formats::decode::{load_without_pages, manifest_of, source};
use shibori_formats::encode;
use tracing::info_span;

use crate::options::{ClipCommand, FilterOption};
use crate::plan::{Change, Plan};
use crate::steps::lowering::naming;
use crate::{Context, Error, Notice};

/// Clips as they are now.
#[derive(Clone, Debug)]
pub struct ClipOutcome {
    /// The manifest that keeps them.
    pub manifest: PathBuf,
    /// Frames and all clips.
    pub set: FrameSet,
    /// Whether any clip is not as it was.
    pub is_changed: bool,
    /// The places of the clips that were meant.
    pub shown: Vec<usize>,
    /// Of clips that were put on another clock, the place, and how many milliseconds a step's end is off at most.
    pub deviations: Vec<(usize, f64)>,
}

/// Changes clips, and plans the manifest where that makes a difference.
///
/// # Errors
/// If the manifest can't be read or written, or a change can't be made.
pub fn clip(path: &Path, options: &ClipCommand, cx: &Context<'_>) -> Result<ClipOutcome, Error> {
    let _span = info_span!("clip").entered();
    options.validate()?;
    let Some(manifest) = manifest_of(&cx.resolve(path)) else {
        cx.require_exists(path)?;
        return Err(Error::NoClips { source_path: path.to_owned() });
    };
    cx.claim(&manifest)?;
    let before = match source(&manifest, cx.limits()) {
        // Only rows look at pixels: they end with the last drawing.
        Err(error) if error.is_page_missing() && options.clips.clip_rows.is_none() => {
            let loaded = load_without_pages(&manifest, cx.limits())?;
            cx.notify(Notice::PagesMissing { manifest: path.to_owned() });
            loaded.set
        }
        read => read?.set,
    };
    let (set, deviations) = apply_edits(before.clone(), options, cx)?;
    let is_changed = set.clips() != before.clips();
    if is_changed {
        encode::clips(&manifest, &set, cx.transaction())?;
    }
    let shown = select_clips(&set, &options.only)?;
    let manifest = manifest_of_name(path, &manifest, cx);
    Ok(ClipOutcome { manifest, set, is_changed, shown, deviations })
}

/// A manifest as the user would name it.
fn manifest_of_name(path: &Path, manifest: &Path, cx: &Context<'_>) -> PathBuf {
    manifest.strip_prefix(&cx.base).map_or_else(|_| path.to_owned(), Path::to_owned)
}

/// Changes the clips of frames that are there already.
///
/// # Errors
/// If a change can't be made.
pub fn edit_clips(set: FrameSet, options: &ClipCommand, cx: &Context<'_>) -> Result<FrameSet, Error> {
    Ok(apply_edits(set, options, cx)?.0)
}

/// Drops, renames, adds, marks, then times: later changes see what earlier ones made.
fn apply_edits(
    set: FrameSet,
    options: &ClipCommand,
    cx: &Context<'_>,
) -> Result<(FrameSet, Vec<(usize, f64)>), Error> {
    let set = options.edits.drop.iter().try_fold(set, |set, name| drop_clip(set, name))?;
    let set = rename_clips(set, &options.edits.rename)?;
    let set = Plan::new(vec![Change::Name(naming(&options.clips))]).run(set, cx)?.set;
    let mut clips = set.clips().to_vec();
    let mut deviations = Vec::new();
    for at in select_clips(&set, &options.only)? {
        if let Some(factor) = options.edits.speed {
            clips[at] = speed(clips[at].clone(), factor)?;
        }
        if let Some(rate) = options.edits.snap {
            let (fitted, deviation) = quantize(clips[at].clone(), rate)?;
            clips[at] = fitted;
            deviations.push((at, deviation));
        }
    }
    Ok((set.with_clips(clips)?, deviations))
}

/// The clips that are meant.
fn select_clips(set: &FrameSet, only: &FilterOption) -> Result<Vec<usize>, Error> {
    let Some(only) = &only.only else { return Ok((0..set.clips().len()).collect()) };
    let part = only.of(set)?;
    let meant: std::collections::HashSet<_> =
        part.clips().iter().map(|clip| (clip.sprite(), clip.name())).collect();
    let is_meant = |clip: &Clip| meant.contains(&(clip.sprite(), clip.name()));
    Ok((0..set.clips().len()).filter(|&at| is_meant(&set.clips()[at])).collect())
}
