//! One random job from art to export: awkward art, random options, and the invariants that hold for all of them.
//!
//! Every choice is read from bytes, so a property test can shrink it and a fuzzer can learn it. The options are the fields
//! that each struct asks `serde` for: a new field takes part as soon as it is in its struct, and fails the test until
//! [`value`] has values for it. A typed error is a valid outcome; a panic is not.

use std::collections::HashSet;
use std::fs;
use std::path::Path;

use image::{Rgba, RgbaImage};
use serde::de::value::Error as Probed;
use serde::de::{DeserializeOwned, Error as _, Visitor};
use serde::{Deserializer, forward_to_deserialize_any};
use serde_json::{Map, Value, json};
use shibori_core::check::{Finding, Severity, check as check_set};
use shibori_core::pack::Atlas;
use shibori_core::{Budget, FrameSet, Rect, Size};
use shibori_formats::decode::ReadOptions;
use shibori_pipeline::options::{
    AdjustOptions, ArrangeOptions, CheckOptions, CleanOptions, ClipOptions, CutOptions, ExportOptions,
    FilterOption, PackOptions, PageOptions, ShapeOptions, SliceOptions, UnpackOptions,
};
use shibori_pipeline::remedy::{Destination, RemedyFinder};
use shibori_pipeline::steps::{
    Packed, adjust, check, edit_clips, export, pack, slice, stage_atlases, stage_export, stage_set, unpack,
};
use shibori_pipeline::{CommandLine, Context, NoopObserver, Source};

/// Lengths at which things go wrong.
const LENGTHS: [u32; 14] = [1, 2, 3, 4, 5, 7, 8, 9, 16, 17, 25, 31, 32, 64];

/// Choices read off bytes; where these end, the first of each.
pub(crate) struct Dice<'a>(&'a [u8]);

impl<'a> Dice<'a> {
    /// Choices of these bytes.
    pub(crate) fn new(bytes: &'a [u8]) -> Self {
        Self(bytes)
    }

    fn below(&mut self, count: u32) -> u32 {
        let Some((&first, rest)) = self.0.split_first() else { return 0 };
        self.0 = rest;
        u32::from(first) % count
    }

    fn one_in(&mut self, count: u32) -> bool {
        self.below(count) == count - 1
    }

    fn pick<T: Copy>(&mut self, of: &[T]) -> T {
        of[self.below(of.len() as u32) as usize]
    }

    fn text(&mut self, of: &[&str]) -> Value {
        Value::from(self.pick(of))
    }

    fn length(&mut self) -> u32 {
        self.pick(&LENGTHS)
    }

    /// A length near this one: as long, a little more or less, half or twice.
    fn near(&mut self, length: u32) -> u32 {
        let step = self.below(5);
        let kind = self.below(6);
        match kind {
            0 => length,
            1 => length + step,
            2 => length.saturating_sub(step),
            3 => length * 2 + step,
            4 => length / 2 + step,
            _ => step,
        }
    }
}

/// Made-up art of an awkward kind.
fn art(dice: &mut Dice<'_>) -> RgbaImage {
    let (cell, count) = (Size::new(dice.length(), dice.length()), (1 + dice.below(4), 1 + dice.below(3)));
    let kind = dice.below(9);
    let size = match dice.below(4) {
        0 => cell,
        1 => Size::new(cell.width * count.0 + dice.below(3), cell.height * count.1),
        _ => Size::new(cell.width * count.0, cell.height * count.1),
    };
    let mut noise = u32::from(dice.below(251) as u8) + 1;
    let mut next = || {
        noise = noise.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (noise >> 16) as u8
    };
    let colors = [[200, 80, 30, 255], [30, 90, 200, 255], [250, 250, 250, 255], [0, 0, 0, 255]];
    RgbaImage::from_fn(size.width, size.height, |x, y| {
        let (inside_x, inside_y) = (x % cell.width, y % cell.height);
        let is_inner = inside_x > cell.width / 5
            && inside_x < cell.width - cell.width / 5
            && inside_y > cell.height / 5
            && inside_y < cell.height - cell.height / 6;
        let color = match kind {
            0 => [0; 4],
            1 if (x, y) == (size.width / 2, size.height / 2) => colors[0],
            1 => [0; 4],
            2 => colors[1],
            3 => [next(), next(), next(), 255],
            4 => [next(), next() / 2, 30, next()],
            5 if is_inner => colors[((x / cell.width + y / cell.height) % 4) as usize],
            5 => [0; 4],
            6 if is_inner => [next() / 64 * 64, 60, 40, 255],
            6 => [255, 0, 255, 255],
            7 if next().is_multiple_of(5) => colors[2],
            7 => [0; 4],
            _ if is_inner => [90, next() / 128 * 90, 60, 255 - next() / 64 * 60],
            _ => [0; 4],
        };
        Rgba(color)
    })
}

/// The names of the options of a struct.
struct Probe<'a>(&'a mut &'static [&'static str]);

impl<'de> Deserializer<'de> for Probe<'_> {
    type Error = Probed;

    fn deserialize_any<V: Visitor<'de>>(self, _: V) -> Result<V::Value, Probed> {
        Err(Probed::custom("only the names are asked for"))
    }

    fn deserialize_struct<V: Visitor<'de>>(
        self,
        _: &'static str,
        fields: &'static [&'static str],
        visitor: V,
    ) -> Result<V::Value, Probed> {
        *self.0 = fields;
        self.deserialize_any(visitor)
    }

    forward_to_deserialize_any! {
        bool i8 i16 i32 i64 i128 u8 u16 u32 u64 u128 f32 f64 char str string bytes byte_buf option unit unit_struct
        newtype_struct seq tuple tuple_struct map enum identifier ignored_any
    }
}

/// What a command works on, as far as options are about it.
#[derive(Clone, Copy)]
struct Near {
    /// The sheet, or the largest frame.
    size: Size,
    /// How many frames there may be.
    count: u32,
}

/// Some options of a group, each with a value.
fn group<T: DeserializeOwned>(dice: &mut Dice<'_>, near: Near, but: &[&str]) -> Value {
    let mut names: &'static [&'static str] = &[];
    let _ = T::deserialize(Probe(&mut names));
    assert!(!names.is_empty(), "a struct asks for its options by name");
    let mut all = Map::new();
    // Only a few at a time, so that most combinations are valid.
    let often = [6, 16, 40][dice.below(3) as usize];
    for name in names.iter().filter(|name| !but.contains(name)) {
        if dice.one_in(often) {
            all.insert((*name).to_owned(), value(name, dice, near));
        }
    }
    Value::Object(all)
}

/// A value for an option: of its range, edges often.
fn value(name: &str, dice: &mut Dice<'_>, near: Near) -> Value {
    let Near { size, count } = near;
    let pair = |dice: &mut Dice<'_>, sign: char| format!("{}{sign}{}", dice.below(6), dice.below(4));
    let sides = |dice: &mut Dice<'_>| format!("{}x{}", dice.near(size.width), dice.near(size.height));
    let area = |dice: &mut Dice<'_>| {
        let (x, y) = (dice.below(5) as i32 - 2, dice.below(5) as i32 - 2);
        format!("{x},{y},{},{}", dice.near(size.width).max(1), dice.near(size.height).max(1))
    };
    let switch = Value::from(true);
    match name {
        // Where the frames are.
        "grid" => format!("{}x{}", 1 + dice.below(6), 1 + dice.below(4)).into(),
        "cell" => sides(dice).into(),
        "within" => area(dice).into(),
        "offset" => pair(dice, ',').into(),
        "islands" | "uneven" | "manifest-only" | "defringe" | "draw-mirrored" | "page-square"
        | "no-share" | "no-spread" | "uv" | "strict" | "trimmed" | "apart" => switch,
        "allow-rotation" => switch,
        "join" => dice.pick(&[0, 1, 2, 9, 100]).into(),
        "min-area" => dice.pick(&[0, 1, 2, 16, 4096]).into(),
        "rects" => "rects.csv".into(),
        "count" => dice.pick(&[1, 2, count, count + 1]).into(),
        "take" => dice.text(&["0", "0-1", "r0", "c0", "1,0", "0-9/2", "r0c0", "0-1000000"]),
        "read" => dice.text(&["across", "down"]),
        "blank" => dice.text(&["drop", "keep"]),
        "sprite" => dice.text(&["newt", "a b", "con"]),
        "name" => dice.text(&["{sprite}-{n}", "{sheet}/{n:03}", "{clip}-{n}", "r{row}c{col}", "{sprite}"]),
        "number-from" => dice.pick(&[0, 1, 4_294_967_295u32]).into(),
        // Cleaning.
        "key" => dice.text(&["auto", "ff00ff", "none", "ffffff,000000", "00000000"]),
        "tolerance" => dice.pick(&[0, 1, 8, 255]).into(),
        "key-scope" => dice.text(&["outside", "everywhere"]),
        "erase" => json!([area(dice)]),
        "clear-edge" => dice.pick(&[0, 1, 2, 9, 1000]).into(),
        "specks" => dice.pick(&[0, 1, 4, 100]).into(),
        "harden-alpha" => dice.pick(&[1, 128, 255]).into(),
        // Shape.
        "mirror" => dice.text(&["left-right", "up-down"]),
        "scale" => match dice.below(3) {
            0 => format!("fit:{}", sides(dice)).into(),
            _ => dice.text(&["2", "0.5", "1", "2/3", "64", "0.02", "7/5"]),
        },
        "resample" | "sampling" => dice.text(&["nearest", "smooth"]),
        "align" => dice.text(&["feet", "center", "mass", "match", "mark:ff00ff"]),
        "region" => area(dice).into(),
        "align-axis" => dice.text(&["x", "y", "both"]),
        "align-per" => dice.text(&["clip", "sprite"]),
        "align-with" => dice.text(&["first", "previous"]),
        "align-reach" => dice.pick(&[1, 4, 1024]).into(),
        "trim" => dice.text(&["none", "frame", "clip", "sprite"]),
        "trim-alpha" => dice.pick(&[0, 1, 100, 254]).into(),
        "trim-border" => dice.pick(&[0, 1, 5, 4096]).into(),
        "canvas" => match dice.below(4) {
            0 => "fit".into(),
            1 => format!("{}@{}", sides(dice), pair(dice, ',')).into(),
            2 => "5000x5000".into(),
            _ => sides(dice).into(),
        },
        "pivot" => {
            dice.text(&["feet", "center", "bottom", "0.5,1", "3px,-9px", "top-left", "-7,400", "mark:ff00ff"])
        }
        "pivot-per" => dice.text(&["frame", "clip", "sprite"]),
        "box" => json!([match dice.below(4) {
            0 => "body=auto".to_owned(),
            1 => "body=auto:clip".to_owned(),
            2 => format!("hit={}", area(dice)),
            _ => format!("hit={}", format_args!("{}x{}", dice.length(), dice.length())),
        }]),
        "box-share" => dice.pick(&[1, 50, 100]).into(),
        "nine" => match dice.below(3) {
            0 => "auto".into(),
            _ => format!("{},{},{},{}", dice.below(4), dice.below(4), dice.below(9), dice.below(3)).into(),
        },
        "polygon" => dice.pick(&[4, 8, 64]).into(),
        "per-frame" => "per-frame.csv".into(),
        // Clips.
        "clip" => json!([dice.pick(&[
            "a = 0-1",
            "a = r0 @12fps",
            "a = 1,0,1 @80ms once",
            "a = 0x3 bounce",
            "a = 0 mirrored",
            "a = 0-9/2 total 1s"
        ])]),
        "clip-rows" => dice.text(&["a", "a,b@12fps", "-,b", "a once", "a-{dir8}"]),
        "event" => json!([dice.pick(&["a@0=hit", "a@99=hit"])]),
        // Packing.
        "layout" => dice.text(&["dense", "grid", "clip-rows", "strip"]),
        "columns" => dice.pick(&[1, 2, 7, 65_536]).into(),
        "row-order" => dice.text(&["a", "a,-,b", "-", "b,a"]),
        "page-max" => match dice.below(3) {
            0 => sides(dice).into(),
            _ => (dice.near(size.width.max(size.height)) + dice.below(5)).max(1).to_string().into(),
        },
        "page-size" => sides(dice).into(),
        "page-round" => dice.text(&["none", "pow2", "4", "1", "7", "4096"]),
        "page-per" => dice.text(&["clip", "sprite"]),
        "margin" => dice.pick(&[0, 1, 2, 5, 1024]).into(),
        "gutter" => dice.pick(&[0, 1, 2, 3, 1024]).into(),
        "bleed" => dice.pick(&[0, 1, 2, 3, 256]).into(),
        "effort" => dice.text(&["low", "medium", "high"]),
        "keep-places" => "old.json".into(),
        "repack-over" => dice.pick(&[1, 20, 99]).into(),
        "place-step" => dice.pick(&[1, 2, 4, 16]).into(),
        // Pages as files.
        "page-format" => dice.text(&["png", "webp", "qoi", "tga"]),
        "png" => dice.text(&["quick", "small"]),
        "palette" => dice.pick(&[2, 3, 16, 256]).into(),
        "alpha" => dice.text(&["straight", "premultiplied"]),
        "uv-origin" => dice.text(&["top", "bottom"]),
        "page-scales" => dice.text(&["1,0.5", "0.5", "1,2", "3/2,1", "1/16", "0.5,0.75,2"]),
        "companion" => dice.text(&["_n", "_n=8080ff"]),
        // Checking and export.
        "only" => dice.text(&["a", "0", "0-1", "sheet", "named:s*"]),
        "allow" => dice.text(&["drift", "specks=a"]),
        "drift-limit" | "size-limit" => dice.pick(&[0, 1, 50]).into(),
        "speck-limit" => dice.pick(&[0, 1, 1000]).into(),
        "to" => dice.text(&["csv", "css", "svg", "gltf", "glb"]),
        "template" => dice.text(&["lua", "c", "typescript"]),
        "unit" => dice.pick(&[1, 16, 1000]).into(),
        _ => panic!("no values are known for the option '{name}': add them to the storm"),
    }
}

fn options<T: DeserializeOwned>(value: Value) -> Option<T> {
    // A value may already be refused here; then there is no step to run.
    serde_json::from_value(value).ok()
}

fn largest(set: &FrameSet) -> Size {
    let canvases = set.frames().iter().map(shibori_core::Frame::canvas);
    canvases.fold(Size::new(1, 1), Size::union)
}

/// A context of its own in a folder, with limits that keep a case small.
fn context(folder: &Path) -> Context<'static> {
    let limits =
        ReadOptions { pixels: 1 << 22, memory: Budget::with_limit(1 << 28), ..ReadOptions::default() };
    let mut cx = Context::new(&NoopObserver).with_read_options(limits);
    folder.clone_into(&mut cx.base);
    cx
}

/// The files that a job wrote.
pub(crate) type Files = Vec<(String, Vec<u8>)>;

/// Runs one job and returns the files it wrote. Asserts every invariant, and passes each command's options to `report`.
pub(crate) fn run(bytes: &[u8], report: &mut dyn FnMut(&str, &Value)) -> Files {
    let home = tempfile::tempdir().expect("a folder");
    job(home.path(), bytes, report);
    let Ok(entries) = fs::read_dir(home.path().join("out")) else { return Vec::new() };
    let file = |path: std::path::PathBuf| {
        Some((path.file_name()?.to_string_lossy().into_owned(), fs::read(&path).ok()?))
    };
    let mut files: Files = entries.filter_map(|entry| file(entry.ok()?.path())).collect();
    files.sort();
    files
}

/// The first outcome of a few tries, each with other choices; the last of them are no options at all.
fn tried<T>(dice: &mut Dice<'_>, mut attempt: impl FnMut(&mut Dice<'_>) -> Option<T>) -> Option<T> {
    (0..4).find_map(|_| attempt(dice)).or_else(|| attempt(&mut Dice::new(&[])))
}

/// `None` if a step refused its options; the job ends there.
fn job(folder: &Path, bytes: &[u8], report: &mut dyn FnMut(&str, &Value)) -> Option<()> {
    let dice = &mut Dice::new(bytes);
    let image = art(dice);
    let near = Near { size: Size::new(image.width(), image.height()), count: 4 };
    let sheet = shibori_formats::encode::png(&image).expect("a sheet");
    fs::write(folder.join("sheet.png"), sheet).expect("a sheet");
    let rect = |dice: &mut Dice<'_>| {
        format!(
            "{},{},{},{}",
            dice.below(4),
            dice.below(3),
            dice.near(near.size.width),
            dice.near(near.size.height)
        )
    };
    let rects = format!("name,x,y,w,h\none,{}\ntwo,0,0,1,1\n", rect(dice));
    fs::write(folder.join("rects.csv"), rects).expect("a list");
    let shift = dice.pick(&["1,-1", "0,0", "2147483647,0", "-2147483648,5", "9000,9000"]);
    let places = format!("frame,kind,name,values\nsheet-00,shift,,\"{shift}\"\n");
    fs::write(folder.join("places.csv"), places).expect("a list");

    let set = tried(dice, |dice| {
        let all = json!({
            "slice": group::<CutOptions>(dice, near, &[]),
            "clean": group::<CleanOptions>(dice, near, &[]),
            "shape": group::<ShapeOptions>(dice, near, &[]),
            "clips": group::<ClipOptions>(dice, near, &[]),
        });
        report("slice", &all);
        let slicing = options::<SliceOptions>(all)?;
        Some(slice(&[Source::Path("sheet.png".into())], &slicing, &context(folder)).ok()?.set)
    });
    let set = set.or_else(|| {
        let cells = json!({ "slice": { "grid": "1x1", "blank": "keep" } });
        Some(slice(&[Source::Path("sheet.png".into())], &options(cells)?, &context(folder)).ok()?.set)
    })?;
    sound(&set);

    let near = Near { size: largest(&set), count: set.frames().len() as u32 };
    let adjusted = tried(dice, |dice| {
        let all = json!({
            "clean": group::<CleanOptions>(dice, near, &[]),
            "shape": group::<ShapeOptions>(dice, near, &[]),
        });
        report("adjust", &all);
        let adjusting = options::<AdjustOptions>(all)?;
        Some(adjust(&Source::frames("set", set.clone()), &adjusting, &context(folder)).ok()?.set)
    });
    let set = adjusted.unwrap_or(set);
    sound(&set);
    let all = group::<CheckOptions>(dice, near, &[]);
    report("check", &all);
    if let Some(checking) = options::<CheckOptions>(all) {
        remedies_help(folder, &set, &checking);
    }

    let near = Near { size: largest(&set), count: set.frames().len() as u32 };
    let (packed, packing, all, cx) = tried(dice, |dice| {
        let all = json!({
            "pack": group::<ArrangeOptions>(dice, near, &["keep-places"]),
            "page": group::<PageOptions>(dice, near, &[]),
            "shape": group::<ShapeOptions>(dice, near, &["per-frame"]),
            "clips": group::<ClipOptions>(dice, near, &[]),
        });
        report("pack", &all);
        let packing = options::<PackOptions>(all.clone())?;
        let cx = context(folder);
        Some((pack(&[Source::frames("set", set.clone())], &packing, &cx).ok()?, packing, all, cx))
    })?;
    for atlas in &packed.atlases {
        holds(atlas, &all);
    }
    stage_atlases(&packed, Path::new("out/pond"), &packing, &cx).ok()?;
    cx.commit().ok()?;
    comes_back(folder, &packed, &all);
    // Packed again over the first one, keeping its places.
    let mut again = all;
    again["pack"]["keep-places"] = "out/pond.json".into();
    report("pack again", &again);
    if let Some(keeping) = options::<PackOptions>(again.clone())
        && let Ok(packed) = pack(&[Source::frames("set", set)], &keeping, &context(folder))
    {
        packed.atlases.iter().for_each(|atlas| holds(atlas, &again));
    }
    let all = group::<ExportOptions>(dice, near, &[]);
    report("export", &all);
    if let (Some(exporting), Some(manifest)) = (options::<ExportOptions>(all), manifests(folder).first()) {
        let cx = context(folder);
        if let Ok(exported) = export(manifest, &exporting, None, &cx) {
            let _ = stage_export(&exported, &cx).and_then(|()| cx.commit());
        }
    }
    Some(())
}

/// Asserts of every remedy that is found for a set that it runs on the set as it is on disk, fixes what it was found for,
/// and brings nothing that is surely wrong.
fn remedies_help(folder: &Path, set: &FrameSet, options: &CheckOptions) {
    let cx = context(folder);
    if stage_set(set.clone(), Path::new("checked"), &cx).and_then(|_| cx.commit()).is_err() {
        return;
    }
    let options = CheckOptions { only: FilterOption::default(), allow: Vec::new(), ..options.clone() };
    let source = Source::Path("checked".into());
    let report = check(std::slice::from_ref(&source), &options, &context(folder)).expect("a set").remove(0);
    let keys = |set: &FrameSet, findings: &[Finding]| -> HashSet<(&str, String, Option<String>)> {
        let key = |finding: &Finding| {
            let frame = set.frames()[finding.frame].name().to_string();
            (finding.rule.id(), frame, finding.clip.as_ref().map(ToString::to_string))
        };
        findings.iter().map(key).collect()
    };
    let wrong = |findings: &[Finding]| -> Vec<Finding> {
        findings.iter().filter(|finding| finding.level() == Severity::Wrong).cloned().collect()
    };
    let before = keys(&report.whole, &wrong(&report.findings));
    let mut finder = RemedyFinder::new(&report, Destination::Files, folder);
    for group in report.groups() {
        for remedy in finder.find(&group) {
            let cx = context(folder);
            let changed = match &remedy.commands[..] {
                [CommandLine::Adjust { options, .. }] => {
                    adjust(&source, options, &cx).map(|adjusted| adjusted.set)
                }
                [CommandLine::Clip { options, .. }] => edit_clips(report.whole.clone(), options, &cx),
                other => panic!("a set needs one command: {other:?}"),
            };
            let changed = changed.unwrap_or_else(|error| panic!("{:?}: {error}", remedy.commands));
            sound(&changed);
            let after = check_set(&changed, &options.limits());
            let fixed: Vec<Finding> =
                group.findings.iter().filter(|one| remedy.frames.contains(&one.frame)).cloned().collect();
            let open = keys(&changed, &after);
            let left: Vec<_> = keys(&report.whole, &fixed).intersection(&open).cloned().collect();
            assert!(left.is_empty(), "{:?} leaves {left:?}", remedy.commands);
            let new: Vec<_> = keys(&changed, &wrong(&after)).difference(&before).cloned().collect();
            assert!(new.is_empty(), "{:?} brings {new:?}", remedy.commands);
        }
    }
}

/// Asserts that every number of a set is within the limits of a picture.
fn sound(set: &FrameSet) {
    for frame in set.frames() {
        assert!(frame.kept_rect().lies_in(Rect::of(frame.canvas())));
        let pivot = frame.pivot();
        assert!(pivot.x.is_finite() && pivot.y.is_finite(), "{pivot:?}");
        let nine = frame.annotations().nine;
        assert!(nine.is_none_or(|nine| nine.fit(frame.canvas())), "{nine:?} on {}", frame.canvas());
        let corners = frame.annotations().polygon.len();
        assert!(corners == 0 || corners > 2, "a polygon of {corners} corners");
    }
}

fn number(all: &Value, group: &str, name: &str) -> Option<u32> {
    all[group][name].as_u64().map(|number| number as u32)
}

/// Places, spaces, limits and rounding of every page are as asked, in any size.
fn holds(atlas: &Atlas, all: &Value) {
    let factor = atlas.factor().value();
    let is_dense = matches!(all["pack"]["layout"].as_str(), None | Some("dense"));
    let asked =
        |name: &str, dense: u32| number(all, "pack", name).unwrap_or(if is_dense { dense } else { 0 });
    let (margin, gutter, bleed) = (asked("margin", 1), asked("gutter", 2), asked("bleed", 0));
    let spaced = |pixels: u32| (f64::from(pixels) * factor).floor() as u32;
    assert!(bleed == 0 || atlas.bleed() > 0, "no bleed is left at {factor}");
    let space = spaced(gutter) + 2 * atlas.bleed();
    let edge = spaced(margin) + atlas.bleed();
    for (number, page) in atlas.pages().iter().enumerate() {
        let rects = atlas.rects_on(number);
        for (at, rect) in rects.iter().enumerate() {
            let room = |length: u64, end: u64| end + u64::from(edge) <= length;
            assert!(
                rect.x >= edge
                    && rect.y >= edge
                    && room(page.size.width.into(), rect.right())
                    && room(page.size.height.into(), rect.bottom()),
                "{rect:?} with {edge} px around it is not on a page of {} at {factor}",
                page.size
            );
            for other in &rects[at + 1..] {
                let apart = |a: u64, b: u32| a + u64::from(space) <= u64::from(b);
                assert!(
                    apart(rect.right(), other.x)
                        || apart(other.right(), rect.x)
                        || apart(rect.bottom(), other.y)
                        || apart(other.bottom(), rect.y),
                    "{rect:?} and {other:?} are closer than {space} px at {factor}"
                );
            }
        }
        let sides = [page.size.width, page.size.height];
        let text = |name: &str| all["pack"][name].as_str().map(str::to_owned);
        if let Some(max) = text("page-max") {
            let max: Vec<u32> = max.split('x').filter_map(|side| side.parse().ok()).collect();
            assert!(sides[0] <= max[0] && sides[1] <= max[max.len() - 1], "{} over {max:?}", page.size);
        }
        match text("page-round").as_deref() {
            Some("pow2") => assert!(sides.iter().all(|side| side.is_power_of_two()), "{}", page.size),
            Some(unit) if unit != "none" => {
                let unit: u32 = unit.parse().expect("a number");
                assert!(sides.iter().all(|side| side.is_multiple_of(unit)), "{} by {unit}", page.size);
            }
            _ => {}
        }
        if all["pack"]["page-square"] == true {
            assert!(page.size.is_square(), "{}", page.size);
        }
    }
}

/// The manifests of a run's atlases.
fn manifests(folder: &Path) -> Vec<std::path::PathBuf> {
    let Ok(entries) = fs::read_dir(folder.join("out")) else { return Vec::new() };
    let files = entries.filter_map(|entry| Some(entry.ok()?.path()));
    let mut found: Vec<_> =
        files.filter(|path| path.extension().is_some_and(|ending| ending == "json")).collect();
    found.sort();
    found
}

/// Without loss, every frame comes back pixel for pixel.
fn comes_back(folder: &Path, packed: &Packed, all: &Value) {
    let is_lossy = all["page"]["palette"].is_number() || all["page"]["alpha"] == "premultiplied";
    let mut count = 0;
    for manifest in manifests(folder) {
        let set = unpack(&manifest, &UnpackOptions::default(), &context(folder))
            .expect("an atlas that was written");
        sound(&set);
        let same_size = |atlas: &&Atlas| {
            let names = |set: &FrameSet| -> Vec<(String, Size)> {
                let frames = set.frames().iter().take(atlas.set().frames().len());
                frames.map(|frame| (frame.name().to_string(), frame.canvas())).collect()
            };
            names(atlas.set()) == names(&set)
        };
        let atlas = packed.atlases.iter().find(same_size).expect("an atlas of these frames");
        count += 1;
        for (before, after) in atlas.set().frames().iter().zip(set.frames()) {
            assert_eq!(before.pivot(), after.pivot());
            assert!(
                is_lossy || before.full_image().is_same_image(&after.full_image()),
                "'{}' came back as another picture",
                before.name()
            );
        }
    }
    assert_eq!(count, packed.atlases.len());
}
