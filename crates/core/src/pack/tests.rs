//! Every layout with every spacing, on sets made by chance: nothing overlaps, gutter, margin and bleed
//! are exact, and each frame is on its page pixel for pixel.

use image::{Rgba, RgbaImage};
use proptest::prelude::*;

use super::*;
use crate::set::tests::{rows, with_clips};
use crate::{Frame, Pixels};

/// A frame of one colour that depends on its number, so that neighbours differ.
fn frame(at: usize, size: (u32, u32)) -> Frame {
    let shade = Rgba([(at * 37 % 251) as u8, (at * 91 % 241) as u8, at as u8, 200]);
    let pixels = RgbaImage::from_fn(size.0, size.1, |x, y| {
        let Rgba([r, g, b, a]) = shade;
        Rgba([r ^ x as u8, g ^ y as u8, b, a])
    });
    Frame::new(Name::new("s").unwrap(), Name::new(at.to_string()).unwrap(), Pixels::whole(pixels)).unwrap()
}

fn set_of(sizes: &[(u32, u32)]) -> FrameSet {
    FrameSet::new(sizes.iter().enumerate().map(|(at, &size)| frame(at, size)).collect(), Vec::new()).unwrap()
}

fn options(layout: Layout) -> Options {
    let pages = PageRules { max: Size::new(4096, 4096), fixed: None, round: Round::None };
    Options { layout, pages, margin: 0, gutter: 0, bleed: 0, share: true, effort: Effort::Low }
}

/// Reads an atlas as a stranger would: from places, page sizes and painted pages only.
fn check(atlas: &Atlas, options: &Options) {
    let pages: Vec<RgbaImage> = (0..atlas.pages().len()).map(|page| paint(atlas, page)).collect();
    for (page, size) in pages.iter().zip(atlas.pages()) {
        assert_eq!(Size::from(page.dimensions()), *size);
        assert!(size.fits_in(options.pages.largest()), "page {size}");
    }
    for (place, frame) in atlas.places().iter().zip(atlas.set().frames()) {
        if place.rect.is_empty() {
            assert!(frame.is_blank());
            continue;
        }
        let page = Pixels::whole(pages[place.page].clone());
        assert!(page.part(place.rect).unwrap().looks_like(frame.pixels()));
        let with_bleed = place.rect.grown_in(options.bleed, page.size());
        let inner = Rect::of(page.size());
        let room = Rect::new(
            options.margin,
            options.margin,
            inner.width.saturating_sub(2 * options.margin),
            inner.height.saturating_sub(2 * options.margin),
        );
        assert!(with_bleed.lies_in(room), "{with_bleed} in {room}");
        check_bleed(&pages[place.page], place.rect, options.bleed);
    }
    for page in 0..pages.len() {
        let rects = atlas.rects_on(page);
        for (at, rect) in rects.iter().enumerate() {
            let spaced = rect.grown_in(2 * options.bleed + options.gutter, atlas.pages()[page]);
            assert!(rects[..at].iter().all(|other| !spaced.overlaps(*other)), "too near at {rect}");
        }
    }
}

/// Every pixel round a frame repeats the nearest pixel of its border.
fn check_bleed(page: &RgbaImage, rect: Rect, bleed: u32) {
    for y in rect.y - bleed..rect.y + rect.height + bleed {
        for x in rect.x - bleed..rect.x + rect.width + bleed {
            let near = |at: u32, start: u32, length: u32| at.clamp(start, start + length - 1);
            let wanted = page.get_pixel(near(x, rect.x, rect.width), near(y, rect.y, rect.height));
            assert_eq!(page.get_pixel(x, y), wanted);
        }
    }
}

fn any_round() -> impl Strategy<Value = Round> {
    prop_oneof![Just(Round::None), Just(Round::Pow2), (1u32..9).prop_map(Round::Multiple)]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn every_layout_keeps_its_promises(
        sizes in prop::collection::vec((1u32..24, 1u32..24), 1..40),
        margin in 0u32..4, gutter in 0u32..4, bleed in 0u32..3, round in any_round(), columns in 1u32..4,
    ) {
        let auto = Layout::Grid { columns: None };
        for layout in [Layout::Dense, auto, Layout::Grid { columns: Some(columns) }, Layout::ClipRows { order: None }] {
            let set = with_clips(set_of(&sizes), &["all = 0", "back = 0,0"]);
            let pages = PageRules { max: Size::new(160, 160), fixed: None, round };
            let options = Options { layout, pages, margin, gutter, bleed, share: true, effort: Effort::Low };
            let atlas = pack(set, &options).unwrap();
            check(&atlas, &options);
        }
    }
}

#[test]
fn equal_pieces_fill_a_page_without_a_gap() {
    let atlas = pack(set_of(&[(16, 16); 16]), &options(Layout::Dense)).unwrap();
    // All sizes are equal but no two pictures are, so nothing is shared.
    assert_eq!(atlas.pages(), [Size::new(64, 64)]);
    assert_eq!(atlas.fill(0), 1.0);
}

#[test]
fn a_fixed_page_and_a_power_of_two_are_used_to_the_last_pixel() {
    for (fixed, round) in [(Some(Size::new(64, 64)), Round::None), (None, Round::Pow2)] {
        let pages = PageRules { max: Size::new(64, 64), fixed, round };
        let options = Options { pages, ..options(Layout::Dense) };
        let atlas = pack(set_of(&[(32, 32); 8]), &options).unwrap();
        assert_eq!(atlas.pages(), [Size::new(64, 64); 2]);
        check(&atlas, &options);
    }
}

#[test]
fn the_last_page_is_as_small_as_its_frames() {
    let pages = PageRules { max: Size::new(32, 32), fixed: None, round: Round::None };
    let options = Options { pages, ..options(Layout::Dense) };
    let atlas = pack(set_of(&[(32, 32), (32, 32), (7, 5)]), &options).unwrap();
    assert_eq!(atlas.pages(), [Size::new(32, 32), Size::new(32, 32), Size::new(7, 5)]);
}

#[test]
fn identical_frames_share_a_place_only_where_place_is_not_index() {
    let twins =
        || FrameSet::new(vec![frame(0, (4, 4)), frame(0, (4, 4)).with_name(Name::new("b").unwrap())], vec![]);
    let places = |layout, share| {
        let options = Options { share, ..options(layout) };
        pack(twins().unwrap(), &options).unwrap().rects_on(0).len()
    };
    assert_eq!(places(Layout::Dense, true), 1);
    assert_eq!(places(Layout::Dense, false), 2);
    assert_eq!(places(Layout::Strip, true), 2);
}

#[test]
fn in_a_grid_place_is_index_and_blank_frames_keep_theirs() {
    let set = rows("frog", &[3, 2]);
    let blank = Frame::new(
        Name::new("frog").unwrap(),
        Name::new("blank").unwrap(),
        Pixels::whole(RgbaImage::new(4, 4)),
    );
    let mut frames = set.frames().to_vec();
    frames.insert(1, blank.unwrap());
    let options = Options { margin: 1, gutter: 2, ..options(Layout::Grid { columns: Some(3) }) };
    let atlas = pack(FrameSet::new(frames, vec![]).unwrap(), &options).unwrap();
    let corners: Vec<_> = atlas.places().iter().map(|place| (place.rect.x, place.rect.y)).collect();
    assert_eq!(corners, [(1, 1), (7, 1), (13, 1), (1, 7), (7, 7), (13, 7)]);
    assert_eq!(atlas.pages(), [Size::new(18, 12)]);
}

#[test]
fn what_is_too_large_is_named_with_its_size() {
    let pages = PageRules { max: Size::new(20, 20), fixed: None, round: Round::None };
    let small = |layout| Options { pages, margin: 1, bleed: 1, ..options(layout) };
    let error = pack(set_of(&[(4, 4), (17, 3)]), &small(Layout::Dense)).unwrap_err();
    let wanted =
        "frame '1' of 17x3 px does not fit on a page of 20x20 px with a margin of 1 px and a bleed of 1 px";
    assert_eq!(error.to_string(), wanted);
    let error = pack(set_of(&[(8, 8); 3]), &small(Layout::Strip)).unwrap_err();
    assert_eq!(error.to_string(), "the strip needs 3 columns of 10x10 px, but a page of 20x20 px holds 1");
    assert_eq!(pack(FrameSet::default(), &small(Layout::Dense)).unwrap_err(), PackError::NoFrames);
}
