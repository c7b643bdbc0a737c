//! What frames that are lined up show at each place, counted by class, and how well another frame agrees with it.

use crate::register::label_map::{CLASSES, LabelMap};

/// For each place: the votes for anything solid, then those for each class.
const SLOTS: usize = CLASSES + 1;
/// A place of the same class counts as much as so many that are only solid in both: those tell of flashes, of silhouettes, and where
/// flat art is alike all over.
pub(super) const SAME: u64 = 4;

/// Frames that vote; of more, so many speak for all.
pub(super) const VOTERS: usize = 96;

/// A place of a figure's left top corner on the common plane.
pub(super) type Position = (i64, i64);

/// The votes of placed figures.
pub(super) struct Votes {
    /// The left top corner of what is kept.
    pub(super) origin: Position,
    pub(super) width: usize,
    pub(super) height: usize,
    /// For each place [`SLOTS`] votes.
    counts: Vec<u8>,
    /// How many vote.
    voters: u64,
}

impl Votes {
    /// The votes of at most [`VOTERS`] figures, each at its spot.
    pub(super) fn of(placed: &[(&LabelMap, Position)]) -> Self {
        debug_assert!(placed.len() <= usize::from(u8::MAX), "votes are counted in a byte");
        let edge = |edge: fn(&(&LabelMap, Position)) -> i64| placed.iter().map(edge);
        let left = edge(|(_, spot)| spot.0).min().unwrap_or(0);
        let top = edge(|(_, spot)| spot.1).min().unwrap_or(0);
        let right = edge(|(figure, spot)| spot.0 + i64::from(figure.width)).max().unwrap_or(0);
        let bottom = edge(|(figure, spot)| spot.1 + i64::from(figure.height)).max().unwrap_or(0);
        let (width, height) = ((right - left) as usize, (bottom - top) as usize);
        let mut counts = vec![0; width * height * SLOTS];
        for (figure, spot) in placed {
            let (x, y) = ((spot.0 - left) as usize, (spot.1 - top) as usize);
            for (row, line) in figure.classes.chunks_exact(figure.width as usize).enumerate() {
                let start = (y + row) * width + x;
                for (column, &class) in line.iter().enumerate().filter(|(_, class)| **class > 0) {
                    let place = (start + column) * SLOTS;
                    counts[place] += 1;
                    counts[place + usize::from(class)] += 1;
                }
            }
        }
        Self { origin: (left, top), width, height, counts, voters: placed.len() as u64 }
    }

    /// The votes for one class, or for anything solid where it is 0, in blocks of this many pixels each way, as rows of `width` places.
    pub(super) fn bin_votes(&self, class: u8, factor: usize, width: usize, plane: &mut [f64]) {
        for (y, row) in self.counts.chunks_exact((self.width * SLOTS).max(1)).enumerate() {
            let line = &mut plane[y / factor * width..];
            for (x, votes) in row.chunks_exact(SLOTS).enumerate() {
                line[x / factor] += f64::from(votes[usize::from(class)]);
            }
        }
    }

    /// What the votes for what a figure shows are worth, were it at this spot; every `stride`th row and column is
    /// asked. Where the figure is one of those that vote, at `own`, its own vote does not count.
    pub(super) fn count(
        &self,
        figure: &LabelMap,
        spot: Position,
        own: Option<Position>,
        stride: usize,
    ) -> u64 {
        self.weighed(figure, spot, own, stride, (SAME, 1))
    }

    fn weighed(
        &self,
        figure: &LabelMap,
        spot: Position,
        own: Option<Position>,
        stride: usize,
        (same, solid): (u64, u64),
    ) -> u64 {
        let (x, y) = (spot.0 - self.origin.0, spot.1 - self.origin.1);
        let width = figure.width as usize;
        let Some((from, to)) = overlap(x, width, self.width, stride) else { return 0 };
        let mut sum = 0u64;
        for row in (0..figure.height as usize).step_by(stride) {
            let Some(line) = usize::try_from(y + row as i64).ok().filter(|&line| line < self.height) else {
                continue;
            };
            let classes = &figure.classes[row * width + from..row * width + to];
            let start = (line as i64 * self.width as i64 + x + from as i64) as usize * SLOTS;
            let votes = &self.counts[start..start + classes.len() * SLOTS];
            let (mut same_votes, mut solid_votes) = (0u32, 0u32);
            for at in (0..classes.len()).step_by(stride) {
                let class = usize::from(classes[at]);
                if class > 0 {
                    let votes = &votes[at * SLOTS..(at + 1) * SLOTS];
                    same_votes += u32::from(votes[class]);
                    solid_votes += u32::from(votes[0]);
                }
            }
            sum += same * u64::from(same_votes) + solid * u64::from(solid_votes);
        }
        match own {
            None => sum,
            Some(own) => sum - self_vote(figure, (spot.0 - own.0, spot.1 - own.1), stride, (same, solid)),
        }
    }

    /// The mean share of a figure that agrees with one of those that vote.
    pub(super) fn agreement(&self, figure: &LabelMap, spot: Position, own: Option<Position>) -> f64 {
        let voters = self.voters - u64::from(own.is_some());
        if voters == 0 || figure.area == 0 {
            return 1.0;
        }
        self.weighed(figure, spot, own, 1, (1, 0)) as f64 / (voters * figure.area) as f64
    }

    /// What most show at each place, where at least half show something solid.
    pub(super) fn consensus(&self) -> LabelMap {
        let classes: Vec<u8> = self
            .counts
            .chunks_exact(SLOTS)
            .map(|votes| {
                let most = (1..SLOTS).max_by_key(|&class| (votes[class], SLOTS - class)).unwrap_or(0);
                if u64::from(votes[0]) * 2 >= self.voters { most as u8 } else { 0 }
            })
            .collect();
        let area = classes.iter().filter(|&&class| class > 0).count() as u64;
        LabelMap { at: self.origin, width: self.width as u32, height: self.height as u32, classes, area }
    }
}

/// The columns of a figure that are on a plane, if any do, from a multiple of `stride`: the same are asked wherever it lies.
fn overlap(x: i64, width: usize, plane: usize, stride: usize) -> Option<(usize, usize)> {
    let from = ((-x).clamp(0, width as i64) as usize).next_multiple_of(stride);
    let to = (plane as i64 - x).clamp(0, width as i64) as usize;
    (from < to).then_some((from, to))
}

/// What a figure counts for itself, moved.
fn self_vote(figure: &LabelMap, (x, y): Position, stride: usize, (same, solid): (u64, u64)) -> u64 {
    let width = figure.width as usize;
    let Some((from, to)) = overlap(x, width, width, stride) else { return 0 };
    let mut sum = 0;
    for row in (0..figure.height as usize).step_by(stride) {
        let Some(other) = usize::try_from(y + row as i64).ok().filter(|&line| line < figure.height as usize)
        else {
            continue;
        };
        let line = |row: usize, start: usize| &figure.classes[row * width + start..][..to - from];
        let there = line(other, (x + from as i64) as usize);
        for (&class, &there) in line(row, from).iter().zip(there).step_by(stride) {
            if class > 0 && there > 0 {
                sum += solid + if class == there { same } else { 0 };
            }
        }
    }
    sum
}
