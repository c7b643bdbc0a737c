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
        Frame::new(Name::new("heron").unwrap(), Name::new(at.to_string()).unwrap(), Pixels::whole(image))
            .unwrap()
    };
    FrameSet::new(frames.iter().enumerate().map(frame).collect(), vec![]).unwrap()
}

fn told(set: &FrameSet) -> Vec<String> {
    let tell = |f: &Finding| {
        let spot = f.at.map(|at| format!(" at {at}")).unwrap_or_default();
        format!("{} {}{spot}: {}", f.rule, set.frames()[f.frame].name(), seen(f.seen))
    };
    check(set, &Limits::default()).iter().map(tell).collect()
}

/// What was seen, short.
fn seen(seen: Seen) -> String {
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
        Seen::Touches { pixels, sides: touched } => format!("touches {} with {pixels}", sides(touched)),
        Seen::Neighbor { area, sides: touched } => format!("{area} of a neighbor at {}", sides(touched)),
        Seen::Stray { area, drawing } => format!("{area} beside {drawing}"),
        Seen::Forgotten { area } => format!("{area} alone"),
        Seen::Moved { right, down } => format!("moved {right},{down}"),
        other => format!("{other:?}"),
    }
}

const BODY: Rect = Rect::new(12, 10, 12, 20);

fn moved(x: u32, y: u32) -> Rect {
    Rect { x: BODY.x + x, y: BODY.y + y, ..BODY }
}

#[test]
fn a_clean_clip_has_no_findings() {
    let set = with_clips(drawn(&[&[BODY], &[moved(1, 0)], &[moved(0, 1)], &[moved(2, 1)]]), &["walk = 0-3"]);
    assert_eq!(told(&set), Vec::<String>::new());
}

#[test]
fn edges_neighbors_and_strays_are_told_apart() {
    let set = drawn(&[
        &[Rect::new(0, 10, 20, 20)],
        &[BODY, Rect::new(38, 3, 2, 9)],
        &[BODY, Rect::new(30, 5, 2, 1)],
        &[Rect::new(7, 7, 1, 2)],
        &[Rect::new(0, 0, 40, 40)],
    ]);
    assert_eq!(
        told(&set),
        [
            "touches-edge 0 at 0,10: touches left with 20",
            "neighbor 1 at 39,3: 18 of a neighbor at right",
            "specks 2 at 30,5: 2 beside 240",
            "specks 3 at 7,7: 2 alone",
        ]
    );
}

#[test]
fn a_slide_and_a_jump_in_size_are_seen_from_the_pivot() {
    let large = Rect::new(10, 6, 16, 26);
    let set = with_clips(drawn(&[&[BODY], &[moved(6, 0)], &[BODY], &[large], &[BODY]]), &["walk = 0-4"]);
    let told = told(&set);
    assert_eq!(told.len(), 2, "{told:?}");
    assert!(told[0].starts_with("drift 1") && told[0].contains("moved 6,0"), "{told:?}");
    assert!(told[1].starts_with("size-jump 3") && told[1].contains("factor: 1.3"), "{told:?}");
    // A pivot that goes along with the figure holds it still.
    let mended = set.map_frames(|at, frame| {
        let pivot = crate::Point::new(if at == 1 { 26.0 } else { 20.0 }, 20.0);
        Ok::<_, crate::SetError>(frame.with_pivot(pivot))
    });
    assert!(check(&mended.unwrap(), &Limits::default()).iter().all(|finding| finding.rule != Rule::Drift));
}

#[test]
fn soft_pixels_left_keys_canvases_and_duplicates() {
    let paint = |at: usize, x: u32, color: [u8; 4]| {
        move |n: usize, frame: Frame| {
            let mut image = frame.pixels().to_image();
            if n == at {
                image.put_pixel(x, 15, Rgba(color));
            }
            Ok::<_, crate::SetError>(frame.with_pixels(Pixels::whole(image), Pair::default()).unwrap())
        }
    };
    let set = with_clips(drawn(&[&[BODY], &[BODY], &[moved(1, 0)]]), &["sit = 0-2"]);
    let set = set.map_frames(paint(2, 14, [1, 2, 3, 90])).unwrap();
    let set = set.map_frames(paint(0, 15, [255, 0, 255, 255])).unwrap();
    let set = set.map_frames(paint(1, 15, [255, 0, 255, 255])).unwrap();
    let rules: Vec<String> =
        check(&set, &Limits::default()).iter().map(|f| format!("{} {}", f.rule, f.frame)).collect();
    assert_eq!(rules, ["soft-alpha 2", "key-left 0", "key-left 1", "duplicate 1"]);
    let blank = with_clips(drawn(&[&[BODY], &[], &[moved(1, 0)]]), &["sit = 0-2", "off = 1"]);
    let blinks = check(&blank, &Limits::default());
    assert_eq!(blinks.len(), 1, "{blinks:?}");
    assert_eq!((blinks[0].rule, blinks[0].frame), (Rule::Blank, 1));
    let wider = set.map_frames(|at, frame| {
        let canvas = crate::Size::new(40 + at as u32, 40);
        Ok::<_, crate::SetError>(frame.moved_on(canvas, 0, 0).unwrap())
    });
    let told = told(&wider.unwrap());
    assert!(told.iter().any(|text| text == "canvases 1: OtherCanvas { than: 0 }"), "{told:?}");
}
