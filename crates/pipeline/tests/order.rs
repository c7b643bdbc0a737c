//! The one order: options given together do what they do one after the other.

use image::{Rgba, RgbaImage};
use proptest::prelude::*;
use shibori_core::{Frame, FrameSet, Name, Pixels};
use shibori_pipeline::options::AdjustOptions;
use shibori_pipeline::steps::adjust;
use shibori_pipeline::{Context, Error, NoopObserver, Source};

/// Options in the order of the steps they ask for, as a recipe writes them. Of each line one is drawn.
const ORDER: [&[(&str, &str, &str)]; 15] = [
    &[("clean", "key", "ff00ff"), ("clean", "key", "ff00ff,0a141e")],
    &[("clean", "erase", "2,3,5,4"), ("clean", "erase", "-4,-4,40,9")],
    &[("clean", "clear-edge", "1"), ("clean", "clear-edge", "3")],
    &[("clean", "specks", "2"), ("clean", "specks", "6")],
    &[("clean", "harden-alpha", "128")],
    &[("shape", "mirror", "left-right"), ("shape", "mirror", "up-down")],
    &[("shape", "scale", "2"), ("shape", "scale", "3/2"), ("shape", "scale", "fit:50x60")],
    &[("shape", "align", "feet"), ("shape", "align", "center"), ("shape", "align", "mass")],
    &[("shape", "pivot", "feet"), ("shape", "pivot", "5px,9px"), ("shape", "pivot", "mark:0000ff")],
    &[("shape", "canvas", "90x80"), ("shape", "canvas", "120x110@60,70")],
    &[("shape", "trim", "frame"), ("shape", "trim", "clip"), ("shape", "trim", "sprite")],
    &[("shape", "canvas", "fit")],
    &[
        ("shape", "box", "body=auto"),
        ("shape", "box", "body=auto:clip"),
        ("shape", "box", "hit=1,2,5,4"),
        ("shape", "box", "hit=7x5"),
    ],
    &[("shape", "nine", "1,1,1,1")],
    &[("shape", "polygon", "6")],
];

fn options(picked: &[(&str, &str, &str)]) -> AdjustOptions {
    let mut all = serde_json::Map::new();
    for &(group, option, value) in picked {
        let table = all.entry(group).or_insert_with(|| serde_json::json!({}));
        table[option] = value.into();
    }
    serde_json::from_value(all.into()).unwrap()
}

/// Blobs on a background with holes, strays, half-clear rims, and one blue mark each.
fn frames(shapes: &[(u32, u32, u32, u32)], strays: &[(u32, u32)], is_trimmed: bool) -> FrameSet {
    let frame = |(at, &(x, y, width, height)): (usize, &(u32, u32, u32, u32))| {
        let mut image = RgbaImage::new(24, 20);
        for (dx, dy) in (0..width).flat_map(|dx| (0..height).map(move |dy| (dx, dy))) {
            let rim = dx == 0 || dy == 0 || dx + 1 == width || dy + 1 == height;
            let color = if rim { [90, 40, 20, 110] } else { [200, (dx * 9) as u8, (dy * 7) as u8, 255] };
            image.put_pixel(x + dx, y + dy, Rgba(color));
        }
        for (number, &(sx, sy)) in strays.iter().enumerate() {
            let key = if number % 2 == 0 { [255, 0, 255, 255] } else { [10, 20, 30, 255] };
            image.put_pixel(sx, sy, Rgba(key));
        }
        image.put_pixel(x + width / 2, y + height / 2, Rgba([0, 0, 255, 255]));
        let name = Name::new(format!("frog-{at}")).unwrap();
        let frame = Frame::new(Name::new("frog").unwrap(), name, Pixels::from_image(image)).unwrap();
        if is_trimmed { frame.trim_to_content() } else { frame }
    };
    let frames = shapes.iter().enumerate().map(frame).collect();
    let set = FrameSet::new(frames, Vec::new()).unwrap();
    shibori_core::clip::add_clips(set, &["leap = 0-1".parse().unwrap()]).unwrap()
}

fn adjusted(set: FrameSet, picked: &[(&str, &str, &str)]) -> Result<FrameSet, Error> {
    adjust(&Source::frames("figure", set), &options(picked), &Context::new(&NoopObserver))
        .map(|adjusted| adjusted.set)
}

fn any_shape() -> impl Strategy<Value = (u32, u32, u32, u32)> {
    (0u32..10, 0u32..8, 5u32..14, 5u32..12)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn options_given_together_do_what_they_do_one_after_the_other(
        shapes in prop::collection::vec(any_shape(), 2..4),
        strays in prop::collection::vec((0u32..24, 0u32..20), 1..4),
        is_trimmed in any::<bool>(),
        first in 0..ORDER.len(), second in 0..ORDER.len(), choice in 0usize..3,
    ) {
        let (first, second) = (first.min(second), first.max(second));
        let of = |line: usize| ORDER[line][choice % ORDER[line].len()];
        // One option has one value.
        prop_assume!(of(first).1 != of(second).1);
        // A mark isn't part of the drawing: it is taken before anything is weighed or erased. A command of its own that does
        // not know of the mark weighs or erases it with the rest.
        let is_blind = of(first).2 == "mass" || of(first).1 == "erase";
        prop_assume!(!is_blind || of(second).2 != "mark:0000ff");
        let set = frames(&shapes, &strays, is_trimmed);
        let together = adjusted(set.clone(), &[of(second), of(first)]);
        let apart = adjusted(set, &[of(first)]).and_then(|set| adjusted(set, &[of(second)]));
        let message = || format!("{:?} and {:?}", of(first), of(second));
        match (together, apart) {
            (Ok(together), Ok(apart)) => {
                for (a, b) in together.frames().iter().zip(apart.frames()) {
                    prop_assert_eq!(a.canvas(), b.canvas(), "{}", message());
                    prop_assert!(a.full_image().is_same_image(&b.full_image()), "{}", message());
                    prop_assert_eq!(a.kept_rect(), b.kept_rect(), "{}", message());
                    prop_assert_eq!(a.pivot(), b.pivot(), "{}", message());
                    prop_assert_eq!(a.annotations(), b.annotations(), "{}", message());
                }
            }
            (Err(together), Err(apart)) => {
                prop_assert_eq!(together.to_string(), apart.to_string(), "{}", message());
            }
            (together, apart) => {
                let (one, other) = (together.err().map(|e| e.to_string()), apart.err().map(|e| e.to_string()));
                prop_assert_eq!(one, other, "{}", message());
            }
        }
    }
}

#[test]
fn feet_on_a_canvas_stay_where_one_measurement_for_the_sprite_puts_them() {
    // The frog leaps: in the second frame it is off the ground, and stays off it on another canvas.
    let set = frames(&[(4, 8, 8, 10), (4, 2, 8, 10)], &[(23, 0)], false);
    let both = [("shape", "pivot", "feet"), ("shape", "canvas", "40x30")];
    let after = adjusted(set.clone(), &both).unwrap();
    let height = |set: &FrameSet, at: usize| {
        let frame = &set.frames()[at];
        frame.pivot().y - frame.content(0).unwrap().bottom() as f64
    };
    // The solid soles stand 5 px above the line that the first frame stands on; the soft rim reaches one further.
    assert_eq!(height(&after, 1), 5.0);
    // A canvas of the frames' own size needs no more room than they have.
    assert!(adjusted(set, &[("shape", "pivot", "feet"), ("shape", "canvas", "24x20")]).is_ok());
}
