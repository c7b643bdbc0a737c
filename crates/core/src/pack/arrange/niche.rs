//! Niches: the page as a skyline whose lowest niche is filled by the piece that suits it best.
//!
//! A piece that fills a niche's width scores more than one that does not, and one whose height is level with a wall more
//! than one that is not (S. C. H. Leung, D. Zhang and K. M. Sim, "A two-stage intelligent search algorithm for the
//! two-dimensional strip packing problem", 2011; L. Wei et al., "An improved skyline based heuristic for the 2D strip
//! packing problem", 2016). Equal scores are decided by the order of the pieces, and that order is what `anneal` improves.

use crate::Size;
use crate::pack::arrange::{Outcome, Pieces, Spot};

/// Of very many pieces only the next so many are looked at for a niche: that costs no density and keeps the time in
/// proportion.
const WINDOW: usize = 1_500;

/// A part of the skyline: from `x` on, `width` long, at height `y`.
#[derive(Clone, Copy, Debug)]
struct Level {
    x: u32,
    y: u32,
    width: u32,
}

/// A page of fixed width, and of a height that may be open.
pub(super) struct Strip {
    width: u32,
    height: u32,
    levels: Vec<Level>,
    window: Window,
}

/// The next pieces in order. It is read through for every niche, so widths and heights lie in rows of their own, of which
/// a processor compares many at once.
#[derive(Default)]
struct Window {
    widths: Vec<u32>,
    heights: Vec<u32>,
    pieces: Vec<usize>,
}

/// What a niche asks of a piece.
#[derive(Clone, Copy)]
struct Wanted {
    room: Size,
    high: u32,
    low: u32,
}

/// So many pieces are compared at once.
const CHUNK: usize = 16;

/// The score of a piece that fills its niche level with the higher wall.
const BEST: u32 = 7;

impl Wanted {
    /// Whether any of these pieces fits; where any piece is not enough, whether one is special.
    fn any(&self, widths: &[u32], heights: &[u32], only_special: bool) -> bool {
        let Wanted { room, high, low } = *self;
        let one = |(&width, &height): (&u32, &u32)| {
            let fits = (width <= room.width) & (height <= room.height);
            let is_special = (width == room.width) | (height == high) | (height == low);
            fits & (is_special | !only_special)
        };
        // Without a way out in between, so that it runs on many at once.
        widths.iter().zip(heights).map(one).fold(false, |any, one| any | one)
    }

    /// How well a piece suits; `None` where it does not fit.
    fn score(&self, size: Size) -> Option<u32> {
        let (is_high, is_low) = (size.height == self.high, size.height == self.low);
        size.fits_in(self.room).then_some(match (size.width == self.room.width, is_high, is_low) {
            (true, true, _) => BEST,
            (true, _, true) => 6,
            (true, ..) if size.height < self.low => 5,
            (true, ..) => 4,
            (false, true, _) => 3,
            (false, _, true) => 2,
            _ => 1,
        })
    }
}

impl Window {
    fn clear(&mut self) {
        self.widths.clear();
        self.heights.clear();
        self.pieces.clear();
    }

    fn push(&mut self, pieces: Pieces<'_>, piece: usize) {
        self.widths.push(pieces.sizes[piece].width);
        self.heights.push(pieces.sizes[piece].height);
        self.pieces.push(piece);
    }

    fn remove(&mut self, at: usize) -> usize {
        self.widths.remove(at);
        self.heights.remove(at);
        self.pieces.remove(at)
    }
}

/// A piece chosen for a niche.
#[derive(Clone, Copy)]
struct Fit {
    /// Its place in the window.
    at: usize,
    size: Size,
    turned: bool,
    to_right: bool,
}

/// How a strip was filled.
#[derive(Clone, Debug, Default)]
pub(super) struct Filled {
    pub(super) outcome: Outcome,
    /// Area below the skyline: pieces and waste.
    pub(super) below: u64,
}

impl Strip {
    pub(super) fn new(width: u32) -> Self {
        Self::of(Size::new(width, u32::MAX))
    }

    /// A strip that ends somewhere: what does not fit is left.
    pub(super) fn of(size: Size) -> Self {
        Self { width: size.width, height: size.height, levels: Vec::new(), window: Window::default() }
    }

    pub(super) fn width(&self) -> u32 {
        self.width
    }

    /// Fills the strip; every piece must fit its width in one of its ways. `order` decides between equals.
    pub(super) fn fill(&mut self, pieces: Pieces<'_>, order: &[usize]) -> Filled {
        self.levels.clear();
        self.levels.push(Level { x: 0, y: 0, width: self.width });
        let mut coming = order.iter().copied();
        self.window.clear();
        coming.by_ref().take(WINDOW).for_each(|piece| self.window.push(pieces, piece));
        let mut outcome = Outcome { placed: Vec::with_capacity(order.len()), ..Outcome::default() };
        while !self.window.pieces.is_empty() {
            let niche = self.lowest();
            let (left_wall, right_wall) = self.walls(niche);
            match self.best_for(pieces.may_turn, niche, left_wall, right_wall) {
                None if self.levels.len() == 1 => break,
                None => self.raise(niche),
                Some(choice) => {
                    let piece = self.window.remove(choice.at);
                    coming.next().into_iter().for_each(|piece| self.window.push(pieces, piece));
                    let spot = self.put(niche, choice);
                    let reach = Size::new(spot.x + choice.size.width, spot.y + choice.size.height);
                    outcome.used = outcome.used.union(reach);
                    outcome.placed.push((piece, spot));
                }
            }
        }
        outcome.left.extend(self.window.pieces.iter().copied().chain(coming));
        let below = self.levels.iter().map(|level| u64::from(level.y) * u64::from(level.width)).sum();
        Filled { outcome, below }
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

    /// The piece that suits a niche best, and the wall it leans on.
    fn best_for(&self, may_turn: bool, niche: usize, left: u32, right: u32) -> Option<Fit> {
        let room = Size::new(self.levels[niche].width, self.height - self.levels[niche].y);
        let wanted = Wanted { room, high: left.max(right), low: left.min(right) };
        let mut best: Option<(u32, Fit)> = None;
        let ways = if may_turn { &[false, true][..] } else { &[false] };
        let chunks = self.window.widths.chunks(CHUNK).zip(self.window.heights.chunks(CHUNK));
        for (number, (widths, heights)) in chunks.enumerate() {
            // Most pieces are nothing special, and of those the first that fits is as good as any.
            let is_enough = best.is_some();
            let is_worth =
                wanted.any(widths, heights, is_enough) || may_turn && wanted.any(heights, widths, is_enough);
            if !is_worth {
                continue;
            }
            for (at, (&width, &height)) in widths.iter().zip(heights).enumerate() {
                for &turned in ways {
                    let size = if turned { Size::new(height, width) } else { Size::new(width, height) };
                    let Some(score) = wanted.score(size) else { continue };
                    if best.is_none_or(|(other, _)| score > other) {
                        let (is_high, is_low) = (size.height == wanted.high, size.height == wanted.low);
                        // Level with one wall it leans on that one; else on the higher.
                        let to_right = if is_low && !is_high { right < left } else { right > left };
                        best = Some((score, Fit { at: number * CHUNK + at, size, turned, to_right }));
                    }
                    if score == BEST {
                        return best.map(|(_, choice)| choice);
                    }
                }
            }
        }
        best.map(|(_, choice)| choice)
    }

    fn put(&mut self, niche: usize, choice: Fit) -> Spot {
        let Fit { size, to_right, turned, .. } = choice;
        let level = self.levels[niche];
        let x = if to_right { level.x + level.width - size.width } else { level.x };
        let top = Level { x, y: level.y + size.height, width: size.width };
        let rest = level.width - size.width;
        let rest_x = if to_right { level.x } else { level.x + size.width };
        self.levels[niche] = top;
        if rest > 0 {
            let at = if to_right { niche } else { niche + 1 };
            self.levels.insert(at, Level { x: rest_x, y: level.y, width: rest });
        }
        self.join(niche.saturating_sub(1));
        Spot { page: 0, x, y: level.y, turned }
    }

    /// Where nothing fits, the niche is filled up to its lower wall.
    fn raise(&mut self, niche: usize) {
        let (left, right) = self.walls(niche);
        self.levels[niche].y += left.min(right);
        self.join(niche.saturating_sub(1));
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
