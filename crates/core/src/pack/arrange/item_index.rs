//! What is still to be placed, found by its sides.
//!
//! [`ItemIndex`] sorts the ways in which pieces can lie by width and by height, once for all tries; [`RemainingItems`] keeps for each
//! of them the first piece in the order of a try that is left. So the piece that fills a niche's width, or is level with a
//! wall, is looked for among those of that width or height alone, and the first that fits at all is read from a tree of
//! minima. Places nothing.

use std::ops::Range;

use crate::Size;
use crate::pack::arrange::Items;
use crate::pack::arrange::few_items::{FewIndex, FewItems};

/// No piece is left; also no wall.
const NONE: u32 = u32::MAX;

/// Pieces by their sides. Those of one size are one class: which of them is taken makes no difference.
pub(super) struct ItemIndex<'a> {
    pub(super) pieces: Items<'a>,
    class_of: Vec<u32>,
    /// Where the pieces of each class begin in a list of all, and its end.
    starts: Vec<u32>,
    /// Where each class stands in both tables, upright and rotated.
    places: Vec<[Option<(u32, u32)>; 2]>,
    by_width: Table,
    by_height: Table,
    /// Of few pieces this is used instead.
    few: Option<FewIndex>,
}

/// Ways to lie, sorted by one side and then the other.
struct Table {
    others: Vec<u32>,
    rotated: Vec<bool>,
    /// For each length of the first side, where its ways begin.
    starts: Vec<u32>,
}

impl Table {
    /// From (side, other side, class, rotated), sorted.
    fn new(ways: &[(u32, u32, u32, bool)]) -> Self {
        let longest = ways.last().map_or(0, |way| way.0);
        let mut starts = vec![0; longest as usize + 2];
        ways.iter().for_each(|way| starts[way.0 as usize + 1] += 1);
        for at in 1..starts.len() {
            starts[at] += starts[at - 1];
        }
        let others = ways.iter().map(|way| way.1).collect();
        Self { others, rotated: ways.iter().map(|way| way.3).collect(), starts }
    }

    /// The ways whose first side is exactly so long.
    fn of(&self, length: u32) -> Range<usize> {
        match self.starts.get(length as usize..(length as usize).saturating_add(2)) {
            Some(&[start, end]) => start as usize..end as usize,
            _ => 0..0,
        }
    }

    /// How many ways have a first side of at most that.
    fn up_to(&self, length: u32) -> usize {
        let at = (length as usize + 1).min(self.starts.len() - 1);
        self.starts[at] as usize
    }
}

impl<'a> ItemIndex<'a> {
    pub(super) fn new(pieces: Items<'a>) -> Self {
        let mut sizes: Vec<(u32, u32)> = pieces.sizes.iter().map(|size| (size.width, size.height)).collect();
        sizes.sort_unstable();
        sizes.dedup();
        let class = |size: &Size| sizes.binary_search(&(size.width, size.height)).unwrap_or(0) as u32;
        let class_of: Vec<u32> = pieces.sizes.iter().map(class).collect();
        let mut starts = vec![0; sizes.len() + 1];
        class_of.iter().for_each(|&class| starts[class as usize + 1] += 1);
        for at in 1..starts.len() {
            starts[at] += starts[at - 1];
        }
        let (mut wide, mut high) = (Vec::new(), Vec::new());
        for (class, &(width, height)) in (0..).zip(&sizes) {
            wide.push((width, height, class, false));
            high.push((height, width, class, false));
            if pieces.may_rotate && width != height {
                wide.push((height, width, class, true));
                high.push((width, height, class, true));
            }
        }
        wide.sort_unstable();
        high.sort_unstable();
        let mut places = vec![[None; 2]; sizes.len()];
        for (at, way) in (0..).zip(&wide) {
            places[way.2 as usize][usize::from(way.3)] = Some((at, 0));
        }
        for (at, way) in (0..).zip(&high) {
            if let Some(place) = &mut places[way.2 as usize][usize::from(way.3)] {
                place.1 = at;
            }
        }
        let (by_width, by_height) = (Table::new(&wide), Table::new(&high));
        Self { pieces, class_of, starts, places, by_width, by_height, few: FewIndex::new(pieces) }
    }
}

/// What a niche asks of a piece.
#[derive(Clone, Copy)]
pub(super) struct NicheQuery {
    pub(super) room: Size,
    /// How high its walls are above it.
    pub(super) high: u32,
    pub(super) low: u32,
}

/// A piece chosen, by its place in the order of the try.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct NicheMatch {
    pub(super) rank: u32,
    pub(super) rotated: bool,
}

/// The pieces of one try that are left.
#[derive(Default)]
pub(super) struct RemainingItems {
    /// Ranks by class, each class in order.
    ranks: Vec<u32>,
    /// For each class the next of its ranks, and their end.
    next: Vec<u32>,
    ends: Vec<u32>,
    /// The least rank left of each way in the table by width, at the second half; above it the minima of pairs.
    tree: Vec<u32>,
    /// The same by height, without a tree.
    by_height: Vec<u32>,
    left: usize,
    /// Of few pieces this is used instead.
    few: FewItems,
}

impl RemainingItems {
    /// Begins a try with these pieces in this order.
    pub(super) fn fill(&mut self, catalog: &ItemIndex<'_>, order: &[usize]) {
        self.left = order.len();
        if let Some(few) = &catalog.few {
            return self.few.fill(few, order);
        }
        self.next.clear();
        self.next.extend(&catalog.starts[..catalog.starts.len() - 1]);
        self.ends.clone_from(&self.next);
        self.ranks.resize(catalog.class_of.len(), NONE);
        for (rank, &piece) in (0..).zip(order) {
            let end = &mut self.ends[catalog.class_of[piece] as usize];
            self.ranks[*end as usize] = rank;
            *end += 1;
        }
        let ways = catalog.by_width.others.len();
        let base = ways.next_power_of_two().max(1);
        self.tree.clear();
        self.tree.resize(2 * base, NONE);
        self.by_height.clear();
        self.by_height.resize(ways, NONE);
        for class in 0..self.next.len() {
            let rank = self.first(class);
            for (wide, high) in catalog.places[class].into_iter().flatten() {
                self.tree[base + wide as usize] = rank;
                self.by_height[high as usize] = rank;
            }
        }
        for at in (1..base).rev() {
            self.tree[at] = self.tree[2 * at].min(self.tree[2 * at + 1]);
        }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.left == 0
    }

    fn first(&self, class: usize) -> u32 {
        if self.next[class] < self.ends[class] { self.ranks[self.next[class] as usize] } else { NONE }
    }

    fn base(&self) -> usize {
        self.tree.len() / 2
    }

    /// The piece that suits best: one that fills the width and is level with the higher wall, with the lower one, below
    /// it, or neither; one that is level with a wall; any. Of equals the first in order.
    pub(super) fn best(
        &self,
        catalog: &ItemIndex<'_>,
        order: &[usize],
        wanted: NicheQuery,
    ) -> Option<NicheMatch> {
        if let Some(few) = &catalog.few {
            return self.few.best(few, wanted);
        }
        let NicheQuery { room, high, low } = wanted;
        let base = self.base();
        let mut best: Option<(u32, u32, usize)> = None;
        for at in catalog.by_width.of(room.width) {
            let (height, rank) = (catalog.by_width.others[at], self.tree[base + at]);
            if height > room.height || rank == NONE {
                continue;
            }
            // Less is better.
            let score = match height {
                height if height == high => 0,
                height if height == low => 1,
                height if height < low => 2,
                _ => 3,
            };
            if best.is_none_or(|other| (score, rank) < (other.0, other.1)) {
                best = Some((score, rank, at));
            }
        }
        if let Some((_, rank, at)) = best {
            return Some(NicheMatch { rank, rotated: catalog.by_width.rotated[at] });
        }
        let level = |height: u32| {
            let all = if height <= room.height { catalog.by_height.of(height) } else { 0..0 };
            let narrow = all.take_while(|&at| catalog.by_height.others[at] <= room.width);
            let first = narrow.min_by_key(|&at| self.by_height[at]).filter(|&at| self.by_height[at] != NONE);
            first.map(|at| NicheMatch { rank: self.by_height[at], rotated: catalog.by_height.rotated[at] })
        };
        level(high).or_else(|| level(low)).or_else(|| self.any(catalog, order, room))
    }

    /// The first in order that fits.
    fn any(&self, catalog: &ItemIndex<'_>, order: &[usize], room: Size) -> Option<NicheMatch> {
        let end = catalog.by_width.up_to(room.width);
        let mut rank = self.least(end);
        if rank == NONE {
            return None;
        }
        let fits = |rank: u32| {
            let mut ways = catalog.pieces.orientations(order[rank as usize]);
            ways.find(|(size, _)| size.fits_in(room))
        };
        if fits(rank).is_none() {
            let base = self.base();
            let all = catalog.by_width.others[..end].iter().zip(&self.tree[base..base + end]);
            let low = all.filter(|(height, _)| **height <= room.height).map(|(_, rank)| *rank);
            rank = low.min().filter(|&rank| rank != NONE)?;
        }
        fits(rank).map(|(_, rotated)| NicheMatch { rank, rotated })
    }

    /// The least rank of the first so many ways by width.
    fn least(&self, end: usize) -> u32 {
        let (mut from, mut to) = (self.base(), self.base() + end);
        let mut least = NONE;
        while from < to {
            if from % 2 == 1 {
                least = least.min(self.tree[from]);
                from += 1;
            }
            if to % 2 == 1 {
                to -= 1;
                least = least.min(self.tree[to]);
            }
            from /= 2;
            to /= 2;
        }
        least
    }

    /// Takes a piece away, which must be one that [`RemainingItems::best`] chose, at this rank.
    pub(super) fn take(&mut self, catalog: &ItemIndex<'_>, piece: usize, rank: u32) {
        self.left -= 1;
        if catalog.few.is_some() {
            return self.few.take(rank);
        }
        let class = catalog.class_of[piece] as usize;
        self.next[class] += 1;
        let rank = self.first(class);
        let base = self.base();
        for (wide, high) in catalog.places[class].into_iter().flatten() {
            self.by_height[high as usize] = rank;
            let mut at = base + wide as usize;
            self.tree[at] = rank;
            while at > 1 {
                at /= 2;
                let least = self.tree[2 * at].min(self.tree[2 * at + 1]);
                if self.tree[at] == least {
                    break;
                }
                self.tree[at] = least;
            }
        }
    }

    /// The pieces left, in order.
    pub(super) fn rest(&self, catalog: &ItemIndex<'_>, order: &[usize]) -> Vec<usize> {
        if catalog.few.is_some() {
            return self.few.rest(order);
        }
        let left = self.next.iter().zip(&self.ends);
        let mut ranks: Vec<u32> =
            left.flat_map(|(next, end)| &self.ranks[*next as usize..*end as usize]).copied().collect();
        ranks.sort_unstable();
        ranks.into_iter().map(|rank| order[rank as usize]).collect()
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// How well a piece suits, most first, as the module's head says.
    fn score(wanted: NicheQuery, size: Size) -> Option<u32> {
        let NicheQuery { room, high, low } = wanted;
        let (is_high, is_low) = (size.height == high, size.height == low);
        size.fits_in(room).then_some(match (size.width == room.width, is_high, is_low) {
            (true, true, _) => 7,
            (true, _, true) => 6,
            (true, ..) if size.height < low => 5,
            (true, ..) => 4,
            (false, true, _) => 3,
            (false, _, true) => 2,
            _ => 1,
        })
    }

    proptest! {
        #[test]
        fn what_is_chosen_is_what_looking_at_every_piece_finds(
            sizes in prop::collection::vec((1u32..9, 1u32..9), 1..40), may_rotate in any::<bool>(),
            niches in prop::collection::vec((1u32..10, 1u32..12, 0u32..9, 0u32..9), 1..60), may_be_few in any::<bool>(),
        ) {
            let sizes: Vec<Size> = sizes.into_iter().map(Size::from).collect();
            let pieces = Items { sizes: &sizes, may_rotate };
            let mut catalog = ItemIndex::new(pieces);
            catalog.few = catalog.few.filter(|_| may_be_few);
            // Every third piece lies elsewhere, and the order is not that of the pieces.
            let order: Vec<usize> = (0..sizes.len()).rev().filter(|piece| piece % 3 > 0).collect();
            let (mut stock, mut left) = (RemainingItems::default(), order.clone());
            stock.fill(&catalog, &order);
            for (width, height, a, b) in niches {
                let wall = |height: u32| if height == 0 { NONE } else { height };
                let (a, b) = (wall(a), wall(b));
                let wanted = NicheQuery { room: Size::new(width, height), high: a.max(b), low: a.min(b) };
                let mut plain: Option<(u32, usize, bool)> = None;
                for &piece in &left {
                    for (size, rotated) in pieces.orientations(piece) {
                        if let Some(score) = score(wanted, size)
                            && plain.is_none_or(|other| score > other.0)
                        {
                            plain = Some((score, piece, rotated));
                        }
                    }
                }
                let chosen = stock.best(&catalog, &order, wanted);
                prop_assert_eq!(
                    chosen.map(|chosen| (order[chosen.rank as usize], chosen.rotated)),
                    plain.map(|(_, piece, rotated)| (piece, rotated))
                );
                if let Some((_, piece, _)) = plain {
                    stock.take(&catalog, piece, chosen.map_or(0, |chosen| chosen.rank));
                    left.retain(|&other| other != piece);
                }
                prop_assert_eq!(stock.rest(&catalog, &order), left.clone());
                prop_assert_eq!(stock.is_empty(), left.is_empty());
            }
        }
    }
}
