use image::{Rgba, RgbaImage};

use super::*;
use crate::set::tests::with_clips;
use crate::{Frame, Pixels, Rect};

const BODY_COLOR: Rgba<u8> = Rgba([40, 90, 60, 255]);

/// Frames of 40x40 with filled rectangles.
fn drawn(frames: &[&[Rect]]) -> FrameSet {
    let frame = |(at, rects): (usize, &&[Rect])| {
        let mut image = RgbaImage::new(40, 40);
        for rect in *rects {
            for (x, y) in (rect.x..rect.x + rect.width)
                .flat_map(|x| (rect.y..rect.y + rect.height).map(move |y| (x, y)))
            {
                image.put_pixel(x, y, BODY_COLOR);
            }
        }
        Frame::new(Name::new("heron").unwrap(), Name::new(at.to_string()).unwrap(), Pixels::from_image(image))
            .unwrap()
    };
    FrameSet::new(frames.iter().enumerate().map(frame).collect(), vec![]).unwrap()
}

fn described(set: &FrameSet) -> Vec<String> {
    let tell = |f: &Finding| {
        let spot = f.at.map(|at| format!(" at {at}")).unwrap_or_default();
        format!("{} {}{spot}: {}", f.rule, set.frames()[f.frame].name(), seen(f.seen.clone()))
    };
    check(set, &Thresholds::default()).iter().map(tell).collect()
}

/// What was seen, short.
fn seen(seen: Observation) -> String {
    let sides = |Sides(sides): Sides| {
        ["left", "right", "top", "bottom"]
            .iter()
            .zip(sides)
            .filter(|(_, is)| *is)
            .map(|(side, _)| *side)
            .collect::<Vec<_>>()
            .join(" ")
    };
    match seen {
        Observation::Touches { pixels, sides: touched } => {
            format!("touches {} with {pixels}", sides(touched))
        }
        Observation::Neighbor { area, sides: touched } => {
            format!("{area} of a neighbor at {}", sides(touched))
        }
        Observation::Stray { area, drawing } => format!("{area} beside {drawing}"),
        Observation::Forgotten { area } => format!("{area} alone"),
        Observation::Moved { right, down } => format!("moved {right},{down}"),
        other => format!("{other:?}"),
    }
}

const BODY: Rect = Rect::new(12, 10, 12, 20);

fn moved(x: u32, y: u32) -> Rect {
    Rect { x: BODY.x + x, y: BODY.y + y, ..BODY }
}

#[test]
fn a_clean_clip_has_no_findings() {
    let set = with_clips(drawn(&[&[BODY], &[moved(1, 0)], &[moved(0, 1)], &[moved(1, 1)]]), &["walk = 0-3"]);
    assert_eq!(described(&set), Vec::<String>::new());
}

#[test]
fn edges_neighbors_and_strays_are_distinguished() {
    let set = drawn(&[
        &[Rect::new(0, 10, 20, 20)],
        &[BODY, Rect::new(38, 3, 2, 9)],
        &[BODY, Rect::new(30, 5, 2, 1)],
        &[Rect::new(7, 7, 1, 2)],
        &[Rect::new(0, 0, 40, 40)],
        &[BODY],
    ]);
    assert_eq!(
        described(&set),
        [
            "touches-edge 0 at 0,10: touches left with 20",
            "neighbor 1 at 39,3: 18 of a neighbor at right",
            "specks 2 at 30,5: 2 beside 240",
            "specks 3 at 7,7: 2 alone",
        ]
    );
}

/// A figure of many colors, drawn at a scale in percent about the middle of its lower edge.
fn posed(poses: &[(i64, i64, i64)]) -> FrameSet {
    let frame = |(at, &(right, down, percent)): (usize, &(i64, i64, i64))| {
        let image = RgbaImage::from_fn(80, 80, |x, y| {
            let u = (i64::from(x) - 40 - right) * 100 / percent + 12;
            let v = (i64::from(y) - 70 - down) * 100 / percent + 40;
            let leg = v >= 30 && ((u - at as i64 % 4).rem_euclid(12) < 5);
            let shade = (u / 3 * 40 + v / 5 * 23 + u * v / 24).rem_euclid(230) as u8;
            let is_drawn = (0..24).contains(&u) && (0..40).contains(&v) && (v < 30 || leg);
            if is_drawn { Rgba([shade, 255 - shade, (v * 5) as u8, 255]) } else { Rgba([0; 4]) }
        });
        let name = |text: &str| Name::new(text).unwrap();
        Frame::new(name("heron"), name(&at.to_string()), Pixels::from_image(image)).unwrap()
    };
    FrameSet::new(poses.iter().enumerate().map(frame).collect(), vec![]).unwrap()
}

fn rules(set: &FrameSet) -> Vec<String> {
    let tell = |finding: &Finding| format!("{} {} {}", finding.level().id(), finding.rule, finding.frame);
    check(set, &Thresholds::default()).iter().map(tell).collect()
}

#[test]
fn a_figure_that_jumps_or_grows_in_one_frame_is_seen_from_the_pivot() {
    let still = (0, 0, 100);
    let set =
        with_clips(posed(&[still, still, (6, 0, 100), still, still, (0, 0, 112), still]), &["walk = 0-6"]);
    assert_eq!(rules(&set), ["wrong drift 2", "wrong size-jump 5"]);
    // A pivot that goes along with the figure holds it still.
    let mended = set.map_frames(|at, frame| {
        let pivot = crate::Point::new(if at == 2 { 46.0 } else { 40.0 }, 70.0);
        Ok::<_, crate::SetError>(frame.with_pivot(pivot))
    });
    assert_eq!(rules(&mended.unwrap()), ["wrong size-jump 5"]);
}

#[test]
fn what_a_clip_does_all_along_is_no_fault_but_sliding_and_shaking_are() {
    let at = |x: i64, y: i64| (x, y, 100);
    let leap = posed(&[at(0, 0), at(0, -9), at(0, -14), at(0, -12), at(0, -4), at(0, 0)]);
    assert_eq!(rules(&with_clips(leap, &["leap = 0-5 once"])), Vec::<String>::new());
    let slide = || posed(&[at(-24, 0), at(-16, 0), at(-8, 0), at(0, 0), at(8, 0), at(16, 0)]);
    assert_eq!(rules(&with_clips(slide(), &["walk = 0-5"])), ["wrong drift 5"]);
    assert_eq!(rules(&with_clips(slide(), &["walk = 0-5 once"])), Vec::<String>::new());
    let shiver = posed(&[at(0, 0), at(5, 0), at(-6, 0), at(4, 0), at(-5, 0), at(6, 0)]);
    let findings = rules(&with_clips(shiver, &["walk = 0-5"]));
    assert!(findings.len() >= 5 && findings.iter().all(|rule| rule.contains("drift")), "{findings:?}");
    // It grows from frame to frame, as a blast does.
    let grown = posed(&[(0, 0, 50), (0, 0, 65), (0, 0, 80), (0, 0, 95), (0, 0, 110), (0, 0, 125)]);
    assert_eq!(rules(&with_clips(grown, &["blast = 0-5 once"])), Vec::<String>::new());
}

#[test]
fn feet_on_the_lower_edge_are_no_cut_and_a_flat_end_in_one_frame_is() {
    let standing = Rect::new(12, 20, 12, 20);
    let set = drawn(&[&[standing], &[standing], &[standing], &[Rect::new(30, 20, 10, 20)]]);
    let findings = described(&with_clips(set, &["walk = 0-3"]));
    let touching: Vec<&String> = findings.iter().filter(|text| text.starts_with("touches")).collect();
    assert_eq!(touching, ["touches-edge 3 at 39,20: touches right with 20"]);
}

#[test]
fn borders_and_short_steps_are_reported() {
    let ring = |inside: u32| {
        let side = 40 - 2 * inside;
        let (x, y) = (inside, inside);
        [
            Rect::new(x, y, side, 1),
            Rect::new(x, y + side - 1, side, 1),
            Rect::new(x, y, 1, side),
            Rect::new(x + side - 1, y, 1, side),
        ]
    };
    let bordered: Vec<Rect> = ring(0).into_iter().chain(ring(1)).chain([BODY]).collect();
    let inner: Vec<Rect> = ring(1).into_iter().chain([BODY]).collect();
    let set = with_clips(drawn(&[&bordered, &inner, &[BODY]]), &["sit = 0-2 @100fps"]);
    let found = check(&set, &Thresholds::default());
    let border = found.iter().find(|finding| finding.rule == Rule::Border).unwrap();
    assert_eq!((border.frame, border.fix), (0, Fix::ClearEdge(2)));
    assert_eq!(found.iter().filter(|finding| finding.rule == Rule::Border).count(), 1);
    let short = found.iter().find(|finding| finding.rule == Rule::TooFast).unwrap();
    assert_eq!(short.seen, Observation::Short { step: 0, millis: 10.0 });
}

#[test]
fn a_fill_of_a_key_color_is_no_left_over() {
    let tile = |color: [u8; 4]| {
        let image =
            RgbaImage::from_fn(
                16,
                16,
                |x, y| if x == 3 && y == 3 { Rgba([1, 2, 3, 255]) } else { Rgba(color) },
            );
        Pixels::from_image(image)
    };
    let set = |tiles: Vec<Pixels>| {
        let name = |text: String| Name::new(text).unwrap();
        let frame = |(at, pixels): (usize, Pixels)| {
            Frame::new(name("tiles".into()), name(at.to_string()), pixels).unwrap()
        };
        FrameSet::new(tiles.into_iter().enumerate().map(frame).collect(), vec![]).unwrap()
    };
    // Green tiles beside others are tiles; one color behind all frames is a background.
    assert_eq!(rules(&set(vec![tile([0, 255, 0, 255]), tile([90, 90, 90, 255])])), Vec::<String>::new());
    let keyed = set(vec![tile([0, 255, 0, 255]), tile([0, 255, 0, 255])]);
    assert_eq!(rules(&keyed), ["look key-left 0", "look key-left 1"]);
    // A button that fills its frame has an outline.
    let button = |x: u32, y: u32| match x.min(y).min(15 - x).min(15 - y) {
        0 => Rgba([20, 20, 30, 255]),
        _ => Rgba([200, 180, 90, 255]),
    };
    let button = Pixels::from_image(RgbaImage::from_fn(16, 16, button));
    assert_eq!(rules(&set(vec![button.clone(), button])), Vec::<String>::new());
    // One frame of a clip that was left on white among transparent ones.
    let figure = |back: [u8; 4]| {
        let image = RgbaImage::from_fn(16, 16, |x, y| match (5..11).contains(&x) && (4..13).contains(&y) {
            true => Rgba([180, 40, 40, 255]),
            false => Rgba(back),
        });
        Pixels::from_image(image)
    };
    let walk = set(vec![figure([0; 4]), figure([255; 4]), figure([0; 4]), figure([0; 4])]);
    let walk = with_clips(walk, &["walk = 0-3"]);
    assert_eq!(
        rules(&walk).iter().filter(|rule| rule.contains("key-left")).collect::<Vec<_>>(),
        ["wrong key-left 1"]
    );
}

#[test]
fn soft_pixels_left_keys_canvases_and_duplicates() {
    let paint = |at: usize, x: u32, color: [u8; 4]| {
        move |n: usize, frame: Frame| {
            let mut image = frame.pixels().to_image();
            if n == at {
                image.put_pixel(x, 15, Rgba(color));
            }
            Ok::<_, crate::SetError>(frame.with_pixels(Pixels::from_image(image), UVec2::default()).unwrap())
        }
    };
    let set = with_clips(drawn(&[&[BODY], &[BODY], &[moved(1, 0)]]), &["sit = 0-2"]);
    let set = set.map_frames(paint(2, 14, [1, 2, 3, 90])).unwrap();
    let set = set.map_frames(paint(0, 15, [255, 0, 255, 255])).unwrap();
    let set = set.map_frames(paint(1, 15, [255, 0, 255, 255])).unwrap();
    let rules: Vec<String> =
        check(&set, &Thresholds::default()).iter().map(|f| format!("{} {}", f.rule, f.frame)).collect();
    assert_eq!(rules, ["soft-alpha 2", "duplicate 1"]);
    let blank = with_clips(drawn(&[&[BODY], &[], &[moved(1, 0)]]), &["sit = 0-2", "off = 1"]);
    let blinks = check(&blank, &Thresholds::default());
    assert_eq!(blinks.len(), 1, "{blinks:?}");
    assert_eq!((blinks[0].rule, blinks[0].frame), (Rule::Blank, 1));
    let wider = set.map_frames(|at, frame| {
        let canvas = crate::Size::new(40 + at as u32, 40);
        Ok::<_, crate::SetError>(frame.translate_onto(canvas, 0, 0).unwrap())
    });
    let findings = described(&wider.unwrap());
    assert!(findings.iter().any(|text| text == "canvases 1: OtherCanvas { than: 0 }"), "{findings:?}");
}
