//! What every step promises, over drawings made by chance.

use image::{Rgba, RgbaImage};
use proptest::prelude::*;

use super::*;
use crate::pixels::tests::any_pixels;
use crate::{
    Annotations, Color, CompanionSpec, Frame, FrameSet, Insets, Mirror, Name, Pixels, Point, Ratio, Rect,
    SetError, SignedRect, Size,
};

fn set_of(pictures: Vec<Pixels>) -> FrameSet {
    let frame = |(at, pixels): (usize, Pixels)| {
        Frame::new(Name::new("heron").unwrap(), Name::new(at.to_string()).unwrap(), pixels).unwrap()
    };
    FrameSet::new(pictures.into_iter().enumerate().map(frame).collect(), vec![]).unwrap()
}

fn marked(set: FrameSet) -> FrameSet {
    let set = set_polygons(set, 6, 0).unwrap();
    let annotations = |frame: &Frame| {
        let boxes = [(Name::new("body").unwrap(), SignedRect { x: -1, y: 2, width: 5, height: 3 })].into();
        let nine = Insets { left: 0, top: 0, right: 0, bottom: 0 };
        Annotations { boxes, nine: Some(nine), ..frame.annotations().clone() }
    };
    let all: Vec<Annotations> = set.frames().iter().map(annotations).collect();
    set.map_frames(|at, frame| {
        Ok::<_, crate::SetError>(frame.with_pivot(Point::new(1.5, 2.0)).with_annotations(all[at].clone()))
    })
    .unwrap()
}

fn same(a: &FrameSet, b: &FrameSet) -> bool {
    a.frames().iter().zip(b.frames()).all(|(a, b)| {
        a.pixels().is_same_image(b.pixels())
            && (a.canvas(), a.inset(), a.pivot()) == (b.canvas(), b.inset(), b.pivot())
            && a.annotations() == b.annotations()
    })
}

/// A figure of many colors that stands still but for an arm, on a canvas with room round it.
fn figure(seed: u32, arm: u32, shift: (i64, i64)) -> Pixels {
    Pixels::from_image(RgbaImage::from_fn(64, 64, |x, y| {
        let (x, y) = (i64::from(x) - 24 - shift.0, i64::from(y) - 22 - shift.1);
        let body = (0..14).contains(&x) && (0..18).contains(&y);
        let is_arm = (14..14 + i64::from(arm)).contains(&x) && (6..9).contains(&y);
        let shade = x * 31 + y * 57 + i64::from(seed) * 7;
        let level = |factor: i64, most: i64| (shade * factor).rem_euclid(most) as u8;
        let color = [level(13, 251), level(29, 241), level(1, 199), 255];
        if body {
            Rgba(color)
        } else if is_arm {
            Rgba([90, 60, 40, 255])
        } else {
            Rgba([0; 4])
        }
    }))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(10))]

    #[test]
    fn matching_a_rigid_feature_brings_every_frame_back(
        seed in 0u32..1000,
        shifts in prop::collection::vec((-12i64..=12, -12i64..=12, 0u32..9), 2..5),
        with_previous in any::<bool>(),
    ) {
        let pictures = shifts.iter().map(|&(x, y, arm)| figure(seed, arm, (x, y))).collect();
        let (dx, dy, _) = shifts[0];
        let region = Rect::new((24 + dx) as u32, (22 + dy) as u32, 14, 18);
        let with = if with_previous { MatchWith::Previous } else { MatchWith::First };
        let options = AlignOptions { region: Some(region), with, reach: Some(26), ..AlignOptions::to(AlignTo::Match) };
        let (after, report) = align(set_of(pictures), &options).unwrap();
        for (shift, &(x, y, _)) in report.iter().zip(&shifts) {
            prop_assert_eq!((shift.x, shift.y), (dx - x, dy - y));
        }
        // The figure is on the same pixels of every frame.
        let body = |frame: &Frame| frame.content(0).unwrap();
        let first = body(&after.frames()[0]);
        for frame in after.frames() {
            prop_assert_eq!((body(frame).x, body(frame).y), (first.x, first.y));
            prop_assert_eq!(frame.canvas(), after.frames()[0].canvas());
        }
    }
}

proptest! {
    #[test]
    fn mirroring_twice_is_the_identity(pixels in any_pixels(9), up_down in any::<bool>(), trimmed in any::<bool>()) {
        let how = if up_down { Mirror::UpDown } else { Mirror::LeftRight };
        let mut set = marked(set_of(vec![pixels]));
        if trimmed {
            set = trim(set, Trim { scope: TrimScope::Frame, ..Trim::default() }).unwrap();
        }
        let twice = mirror(mirror(set.clone(), how).unwrap(), how).unwrap();
        prop_assert!(same(&twice, &set));
    }

    #[test]
    fn twice_as_large_and_half_of_it_is_the_identity(pixels in any_pixels(9), trimmed in any::<bool>()) {
        let mut set = marked(set_of(vec![pixels]));
        if trimmed {
            set = trim(set, Trim { scope: TrimScope::Frame, ..Trim::default() }).unwrap();
        }
        let (double, half) = (Ratio::new(2, 1).unwrap(), Ratio::new(1, 2).unwrap());
        let large = scale(set.clone(), double, Resample::Nearest).unwrap();
        prop_assert!(same(&scale(large, half, Resample::Nearest).unwrap(), &set));
    }

    #[test]
    fn smooth_scaling_makes_no_color_out_of_nothing(
        level in 1u8..=255, times in 1u32..30, over in 10u32..20,
    ) {
        let plain = Pixels::from_image(RgbaImage::from_pixel(9, 7, Rgba([level, 40, 200, 255])));
        if let Ok(set) = scale(set_of(vec![plain]), Ratio::new(times, over).unwrap(), Resample::Smooth) {
            for row in set.frames()[0].pixels().rows() {
                for pixel in row.chunks_exact(4).filter(|pixel| pixel[3] > 8) {
                    prop_assert!(pixel[0].abs_diff(level) <= 16 && pixel[2].abs_diff(200) <= 16, "{pixel:?}");
                }
            }
        }
    }

    #[test]
    fn what_is_trimmed_is_scaled_as_if_it_were_not(
        pixels in any_pixels(14), around in (0u32..6, 0u32..6, 0u32..6, 0u32..6), times in 1u32..9, over in 1u32..9,
        smooth in any::<bool>(),
    ) {
        let (factor, how) =
            (Ratio::new(times, over).unwrap(), if smooth { Resample::Smooth } else { Resample::Nearest });
        let (left, top, right, bottom) = around;
        let size = pixels.size();
        let mut image = RgbaImage::new(left + size.width + right, top + size.height + bottom);
        image::imageops::replace(&mut image, &pixels.to_image(), i64::from(left), i64::from(top));
        let whole = set_of(vec![Pixels::from_image(image)]);
        let trimmed = trim(whole.clone(), Trim { scope: TrimScope::Frame, ..Trim::default() }).unwrap();
        let (a, b) = (scale(whole, factor, how), scale(trimmed, factor, how));
        prop_assert_eq!(a.is_ok(), b.is_ok());
        if let (Ok(a), Ok(b)) = (a, b) {
            prop_assert!(a.frames()[0].full_image().is_same_image(&b.frames()[0].full_image()));
        }
    }

    #[test]
    fn a_companion_goes_wherever_its_frame_goes(
        pictures in prop::collection::vec(any_pixels(12), 1..4), steps in prop::collection::vec(0u8..10, 1..6),
    ) {
        // A copy of the frame as its companion shows that both were treated alike.
        let copied = |_: usize, frame: Frame| {
            Ok::<_, SetError>(frame.clone().with_companion(CompanionSpec::of_suffix("_e"), &frame).unwrap())
        };
        let mut set = set_of(pictures).map_frames(copied).unwrap();
        for step in steps {
            set = match step {
                0 => mirror(set, Mirror::LeftRight).unwrap(),
                1 => mirror(set, Mirror::UpDown).unwrap(),
                2 => trim(set, Trim { scope: TrimScope::Frame, ..Trim::default() }).unwrap(),
                3 => trim(set, Trim { scope: TrimScope::Sprite, alpha: 9, border: 2 }).unwrap(),
                4 => restore(set).unwrap(),
                5 => scale(set.clone(), Ratio::new(3, 2).unwrap(), Resample::Nearest).unwrap_or(set),
                6 => align(set, &AlignOptions::to(AlignTo::Center)).unwrap().0,
                7 => set_canvas(set, CanvasRule::Fit).unwrap(),
                8 => set_canvas(set.clone(), CanvasRule::Size(Size::new(40, 40))).unwrap_or(set),
                _ => crate::pack::snap_frames(set, 4, 1).unwrap(),
            };
            for frame in set.frames() {
                let companion = &frame.companion("_e").unwrap().pixels;
                prop_assert!(companion.is_same_image(frame.pixels()), "after step {step}");
            }
        }
    }

    #[test]
    fn a_picture_that_fills_its_canvas_keeps_its_rim(size in (1u32..20, 1u32..20), times in 1u32..9, over in 1u32..9) {
        let tile = RgbaImage::from_fn(size.0, size.1, |x, y| Rgba([x as u8 * 9, y as u8 * 9, 128, 255]));
        let factor = Ratio::new(times, over).unwrap();
        if let Ok(set) = scale(set_of(vec![Pixels::from_image(tile)]), factor, Resample::Smooth) {
            prop_assert!(set.frames()[0].pixels().rows().flat_map(|row| row.chunks_exact(4)).all(|p| p[3] == 255));
        }
    }

    #[test]
    fn a_polygon_covers_every_pixel_and_stays_in_its_box(pixels in any_pixels(24), corners in 4u32..12) {
        let set = set_polygons(set_of(vec![pixels]), corners, 0).unwrap();
        let frame = &set.frames()[0];
        let polygon = &frame.annotations().polygon;
        let Some(around) = frame.content(0) else {
            prop_assert!(polygon.is_empty());
            return Ok(());
        };
        prop_assert!((4..=corners as usize).contains(&polygon.len()));
        for at in polygon {
            prop_assert!(at.x >= f64::from(around.x) && at.x <= around.right() as f64);
            prop_assert!(at.y >= f64::from(around.y) && at.y <= around.bottom() as f64);
        }
        for (y, row) in (0u32..).zip(frame.pixels().rows()) {
            for (x, pixel) in (0u32..).zip(row.chunks_exact(4)) {
                if pixel[3] == 0 {
                    continue;
                }
                for (x, y) in [(x, y), (x + 1, y), (x, y + 1), (x + 1, y + 1)] {
                    prop_assert!(lies_in(polygon, f64::from(x), f64::from(y)), "{x},{y} {polygon:?}");
                }
            }
        }
    }
}

/// Whether a point is in a clockwise convex polygon, its border included.
fn lies_in(polygon: &[Point], x: f64, y: f64) -> bool {
    (0..polygon.len()).all(|at| {
        let (a, b) = (polygon[at], polygon[(at + 1) % polygon.len()]);
        (b.x - a.x) * (y - a.y) - (b.y - a.y) * (x - a.x) >= 0.0
    })
}

#[test]
fn what_does_not_match_is_left_and_said() {
    let noise = |seed: u32| {
        Pixels::from_image(RgbaImage::from_fn(40, 40, |x, y| {
            let n = (x.wrapping_mul(374_761_393) ^ y.wrapping_mul(668_265_263)).wrapping_add(seed * 97_531);
            let n = (n ^ (n >> 13)).wrapping_mul(1_274_126_177);
            Rgba([n as u8, (n >> 8) as u8, (n >> 16) as u8, 255])
        }))
    };
    let region = Some(Rect::new(10, 10, 16, 16));
    let options = AlignOptions { region, ..AlignOptions::to(AlignTo::Match) };
    let (after, report) = align(set_of(vec![noise(1), noise(2)]), &options).unwrap();
    assert!(report[1].is_lost && (report[1].x, report[1].y) == (0, 0), "{report:?}");
    assert!(after.frames()[1].pixels().is_same_image(&noise(2)));
    let outside = AlignOptions { region: Some(Rect::new(30, 0, 16, 16)), ..options };
    assert!(matches!(align(set_of(vec![noise(1)]), &outside), Err(AlignError::RegionOutside { .. })));
}

#[test]
fn aligning_grows_the_canvas_and_cuts_nothing() {
    let dot = |x: u32| {
        let mut image = RgbaImage::new(10, 4);
        (0..3).for_each(|dx| image.put_pixel(x + dx, 3, Rgba([9, 9, 9, 255])));
        if x == 0 {
            image.put_pixel(9, 0, Rgba([7, 7, 7, 255]));
        }
        Pixels::from_image(image)
    };
    let options = AlignOptions::to(AlignTo::Feet);
    let (after, report) = align(set_of(vec![dot(5), dot(0)]), &options).unwrap();
    assert_eq!((report[1].x, report[1].y), (5, 0));
    let canvases: Vec<String> = after.frames().iter().map(|frame| frame.canvas().to_string()).collect();
    assert_eq!(canvases, ["15x4", "15x4"]);
    let shown = |frame: &Frame| {
        frame.pixels().rows().flat_map(|row| row.chunks_exact(4)).filter(|p| p[3] > 0).count()
    };
    assert_eq!(shown(&after.frames()[1]), 4);
    assert_eq!(after.frames()[1].content(0).map(Rect::right), Some(15));
}

#[test]
fn a_mark_is_found_used_and_erased() {
    let color: Color = "ff00ff".parse().unwrap();
    let picture = |spots: &[(u32, u32)]| {
        let mut image = RgbaImage::from_pixel(8, 8, Rgba([1, 2, 3, 255]));
        spots.iter().for_each(|&(x, y)| image.put_pixel(x, y, color.0));
        Pixels::from_image(image)
    };
    let set = take_marks(set_of(vec![picture(&[(2, 3), (3, 3)]), picture(&[(5, 5)])]), color).unwrap();
    let marks = |set: &FrameSet| set.frames().iter().map(|f| f.annotations().mark(color)).collect::<Vec<_>>();
    assert_eq!(marks(&set), [Some(Point::new(3.0, 3.5)), Some(Point::new(5.5, 5.5))]);
    assert_eq!(set.frames()[0].pixels().get(2, 3), Some(Rgba([0; 4])));
    let to_mark = AlignOptions::to(AlignTo::Mark(color));
    let (set, report) = align(set, &to_mark).unwrap();
    assert_eq!((report[1].x, report[1].y), (-2, -2));
    // The note of the mark moved along, so that a pivot on it lies where it is now.
    let set = set_pivot(set, Anchor::Mark(color), PivotPer::Sprite).unwrap();
    assert_eq!(set.frames().iter().map(|frame| frame.pivot().x).collect::<Vec<_>>(), [5.0, 5.5]);
    assert_eq!(marks(&forget_marks(set).unwrap()), [None, None]);
    let twice = take_marks(set_of(vec![picture(&[(1, 1), (6, 6)])]), color).unwrap_err();
    assert_eq!(twice.to_string(), "frame '0' has 2 marks in the color ff00ff, at 1,1 and 6,6");
    assert!(matches!(take_marks(set_of(vec![picture(&[])]), color), Err(MarkError::Missing { .. })));
}

#[test]
fn one_box_for_a_clip_leaves_thin_limbs_out() {
    let pictures = vec![figure(1, 8, (0, 0)), figure(1, 2, (0, 0)), figure(1, 0, (0, 0))];
    let set = crate::set::tests::with_clips(set_of(pictures), &["walk = 0-2"]);
    let (set, report) = set_box(set, &"body=auto:clip".parse().unwrap(), 0.95).unwrap();
    let body = SignedRect { x: 24, y: 22, width: 14, height: 18 };
    assert!(set.frames().iter().all(|frame| frame.annotations().boxes.values().all(|area| *area == body)));
    assert!(report[0].share >= 0.95 && report[0].share < 1.0, "{report:?}");
    let (set, _) = set_box(set, &"body=auto".parse().unwrap(), 0.9).unwrap();
    let widths: Vec<u32> =
        set.frames().iter().map(|frame| frame.annotations().boxes.values().next().unwrap().width).collect();
    assert_eq!(widths, [22, 16, 14]);
}

#[test]
fn a_list_of_places_names_the_line_that_is_wrong() {
    let set = || set_of(vec![figure(1, 0, (0, 0)), figure(1, 1, (0, 0))]);
    let place = |frame: &str, kind| FrameOverride { frame: frame.into(), kind, line: 3 };
    let done =
        apply_overrides(set(), &[place("heron:1", OverrideKind::Pivot(Point::new(3.0, 4.5)))]).unwrap();
    assert_eq!(done.frames()[1].pivot(), Point::new(3.0, 4.5));
    let wrong = apply_overrides(set(), &[place("7", OverrideKind::Pivot(Point::default()))]).unwrap_err();
    assert_eq!(wrong.to_string(), "line 3: there is no frame '7'");
}

#[test]
fn loose_drawings_of_a_clip_stand_by_their_figure_and_others_on_their_lower_edge() {
    // Cut out by their outlines: the arm makes the second wider, and its foot is lifted.
    let cut = |arm: u32| {
        let whole = figure(3, arm, (0, 0));
        whole.crop(whole.content_bounds(0).unwrap()).unwrap()
    };
    let set = crate::set::tests::with_clips(set_of(vec![cut(0), cut(9), cut(4), cut(0)]), &["wave = 0-2"]);
    let (together, done) = coregister_pivots(set).unwrap();
    assert_eq!(done, Coregistration { by_figure: 3, by_feet: 1, on_ground: 0 });
    let pivots: Vec<Point> = together.frames().iter().map(Frame::pivot).collect();
    // The body is 14x18 at the left top of all of them.
    assert!(pivots[..3].iter().all(|&pivot| pivot == Point::new(7.0, 18.0)), "{pivots:?}");
    assert_eq!(pivots[3], Point::new(7.0, 18.0));
}

#[test]
fn a_figure_that_lies_down_lies_on_the_ground_line_of_its_row() {
    // Three stand, one jumps, and one lies on its side.
    let standing = {
        let whole = figure(3, 0, (0, 0));
        whole.crop(whole.content_bounds(0).unwrap()).unwrap()
    };
    let lying = Pixels::from_image(image::imageops::rotate90(&standing.to_image()));
    let pictures = [&standing, &standing, &lying, &standing, &standing];
    let clip = |tops: [u32; 5], factor: u32| {
        let frames = pictures.iter().zip(tops).enumerate().map(|(at, (pixels, top))| {
            let (width, height) = (pixels.size().width, pixels.size().height);
            let rect = Rect::new(at as u32 * 40, top, width, height);
            let cell = Some(crate::Cell { row: 0, column: at as u32 });
            let (sprite, name) = (Name::new("heron").unwrap(), Name::new(at.to_string()).unwrap());
            crate::cut::frame_from_rect(&sprite, name, (*pixels).clone(), "heron.png", rect, cell).unwrap()
        });
        let set = FrameSet::new(frames.collect(), vec![]).unwrap();
        let set = crate::set::tests::with_clips(set, &["fall = 0-4"]);
        let set = scale(set, factor.to_string().parse().unwrap(), Resample::Nearest).unwrap();
        let (set, done) = coregister_pivots(set).unwrap();
        (set.frames().iter().map(|frame| frame.pivot().y).collect::<Vec<f64>>(), done.on_ground)
    };
    let ground = 60;
    let (height, lies) = (standing.size().height, lying.size().height);
    let tops = [ground - height, ground - height, ground - lies, ground - height - 9, ground - height];
    let (own, low) = (f64::from(height), f64::from(lies));
    for factor in [1, 2] {
        let pivots = [own, own, low, own + 9.0, own].map(|y| y * f64::from(factor));
        assert_eq!(clip(tops, factor), (pivots.to_vec(), 5));
    }
    // Lined up by their upper edges, they share no ground.
    assert_eq!(clip([ground; 5], 1).1, 0);
}
