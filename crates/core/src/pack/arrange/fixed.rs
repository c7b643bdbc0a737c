//! Onto a page of a given size: everything, or as much as goes.

use crate::Size;
use crate::pack::Effort;
use crate::pack::arrange::niche::{Filled, Strip};
use crate::pack::arrange::order::{ORDERS, sorted};
use crate::pack::arrange::{Outcome, Pieces, Spot, anneal, effort, maxrects};
use crate::parallel;

/// More pieces than this are not given to maximal rectangles, whose runs would take seconds.
const MOST_FOR_MAXRECTS: usize = 1_000;
/// Starts of a search, in each direction.
const SEARCHED: usize = 4;

/// A way to put all of `wanted` onto `room`, if one is found.
pub(super) fn onto(pieces: Pieces<'_>, wanted: &[usize], room: Size, effort: Effort) -> Option<Outcome> {
    let fits = |piece: &usize| pieces.ways(*piece).any(|(size, _)| size.fits_in(room));
    if pieces.area(wanted) > room.area() || !wanted.iter().all(fits) {
        return None;
    }
    let outcome = fullest(pieces, wanted, room, effort);
    outcome.left.is_empty().then_some(outcome)
}

/// The way to put as much area as it can onto `room`.
pub(super) fn fullest(pieces: Pieces<'_>, wanted: &[usize], room: Size, effort: Effort) -> Outcome {
    let orders: Vec<Vec<usize>> = ORDERS.iter().map(|&order| sorted(pieces, wanted, order)).collect();
    let left = |outcome: &Outcome| pieces.area(&outcome.left);
    let best = |outcomes: Vec<Outcome>| {
        let all = outcomes.into_iter().enumerate();
        all.min_by_key(|(at, outcome)| (left(outcome), *at)).map(|(_, outcome)| outcome)
    };
    let mut found = Vec::new();
    if wanted.len() <= MOST_FOR_MAXRECTS {
        let runs: Vec<_> =
            orders.iter().flat_map(|order| maxrects::SCORES.map(|score| (order, score))).collect();
        let go = |(order, score): &(&Vec<usize>, _)| maxrects::run(pieces, order, room, *score);
        found.extend(best(parallel::each(&runs, go)));
    }
    // Lying pages are filled like upright ones with everything turned.
    let sideways: Vec<Size> = pieces.sizes.iter().map(|size| size.turned()).collect();
    let sideways = Pieces { sizes: &sideways, ..pieces };
    let views = [(pieces, room, false), (sideways, room.turned(), true)];
    let starts: Vec<(usize, usize)> =
        (0..2).flat_map(|view| (0..orders.len()).map(move |order| (view, order))).collect();
    let quick = |&(view, order): &(usize, usize)| {
        let (pieces, room, is_sideways) = views[view];
        back(Strip::of(room).fill(pieces, &orders[order]), is_sideways)
    };
    let filled: Vec<Outcome> = parallel::each(&starts, quick);
    let mut ranked: Vec<(u64, usize)> =
        filled.iter().enumerate().map(|(at, outcome)| (left(outcome), at)).collect();
    ranked.sort_unstable();
    found.extend(best(filled));
    let is_done = found.iter().any(|outcome| outcome.left.is_empty());
    let steps = effort::steps(wanted.len(), effort, SEARCHED * 2);
    if !is_done && steps > 0 {
        let searches: Vec<(usize, u64)> =
            ranked[..SEARCHED].iter().flat_map(|&(_, at)| [1u64, 2].map(|seed| (at, seed))).collect();
        let search = |&(at, seed): &(usize, u64)| {
            let (view, order) = starts[at];
            let (pieces, room, is_sideways) = views[view];
            back(filled_most(pieces, &orders[order], room, steps, seed), is_sideways)
        };
        found.extend(best(parallel::each(&searches, search)));
    }
    best(found).expect("strips were filled")
}

/// The order that leaves least over; none left is enough.
fn filled_most(pieces: Pieces<'_>, start: &[usize], room: Size, steps: usize, seed: u64) -> Filled {
    let mut strip = Strip::of(room);
    let heat = pieces.area(start).min(room.area()) as f64 * 0.004;
    anneal::improved(pieces, start, steps, seed, (heat, 0.0), |order| {
        let filled = strip.fill(pieces, order);
        (pieces.area(&filled.outcome.left) as f64, filled)
    })
    .1
}

fn back(filled: Filled, is_sideways: bool) -> Outcome {
    let Outcome { mut placed, left, used } = filled.outcome;
    if !is_sideways {
        return Outcome { placed, left, used };
    }
    for (_, spot) in &mut placed {
        // What was turned while everything lay on its side is turned once more than that.
        *spot = Spot { x: spot.y, y: spot.x, ..*spot };
    }
    Outcome { placed, left, used: used.turned() }
}
