//! How much a search may do: counted in pieces placed, never in time, so that every machine finds the same.

use crate::pack::Effort;

/// What is placed quickly, over many widths, at any effort.
const QUICK: u64 = 100_000;

/// Roughly how many pieces a search may place.
fn work(pieces: usize, effort: Effort) -> u64 {
    match effort {
        Effort::Low => 0,
        // Of many pieces the first try is within half a percent of what a long search finds.
        Effort::Medium => (200_000_000 / pieces.max(1) as u64).min(200_000),
        Effort::High => (pieces as u64 * 200_000).clamp(12_000_000, 40_000_000),
    }
}

/// Pieces of this many pixels together are worth the whole search for the smallest page; of a page of an eighth of that, a percent is a few
/// kilobytes, and encoding it takes a few milliseconds.
const WORTH_ALL: u64 = 1 << 20;

/// Less than this share of a search finds nothing.
const LEAST_SHARE: f64 = 1.0 / 16.0;

/// Of fewer pieces than this, a quarter of the search takes 2 to 4 ms and finds pages up to 2% smaller.
const FEW: usize = 100;
const SHARE_OF_FEW: f64 = 0.25;

/// How much of the search for the smallest page so many pieces of this area are worth, up to 1. What was asked for is given
/// whole.
pub(super) fn share(pieces: usize, area: u64, effort: Effort) -> f64 {
    let least = if effort == Effort::Medium && pieces < FEW { SHARE_OF_FEW } else { LEAST_SHARE };
    match effort {
        Effort::High => 1.0,
        Effort::Low | Effort::Medium => (area as f64 / WORTH_ALL as f64).clamp(least, 1.0),
    }
}

/// What part of a page may stay empty before a search goes on: no page is smaller by more than that.
pub(super) fn slack(effort: Effort) -> f64 {
    match effort {
        Effort::High => 0.0,
        Effort::Low | Effort::Medium => 0.005,
    }
}

/// Fewer steps than this find nothing.
const FEWEST_STEPS: usize = 12;

/// How often a strip is filled by each of this many searches.
pub(super) fn steps(pieces: usize, effort: Effort, searches: usize) -> usize {
    let steps = work(pieces, effort) / pieces.max(1) as u64 / searches as u64;
    let steps = usize::try_from(steps).unwrap_or(usize::MAX);
    if steps < FEWEST_STEPS { 0 } else { steps }
}

/// Fewer widths than this miss the good ones.
const FEWEST_WIDTHS: u64 = 32;

/// How many widths are tried quickly, each with this many orders.
pub(super) fn widths(pieces: usize, effort: Effort, orders: usize, share: f64) -> u32 {
    let whole = work(pieces, effort).max(QUICK) / 3 / (pieces.max(1) * orders) as u64;
    let tries = (whole as f64 * share) as u64;
    tries.clamp(FEWEST_WIDTHS.min(whole.max(2)), 200) as u32
}
