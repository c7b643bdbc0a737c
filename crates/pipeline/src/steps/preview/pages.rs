//! The pages of anything: an atlas's own, or packed for a picture of them.

use std::collections::HashMap;
use std::path::Path;

use shibori_core::pack::{ColorFinish, PackSettings, pack, paint};
use shibori_core::shape::{Trim, TrimScope, trim};
use shibori_core::{FrameSet, Pixels, Rect};
use shibori_draw::{PagePlan, PlannedFrame};
use shibori_formats::ReadProblem;
use shibori_formats::decode::{DecodedImage, image, manifest_of};
use shibori_formats::manifest::{self, Manifest, PageInfo, of_atlas, parse};

use crate::{Context, Error, SheetError, SizeCause, Source};

/// One page.
pub(super) struct Page {
    pub(super) name: String,
    pub(super) pixels: Pixels,
    /// Its length on disk, where it is a file.
    pub(super) bytes: Option<u64>,
}

/// What is where, and the pages. An atlas or a sheet has its own; a set of many files, a bare image, or a part of
/// anything is packed.
pub(super) fn pages_of(
    source: &Source,
    is_part: bool,
    set: &FrameSet,
    cx: &Context<'_>,
) -> Result<(Manifest, Vec<Page>), Error> {
    let own = match source.path().filter(|_| !is_part) {
        Some(path) => pages_of_manifest(&cx.resolve(path), cx)?,
        None => None,
    };
    own.map_or_else(|| packed(set, cx), Ok)
}

fn pages_of_manifest(source: &Path, cx: &Context<'_>) -> Result<Option<(Manifest, Vec<Page>)>, Error> {
    let Some(path) = manifest_of(source) else { return Ok(None) };
    let wrong = |problem: ReadProblem| shibori_formats::FileError::Read { path: path.clone(), problem };
    let text = cx.limits().staged.read(&path).map_err(|error| wrong(error.into()))?;
    let manifest = parse(&text).map_err(wrong)?;
    if manifest.pages.len() >= manifest.frames.len().max(2) {
        return Ok(None);
    }
    let folder = path.parent().unwrap_or(Path::new(""));
    let page = |entry: &manifest::PageEntry| -> Result<Page, Error> {
        let file = folder.join(&entry.file);
        let DecodedImage::Still(pixels) = image(&file, cx.limits())?.picture else {
            return Err(Error::Sheet(SheetError::PageMoves { file }));
        };
        let bytes = cx.limits().staged.length(&file);
        Ok(Page { name: entry.file.clone(), pixels: manifest::as_seen(entry, pixels), bytes })
    };
    let pages = manifest.pages.iter().map(page).collect::<Result<Vec<_>, _>>()?;
    Ok(Some((manifest, pages)))
}

fn packed(set: &FrameSet, cx: &Context<'_>) -> Result<(Manifest, Vec<Page>), Error> {
    let trimmed = trim(set.clone(), Trim { scope: TrimScope::Frame, ..Trim::default() })?;
    let atlas = pack(trimmed, &PackSettings::dense())?;
    let sizes = atlas.pages().iter().map(|page| page.size.area());
    let _lease = cx.check_memory(SizeCause::Pages, sizes.sum())?;
    let names: Vec<String> =
        (0..atlas.pages().len()).map(|page| format!("page {page}, packed for this picture")).collect();
    let page = |(page, name): (usize, &String)| Page {
        name: name.clone(),
        pixels: Pixels::from_image(paint(&atlas, page, None, ColorFinish::default())),
        bytes: None,
    };
    let pages = names.iter().enumerate().map(page).collect();
    let facts: Vec<PageInfo> =
        names.into_iter().map(|file| PageInfo { file, ..PageInfo::default() }).collect();
    Ok((of_atlas(&atlas, &facts, None), pages))
}

/// What is where on each page. Frames that share a place are one with a mark for each further one.
pub(super) fn plans(manifest: &Manifest, pages: &[Page]) -> Vec<PagePlan> {
    let mut plans: Vec<PagePlan> = pages
        .iter()
        .map(|page| PagePlan { name: page.name.clone(), pixels: page.pixels.clone(), frames: Vec::new() })
        .collect();
    let mut known: HashMap<(usize, [u32; 4]), usize> = HashMap::new();
    for entry in &manifest.frames {
        let [x, y, width, height] = entry.rect;
        let rect = Rect::new(x, y, width, height);
        let Some(plan) = plans.get_mut(entry.page).filter(|_| !rect.is_empty()) else { continue };
        match known.get(&(entry.page, entry.rect)) {
            Some(&first) => plan.frames[first].name += "+",
            None => {
                known.insert((entry.page, entry.rect), plan.frames.len());
                plan.frames.push(PlannedFrame { rect, name: entry.name.clone(), rotated: entry.rotated });
            }
        }
    }
    plans
}
