//! The pages of anything: an atlas's own, or packed for a picture of them.

use std::path::Path;

use shibori_core::pack::{ColorFinish, PackOptions, pack, paint};
use shibori_core::shape::{Trim, TrimScope, trim};
use shibori_core::{FrameSet, Pixels};
use shibori_formats::ReadProblem;
use shibori_formats::decode::{Picture, image, manifest_of};
use shibori_formats::manifest::{self, Manifest, PageInfo, of_atlas, parse};

use crate::{Context, Error, Growth};

/// One page.
pub(crate) struct Page {
    pub(crate) name: String,
    pub(crate) pixels: Pixels,
    /// Its length on disk, where it is a file.
    pub(crate) bytes: Option<u64>,
}

/// What lies where, and the pages. An atlas or a sheet has its own; a set of many files, a bare image, or a part of
/// anything is packed.
pub(crate) fn pages_of(
    source: &Path,
    is_part: bool,
    set: &FrameSet,
    cx: &Context<'_>,
) -> Result<(Manifest, Vec<Page>), Error> {
    match own(&cx.at(source), cx)? {
        Some(found) if !is_part => Ok(found),
        _ => packed(set, cx),
    }
}

fn own(source: &Path, cx: &Context<'_>) -> Result<Option<(Manifest, Vec<Page>)>, Error> {
    let Some(path) = manifest_of(source) else { return Ok(None) };
    let wrong = |problem: ReadProblem| shibori_formats::Error::Read { path: path.clone(), problem };
    let text = cx.limits().staged.read(&path).map_err(|error| wrong(error.into()))?;
    let manifest = parse(&text).map_err(wrong)?;
    if manifest.pages.len() >= manifest.frames.len().max(2) {
        return Ok(None);
    }
    let folder = path.parent().unwrap_or(Path::new(""));
    let page = |entry: &manifest::Page| -> Result<Page, Error> {
        let file = folder.join(&entry.file);
        let Picture::Still(pixels) = image(&file, cx.limits())?.picture else {
            return Err(Error::PageMoves { file });
        };
        let bytes = cx.limits().staged.length(&file);
        Ok(Page { name: entry.file.clone(), pixels: manifest::as_seen(entry, pixels), bytes })
    };
    let pages = manifest.pages.iter().map(page).collect::<Result<Vec<_>, _>>()?;
    Ok(Some((manifest, pages)))
}

pub(crate) fn packed(set: &FrameSet, cx: &Context<'_>) -> Result<(Manifest, Vec<Page>), Error> {
    let trimmed = trim(set.clone(), Trim { scope: TrimScope::Frame, ..Trim::default() })?;
    let atlas = pack(trimmed, Vec::new(), &PackOptions::dense())?;
    let sizes = atlas.pages().iter().map(|page| page.size.area());
    let _room = cx.check_memory(Growth::Pages, sizes.sum())?;
    let names: Vec<String> =
        (0..atlas.pages().len()).map(|page| format!("page {page}, packed for this picture")).collect();
    let page = |(page, name): (usize, &String)| Page {
        name: name.clone(),
        pixels: Pixels::whole(paint(&atlas, page, None, ColorFinish::default())),
        bytes: None,
    };
    let pages = names.iter().enumerate().map(page).collect();
    let facts: Vec<PageInfo> =
        names.into_iter().map(|file| PageInfo { file, ..PageInfo::default() }).collect();
    Ok((of_atlas(&atlas, &facts, None), pages))
}
