//! Several pages: as few as can be, each as full as can be, the last as small as can be.

use crate::pack::Effort;
use crate::pack::arrange::item_index::ItemIndex;
use crate::pack::arrange::order::{ORDERS, sorted};
use crate::pack::arrange::skyline::Skyline;
use crate::pack::arrange::{Items, PageFill, anneal, effort, fixed, min_page};
use crate::pack::page::PageSizer;
use crate::parallel;

/// Pages for all of `wanted`, each of which fits an empty page.
pub(super) fn pages(
    pieces: Items<'_>,
    wanted: &[usize],
    fitting: &PageSizer,
    effort: Effort,
) -> Vec<PageFill> {
    let filled = one_after_another(pieces, wanted, fitting, effort);
    let least = pieces.area(wanted).div_ceil(fitting.room().area()) as usize;
    let searched = (filled.len() > least).then(|| search(pieces, wanted, fitting, effort, filled.len()));
    let searched = searched.flatten();
    let key = |pages: &Vec<PageFill>| {
        (pages.len(), pages.iter().map(|page| fitting.page_for(page.used).area()).sum::<u64>())
    };
    [Some(filled), searched].into_iter().flatten().min_by_key(key).unwrap_or_default()
}

/// Each page takes as much of what is left as it can.
fn one_after_another(
    pieces: Items<'_>,
    wanted: &[usize],
    fitting: &PageSizer,
    effort: Effort,
) -> Vec<PageFill> {
    let mut left = wanted.to_vec();
    let mut pages = Vec::new();
    while !left.is_empty() {
        // Whether the rest is one page is asked for each page, so at length only once it is.
        let quick = if effort == Effort::High { Effort::Medium } else { effort };
        if !pages.is_empty()
            && let Some(last) = min_page::smallest_page(pieces, &left, fitting, quick)
        {
            let searched = (effort != quick).then(|| min_page::smallest_page(pieces, &left, fitting, effort));
            pages.push(searched.flatten().unwrap_or(last));
            break;
        }
        // The search is shared by the pages that are still to come.
        let room = fitting.room();
        let more = pieces.area(&left).div_ceil(room.area().max(1)).max(1);
        let outcome = fixed::fullest(pieces, &left, room, effort, more);
        assert!(!outcome.placed.is_empty(), "every piece fits on an empty page");
        left.clone_from(&outcome.left);
        pages.push(outcome);
    }
    pages
}

/// Orders of all pieces over all of so many pages at once: the obstacle to one page less is seldom on one page alone.
fn search(
    pieces: Items<'_>,
    wanted: &[usize],
    fitting: &PageSizer,
    effort: Effort,
    pages: usize,
) -> Option<Vec<PageFill>> {
    // Each try looks at what is left once for every page.
    let steps = effort::steps(wanted.len(), effort, ORDERS.len() * pages);
    if steps == 0 {
        return None;
    }
    let room = fitting.room();
    let least = pieces.area(wanted).div_ceil(room.area()) as usize;
    let enough = (least - 1) as f64 * room.area() as f64;
    let heat = room.area() as f64 * 0.004;
    let catalog = ItemIndex::new(pieces);
    let go = |(seed, order): (usize, &crate::pack::arrange::order::Order)| {
        let start = sorted(pieces, wanted, *order);
        anneal::anneal(pieces, &start, steps, seed as u64 + 1, (heat, enough), |order, _| {
            let pages = filled(&catalog, order, fitting);
            let last = pages.last().map_or(0, |page| pieces.area_of(page));
            Some(((pages.len() - 1) as f64 * room.area() as f64 + last as f64, pages))
        })
    };
    let found: Vec<(f64, Vec<PageFill>)> = parallel::map(ORDERS.len(), |at| go((at, &ORDERS[at])));
    let best = found.into_iter().enumerate().min_by(|(a, x), (b, y)| x.0.total_cmp(&y.0).then(a.cmp(b)));
    let mut pages = best?.1.1;
    let last = pages.pop()?;
    let rest: Vec<usize> = last.placed.iter().map(|(piece, _)| *piece).collect();
    pages.push(min_page::smallest_page(pieces, &rest, fitting, effort).unwrap_or(last));
    Some(pages)
}

fn filled(catalog: &ItemIndex<'_>, order: &[usize], fitting: &PageSizer) -> Vec<PageFill> {
    let mut strip = Skyline::of(catalog, fitting.room());
    let mut left = order.to_vec();
    let mut pages = Vec::new();
    while !left.is_empty() {
        let outcome = strip.fill(&left).outcome;
        assert!(!outcome.placed.is_empty(), "every piece fits on an empty page");
        left.clone_from(&outcome.left);
        pages.push(outcome);
    }
    pages
}
