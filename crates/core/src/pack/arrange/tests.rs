//! What the doors promise: few pages, small pages, the same on any number of threads, and bounds that hold.

use proptest::prelude::*;

use super::*;
use crate::pack::page::{PageRules, Rounding};
use crate::pack::{PackSettings, PagePer};

fn fitting(pages: PageRules) -> PageSizer {
    let options = PackSettings { margin: 0, gutter: 0, per: PagePer::Atlas, ..PackSettings::dense() };
    pages.fitting(&options)
}

fn rules(side: u32) -> PageRules {
    PageRules { max: Size::new(side, side), fixed: None, round: Rounding::None, square: false }
}

fn pieces(sizes: &[Size]) -> Items<'_> {
    Items { sizes, may_rotate: false }
}

fn area(pages: &[Size]) -> u64 {
    pages.iter().map(|page| page.area()).sum()
}

/// Rectangles of a square cut in halves by turns, with nothing left over.
fn halves(side: u32, cuts: usize) -> Vec<Size> {
    let mut sizes = vec![Size::new(side, side)];
    for cut in 0..cuts {
        sizes.sort_by_key(|size| size.area());
        let Size { width, height } = sizes.pop().unwrap();
        let share = |length: u32| (length * (3 + cut as u32 % 5) / 10).max(1);
        sizes.extend(match width >= height {
            true => [Size::new(share(width), height), Size::new(width - share(width), height)],
            false => [Size::new(width, share(height)), Size::new(width, height - share(height))],
        });
    }
    sizes
}

#[test]
fn what_fits_the_next_smaller_power_of_two_is_put_there() {
    // They fill a square of 128 without a gap: with any waste the page would be twice as large.
    let sizes = halves(128, 14);
    let pow2 = PageRules { round: Rounding::Pow2, ..rules(4096) };
    let arranged = arrange(pieces(&sizes), &fitting(pow2), Effort::Medium);
    assert_eq!(arranged.pages, [Size::new(128, 128)]);
}

#[test]
fn two_full_pages_are_two_pages() {
    let sizes = [halves(96, 9), halves(96, 9)].concat();
    let arranged = arrange(pieces(&sizes), &fitting(rules(96)), Effort::Medium);
    assert!(arranged.pages.len() <= 3, "{:?}", arranged.pages);
    let fixed = PageRules { fixed: Some(Size::new(96, 96)), ..rules(96) };
    let squares = vec![Size::new(24, 24); 32];
    let arranged = arrange(pieces(&squares), &fitting(fixed), Effort::Low);
    assert_eq!(arranged.pages, [Size::new(96, 96); 2]);
}

#[test]
fn turning_lets_what_is_too_long_lie_down() {
    let sizes = [Size::new(90, 10), Size::new(10, 90), Size::new(80, 10)];
    let upright = PageRules { max: Size::new(30, 100), ..rules(100) };
    let turning = Items { sizes: &sizes, may_rotate: true };
    let arranged = arrange(turning, &fitting(upright), Effort::Medium);
    assert_eq!(arranged.pages, [Size::new(30, 90)]);
    assert_eq!(arranged.spots.iter().map(|spot| spot.rotated).collect::<Vec<_>>(), [true, false, true]);
}

#[test]
fn square_pages_are_square_and_hardly_larger() {
    let sizes = halves(100, 20);
    let square = PageRules { square: true, ..rules(4096) };
    let page = arrange(pieces(&sizes), &fitting(square), Effort::Medium).pages[0];
    assert!(page.is_square() && page.width <= 106, "{page}");
}

#[test]
fn the_number_of_threads_does_not_show() {
    let sizes = halves(300, 60);
    let on = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| arrange(pieces(&sizes), &fitting(rules(4096)), Effort::Medium))
    };
    let (one, many) = (on(1), on(7));
    assert_eq!((one.spots, one.pages), (many.spots, many.pages));
}

#[test]
fn more_effort_is_never_a_larger_page() {
    for count in [5, 17, 40] {
        let sizes = halves(200, count);
        let page = |effort| area(&arrange(pieces(&sizes), &fitting(rules(4096)), effort).pages);
        let (low, medium) = (page(Effort::Low), page(Effort::Medium));
        assert!(medium <= low, "{count}: {medium} of {low}");
        assert!(medium >= 40_000);
    }
}

#[test]
fn a_page_is_never_larger_than_what_one_plain_run_finds() {
    // Beyond 1,200 pieces no such run is among the tries.
    for (side, cuts) in [(200, 40), (600, 399), (1_400, 1_499)] {
        let sizes = halves(side, cuts);
        let all: Vec<usize> = (0..sizes.len()).collect();
        let order = order::sorted(pieces(&sizes), &all, order::Order::Height);
        let room = Size::new(side + side / 20, 8 * side);
        let plain = maxrects::run(pieces(&sizes), &order, room, maxrects::Score::TopLeft).used.area();
        let found = area(&arrange(pieces(&sizes), &fitting(rules(8 * side)), Effort::Low).pages);
        assert!(found <= plain, "{} pieces: {found} px, a plain run {plain} px", sizes.len());
    }
}

#[test]
fn the_bound_counts_what_can_not_lie_side_by_side() {
    // Three of 60 on a page of at most 100: above one another, whatever their area.
    let sizes = [Size::new(60, 10); 3];
    let (area, pages) = lower_bound(pieces(&sizes), &fitting(rules(100)));
    assert_eq!((area, pages), (60 * 30, 1));
    let (area, pages) = lower_bound(pieces(&[Size::new(50, 50); 9]), &fitting(rules(100)));
    assert_eq!((area, pages), (9 * 2500, 3));
    let pow2 = PageRules { round: Rounding::Pow2, ..rules(256) };
    assert_eq!(lower_bound(pieces(&[Size::new(65, 3)]), &fitting(pow2)), (128 * 4, 1));
}

#[test]
fn beside_what_lies_there_nothing_is_touched() {
    let sizes = [Size::new(4, 4), Size::new(3, 2)];
    let (page, taken) = (Size::new(10, 10), vec![Rect::new(0, 0, 10, 5), Rect::new(0, 5, 3, 5)]);
    let gaps = Gaps::around(vec![taken.clone()], Size::new(20, 20));
    let spots: Vec<ItemPosition> = gaps.fill(pieces(&sizes), &[page]).into_iter().flatten().collect();
    assert_eq!(spots.len(), 2);
    let rects: Vec<Rect> =
        spots.iter().zip(sizes).map(|(spot, size)| Rect::at(spot.x, spot.y, size)).collect();
    for rect in &rects {
        assert!(rect.lies_in(Rect::new(0, 0, 10, 10)));
        assert!(taken.iter().all(|other| !other.overlaps(*rect)));
    }
    assert!(!rects[0].overlaps(rects[1]) || spots[0].page != spots[1].page);
    let wide = [Size::new(8, 6)];
    assert_eq!(gaps.fill(pieces(&wide), &[page]), [None]);
    assert!(gaps.fill(pieces(&wide), &[Size::new(11, 11)])[0].is_some_and(|spot| spot.x == 3));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn no_arrangement_beats_its_bound(
        sizes in prop::collection::vec((1u32..40, 1u32..40), 1..25), side in 40u32..120,
        may_rotate in any::<bool>(), square in any::<bool>(), unit in 1u32..20,
    ) {
        let sizes: Vec<Size> = sizes.into_iter().map(Size::from).collect();
        let pieces = Items { sizes: &sizes, may_rotate };
        let pages = PageRules { square, round: Rounding::Multiple(unit), ..rules(side) };
        let fitting = fitting(pages);
        prop_assume!(sizes.iter().all(|size| size.fits_in(fitting.room())));
        let arranged = arrange(pieces, &fitting, Effort::Low);
        let (least_area, least_pages) = lower_bound(pieces, &fitting);
        prop_assert!(least_pages <= arranged.pages.len());
        // Two pages can be smaller than one that holds all.
        if arranged.pages.len() == least_pages {
            prop_assert!(least_area <= area(&arranged.pages), "{least_area} of {:?}", arranged.pages);
        }
    }
}
