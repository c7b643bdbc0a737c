//! Positions for rectangles, from their sizes alone.
//!
//! The entry points are [`arrange`] and, if some items are placed already, [`Gaps`]: sizes in, positions and page sizes out. Behind them, in the order a page meets them: `order` sorts the items, `maxrects` and `skyline` place them one
//! after another, the latter from an `item_index` of those left, `anneal` improves the order, `min_page` searches for the
//! smallest page, `square` for the smallest square one, `fixed` fits a page of a given size, `multipage` fills several.
//! Nothing here sees a pixel or a name.
//!
//! What is chosen is the best by (pages, area, longest side, number of the try); how many tries there are depends on
//! the number of pieces alone, never on a clock. So threads never show.

mod anneal;
mod effort;
mod few_items;
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
use crate::parallel;
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

/// More rectangles than this on a page are not searched for gaps, which would take seconds.
const MOST_AROUND: usize = 4_000;

/// Pages that hold something already, and the gaps in between.
pub(super) struct Gaps {
    /// For each page, its occupied rectangles, and the free ones if there are few enough to keep track of.
    pages: Vec<(Vec<Rect>, Option<maxrects::FreeRects>)>,
}

impl Gaps {
    /// The gaps of pages that hold these rectangles; none of the pages will ever have more room than `most`.
    pub(super) fn around(taken: Vec<Vec<Rect>>, most: Size) -> Self {
        let free = |rects: &Vec<Rect>| {
            (rects.len() <= MOST_AROUND).then(|| maxrects::FreeRects::around(most, rects))
        };
        Self { pages: parallel::map_vec(taken, |_, rects| (rects.clone(), free(&rects))) }
    }

    /// Spots for pieces on pages with these rooms; `None` for those that find no room.
    pub(super) fn fill(&self, pieces: Items<'_>, rooms: &[Size]) -> Vec<Option<ItemPosition>> {
        let all: Vec<usize> = (0..pieces.sizes.len()).collect();
        let left = |spots: &Vec<Option<ItemPosition>>| -> u64 {
            let missing = all.iter().filter(|piece| spots[**piece].is_none());
            missing.map(|&piece| pieces.sizes[piece].area()).sum()
        };
        let tries =
            order::ORDERS.map(|by| self.fill_in_order(pieces, &order::sorted(pieces, &all, by), rooms));
        tries.into_iter().min_by_key(left).unwrap_or_default()
    }

    fn fill_in_order(&self, pieces: Items<'_>, order: &[usize], rooms: &[Size]) -> Vec<Option<ItemPosition>> {
        let mut spots = vec![None; pieces.sizes.len()];
        let mut left = order.to_vec();
        for (page, ((rects, free), room)) in self.pages.iter().zip(rooms).enumerate() {
            match free {
                Some(free) => {
                    let mut free = free.clone();
                    left.retain(|&piece| {
                        let spot = free.place(pieces, piece, (*room, maxrects::Score::TopLeft));
                        spots[piece] = spot.map(|spot| ItemPosition { page, ..spot });
                        spot.is_none()
                    });
                }
                None => {
                    left = outside(pieces, &left, rects, *room, |piece, spot| {
                        spots[piece] = Some(ItemPosition { page, ..spot });
                    });
                }
            }
        }
        spots
    }
}

/// Puts pieces below everything on a page, and then beside it; gives those that are left.
fn outside(
    pieces: Items<'_>,
    order: &[usize],
    rects: &[Rect],
    room: Size,
    mut put: impl FnMut(usize, ItemPosition),
) -> Vec<usize> {
    let right = rects.iter().map(|rect| rect.right()).max().unwrap_or(0) as u32;
    let bottom = rects.iter().map(|rect| rect.bottom()).max().unwrap_or(0) as u32;
    let below = Rect::new(0, bottom, room.width, room.height.saturating_sub(bottom));
    let beside = Rect::new(right, 0, room.width.saturating_sub(right), bottom.min(room.height));
    let catalog = item_index::ItemIndex::new(pieces);
    let mut left = order.to_vec();
    for free in [below, beside] {
        if left.is_empty() || free.is_empty() {
            continue;
        }
        let outcome = skyline::Skyline::of(&catalog, free.size()).fill(&left).outcome;
        for (piece, spot) in outcome.placed {
            put(piece, ItemPosition { x: spot.x + free.x, y: spot.y + free.y, ..spot });
        }
        left = outcome.left;
    }
    left
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
