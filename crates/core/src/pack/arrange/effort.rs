//! How much a search may do: counted in looks at a piece, never in time, so that every machine finds the same.

use crate::pack::Effort;

/// What is looked at quickly, over many widths, at any effort.
const QUICK: u64 = 8_000_000;

/// Roughly how many looks at a piece a search may take.
fn work(pieces: usize, effort: Effort) -> u64 {
    let pieces = pieces as u64;
    match effort {
        Effort::Low => 0,
        Effort::Medium => (pieces * 40_000).clamp(12_000_000, 90_000_000),
        Effort::High => (pieces * 6_000_000).clamp(600_000_000, 6_000_000_000),
    }
}

/// Pieces of so many pixels together are worth the whole search for the smallest page; of a page of an eighth of that, a percent is a few
/// kilobytes, and encoding it takes a few milliseconds.
const WORTH_ALL: u64 = 1 << 20;

/// Less than this share of a search finds nothing.
const LEAST_SHARE: f64 = 1.0 / 32.0;

/// How much of the search for the smallest page pieces of this area are worth, up to 1. What was asked for is given whole.
pub(super) fn share(area: u64, effort: Effort) -> f64 {
    match effort {
        Effort::High => 1.0,
        Effort::Low | Effort::Medium => (area as f64 / WORTH_ALL as f64).clamp(LEAST_SHARE, 1.0),
    }
}

/// What filling a strip once takes of that.
fn strip_work(pieces: usize) -> u64 {
    let pieces = pieces as u64;
    (pieces * pieces.min(1_500)).max(1)
}

/// How often a strip is filled by each of so many searches.
pub(super) fn steps(pieces: usize, effort: Effort, searches: usize) -> usize {
    let steps = work(pieces, effort) / strip_work(pieces) / searches as u64;
    usize::try_from(steps).unwrap_or(usize::MAX)
}

/// How many widths are tried quickly, each with so many orders.
pub(super) fn widths(pieces: usize, effort: Effort, orders: usize, share: f64) -> u32 {
    let whole = work(pieces, effort).max(QUICK) / 3 / (strip_work(pieces) * orders as u64);
    let tries = (whole as f64 * share) as u64;
    tries.clamp(8.min(whole.max(2)), 200) as u32
}
