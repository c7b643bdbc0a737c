//! Frames onto pages.
//!
//! In the order a frame meets them: `companion` gives it the pictures that are laid out like it, `group` lists the frames
//! that share pages, `share` finds those that can be in one place, `reuse` those that stay where they were, `arrange`
//! decides the places from sizes alone, `page` knows how large a page may be, [`paint()`] draws it, `scaled` makes the
//! same pages in another size. Packing changes no frame; where a layout needs a frame in two places it is listed twice.

mod arrange;
mod companion;
mod group;
mod mirrored;
mod page;
mod paint;
mod reuse;
mod rows;
mod scaled;
mod share;

use std::collections::HashSet;
use std::sync::OnceLock;

use crate::cut::{Counts, Spacing};
use crate::suggestion::{closest_name, did_you_mean};
use crate::{CompanionSpec, FrameSet, Name, Ratio, Rect, SetError, Size};
use num_integer::gcd;

pub(crate) use companion::base_of_each;
use companion::complete_companions;
pub use companion::{CompanionError, missing_companions, take_companions};
pub use group::PagePer;
pub use mirrored::draw_mirrored;
pub use page::{PageRules, Rounding};
pub use paint::{ColorFinish, paint};
pub use reuse::{PreviousPlacements, ReuseOutcome};
pub use scaled::{PageScale, PageScaleError, kernel_margin, snap_for, snap_frames};

/// How to pack.
#[derive(Clone, Debug, PartialEq)]
pub struct PackSettings {
    /// Which arrangement.
    pub layout: Layout,
    /// How large pages are.
    pub pages: PageRules,
    /// Empty pixels around a page.
    pub margin: u32,
    /// Empty pixels between frames, counted from their bleed.
    pub gutter: u32,
    /// How often a frame's border pixels are repeated outwards.
    pub bleed: u32,
    /// Which frames share pages.
    pub per: PagePer,
    /// Places with their bleed begin and end on multiples of this many pixels at every scale, for block-compressed textures.
    /// Usually 1.
    pub step: u32,
    /// The scales in which the pages will be written: limits, rounding and spaces hold at each of them. Frames must be in
    /// whole steps of them: see [`snap_frames`] and [`snap_for`].
    pub scales: Vec<PageScale>,
}

/// How a dense page is filled.
#[derive(Clone, Debug, PartialEq)]
pub struct DenseOptions {
    /// Identical frames share one place.
    pub share: bool,
    /// How long a page is improved.
    pub effort: Effort,
    /// Frames may be rotated a quarter turn.
    pub may_rotate: bool,
    /// Places of an earlier atlas that frames keep.
    pub keep: Option<PreviousPlacements>,
    /// Places are kept only while no more than this share of the area is wasted that way, 0 to 1.
    pub most_waste: Option<f64>,
}

impl Default for DenseOptions {
    /// A short search, shared places, nothing rotated or kept.
    fn default() -> Self {
        Self { share: true, effort: Effort::Medium, may_rotate: false, keep: None, most_waste: None }
    }
}

/// How long a dense page is improved; bounded by steps, never by a clock.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
#[non_exhaustive]
pub enum Effort {
    /// Fast packers only
    Low,
    /// A short search
    #[default]
    Medium,
    /// A search twelve times as long
    High,
}

/// The most pixels that spaces, steps and page sides may have.
const MOST: u32 = 1 << 16;

impl Default for PackSettings {
    /// [`dense`](Self::dense).
    fn default() -> Self {
        Self::dense()
    }
}

impl PackSettings {
    /// Dense pages of up to 4096x4096, two pixels between frames and one round the page.
    pub fn dense() -> Self {
        Self {
            layout: Layout::Dense(DenseOptions::default()),
            pages: PageRules::default(),
            margin: 1,
            gutter: 2,
            bleed: 0,
            per: PagePer::Atlas,
            step: 1,
            scales: vec![PageScale::ONE],
        }
    }

    /// How a dense page is filled, if it is one.
    fn dense_options(&self) -> Option<&DenseOptions> {
        match &self.layout {
            Layout::Dense(dense) => Some(dense),
            _ => None,
        }
    }

    fn may_rotate(&self) -> bool {
        self.dense_options().is_some_and(|dense| dense.may_rotate)
    }

    /// Refuses what no arithmetic on pages could hold, so that all of it is safe afterwards.
    fn check(&self) -> Result<(), PackError> {
        let PageRules { max, fixed, round, square } = self.pages;
        let sides = [Some(max), fixed].into_iter().flatten().flat_map(|size| [size.width, size.height]);
        let outside = |what, value: u32, least: u32| match (least..=MOST).contains(&value) {
            true => Ok(()),
            false => Err(PackError::OutOfRange { what, value, least, most: MOST }),
        };
        sides.into_iter().try_for_each(|side| outside("side of a page", side, 1))?;
        for (what, value) in [("margin", self.margin), ("gutter", self.gutter), ("bleed", self.bleed)] {
            outside(what, value, 0)?;
        }
        outside("step", self.step, 1)?;
        if let Rounding::Multiple(unit) = round {
            outside("multiple of page sides", unit, 1)?;
        }
        if let Layout::Grid { columns: Some(columns) } = self.layout {
            outside("number of columns", columns, 1)?;
        }
        match fixed {
            Some(page) if square && !page.is_square() => Err(PackError::NotSquare { page }),
            _ => Ok(()),
        }
    }

    /// The same options with spaces such that every place falls on a whole step, and pages such that each scale of them
    /// is within the limits.
    fn resolved(&self) -> Result<Self, PackError> {
        let snap = snap_for(&self.scales);
        let blocks = self.scales.iter().fold(self.step, |step, scale| {
            let (times, over) = (scale.ratio().numerator(), scale.ratio().denominator());
            let block = common_multiple(self.step, times) / times;
            common_multiple(step, block.saturating_mul(over))
        });
        let step = common_multiple(blocks, snap);
        if step > MOST {
            let (what, least, most) = ("step for all scales together", 1, MOST);
            return Err(PackError::OutOfRange { what, value: step, least, most });
        }
        // Any bleed is at least a pixel wide at every scale.
        let a_pixel = self
            .scales
            .iter()
            .map(|scale| scale.ratio().denominator().div_ceil(scale.ratio().numerator()))
            .max();
        let bleed = if self.bleed == 0 { 0 } else { self.bleed.max(a_pixel.unwrap_or(1)) };
        let up = |length: u32| length.next_multiple_of(step);
        let pages = self.pages.on_step(self.step)?.for_scales(&self.scales)?;
        // Frames begin on whole pixels of every scale; in blocks, so do their bleeds.
        Ok(match self.step {
            1 => Self {
                pages,
                margin: up(self.margin + bleed) - bleed,
                gutter: up(self.gutter + 2 * bleed) - 2 * bleed,
                bleed,
                step,
                ..self.clone()
            },
            _ => Self {
                pages,
                margin: up(self.margin),
                bleed: bleed.next_multiple_of(snap),
                step,
                ..self.clone()
            },
        })
    }

    /// What a piece of this size takes on a dense page, bleed and gutter included, in steps.
    fn spaced(&self, size: Size) -> Size {
        let Size { width, height } = grown(size, self.bleed);
        // Whole steps: the frames and the spaces between them are multiples together.
        let steps = |length: u32| (length + self.gutter).div_ceil(self.step);
        Size::new(steps(width), steps(height))
    }

    /// The cell that holds frames of up to this size, and their bleed.
    fn cell_for(&self, size: Size) -> Size {
        grown(Size::new(size.width.max(1), size.height.max(1)), self.bleed)
    }

    /// Whether a frame of this size fits on an empty page.
    fn has_room_for(&self, size: Size) -> bool {
        if size.is_empty() {
            return true;
        }
        match self.dense_options() {
            Some(_) => {
                let (spaced, room) = (self.spaced(size), self.pages.fitting(self).room());
                spaced.fits_in(room) || self.may_rotate() && spaced.rotated().fits_in(room)
            }
            None => self.cell_for(size).fits_in(self.pages.usable_size(self.margin)),
        }
    }
}

/// The arrangement of frames on pages.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Layout {
    /// As tightly as possible.
    Dense(DenseOptions),
    /// Cells of one size in the frames' order; near square where no columns are given.
    Grid {
        /// Cells across.
        columns: Option<u32>,
    },
    /// A grid of one row.
    Strip,
    /// One row per clip; frames of no clip follow in rows of their own.
    ClipRows {
        /// The clips in order, `None` for a blank row; where not given, the set's order.
        order: Option<Vec<RowName>>,
    },
}

/// The largest page: one number for both sides, or two.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PageSide(pub(crate) Size);

/// The rows of `clip-rows` in order.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RowOrder(pub Vec<RowName>);

/// One row of `clip-rows`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RowName {
    /// A row left blank.
    Blank,
    /// A clip, of a sprite where several have one of that name.
    Clip {
        /// The sprite, if said.
        sprite: Option<Name>,
        /// The clip.
        name: Name,
    },
}

/// A frame's place on a page.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Placement {
    /// Which page.
    pub page: usize,
    /// Its pixels there; empty for a blank frame.
    pub rect: Rect,
    /// Whether it is there rotated a quarter turn clockwise.
    pub rotated: bool,
}

/// One page of an atlas.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PackedPage {
    /// Its width and height.
    pub size: Size,
    /// The sprite or clip it holds, where each has pages of its own.
    pub label: Option<String>,
    /// Its cells, where frames are in such.
    pub grid: Option<PageGrid>,
}

/// The cells of a page, of one size.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PageGrid {
    /// Columns and rows on this page.
    pub counts: Counts,
    /// The size of a cell.
    pub cell: Size,
    /// Pixels before the first cell and between cells; bleed is among them.
    pub spacing: Spacing,
}

/// The least that any arrangement could need, as far as areas and sides tell.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct LowerBound {
    /// Area of all pages together, in pixels.
    pub area: u64,
    /// How many pages.
    pub pages: usize,
}

/// A set with a place for every frame.
///
/// # Guarantees
/// One place a frame, in the set's order, each on a page that is there and inside it; places of
/// different pictures never overlap, their bleed and gutters included. Each frame has the same companions.
#[derive(Clone, Debug)]
pub struct Atlas {
    set: FrameSet,
    places: Vec<Placement>,
    pages: Vec<PackedPage>,
    companions: Vec<CompanionSpec>,
    bleed: u32,
    factor: Ratio,
    /// The limits and the rounding that were asked for, at every scale.
    asked: PageRules,
    least: LowerBound,
    mirrored: Vec<(usize, usize)>,
    keeping: Option<ReuseOutcome>,
    /// The frames of each page, made when first asked for.
    on_pages: OnceLock<Vec<Vec<usize>>>,
}

/// Why frames can't be packed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PackError {
    /// Nothing to pack.
    #[error("there are no frames to pack")]
    NoFrames,
    /// One frame alone is larger than a page.
    #[error("frame '{frame}' of {size} px does not fit on a page of {page} px{}", around(*margin, *bleed))]
    FrameTooLarge {
        /// The frame.
        frame: Name,
        /// Its kept pixels.
        size: Size,
        /// The largest page allowed.
        page: Size,
        /// Empty pixels round the page.
        margin: u32,
        /// Repeated border pixels round the frame.
        bleed: u32,
        /// The smallest limit, or page of a fixed size, that would do.
        needs: Size,
        /// Whether pages have a fixed size.
        is_fixed: bool,
    },
    /// No page side is both rounded as asked and within the limit.
    #[error("no page side is a multiple of {unit} px{at} and at most {max} px", at = at_every(*scales))]
    NothingToRoundTo {
        /// Page sides are multiples of this.
        unit: u32,
        /// The limit.
        max: u32,
        /// In how many scales pages are written.
        scales: usize,
        /// The smallest limit that would do.
        needs: u64,
    },
    /// A row of cells is wider than a page.
    #[error("{what} needs {columns} columns of {cell} px, but a page of {page} px holds {fits}")]
    RowTooLong {
        /// What the row is: a clip, or the whole strip or grid.
        what: String,
        /// Cells it needs.
        columns: usize,
        /// Size of a cell.
        cell: Size,
        /// The largest page allowed.
        page: Size,
        /// Cells that fit.
        fits: usize,
        /// The smallest limit, or page of a fixed size, that would do.
        needs: Size,
        /// Whether pages have a fixed size.
        is_fixed: bool,
    },
    /// A row named after a clip that is not there.
    #[error(
        "there is no clip '{name}'{}; available: {}",
        did_you_mean(closest_name(name, known.iter().cloned()).as_ref()),
        if known.is_empty() { "none".to_owned() } else { known.join(", ") }
    )]
    NoClip {
        /// The name typed.
        name: String,
        /// The clips there are.
        known: Vec<String>,
    },
    /// A clip name that several sprites have.
    #[error("several sprites have a clip '{name}'; write one of: {list}", list = known.join(", "))]
    WhichClip {
        /// The name typed.
        name: Name,
        /// The choices.
        known: Vec<String>,
    },
    /// A number that no page could have.
    #[error("the {what} is {value}, but must be from {least} to {most}")]
    OutOfRange {
        /// What it is.
        what: &'static str,
        /// The number.
        value: u32,
        /// The least there may be.
        least: u32,
        /// The most there may be.
        most: u32,
    },
    /// Pages of a fixed size whose scaled size would not be in whole pixels.
    #[error("a page of {page} px can't be scaled by {scale}: its sides would not be whole pixels")]
    PageSplit {
        /// The page.
        page: Size,
        /// The scale.
        scale: PageScale,
        /// The next larger page that can be scaled by all factors.
        needs: Size,
    },
    /// Pages of a size that is not square were to be square.
    #[error("a page of {page} px is not square")]
    NotSquare {
        /// The page.
        page: Size,
    },
    /// Places can be kept on pages of the whole atlas only.
    #[error("places can't be kept if each clip or sprite has its own pages")]
    KeptApart,
    /// None of the frames was in the atlas whose places were to be kept.
    #[error("none of these frames are in the old atlas, so there are no places to keep")]
    NothingToKeep,
    /// Listing a frame once a place made a name clash.
    #[error(transparent)]
    Set(#[from] SetError),
}

impl Atlas {
    /// The frames and clips.
    pub fn set(&self) -> &FrameSet {
        &self.set
    }

    /// The place of each frame, in the set's order.
    pub fn placements(&self) -> &[Placement] {
        &self.places
    }

    /// The pages.
    pub fn pages(&self) -> &[PackedPage] {
        &self.pages
    }

    /// The companions of its frames, each on pages of its own, in the same places. Every frame has all of them, in this order.
    pub fn companions(&self) -> &[CompanionSpec] {
        &self.companions
    }

    /// How many times as large as drawn everything is.
    pub fn factor(&self) -> Ratio {
        self.factor
    }

    /// The least that any arrangement of these frames could need.
    pub fn lower_bound(&self) -> LowerBound {
        self.least
    }

    /// Pictures that are the mirror image of an earlier one, and that one: frames that could be drawn from it.
    pub fn mirrored(&self) -> &[(usize, usize)] {
        &self.mirrored
    }

    /// What became of the places that were to be kept.
    pub fn keeping(&self) -> Option<&ReuseOutcome> {
        self.keeping.as_ref()
    }

    /// How often border pixels are repeated outwards.
    pub fn bleed(&self) -> u32 {
        self.bleed
    }

    /// The frames that are on a page, in their order, and of those that share a place the first only. Blank frames lie
    /// nowhere.
    ///
    /// # Panics
    /// If there is no such page.
    pub fn frames_on(&self, page: usize) -> &[usize] {
        let table = || {
            let mut pages = vec![Vec::new(); self.pages.len()];
            let mut seen = HashSet::new();
            for (at, place) in self.places.iter().enumerate() {
                if !place.rect.is_empty() && seen.insert((place.page, place.rect)) {
                    pages[place.page].push(at);
                }
            }
            pages
        };
        &self.on_pages.get_or_init(table)[page]
    }

    /// The different places on a page, in the order of the frames.
    ///
    /// # Panics
    /// If there is no such page.
    pub fn rects_on(&self, page: usize) -> Vec<Rect> {
        self.frames_on(page).iter().map(|&at| self.places[at].rect).collect()
    }

    /// The part of a page that frames cover, 0 to 1.
    ///
    /// # Panics
    /// If there is no such page.
    pub fn fill(&self, page: usize) -> f64 {
        let covered: u64 = self.rects_on(page).iter().map(|rect| rect.size().area()).sum();
        covered as f64 / self.pages[page].size.area() as f64
    }
}

/// Arranges the frames of a set on pages, and their companions on pages like them; those that a frame lacks are neutral. Frames
/// keep the pixels they come with: trim before.
pub fn pack(set: FrameSet, options: &PackSettings) -> Result<Atlas, PackError> {
    let is_dense = matches!(options.layout, Layout::Dense(_));
    let kept = (!is_dense).then(|| set.clone());
    let packed = pack_within(set, options);
    match (packed, kept) {
        (Err(error), Some(set)) if error.limit().is_some() => Err(enough_for_all(error, &set, options)),
        (packed, _) => packed,
    }
}

/// The same error with a limit under which nothing else is too large: a page that holds the largest frame may still be too
/// small for the longest row.
fn enough_for_all(error: PackError, set: &FrameSet, options: &PackSettings) -> PackError {
    /// Frames, then rows; each can only be too large once.
    const ROUNDS: usize = 4;
    let Some(mut limit) = error.limit() else { return error };
    for _ in 0..ROUNDS {
        let side = limit.width.max(limit.height);
        let fixed = options.pages.fixed.map(|size| size.union(limit));
        let pages = PageRules { max: Size::new(side, side), fixed, ..options.pages };
        match pack_within(set.clone(), &PackSettings { pages, ..options.clone() }) {
            Ok(_) => return error.with_limit(limit),
            Err(next) => match next.limit() {
                Some(more) => limit = limit.union(more),
                None => return error,
            },
        }
    }
    error
}

fn pack_within(set: FrameSet, options: &PackSettings) -> Result<Atlas, PackError> {
    if set.frames().is_empty() {
        return Err(PackError::NoFrames);
    }
    options.check()?;
    let asked = options;
    let options = &asked.resolved()?;
    check_sizes(&set, asked, options)?;
    if let Some(old) = options.dense_options().and_then(|dense| dense.keep.as_ref()) {
        if options.per != PagePer::Atlas {
            return Err(PackError::KeptApart);
        }
        if !old.knows_any(&set) {
            return Err(PackError::NothingToKeep);
        }
    }
    let companions: Vec<CompanionSpec> = missing_companions(&set).into_iter().map(|(spec, _)| spec).collect();
    let set = complete_companions(set, &companions)?;
    let group::PageGroups { set, groups } = group::group_pages(set, options)?;
    let share = options.dense_options().is_some_and(|dense| dense.share);
    let mut shared = share::find(set.frames(), share);
    let mut atlas = Atlas {
        places: vec![Placement::default(); set.frames().len()],
        pages: Vec::new(),
        bleed: options.bleed,
        factor: Ratio::ONE,
        asked: asked.pages.on_step(asked.step)?,
        least: LowerBound::default(),
        mirrored: std::mem::take(&mut shared.mirrored),
        keeping: None,
        on_pages: OnceLock::new(),
        set,
        companions,
    };
    for group in groups {
        match &options.layout {
            Layout::Dense(dense) => atlas.add_dense(&group, &shared, dense, options),
            Layout::Grid { columns } => {
                let slots = rows::in_lines(group.members.len(), *columns);
                atlas.add_cells(&group, &slots, asked, options)?;
            }
            Layout::Strip => {
                let count = group.members.len();
                atlas.add_cells(&group, &rows::in_lines(count, Some(count as u32)), asked, options)?;
            }
            Layout::ClipRows { .. } => {
                let slots = group.slots.as_ref().expect("rows were listed");
                atlas.add_cells(&group, slots, asked, options)?;
            }
        }
    }
    Ok(atlas)
}

/// Refuses frames that fit on no page; says the largest of them, and the page that all would fit on.
fn check_sizes(set: &FrameSet, asked: &PackSettings, options: &PackSettings) -> Result<(), PackError> {
    let frames = set.frames().iter().filter(|frame| !options.has_room_for(frame.pixels().size()));
    let side = |size: Size| size.width.max(size.height);
    let key = |size: Size| (side(size), size.area());
    let mut worst: Option<&crate::Frame> = None;
    let mut needs = Size::default();
    for frame in frames {
        let size = frame.pixels().size();
        needs = needs.union(asked.limit_for(options, size));
        if worst.is_none_or(|worst| key(size) > key(worst.pixels().size())) {
            worst = Some(frame);
        }
    }
    match worst {
        None => Ok(()),
        Some(frame) => Err(asked.too_large(options, frame.name().clone(), frame.pixels().size(), needs)),
    }
}

impl PackError {
    /// The page that would be large enough, where only that is wrong.
    fn limit(&self) -> Option<Size> {
        match self {
            Self::FrameTooLarge { needs, .. } | Self::RowTooLong { needs, .. } => Some(*needs),
            _ => None,
        }
    }

    fn with_limit(mut self, limit: Size) -> Self {
        if let Self::FrameTooLarge { needs, .. } | Self::RowTooLong { needs, .. } = &mut self {
            *needs = limit;
        }
        self
    }
}

impl PackSettings {
    fn too_large(&self, resolved: &PackSettings, frame: Name, size: Size, needs: Size) -> PackError {
        let PackSettings { margin, bleed, ref pages, .. } = *resolved;
        let (page, is_fixed) = (pages.largest(), self.pages.fixed.is_some());
        PackError::FrameTooLarge { frame, size, page, margin, bleed, needs, is_fixed }
    }

    /// The smallest page limit at which a frame of this size fits at every scale.
    fn limit_for(&self, resolved: &PackSettings, size: Size) -> Size {
        let cell = resolved.cell_for(size);
        let side = |length: u32| {
            let whole = u64::from(length) + 2 * u64::from(resolved.margin);
            u32::try_from(self.pages.limit_for(whole, &self.scales)).unwrap_or(u32::MAX)
        };
        Size::new(side(cell.width), side(cell.height))
    }
}

fn common_multiple(a: u32, b: u32) -> u32 {
    let (wide_a, wide_b) = (u64::from(a), u64::from(b));
    u32::try_from(wide_a / gcd(wide_a, wide_b) * wide_b).unwrap_or(u32::MAX)
}

fn around(margin: u32, bleed: u32) -> String {
    match (margin, bleed) {
        (0, 0) => String::new(),
        (margin, 0) => format!(" with a margin of {margin} px"),
        (0, bleed) => format!(" with a bleed of {bleed} px"),
        (margin, bleed) => format!(" with a margin of {margin} px and a bleed of {bleed} px"),
    }
}

fn at_every(scales: usize) -> &'static str {
    if scales > 1 { " at every scale" } else { "" }
}

impl Atlas {
    fn add_pages(&mut self, group: &group::Group, sizes: Vec<(Size, Option<PageGrid>)>, least: LowerBound) {
        let page = |(size, grid)| PackedPage { size, label: group.label.clone(), grid };
        let pages = sizes.into_iter().map(page);
        self.pages.extend(pages);
        self.least = LowerBound { area: self.least.area + least.area, pages: self.least.pages + least.pages };
    }

    fn add_dense(
        &mut self,
        group: &group::Group,
        shared: &share::DistinctImages,
        dense: &DenseOptions,
        options: &PackSettings,
    ) {
        let before = self.pages.len();
        // Pictures are shared within a group only: each has pages of its own.
        let mut pictures: Vec<usize> = group.members.iter().filter_map(|&at| shared.picture_of[at]).collect();
        pictures.sort_unstable();
        pictures.dedup();
        let picture_of: Vec<Option<usize>> =
            (group.members.iter()).map(|&at| pictures.binary_search(&shared.picture_of[at]?).ok()).collect();
        let size = |picture: &usize| self.set.frames()[shared.distinct[*picture]].pixels().size();
        let sizes: Vec<Size> = pictures.iter().map(size).collect();
        let spaced: Vec<Size> = sizes.iter().map(|size| options.spaced(*size)).collect();
        let pieces = arrange::Items { sizes: &spaced, may_rotate: dense.may_rotate };
        let fitting = options.pages.fitting(options);
        let known = reuse::PackImages {
            set: &self.set,
            members: &group.members,
            picture_of: &picture_of,
            sizes: &sizes,
            spaced: &spaced,
        };
        let kept = dense.keep.as_ref().map(|old| reuse::keep(&known, old, options, dense.effort));
        let arranged = arrange::arrange(pieces, &fitting, dense.effort);
        let outcome = kept.as_ref().map(|kept| match kept {
            Ok(kept) => kept.outcome(&arranged.pages, dense.most_waste),
            Err(outcome) => outcome.clone(),
        });
        let (spots, pages) = match kept {
            Some(Ok(kept)) if matches!(outcome, Some(ReuseOutcome::Kept { .. })) => (kept.spots, kept.pages),
            _ => (arranged.spots, arranged.pages),
        };
        self.keeping = outcome;
        let first = options.margin + options.bleed;
        for (&at, picture) in group.members.iter().zip(&picture_of) {
            let Some(picture) = *picture else { continue };
            let (spot, size) = (spots[picture], sizes[picture]);
            let size = if spot.rotated { size.rotated() } else { size };
            let rect = Rect::at(spot.x * options.step + first, spot.y * options.step + first, size);
            self.places[at] = Placement { page: before + spot.page, rect, rotated: spot.rotated };
        }
        let (area, count) = arrange::lower_bound(pieces, &fitting);
        let pages = pages.into_iter().map(|size| (size, None)).collect();
        self.add_pages(group, pages, LowerBound { area, pages: count });
    }

    /// Places frames in cells of one size.
    fn add_cells(
        &mut self,
        group: &group::Group,
        slots: &rows::CellSlots,
        asked: &PackSettings,
        options: &PackSettings,
    ) -> Result<(), PackError> {
        let before = self.pages.len();
        let kept: Vec<Rect> = group.members.iter().map(|&at| self.set.frames()[at].kept_rect()).collect();
        // What all of them keep is the cell, so that nothing jumps from cell to cell.
        let shown = kept.iter().filter(|rect| !rect.is_empty()).copied().reduce(Rect::union);
        let shown = shown.unwrap_or(Rect::new(0, 0, 1, 1));
        let cell = options.cell_for(shown.size());
        if !cell.fits_in(options.pages.usable_size(options.margin)) {
            let largest =
                group.members.iter().max_by_key(|&&at| self.set.frames()[at].pixels().size().area());
            let frame = self.set.frames()[*largest.expect("a group has members")].name().clone();
            return Err(asked.too_large(
                options,
                frame,
                shown.size(),
                asked.limit_for(options, shown.size()),
            ));
        }
        let lines = page::CellRows::new(cell, slots, asked, options)?;
        let first = options.bleed;
        for ((&at, slot), rect) in group.members.iter().zip(&slots.of_frames).zip(&kept) {
            let (page, corner) = lines.corner(*slot);
            if !rect.is_empty() {
                let (x, y) = (corner.x + first + rect.x - shown.x, corner.y + first + rect.y - shown.y);
                let rect = Rect::at(x, y, rect.size());
                self.places[at] = Placement { page: before + page, rect, rotated: false };
            }
        }
        let (area, pages) = (kept.iter().map(|rect| rect.size().area()).sum(), 1);
        self.add_pages(group, lines.pages(), LowerBound { area, pages });
        Ok(())
    }
}

fn grown(size: Size, bleed: u32) -> Size {
    if size.is_empty() { size } else { Size::new(size.width + 2 * bleed, size.height + 2 * bleed) }
}

#[cfg(test)]
mod tests;
