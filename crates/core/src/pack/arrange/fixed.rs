//! Onto a page of a given size: everything, or as much as goes.

use crate::Size;
use crate::pack::Effort;
use crate::pack::arrange::item_index::ItemIndex;
use crate::pack::arrange::order::{ORDERS, sorted};
use crate::pack::arrange::skyline::{Skyline, StripFill};
use crate::pack::arrange::{Items, PageFill, anneal, effort, maxrects};
use crate::parallel;

/// More pieces than this are not given to maximal rectangles, whose runs would take seconds.
const MOST_FOR_MAXRECTS: usize = 1_000;
/// Starts of a search, in each direction.
const SEARCHED: usize = 4;

/// A way to put all of `wanted` onto `room`, if one is found.
pub(super) fn onto(pieces: Items<'_>, wanted: &[usize], room: Size, effort: Effort) -> Option<PageFill> {
    let fits = |piece: &usize| pieces.orientations(*piece).any(|(size, _)| size.fits_in(room));
    if pieces.area(wanted) > room.area() || !wanted.iter().all(fits) {
        return None;
    }
    let outcome = fullest(pieces, wanted, room, effort, 1);
    outcome.left.is_empty().then_some(outcome)
}

/// The arrangement that puts the most area onto `room`, one of several pages that share a search.
pub(super) fn fullest(
    pieces: Items<'_>,
    wanted: &[usize],
    room: Size,
    effort: Effort,
    pages: u64,
) -> PageFill {
    let orders: Vec<Vec<usize>> = ORDERS.iter().map(|&order| sorted(pieces, wanted, order)).collect();
    let left = |outcome: &PageFill| pieces.area(&outcome.left);
    let best = |outcomes: Vec<PageFill>| {
        let all = outcomes.into_iter().enumerate();
        all.min_by_key(|(at, outcome)| (left(outcome), *at)).map(|(_, outcome)| outcome)
    };
    let mut found = Vec::new();
    if wanted.len() <= MOST_FOR_MAXRECTS {
        let runs: Vec<_> =
            orders.iter().flat_map(|order| maxrects::SCORES.map(|score| (order, score))).collect();
        let go = |(order, score): &(&Vec<usize>, _)| maxrects::run(pieces, order, room, *score);
        found.extend(best(parallel::map_slice(&runs, go)));
    }
    // Lying pages are filled like upright ones with everything rotated.
    let sideways = pieces.transposed_sizes();
    let sideways = Items { sizes: &sideways, ..pieces };
    let (upright, lying) = (ItemIndex::new(pieces), ItemIndex::new(sideways));
    let views = [(&upright, room, false), (&lying, room.rotated(), true)];
    let starts: Vec<(usize, usize)> =
        (0..2).flat_map(|view| (0..orders.len()).map(move |order| (view, order))).collect();
    let quick = |&(view, order): &(usize, usize)| {
        let (catalog, room, is_sideways) = views[view];
        Skyline::of(catalog, room).fill(&orders[order]).outcome.undo_transpose(is_sideways)
    };
    let filled: Vec<PageFill> = parallel::map_slice(&starts, quick);
    let mut ranked: Vec<(u64, usize)> =
        filled.iter().enumerate().map(|(at, outcome)| (left(outcome), at)).collect();
    ranked.sort_unstable();
    found.extend(best(filled));
    let is_done = found.iter().any(|outcome| outcome.left.is_empty());
    let steps = effort::steps(wanted.len(), effort, SEARCHED * 2 * pages as usize);
    if !is_done && steps > 0 {
        let searches: Vec<(usize, u64)> =
            ranked[..SEARCHED].iter().flat_map(|&(_, at)| [1u64, 2].map(|seed| (at, seed))).collect();
        let search = |&(at, seed): &(usize, u64)| {
            let (view, order) = starts[at];
            let (catalog, room, is_sideways) = views[view];
            filled_most(catalog, &orders[order], room, steps, seed).outcome.undo_transpose(is_sideways)
        };
        found.extend(best(parallel::map_slice(&searches, search)));
    }
    best(found).expect("strips were filled")
}

/// The order that leaves least over; none left is enough.
fn filled_most(catalog: &ItemIndex<'_>, start: &[usize], room: Size, steps: usize, seed: u64) -> StripFill {
    let pieces = catalog.pieces;
    let mut strip = Skyline::of(catalog, room);
    let heat = pieces.area(start).min(room.area()) as f64 * 0.004;
    anneal::anneal(pieces, start, steps, seed, (heat, 0.0), |order, _| {
        let filled = strip.fill(order);
        Some((pieces.area(&filled.outcome.left) as f64, filled))
    })
    .1
}
