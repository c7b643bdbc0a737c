//! From a manifest and its pages to frames.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::{Path, PathBuf};

use image::imageops;
use shibori_core::clip::{Clip, Step};
use shibori_core::pack::{Placement, PreviousPlacements};
use shibori_core::parallel;
use shibori_core::{
    Annotations, CompanionKind, CompanionSpec, Frame, FrameSet, FrameSource, Insets, Name, Pixels, Point,
    Rect, SignedRect, Size, UVec2,
};

use crate::decode::codec::{DecodedImage, ReadLoss, ReadOptions};
use crate::decode::image::{image as read_image, read_bytes};
use crate::decode::outcome::{LoadedFrames, ReadNotice};
use crate::manifest::{
    Alpha, ClipEntry, Coordinate, FrameEntry, Manifest, PageEntry, SourceEntry, as_seen, carry,
    images_of_page, page_files, page_path, parse,
};
use crate::{FileError, ReadProblem};

/// Reads a manifest and its pages: the frames, what was noticed, and every file that was read.
pub fn load(path: &Path, limits: &ReadOptions) -> Result<LoadedFrames, FileError> {
    Ok(open_manifest(path, limits)?.gathered)
}

/// The frames of a manifest as far as it alone tells: their pixels are not read, and all of them are blank.
///
/// # Errors
/// If the manifest can't be read, or its numbers don't belong together.
pub fn load_without_pages(path: &Path, limits: &ReadOptions) -> Result<LoadedFrames, FileError> {
    Ok(open_manifest_alone(path, limits)?.gathered)
}

pub(crate) fn open_manifest_alone(path: &Path, limits: &ReadOptions) -> Result<LoadedPage, FileError> {
    let wrong = |problem: ReadProblem| FileError::read(path, problem);
    let manifest = parse(&read_bytes(path, limits)?).map_err(wrong)?;
    let set = blank_set(&manifest, limits).map_err(wrong)?;
    let gathered = LoadedFrames { set, remarks: Vec::new(), files: vec![path.to_owned()] };
    let pages = vec![Pixels::empty(); manifest.pages.len()];
    Ok(LoadedPage { manifest, gathered, pages })
}

/// The frames of a manifest's text, all of them blank, and the part of its canvas that each keeps.
pub(super) fn set_without_pages(
    text: &[u8],
    limits: &ReadOptions,
) -> Result<(FrameSet, Vec<Rect>), ReadProblem> {
    let manifest = parse(text)?;
    let kept = |frame: &FrameEntry| Rect::new(frame.inset[0], frame.inset[1], frame.rect[2], frame.rect[3]);
    Ok((blank_set(&manifest, limits)?, manifest.frames.iter().map(kept).collect()))
}

fn blank_set(manifest: &Manifest, limits: &ReadOptions) -> Result<FrameSet, ReadProblem> {
    check_canvases(manifest, limits)?;
    let size = |page: &PageEntry| Size::from((page.size[0], page.size[1]));
    let page =
        |page: &PageEntry| OpenPage { pixels: Pixels::empty(), at: UVec2::default(), size: size(page) };
    to_set(manifest.clone(), &manifest.pages.iter().map(page).collect::<Vec<_>>())
}

/// A manifest that was read with its pages.
pub(crate) struct LoadedPage {
    /// The manifest, updated for edited images.
    pub(crate) manifest: Manifest,
    /// Its frames.
    pub(crate) gathered: LoadedFrames,
    /// Its pages with straight alpha, or what shows of them.
    pub(crate) pages: Vec<Pixels>,
}

/// The same with the manifest and the pages.
pub(crate) fn open_manifest(path: &Path, limits: &ReadOptions) -> Result<LoadedPage, FileError> {
    let wrong = |problem: ReadProblem| FileError::read(path, problem);
    let bytes = read_bytes(path, limits)?;
    let mut manifest = parse(&bytes).map_err(wrong)?;
    check_canvases(&manifest, limits).map_err(wrong)?;
    let files = page_files(path, &manifest)?;
    let pages =
        parallel::try_map(files.len(), |at| open_page(&manifest.pages[at], &files[at], path, limits))?;
    let mut remarks = adapt_to_images(&mut manifest, &pages);
    let rounded = manifest
        .pages
        .iter()
        .zip(&pages)
        .find(|(page, opened)| page.alpha == Alpha::Premultiplied && has_soft_alpha(&opened.pixels));
    remarks.extend(rounded.map(|(page, _)| ReadNotice::Loss {
        file: page.file.clone(),
        files: 1,
        loss: ReadLoss::Premultiplied,
    }));
    check_pages(&manifest, pages.iter().map(|page| page.size)).map_err(wrong)?;
    let mut set = to_set(manifest.clone(), &pages).map_err(wrong)?;
    let mut files: Vec<PathBuf> = std::iter::once(path.to_owned()).chain(files).collect();
    if limits.companions {
        for spec in companion_specs(&manifest) {
            let pages = open_companions(&manifest, &spec.suffix, path, limits)?;
            set = with_companions(set, &spec, &manifest, &pages).map_err(wrong)?;
            files.extend(pages.into_values().map(|(file, _)| file));
        }
    }
    let pages = pages.into_iter().map(|page| page.pixels).collect();
    Ok(LoadedPage { manifest, gathered: LoadedFrames { set, remarks, files }, pages })
}

/// Whether any pixel is neither solid nor clear.
fn has_soft_alpha(pixels: &Pixels) -> bool {
    let is_soft = |pixel: &[u8]| (1..255).contains(&pixel[3]);
    (0..pixels.size().height).any(|y| pixels.row(y).chunks_exact(4).any(is_soft))
}

/// Refuses canvases that no picture may have: a frame is restored to its canvas sooner or later.
fn check_canvases(manifest: &Manifest, limits: &ReadOptions) -> Result<(), ReadProblem> {
    let canvas = |frame: &FrameEntry| Size::from((frame.canvas[0], frame.canvas[1]));
    match manifest.frames.iter().find(|frame| canvas(frame).area() > limits.pixels) {
        Some(frame) => {
            let (size, limit) = (canvas(frame), limits.pixels);
            Err(ReadProblem::CanvasTooLarge { frame: frame.name.clone(), size, limit })
        }
        None => Ok(()),
    }
}

fn manifest_at(path: &Path) -> Result<Manifest, FileError> {
    parse(&read_bytes(path, &ReadOptions::default())?).map_err(|problem| FileError::read(path, problem))
}

/// The pages that a manifest names.
///
/// # Errors
/// If it can't be read, or names one outside its folder.
pub fn pages_of(path: &Path) -> Result<Vec<PathBuf>, FileError> {
    let manifest = manifest_at(path)?;
    page_files(path, &manifest)
}

/// The images that a manifest names: its pages and their companions.
///
/// # Errors
/// If it can't be read, or names one outside its folder.
pub fn manifest_images(path: &Path) -> Result<Vec<PathBuf>, FileError> {
    let wrong = |problem: ReadProblem| FileError::read(path, problem);
    let manifest = manifest_at(path)?;
    let folder = path.parent().unwrap_or(Path::new(""));
    let files = manifest.pages.iter().flat_map(images_of_page).map(|file| page_path(folder, file));
    files.collect::<Result<_, _>>().map_err(wrong)
}

/// The kinds of companions that pages of a manifest have, in the order of their suffixes.
pub(crate) fn companion_specs(manifest: &Manifest) -> Vec<CompanionSpec> {
    let suffixes: BTreeSet<&String> = manifest.pages.iter().flat_map(|page| page.companions.keys()).collect();
    let spec = |suffix: &String| {
        let usual = CompanionSpec::of_suffix(suffix);
        match manifest.pages.iter().any(|page| page.normals.contains(suffix)) {
            true => {
                let kind = CompanionKind::Normals;
                CompanionSpec { neutral: kind.neutral(), kind, ..usual }
            }
            false => usual,
        }
    };
    suffixes.into_iter().map(spec).collect()
}

/// The pages of one companion, by the page they belong to, each with its file.
fn open_companions(
    manifest: &Manifest,
    suffix: &str,
    path: &Path,
    limits: &ReadOptions,
) -> Result<BTreeMap<usize, (PathBuf, OpenPage)>, FileError> {
    let folder = path.parent().unwrap_or(Path::new(""));
    let pages: Vec<(usize, &PageEntry)> =
        manifest.pages.iter().enumerate().filter(|(_, page)| page.companions.contains_key(suffix)).collect();
    let open = |at: usize| {
        let (number, page) = pages[at];
        let as_page = PageEntry { file: page.companions[suffix].clone(), ..page.clone() };
        let file = page_path(folder, &as_page.file).map_err(|problem| FileError::read(path, problem))?;
        let opened = open_page(&as_page, &file, path, &ReadOptions { accept_edits: true, ..limits.clone() })?;
        let page = Size::from((page.size[0], page.size[1]));
        if opened.size != page {
            let problem = ReadProblem::CompanionSize { companion: as_page.file, found: opened.size, page };
            return Err(FileError::read(path, problem));
        }
        Ok((number, (file, opened)))
    };
    Ok(parallel::try_map(pages.len(), open)?.into_iter().collect())
}

/// The frames of a manifest with those companions that their pages have.
fn with_companions(
    set: FrameSet,
    spec: &CompanionSpec,
    manifest: &Manifest,
    pages: &BTreeMap<usize, (PathBuf, OpenPage)>,
) -> Result<FrameSet, ReadProblem> {
    set.map_frames(|at, frame| {
        let entry = &manifest.frames[at];
        let Some((_, page)) = pages.get(&entry.page).filter(|_| entry.rect != [0; 4]) else {
            return Ok(frame);
        };
        let picture = picture(entry, kept_pixels(entry, page)?)?;
        let with_one = frame.with_companion(spec.clone(), &picture);
        with_one.map_err(|error| ReadProblem::Frame { frame: entry.name.clone(), error })
    })
}

/// A companion of a page that is not there, or has another size than its page.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CompanionFault {
    /// Sprite and name of the first frame on that page.
    pub first: (String, String),
    /// The file, as the manifest names it.
    pub file: String,
    /// Its size, if it is there.
    pub found: Option<Size>,
    /// That of the page.
    pub wanted: Size,
}

/// What is wrong with the companions that a manifest names. Pages that no frame is on are passed over.
///
/// # Errors
/// If the manifest or a companion that is there can't be read.
pub fn companion_problems(path: &Path, limits: &ReadOptions) -> Result<Vec<CompanionFault>, FileError> {
    let wrong = |problem: ReadProblem| FileError::read(path, problem);
    let manifest = manifest_at(path)?;
    let folder = path.parent().unwrap_or(Path::new(""));
    let mut faults = Vec::new();
    for (number, page) in manifest.pages.iter().enumerate() {
        let Some(first) = manifest.frames.iter().find(|frame| frame.page == number) else { continue };
        let wanted = Size::from((page.size[0], page.size[1]));
        for file in page.companions.values() {
            let found = match read_image(&page_path(folder, file).map_err(wrong)?, limits) {
                Err(FileError::Read { problem: ReadProblem::NotFound, .. }) => None,
                other => match other?.picture {
                    DecodedImage::Still(pixels) => Some(pixels.size()),
                    DecodedImage::Moving(_) | DecodedImage::Layers(_) => {
                        return Err(wrong(ReadProblem::PageMoves(file.clone())));
                    }
                },
            };
            if found != Some(wanted) {
                let first = (first.sprite.clone(), first.name.clone());
                faults.push(CompanionFault { first, file: file.clone(), found, wanted });
            }
        }
    }
    Ok(faults)
}

/// Images of a set that were painted over at another size: the frame keeps all of it, its canvas grows to the right and
/// downwards where it must, and the pivot stays. Only a page that is one frame's own can change.
fn adapt_to_images(manifest: &mut Manifest, pages: &[OpenPage]) -> Vec<ReadNotice> {
    let mut remarks = Vec::new();
    for (number, opened) in pages.iter().enumerate() {
        let page = &mut manifest.pages[number];
        let (said, found) = (page.size, opened.size);
        let mut on_page = manifest.frames.iter_mut().filter(|f| f.page == number && f.rect != [0; 4]);
        let (Some(frame), None) = (on_page.next(), on_page.next()) else { continue };
        if said == [found.width, found.height] || frame.rect != [0, 0, said[0], said[1]] {
            continue;
        }
        let needed = |inset: u32, length: u32, canvas: u32| canvas.max(inset.saturating_add(length));
        let old = frame.canvas;
        // An untrimmed frame's canvas is its picture, also where that became smaller.
        let is_whole = frame.inset == [0, 0] && old == said;
        frame.rect = [0, 0, found.width, found.height];
        frame.canvas = match is_whole {
            true => [found.width, found.height],
            false => {
                [needed(frame.inset[0], found.width, old[0]), needed(frame.inset[1], found.height, old[1])]
            }
        };
        page.size = [found.width, found.height];
        remarks.push(ReadNotice::Edited {
            frame: frame.name.clone(),
            file: page.file.clone(),
            was: Size::from((said[0], said[1])),
            now: found,
            canvas: Size::from((frame.canvas[0], frame.canvas[1])),
        });
    }
    remarks
}

/// Where the frames of an atlas lie, from its manifest alone.
pub fn previous_placements(path: &Path) -> Result<PreviousPlacements, FileError> {
    let wrong = |problem: ReadProblem| FileError::read(path, problem);
    let manifest = manifest_at(path)?;
    let mut places = HashMap::new();
    for frame in manifest.frames {
        let [x, y, width, height] = frame.rect;
        let place =
            Placement { page: frame.page, rect: Rect::new(x, y, width, height), rotated: frame.rotated };
        let sprite = Name::new(frame.sprite).map_err(|error| wrong(error.into()))?;
        let name = Name::new(frame.name).map_err(|error| wrong(error.into()))?;
        if !place.rect.is_empty() {
            places.insert((sprite, name), place);
        }
    }
    let pages = manifest.pages.iter().map(|page| Size::from((page.size[0], page.size[1]))).collect();
    Ok(PreviousPlacements { pages, places })
}

fn open_page(
    page: &PageEntry,
    file: &Path,
    manifest: &Path,
    limits: &ReadOptions,
) -> Result<OpenPage, FileError> {
    let loaded = match read_image(file, limits) {
        Err(FileError::Read { problem: ReadProblem::NotFound, .. }) => {
            return Err(FileError::read(manifest, ReadProblem::PageMissing(page.file.clone())));
        }
        other => other?,
    };
    let DecodedImage::Still(pixels) = loaded.picture else {
        return Err(FileError::read(manifest, ReadProblem::PageMoves(page.file.clone())));
    };
    let said = Size::from((page.size[0], page.size[1]));
    if pixels.size() != said && !limits.accept_edits {
        let found = pixels.size();
        return Err(FileError::read(
            manifest,
            ReadProblem::PageSize { page: page.file.clone(), said, found },
        ));
    }
    let pixels = as_seen(page, pixels);
    Ok(if limits.tighten { OpenPage::from_content(&pixels) } else { OpenPage::from_page(pixels) })
}

/// A page, or what shows of it.
struct OpenPage {
    pixels: Pixels,
    /// Where they are on the page.
    at: UVec2,
    /// The page.
    size: Size,
}

impl OpenPage {
    fn from_page(pixels: Pixels) -> Self {
        let size = pixels.size();
        Self { pixels, at: UVec2::default(), size }
    }

    /// Only what shows; the rest of the page is let go.
    fn from_content(page: &Pixels) -> Self {
        let shown = page.content_bounds(0).unwrap_or_default();
        let pixels = page.crop(shown).unwrap_or_else(Pixels::empty).compacted();
        Self { pixels, at: UVec2 { x: shown.x, y: shown.y }, size: page.size() }
    }

    /// The pixels of a part of the page, and where they begin inside it; `None` where it reaches beyond the page.
    fn part(&self, rect: Rect) -> Option<(Pixels, UVec2)> {
        if !rect.lies_in(Rect::of(self.size)) {
            return None;
        }
        let here = Rect::at(self.at.x, self.at.y, self.pixels.size());
        let Some(shown) = rect.intersection(here) else { return Some((Pixels::empty(), UVec2::default())) };
        let own = Rect { x: shown.x - here.x, y: shown.y - here.y, ..shown };
        Some((self.pixels.crop(own)?, UVec2 { x: shown.x - rect.x, y: shown.y - rect.y }))
    }
}

/// The frames of a manifest whose pages are in memory, as they were decoded. Companions aren't among them.
///
/// # Errors
/// If a page is missing, a page's size differs from the manifest's, or the manifest contradicts itself.
pub fn frames_from_pages(manifest: Manifest, pages: Vec<Pixels>) -> Result<FrameSet, ReadProblem> {
    check_pages(&manifest, pages.iter().map(Pixels::size))?;
    let seen = manifest.pages.iter().zip(pages).map(|(page, pixels)| as_seen(page, pixels)).collect();
    frames_of(manifest, seen)
}

/// Makes sure that pages are those that a manifest lists.
fn check_pages(manifest: &Manifest, mut sizes: impl Iterator<Item = Size>) -> Result<(), ReadProblem> {
    for page in &manifest.pages {
        let found = sizes.next().ok_or_else(|| ReadProblem::PageMissing(page.file.clone()))?;
        let said = Size::from((page.size[0], page.size[1]));
        if found != said {
            return Err(ReadProblem::PageSize { page: page.file.clone(), said, found });
        }
    }
    Ok(())
}

/// The frames of a manifest, from pages with straight alpha.
pub(crate) fn frames_of(manifest: Manifest, pages: Vec<Pixels>) -> Result<FrameSet, ReadProblem> {
    to_set(manifest, &pages.into_iter().map(OpenPage::from_page).collect::<Vec<_>>())
}

fn to_set(manifest: Manifest, pages: &[OpenPage]) -> Result<FrameSet, ReadProblem> {
    let frames = manifest.frames.into_iter().map(|entry| to_frame(entry, pages));
    let frames = frames.collect::<Result<Vec<_>, _>>()?;
    let clips = manifest.clips.into_iter().map(to_clip).collect::<Result<Vec<_>, _>>()?;
    Ok(FrameSet::new(frames, clips)?.with_carried(carry(manifest.extras, manifest.other)))
}

fn to_frame(entry: FrameEntry, pages: &[OpenPage]) -> Result<Frame, ReadProblem> {
    let no_page = || ReadProblem::NoPage { frame: entry.name.clone(), page: entry.page, count: pages.len() };
    let kept = match entry.rect {
        [_, _, 0, _] | [_, _, _, 0] => (Pixels::empty(), UVec2::default()),
        _ => kept_pixels(&entry, pages.get(entry.page).ok_or_else(no_page)?)?,
    };
    let frame = picture(&entry, kept)?;
    let point = |at: [Coordinate; 2]| Point::new(at[0].0, at[1].0);
    let area = |[x, y, width, height]: [i32; 4]| {
        let side = |length: i32| u32::try_from(length).ok().filter(|length| *length > 0);
        Some(SignedRect { x, y, width: side(width)?, height: side(height)? })
    };
    let mut boxes = BTreeMap::new();
    for (name, sides) in entry.boxes {
        let frame = frame.name().to_string();
        let area = area(sides).ok_or_else(|| ReadProblem::EmptyBox { frame, name: name.clone() })?;
        boxes.insert(Name::new(name)?, area);
    }
    let nine = entry.nine.map(|[left, top, right, bottom]| Insets { left, top, right, bottom });
    let annotations = Annotations {
        boxes,
        nine,
        polygon: entry.polygon.into_iter().map(point).collect(),
        marks: Vec::new(),
        cell: entry
            .source
            .as_ref()
            .and_then(|source| source.at)
            .map(|[left, top, right, bottom]| [Point::new(left.0, top.0), Point::new(right.0, bottom.0)]),
    };
    let source = entry.source.map(to_source);
    Ok(frame
        .with_pivot(point(entry.pivot))
        .with_annotations(annotations)
        .with_source(source)
        .with_carried(carry(entry.extras, entry.other)))
}

/// A frame of its pixels and no more, or one of its companions. The pixels begin at a point of its rectangle.
fn picture(entry: &FrameEntry, (pixels, at): (Pixels, UVec2)) -> Result<Frame, ReadProblem> {
    let canvas = Size::from((entry.canvas[0], entry.canvas[1]));
    let inset = match pixels.is_empty() {
        true => UVec2::default(),
        false => UVec2 { x: entry.inset[0].saturating_add(at.x), y: entry.inset[1].saturating_add(at.y) },
    };
    let (sprite, name) = (Name::new(entry.sprite.clone())?, Name::new(entry.name.clone())?);
    let frame = Frame::trimmed(sprite, name, pixels, canvas, inset);
    frame.map_err(|error| ReadProblem::Frame { frame: entry.name.clone(), error })
}

/// The pixels that a page has of a frame, and where they begin inside its rectangle.
fn kept_pixels(entry: &FrameEntry, page: &OpenPage) -> Result<(Pixels, UVec2), ReadProblem> {
    let [x, y, width, height] = entry.rect;
    let rect = Rect::new(x, y, width, height);
    let outside = || ReadProblem::RectOutside { frame: entry.name.clone(), rect, page: page.size };
    let (part, at) = page.part(rect).ok_or_else(outside)?;
    if !entry.rotated || part.is_empty() {
        return Ok((part, at));
    }
    // Turned back a quarter, what was on the left is at the bottom.
    let upright = Pixels::from_image(imageops::rotate270(&part.to_image()));
    let below = rect.width - at.x - part.size().width;
    Ok((upright, UVec2 { x: at.y, y: below }))
}

fn to_source(entry: SourceEntry) -> FrameSource {
    FrameSource {
        folder: String::new(),
        file: entry.file,
        // A cell in words that are not ours is kept as nothing rather than refused.
        cell: entry.cell.and_then(|cell| cell.parse().ok()),
        rect: entry.rect.map(|[x, y, width, height]| Rect::new(x, y, width, height)),
        carried: carry(None, entry.other),
    }
}

fn to_clip(entry: ClipEntry) -> Result<Clip, ReadProblem> {
    let steps = entry.steps.into_iter().map(|step| Step {
        frame: step.frame,
        ticks: step.ticks,
        mirror: step.mirror,
        event: step.event,
        carried: carry(None, step.other),
    });
    let clip = Clip::new(Name::new(entry.sprite)?, Name::new(entry.name)?, entry.timescale, steps.collect())?;
    Ok(clip.playing(entry.play, entry.plays).with_carried(carry(entry.extras, entry.other)))
}
