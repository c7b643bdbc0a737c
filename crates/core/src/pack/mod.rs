//! Frames onto pages.
//!
//! In the order a frame meets them: `share` finds frames that can lie in one place, `arrange`
//! decides the places from sizes alone, `page` knows how large a page may be, [`paint()`] draws it.
//! Packing changes no frame; `clip-rows` lists a frame once for each place it needs.

mod arrange;
mod page;
mod paint;
mod rows;
mod share;

use crate::{FrameSet, Name, Pair, Rect, SetError, Size};

pub use page::{PageRules, Round};
pub use paint::paint;

/// How to pack.
#[derive(Clone, Debug, PartialEq)]
pub struct Options {
    /// Which arrangement.
    pub layout: Layout,
    /// How large pages are.
    pub pages: PageRules,
    /// Empty pixels round a page.
    pub margin: u32,
    /// Empty pixels between frames, counted from their bleed.
    pub gutter: u32,
    /// How often a frame's border pixels are repeated outwards.
    pub bleed: u32,
    /// In the dense layout, identical frames share one place.
    pub share: bool,
    /// How long a dense page is improved.
    pub effort: Effort,
}

/// How long a dense page is improved; bounded by steps, never by a clock.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Effort {
    /// One round of quick packers.
    Low,
    /// A search of a moment.
    #[default]
    Medium,
    /// A search of twelve times that.
    High,
}

impl Options {
    /// Dense pages of up to 4096x4096, two pixels between frames and one round the page.
    pub fn dense() -> Self {
        let pages = PageRules { max: Size::new(4096, 4096), fixed: None, round: Round::None };
        Self {
            layout: Layout::Dense,
            pages,
            margin: 1,
            gutter: 2,
            bleed: 0,
            share: true,
            effort: Effort::Medium,
        }
    }
}

/// The arrangement of frames on pages.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Layout {
    /// As close together as they go.
    Dense,
    /// Cells of one size in the frames' order; near square where no columns are given.
    Grid {
        /// Cells across.
        columns: Option<u32>,
    },
    /// A grid of one row.
    Strip,
    /// One clip a row; frames of no clip follow in rows of their own.
    ClipRows {
        /// The clips in order, `None` for a blank row; where not given, the set's order.
        order: Option<Vec<RowName>>,
    },
}

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
pub struct Place {
    /// Which page.
    pub page: usize,
    /// Its pixels there; empty for a blank frame.
    pub rect: Rect,
}

/// A set with a place for every frame.
///
/// # Guarantees
/// One place a frame, in the set's order, each on a page that is there and inside it; places of
/// different pictures never overlap, their bleed and gutters included.
#[derive(Clone, Debug)]
pub struct Atlas {
    set: FrameSet,
    places: Vec<Place>,
    pages: Vec<Size>,
    bleed: u32,
}

/// Why frames can't be packed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PackError {
    /// Nothing to pack.
    #[error("there are no frames to pack")]
    NoFrames,
    /// One frame alone is larger than a page.
    #[error(
        "frame '{frame}' of {size} px does not fit on a page of {page} px with a margin of {margin} px and a bleed of {bleed} px"
    )]
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
    },
    /// A row named after a clip that is not there.
    #[error("there is no clip '{name}'; there are: {known}")]
    NoClip {
        /// The name typed.
        name: String,
        /// The clips there are, as text.
        known: String,
    },
    /// A clip name that several sprites have.
    #[error("several sprites have a clip '{name}'; write one of: {known}")]
    WhichClip {
        /// The name typed.
        name: Name,
        /// The choices, as text.
        known: String,
    },
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
    pub fn places(&self) -> &[Place] {
        &self.places
    }

    /// The size of each page.
    pub fn pages(&self) -> &[Size] {
        &self.pages
    }

    /// How often border pixels are repeated outwards.
    pub fn bleed(&self) -> u32 {
        self.bleed
    }

    /// The different places on a page, in the order of the frames.
    pub fn rects_on(&self, page: usize) -> Vec<Rect> {
        let mut seen = std::collections::HashSet::new();
        let on_page = self.places.iter().filter(|place| place.page == page && !place.rect.is_empty());
        on_page.map(|place| place.rect).filter(|rect| seen.insert(*rect)).collect()
    }

    /// The part of a page that frames cover, 0 to 1.
    pub fn fill(&self, page: usize) -> f64 {
        let covered: u64 = self.rects_on(page).iter().map(|rect| rect.size().area()).sum();
        covered as f64 / self.pages[page].area() as f64
    }
}

/// Arranges the frames of a set on pages. Frames keep the pixels they come with: trim before.
pub fn pack(set: FrameSet, options: &Options) -> Result<Atlas, PackError> {
    if set.frames().is_empty() {
        return Err(PackError::NoFrames);
    }
    for frame in set.frames() {
        let needs = grown(frame.pixels().size(), options.bleed);
        if !needs.fits_in(options.pages.room(options.margin)) {
            let (page, margin, bleed) = (options.pages.largest(), options.margin, options.bleed);
            let (frame, size) = (frame.name().clone(), frame.pixels().size());
            return Err(PackError::FrameTooLarge { frame, size, page, margin, bleed });
        }
    }
    match &options.layout {
        Layout::Dense => Ok(dense(set, options)),
        Layout::Grid { columns } => {
            let slots = rows::in_lines(set.frames().len(), *columns);
            cells(set, &slots, options)
        }
        Layout::Strip => {
            let count = set.frames().len();
            cells(set, &rows::in_lines(count, Some(count as u32)), options)
        }
        Layout::ClipRows { order } => {
            let (set, slots) = rows::by_clip(&set, order.as_deref())?;
            cells(set, &slots, options)
        }
    }
}

fn dense(set: FrameSet, options: &Options) -> Atlas {
    let shared = share::find(set.frames(), options.share);
    let sizes: Vec<Size> = shared.distinct.iter().map(|&at| set.frames()[at].pixels().size()).collect();
    let spaced = |size: Size| {
        let Size { width, height } = grown(size, options.bleed);
        Size::new(width + options.gutter, height + options.gutter)
    };
    let spaced: Vec<Size> = sizes.iter().copied().map(spaced).collect();
    let arranged =
        arrange::dense(&spaced, &options.pages.fitting(options.margin, options.gutter), options.effort);
    let first = options.margin + options.bleed;
    let place = |picture: &Option<usize>| match picture {
        None => Place::default(),
        Some(picture) => {
            let spot = arranged.spots[*picture];
            Place { page: spot.page, rect: Rect::at(spot.x + first, spot.y + first, sizes[*picture]) }
        }
    };
    let places = shared.picture_of.iter().map(place).collect();
    let pages = arranged.pages;
    Atlas { set, places, pages, bleed: options.bleed }
}

/// Places frames in cells of one size.
fn cells(set: FrameSet, slots: &rows::Slots, options: &Options) -> Result<Atlas, PackError> {
    let largest = set.frames().iter().fold(Size::new(1, 1), |size, frame| size.union(frame.pixels().size()));
    let cell = grown(largest, options.bleed);
    let lines = page::Lines::new(cell, slots, options)?;
    let first = options.bleed;
    let place = |(slot, frame): (&Pair, &crate::Frame)| {
        let (page, corner) = lines.corner(*slot);
        let size = frame.pixels().size();
        match size.is_empty() {
            true => Place::default(),
            false => Place { page, rect: Rect::at(corner.x + first, corner.y + first, size) },
        }
    };
    let places = slots.of_frames.iter().zip(set.frames()).map(place).collect();
    Ok(Atlas { set, places, pages: lines.pages(), bleed: options.bleed })
}

fn grown(size: Size, bleed: u32) -> Size {
    if size.is_empty() { size } else { Size::new(size.width + 2 * bleed, size.height + 2 * bleed) }
}

#[cfg(test)]
mod tests;
