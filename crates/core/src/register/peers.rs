//! One frame against the others of its clip: at which size its figure agrees best with them, and how clearly where it stands.

use crate::Frame;
use crate::parallel;
use crate::register::label_map::{LabelMap, label_frames};
use crate::register::search::{Search, THOROUGH};
use crate::register::votes::{Position, VOTERS, Votes};
use crate::register::{Registration, evenly};

/// Scales that are tried, in percent.
const TRIED: [u32; 12] = [67, 75, 80, 85, 91, 95, 105, 110, 115, 120, 130, 145];
/// Another scale has to agree better by this factor.
const BETTER: f64 = 1.03;

/// The others of a clip, lined up, and a frame among them.
struct PeerComparison {
    own: LabelMap,
    spot: Position,
    votes: Votes,
    others: u64,
    /// Solid pixels of all others.
    area: u64,
}

impl PeerComparison {
    /// `None` where the frame has no place, or no other has.
    fn of(frames: &[&Frame], places: &[Option<Registration>], at: usize) -> Option<Self> {
        let mut figures = label_frames(frames);
        let place = |figure: &LabelMap, place: Registration| {
            (figure.at.0 + place.offset.0, figure.at.1 + place.offset.1)
        };
        let own = figures[at].take()?;
        let placed: Vec<(&LabelMap, Position)> = figures
            .iter()
            .zip(places)
            .filter_map(|(figure, own)| {
                figure.as_ref().map(|figure| Some((figure, place(figure, (*own)?))))?
            })
            .collect();
        let chosen = evenly(placed.len(), placed.len().min(VOTERS)).into_iter().map(|at| placed[at]);
        let chosen: Vec<_> = chosen.collect();
        let area = chosen.iter().map(|(figure, _)| figure.area).sum();
        let spot = place(&own, places[at]?);
        let others = chosen.len() as u64;
        (others > 0).then(|| Self { spot, votes: Votes::of(&chosen), others, area, own })
    }
}

/// Ratio of the match score at the registered position to the score at that position moved by (`right`, `down`). Close
/// to 1 for textures that match anywhere, such as flames.
pub(crate) fn distinctness(
    frames: &[&Frame],
    places: &[Option<Registration>],
    at: usize,
    (right, down): (i64, i64),
) -> Option<f64> {
    let PeerComparison { own, spot, votes, .. } = PeerComparison::of(frames, places, at)?;
    let count = |spot: Position| votes.count(&own, spot, None, 1).max(1) as f64;
    Some(count(spot) / count((spot.0 + right, spot.1 + down)))
}

/// The scale at which the figure of frame `at` agrees best with those of the others, where that is clearly another than 1. Frames that have
/// no place do not count.
pub(crate) fn best_scale(frames: &[&Frame], places: &[Option<Registration>], at: usize) -> Option<f64> {
    let PeerComparison { own, votes, others, area, .. } = PeerComparison::of(frames, places, at)?;
    let agreement = |percent: u32| {
        let scaled = scaled(&own, percent);
        let search = Search::new(&votes, std::iter::once(&scaled), THOROUGH);
        let count =
            search.best(&scaled, None, &|_| true).map_or(0, |spot| votes.count(&scaled, spot, None, 1));
        // Shared by both: a smaller figure has it easier to be on a larger one.
        count as f64 / (scaled.area * others + area) as f64
    };
    let tried = parallel::map_slice(&TRIED, |&percent| agreement(percent));
    let best = (0..TRIED.len()).max_by(|&a, &b| tried[a].total_cmp(&tried[b]))?;
    (tried[best] > BETTER * agreement(100)).then(|| f64::from(TRIED[best]) / 100.0)
}

fn scaled(figure: &LabelMap, percent: u32) -> LabelMap {
    let side = |length: u32| (length * percent / 100).max(1);
    let (width, height) = (side(figure.width), side(figure.height));
    let source = |at: u32, side: u32, length: u32| {
        ((2 * u64::from(at) + 1) * u64::from(length) / (2 * u64::from(side))) as usize
    };
    let mut classes = Vec::with_capacity(width as usize * height as usize);
    for y in 0..height {
        let row = source(y, height, figure.height) * figure.width as usize;
        classes.extend((0..width).map(|x| figure.classes[row + source(x, width, figure.width)]));
    }
    let area = classes.iter().filter(|&&class| class > 0).count() as u64;
    LabelMap { at: figure.at, width, height, classes, area }
}
