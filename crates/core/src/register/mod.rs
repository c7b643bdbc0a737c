//! Registration: where the figure of a clip is in each of its frames.
//!
//! All frames of a clip are registered jointly. The score of an offset is the number of pixels with equal palette
//! class (`label_map`); mismatches carry no extra penalty, so a moving arm or leg does not bias the result. That count is found for
//! all shifts at once as a sum of correlations, one a class (`planes`, `search`). It begins with the frame that agrees
//! best with all others; then each frame is placed where most of the others agree with it (`votes`), again and again
//! until none moves.
//!
//! The sum of one-hot correlations is the usual way to count matches at all shifts (M. Fischer, M. Paterson, "String matching and other
//! products", 1974). Whole pixels only; of equal spots the nearest to where the frame is. Of very many frames some are registered first,
//! and the others by those. Moves nothing itself.

mod label_map;
pub(crate) mod path;
mod peers;
mod planes;
mod search;
#[cfg(test)]
mod tests;
mod votes;

pub(crate) use peers::{best_scale, distinctness};

use label_map::LabelMap;
use search::{FAST, Search, SearchQuality, THOROUGH};
use votes::{Position, VOTERS, Votes};

use crate::Frame;
use crate::parallel;

/// Frames that are compared with each other to find the one to begin with.
const SEED_CANDIDATES: usize = 16;
/// Up to this many frames are registered with each other; more by so many of them.
const JOINT_FRAMES: usize = 48;
/// Times that all frames are placed again, and how often of these each is looked for everywhere.
const ROUNDS: usize = 12;
const FAR_ROUNDS: usize = 2;
/// Clips whose frames usually agree less than this are effects, flapping wings: nothing in them stands still.
pub(crate) const MIN_AGREEMENT: f64 = 0.2;

/// Where the figure of a frame stands.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Registration {
    /// The shift that puts it where the first frame has it, to the right and down.
    pub offset: (i64, i64),
    /// The mean share of the figure that agrees with another frame then.
    pub agreement: f64,
}

/// Registers frames of one figure, group by group, and the groups with each other: the first frame with anything solid stays.
/// `reach` is the farthest shift. `None` where nothing is solid.
///
/// # Panics
/// If a group lists a frame that doesn't exist.
pub fn register(frames: &[&Frame], groups: &[Vec<usize>], reach: Option<u32>) -> Vec<Option<Registration>> {
    let figures = label_map::label_frames(frames);
    let mut spots: Vec<Option<Position>> = vec![None; frames.len()];
    let mut agreements = vec![1.0; frames.len()];
    let mut lead: Option<Votes> = None;
    for group in groups {
        let shown: Vec<(usize, &LabelMap)> =
            group.iter().filter_map(|&at| Some((at, figures[at].as_ref()?))).collect();
        if shown.is_empty() {
            continue;
        }
        let own: Vec<&LabelMap> = shown.iter().map(|(_, figure)| *figure).collect();
        let mut clip = Clip::register(own, reach);
        match &lead {
            None => lead = Some(clip.votes()),
            Some(lead) => clip.align_group(lead),
        }
        let votes = clip.votes();
        for (number, (at, figure)) in shown.iter().enumerate() {
            let spot = clip.spots[number];
            agreements[*at] = votes.agreement(figure, spot, clip.position_of(number));
            spots[*at] = Some(spot);
        }
    }
    let Some((first, origin)) =
        groups.iter().flatten().find_map(|&at| Some((figures[at].as_ref()?, spots[at]?)))
    else {
        return vec![None; frames.len()];
    };
    let start = (origin.0 - first.at.0, origin.1 - first.at.1);
    let place = |at: usize| {
        let (figure, spot) = (figures[at].as_ref()?, spots[at]?);
        let offset = (spot.0 - figure.at.0 - start.0, spot.1 - figure.at.1 - start.1);
        Some(Registration { offset, agreement: agreements[at] })
    };
    (0..frames.len()).map(place).collect()
}

/// The middle across of what most of the frames show when they are lined up, on the canvas of the first; `None` where that is nothing.
pub(crate) fn middle_across(frames: &[&Frame], places: &[Option<Registration>]) -> Option<f64> {
    let figures = label_map::label_frames(frames);
    let placed = figures.iter().zip(places).filter_map(|(figure, place)| {
        let (figure, (x, y)) = (figure.as_ref()?, (*place)?.offset);
        Some((figure, (figure.at.0 + x, figure.at.1 + y)))
    });
    let placed: Vec<(&LabelMap, Position)> = placed.collect();
    let chosen = evenly(placed.len(), placed.len().min(VOTERS)).into_iter().map(|at| placed[at]);
    let common = Votes::of(&chosen.collect::<Vec<_>>()).consensus();
    let shown = common.classes.iter().enumerate().filter(|(_, class)| **class > 0);
    let columns = shown.map(|(at, _)| (at % common.width as usize) as i64);
    let (left, right) = columns.fold((i64::MAX, i64::MIN), |(low, high), x| (low.min(x), high.max(x)));
    (left <= right).then(|| common.at.0 as f64 + (left + right + 1) as f64 / 2.0)
}

/// Figures of one clip and where they are.
struct Clip<'a> {
    figures: Vec<&'a LabelMap>,
    spots: Vec<Position>,
    /// The figures that vote.
    voters: Vec<usize>,
    effort: SearchQuality,
}

impl<'a> Clip<'a> {
    fn register(figures: Vec<&'a LabelMap>, reach: Option<u32>) -> Self {
        let spots = figures.iter().map(|figure| figure.at).collect();
        let is_long = figures.len() > JOINT_FRAMES;
        let voters = evenly(figures.len(), figures.len().min(JOINT_FRAMES));
        let effort = if is_long { FAST } else { THOROUGH };
        let mut clip = Self { figures, spots, voters, effort };
        let start = clip.seed_voter();
        clip.place_by_one(start, reach);
        clip.settle(start, reach, false);
        if is_long {
            clip.place_non_voters(reach);
            clip.voters = evenly(clip.figures.len(), clip.figures.len().min(VOTERS));
            clip.settle(start, reach, true);
        }
        clip.enforce_reach(reach);
        clip
    }

    fn votes(&self) -> Votes {
        let placed: Vec<(&LabelMap, Position)> =
            self.voters.iter().map(|&at| (self.figures[at], self.spots[at])).collect();
        Votes::of(&placed)
    }

    /// Where a figure votes, if it does.
    fn position_of(&self, at: usize) -> Option<Position> {
        self.voters.binary_search(&at).ok().map(|_| self.spots[at])
    }

    /// Whether a figure may stand at a spot. Shifts count from the first frame, which may move itself.
    fn allowed(&self, at: usize, reach: Option<u32>) -> impl Fn(Position) -> bool + use<> {
        let own = self.figures[at].at;
        move |spot: Position| {
            let most = reach.map_or(i64::MAX, |reach| 2 * i64::from(reach));
            (spot.0 - own.0).abs() <= most && (spot.1 - own.1).abs() <= most
        }
    }

    /// The voter that agrees best with the others.
    fn seed_voter(&self) -> usize {
        let compared: Vec<usize> = evenly(self.voters.len(), self.voters.len().min(SEED_CANDIDATES))
            .into_iter()
            .map(|at| self.voters[at])
            .collect();
        let sums = parallel::map_slice(&compared, |&one| {
            let votes = Votes::of(&[(self.figures[one], self.figures[one].at)]);
            let others = || compared.iter().filter(|&&other| other != one).map(|&other| self.figures[other]);
            let search = Search::new(&votes, others(), FAST);
            let agreeing = others().map(|other| {
                search.best(other, None, &|_| true).map_or(0, |spot| votes.count(other, spot, None, 1))
            });
            agreeing.sum::<u64>()
        });
        let best = (0..compared.len()).max_by_key(|&at| (sums[at], compared.len() - at)).unwrap_or(0);
        compared[best]
    }

    /// Places all voters by one of them.
    fn place_by_one(&mut self, start: usize, reach: Option<u32>) {
        let votes = Votes::of(&[(self.figures[start], self.spots[start])]);
        let search = Search::new(&votes, self.voters.iter().map(|&at| self.figures[at]), self.effort);
        let found = parallel::map_slice(&self.voters, |&at| {
            search.best(self.figures[at], None, &self.allowed(at, reach)).unwrap_or(self.spots[at])
        });
        for (&at, spot) in self.voters.iter().zip(found).filter(|(at, _)| **at != start) {
            self.spots[at] = spot;
        }
    }

    /// Places each voter by all others until none moves. The first to be placed stays, or all might drift.
    fn settle(&mut self, start: usize, reach: Option<u32>, is_near: bool) {
        if self.voters.len() < 3 {
            return;
        }
        for round in 0..ROUNDS {
            let votes = self.votes();
            let search = Search::new(&votes, self.voters.iter().map(|&at| self.figures[at]), self.effort);
            let found = parallel::map_slice(&self.voters, |&at| {
                let (figure, own) = (self.figures[at], Some(self.spots[at]));
                let is_allowed = self.allowed(at, reach);
                let near = search.refine(figure, self.spots[at], own, &is_allowed);
                if is_near || round >= FAR_ROUNDS {
                    return near;
                }
                let far = search.best(figure, own, &is_allowed).unwrap_or(near);
                let count = |spot: Position| votes.count(figure, spot, own, 1);
                if count(far) > count(near) { far } else { near }
            });
            let mut has_moved = false;
            for (&at, spot) in self.voters.iter().zip(found).filter(|(at, _)| **at != start) {
                has_moved |= self.spots[at] != spot;
                self.spots[at] = spot;
            }
            if !has_moved {
                break;
            }
        }
    }

    /// Places those that did not vote by those that did.
    fn place_non_voters(&mut self, reach: Option<u32>) {
        let votes = self.votes();
        let search = Search::new(&votes, self.figures.iter().copied(), self.effort);
        let found = parallel::map(self.figures.len(), |at| match self.position_of(at) {
            Some(spot) => spot,
            None => search.best(self.figures[at], None, &self.allowed(at, reach)).unwrap_or(self.spots[at]),
        });
        self.spots = found;
    }

    /// Looks again for what is farther from the first frame than allowed.
    fn enforce_reach(&mut self, reach: Option<u32>) {
        let Some(reach) = reach.map(i64::from) else { return };
        let shift =
            |at: usize| (self.spots[at].0 - self.figures[at].at.0, self.spots[at].1 - self.figures[at].at.1);
        let first = shift(0);
        let is_near =
            |shift: Position| (shift.0 - first.0).abs() <= reach && (shift.1 - first.1).abs() <= reach;
        let far: Vec<usize> = (0..self.figures.len()).filter(|&at| !is_near(shift(at))).collect();
        if far.is_empty() {
            return;
        }
        let votes = self.votes();
        let search = Search::new(&votes, far.iter().map(|&at| self.figures[at]), self.effort);
        for at in far {
            let own = self.figures[at].at;
            let is_allowed = |spot: Position| is_near((spot.0 - own.0, spot.1 - own.1));
            let found = search.best(self.figures[at], self.position_of(at), &is_allowed);
            self.spots[at] = found.unwrap_or((own.0 + first.0, own.1 + first.1));
        }
    }

    /// Moves all together so that they agree with the votes of another clip.
    fn align_group(&mut self, lead: &Votes) {
        let common = self.votes().consensus();
        let search = Search::new(lead, std::iter::once(&common), THOROUGH);
        if let Some(spot) = search.best(&common, None, &|_| true) {
            let (x, y) = (spot.0 - common.at.0, spot.1 - common.at.1);
            self.spots.iter_mut().for_each(|spot| *spot = (spot.0 + x, spot.1 + y));
        }
    }
}

/// So many of the numbers below `count`, evenly chosen and in order, the first always among them.
fn evenly(count: usize, most: usize) -> Vec<usize> {
    (0..most).map(|at| at * count / most.max(1)).collect()
}
