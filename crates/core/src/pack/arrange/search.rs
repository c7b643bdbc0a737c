//! The dense arrangement: many runs of the maximal-rectangles packer and, beyond the lowest effort, searches over niches
//! of a skyline; the best kept.
//!
//! A run is a page width, an order of the pieces and a score for corners. Runs go in parallel; the best
//! is chosen by (page area, longest side, number of the run), so threads never show. How many runs there
//! are depends on the number of pieces alone, never on a clock.

use std::cmp::Reverse;

use rayon::prelude::*;

use crate::Size;
use crate::pack::Effort;
use crate::pack::arrange::maxrects::{Room, Score};
use crate::pack::arrange::niche::{Filled, Strip, search};
use crate::pack::arrange::{Arranged, Spot};
use crate::pack::page::Fitting;

/// A run costs about the square of the pieces: so many runs times pieces keep 2,000 pieces under a second.
const RUNS_TIMES_PIECES: usize = 120_000;

#[derive(Clone, Copy, Debug)]
enum Order {
    Area,
    LongSide,
    Height,
    Width,
    Perimeter,
}

const ORDERS: [Order; 5] = [Order::Height, Order::Area, Order::LongSide, Order::Perimeter, Order::Width];
const SCORES: [Score; 3] = [Score::TopLeft, Score::ShortSide, Score::Area];

#[derive(Clone, Copy, Debug)]
struct Run {
    /// Room for the pieces on the page.
    room: Size,
    order: Order,
    score: Score,
}

/// What one run placed.
struct Outcome {
    placed: Vec<(usize, Spot)>,
    /// Pieces that found no room.
    left: Vec<usize>,
    used: Size,
}

/// Arranges pieces on as few pages as it can, the last as small as it can. Every piece must fit on an
/// empty page.
pub(in crate::pack) fn dense(pieces: &[Size], fitting: &Fitting, effort: Effort) -> Arranged {
    let mut arranged = Arranged { spots: vec![Spot::default(); pieces.len()], pages: Vec::new() };
    let mut left: Vec<usize> = (0..pieces.len()).collect();
    while !left.is_empty() {
        let whole_area: u64 = left.iter().map(|&piece| pieces[piece].area()).sum();
        let may_fit = whole_area <= fitting.room().area();
        let one_page = if may_fit { smallest_page(pieces, &left, fitting, effort) } else { None };
        let outcome = one_page.unwrap_or_else(|| fullest_page(pieces, &left, fitting));
        let page = arranged.pages.len();
        for (piece, spot) in outcome.placed {
            arranged.spots[piece] = Spot { page, ..spot };
        }
        arranged.pages.push(fitting.page_for(outcome.used));
        left = outcome.left;
    }
    if arranged.pages.is_empty() {
        arranged.pages.push(fitting.page_for(Size::default()));
    }
    arranged
}

/// The smallest page that takes all of `wanted`, if a run or a search finds one.
fn smallest_page(pieces: &[Size], wanted: &[usize], fitting: &Fitting, effort: Effort) -> Option<Outcome> {
    let runs = runs_over_widths(pieces, wanted, fitting);
    let first = best(pieces, wanted, fitting, &runs);
    // Scores that look at fit, not at height, waste a page without a bottom. Now that a good size is
    // known, they are asked for a little less of it.
    let is_searched = effort != Effort::Low && wanted.len() > MANY;
    let tighter = first.as_ref().filter(|_| !is_searched);
    let tighter = tighter.map(|first| squeezed(wanted.len(), fitting, first.used));
    let second = tighter.and_then(|tighter| best(pieces, wanted, fitting, &tighter));
    let third = searched(pieces, wanted, fitting, effort);
    let key = |outcome: &Outcome| {
        let page = fitting.page_for(outcome.used);
        (page.area(), page.width.max(page.height))
    };
    // The first of equals stays.
    [first, second, third].into_iter().flatten().min_by_key(key)
}

/// More pieces than this are not squeezed too where niches are searched: that takes as long and finds less.
const MANY: usize = 300;
/// Widths whose page is tried with niches, from somewhat upright to somewhat lying; of many pieces fewer, since each
/// takes longer and all are nearly as good.
const WIDTHS: u32 = 28;
const WIDTHS_OF_MANY: u32 = 10;
/// How many of them are searched, each from two starts.
const SEARCHED: usize = 4;

/// The smallest page that searches over niches find. How far they go depends on the number of pieces alone.
fn searched(pieces: &[Size], wanted: &[usize], fitting: &Fitting, effort: Effort) -> Option<Outcome> {
    // A strip costs about the square of the pieces.
    let square = (wanted.len() * wanted.len()).max(1);
    let work = match effort {
        Effort::Low => return None,
        Effort::Medium => (wanted.len() * 300_000).clamp(4_000_000, 400_000_000),
        Effort::High => (wanted.len() * 3_600_000).clamp(48_000_000, 4_800_000_000),
    };
    let area: u64 = wanted.iter().map(|&piece| pieces[piece].area()).sum();
    let widest = wanted.iter().map(|&piece| pieces[piece].width).max().unwrap_or(1);
    let side = (area as f64).sqrt();
    let room = fitting.room();
    let count = if wanted.len() > MANY { WIDTHS_OF_MANY } else { WIDTHS };
    let mut widths: Vec<u32> = (0..count)
        .map(|at| side * 0.7 * 2f64.powf(f64::from(at) / f64::from(count - 1)))
        .map(|width| fitting.width_with_rounding((width.ceil() as u32).max(widest)))
        .collect();
    widths.push(room.width);
    widths.sort_unstable();
    widths.dedup();
    let orders: Vec<Vec<usize>> = ORDERS.iter().map(|&order| sorted(pieces, wanted, order)).collect();
    let strips = square * orders.len() * widths.len();
    if strips > work * 2 {
        return None;
    }
    let page = |filled: &Filled| fitting.page_for(filled.used);
    let tries: Vec<(usize, usize)> =
        (0..widths.len()).flat_map(|width| (0..orders.len()).map(move |order| (width, order))).collect();
    let filled: Vec<Filled> = tries
        .par_iter()
        .map(|&(width, order)| Strip::new(widths[width]).fill(pieces, &orders[order]))
        .collect();
    // The best order of each width, and the widths with the smallest pages.
    let mut starts: Vec<(u64, usize)> = Vec::new();
    for width in 0..widths.len() {
        let own = (0..tries.len()).filter(|&at| tries[at].0 == width);
        let best = own.min_by_key(|&at| (page(&filled[at]).area(), at));
        starts.extend(best.map(|at| (page(&filled[at]).area(), at)));
    }
    starts.sort_unstable();
    starts.truncate(SEARCHED);
    let steps = work / square / (SEARCHED * 2);
    let searches: Vec<(usize, u64)> =
        starts.iter().flat_map(|&(_, at)| [1u64, 2].map(|seed| (at, seed))).collect();
    let found: Vec<Filled> = searches
        .par_iter()
        .map(|&(at, seed)| {
            let (width, order) = tries[at];
            search(pieces, &orders[order], widths[width], steps, seed)
        })
        .collect();
    let all = filled.into_iter().chain(found);
    let fits = all.filter(|filled| filled.used.fits_in(room));
    let best =
        fits.min_by_key(|filled| (page(filled).area(), page(filled).width.max(page(filled).height)))?;
    Some(Outcome { placed: best.spots, left: Vec::new(), used: best.used })
}

fn best(pieces: &[Size], wanted: &[usize], fitting: &Fitting, runs: &[Run]) -> Option<Outcome> {
    let outcomes = runs.par_iter().enumerate().map(|(number, run)| (number, go(pieces, wanted, *run)));
    let whole = outcomes.filter(|(_, outcome)| outcome.left.is_empty());
    let key = |(number, outcome): &(usize, Outcome)| {
        let page = fitting.page_for(outcome.used);
        (page.area(), page.width.max(page.height), *number)
    };
    whole.min_by_key(key).map(|(_, outcome)| outcome)
}

/// The run that puts most area on the largest page.
fn fullest_page(pieces: &[Size], wanted: &[usize], fitting: &Fitting) -> Outcome {
    let room = fitting.room();
    let combinations = ORDERS.iter().flat_map(|&order| SCORES.map(|score| Run { room, order, score }));
    let most = (RUNS_TIMES_PIECES / wanted.len()).max(2);
    let runs: Vec<Run> = combinations.take(most).collect();
    let outcomes = runs.par_iter().enumerate().map(|(number, run)| (number, go(pieces, wanted, *run)));
    let area = |outcome: &Outcome| outcome.placed.iter().map(|(piece, _)| pieces[*piece].area()).sum::<u64>();
    let fullest = outcomes.min_by_key(|(number, outcome)| (Reverse(area(outcome)), *number));
    fullest.expect("there is at least one run").1
}

/// Widths from half to twice a square's side, as far as they are allowed, with all the room below.
fn runs_over_widths(pieces: &[Size], wanted: &[usize], fitting: &Fitting) -> Vec<Run> {
    let area: u64 = wanted.iter().map(|&piece| pieces[piece].area()).sum();
    let widest = wanted.iter().map(|&piece| pieces[piece].width).max().unwrap_or(1);
    let side = (area as f64).sqrt();
    let budget = (RUNS_TIMES_PIECES / wanted.len()).max(4);
    let (orders, scores) =
        if budget >= 60 { (&ORDERS[..], &SCORES[..1]) } else { (&ORDERS[..2], &SCORES[..1]) };
    let count = (budget / 2 / (orders.len() * scores.len())).clamp(2, 60);
    let spread = |at: usize| side * 0.5 * 4f64.powf(at as f64 / (count - 1) as f64);
    let allowed = |width: f64| fitting.width_with_rounding((width as u32).max(widest));
    let mut widths: Vec<u32> = (0..count).map(|at| allowed(spread(at))).collect();
    widths.push(fitting.room().width);
    widths.sort_unstable();
    widths.dedup();
    let height = fitting.room().height;
    let mut runs = Vec::new();
    for &width in &widths {
        for &order in orders {
            runs.extend(scores.iter().map(|&score| Run { room: Size::new(width, height), order, score }));
        }
    }
    runs
}

/// Rooms a little smaller than `used`, in both directions.
fn squeezed(pieces: usize, fitting: &Fitting, used: Size) -> Vec<Run> {
    let budget = (RUNS_TIMES_PIECES / pieces / 2).max(2);
    let tries = (budget / (ORDERS.len() * SCORES.len())).clamp(1, 12) as u32;
    let room = fitting.room();
    let mut runs = Vec::new();
    for step in 0..=tries {
        // Up to 6 % smaller; the first is the size itself, where other orders may end shorter.
        let smaller = |length: u32| {
            length - (u64::from(length) * u64::from(step) * 6 / (100 * u64::from(tries))) as u32
        };
        for size in [Size::new(used.width, smaller(used.height)), Size::new(smaller(used.width), used.height)]
        {
            let size = Size::new(size.width.min(room.width), size.height.min(room.height));
            for order in ORDERS {
                runs.extend(SCORES.map(|score| Run { room: size, order, score }));
            }
        }
    }
    runs.truncate(budget.max(2));
    runs
}

fn go(pieces: &[Size], wanted: &[usize], run: Run) -> Outcome {
    let mut room = Room::new(run.room);
    let mut outcome =
        Outcome { placed: Vec::with_capacity(wanted.len()), left: Vec::new(), used: Size::default() };
    for piece in sorted(pieces, wanted, run.order) {
        match room.place(pieces[piece], run.score) {
            Some(rect) => outcome.placed.push((piece, Spot { page: 0, x: rect.x, y: rect.y })),
            None => outcome.left.push(piece),
        }
    }
    outcome.left.sort_unstable();
    outcome.used = room.used();
    outcome
}

/// The pieces, largest first; equals stay in their own order.
fn sorted(pieces: &[Size], wanted: &[usize], order: Order) -> Vec<usize> {
    let key = |&piece: &usize| {
        let Size { width, height } = pieces[piece];
        let (w, h) = (u64::from(width), u64::from(height));
        Reverse(match order {
            Order::Area => (w * h, w.max(h)),
            Order::LongSide => (w.max(h), w.min(h)),
            Order::Height => (h, w),
            Order::Width => (w, h),
            Order::Perimeter => (w + h, w.max(h)),
        })
    };
    let mut order = wanted.to_vec();
    order.sort_by_key(key);
    order
}
