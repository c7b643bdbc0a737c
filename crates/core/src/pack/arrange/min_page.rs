//! The smallest page that holds all pieces: many widths, each filled by several packers, and the best improved.

use crate::Size;
use crate::pack::Effort;
use crate::pack::arrange::anneal::StopRule;
use crate::pack::arrange::item_index::ItemIndex;
use crate::pack::arrange::maxrects::{self, Score};
use crate::pack::arrange::order::{ORDERS, Order, sorted};
use crate::pack::arrange::skyline::{Skyline, StripFill};
use crate::pack::arrange::{Items, PageFill, anneal, effort, fixed, square};
use crate::pack::page::PageSizer;
use crate::parallel;

/// A run of maximal rectangles costs about the square of the pieces, so of many pieces there are few runs.
const RUNS_TIMES_SQUARE: usize = 400_000;
const MOST_RUNS: usize = 300;
const FEWEST_RUNS: usize = 24;
/// More pieces than this are not squeezed too where niches are searched: that takes as long and finds less.
const MANY: usize = 300;
/// So few pieces are given to maximal rectangles even where niches are searched.
const FEW: usize = 24;
/// How many widths are searched, each from two starts; of few pieces more, since few steps are enough for each.
const SEARCHED: usize = 4;
const SEARCHED_OF_FEW: usize = 12;
const SEARCHED_PIECES: usize = 160;
/// Smaller pages of a rounded size that are tried in vain before it is left at that.
const FAILURES: usize = 6;

#[derive(Clone, Copy, Debug)]
struct Run {
    /// Room for the pieces on the page.
    room: Size,
    order: Order,
    score: Score,
}

/// The smallest page that takes all of `wanted`, if a run or a search finds one.
pub(super) fn smallest_page(
    pieces: Items<'_>,
    wanted: &[usize],
    fitting: &PageSizer,
    effort: Effort,
) -> Option<PageFill> {
    let found = searched(pieces, wanted, fitting, effort);
    if effort != Effort::High {
        return found;
    }
    // More steps are not always luckier ones.
    let quicker = searched(pieces, wanted, fitting, Effort::Medium);
    [found, quicker].into_iter().flatten().min_by_key(|outcome| key(fitting, outcome))
}

fn searched(pieces: Items<'_>, wanted: &[usize], fitting: &PageSizer, effort: Effort) -> Option<PageFill> {
    let area = pieces.area(wanted);
    if area > fitting.room().area() {
        return None;
    }
    if fitting.is_fixed() {
        return fixed::onto(pieces, wanted, fitting.room(), effort);
    }
    let share = effort::share(wanted.len(), area, effort);
    // Of more than a few pieces, maximal rectangles hardly ever find a smaller page than a search does.
    let runs = match effort {
        Effort::Medium if wanted.len() > FEW => Vec::new(),
        _ => runs_over_widths(pieces, wanted, fitting, share),
    };
    let first = best(pieces, wanted, fitting, &runs);
    // Scores that look at fit, not at height, waste a page without a bottom. Now that a good size is
    // known, they are asked for a little less of it.
    let is_searched = effort != Effort::Low && wanted.len() > MANY;
    let tighter = first.as_ref().filter(|_| !is_searched);
    let tighter = tighter.map(|first| shrunken_runs(wanted.len(), fitting, first.used, share));
    let second = tighter.and_then(|tighter| best(pieces, wanted, fitting, &tighter));
    let third = search_skyline(pieces, wanted, fitting, (effort, share));
    let key = |outcome: &PageFill| key(fitting, outcome);
    // The first of equals stays.
    let found = [first, second, third].into_iter().flatten().min_by_key(key);
    let found = match found {
        Some(found) if fitting.is_square() => {
            Some(square::smaller(pieces, wanted, fitting, (effort, share), found))
        }
        other => other,
    };
    // The largest page itself is tried harder than all those widths were.
    let found = found.or_else(|| fixed::onto(pieces, wanted, fitting.room(), effort));
    found.map(|found| rounded_down(pieces, wanted, fitting, effort, found))
}

/// Less is better.
fn key(fitting: &PageSizer, outcome: &PageFill) -> (u64, u32) {
    let page = fitting.page_for(outcome.used);
    (page.area(), page.width.max(page.height))
}

/// Where sizes are rounded, what counts is whether all fits the next smaller page: that is tried hard.
fn rounded_down(
    pieces: Items<'_>,
    wanted: &[usize],
    fitting: &PageSizer,
    effort: Effort,
    found: PageFill,
) -> PageFill {
    let rooms = fitting.smaller_rooms(fitting.page_for(found.used), pieces.area(wanted));
    let mut best = found;
    let mut failures = 0;
    for room in rooms {
        if failures == FAILURES {
            break;
        }
        match fixed::onto(pieces, wanted, room, effort) {
            Some(smaller) if key(fitting, &smaller) < key(fitting, &best) => best = smaller,
            Some(_) => {}
            None => failures += 1,
        }
    }
    best
}

/// Area weights by fill direction. Row-filled pages place similar frames side by side and compress better by more than
/// 0.25%.
const ROW_FILL_WEIGHT: u64 = 400;
const COLUMN_FILL_WEIGHT: u64 = 401;

/// A way to look at the pieces: as they are, or with everything rotated, so that pages are filled from the left.
struct View<'a> {
    catalog: &'a ItemIndex<'a>,
    orders: Vec<Vec<usize>>,
    widths: Vec<u32>,
    is_sideways: bool,
}

/// The smallest page that niches find: first quickly over many widths, then the best few searched.
fn search_skyline(
    pieces: Items<'_>,
    wanted: &[usize],
    fitting: &PageSizer,
    (effort, share): (Effort, f64),
) -> Option<PageFill> {
    let lying = pieces.transposed_sizes();
    let (upright, lying) = (ItemIndex::new(pieces), ItemIndex::new(Items { sizes: &lying, ..pieces }));
    // Two views, so each has half of the widths.
    let count = effort::widths(wanted.len(), effort, ORDERS.len(), share).div_ceil(2);
    let view = |is_sideways: bool| {
        let (catalog, fitting) = if is_sideways { (&lying, fitting.rotated()) } else { (&upright, *fitting) };
        let orders = ORDERS.iter().map(|&order| sorted(catalog.pieces, wanted, order)).collect();
        let widths = widths(catalog.pieces, wanted, &fitting, count);
        View { catalog, orders, widths, is_sideways }
    };
    let views = [view(false), view(true)];
    let page = |filled: &StripFill, view: usize| {
        let used = filled.outcome.used;
        fitting.page_for(if views[view].is_sideways { used.rotated() } else { used })
    };
    let mut tries: Vec<(usize, usize, usize)> = Vec::new();
    for (number, view) in views.iter().enumerate() {
        let all = (0..view.widths.len()).flat_map(|width| (0..ORDERS.len()).map(move |order| (width, order)));
        tries.extend(all.map(|(width, order)| (number, width, order)));
    }
    let quick = |&(view, width, order): &(usize, usize, usize)| {
        let View { catalog, orders, widths, .. } = &views[view];
        Skyline::new(catalog, widths[width]).fill(&orders[order])
    };
    let filled: Vec<StripFill> = parallel::map_slice(&tries, quick);
    // The best order of each width, and the widths with the smallest pages.
    let mut starts: Vec<(u64, usize)> = Vec::new();
    for of_width in tries.chunk_by(|a, b| (a.0, a.1) == (b.0, b.1)) {
        let from = starts.len() * ORDERS.len();
        let best =
            (from..from + of_width.len()).min_by_key(|&at| (page(&filled[at], tries[at].0).area(), at));
        starts.extend(best.map(|at| (page(&filled[at], tries[at].0).area(), at)));
    }
    starts.sort_unstable();
    starts.truncate((SEARCHED_PIECES / wanted.len().max(1)).clamp(SEARCHED, SEARCHED_OF_FEW));
    let steps = (effort::steps(wanted.len(), effort, starts.len().max(1) * 2) as f64 * share) as usize;
    let slack = effort::slack(effort);
    let is_enough =
        starts.first().is_some_and(|&(page, _)| page as f64 <= pieces.area(wanted) as f64 * (1.0 + slack));
    let searches: Vec<(usize, u64)> = match steps {
        _ if is_enough => Vec::new(),
        0 => Vec::new(),
        _ => starts.iter().flat_map(|&(_, at)| [1u64, 2].map(|seed| (at, seed))).collect(),
    };
    let search = |&(at, seed): &(usize, u64)| {
        let (view, width, order) = tries[at];
        let View { catalog, orders, widths, .. } = &views[view];
        anneal::anneal_strip(
            &orders[order],
            Skyline::new(catalog, widths[width]),
            steps,
            seed,
            StopRule::Empty(slack),
        )
    };
    let found: Vec<StripFill> = parallel::map_slice(&searches, search);
    let view_of = tries.iter().map(|&(view, ..)| view);
    let view_of = view_of.chain(searches.iter().map(|&(at, _)| tries[at].0));
    let all = filled.into_iter().chain(found).zip(view_of);
    let outcomes = all.map(|(filled, view)| {
        let is_sideways = views[view].is_sideways;
        (filled.outcome.undo_transpose(is_sideways), is_sideways)
    });
    let room = fitting.room();
    let fits = |outcome: &PageFill| outcome.left.is_empty() && outcome.used.fits_in(room);
    let weighed = |&(ref outcome, is_sideways): &(PageFill, bool)| {
        let (area, longest) = key(fitting, outcome);
        (
            area * if is_sideways && effort != Effort::High { COLUMN_FILL_WEIGHT } else { ROW_FILL_WEIGHT },
            longest,
        )
    };
    outcomes.filter(|(outcome, _)| fits(outcome)).min_by_key(weighed).map(|(outcome, _)| outcome)
}

/// Widths from somewhat upright to somewhat lying pages, as far as they are allowed; of square pages only those near
/// the square.
fn widths(pieces: Items<'_>, wanted: &[usize], fitting: &PageSizer, count: u32) -> Vec<u32> {
    let (widest, side) = (pieces.widest(wanted), (pieces.area(wanted) as f64).sqrt());
    let (from, times) = if fitting.is_square() { (1.0, 1.15) } else { (0.7, 2.0) };
    let mut widths: Vec<u32> = (0..count)
        .map(|at| side * from * libm::pow(times, f64::from(at) / f64::from((count - 1).max(1))))
        .map(|width| fitting.width_with_rounding((width.ceil() as u32).max(widest)))
        .collect();
    widths.push(fitting.room().width);
    widths.sort_unstable();
    widths.dedup();
    widths
}

fn best(pieces: Items<'_>, wanted: &[usize], fitting: &PageSizer, runs: &[Run]) -> Option<PageFill> {
    let go = |run: &Run| maxrects::run(pieces, &sorted(pieces, wanted, run.order), run.room, run.score);
    let outcomes = parallel::map_slice(runs, go).into_iter().enumerate();
    let whole = outcomes.filter(|(_, outcome)| outcome.left.is_empty());
    whole.min_by_key(|(number, outcome)| (key(fitting, outcome), *number)).map(|(_, outcome)| outcome)
}

/// Widths from half to twice a square's side, as far as they are allowed, with all the room below.
fn runs_over_widths(pieces: Items<'_>, wanted: &[usize], fitting: &PageSizer, share: f64) -> Vec<Run> {
    let (widest, side) = (pieces.widest(wanted), (pieces.area(wanted) as f64).sqrt());
    let budget = runs(wanted.len(), share);
    let orders = match budget {
        60.. => &ORDERS[..],
        1.. => &ORDERS[..1],
        // Of thousands a run takes as long as all the rest: niches are enough.
        _ => return Vec::new(),
    };
    let count = (budget / 2 / orders.len()).clamp(2, 60);
    let spread = |at: usize| side * 0.5 * libm::pow(4.0, at as f64 / (count - 1) as f64);
    let allowed = |width: f64| fitting.width_with_rounding((width as u32).max(widest));
    let mut widths: Vec<u32> = (0..count).map(|at| allowed(spread(at))).collect();
    widths.push(fitting.room().width);
    widths.sort_unstable();
    widths.dedup();
    let height = fitting.room().height;
    let run = |width: u32, order: Order| Run { room: Size::new(width, height), order, score: Score::TopLeft };
    widths.iter().flat_map(|&width| orders.iter().map(move |&order| run(width, order))).collect()
}

/// How many runs so many pieces are given.
fn runs(pieces: usize, share: f64) -> usize {
    let whole = (RUNS_TIMES_SQUARE / pieces.pow(2)).min(MOST_RUNS);
    ((whole as f64 * share) as usize).max(whole.min(FEWEST_RUNS))
}

/// Rooms a little smaller than `used`, in both directions.
fn shrunken_runs(pieces: usize, fitting: &PageSizer, used: Size, share: f64) -> Vec<Run> {
    let budget = runs(pieces, share) / 2;
    let tries = (budget / (ORDERS.len() * maxrects::SCORES.len())).clamp(1, 12) as u32;
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
                runs.extend(maxrects::SCORES.map(|score| Run { room: size, order, score }));
            }
        }
    }
    runs.truncate(budget);
    runs
}
