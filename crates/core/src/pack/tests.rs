//! Every layout with every spacing, on sets made by chance: nothing overlaps, gutter, margin and bleed
//! are exact, and each frame is on its page pixel for pixel.

use image::{Rgba, RgbaImage};
use proptest::prelude::*;

use super::*;
use crate::pixels::tests::any_pixels;
use crate::set::tests::{rows, with_clips};
use crate::shape::{Resample, Trim, TrimScope, restore, scale, trim};
use crate::{CompanionSpec, Frame, Pixels, UVec2};

/// A frame of one color that depends on its number, so that neighbors differ.
fn frame(at: usize, size: (u32, u32)) -> Frame {
    let shade = Rgba([(at * 37 % 251) as u8, (at * 91 % 241) as u8, at as u8, 200]);
    let pixels = RgbaImage::from_fn(size.0, size.1, |x, y| {
        let Rgba([r, g, b, a]) = shade;
        Rgba([r ^ x as u8, g ^ y as u8, b, a])
    });
    Frame::new(Name::new("s").unwrap(), Name::new(at.to_string()).unwrap(), Pixels::from_image(pixels))
        .unwrap()
}

fn set_of(sizes: &[(u32, u32)]) -> FrameSet {
    FrameSet::new(sizes.iter().enumerate().map(|(at, &size)| frame(at, size)).collect(), Vec::new()).unwrap()
}

fn options(layout: Layout) -> PackSettings {
    PackSettings { layout, margin: 0, gutter: 0, ..PackSettings::dense() }
}

/// A dense page by quick packers only.
fn low() -> DenseOptions {
    DenseOptions { effort: Effort::Low, ..DenseOptions::default() }
}

fn sizes(atlas: &Atlas) -> Vec<Size> {
    atlas.pages().iter().map(|page| page.size).collect()
}

/// Reads an atlas as a stranger would: from places, page sizes and painted pages only.
fn check(atlas: &Atlas, options: &PackSettings) {
    let pages: Vec<RgbaImage> =
        (0..atlas.pages().len()).map(|page| paint(atlas, page, None, ColorFinish::default())).collect();
    for (page, size) in pages.iter().zip(atlas.pages()) {
        assert_eq!(Size::from(page.dimensions()), size.size);
        assert!(options.pages.allows(size.size), "page {}", size.size);
    }
    for (place, frame) in atlas.placements().iter().zip(atlas.set().frames()) {
        if place.rect.is_empty() {
            assert!(frame.is_blank());
            continue;
        }
        let page = Pixels::from_image(pages[place.page].clone());
        let there = page.crop(place.rect).unwrap();
        let upright = if place.rotated {
            Pixels::from_image(image::imageops::rotate270(&there.to_image()))
        } else {
            there
        };
        assert!(upright.is_same_image(frame.pixels()));
        assert!(options.may_rotate() || !place.rotated);
        let with_bleed = place.rect.inflate_within(options.bleed, page.size());
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
            let spaced = rect.inflate_within(2 * options.bleed + options.gutter, atlas.pages()[page].size);
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

fn any_round() -> impl Strategy<Value = Rounding> {
    prop_oneof![Just(Rounding::None), Just(Rounding::Pow2), (1u32..9).prop_map(Rounding::Multiple)]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn every_layout_keeps_its_promises(
        sizes in prop::collection::vec((1u32..24, 1u32..24), 1..40),
        (margin, gutter, bleed) in (0u32..4, 0u32..4, 0u32..3), round in any_round(), square in any::<bool>(),
        per in prop_oneof![Just(PagePer::Atlas), Just(PagePer::Sprite), Just(PagePer::Clip)],
        columns in 1u32..4, may_rotate in any::<bool>(), step in 1u32..6,
    ) {
        let auto = Layout::Grid { columns: None };
        let dense = Layout::Dense(DenseOptions { may_rotate, ..low() });
        for layout in [dense, auto, Layout::Grid { columns: Some(columns) }, Layout::ClipRows { order: None }] {
            let set = with_clips(set_of(&sizes), &["all = 0", "back = 0,0"]);
            let pages = PageRules { max: Size::new(180, 180), round, square, ..PackSettings::dense().pages };
            let options = PackSettings { pages, margin, gutter, bleed, per, step, ..options(layout) };
            let atlas = pack(set, &options).unwrap();
            check(&atlas, &options);
            for page in (0..atlas.pages().len()).filter(|_| step > 1) {
                let blocks = |rect: Rect| {
                    let (left, top) = (rect.x - bleed, rect.y - bleed);
                    assert_eq!((left % step, top % step), (0, 0), "{rect}");
                    let count = |length: u32| (length + 2 * bleed).div_ceil(step);
                    Rect::new(left / step, top / step, count(rect.width), count(rect.height))
                };
                let rects: Vec<Rect> = atlas.rects_on(page).into_iter().map(blocks).collect();
                for (at, one) in rects.iter().enumerate() {
                    prop_assert!(rects[..at].iter().all(|other| !other.overlaps(*one)), "shared blocks at {one}");
                }
            }
            prop_assert!(per != PagePer::Atlas || atlas.pages().iter().all(|page| page.label.is_none()));
            let area: u64 = atlas.pages().iter().map(|page| page.size.area()).sum();
            prop_assert!(atlas.lower_bound().area <= area, "{:?} of {area}", atlas.lower_bound());
            prop_assert!(atlas.lower_bound().pages <= atlas.pages().len());
        }
    }

    #[test]
    fn kept_places_stay_and_nothing_overlaps(
        sizes in prop::collection::vec((1u32..24, 1u32..24), 2..30), changed in 0usize..30, bleed in 0u32..3,
    ) {
        let before =
            PackSettings { bleed, gutter: 1, margin: 1, ..options(Layout::Dense(DenseOptions { may_rotate: true, ..low() })) };
        let old = pack(set_of(&sizes), &before).unwrap();
        let mut next = sizes.clone();
        let changed = changed % sizes.len();
        next[changed] = (3, 2);
        let keep = Some(places_of(&old));
        let after = PackSettings { layout: Layout::Dense(DenseOptions { may_rotate: true, keep, ..low() }), ..before };
        let new = pack(set_of(&next), &after).unwrap();
        check(&new, &after);
        if let Some(ReuseOutcome::Kept { stayed, placed, moved: 0, .. }) = new.keeping() {
            let same = (0..sizes.len()).filter(|&at| at != changed && old.placements()[at] == new.placements()[at]).count();
            prop_assert!(same + 1 >= sizes.len() && stayed + placed <= sizes.len());
        }
    }
}

proptest! {
    // A search takes a moment each.
    #![proptest_config(ProptestConfig::with_cases(8))]

    #[test]
    fn searches_keep_their_promises_too(
        sizes in prop::collection::vec((1u32..24, 1u32..24), 1..14), side in 40u32..90,
        may_rotate in any::<bool>(), square in any::<bool>(), round in any_round(), is_fixed in any::<bool>(),
    ) {
        let max = Size::new(side, side);
        let pages = PageRules { max, fixed: is_fixed.then_some(max), round, square };
        let with = |effort| {
            let dense = Layout::Dense(DenseOptions { may_rotate, effort, ..DenseOptions::default() });
            PackSettings { pages, gutter: 1, ..options(dense) }
        };
        let (options, low) = (with(Effort::Medium), with(Effort::Low));
        // Rounding down may leave less than the largest piece.
        prop_assume!(options.pages.largest().width >= 24);
        let atlas = pack(set_of(&sizes), &options).unwrap();
        check(&atlas, &options);
        let key = |atlas: &Atlas| (atlas.pages().len(), atlas.pages()[0].size.area());
        let quick = pack(set_of(&sizes), &low).unwrap();
        prop_assert!(quick.pages().len() > 1 || key(&atlas) <= key(&quick));
        prop_assert!(atlas.pages().len() <= quick.pages().len());
    }
}

fn places_of(atlas: &Atlas) -> PreviousPlacements {
    let names = atlas.set().frames().iter().map(|frame| (frame.sprite().clone(), frame.name().clone()));
    PreviousPlacements {
        pages: sizes(atlas),
        places: names.zip(atlas.placements().iter().copied()).collect(),
    }
}

/// Settings that keep the places of an atlas.
fn keeping(old: &Atlas, settings: &PackSettings, most_waste: Option<f64>) -> PackSettings {
    let layout = Layout::Dense(DenseOptions { keep: Some(places_of(old)), most_waste, ..low() });
    PackSettings { layout, ..settings.clone() }
}

fn stayed_and_placed(atlas: &Atlas) -> (usize, usize) {
    match atlas.keeping() {
        Some(ReuseOutcome::Kept { stayed, placed, moved: 0, .. }) => (*stayed, *placed),
        other => panic!("{other:?}"),
    }
}

#[test]
fn a_small_change_leaves_all_else_where_it_was() {
    let old = pack(set_of(&[(9, 5), (7, 7), (3, 12)]), &PackSettings::dense()).unwrap();
    let options = keeping(&old, &PackSettings::dense(), None);
    // A smaller frame, one that is longer than the page, and one that is larger than it on both sides.
    for size in [(6, 7), (6, 70), (60, 70)] {
        let new = pack(set_of(&[(9, 5), size, (3, 12)]), &options).unwrap();
        assert_eq!(stayed_and_placed(&new), (2, 1), "{size:?}");
        assert_eq!([new.placements()[0], new.placements()[2]], [old.placements()[0], old.placements()[2]]);
        check(&new, &options);
    }
    let error = pack(rows("heron", &[2]), &options).unwrap_err();
    assert_eq!(error, PackError::NothingToKeep);
    // With other spaces nothing can stay.
    let wider = PackSettings { margin: 3, ..options };
    let new = pack(set_of(&[(9, 5), (7, 7), (3, 12)]), &wider).unwrap();
    assert!(matches!(new.keeping(), Some(ReuseOutcome::Anew(_))));
}

#[test]
fn what_has_no_room_on_full_pages_gets_a_new_one() {
    let size = Size::new(64, 64);
    let fixed = |max: Size, fixed| PackSettings {
        pages: PageRules { max, fixed, round: Rounding::None, square: false },
        ..PackSettings::dense()
    };
    for settings in [fixed(size, Some(size)), fixed(size, None)] {
        let mut frames = vec![(14, 14); 16];
        let old = pack(set_of(&frames), &settings).unwrap();
        frames[5] = (15, 15);
        frames.push((30, 30));
        let options = keeping(&old, &settings, None);
        let new = pack(set_of(&frames), &options).unwrap();
        assert_eq!(stayed_and_placed(&new), (15, 2));
        assert_eq!(new.pages().len(), 2);
        let same = |at: usize| at == 5 || old.placements()[at] == new.placements()[at];
        assert!((0..16).all(same));
        check(&new, &options);
    }
}

#[test]
fn over_many_edits_nothing_moves_and_pages_keep_their_shape() {
    let mut seed = 7u32;
    let mut dice = |most: u32| {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (seed >> 16) % most
    };
    for round in [Rounding::None, Rounding::Multiple(32), Rounding::Pow2] {
        let pages = PageRules { max: Size::new(512, 512), fixed: None, round, square: false };
        let settings = PackSettings { pages, ..PackSettings::dense() };
        let mut frames: Vec<(u32, u32)> = (0..30).map(|_| (8 + dice(30), 8 + dice(30))).collect();
        let mut old =
            pack(set_of(&frames), &PackSettings { layout: Layout::Dense(low()), ..settings.clone() })
                .unwrap();
        for _ in 0..25 {
            let edited = dice(frames.len() as u32) as usize;
            frames[edited] = (8 + dice(30), 8 + dice(30));
            (0..dice(6)).for_each(|_| frames.push((8 + dice(30), 8 + dice(30))));
            let options = keeping(&old, &settings, None);
            let new = pack(set_of(&frames), &options).unwrap();
            let moved = (0..old.placements().len())
                .filter(|&at| at != edited && old.placements()[at] != new.placements()[at]);
            assert_eq!(moved.count(), 0);
            check(&new, &options);
            let page = new.pages()[0].size;
            assert!(page.width.max(page.height) <= 2 * page.width.min(page.height), "{round:?} {page}");
            old = new;
        }
        let waste = |atlas: &Atlas| match atlas.keeping() {
            Some(ReuseOutcome::Kept { wasted, .. }) => *wasted,
            other => panic!("{other:?}"),
        };
        assert!(waste(&old) < 0.5, "{round:?} {}", waste(&old));
        if waste(&old) > 0.02 {
            let again = pack(set_of(&frames), &keeping(&old, &settings, Some(0.02))).unwrap();
            assert!(matches!(again.keeping(), Some(ReuseOutcome::Repacked(_))), "{:?}", again.keeping());
        }
    }
}

#[test]
fn companions_lie_like_their_frames_and_forbid_sharing_where_they_differ() {
    let lit = |frame: Frame, shade: u8| {
        let glow = Pixels::from_image(RgbaImage::from_pixel(4, 4, Rgba([shade, 0, 0, 255])));
        let glow = Frame::new(frame.sprite().clone(), frame.name().clone(), glow).unwrap();
        frame.with_companion(CompanionSpec::of_suffix("_e"), &glow).unwrap()
    };
    let twins = |shades: [u8; 2]| {
        let second = frame(0, (4, 4)).with_name(Name::new("b").unwrap());
        FrameSet::new(vec![lit(frame(0, (4, 4)), shades[0]), lit(second, shades[1])], vec![]).unwrap()
    };
    let same = pack(twins([7, 7]), &PackSettings::dense()).unwrap();
    assert_eq!(same.rects_on(0).len(), 1);
    let other = pack(twins([7, 8]), &PackSettings::dense()).unwrap();
    let page = paint(&other, 0, Some(0), ColorFinish::default());
    for (place, shade) in other.placements().iter().zip([7, 8]) {
        assert_eq!(page.get_pixel(place.rect.x, place.rect.y), &Rgba([shade, 0, 0, 255]));
    }
}

#[test]
fn a_frame_that_only_glows_has_a_place() {
    let blank = Pixels::from_image(RgbaImage::new(6, 6));
    let dark = Frame::new(Name::new("lamp").unwrap(), Name::new("on").unwrap(), blank).unwrap();
    let mut glow = RgbaImage::new(6, 6);
    glow.put_pixel(4, 2, Rgba([255, 200, 90, 255]));
    let glow = dark.clone().with_pixels(Pixels::from_image(glow), UVec2::default()).unwrap();
    let lit = dark.with_companion(CompanionSpec::of_suffix("_e"), &glow).unwrap();
    let set = FrameSet::new(vec![lit, frame(1, (3, 3))], vec![]).unwrap();
    let set = trim(set, Trim { scope: TrimScope::Frame, ..Trim::default() }).unwrap();
    let atlas = pack(set, &PackSettings::dense()).unwrap();
    let place = atlas.placements()[0].rect;
    assert_eq!(place.size(), Size::new(1, 1));
    let page = paint(&atlas, 0, Some(0), ColorFinish::default());
    assert_eq!(page.get_pixel(place.x, place.y), &Rgba([255, 200, 90, 255]));
    // The other frame has none: nothing glows there.
    assert_eq!(missing_companions(atlas.set()), [(CompanionSpec::of_suffix("_e"), vec![])]);
}

#[test]
fn scaled_pages_have_every_place_times_the_factor() {
    let factors: Vec<PageScale> = ["0.5", "1", "1.5"].iter().map(|text| text.parse().unwrap()).collect();
    let step = snap_for(&factors);
    let set = snap_frames(set_of(&[(9, 5), (7, 7), (3, 12)]), step, 0).unwrap();
    assert_eq!(set.frames()[0].canvas(), Size::new(10, 6));
    let options = PackSettings { scales: factors.clone(), bleed: 1, ..PackSettings::dense() };
    let atlas = pack(set, &options).unwrap();
    for factor in factors {
        let scaled = atlas.scaled(factor, crate::shape::Resample::Nearest).unwrap();
        for (place, (frame, old)) in
            scaled.placements().iter().zip(scaled.set().frames().iter().zip(atlas.placements()))
        {
            assert_eq!(frame.pixels().size(), place.rect.size());
            let times = |length: u32| f64::from(length) * factor.ratio().value();
            assert_eq!(
                [f64::from(place.rect.x), f64::from(place.rect.width)],
                [times(old.rect.x), times(old.rect.width)]
            );
            let page =
                Pixels::from_image(paint(&scaled, 0, None, ColorFinish { spread: 2, premultiplied: false }));
            assert!(page.crop(place.rect).unwrap().is_same_image(frame.pixels()));
        }
    }
}

#[test]
fn color_is_spread_under_clear_pixels_and_alpha_stays() {
    let mut image = RgbaImage::from_pixel(5, 5, Rgba([255, 0, 255, 0]));
    image.put_pixel(2, 2, Rgba([10, 20, 30, 255]));
    let name = || Name::new("x").unwrap();
    let dot =
        FrameSet::new(vec![Frame::new(name(), name(), Pixels::from_image(image)).unwrap()], vec![]).unwrap();
    let atlas = pack(dot, &PackSettings { margin: 0, ..PackSettings::dense() }).unwrap();
    let page = paint(&atlas, 0, None, ColorFinish { spread: 1, premultiplied: false });
    assert_eq!(page.get_pixel(1, 1), &Rgba([10, 20, 30, 0]));
    assert_eq!(page.get_pixel(0, 0), &Rgba([0, 0, 0, 0]));
    assert_eq!(paint(&atlas, 0, None, ColorFinish::default()).get_pixel(0, 0), &Rgba([255, 0, 255, 0]));
}

#[test]
fn a_clear_pixel_takes_the_color_before_it_or_above_it_first() {
    // Two colors with a gap between them, and rows above and below that are clear.
    let image = RgbaImage::from_fn(4, 3, |x, y| match (x, y) {
        (0, 1) => Rgba([200, 0, 0, 255]),
        (2, 1) => Rgba([0, 0, 200, 255]),
        _ => Rgba([9, 9, 9, 0]),
    });
    let name = || Name::new("x").unwrap();
    let set =
        FrameSet::new(vec![Frame::new(name(), name(), Pixels::from_image(image)).unwrap()], vec![]).unwrap();
    let atlas = pack(set, &PackSettings { margin: 0, ..PackSettings::dense() }).unwrap();
    let reds = |spread: u32| -> Vec<u8> {
        paint(&atlas, 0, None, ColorFinish { spread, premultiplied: false })
            .pixels()
            .map(|pixel| pixel[0])
            .collect()
    };
    assert_eq!(reds(1), [200, 200, 0, 0, 200, 200, 0, 0, 200, 200, 0, 0]);
    assert_eq!(reds(0), [9, 9, 9, 9, 200, 9, 0, 9, 9, 9, 9, 9]);
}

#[test]
fn mirror_images_are_counted_once_and_symmetric_ones_are_not() {
    let image = |bytes: [u8; 3]| {
        let pixels = RgbaImage::from_fn(3, 1, |x, _| Rgba([bytes[x as usize], 0, 0, 255]));
        Frame::new(
            Name::new("s").unwrap(),
            Name::new(format!("{bytes:?}")).unwrap(),
            Pixels::from_image(pixels),
        )
        .unwrap()
    };
    let set = FrameSet::new(vec![image([1, 2, 3]), image([3, 2, 1]), image([5, 6, 5])], vec![]).unwrap();
    assert_eq!(pack(set, &PackSettings::dense()).unwrap().mirrored(), [(1, 0)]);
}

#[test]
fn sprites_and_clips_get_pages_of_their_own() {
    let frog = with_clips(rows("frog", &[4]), &["sit = 0-1", "leap = 1-2"]);
    let set = FrameSet::merge([frog, rows("koi", &[2])]).unwrap();
    let labels = |per| {
        let atlas = pack(set.clone(), &PackSettings { per, ..PackSettings::dense() }).unwrap();
        let label = |page: &PackedPage| page.label.clone().unwrap_or_default();
        (atlas.pages().iter().map(label).collect::<Vec<_>>(), atlas.set().frames().len())
    };
    assert_eq!(labels(PagePer::Sprite), (vec!["frog".into(), "koi".into()], 6));
    // The frame that both clips play is listed for each.
    let wanted = ["frog-sit", "frog-leap", "frog", "koi"].map(str::to_owned).to_vec();
    assert_eq!(labels(PagePer::Clip), (wanted, 7));
}

#[test]
fn equal_pieces_fill_a_page_without_a_gap() {
    let atlas = pack(set_of(&[(16, 16); 16]), &options(Layout::Dense(low()))).unwrap();
    // All sizes are equal but no two pictures are, so nothing is shared.
    assert_eq!(sizes(&atlas), [Size::new(64, 64)]);
    assert_eq!(atlas.fill(0), 1.0);
}

#[test]
fn a_fixed_page_and_a_power_of_two_are_used_to_the_last_pixel() {
    for (fixed, round) in [(Some(Size::new(64, 64)), Rounding::None), (None, Rounding::Pow2)] {
        let pages = PageRules { max: Size::new(64, 64), fixed, round, square: false };
        let options = PackSettings { pages, ..options(Layout::Dense(low())) };
        let atlas = pack(set_of(&[(32, 32); 8]), &options).unwrap();
        assert_eq!(sizes(&atlas), [Size::new(64, 64); 2]);
        check(&atlas, &options);
    }
}

#[test]
fn the_last_page_is_as_small_as_its_frames() {
    let pages = PageRules { max: Size::new(32, 32), fixed: None, round: Rounding::None, square: false };
    let options = PackSettings { pages, ..options(Layout::Dense(low())) };
    let atlas = pack(set_of(&[(32, 32), (32, 32), (7, 5)]), &options).unwrap();
    assert_eq!(sizes(&atlas), [Size::new(32, 32), Size::new(32, 32), Size::new(7, 5)]);
}

#[test]
fn identical_frames_share_a_place_only_where_place_is_not_index() {
    let twins =
        || FrameSet::new(vec![frame(0, (4, 4)), frame(0, (4, 4)).with_name(Name::new("b").unwrap())], vec![]);
    let places = |layout| pack(twins().unwrap(), &options(layout)).unwrap().rects_on(0).len();
    assert_eq!(places(Layout::Dense(low())), 1);
    assert_eq!(places(Layout::Dense(DenseOptions { share: false, ..low() })), 2);
    assert_eq!(places(Layout::Strip), 2);
}

#[test]
fn in_a_grid_place_is_index_and_blank_frames_keep_theirs() {
    let set = rows("frog", &[3, 2]);
    let blank = Frame::new(
        Name::new("frog").unwrap(),
        Name::new("blank").unwrap(),
        Pixels::from_image(RgbaImage::new(4, 4)),
    );
    let mut frames = set.frames().to_vec();
    frames.insert(1, blank.unwrap());
    let options = PackSettings { margin: 1, gutter: 2, ..options(Layout::Grid { columns: Some(3) }) };
    let atlas = pack(FrameSet::new(frames, vec![]).unwrap(), &options).unwrap();
    let corners: Vec<_> = atlas.placements().iter().map(|place| (place.rect.x, place.rect.y)).collect();
    assert_eq!(corners, [(1, 1), (7, 1), (13, 1), (1, 7), (7, 7), (13, 7)]);
    assert_eq!(sizes(&atlas), [Size::new(18, 12)]);
}

#[test]
fn trimmed_frames_keep_their_place_in_a_cell_whose_grid_leaves_bleed_out() {
    let trimmed = |at: usize, inset: UVec2| {
        let pixels = frame(at, (4, 4)).pixels().clone();
        let (sprite, name) = (Name::new("s").unwrap(), Name::new(at.to_string()).unwrap());
        Frame::trimmed(sprite, name, pixels, Size::new(16, 16), inset).unwrap()
    };
    // It jumps by three pixels.
    let frames = [UVec2 { x: 5, y: 9 }, UVec2 { x: 6, y: 6 }].into_iter().enumerate();
    let set = FrameSet::new(frames.map(|(at, inset)| trimmed(at, inset)).collect(), vec![]).unwrap();
    let settings = PackSettings { bleed: 1, ..options(Layout::Strip) };
    let atlas = pack(set, &settings).unwrap();
    let grid = atlas.pages()[0].grid.unwrap();
    assert_eq!(grid.cell, Size::new(5, 7));
    assert_eq!((grid.spacing.offset.x, grid.spacing.gutter.x), (1, 2));
    let corners: Vec<_> = atlas.placements().iter().map(|place| (place.rect.x, place.rect.y)).collect();
    assert_eq!(corners, [(1, 1 + 3), (1 + 5 + 2 + 1, 1)]);
    check(&atlas, &settings);
}

#[test]
fn what_is_too_large_is_named_with_its_size() {
    let pages = PageRules { max: Size::new(20, 20), fixed: None, round: Rounding::None, square: false };
    let small = |layout| PackSettings { pages, margin: 1, bleed: 1, ..options(layout) };
    let error = pack(set_of(&[(4, 4), (17, 3)]), &small(Layout::Dense(low()))).unwrap_err();
    let wanted =
        "frame '1' of 17x3 px does not fit on a page of 20x20 px with a margin of 1 px and a bleed of 1 px";
    assert_eq!(error.to_string(), wanted);
    let error = pack(set_of(&[(8, 8); 3]), &small(Layout::Strip)).unwrap_err();
    assert_eq!(error.to_string(), "the strip needs 3 columns of 10x10 px, but a page of 20x20 px holds 1");
    assert_eq!(pack(FrameSet::default(), &small(Layout::Dense(low()))).unwrap_err(), PackError::NoFrames);
}

#[test]
fn a_frame_that_fits_only_without_rounded_spaces_is_an_error_that_says_what_fits() {
    let scales = |texts: &[&str]| texts.iter().map(|text| text.parse().unwrap()).collect::<Vec<PageScale>>();
    let pages = PageRules { max: Size::new(256, 256), ..PackSettings::dense().pages };
    let halves = scales(&["1", "0.5"]);
    let set = || set_of(&[(254, 254)]);
    for layout in [Layout::Dense(low()), Layout::Grid { columns: None }, Layout::Strip] {
        let options =
            PackSettings { layout, margin: 1, pages, scales: halves.clone(), ..PackSettings::dense() };
        let Err(PackError::FrameTooLarge { margin: 2, needs, .. }) = pack(set(), &options) else {
            panic!("{options:?}")
        };
        let pages = PageRules { max: needs, ..pages };
        assert!(pack(set(), &PackSettings { pages, ..options }).is_ok(), "{needs}");
    }
    // A bleed needs room even without a margin, and is at least a pixel wide at every scale.
    let options = PackSettings { bleed: 1, margin: 0, pages, scales: halves, ..PackSettings::dense() };
    assert!(matches!(pack(set(), &options), Err(PackError::FrameTooLarge { bleed: 2, .. })));
}

#[test]
fn limits_and_rounding_hold_for_every_scale() {
    for (scales, round, max, wanted) in [
        (["1", "2"], Rounding::Pow2, 64, Some(32)),
        (["1", "0.75"], Rounding::Pow2, 64, Some(64)),
        (["1", "3/2"], Rounding::Multiple(8), 40, Some(24)),
        (["0.5", "0.25"], Rounding::None, 32, Some(64)),
        (["1", "2"], Rounding::Multiple(48), 64, None),
    ] {
        let scales: Vec<PageScale> = scales.iter().map(|text| text.parse().unwrap()).collect();
        let rules = PageRules { max: Size::new(max, max), fixed: None, round, square: false };
        let drawn = rules.for_scales(&scales).ok().map(|rules| rules.largest().width);
        assert_eq!(drawn, wanted, "{scales:?} {round:?} {max}");
        let Some(drawn) = drawn else { continue };
        for scale in &scales {
            let ratio = scale.ratio();
            let page = rules.rounded(Size::new(drawn.div_ceil(ratio.denominator()) * ratio.numerator(), 1));
            assert!(page.width <= max, "{drawn} by {scale} is {page}");
        }
        assert!(rules.limit_for(u64::from(drawn), &scales) <= u64::from(max));
    }
}

#[test]
fn thousands_of_kept_places_stay() {
    let sizes_of = |count: usize| -> Vec<(u32, u32)> {
        (0..count).map(|at| (4 + at as u32 % 5, 4 + at as u32 % 3)).collect()
    };
    let settings = PackSettings { layout: Layout::Dense(low()), ..PackSettings::dense() };
    for count in [1_500, 4_100] {
        let old = pack(set_of(&sizes_of(count)), &settings).unwrap();
        let new = pack(set_of(&sizes_of(count + 50)), &keeping(&old, &settings, None)).unwrap();
        assert_eq!(new.placements()[..count], *old.placements());
        let Some(ReuseOutcome::Kept { wasted, .. }) = new.keeping() else { panic!("{:?}", new.keeping()) };
        assert!(*wasted < 0.05, "{wasted}");
    }
}

#[test]
fn a_fixed_page_that_a_scale_splits_is_refused() {
    let scales: Vec<PageScale> = ["1", "0.5", "0.75"].iter().map(|text| text.parse().unwrap()).collect();
    let page = |fixed| PackSettings {
        pages: PageRules { fixed: Some(fixed), ..PackSettings::dense().pages },
        scales: scales.clone(),
        ..PackSettings::dense()
    };
    let error = pack(set_of(&[(4, 4)]), &page(Size::new(64, 70))).unwrap_err();
    assert_eq!(
        error,
        PackError::PageSplit { page: Size::new(64, 70), scale: scales[2], needs: Size::new(64, 72) }
    );
    let set = snap_frames(set_of(&[(4, 4)]), snap_for(&scales), 0).unwrap();
    let atlas = pack(set, &page(Size::new(64, 72))).unwrap();
    assert_eq!(sizes(&atlas.scaled(scales[2], Resample::Nearest).unwrap()), [Size::new(48, 54)]);
}

#[test]
fn blocks_stay_whole_at_every_scale() {
    let scales: Vec<PageScale> = ["1", "0.5"].iter().map(|text| text.parse().unwrap()).collect();
    let set = snap_frames(set_of(&[(9, 5), (7, 7), (3, 12), (8, 8)]), snap_for(&scales), 0).unwrap();
    let settings = PackSettings { step: 4, bleed: 1, scales: scales.clone(), ..PackSettings::dense() };
    let atlas = pack(set, &settings).unwrap();
    for scale in scales {
        let scaled = atlas.scaled(scale, Resample::Nearest).unwrap();
        let bleed = scaled.bleed();
        assert!(bleed >= 1);
        assert!(sizes(&scaled).iter().all(|page| page.width % 4 == 0 && page.height % 4 == 0));
        for place in scaled.placements() {
            assert_eq!(((place.rect.x - bleed) % 4, (place.rect.y - bleed) % 4), (0, 0), "{scale}");
        }
    }
}

#[test]
fn what_no_page_could_have_is_an_error_and_never_a_panic() {
    let plain = || options(Layout::Dense(low()));
    let rules = plain().pages;
    let grid = |columns| Layout::Grid { columns: Some(columns) };
    let wrong = [
        PackSettings { gutter: u32::MAX, ..plain() },
        PackSettings { margin: u32::MAX, ..options(grid(2)) },
        PackSettings { bleed: 1 << 20, ..options(Layout::Strip) },
        PackSettings { step: 0, ..plain() },
        PackSettings { pages: PageRules { max: Size::new(0, 9), ..rules }, ..plain() },
        PackSettings { pages: PageRules { max: Size::new(1 << 20, 9), ..rules }, ..plain() },
        PackSettings { pages: PageRules { round: Rounding::Multiple(0), ..rules }, ..plain() },
        PackSettings {
            pages: PageRules { square: true, fixed: Some(Size::new(64, 32)), ..rules },
            ..plain()
        },
        options(grid(0)),
    ];
    for options in wrong {
        let error = pack(set_of(&[(4, 4), (2, 3)]), &options).unwrap_err();
        assert!(matches!(error, PackError::OutOfRange { .. } | PackError::NotSquare { .. }), "{options:?}");
    }
    // A frame that would only fit when rotated can't lie so in a grid.
    let long = PackSettings { pages: PageRules { max: Size::new(8, 40), ..rules }, ..options(grid(1)) };
    assert!(matches!(pack(set_of(&[(40, 8)]), &long), Err(PackError::FrameTooLarge { .. })));
    let old = pack(set_of(&[(4, 4)]), &plain()).unwrap();
    let apart = PackSettings { per: PagePer::Sprite, ..keeping(&old, &plain(), None) };
    assert_eq!(pack(set_of(&[(4, 4)]), &apart).unwrap_err(), PackError::KeptApart);
}

proptest! {
    #[test]
    fn every_size_of_an_atlas_shows_what_scaling_each_canvas_would(
        art in any_pixels(13), normals in any_pixels(13), times in 1u32..=16, over in 1u32..=16, smooth in any::<bool>(),
    ) {
        let how = if smooth { Resample::Smooth } else { Resample::Nearest };
        let factor: PageScale = format!("{times}/{over}").parse().unwrap();
        let size = art.size().union(normals.size());
        // Both on one canvas, with some room round the drawing that trimming takes.
        let placed = |pixels: &Pixels| {
            let mut image = RgbaImage::new(size.width + 5, size.height + 4);
            image::imageops::replace(&mut image, &pixels.to_image(), 3, 2);
            Pixels::from_image(image)
        };
        let named = |name: &str, pixels: &Pixels| Frame::new(Name::new("koi").unwrap(), Name::new(name).unwrap(), placed(pixels)).unwrap();
        let both = FrameSet::new(vec![named("koi", &art), named("koi_n", &normals)], vec![]).unwrap();
        let set = take_companions(&both, &[CompanionSpec::of_suffix("_n")]).unwrap();
        let set = trim(set, Trim { scope: TrimScope::Frame, ..Trim::default() }).unwrap();
        let (step, rim) = (snap_for(&[factor]), kernel_margin(&[factor], how));
        let set = snap_frames(set, step, rim).unwrap();
        let options = PackSettings { scales: vec![factor], ..PackSettings::dense() };
        let Ok(scaled) = pack(set.clone(), &options).unwrap().scaled(factor, how) else { return Ok(()) };
        let whole = scale(restore(set.clone()).unwrap(), factor.ratio(), how).unwrap();
        let (frame, whole) = (&scaled.set().frames()[0], &whole.frames()[0]);
        prop_assert!(frame.full_image().is_same_image(&whole.full_image()));
        let kept = frame.kept_rect();
        if !kept.is_empty() {
            let of_whole = whole.companion("_n").unwrap().pixels.crop(kept).unwrap();
            prop_assert!(frame.companion("_n").unwrap().pixels.is_same_image(&of_whole));
        }
    }
}
