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
pub(super) fn widths(pieces: usize, effort: Effort, orders: usize) -> u32 {
    let tries = work(pieces, effort).max(QUICK) / 3 / (strip_work(pieces) * orders as u64);
    tries.clamp(2, 200) as u32
}
