//! What is written validates against the schema, is read back the same, and keeps what is not ours.

use crate::DisplaySlashed;
use image::{Rgba, RgbaImage};
use serde_json::json;
use shibori_core::clip::{ClipSpec, add_clips};
use shibori_core::{Cell, Frame, FrameSet, FrameSource, Name, Pixels, Point, Size, UVec2};

use super::*;

fn set() -> FrameSet {
    let pixels = Pixels::from_image(RgbaImage::from_pixel(3, 2, Rgba([1, 2, 3, 255])));
    let named = |name: &str, pixels: Pixels, inset: UVec2| {
        let (sprite, name) = (Name::new("koi").unwrap(), Name::new(name).unwrap());
        Frame::trimmed(sprite, name, pixels, Size::new(8, 8), inset).unwrap()
    };
    let source = FrameSource {
        file: "koi.png".into(),
        cell: Some(Cell { row: 0, column: 1 }),
        ..FrameSource::default()
    };
    let carried = json!({ "extras": { "sound": "plop" }, "later": [1] }).as_object().unwrap().clone();
    let first = named("koi-00", pixels, UVec2 { x: 2, y: 5 }).with_pivot(Point::new(4.0, 7.5));
    let frames = vec![
        first.with_source(Some(source)).with_carried(carry(None, carried)),
        named("koi-01", Pixels::empty(), UVec2::default()),
    ];
    let specs: Vec<ClipSpec> =
        ["swim = 0-1 @12fps", "turn = 0@80ms,1@240ms bounce 2"].map(|s| s.parse().unwrap()).into();
    add_clips(FrameSet::new(frames, vec![]).unwrap(), &specs).unwrap()
}

#[test]
fn the_text_is_one_line_a_frame() {
    let text = of_sheet(&set(), "koi.png", Size::new(8, 8), None).to_text();
    let wanted = r#"{
  "format": "shibori/1",
  "pages": [
    { "file": "koi.png", "size": [8, 8] }
  ],
  "frames": [
    { "name": "koi-00", "sprite": "koi", "page": 0, "rect": [2, 5, 3, 2], "canvas": [8, 8], "inset": [2, 5],
      "pivot": [4, 7.5], "source": { "file": "koi.png", "cell": "r0c1" }, "extras": { "sound": "plop" }, "later": [1] },
    { "name": "koi-01", "sprite": "koi", "page": 0, "rect": [0, 0, 0, 0], "canvas": [8, 8], "inset": [0, 0], "pivot": [4, 4] }
  ],
  "clips": [
    { "name": "swim", "sprite": "koi", "play": "forward", "plays": 0, "timescale": 12, "steps": [{ "frame": 0,
      "ticks": 1 }, { "frame": 1, "ticks": 1 }] },
    { "name": "turn", "sprite": "koi", "play": "bounce", "plays": 2, "timescale": 1000, "steps": [{ "frame": 0,
      "ticks": 80 }, { "frame": 1, "ticks": 240 }] }
  ]
}
"#
    .replace("\n      ", " ");
    assert_eq!(text, wanted);
    let again = parse(text.as_bytes()).unwrap();
    assert_eq!(again.to_text(), text);
}

#[test]
fn games_read_what_is_written_and_play_it_by_the_same_clock() {
    let set = set();
    let text = of_sheet(&set, "koi.png", Size::new(8, 8), None).to_text();
    let atlas = shibori_play::Atlas::from_json(text.as_bytes()).unwrap();
    let places: Vec<_> =
        set.frames().iter().map(|f| atlas.frame_index(f.sprite().as_str(), f.name().as_str())).collect();
    assert_eq!(places, [Some(0), Some(1)]);
    assert!(atlas.frames()[1].is_blank());
    assert_eq!((atlas.frames()[0].pivot, atlas.quad(0, false).unwrap().offset), ([4.0, 7.5], [-2.0, -2.5]));
    for clip in set.clips() {
        let played = atlas.clip(clip.sprite().as_str(), clip.name().as_str()).unwrap();
        for tick in 0..1000 {
            let shown = played.at_tick(tick);
            assert_eq!(
                (shown.moment, shown.frame),
                (clip.clock().at(tick), clip.steps()[shown.moment.step].frame)
            );
        }
    }
}

#[test]
fn the_committed_schema_is_current() {
    let made = serde_json::to_string_pretty(&schemars::schema_for!(Manifest)).unwrap() + "\n";
    let committed = schema().replace("\r\n", "\n");
    if committed != made {
        let copy = std::env::temp_dir().join("manifest.schema.json");
        std::fs::write(&copy, &made).unwrap();
        panic!(
            "the manifest changed: copy {} to crates/formats/schema/manifest.schema.json",
            copy.display_slashed()
        );
    }
}

#[test]
fn what_is_no_manifest_says_why() {
    let error_of = |text: &str| parse(text.as_bytes()).unwrap_err().to_string();
    assert_eq!(
        error_of("{\"format\": \"shibori/9\"}"),
        "is a manifest in format \"shibori/9\"; this version reads \"shibori/1\""
    );
    assert_eq!(error_of("{\"frames\": 3}"), "is not a shibori manifest: it has no \"format\" key");
    assert_eq!(error_of("{\n \"format\""), "line 2, column 9: EOF while parsing an object");
    assert_eq!(
        error_of("{\"format\": \"shibori/1\",\n\"pages\": [], \"frames\": [{}]}"),
        "line 2, column 26: missing field `name`"
    );
    let of_clip = |clip: &str| {
        let frame = r#"{ "name": "a", "sprite": "koi", "page": 0, "rect": [0, 0, 2, 2], "canvas": [2, 2], "pivot": [1, 1] }"#;
        let page = r#"{ "file": "pond.png", "size": [2, 2] }"#;
        let clip = format!(r#"{{ "name": "swim", "sprite": "koi", {clip} }}"#);
        error_of(&format!(
            r#"{{ "format": "shibori/1", "pages": [{page}], "frames": [{frame}], "clips": [{clip}] }}"#
        ))
    };
    assert_eq!(of_clip(r#""timescale": 12, "steps": []"#), "clip 'swim' has no frames");
    let still = "clip 'swim': a frame needs a duration above 0";
    assert_eq!(of_clip(r#""timescale": 0, "steps": [{ "frame": 0, "ticks": 1 }]"#), still);
    assert_eq!(of_clip(r#""timescale": 12, "steps": [{ "frame": 0, "ticks": 0 }]"#), still);
    let beyond = "clip 'swim' plays frame 1, but there are only 1 frames (0 to 0)";
    assert_eq!(of_clip(r#""timescale": 12, "steps": [{ "frame": 1, "ticks": 1 }]"#), beyond);
}

/// A folder with one page of 6x4 px and a manifest whose one frame is on it as given.
fn load_with(frame: &str, page: &str) -> Result<FrameSet, String> {
    let folder = tempfile::tempdir().unwrap();
    let image = RgbaImage::from_fn(6, 4, |x, y| {
        Rgba([x as u8 * 10, y as u8 * 10, 100, if x < 5 { 255 } else { 128 }])
    });
    std::fs::write(folder.path().join("pond.png"), crate::encode::png(&image).unwrap()).unwrap();
    let text = format!(
        "{{ \"format\": \"shibori/1\", \"pages\": [{{ \"file\": \"pond.png\", {page} }}], \"frames\": [{{ \"name\": \"koi-00\", \
         \"sprite\": \"koi\", \"canvas\": [8, 8], \"inset\": [1, 1], \"pivot\": [4, 8], {frame} }}] }}"
    );
    let path = folder.path().join("pond.json");
    std::fs::write(&path, text).unwrap();
    match crate::decode::load(&path, &crate::decode::ReadOptions::default()) {
        Ok(gathered) => {
            assert_eq!(gathered.files.len(), 2);
            Ok(gathered.set)
        }
        Err(crate::FileError::Read { problem, .. }) => Err(problem.to_string()),
        Err(other) => panic!("{other}"),
    }
}

const SIZE: &str = "\"size\": [6, 4]";

#[test]
fn a_turned_frame_is_turned_back() {
    // The page holds the frame rotated a quarter turn clockwise: its top left is the frame's bottom left.
    let set = load_with("\"page\": 0, \"rect\": [1, 0, 2, 3], \"rotated\": true", SIZE).unwrap();
    let pixels = set.frames()[0].pixels();
    assert_eq!(pixels.size(), Size::new(3, 2));
    let at = |x, y| pixels.get(x, y).unwrap().0;
    assert_eq!(at(0, 1), [10, 0, 100, 255]);
    assert_eq!(at(0, 0), [20, 0, 100, 255]);
    assert_eq!(at(2, 1), [10, 20, 100, 255]);
    assert_eq!(set.frames()[0].kept_rect().to_string(), "1,1,3,2");
}

#[test]
fn premultiplied_pages_are_read_as_they_are_meant() {
    let page = format!("{SIZE}, \"alpha\": \"premultiplied\"");
    let set = load_with("\"page\": 0, \"rect\": [4, 1, 2, 1]", &page).unwrap();
    let at = |x| set.frames()[0].pixels().get(x, 0).unwrap().0;
    assert_eq!(at(0), [40, 10, 100, 255]);
    assert_eq!(at(1), [100, 20, 199, 128]);
}

#[test]
fn contradictions_are_named_with_their_numbers() {
    let error_of = |frame: &str, page: &str| load_with(frame, page).unwrap_err();
    assert_eq!(
        error_of("\"page\": 1, \"rect\": [0, 0, 2, 2]", SIZE),
        "frame 'koi-00' is on page 1, but there are 1 pages (from 0)"
    );
    assert_eq!(
        error_of("\"page\": 0, \"rect\": [5, 0, 2, 2]", SIZE),
        "frame 'koi-00' at 5,0,2,2 extends beyond its page of 6x4 px"
    );
    assert_eq!(
        error_of("\"page\": 0, \"rect\": [0, 0, 2, 2]", "\"size\": [6, 5]"),
        "page \"pond.png\" is 6x4 px, but the manifest says 6x5 px"
    );
    // A blank frame needs no page and no room.
    let blank = load_with("\"page\": 0, \"rect\": [0, 0, 0, 0]", SIZE).unwrap();
    assert!(blank.frames()[0].is_blank() && blank.frames()[0].canvas() == Size::new(8, 8));
}

#[test]
fn boxes_panels_and_polygons_are_read_and_empty_boxes_refused() {
    let place = "\"page\": 0, \"rect\": [0, 0, 3, 3]";
    let annotations = "\"boxes\": { \"hit\": [-1, 2, 3, 4] }, \"nine\": [1, 2, 3, 2], \"polygon\": [[1, 1], [4.5, 1], [4, 4]]";
    let set = load_with(&format!("{place}, {annotations}"), SIZE).unwrap();
    let found = set.frames()[0].annotations();
    assert_eq!(found.boxes.values().next().map(ToString::to_string).as_deref(), Some("-1,2,3,4"));
    assert_eq!(found.nine.map(|nine| nine.to_string()).as_deref(), Some("1,2,3,2"));
    assert_eq!(found.polygon[1], shibori_core::Point::new(4.5, 1.0));
    let empty = load_with(&format!("{place}, \"boxes\": {{ \"hit\": [1, 2, 0, 4] }}"), SIZE).unwrap_err();
    assert_eq!(empty, "the box 'hit' of frame 'koi-00' is empty: width and height must be at least 1");
}

#[test]
fn reading_only_what_shows_loses_nothing() {
    use crate::encode;
    use crate::store::Transaction;
    let folder = tempfile::tempdir().unwrap();
    let frame = |at: u32| {
        let image = RgbaImage::from_fn(12, 9, |x, y| {
            let inside = (2 + at..7).contains(&x) && (1..5 + at).contains(&y);
            image::Rgba(if inside { [x as u8 * 9, y as u8 * 9, at as u8, 255] } else { [0; 4] })
        });
        let name = Name::new(format!("f{at}")).unwrap();
        Frame::new(Name::new("koi").unwrap(), name, Pixels::from_image(image)).unwrap()
    };
    let set = FrameSet::new((0..4).map(frame).collect(), vec![]).unwrap();
    // Also from pages of an atlas on which some are rotated.
    let dense = shibori_core::pack::DenseOptions { may_rotate: true, ..Default::default() };
    let layout = shibori_core::pack::Layout::Dense(dense);
    let options = shibori_core::pack::PackSettings { layout, ..shibori_core::pack::PackSettings::dense() };
    let atlas = shibori_core::pack::pack(set.clone(), &options).unwrap();
    let run = Transaction::default();
    encode::set(set.clone(), &folder.path().join("set"), &run, || {}).unwrap();
    encode::atlas(&folder.path().join("a"), &[atlas], &encode::PageEncoding::default(), &run, || {}).unwrap();
    run.commit().unwrap();
    for manifest in ["set/frames.json", "a.json"] {
        let limits = crate::decode::ReadOptions { tighten: true, ..crate::decode::ReadOptions::default() };
        let read = crate::decode::load(&folder.path().join(manifest), &limits).unwrap().set;
        for (before, after) in set.frames().iter().zip(read.frames()) {
            assert!(after.full_image().is_same_image(&before.full_image()), "{manifest} {}", before.name());
            assert_eq!((after.canvas(), after.pivot()), (before.canvas(), before.pivot()));
        }
        let kept: u64 = read.frames().iter().map(|frame| frame.pixels().size().area()).sum();
        assert!(manifest == "a.json" || kept < 4 * 12 * 9, "{manifest}: {kept}");
    }
}
