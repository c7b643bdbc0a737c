//! What `slice` is given: files, numbered images, folders of them.

use std::path::{Path, PathBuf};

use shibori_core::FrameSet;
use shibori_core::cut::SheetAnalysis;
use shibori_formats::decode::{self, DecodedImage, image, images_in};

use crate::options::SliceOptions;
use crate::steps::loading::{accept_loaded, load_whole, report_total_memory};
use crate::steps::sheet::SheetReading;
use crate::{Context, Error, Notice, Source};

/// Numbered images that are named one by one: frames as they are, like those of a folder, unless it is said how to cut
/// them or the first is a sheet. With the first file, as it was named.
pub(super) fn numbered_images(
    sources: &[Source],
    options: &SliceOptions,
    cx: &Context<'_>,
) -> Result<Option<(PathBuf, FrameSet)>, Error> {
    let paths: Option<Vec<&Path>> = sources.iter().map(Source::path).collect();
    let Some(paths) = paths.filter(|paths| paths.len() > 1 && !options.cut.has_cut_method()) else {
        return Ok(None);
    };
    let files: Vec<PathBuf> = paths.iter().map(|path| cx.resolve(path)).collect();
    if options.cut.within.is_some() || !decode::is_numbered(&files) {
        return Ok(None);
    }
    let DecodedImage::Still(first) = image(&files[0], cx.limits())?.picture else { return Ok(None) };
    if SheetReading::of(paths[0], &SheetAnalysis::of(&first), cx)?.grid_of_sheet(paths[0]).is_some() {
        return Ok(None);
    }
    let (file, count) = (paths[0].to_owned(), paths.len());
    // All images of a folder are the folder.
    let folder = files[0].parent().filter(|folder| images_in(folder).is_ok_and(|all| all.len() == count));
    let set = match folder {
        Some(folder) => load_whole(&Source::Path(folder.to_owned()), cx)?,
        None => accept_loaded(
            report_total_memory(decode::sources(&files, cx.limits()).map_err(Error::from), &files, cx)?,
            cx,
        ),
    };
    cx.notify(Notice::NumberedFrames { file: file.clone(), count });
    Ok(Some((file, set)))
}

/// Folders as the sheets in them, where it is said how sheets are cut; else a folder has frames as they are.
pub(super) fn expand_folders(
    sources: &[Source],
    options: &SliceOptions,
    cx: &Context<'_>,
) -> Result<Vec<Source>, Error> {
    let mut all = Vec::new();
    for source in sources {
        match source.path().map(|path| cx.resolve(path)) {
            Some(whole)
                if options.cut.has_cut_method()
                    && whole.is_dir()
                    && cx.limits().manifest_of(&whole).is_none() =>
            {
                let shown = |file: PathBuf| {
                    file.strip_prefix(&cx.base).map_or_else(|_| file.clone(), Path::to_owned).into()
                };
                all.extend(images_in(&whole)?.into_iter().map(shown));
            }
            _ => all.push(source.clone()),
        }
    }
    Ok(all)
}

/// Whether a path is that of one image or animation.
pub(super) fn is_file(path: &Path, cx: &Context<'_>) -> bool {
    let whole = cx.resolve(path);
    !whole.is_dir() && cx.limits().manifest_of(&whole).is_none()
}
