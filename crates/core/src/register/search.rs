//! The spot at which a figure agrees best with votes: every shift is judged at once, in blocks of pixels where the figures are large,
//! and the best of them pixel by pixel.

use std::cmp::Reverse;

use crate::register::label_map::{CLASSES, LabelMap};
use crate::register::planes::{Planes, Spectrum, correlate};
use crate::register::votes::{Position, SAME, Votes};

/// How much trouble is taken.
#[derive(Clone, Copy)]
pub(super) struct SearchQuality {
    /// The longest side of planes, in blocks.
    pub(super) longest: usize,
    /// Peaks that are looked at pixel by pixel.
    pub(super) peaks: usize,
    /// Solid pixels that are asked while climbing; of more, every second or third speaks for all.
    pub(super) pixels: u64,
    /// The same where the spot is settled to the pixel.
    pub(super) settling: u64,
    /// Planes that the classes share when peaks are looked for: those that share one are alike then.
    pub(super) planes: usize,
}

/// For a few frames.
pub(super) const THOROUGH: SearchQuality =
    SearchQuality { longest: 120, peaks: 6, pixels: 4000, settling: u64::MAX, planes: CLASSES };
/// For each of very many.
pub(super) const FAST: SearchQuality =
    SearchQuality { longest: 48, peaks: 2, pixels: 250, settling: 1200, planes: 5 };

impl SearchQuality {
    /// The plane of a class; that of anything solid is the first.
    fn plane(self, class: u8) -> usize {
        1 + (usize::from(class) - 1) % self.planes
    }

    fn stride(self, figure: &LabelMap) -> usize {
        stride(figure, self.pixels)
    }

    fn settling_stride(self, figure: &LabelMap) -> usize {
        stride(figure, self.settling)
    }
}

/// Every so many rows and columns leave at most this many solid pixels.
fn stride(figure: &LabelMap, most: u64) -> usize {
    (1usize..).find(|&stride| figure.area / (stride * stride) as u64 <= most).unwrap_or(1)
}

/// Looks for spots among votes.
pub(super) struct Search<'a> {
    votes: &'a Votes,
    planes: Planes,
    factor: usize,
    /// The votes for anything solid, then those for each class, or for all that share a plane.
    spectra: Vec<Option<Spectrum>>,
    effort: SearchQuality,
}

impl<'a> Search<'a> {
    /// `figures` are all that will be looked for.
    pub(super) fn new<'f>(
        votes: &'a Votes,
        figures: impl Iterator<Item = &'f LabelMap>,
        effort: SearchQuality,
    ) -> Self {
        let most = figures.fold((1, 1), |most: (usize, usize), figure| {
            (most.0.max(figure.width as usize), most.1.max(figure.height as usize))
        });
        let room = (votes.width + most.0, votes.height + most.1);
        let factor = room.0.max(room.1).div_ceil(effort.longest);
        // Blocks of the votes and of the figure each begin anywhere in a block of the other.
        let side = |votes: usize, figure: usize| votes.div_ceil(factor) + figure.div_ceil(factor) + 1;
        let planes = Planes::of(side(votes.width, most.0), side(votes.height, most.1));
        let mut scratch = planes.scratch();
        let mut plane = vec![0.0; planes.width() * votes.height.div_ceil(factor)];
        let spectrum = |number: usize| {
            plane.fill(0.0);
            match number {
                0 => votes.bin_votes(0, factor, planes.width(), &mut plane),
                _ => (1..=CLASSES as u8)
                    .filter(|&class| effort.plane(class) == number)
                    .for_each(|class| votes.bin_votes(class, factor, planes.width(), &mut plane)),
            }
            let has_any = plane.iter().any(|&count| count > 0.0);
            has_any.then(|| {
                planes.forward(&mut plane, &mut scratch);
                scratch.spectrum.clone()
            })
        };
        let spectra = (0..=effort.planes).map(spectrum).collect();
        Self { votes, planes, factor, spectra, effort }
    }

    /// The best spot of those that are allowed. Where the figure has voted, at `own`, its own vote does not count.
    pub(super) fn best(
        &self,
        figure: &LabelMap,
        own: Option<Position>,
        is_allowed: &dyn Fn(Position) -> bool,
    ) -> Option<Position> {
        let stride = self.effort.stride(figure);
        let found = self.find_peaks(figure, is_allowed).into_iter();
        let climbed =
            found.map(|spot| self.climb(figure, spot, own, self.factor.div_ceil(2), stride, is_allowed));
        let best = climbed.max_by_key(|&spot| self.rank(figure, spot, own, stride))?;
        // What was sampled is compared again, more closely.
        let closely = self.effort.settling_stride(figure);
        Some(if stride > closely { self.climb(figure, best, own, 1, closely, is_allowed) } else { best })
    }

    /// The best spot near one.
    pub(super) fn refine(
        &self,
        figure: &LabelMap,
        spot: Position,
        own: Option<Position>,
        is_allowed: &dyn Fn(Position) -> bool,
    ) -> Position {
        let stride = self.effort.stride(figure);
        let near = self.climb(figure, spot, own, 2, stride, is_allowed);
        let closely = self.effort.settling_stride(figure);
        if stride > closely { self.climb(figure, near, own, 1, closely, is_allowed) } else { near }
    }

    /// The correlation with the votes for every spot, in blocks.
    fn correlation(&self, figure: &LabelMap) -> Vec<i64> {
        let width = self.planes.width();
        let mut sum = self.planes.nothing();
        let used = (figure.height as usize).div_ceil(self.factor);
        let mut planes: Vec<Option<Vec<f64>>> = vec![None; self.spectra.len()];
        for (y, row) in figure.classes.chunks_exact(figure.width as usize).enumerate() {
            for (x, &class) in row.iter().enumerate().filter(|(_, class)| **class > 0) {
                // A class that nobody votes for finds nothing.
                for (at, weight) in [(0, 1.0), (self.effort.plane(class), SAME as f64)] {
                    if self.spectra[at].is_some() {
                        let plane = planes[at].get_or_insert_with(|| vec![0.0; used * width]);
                        plane[y / self.factor * width + x / self.factor] += weight;
                    }
                }
            }
        }
        let mut scratch = self.planes.scratch();
        for (plane, votes) in planes.iter_mut().zip(&self.spectra) {
            if let (Some(plane), Some(votes)) = (plane, votes) {
                self.planes.forward(plane, &mut scratch);
                correlate(&mut sum, &scratch.spectrum, votes);
            }
        }
        self.planes.counts(sum)
    }

    /// The highest peaks, each at a spot of its own.
    fn find_peaks(&self, figure: &LabelMap, is_allowed: &dyn Fn(Position) -> bool) -> Vec<Position> {
        let counts = self.correlation(figure);
        // Shifts to the left and up are at the far end of the planes: wrapped so that they come first, with room for a border.
        let blocks = |pixels: u32| (pixels as usize).div_ceil(self.factor);
        let (left, top) = (blocks(figure.width), blocks(figure.height));
        let width = left + self.votes.width.div_ceil(self.factor) + 1;
        let height = top + self.votes.height.div_ceil(self.factor) + 1;
        let (full, rows) = (self.planes.width(), self.planes.height());
        let mut wrapped = vec![0; width * height];
        for (y, line) in wrapped.chunks_exact_mut(width).enumerate().skip(1).take(height - 2) {
            let row = &counts[(y + rows - top) % rows * full..][..full];
            line[1..left].copy_from_slice(&row[full + 1 - left..]);
            line[left..width - 1].copy_from_slice(&row[..width - 1 - left]);
        }
        let origin = self.votes.origin;
        let place =
            |origin: i64, at: usize, first: usize| origin + (at as i64 - first as i64) * self.factor as i64;
        let mut peaks: Vec<(Reverse<i64>, i64, Position)> = Vec::new();
        for (x, y) in (1..height - 1).flat_map(|y| (1..width - 1).map(move |x| (x, y))) {
            let at = y * width + x;
            let (above, below) = (at - width, at + width);
            let around = [above - 1, above, above + 1, at - 1, at + 1, below - 1, below, below + 1];
            let count = wrapped[at];
            if count <= 0 || around.iter().any(|&near| wrapped[near] > count) {
                continue;
            }
            let spot = (place(origin.0, x, left), place(origin.1, y, top));
            if is_allowed(spot) {
                peaks.push((Reverse(count), displacement(figure, spot), spot));
            }
        }
        peaks.sort_unstable();
        peaks.truncate(self.effort.peaks);
        peaks.into_iter().map(|(.., spot)| spot).collect()
    }

    fn climb(
        &self,
        figure: &LabelMap,
        start: Position,
        own: Option<Position>,
        step: usize,
        stride: usize,
        is_allowed: &dyn Fn(Position) -> bool,
    ) -> Position {
        let rank = |spot: Position| self.rank(figure, spot, own, stride);
        let (mut spot, mut best) = (start, rank(start));
        let is_last = step == 1 && stride == self.effort.settling_stride(figure);
        let mut step = step as i64;
        while step > 0 {
            // What was climbed in samples is nearly there.
            let around = (-1..=1).flat_map(|dy: i64| (-1..=1).map(move |dx: i64| (dx, dy)));
            let is_looked_at = |&(dx, dy): &Position| !is_last || dx == 0 || dy == 0;
            let around = around.filter(is_looked_at).map(|(dx, dy)| (dx * step, dy * step));
            let near = around
                .map(|(dx, dy)| (spot.0 + dx, spot.1 + dy))
                .filter(|&near| near != spot && is_allowed(near));
            match near.map(|near| (rank(near), near)).max() {
                Some((higher, near)) if higher > best => (best, spot) = (higher, near),
                _ => step /= 2,
            }
        }
        spot
    }

    /// More votes are better, then a smaller shift.
    fn rank(
        &self,
        figure: &LabelMap,
        spot: Position,
        own: Option<Position>,
        stride: usize,
    ) -> (u64, Reverse<i64>) {
        (self.votes.count(figure, spot, own, stride), Reverse(displacement(figure, spot)))
    }
}

/// How far a spot is from the figure's own.
fn displacement(figure: &LabelMap, spot: Position) -> i64 {
    (spot.0 - figure.at.0).abs() + (spot.1 - figure.at.1).abs()
}
