//! Niches: the page as a skyline whose lowest niche is filled by the piece that suits it best.
//!
//! A piece that fills a niche's width scores more than one that does not, and one whose height is level with a wall more
//! than one that is not (S. C. H. Leung, D. Zhang and K. M. Sim, "A two-stage intelligent search algorithm for the
//! two-dimensional strip packing problem", 2011; L. Wei et al., "An improved skyline based heuristic for the 2D strip
//! packing problem", 2016). Equal scores are decided by the order of the pieces, and that order is what a search
//! improves: two pieces change places, and what became worse is taken back, at first not always (simulated annealing,
//! S. Kirkpatrick et al., 1983). The search is bounded by steps and draws its own numbers, so its result is the same
//! everywhere.

use crate::Size;
use crate::pack::arrange::Spot;

/// A part of the skyline: from `x` on, `width` long, at height `y`.
#[derive(Clone, Copy, Debug)]
struct Level {
    x: u32,
    y: u32,
    width: u32,
}

/// A page of fixed width and open height.
pub(super) struct Strip {
    width: u32,
    levels: Vec<Level>,
    /// Pieces not placed yet, in order.
    left: Vec<usize>,
}

/// How a strip was filled.
#[derive(Clone, Debug, Default)]
pub(super) struct Filled {
    pub(super) spots: Vec<(usize, Spot)>,
    pub(super) used: Size,
    /// Area below the skyline: pieces and waste.
    below: u64,
}

impl Filled {
    /// Less is better: a lower page first, then less waste below the skyline, which is what can become a lower page.
    fn cost(&self, width: u32) -> f64 {
        4.0 * f64::from(self.used.height) * f64::from(width) + self.below as f64
    }
}

impl Strip {
    pub(super) fn new(width: u32) -> Self {
        Self { width, levels: Vec::new(), left: Vec::new() }
    }

    /// Fills the strip with pieces, all of which are at most as wide. `order` decides between equals.
    pub(super) fn fill(&mut self, pieces: &[Size], order: &[usize]) -> Filled {
        self.levels.clear();
        self.levels.push(Level { x: 0, y: 0, width: self.width });
        self.left.clear();
        self.left.extend_from_slice(order);
        let mut filled = Filled { spots: Vec::with_capacity(order.len()), ..Filled::default() };
        while !self.left.is_empty() {
            let niche = self.lowest();
            let (left_wall, right_wall) = self.walls(niche);
            match self.best_for(pieces, niche, left_wall, right_wall) {
                None => self.raise(niche),
                Some((at, is_right)) => {
                    let piece = self.left.remove(at);
                    let spot = self.put(niche, pieces[piece], is_right);
                    let bottom = spot.y + pieces[piece].height;
                    let right = spot.x + pieces[piece].width;
                    filled.used = filled.used.union(Size::new(right, bottom));
                    filled.spots.push((piece, spot));
                }
            }
        }
        filled.below = self.levels.iter().map(|level| u64::from(level.y) * u64::from(level.width)).sum();
        filled
    }

    fn lowest(&self) -> usize {
        let levels = self.levels.iter().enumerate();
        levels.min_by_key(|(_, level)| (level.y, level.x)).map_or(0, |(at, _)| at)
    }

    /// How high the walls on both sides of a niche stand above it; the page's own are endless.
    fn walls(&self, niche: usize) -> (u32, u32) {
        let floor = self.levels[niche].y;
        let wall = |level: Option<&Level>| level.map_or(u32::MAX, |level| level.y - floor);
        (wall(niche.checked_sub(1).and_then(|at| self.levels.get(at))), wall(self.levels.get(niche + 1)))
    }

    /// The piece that suits a niche best, and whether it goes to its right wall.
    fn best_for(&self, pieces: &[Size], niche: usize, left: u32, right: u32) -> Option<(usize, bool)> {
        let room = self.levels[niche].width;
        let (high, low) = (left.max(right), left.min(right));
        let mut best: Option<(u32, usize, bool)> = None;
        for (at, &piece) in self.left.iter().enumerate() {
            let Size { width, height } = pieces[piece];
            if width > room {
                continue;
            }
            let (is_high, is_low) = (height == high, height == low);
            let score = match (width == room, is_high, is_low) {
                (true, true, _) => 7,
                (true, _, true) => 6,
                (true, ..) if height < low => 5,
                (true, ..) => 4,
                (false, true, _) => 3,
                (false, _, true) => 2,
                _ => 1,
            };
            if best.is_none_or(|(other, ..)| score > other) {
                // Level with one wall it leans on that one; else on the higher.
                let to_right = match (is_high, is_low) {
                    (true, _) => right > left,
                    (_, true) => right < left,
                    _ => right > left,
                };
                best = Some((score, at, to_right));
                if score == 7 {
                    break;
                }
            }
        }
        best.map(|(_, at, to_right)| (at, to_right))
    }

    fn put(&mut self, niche: usize, piece: Size, to_right: bool) -> Spot {
        let level = self.levels[niche];
        let x = if to_right { level.x + level.width - piece.width } else { level.x };
        let top = Level { x, y: level.y + piece.height, width: piece.width };
        let rest = level.width - piece.width;
        let rest_x = if to_right { level.x } else { level.x + piece.width };
        self.levels[niche] = top;
        if rest > 0 {
            let at = if to_right { niche } else { niche + 1 };
            self.levels.insert(at, Level { x: rest_x, y: level.y, width: rest });
        }
        self.join(niche.saturating_sub(1));
        Spot { page: 0, x, y: level.y }
    }

    /// Where nothing fits, the niche is filled up to its lower wall.
    fn raise(&mut self, niche: usize) {
        let (left, right) = self.walls(niche);
        let up = left.min(right);
        self.levels[niche].y = self.levels[niche].y.saturating_add(up);
        self.join(niche.saturating_sub(1));
    }

    /// Neighbours of one height become one, from `from` on for as far as a placement reaches.
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

/// Numbers that look random and are always the same (G. Marsaglia, "Xorshift RNGs", 2003).
struct Draw(u64);

impl Draw {
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

/// Improves an order for so many steps; the best strip that was met.
pub(super) fn search(pieces: &[Size], start: &[usize], width: u32, steps: usize, seed: u64) -> Filled {
    let mut strip = Strip::new(width);
    let mut order = start.to_vec();
    let mut now = strip.fill(pieces, &order);
    let mut best = now.clone();
    let area: u64 = start.iter().map(|&piece| pieces[piece].area()).sum();
    let least = area.div_ceil(u64::from(width.max(1))) as u32;
    let mut draw = Draw(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    // At first a worsening of a third of a percent of the page is taken often, in the end none.
    let heat = area as f64 * 0.004;
    for step in 0..steps {
        // No order can do better than a page without a gap.
        if best.used.height <= least || order.len() < 2 {
            break;
        }
        let (a, b) = (draw.below(order.len()), draw.below(order.len()));
        if a == b || pieces[order[a]] == pieces[order[b]] {
            continue;
        }
        order.swap(a, b);
        let next = strip.fill(pieces, &order);
        let worse = next.cost(width) - now.cost(width);
        let warmth = heat * (1.0 - step as f64 / steps as f64).powi(2);
        if worse <= 0.0 || draw.share() < (-worse / warmth.max(1e-9)).exp() {
            now = next;
            if now.cost(width) < best.cost(width) {
                best = now.clone();
            }
        } else {
            order.swap(a, b);
        }
    }
    best
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::Rect;

    proptest! {
        #[test]
        fn nothing_overlaps_and_nothing_is_lost(
            sizes in prop::collection::vec((1u32..20, 1u32..20), 1..40), more in 0u32..30, seed in 1u64..99,
        ) {
            let pieces: Vec<Size> = sizes.iter().map(|&(w, h)| Size::new(w, h)).collect();
            let width = pieces.iter().map(|piece| piece.width).max().unwrap() + more;
            let order: Vec<usize> = (0..pieces.len()).collect();
            let filled = search(&pieces, &order, width, 12, seed);
            prop_assert_eq!(filled.spots.len(), pieces.len());
            let rects: Vec<Rect> = filled.spots.iter().map(|&(piece, spot)| Rect::at(spot.x, spot.y, pieces[piece])).collect();
            for (at, rect) in rects.iter().enumerate() {
                prop_assert!(rect.right() <= u64::from(width) && rect.bottom() <= u64::from(filled.used.height));
                prop_assert!(rects[..at].iter().all(|other| !other.overlaps(*rect)));
            }
        }
    }

    #[test]
    fn a_perfect_packing_of_few_pieces_is_found() {
        let pieces = [(4, 7), (6, 3), (3, 4), (3, 4), (6, 3), (4, 3)].map(|(w, h)| Size::new(w, h));
        let filled = search(&pieces, &[0, 1, 2, 3, 4, 5], 10, 400, 7);
        assert_eq!(filled.used, Size::new(10, 10));
    }
}
