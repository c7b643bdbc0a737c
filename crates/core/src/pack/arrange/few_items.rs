//! The same as [`RemainingItems`](super::item_index::RemainingItems) for few pieces: those left are the bits of one number,
//! and so are those of each width and height, so that a niche is matched by a few bit operations.

use crate::Size;
use crate::pack::arrange::Items;
use crate::pack::arrange::item_index::{NicheMatch, NicheQuery};

/// The most pieces: the bits of the number.
pub(super) const MOST: usize = u128::BITS as usize;

/// Bits by rank, the place of a piece in the order of a try.
type Ranks = u128;

/// The sides of few pieces.
pub(super) struct FewIndex {
    /// All widths and heights, ascending, after a zero.
    lengths: Vec<u32>,
    /// For each length, how many of `lengths` are at most that, less one.
    up_to: Vec<u16>,
    /// For each piece, where its width and height are in `lengths`.
    sides: Vec<(u16, u16)>,
    may_rotate: bool,
}

impl FewIndex {
    /// None of more than [`MOST`] pieces.
    pub(super) fn new(pieces: Items<'_>) -> Option<Self> {
        if pieces.sizes.len() > MOST {
            return None;
        }
        let mut lengths: Vec<u32> = pieces.sizes.iter().flat_map(|size| [size.width, size.height]).collect();
        lengths.push(0);
        lengths.sort_unstable();
        lengths.dedup();
        let longest = *lengths.last()? as usize;
        let mut up_to = vec![0; longest + 1];
        for (at, &length) in (0..).zip(&lengths) {
            up_to[length as usize..].fill(at);
        }
        let sides = pieces
            .sizes
            .iter()
            .map(|size| (up_to[size.width as usize], up_to[size.height as usize]))
            .collect();
        Some(Self { lengths, up_to, sides, may_rotate: pieces.may_rotate })
    }

    /// Where the longest of at most this length is.
    fn up_to(&self, length: u32) -> usize {
        usize::from(self.up_to[(length as usize).min(self.up_to.len() - 1)])
    }

    /// Where this length is, if a piece has it.
    fn exactly(&self, length: u32) -> Option<usize> {
        let at = self.up_to(length);
        (self.lengths[at] == length).then_some(at)
    }
}

/// The pieces whose width or height, upright, is one length, or at most that.
#[derive(Clone, Copy, Default)]
struct Side {
    wide: Ranks,
    high: Ranks,
    up_to_wide: Ranks,
    up_to_high: Ranks,
}

/// The few pieces of one try that are left.
#[derive(Default)]
pub(super) struct FewItems {
    sides: Vec<Side>,
    left: Ranks,
    /// Those that may also be rotated.
    rotatable: Ranks,
}

/// Those that fit upright, and those that fit rotated.
type Ways = (Ranks, Ranks);

/// The first in order.
fn first((upright, rotated): Ways) -> Option<NicheMatch> {
    let all = upright | rotated;
    let rank = all.trailing_zeros();
    (all != 0).then(|| NicheMatch { rank, rotated: upright >> rank & 1 == 0 })
}

impl FewItems {
    /// Begins a try with these pieces in this order.
    pub(super) fn fill(&mut self, index: &FewIndex, order: &[usize]) {
        self.sides.clear();
        self.sides.resize(index.lengths.len(), Side::default());
        self.rotatable = 0;
        for (rank, &piece) in order.iter().enumerate() {
            let (width, height) = index.sides[piece];
            self.sides[usize::from(width)].wide |= 1 << rank;
            self.sides[usize::from(height)].high |= 1 << rank;
            self.rotatable |= Ranks::from(index.may_rotate && width != height) << rank;
        }
        let (mut wide, mut high) = (0, 0);
        for side in &mut self.sides {
            wide |= side.wide;
            high |= side.high;
            (side.up_to_wide, side.up_to_high) = (wide, high);
        }
        self.left = Ranks::MAX.checked_shr(Ranks::BITS - order.len() as u32).unwrap_or(0);
    }

    /// See [`RemainingItems::best`](super::item_index::RemainingItems::best).
    pub(super) fn best(&self, index: &FewIndex, wanted: NicheQuery) -> Option<NicheMatch> {
        let NicheQuery { room: Size { width, height }, high, low } = wanted;
        let (wide_room, high_room) = (self.sides[index.up_to(width)], self.sides[index.up_to(height)]);
        let fits: Ways = (
            self.left & wide_room.up_to_wide & high_room.up_to_high,
            self.left & self.rotatable & wide_room.up_to_high & high_room.up_to_wide,
        );
        if fits.0 | fits.1 == 0 {
            return None;
        }
        let level = |(upright, rotated): Ways, wall: u32| {
            let side = self.sides[index.exactly(wall)?];
            first((upright & side.high, rotated & side.wide))
        };
        if let Some(at) = index.exactly(width) {
            let side = self.sides[at];
            let exact: Ways = (fits.0 & side.wide, fits.1 & side.high);
            if exact.0 | exact.1 != 0 {
                let below = |(upright, rotated): Ways| {
                    let side = self.sides[index.up_to(low.checked_sub(1)?)];
                    first((upright & side.up_to_high, rotated & side.up_to_wide))
                };
                let by_wall = level(exact, high).or_else(|| level(exact, low));
                return by_wall.or_else(|| below(exact)).or_else(|| first(exact));
            }
        }
        level(fits, high).or_else(|| level(fits, low)).or_else(|| first(fits))
    }

    /// Takes the piece at a rank away.
    pub(super) fn take(&mut self, rank: u32) {
        self.left &= !(1 << rank);
    }

    /// The pieces left, in order.
    pub(super) fn rest(&self, order: &[usize]) -> Vec<usize> {
        let is_left = |rank: &usize| self.left >> rank & 1 == 1;
        (0..order.len()).filter(is_left).map(|rank| order[rank]).collect()
    }
}
