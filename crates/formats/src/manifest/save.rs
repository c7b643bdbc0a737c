//! From frames to the manifest that describes them.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::Map;
use shibori_core::clip::{Clip, Step};
use shibori_core::pack::{Atlas, PageGrid, Placement};
use shibori_core::{
    CompanionKind, CompanionSpec, Frame, FrameSet, FrameSource, Pixels, Rect, SignedRect, Size, UVec2,
};

use crate::manifest::carried::{carried_keys, split_extras};
use crate::manifest::{
    Alpha, ClipEntry, Coordinate, FORMAT, FrameEntry, GridEntry, Manifest, PageEntry, Sampling, SourceEntry,
    StepEntry,
};

/// The manifest of a set: one file per frame, each followed by those of its companions.
pub fn of_set(set: &FrameSet, files: &[String]) -> Manifest {
    let mut pages: Vec<PageEntry> = Vec::with_capacity(set.frames().len());
    for (picture, file) in pictures_of(set).into_iter().zip(files) {
        let frame = &set.frames()[picture.frame];
        match picture.companion.map(|companion| &frame.companions()[companion].spec) {
            None => pages.push(page(file.clone(), frame.pixels().size())),
            Some(spec) => {
                let of_frame = pages.last_mut().expect("a frame comes before its companions");
                of_frame.companions.insert(spec.suffix.clone(), file.clone());
                of_frame.normals.extend(normals_suffix(spec));
            }
        }
    }
    let place = |(page, frame): (usize, &Frame)| Placement {
        page,
        rect: Rect::of(frame.pixels().size()),
        rotated: false,
    };
    let places = set.frames().iter().enumerate().map(place);
    manifest(set, pages, places)
}

/// One picture of a set.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct SetPicture {
    /// The frame.
    pub(crate) frame: usize,
    /// Its companion, unless it is the frame itself.
    pub(crate) companion: Option<usize>,
}

impl SetPicture {
    pub(crate) fn pixels(self, set: &FrameSet) -> &Pixels {
        let frame = &set.frames()[self.frame];
        self.companion.map_or(frame.pixels(), |companion| &frame.companions()[companion].pixels)
    }
}

/// The pictures of a set: each frame, then its companions.
pub(crate) fn pictures_of(set: &FrameSet) -> Vec<SetPicture> {
    let of_frame = |(frame, one): (usize, &Frame)| {
        let companions = (0..one.companions().len()).map(Some);
        std::iter::once(None).chain(companions).map(move |companion| SetPicture { frame, companion })
    };
    set.frames().iter().enumerate().flat_map(of_frame).collect()
}

/// The suffix of a normal map, if it doesn't say that it is one.
fn normals_suffix(spec: &CompanionSpec) -> Option<String> {
    let is_usual = CompanionSpec::of_suffix(&spec.suffix).kind == spec.kind;
    (spec.kind == CompanionKind::Normals && !is_usual).then(|| spec.suffix.clone())
}

/// The manifest of images that stay as they are: a page each, as large as its frame's canvas.
pub fn of_images(set: &FrameSet, files: &[String]) -> Manifest {
    let pages =
        set.frames().iter().zip(files).map(|(frame, file)| page(file.clone(), frame.canvas())).collect();
    let place = |(page, frame): (usize, &Frame)| Placement { page, rect: frame.kept_rect(), rotated: false };
    manifest(set, pages, set.frames().iter().enumerate().map(place))
}

/// What a manifest says of a page besides its size.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PageInfo {
    /// Its file, from the manifest.
    pub file: String,
    /// Whether colors are multiplied by alpha.
    pub premultiplied: bool,
    /// How the game is to filter it.
    pub sampling: Option<Sampling>,
    /// Companions, by suffix.
    pub companions: BTreeMap<String, String>,
}

/// Where v is 0.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub enum UvOrigin {
    /// v points down, as pixel rows do
    #[default]
    Top,
    /// v points up
    Bottom,
}

impl UvOrigin {
    pub(crate) fn is_top(&self) -> bool {
        *self == Self::Top
    }
}

/// A rectangle as shares of its page: left, top, right, bottom.
pub(crate) fn uv_of(rect: [u32; 4], page: [u32; 2], origin: UvOrigin) -> [f64; 4] {
    let share = |at: u32, length: u32| f64::from(at) / f64::from(length.max(1));
    let [x, y, width, height] = rect;
    let down = |at: u32| match origin {
        UvOrigin::Top => share(at, page[1]),
        // One division, so that the shares of both origins are as exact.
        UvOrigin::Bottom => share(page[1].saturating_sub(at), page[1]),
    };
    [share(x, page[0]), down(y), share(x + width, page[0]), down(y + height)]
}

/// The manifest of an atlas: one file per page. Frames get their rectangles as fractions of the page, 0 to 1 where an origin is given.
pub fn of_atlas(atlas: &Atlas, facts: &[PageInfo], uv: Option<UvOrigin>) -> Manifest {
    let page = |(known, facts): (&shibori_core::pack::PackedPage, &PageInfo)| PageEntry {
        factor: Coordinate(atlas.factor().value()),
        alpha: if facts.premultiplied { Alpha::Premultiplied } else { Alpha::Straight },
        grid: known.grid.as_ref().map(grid_entry),
        sampling: facts.sampling,
        companions: facts.companions.clone(),
        normals: atlas.companions().iter().filter_map(normals_suffix).collect(),
        ..page(facts.file.clone(), known.size)
    };
    let pages = atlas.pages().iter().zip(facts).map(page).collect();
    let mut manifest = manifest(atlas.set(), pages, atlas.placements().iter().copied());
    if let Some(origin) = uv {
        manifest.pages.iter_mut().for_each(|page| page.uv_origin = origin);
        for frame in &mut manifest.frames {
            let page = manifest.pages[frame.page].size;
            frame.uv = Some(uv_of(frame.rect, page, origin).map(Coordinate));
        }
    }
    manifest
}

/// The manifest of an untouched sheet: frames are parts of it, where their sources say. `grid` is what it was cut by.
pub fn of_sheet(set: &FrameSet, file: &str, sheet: Size, grid: Option<&PageGrid>) -> Manifest {
    let place = |frame: &Frame| {
        let cell = frame.source().and_then(|source| source.rect).unwrap_or_default();
        let kept = frame.kept_rect();
        let on_sheet = Rect { x: cell.x + kept.x, y: cell.y + kept.y, ..kept };
        Placement { page: 0, rect: if kept.is_empty() { Rect::default() } else { on_sheet }, rotated: false }
    };
    let sheet = PageEntry { grid: grid.map(grid_entry), ..page(file.to_owned(), sheet) };
    manifest(set, vec![sheet], set.frames().iter().map(place))
}

fn grid_entry(grid: &PageGrid) -> GridEntry {
    let pair = |at: UVec2| [at.x, at.y];
    GridEntry {
        columns: grid.counts.columns,
        rows: grid.counts.rows,
        cell: [grid.cell.width, grid.cell.height],
        offset: pair(grid.spacing.offset),
        gutter: pair(grid.spacing.gutter),
        other: Map::new(),
    }
}

/// Puts a set's clips into a manifest of the same frames; all else stays as it is.
pub fn replace_clips(manifest: &mut Manifest, set: &FrameSet) {
    manifest.clips = set.clips().iter().map(clip_entry).collect();
}

fn manifest(set: &FrameSet, pages: Vec<PageEntry>, places: impl Iterator<Item = Placement>) -> Manifest {
    let (extras, other) = split_extras(set.carried());
    let frames = set.frames().iter().zip(places).map(|(frame, place)| frame_entry(frame, place));
    let frames = frames.collect();
    let clips = set.clips().iter().map(clip_entry).collect();
    Manifest { format: FORMAT.to_owned(), seal: None, pages, frames, clips, extras, other }
}

fn page(file: String, size: Size) -> PageEntry {
    let size = [size.width, size.height];
    PageEntry {
        file,
        size,
        factor: Coordinate(1.0),
        alpha: Alpha::Straight,
        grid: None,
        sampling: None,
        uv_origin: UvOrigin::default(),
        companions: BTreeMap::new(),
        normals: Vec::new(),
        extras: None,
        other: Map::new(),
    }
}

fn frame_entry(frame: &Frame, place: Placement) -> FrameEntry {
    let (extras, other) = split_extras(frame.carried());
    let annotations = frame.annotations();
    let Placement { page, rect, rotated } = if place.rect.is_empty() { Placement::default() } else { place };
    FrameEntry {
        name: frame.name().to_string(),
        sprite: frame.sprite().to_string(),
        page,
        rect: numbers(rect),
        rotated,
        uv: None,
        canvas: [frame.canvas().width, frame.canvas().height],
        inset: [frame.inset().x, frame.inset().y],
        pivot: [frame.pivot().x, frame.pivot().y].map(Coordinate),
        boxes: annotations.boxes.iter().map(|(name, area)| (name.to_string(), rect_array(*area))).collect(),
        nine: annotations.nine.map(|nine| [nine.left, nine.top, nine.right, nine.bottom]),
        polygon: annotations.polygon.iter().map(|at| [at.x, at.y].map(Coordinate)).collect(),
        source: frame.source().map(|source| source_entry(source, frame)),
        extras,
        other,
    }
}

fn source_entry(source: &FrameSource, frame: &Frame) -> SourceEntry {
    SourceEntry {
        at: frame.annotations().cell.map(|[near, far]| [near.x, near.y, far.x, far.y].map(Coordinate)),
        file: source.file.clone(),
        cell: source.cell.map(|cell| cell.to_string()),
        rect: source.rect.map(numbers),
        other: carried_keys(&source.carried),
    }
}

fn clip_entry(clip: &Clip) -> ClipEntry {
    let (extras, other) = split_extras(clip.carried());
    let step = |step: &Step| StepEntry {
        frame: step.frame,
        ticks: step.ticks,
        mirror: step.mirror,
        event: step.event.clone(),
        other: carried_keys(&step.carried),
    };
    ClipEntry {
        name: clip.name().to_string(),
        sprite: clip.sprite().to_string(),
        play: clip.play(),
        plays: clip.plays(),
        timescale: clip.timescale(),
        steps: clip.steps().iter().map(step).collect(),
        extras,
        other,
    }
}

fn rect_array(area: SignedRect) -> [i32; 4] {
    [area.x, area.y, area.width as i32, area.height as i32]
}

fn numbers(rect: Rect) -> [u32; 4] {
    [rect.x, rect.y, rect.width, rect.height]
}
