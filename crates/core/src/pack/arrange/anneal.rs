//! A better order of the pieces, found by trying.
//!
//! Two pieces change places, or one goes elsewhere in the order; what became worse is taken back, at first not always
//! (S. Kirkpatrick, C. D. Gelatt and M. P. Vecchi, "Optimization by simulated annealing", 1983). The search is bounded by
//! steps and draws its own numbers, so its result is the same everywhere.

use crate::pack::arrange::Items;
use crate::pack::arrange::skyline::{Skyline, StripFill};

/// Numbers that look random and are always the same (G. Marsaglia, "Xorshift RNGs", 2003).
#[derive(Clone)]
struct XorShift(u64);

impl XorShift {
    fn below(&mut self, end: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % end.max(1) as u64) as usize
    }

    fn share(&mut self) -> f64 {
        self.below(1 << 30) as f64 / f64::from(1 << 30)
    }
}

/// Improves an order for so many steps. `value` tries an order and gives its cost, less being better, with what it
/// made, or nothing once it knows that the cost will be above a limit; `heat` is a worsening that is taken often at first.
/// Stops early where the cost is `enough` or less.
///
/// # Panics
/// If `value` gives nothing without a limit.
pub(super) fn anneal<T>(
    pieces: Items<'_>,
    start: &[usize],
    steps: usize,
    seed: u64,
    (heat, enough): (f64, f64),
    mut value: impl FnMut(&[usize], f64) -> Option<(f64, T)>,
) -> (f64, T) {
    let mut order = start.to_vec();
    let (mut now, first) = value(&order, f64::INFINITY).expect("no limit");
    let (mut best, mut kept) = (now, first);
    let mut draw = XorShift(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    for step in 0..steps {
        if best <= enough || order.len() < 2 {
            break;
        }
        let (a, b) = (draw.below(order.len()), draw.below(order.len()));
        if a == b || pieces.sizes[order[a]] == pieces.sizes[order[b]] {
            continue;
        }
        let is_swap = draw.below(3) > 0;
        moved(&mut order, a, b, is_swap);
        let left = 1.0 - step as f64 / steps as f64;
        let warmth = (heat * left * left).max(1e-9);
        // A number is drawn only for an order that is worse.
        let mut after = draw.clone();
        let chance = after.share();
        // As much worse is as likely as the number drawn, and rounding decides nothing: where it could, the order is tried.
        let most = now - warmth * libm::log(chance);
        let tried = value(&order, most + most.abs() * 1e-9);
        if tried.as_ref().is_none_or(|(cost, _)| *cost > now) {
            draw = after;
        }
        match tried {
            Some((cost, made)) if cost <= now || chance < libm::exp((now - cost) / warmth) => {
                now = cost;
                if cost < best {
                    (best, kept) = (cost, made);
                }
            }
            _ => moved(&mut order, b, a, is_swap),
        }
    }
    (best, kept)
}

/// Two pieces change places, or the one at `from` goes to `to`.
fn moved(order: &mut [usize], from: usize, to: usize, is_swap: bool) {
    match (is_swap, from < to) {
        (true, _) => order.swap(from, to),
        (false, true) => order[from..=to].rotate_left(1),
        (false, false) => order[to..=from].rotate_right(1),
    }
}

/// When a strip is low enough.
#[derive(Clone, Copy, Debug)]
pub(super) enum StopRule {
    /// Where no more than this part of it is empty.
    Empty(f64),
    /// At this height.
    Height(u32),
}

/// The lowest strip that so many steps find.
pub(super) fn anneal_strip(
    start: &[usize],
    mut strip: Skyline<'_>,
    steps: usize,
    seed: u64,
    enough: StopRule,
) -> StripFill {
    let pieces = strip.pieces();
    let area = pieces.area(start) as f64;
    let width = f64::from(strip.width());
    let wanted = match enough {
        StopRule::Height(height) => height,
        // No order can do better than a page without a gap.
        StopRule::Empty(part) => {
            (area * (1.0 + part) / width.max(1.0)).max((area / width.max(1.0)).ceil()) as u32
        }
    };
    // A lower page first, then less waste below the skyline, which is what can become a lower page; what found no room
    // weighs more than any page.
    let cost = |filled: &StripFill| {
        let left = pieces.area(&filled.outcome.left) as f64;
        if left == 0.0 && filled.outcome.used.height <= wanted {
            return 0.0;
        }
        4.0 * f64::from(filled.outcome.used.height) * width + filled.below as f64 + 16.0 * left
    };
    anneal(pieces, start, steps, seed, (area * 0.004, 0.0), |order, most| {
        // What is left weighs more than its area, so all of it will be below the skyline at least, with the waste so far.
        let is_too_much = |height: u32, waste: u64| {
            height > wanted && 4.0 * f64::from(height) * width + area + waste as f64 > most
        };
        strip.fill_unless(order, is_too_much).map(|filled| (cost(&filled), filled))
    })
    .1
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::pack::arrange::item_index::ItemIndex;
    use crate::{Rect, Size};

    proptest! {
        #[test]
        fn nothing_overlaps_and_nothing_is_lost(
            sizes in prop::collection::vec((1u32..20, 1u32..20), 1..40), more in 0u32..30, height in 20u32..200,
            may_rotate in any::<bool>(), seed in 1u64..99,
        ) {
            let sizes: Vec<Size> = sizes.into_iter().map(Size::from).collect();
            let pieces = Items { sizes: &sizes, may_rotate };
            let order: Vec<usize> = (0..sizes.len()).collect();
            let room = Size::new(pieces.widest(&order) + more, height);
            let index = ItemIndex::new(pieces);
            let skyline = Skyline::of(&index, room);
            let StripFill { outcome, .. } = anneal_strip(&order, skyline, 12, seed, StopRule::Empty(0.0));
            prop_assert!(outcome.used.fits_in(room));
            let mut all: Vec<usize> = outcome.placed.iter().map(|(piece, _)| *piece).chain(outcome.left).collect();
            all.sort_unstable();
            prop_assert_eq!(all, order);
            let rect = |&(piece, spot): &(usize, crate::pack::arrange::ItemPosition)| {
                Rect::at(spot.x, spot.y, if spot.rotated { sizes[piece].rotated() } else { sizes[piece] })
            };
            let rects: Vec<Rect> = outcome.placed.iter().map(rect).collect();
            for (at, rect) in rects.iter().enumerate() {
                prop_assert!(rect.lies_in(Rect::of(outcome.used)));
                prop_assert!(rects[..at].iter().all(|other| !other.overlaps(*rect)));
            }
        }
    }

    #[test]
    fn a_perfect_packing_of_few_pieces_is_found() {
        let sizes = [(4, 7), (6, 3), (3, 4), (3, 4), (6, 3), (4, 3)].map(Size::from);
        let pieces = Items { sizes: &sizes, may_rotate: false };
        let filled = anneal_strip(
            &[0, 1, 2, 3, 4, 5],
            Skyline::new(&ItemIndex::new(pieces), 10),
            400,
            7,
            StopRule::Empty(0.0),
        );
        assert_eq!(filled.outcome.used, Size::new(10, 10));
        // Turned too: two of 5x10 and two of 10x5 make a square of fifteen with a hole.
        let sizes = [(5, 10), (10, 5), (10, 5), (5, 10), (5, 5)].map(Size::from);
        let pieces = Items { sizes: &sizes, may_rotate: true };
        let filled = anneal_strip(
            &[0, 1, 2, 3, 4],
            Skyline::new(&ItemIndex::new(pieces), 15),
            400,
            7,
            StopRule::Empty(0.0),
        );
        assert_eq!(filled.outcome.used, Size::new(15, 15));
    }
}
