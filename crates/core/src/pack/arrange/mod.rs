//! Positions for rectangles, from their sizes alone.
//!
//! The entry points are [`arrange`] and, if some items are placed already, [`arrange_around`]: sizes in, positions and page
//! sizes out. Behind them, in the order a page meets them: `order` sorts the items, `maxrects` and `skyline` place them one
//! after another, the latter from an `item_index` of those left, `anneal` improves the order, `min_page` searches for the
//! smallest page, `square` for the smallest square one, `fixed` fits a page of a given size, `multipage` fills several.
//! Nothing here sees a pixel or a name.
//!
//! What is chosen is the best by (pages, area, longest side, number of the try); how many tries there are depends on
//! the number of pieces alone, never on a clock. So threads never show.

mod anneal;
mod effort;
mod fixed;
mod item_index;
mod maxrects;
mod min_page;
mod multipage;
mod order;
mod skyline;
mod square;

use crate::pack::Effort;
use crate::pack::page::PageSizer;
use crate::{Rect, Size};

/// Where a piece lies.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct ItemPosition {
    pub(super) page: usize,
    pub(super) x: u32,
    pub(super) y: u32,
    /// Whether its sides are exchanged.
    pub(super) rotated: bool,
}

/// What is to be placed.
#[derive(Clone, Copy, Debug)]
pub(super) struct Items<'a> {
    pub(super) sizes: &'a [Size],
    /// Whether a piece may be on its side.
    pub(super) may_rotate: bool,
}

impl Items<'_> {
    fn area(&self, wanted: &[usize]) -> u64 {
        wanted.iter().map(|&piece| self.sizes[piece].area()).sum()
    }

    /// The area of what a try placed.
    fn area_of(&self, outcome: &PageFill) -> u64 {
        outcome.placed.iter().map(|(piece, _)| self.sizes[*piece].area()).sum()
    }

    /// The least width that any page must have.
    fn widest(&self, wanted: &[usize]) -> u32 {
        let width = |size: Size| if self.may_rotate { size.width.min(size.height) } else { size.width };
        wanted.iter().map(|&piece| width(self.sizes[piece])).max().unwrap_or(1)
    }

    /// The sizes with everything rotated: a page of them is filled from the left.
    fn transposed_sizes(&self) -> Vec<Size> {
        self.sizes.iter().map(|size| size.rotated()).collect()
    }

    /// A piece's ways to lie: upright, and rotated where that is allowed and makes a difference.
    fn orientations(&self, piece: usize) -> impl Iterator<Item = (Size, bool)> + use<> {
        let size = self.sizes[piece];
        let rotated = (self.may_rotate && !size.is_square()).then_some((size.rotated(), true));
        [(size, false)].into_iter().chain(rotated)
    }
}

/// A spot for every piece, in the pieces' order, and the pages they need.
#[derive(Clone, Debug, Default)]
pub(super) struct Arrangement {
    pub(super) spots: Vec<ItemPosition>,
    pub(super) pages: Vec<Size>,
}

/// What one try placed on one page.
#[derive(Clone, Debug, Default)]
struct PageFill {
    placed: Vec<(usize, ItemPosition)>,
    /// Pieces that found no room.
    left: Vec<usize>,
    used: Size,
}

impl PageFill {
    /// The same rotated back, if everything lay sideways.
    fn undo_transpose(mut self, is_sideways: bool) -> Self {
        if is_sideways {
            for (_, spot) in &mut self.placed {
                // What was rotated while everything lay on its side is rotated once more than that.
                *spot = ItemPosition { x: spot.y, y: spot.x, ..*spot };
            }
            self.used = self.used.rotated();
        }
        self
    }
}

/// Arranges pieces on as few pages as it can, the last as small as it can. Every piece must fit on an
/// empty page.
pub(super) fn arrange(pieces: Items<'_>, fitting: &PageSizer, effort: Effort) -> Arrangement {
    let mut arranged =
        Arrangement { spots: vec![ItemPosition::default(); pieces.sizes.len()], pages: Vec::new() };
    let all: Vec<usize> = (0..pieces.sizes.len()).collect();
    let outcomes = match all.is_empty() {
        true => Vec::new(),
        false => match min_page::smallest_page(pieces, &all, fitting, effort) {
            Some(one) => vec![one],
            None => multipage::pages(pieces, &all, fitting, effort),
        },
    };
    for (page, outcome) in outcomes.into_iter().enumerate() {
        for (piece, spot) in outcome.placed {
            arranged.spots[piece] = ItemPosition { page, ..spot };
        }
        arranged.pages.push(fitting.page_for(outcome.used));
    }
    if arranged.pages.is_empty() {
        arranged.pages.push(fitting.page_for(Size::default()));
    }
    arranged
}

/// Spots for pieces on pages where others lie already; `None` where they find no room. `taken` holds, for each page,
/// its room and what is there.
pub(super) fn arrange_around(pieces: Items<'_>, taken: &[(Size, Vec<Rect>)]) -> Option<Vec<ItemPosition>> {
    let all: Vec<usize> = (0..pieces.sizes.len()).collect();
    let lying: usize = taken.iter().map(|(_, rects)| rects.len()).sum();
    if all.len() + lying > fixed::MOST_FOR_MAXRECTS {
        return below(pieces, &all, taken);
    }
    let attempt = |order: &[usize]| {
        let mut rooms: Vec<maxrects::FreeRects> =
            taken.iter().map(|(size, rects)| maxrects::FreeRects::around(*size, rects)).collect();
        let mut spots = vec![ItemPosition::default(); all.len()];
        for &piece in order {
            let mut places = rooms.iter_mut().enumerate();
            let found = places
                .find_map(|(page, room)| Some((page, room.place(pieces, piece, maxrects::Score::TopLeft)?)));
            let (page, spot) = found?;
            spots[piece] = ItemPosition { page, ..spot };
        }
        Some(spots)
    };
    order::ORDERS.iter().find_map(|&by| attempt(&order::sorted(pieces, &all, by)))
}

/// Spots below everything on a page, when there is too much to search the gaps.
fn below(pieces: Items<'_>, all: &[usize], taken: &[(Size, Vec<Rect>)]) -> Option<Vec<ItemPosition>> {
    let catalog = item_index::ItemIndex::new(pieces);
    let mut left = order::sorted(pieces, all, order::ORDERS[0]);
    let mut spots = vec![ItemPosition::default(); all.len()];
    for (page, (room, rects)) in taken.iter().enumerate() {
        let bottom = rects.iter().map(|rect| rect.bottom()).max().unwrap_or(0) as u32;
        let free = Size::new(room.width, room.height.saturating_sub(bottom));
        if left.is_empty() || free.is_empty() {
            continue;
        }
        let outcome = skyline::Skyline::of(&catalog, free).fill(&left).outcome;
        for (piece, spot) in outcome.placed {
            spots[piece] = ItemPosition { page, y: spot.y + bottom, ..spot };
        }
        left = outcome.left;
    }
    left.is_empty().then_some(spots)
}

/// The least number of pages that any arrangement could have, and the least area of this many together: from the area
/// of the pieces, from the largest sides, and from those too wide to lie side by side.
pub(super) fn lower_bound(pieces: Items<'_>, fitting: &PageSizer) -> (u64, usize) {
    let all: Vec<usize> = (0..pieces.sizes.len()).collect();
    let (area, room) = (pieces.area(&all), fitting.room());
    let narrow = |size: &Size| if pieces.may_rotate { size.width.min(size.height) } else { size.width };
    let short = |size: &Size| if pieces.may_rotate { size.width.min(size.height) } else { size.height };
    let long = pieces.sizes.iter().map(|size| size.width.max(size.height)).max().unwrap_or(0);
    let mut wide: Vec<(u32, u32)> = pieces.sizes.iter().map(|size| (narrow(size), short(size))).collect();
    wide.sort_unstable();
    let widest = wide.last().map_or(0, |piece| piece.0);
    let highest = wide.iter().map(|piece| piece.1).max().unwrap_or(0);
    // Heights of the pieces from the widest down: those wider than half a page are above one another.
    let mut stacked: u64 = wide.iter().map(|piece| u64::from(piece.1)).sum();
    let mut first = 0;
    let mut best: Option<u64> = None;
    for width in widest.max(1)..=room.width {
        while first < wide.len() && u64::from(wide[first].0) * 2 <= u64::from(width) {
            stacked -= u64::from(wide[first].1);
            first += 1;
        }
        let longest = if pieces.may_rotate && width < long { long } else { 0 };
        let height = area.div_ceil(u64::from(width)).max(stacked).max(u64::from(highest.max(longest)));
        if let Ok(height) = u32::try_from(height)
            && height <= room.height
        {
            let page = fitting.page_for(Size::new(width, height)).area();
            best = Some(best.map_or(page, |best| best.min(page)));
        }
    }
    match best {
        Some(area) => (area, 1),
        None => {
            // Gutters at the edges hang over, so a page holds a little more than its own area.
            let (page, holds) = (fitting.page_for(room).area(), room.area().max(1));
            let pages = area.div_ceil(holds).max(2);
            let least = (area as f64 * page as f64 / holds.max(page) as f64).floor() as u64;
            (least, pages as usize)
        }
    }
}

#[cfg(test)]
mod tests;
