//! Niches: the page as a skyline whose lowest niche is filled by the piece that suits it best.
//!
//! A piece that fills a niche's width scores more than one that does not, and one whose height is level with a wall more
//! than one that is not (S. C. H. Leung, D. Zhang and K. M. Sim, "A two-stage intelligent search algorithm for the
//! two-dimensional strip packing problem", 2011; L. Wei et al., "An improved skyline based heuristic for the 2D strip
//! packing problem", 2016). Equal scores are decided by the order of the pieces, and that order is what `anneal` improves.

use crate::Size;
use crate::pack::arrange::item_index::{ItemIndex, NicheMatch, NicheQuery, RemainingItems};
use crate::pack::arrange::{ItemPosition, Items, PageFill};

/// A part of the skyline: from `x` on, `width` long, at height `y`.
#[derive(Clone, Copy, Debug)]
struct SkylineSegment {
    x: u32,
    y: u32,
    width: u32,
}

/// A page of fixed width, and of a height that may be open.
pub(super) struct Skyline<'a> {
    catalog: &'a ItemIndex<'a>,
    width: u32,
    height: u32,
    levels: Vec<SkylineSegment>,
    stock: RemainingItems,
}

/// A piece chosen for a niche.
#[derive(Clone, Copy)]
struct Fit {
    size: Size,
    rotated: bool,
    to_right: bool,
}

/// How a strip was filled.
#[derive(Clone, Debug, Default)]
pub(super) struct StripFill {
    pub(super) outcome: PageFill,
    /// Area below the skyline: pieces and waste.
    pub(super) below: u64,
}

impl<'a> Skyline<'a> {
    pub(super) fn new(catalog: &'a ItemIndex<'a>, width: u32) -> Self {
        Self::of(catalog, Size::new(width, u32::MAX))
    }

    /// A strip that ends somewhere: what does not fit is left.
    pub(super) fn of(catalog: &'a ItemIndex<'a>, size: Size) -> Self {
        let (width, height) = (size.width, size.height);
        Self { catalog, width, height, levels: Vec::new(), stock: RemainingItems::default() }
    }

    pub(super) fn pieces(&self) -> Items<'a> {
        self.catalog.pieces
    }

    pub(super) fn width(&self) -> u32 {
        self.width
    }

    /// Fills the strip; every piece must fit its width in one of its ways. `order` decides between equals.
    pub(super) fn fill(&mut self, order: &[usize]) -> StripFill {
        self.fill_unless(order, |_, _| false).expect("nothing is too much")
    }

    /// Does so too, but gives up once the height so far and the waste so far, in pixels, are too much.
    pub(super) fn fill_unless(
        &mut self,
        order: &[usize],
        is_too_much: impl Fn(u32, u64) -> bool,
    ) -> Option<StripFill> {
        self.levels.clear();
        self.levels.push(SkylineSegment { x: 0, y: 0, width: self.width });
        self.stock.fill(self.catalog, order);
        let mut waste = 0;
        let mut outcome = PageFill { placed: Vec::with_capacity(order.len()), ..PageFill::default() };
        while !self.stock.is_empty() {
            let niche = self.lowest();
            let SkylineSegment { y, width, .. } = self.levels[niche];
            let (left, right) = self.walls(niche);
            let room = Size::new(width, self.height - y);
            let wanted = NicheQuery { room, high: left.max(right), low: left.min(right) };
            match self.stock.best(self.catalog, order, wanted) {
                None if self.levels.len() == 1 => break,
                None => waste += self.raise(niche),
                Some(NicheMatch { rank, rotated }) => {
                    let piece = order[rank as usize];
                    self.stock.take(self.catalog, piece, rank);
                    let size = self.catalog.pieces.sizes[piece];
                    let size = if rotated { size.rotated() } else { size };
                    let (is_high, is_low) = (size.height == wanted.high, size.height == wanted.low);
                    // Level with one wall it leans on that one; else on the higher.
                    let to_right = if is_low && !is_high { right < left } else { right > left };
                    let spot = self.put(niche, Fit { size, rotated, to_right });
                    outcome.used = outcome.used.union(Size::new(spot.x + size.width, spot.y + size.height));
                    outcome.placed.push((piece, spot));
                }
            }
            if is_too_much(outcome.used.height, waste) {
                return None;
            }
        }
        outcome.left = self.stock.rest(self.catalog, order);
        let below = self.levels.iter().map(|level| u64::from(level.y) * u64::from(level.width)).sum();
        Some(StripFill { outcome, below })
    }

    fn lowest(&self) -> usize {
        let levels = self.levels.iter().enumerate();
        levels.min_by_key(|(_, level)| (level.y, level.x)).map_or(0, |(at, _)| at)
    }

    /// How high the walls on both sides of a niche are above it; the page's own are endless.
    fn walls(&self, niche: usize) -> (u32, u32) {
        let floor = self.levels[niche].y;
        let wall = |level: Option<&SkylineSegment>| level.map_or(u32::MAX, |level| level.y - floor);
        (wall(niche.checked_sub(1).and_then(|at| self.levels.get(at))), wall(self.levels.get(niche + 1)))
    }

    fn put(&mut self, niche: usize, choice: Fit) -> ItemPosition {
        let Fit { size, to_right, rotated } = choice;
        let level = self.levels[niche];
        let x = if to_right { level.x + level.width - size.width } else { level.x };
        let top = SkylineSegment { x, y: level.y + size.height, width: size.width };
        let rest = level.width - size.width;
        let rest_x = if to_right { level.x } else { level.x + size.width };
        self.levels[niche] = top;
        if rest > 0 {
            let at = if to_right { niche } else { niche + 1 };
            self.levels.insert(at, SkylineSegment { x: rest_x, y: level.y, width: rest });
        }
        self.join(niche.saturating_sub(1));
        ItemPosition { page: 0, x, y: level.y, rotated }
    }

    /// Where nothing fits, the niche is filled up to its lower wall. Gives the area that is wasted so.
    fn raise(&mut self, niche: usize) -> u64 {
        let (left, right) = self.walls(niche);
        let level = &mut self.levels[niche];
        level.y += left.min(right);
        let waste = u64::from(level.width) * u64::from(left.min(right));
        self.join(niche.saturating_sub(1));
        waste
    }

    /// Neighbors of one height become one, from `from` on for as far as a placement reaches.
    fn join(&mut self, from: usize) {
        let mut at = from;
        let mut end = (from + 4).min(self.levels.len());
        while at + 1 < end {
            if self.levels[at].y == self.levels[at + 1].y {
                self.levels[at].width += self.levels[at + 1].width;
                self.levels.remove(at + 1);
                end -= 1;
            } else {
                at += 1;
            }
        }
    }
}
