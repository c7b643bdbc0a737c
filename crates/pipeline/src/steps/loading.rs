//! Sources as frames, and what is noticed on the way.

use std::path::{Path, PathBuf};

use shibori_core::cut::SheetAnalysis;
use shibori_core::{FrameSet, OverBudget};
use shibori_formats::DisplaySlashed;
use shibori_formats::decode::{
    LoadedFrames, ReadNotice, ReadOptions, frames_of_still, manifest_of, memory_for, source, sources,
    sprite_name,
};
use shibori_formats::manifest::SET_FILE;
use shibori_formats::{FileError, ReadProblem};

use tracing::{debug, info_span};

use crate::CommandLine;
use crate::options::{CutOptions, FilterOption, SliceOptions};
use crate::steps::sheet::SheetReading;
use crate::{Context, Error, Notice, Source};

/// Of so many images named one by one, each is looked at for being a sheet; more are frames.
const FEW_IMAGES: usize = 8;

/// Frames of several sources in one set, with their companions. Their files are sources of the run from now on. With `tighten`, only the visible
/// pixels of each frame are kept: for frames that are trimmed anyway.
pub(crate) fn load_all(all: &[Source], tighten: bool, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let _span = info_span!("read", sources = all.len()).entered();
    // Files side by side are read together: numbered ones are one sequence.
    let mut sets = Vec::new();
    for some in all.chunk_by(|a, b| a.path().is_some() && b.path().is_some()) {
        let paths: Vec<PathBuf> = some.iter().filter_map(Source::path).map(Path::to_owned).collect();
        if paths.is_empty() {
            sets.push(load_with_companions(&some[0], cx)?);
            continue;
        }
        paths.iter().try_for_each(|path| cx.finish_interrupted(path))?;
        let places: Vec<PathBuf> = paths.iter().map(|path| cx.resolve(path)).collect();
        let read = sources(&places, &ReadOptions { tighten, companions: true, ..cx.limits().clone() })
            .map_err(Error::from);
        let set = accept_loaded(report_total_memory(read, &paths, cx)?, cx);
        if paths.len() <= FEW_IMAGES {
            paths.iter().for_each(|path| note_uncut_sheet(path, &set, cx));
        }
        sets.push(set);
    }
    Ok(if sets.len() == 1 { sets.remove(0) } else { FrameSet::merge(sets)? })
}

/// Frames of one source.
pub(crate) fn load(source: &Source, only: &FilterOption, cx: &Context<'_>) -> Result<FrameSet, Error> {
    Ok(only.of(load_whole(source, cx)?)?)
}

/// Frames of one source, all of them. A sheet is one frame.
pub(crate) fn load_whole(from: &Source, cx: &Context<'_>) -> Result<FrameSet, Error> {
    load_with(from, cx.limits(), cx)
}

/// The same with their companions: for what writes frames.
pub(crate) fn load_with_companions(from: &Source, cx: &Context<'_>) -> Result<FrameSet, Error> {
    load_with(from, &ReadOptions { companions: true, ..cx.limits().clone() }, cx)
}

fn load_with(from: &Source, limits: &ReadOptions, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let path = match from {
        Source::Path(path) => path,
        Source::Frames { set, .. } => return Ok(set.as_ref().clone()),
        Source::Sheet { name, pixels } => {
            let sprite = sprite_name(Path::new(name))?;
            let set = frames_of_still(pixels.clone(), &sprite, sprite.clone(), name);
            return Ok(set.map_err(|problem| FileError::Read { path: name.into(), problem })?);
        }
    };
    let _span = info_span!("read", source = %path.display_slashed()).entered();
    cx.finish_interrupted(path)?;
    let read = source(&cx.resolve(path), limits).map_err(Error::from);
    let set = accept_loaded(report_total_memory(read, std::slice::from_ref(path), cx)?, cx);
    note_uncut_sheet(path, &set, cx);
    Ok(set)
}

/// Notes that an image, of which the set has one frame, looks like a sheet.
fn note_uncut_sheet(path: &Path, set: &FrameSet, cx: &Context<'_>) {
    let file = cx.resolve(path);
    if !file.is_file() || manifest_of(&file).is_some() {
        return;
    }
    let Ok(sprite) = sprite_name(path) else { return };
    let [frame] = set.frames_of(&sprite)[..] else { return };
    let pixels = set.frames()[frame].full_image();
    let reading = SheetReading::of(path, &SheetAnalysis::of(&pixels), cx);
    let Some(grid) = reading.ok().and_then(|reading| reading.grid_of_sheet(path)) else { return };
    let cut = CutOptions::default().with_grid(&grid, pixels.size());
    let options = Box::new(SliceOptions { cut, ..SliceOptions::default() });
    let command = Box::new(CommandLine::Slice { source: path.to_owned(), options, output: None });
    cx.notify(Notice::UncutSheet { file: path.to_owned(), size: pixels.size(), grid, command });
}

/// Frames of a set that is to be changed in place. It is claimed before it is read, and its files may be written over.
///
/// # Errors
/// If the path isn't that of a set, or the set can't be read.
pub fn open_in_place(path: &Path, cx: &Context<'_>) -> Result<Source, Error> {
    cx.claim(&cx.resolve(&folder_of_set(path, cx)?).join(SET_FILE))?;
    let loaded = source(&cx.resolve(path), &ReadOptions { companions: true, ..cx.limits().clone() })?;
    loaded.remarks.into_iter().for_each(|remark| cx.notify(Notice::Read(remark)));
    Ok(Source::frames(path.display_slashed().to_string(), loaded.set))
}

/// The folder of a set that is named by its folder or by its manifest.
pub(crate) fn folder_of_set(path: &Path, cx: &Context<'_>) -> Result<PathBuf, Error> {
    if cx.resolve(path).join(SET_FILE).is_file() {
        return Ok(path.to_owned());
    }
    if path.file_name().is_some_and(|name| name == SET_FILE) {
        return Ok(path.parent().unwrap_or(Path::new("")).to_owned());
    }
    Err(Error::NotASet { source_path: path.to_owned() })
}

/// Where memory runs out while sources are read: reports what all of them need, not only the next.
pub(crate) fn report_total_memory<T>(
    result: Result<T, Error>,
    paths: &[PathBuf],
    cx: &Context<'_>,
) -> Result<T, Error> {
    result.map_err(|error| match error {
        Error::File(FileError::Read { path, problem: ReadProblem::Memory(over) }) => {
            let paths: Vec<PathBuf> = paths.iter().map(|path| cx.resolve(path)).collect();
            let need = memory_for(&paths).max(over.need.saturating_add(over.taken));
            let problem = ReadProblem::Memory(OverBudget { need, taken: 0, ..over });
            Error::File(FileError::Read { path, problem })
        }
        error => error,
    })
}

/// Passes on what was noticed, and makes the files sources of the run.
pub(crate) fn accept_loaded(loaded: LoadedFrames, cx: &Context<'_>) -> FrameSet {
    for remark in sum_losses(loaded.remarks) {
        cx.notify(Notice::Read(remark));
    }
    debug!(frames = loaded.set.frames().len(), clips = loaded.set.clips().len(), "read");
    cx.transaction().add_sources(&loaded.files);
    loaded.set
}

/// The same notices, with losses of the same kind summed up.
fn sum_losses(remarks: Vec<ReadNotice>) -> Vec<ReadNotice> {
    let mut summed: Vec<ReadNotice> = Vec::with_capacity(remarks.len());
    for remark in remarks {
        let known = summed.iter_mut().find_map(|known| match (known, &remark) {
            (ReadNotice::Loss { files, loss, .. }, ReadNotice::Loss { loss: same, .. }) if loss == same => {
                Some(files)
            }
            _ => None,
        });
        match known {
            Some(files) => *files += 1,
            None => summed.push(remark),
        }
    }
    summed
}
