//! Maximal rectangles: the free room of a page as all largest free rectangles, overlaps allowed.
//!
//! After J. Jylänki, "A Thousand Ways to Pack the Bin" (2010), section 3.5. A piece goes into the corner
//! of the free rectangle with the best score; every free rectangle it touches is split into the up to
//! four that remain, and those inside another are dropped.

use crate::pack::arrange::{ItemPosition, Items, PageFill};
use crate::{Rect, Size};

/// How a corner is judged; less is better.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Score {
    /// The lowest bottom edge, then the leftmost: fills a page from the top.
    TopLeft,
    /// The shorter side left over in the free rectangle.
    ShortSide,
    /// The area left over in the free rectangle.
    Area,
}

pub(super) const SCORES: [Score; 3] = [Score::TopLeft, Score::ShortSide, Score::Area];

/// A page being filled.
#[derive(Clone)]
pub(super) struct FreeRects {
    free: Vec<Rect>,
    used: Size,
}

impl FreeRects {
    pub(super) fn new(size: Size) -> Self {
        Self { free: vec![Rect::of(size)], used: Size::default() }
    }

    /// A page on which something lies already.
    pub(super) fn around(size: Size, taken: &[Rect]) -> Self {
        let mut room = Self::new(size);
        taken.iter().for_each(|rect| room.take(*rect));
        room
    }

    /// Places a piece within a part of the page, rotated where that scores better; `None` where it does not fit.
    pub(super) fn place(
        &mut self,
        pieces: Items<'_>,
        piece: usize,
        (within, score): (Size, Score),
    ) -> Option<ItemPosition> {
        let mut best: Option<(Key, Rect, bool)> = None;
        for (size, rotated) in pieces.orientations(piece) {
            let inside = self.free.iter().filter_map(|free| free.intersection(Rect::of(within)));
            for free in inside.filter(|free| size.fits_in(free.size())) {
                let key = judge(&free, size, score);
                if best.is_none_or(|(other, ..)| key < other) {
                    best = Some((key, Rect::at(free.x, free.y, size), rotated));
                }
            }
        }
        let (_, placed, rotated) = best?;
        self.take(placed);
        self.used = self.used.union(Size::new(placed.x + placed.width, placed.y + placed.height));
        Some(ItemPosition { page: 0, x: placed.x, y: placed.y, rotated })
    }

    fn take(&mut self, placed: Rect) {
        let mut pieces = Vec::new();
        self.free.retain(|free| {
            let touched = free.overlaps(placed);
            if touched {
                pieces.extend(split_around(*free, placed));
            }
            !touched
        });
        // What was free before and is untouched is maximal already: only new ones can lie inside another.
        let kept = self.free.len();
        for (at, piece) in pieces.iter().enumerate() {
            let inside_old = self.free[..kept].iter().any(|free| piece.lies_in(*free));
            let inside_new = pieces.iter().enumerate().any(|(other_at, other)| {
                other_at != at && piece.lies_in(*other) && (piece != other || other_at < at)
            });
            if !inside_old && !inside_new {
                self.free.push(*piece);
            }
        }
    }
}

/// Places pieces in this order as far as they go.
pub(super) fn run(pieces: Items<'_>, order: &[usize], size: Size, score: Score) -> PageFill {
    let mut room = FreeRects::new(size);
    let mut outcome = PageFill { placed: Vec::with_capacity(order.len()), ..PageFill::default() };
    for &piece in order {
        match room.place(pieces, piece, (size, score)) {
            Some(spot) => outcome.placed.push((piece, spot)),
            None => outcome.left.push(piece),
        }
    }
    outcome.left.sort_unstable();
    outcome.used = room.used;
    outcome
}

/// How good a corner is; less is better.
type Key = (u64, u64, u32, u32);

/// The key of a corner; ends in the place itself, so that no two corners are equal.
fn judge(free: &Rect, piece: Size, score: Score) -> Key {
    let (spare_x, spare_y) = (free.width - piece.width, free.height - piece.height);
    let short = u64::from(spare_x.min(spare_y));
    let (first, second) = match score {
        Score::TopLeft => (u64::from(free.y) + u64::from(piece.height), u64::from(free.x)),
        Score::ShortSide => (short, u64::from(spare_x.max(spare_y))),
        Score::Area => (free.size().area() - piece.area(), short),
    };
    (first, second, free.y, free.x)
}

/// The largest rectangles of `free` that do not touch `placed`.
fn split_around(free: Rect, placed: Rect) -> impl Iterator<Item = Rect> {
    // Both are on a page, so edges fit u32.
    let (free_right, free_bottom) = (free.right() as u32, free.bottom() as u32);
    let (right, bottom) = (placed.right() as u32, placed.bottom() as u32);
    let left = (placed.x > free.x).then(|| Rect { width: placed.x - free.x, ..free });
    let above = (placed.y > free.y).then(|| Rect { height: placed.y - free.y, ..free });
    let beside = (right < free_right).then(|| Rect { x: right, width: free_right - right, ..free });
    let below = (bottom < free_bottom).then(|| Rect { y: bottom, height: free_bottom - bottom, ..free });
    [left, above, beside, below].into_iter().flatten()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn free_rectangles_never_touch_a_piece_and_none_lies_in_another(
            sizes in prop::collection::vec((1u32..12, 1u32..12), 1..30), may_rotate in any::<bool>(),
        ) {
            let sizes: Vec<Size> = sizes.into_iter().map(Size::from).collect();
            let pieces = Items { sizes: &sizes, may_rotate };
            for score in [Score::TopLeft, Score::ShortSide, Score::Area] {
                let mut room = FreeRects::new(Size::new(40, 40));
                let mut placed: Vec<Rect> = Vec::new();
                for (piece, size) in sizes.iter().enumerate() {
                    placed.extend(room.place(pieces, piece, (Size::new(40, 40), score)).map(|spot| {
                        Rect::at(spot.x, spot.y, if spot.rotated { size.rotated() } else { *size })
                    }));
                    for (at, free) in room.free.iter().enumerate() {
                        prop_assert!(placed.iter().all(|p: &Rect| !p.overlaps(*free)));
                        let inside = |(o, other): (usize, &Rect)| o != at && free.lies_in(*other);
                        prop_assert!(!room.free.iter().enumerate().any(inside));
                    }
                }
                for (at, piece) in placed.iter().enumerate() {
                    prop_assert!(placed[..at].iter().all(|other| !other.overlaps(*piece)));
                }
            }
        }
    }
}
