//! The smallest square page: its side is searched on its own.
//!
//! A page that is a little lower than it is wide is no smaller as a square, so looking at many widths finds few good
//! ones. Here the side is halved in: between the largest side that no arrangement can beat and the smallest that one
//! reached, the side in the middle is tried, as a strip of that width that must not become higher.

use crate::pack::Effort;
use crate::pack::arrange::anneal::StopRule;
use crate::pack::arrange::item_index::ItemIndex;
use crate::pack::arrange::order::{ORDERS, sorted};
use crate::pack::arrange::skyline::{Skyline, StripFill};
use crate::pack::arrange::{Items, PageFill, anneal, effort};
use crate::pack::page::PageSizer;
use crate::parallel;

/// Orders that are searched for each side, and how often each.
const SEARCHED: usize = 3;
const SEEDS: [u64; 2] = [1, 2];
/// Sides that are tried in vain are as many as halvings of a few percent of a side.
const HALVINGS: usize = 5;

/// A smaller square for all of `wanted` than that of `found`, or `found` itself.
pub(super) fn smaller(
    pieces: Items<'_>,
    wanted: &[usize],
    fitting: &PageSizer,
    (effort, share): (Effort, f64),
    found: PageFill,
) -> PageFill {
    let catalog = ItemIndex::new(pieces);
    let orders: Vec<Vec<usize>> = ORDERS.iter().map(|&order| sorted(pieces, wanted, order)).collect();
    let steps = effort::steps(wanted.len(), effort, SEARCHED * SEEDS.len() * HALVINGS);
    let steps = (steps as f64 * share) as usize;
    let side = |outcome: &PageFill| outcome.used.width.max(outcome.used.height);
    let longest = wanted.iter().map(|&piece| {
        let size = pieces.sizes[piece];
        size.width.max(size.height)
    });
    let area = pieces.area(wanted);
    // A side that leaves no more than the slack is left at that.
    let root = (area as f64 * (1.0 + effort::slack(effort))).sqrt();
    let root = root.floor().max((area as f64).sqrt().ceil()) as u32;
    let mut least = root.max(longest.max().unwrap_or(0));
    let mut best = found;
    while least < side(&best) {
        let middle = least + (side(&best) - least) / 2;
        // Rounding up may give more room for nothing.
        let room = fitting.width_with_rounding(middle);
        match within(&catalog, &orders, room.max(middle), steps) {
            Some(smaller) if side(&smaller) < side(&best) => best = smaller,
            _ => least = middle + 1,
        }
    }
    best
}

/// A way into a square of this side, if one is found.
fn within(catalog: &ItemIndex<'_>, orders: &[Vec<usize>], side: u32, steps: usize) -> Option<PageFill> {
    let fits = |filled: &StripFill| filled.outcome.left.is_empty() && filled.outcome.used.height <= side;
    let quick: Vec<StripFill> = parallel::map_slice(orders, |order| Skyline::new(catalog, side).fill(order));
    let mut ranked: Vec<(u32, usize)> =
        quick.iter().enumerate().map(|(at, filled)| (filled.outcome.used.height, at)).collect();
    ranked.sort_unstable();
    let first = ranked[0].1;
    if let Some(filled) = quick.into_iter().nth(first).filter(&fits) {
        return Some(filled.outcome);
    }
    if steps == 0 {
        return None;
    }
    let searches: Vec<(usize, u64)> =
        ranked.iter().take(SEARCHED).flat_map(|&(_, at)| SEEDS.map(|seed| (at, seed))).collect();
    let search = |&(at, seed): &(usize, u64)| {
        anneal::anneal_strip(&orders[at], Skyline::new(catalog, side), steps, seed, StopRule::Height(side))
    };
    parallel::map_slice(&searches, search).into_iter().find(fits).map(|filled| filled.outcome)
}
