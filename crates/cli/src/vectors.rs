//! Vectors that the JavaScript of the pages is tested on: what the program makes of texts, grids and clips, written to
//! `crates/report/tests/vectors.json`. `node --test crates/report/tests/model.test.mjs` reads them, so both sides
//! agree where no browser is.

use std::path::Path;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use clap::Parser;
use image::{Rgba, RgbaImage};
use serde_json::{Value, json};
use shibori_core::clip::{Clip, ClipSpec, PlayMode, add_clips};
use shibori_core::cut::{CellChoice, Counts, Grid, Spacing, cut_cells, find_crossings};
use shibori_core::shape::{Anchor, placement_checksum};
use shibori_core::{
    Annotations, Background, Cell, Color, Frame, FrameSet, FrameSource, Name, Pixels, Point, SignedRect,
    Size, UVec2, find_background,
};
use shibori_pipeline::options::{toml_key, toml_string};
use shibori_pipeline::steps::slice;
use shibori_pipeline::{Context, NoopObserver, Source as FramesOf};

use crate::args::{Cli, Command};
use crate::wording::{pasteable, pasteable_path};

const VECTORS: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../report/tests/vectors.json");
/// Clips as the pages write them: `UPDATE=1 node --test crates/report/tests/model.test.mjs` writes these.
const CLIP_TEXTS: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../report/tests/clip-texts.json");
const FRAMES: u32 = 12;

/// A small generator (xorshift), so that the vectors are the same every time.
struct Dice(u64);

impl Dice {
    fn below(&mut self, limit: u32) -> u32 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % u64::from(limit)) as u32
    }
}

fn quoting() -> Vec<Value> {
    let words = [
        "koi",
        "koi pond",
        "it's",
        "a\"b",
        "$HOME",
        "`ls`",
        "50%",
        "!x",
        "a,b",
        "-n",
        "",
        "\u{e9}t\u{e9}",
        "a\\b",
        "tab\there",
        "esc\u{1b}[31m",
        "\u{85}next",
        "swim = 0-7 @12fps",
        "\u{9bc9}",
        "#x",
        "a'b\"c$d",
        "-",
        "a(b)",
        "line\nbreak",
        "a\u{7f}",
    ];
    let vector = |word: &&str| {
        json!({
            "word": word,
            "pasted": pasteable(word),
            "path": pasteable_path(Path::new(word)),
            "toml": toml_string(word),
            "key": toml_key(word),
        })
    };
    words.iter().map(vector).collect()
}

/// Cells per row of the made-up sheet; every other row starts one column later.
const ROW: u32 = 5;

fn cell_of(number: u32) -> Cell {
    Cell { row: number / ROW, column: number % ROW + number / ROW % 2 }
}

/// A set of one sprite with this many frames.
fn frames() -> FrameSet {
    let name = |text: String| Name::new(text).expect("a name");
    let frame = |number: u32| {
        let pixels = Pixels::from_image(RgbaImage::new(1, 1));
        let source = FrameSource { cell: Some(cell_of(number)), ..FrameSource::default() };
        Frame::new(name("koi".to_owned()), name(format!("koi-{number:02}")), pixels)
            .expect("it fits its canvas")
            .with_source(Some(source))
    };
    FrameSet::new((0..FRAMES).map(frame).collect(), Vec::new()).expect("names differ")
}

fn clip_of(text: &str) -> Option<Clip> {
    let spec: ClipSpec = text.parse().ok()?;
    add_clips(frames(), &[spec]).ok()?.clips().first().cloned()
}

/// Lists of frames as they are typed, and what they come to: frames with how many times each is held, or nothing.
fn frame_lists(dice: &mut Dice) -> Vec<Value> {
    let mut texts: Vec<String> = [
        "0-7", "7-0", "3", "0,1,2,1", "0-10/3", "10-0/4", "4x3", "0-3x2,7", "12", "0-12", "", "a", "1,,2",
        "0x0", "-1",
    ]
    .map(str::to_owned)
    .to_vec();
    for _ in 0..60 {
        let part = |dice: &mut Dice| {
            let mut text = dice.below(FRAMES + 1).to_string();
            if dice.below(2) == 0 {
                text += &format!("-{}", dice.below(FRAMES + 1));
                if dice.below(3) == 0 {
                    text += &format!("/{}", 1 + dice.below(4));
                }
            }
            if dice.below(4) == 0 {
                text += &format!("x{}", 1 + dice.below(4));
            }
            text
        };
        let parts: Vec<String> = (0..=dice.below(3)).map(|_| part(dice)).collect();
        texts.push(parts.join(","));
    }
    let vector = |text: &String| {
        let steps = clip_of(&format!("swim = {text} @1fps"));
        let steps = steps.map(|clip| {
            let unit = clip.timescale();
            clip.steps().iter().map(|step| [step.frame as u32, step.ticks / unit]).collect::<Vec<_>>()
        });
        json!({ "text": text, "steps": steps })
    };
    texts.iter().map(vector).collect()
}

fn clip_json(clip: &Clip) -> Value {
    let step = |step: &shibori_core::clip::Step| {
        let mut value = json!({ "frame": step.frame, "ticks": step.ticks });
        if step.mirror {
            value["mirror"] = json!(true);
        }
        value
    };
    let play = if clip.play() == PlayMode::Bounce { "bounce" } else { "forward" };
    let steps: Vec<Value> = clip.steps().iter().map(step).collect();
    json!({ "play": play, "plays": clip.plays(), "timescale": clip.timescale(), "steps": steps })
}

/// Clip texts in three parts, with the clip each makes; null where it is refused.
fn clip_texts(dice: &mut Dice) -> Vec<Value> {
    let lists = [
        "0x3,1,2x5,3",
        "0-3m,4x2m",
        "r1",
        "c2",
        "r0c1-3",
        "r1c3-r0c4",
        "r9",
        "c9",
        "named:koi-0[2-4]",
        "named:ko?-1*",
        "named:newt",
        "0@80ms,1",
        "0-2@total 0.9s,3",
        "0@12,5",
        "0m@80ms",
        "0-4/2x2",
        "0 1",
        "0x",
    ];
    let times = [
        "12fps",
        "12.5fps",
        "80ms",
        "0.08s",
        "total 0.8s",
        "total 800ms",
        "33.333ms",
        "1000fps",
        "1001fps",
        "0ms",
        "total 12fps",
        "0.0000001s",
        "7fps",
        "@12fps",
        "twelve",
        "80 ms",
    ];
    let plays = [
        "",
        "loop",
        "once",
        "loop 3",
        "bounce",
        "bounce 2",
        "mirrored",
        "bounce mirrored",
        "mirrored loop 2",
        "loop once",
        "loop 0",
        "twice",
        "once 3",
        "bounce 4294967295",
        "loop 4294967296",
    ];
    let mut all: Vec<[&str; 3]> = Vec::new();
    all.extend(lists.map(|list| [list, "10fps", ""]));
    all.extend(times.map(|time| ["0x3,1,2", time, "bounce"]));
    all.extend(plays.map(|play| ["0-4", "12fps", play]));
    for _ in 0..60 {
        all.push([
            lists[dice.below(lists.len() as u32) as usize],
            times[dice.below(times.len() as u32) as usize],
            plays[dice.below(plays.len() as u32) as usize],
        ]);
    }
    let vector = |[frames, time, play]: &[&str; 3]| {
        let clip = clip_of(&format!("swim = {frames} @{} {play}", time.trim_start_matches('@')));
        json!({ "frames": frames, "time": time, "play": play, "clip": clip.as_ref().map(clip_json) })
    };
    all.iter().map(vector).collect()
}

/// Names, and whether a clip can be called so.
fn names() -> Vec<Value> {
    let long = "x".repeat(201);
    let names = [
        "swim",
        "swim fast",
        "\u{9bc9}",
        "a@b",
        "-a",
        "east/swim",
        ".hidden",
        "a=b",
        "a:b",
        "a?",
        "a*",
        "a|b",
        "a\"b",
        "a\\b",
        "con",
        "CON.txt",
        "com1",
        "com0",
        "console",
        "x/nul",
        "..",
        ".",
        "a//b",
        "/a",
        "a/",
        "a.",
        "a ",
        "a /b",
        "a\n",
        "\u{85}",
        &long,
        &long[1..],
        "a.b.c",
        "constructor",
        "lpt9 .x",
    ];
    let is_name = |name: &str| {
        let spec = format!("{name} = 0").parse::<ClipSpec>();
        // A name is trimmed where it is typed.
        spec.is_ok_and(|spec| spec.name().as_str() == name)
    };
    names.iter().map(|name| json!({ "name": name, "is_right": is_name(name) })).collect()
}

/// Sets of frames with their placement checksums.
fn checksums() -> Vec<Value> {
    let name = |text: &str| Name::new(text).expect("a name");
    let mut frames = Vec::new();
    for (at, (x, y)) in [(16.0, 31.5), (0.0, -3.0), (10.333, 1_000.125)].into_iter().enumerate() {
        let mut image = RgbaImage::new(8, 6);
        if at != 1 {
            image.put_pixel(2 + at as u32, 3, Rgba([9, 9, 9, 255]));
        }
        let mut annotations = Annotations::default();
        if at > 0 {
            let area = SignedRect { x: -2, y: 1, width: 3, height: 4 };
            annotations.boxes.insert(name("the foot"), area);
            for (x, other) in
                ["body", "body 2", "body,2", "the", "\u{1f438}", "\u{ff5e}"].into_iter().enumerate()
            {
                annotations.boxes.insert(name(other), SignedRect { x: x as i32, ..area });
            }
        }
        let frame = Frame::new(name("k\u{f6}i"), name(&format!("k\u{f6}i {at}")), Pixels::from_image(image));
        frames.push(frame.expect("it fits").with_pivot(Point::new(x, y)).with_annotations(annotations));
    }
    let frame_json = |frame: &Frame| {
        let boxes: serde_json::Map<String, Value> = frame
            .annotations()
            .boxes
            .iter()
            .map(|(name, at)| (name.to_string(), json!([at.x, at.y, at.width, at.height])))
            .collect();
        let canvas = [frame.canvas().width, frame.canvas().height];
        let mut value = json!({
            "name": frame.name().as_str(), "sprite": frame.sprite().as_str(), "page": 0, "rect": [0, 0, 8, 6],
            "canvas": canvas, "pivot": [frame.pivot().x, frame.pivot().y],
        });
        if !boxes.is_empty() {
            value["boxes"] = boxes.into();
        }
        value
    };
    let drawn = |frame: &Frame| frame.extent(0).map(|at| [at.x, at.y, at.width, at.height]);
    let sets = (1..=frames.len()).map(|count| frames[..count].to_vec());
    let vector = |frames: Vec<Frame>| {
        let set = FrameSet::new(frames, Vec::new()).expect("names differ");
        json!({
            "frames": set.frames().iter().map(frame_json).collect::<Vec<_>>(),
            "drawn": set.frames().iter().map(drawn).collect::<Vec<_>>(),
            "checksum": placement_checksum(&set),
        })
    };
    sets.map(vector).collect()
}

/// Clips with the step that is shown in each tick of two rounds.
fn clips(dice: &mut Dice) -> Vec<Value> {
    let mut all = Vec::new();
    for _ in 0..40 {
        let time = ["@12fps", "@7.5fps", "@80ms", "@33.333ms", "@total 0.8s", ""][dice.below(6) as usize];
        let play = ["", " once", " loop 3", " bounce", " bounce 2", " mirrored", " bounce mirrored"];
        let frame = |dice: &mut Dice| {
            let own = ["", "@50ms", "@120ms", "x2", "x3@40ms"][dice.below(5) as usize];
            let mirrored = if dice.below(6) == 0 && !own.contains('@') { "m" } else { "" };
            format!("{}{own}{mirrored}", dice.below(FRAMES))
        };
        let list: Vec<String> = (0..=dice.below(6)).map(|_| frame(dice)).collect();
        let text = format!("swim = {} {time}{}", list.join(","), play[dice.below(7) as usize]);
        let Some(clip) = clip_of(&text) else { continue };
        let shown = clip.played_steps();
        let ends: Vec<u64> = shown
            .iter()
            .scan(0, |end, step| {
                *end += u64::from(step.ticks);
                Some(*end)
            })
            .collect();
        // A tick at the start, in the middle and at the end of each step.
        let starts = std::iter::once(0).chain(ends.iter().copied());
        let ticks = starts.zip(&ends).enumerate();
        let moments: Vec<[u64; 2]> = ticks
            .flat_map(|(at, (start, end))| {
                [start, u64::midpoint(start, end - 1), end - 1].map(|tick| [tick, at as u64])
            })
            .collect();
        all.push(json!({ "clip": clip_json(&clip), "moments": moments, "total": clip.total_ticks() }));
    }
    all
}

/// Sheets with a grid: the cells that are frames, and the sides that drawings cross.
fn grids(dice: &mut Dice) -> Vec<Value> {
    let mut all = Vec::new();
    for _ in 0..30 {
        let (counts, cell) = ([1 + dice.below(4), 1 + dice.below(3)], [2 + dice.below(6), 2 + dice.below(6)]);
        let (offset, gutter) = ([dice.below(3), dice.below(3)], [dice.below(2), dice.below(2)]);
        let side = |axis: usize, rest: u32| offset[axis] + counts[axis] * (cell[axis] + gutter[axis]) + rest;
        let size = Size::new(side(0, dice.below(3)), side(1, dice.below(3)));
        let mut image = RgbaImage::new(size.width, size.height);
        for _ in 0..dice.below(8) {
            let (x, y) = (dice.below(size.width), dice.below(size.height));
            let (wide, high) = (1 + dice.below(6), 1 + dice.below(6));
            for (x, y) in (y..(y + high).min(size.height))
                .flat_map(|y| (x..(x + wide).min(size.width)).map(move |x| (x, y)))
            {
                image.put_pixel(x, y, Rgba([9, 9, 9, 255]));
            }
        }
        let drawn = shibori_report::runs(image.pixels().map(|pixel| pixel[3] > 0));
        let pixels = Pixels::from_image(image);
        let pair = |[x, y]: [u32; 2]| UVec2 { x, y };
        let spacing = Spacing { offset: pair(offset), gutter: pair(gutter) };
        let counts_of = Counts::new(counts[0], counts[1]).expect("at least one");
        let grid = Grid::by_both(size, counts_of, Size::new(cell[0], cell[1]), spacing).expect("it fits");
        let choice = CellChoice { background: Background::Clear, ..CellChoice::default() };
        let cut = cut_cells(&pixels, &grid, &choice).expect("no count is given");
        let rect = |one: &shibori_core::cut::CutCell| {
            let rect = grid.rect(one.cell);
            [rect.x, rect.y, rect.width, rect.height]
        };
        let crossings: Vec<[u32; 3]> = find_crossings(&pixels, Background::Clear, &grid)
            .iter()
            .map(|crossing| [crossing.cell.row, crossing.cell.column, crossing.pixels])
            .collect();
        all.push(json!({
            "size": [size.width, size.height],
            "drawn": STANDARD.encode(drawn),
            "grid": { "columns": counts[0], "rows": counts[1], "cell": cell, "offset": offset, "gutter": gutter },
            "cells": cut.cells.iter().map(rect).collect::<Vec<_>>(),
            "crossings": crossings,
        }));
    }
    all
}

/// A made-up sheet: blocks and dots of ink on a color, or on nothing.
fn sheet(dice: &mut Dice, size: Size, is_flat: bool) -> RgbaImage {
    let behind = if is_flat { Rgba([46, 160, 168, 255]) } else { Rgba([0; 4]) };
    let mut image = RgbaImage::from_pixel(size.width, size.height, behind);
    for _ in 0..3 + dice.below(5) {
        let (x, y, side) = (dice.below(size.width), dice.below(size.height), 1 + dice.below(5));
        let is_ring = dice.below(3) == 0;
        for (px, py) in (y..(y + side).min(size.height))
            .flat_map(|py| (x..(x + side).min(size.width)).map(move |px| (px, py)))
        {
            let is_inner = is_ring && px > x && py > y && px + 1 < x + side && py + 1 < y + side;
            if !is_inner {
                let alpha = if is_flat || dice.below(9) > 0 { 255 } else { 90 };
                image.put_pixel(px, py, Rgba([20 + (px % 3) as u8, 30, (py % 5) as u8, alpha]));
            }
        }
    }
    // Noise of a lossy format, and another shade.
    for _ in 0..dice.below(4) {
        let (x, y) = (dice.below(size.width), dice.below(size.height));
        image.put_pixel(x, y, Rgba([49, 158, 168, 255]));
    }
    image
}

/// Sheets that are cleaned and mirrored while they are cut: the settings of the page, the command, and the frames.
fn cleanings(dice: &mut Dice) -> Vec<Value> {
    let mut all = Vec::new();
    while all.len() < 60 {
        let is_flat = dice.below(4) > 0;
        let (columns, rows) = (1 + dice.below(3), 1 + dice.below(2));
        let cell = [5 + dice.below(4), 4 + dice.below(5)];
        let image = sheet(dice, Size::new(columns * cell[0], rows * cell[1]), is_flat);
        let pixels = Pixels::from_image(image.clone());
        let background = find_background(&pixels);
        let (auto_key, behind) = match background {
            Background::Flat { color, tolerance } => {
                (json!({ "color": Color(color).to_string(), "tolerance": tolerance }), "flat")
            }
            Background::Clear => (Value::Null, "clear"),
            Background::None => (Value::Null, "none"),
        };
        let mut words: Vec<String> = ["slice", "x.png"].map(str::to_owned).to_vec();
        let mut say = |name: &str, value: String| words.extend([format!("--{name}"), value]);
        say("grid", format!("{columns}x{rows}"));
        say("cell", format!("{}x{}", cell[0], cell[1]));
        let mut clean = json!({
            "key": "none", "tolerance": null, "scope": "outside", "erase": "", "edge": 0, "specks": 0, "mirror": "", "pivot": "",
        });
        let key = match dice.below(3) {
            0 => "none",
            1 if !auto_key.is_null() => "auto",
            _ => "2ea0a8",
        };
        clean["key"] = key.into();
        if key != "none" {
            say("key", key.to_owned());
            if dice.below(2) == 0 {
                let tolerance = dice.below(5);
                // What is not said is 0 for a color, so the page doesn't say that.
                if key == "auto" || tolerance > 0 {
                    clean["tolerance"] = tolerance.into();
                    say("tolerance", tolerance.to_string());
                }
            }
            if dice.below(3) == 0 {
                clean["scope"] = "everywhere".into();
                say("key-scope", "everywhere".to_owned());
            }
        }
        if dice.below(3) == 0 {
            let area =
                format!("{},{},{},{}", dice.below(4), dice.below(3), 1 + dice.below(4), 1 + dice.below(4));
            clean["erase"] = area.clone().into();
            say("erase", area);
        }
        for (name, option) in [("edge", "clear-edge"), ("specks", "specks")] {
            if dice.below(3) == 0 {
                let value = 1 + dice.below(3);
                clean[name] = value.into();
                say(option, value.to_string());
            }
        }
        if dice.below(3) == 0 {
            let way = if dice.below(2) == 0 { "left-right" } else { "up-down" };
            clean["mirror"] = way.into();
            say("mirror", way.to_owned());
        }
        words.extend(["-o", "x"].map(str::to_owned));
        let cli = Cli::try_parse_from(std::iter::once("shibori".to_owned()).chain(words.iter().cloned()));
        let Command::Slice(args) = cli.expect("a command line").command else { unreachable!("it slices") };
        let source = FramesOf::Sheet { name: "x.png".to_owned(), pixels };
        let sliced = slice(&[source], &args.options, &Context::new(&NoopObserver));
        let frames = sliced.ok().map(|sliced| {
            let frame = |frame: &Frame| {
                let image = frame.full_image().to_image();
                let bytes = image.pixels().flat_map(|pixel| if pixel[3] == 0 { [0; 4] } else { pixel.0 });
                let sum = bytes
                    .fold(0x811c_9dc5_u32, |sum, byte| (sum ^ u32::from(byte)).wrapping_mul(0x0100_0193));
                json!([frame.cell().map(|cell| cell.to_string()), sum])
            };
            sliced.set.frames().iter().map(frame).collect::<Vec<_>>()
        });
        all.push(json!({
            "size": [image.width(), image.height()],
            "rgba": STANDARD.encode(image.as_raw()),
            "drawn": STANDARD.encode(shibori_report::runs(
                image.pixels().map(|pixel| background.is_content(&pixel.0)),
            )),
            "background": behind,
            "auto_key": auto_key,
            "grid": { "columns": columns, "rows": rows, "cell": cell, "offset": [0, 0], "gutter": [0, 0] },
            "clean": clean,
            "words": words,
            "frames": frames,
        }));
    }
    all
}

/// Pivots as they are typed, and whether they are one.
fn pivots() -> Vec<Value> {
    let texts = [
        "feet",
        "center",
        "bottom",
        "top-left",
        "bottom-right",
        "left",
        "0.5,1",
        " 0.25 , 0.5 ",
        "16px,30px",
        "16px,30",
        "-3px,4px",
        ".5,.5",
        "mark:ff00ff",
        "mark:x",
        "middle",
        "1",
        "1,2,3",
        "0.5;1",
        "px,px",
    ];
    let vector = |text: &&str| {
        let anchor = text.parse::<Anchor>().ok();
        let point = anchor.and_then(|anchor| match anchor {
            Anchor::Fraction(at) => Some([at.x * 8.0, at.y * 4.0]),
            Anchor::Pixels(at) => Some([at.x, at.y]),
            Anchor::Feet | Anchor::Mark(_) => None,
        });
        json!({ "text": text, "is_right": anchor.is_some(), "point": point })
    };
    texts.iter().map(vector).collect()
}

#[test]
fn the_vectors_that_pages_are_tested_on_are_current() {
    let mut dice = Dice(0x9e37_79b9_7f4a_7c15);
    let vectors = json!({
        "quoting": quoting(),
        "frames": frame_lists(&mut dice),
        "clips": clips(&mut dice),
        "texts": clip_texts(&mut dice),
        "names": names(),
        "cells": (0..FRAMES).map(|number| [cell_of(number).row, cell_of(number).column]).collect::<Vec<_>>(),
        "checksums": checksums(),
        "grids": grids(&mut dice),
        "cleanings": cleanings(&mut dice),
        "pivots": pivots(),
    });
    let text = serde_json::to_string_pretty(&vectors).expect("plain data") + "\n";
    if std::fs::read_to_string(VECTORS).unwrap_or_default() != text {
        let fresh = std::env::temp_dir().join("vectors.json");
        std::fs::write(&fresh, text).expect("a temporary file can be written");
        panic!(
            "crates/report/tests/vectors.json is not current; a new one is in {}",
            fresh.to_string_lossy()
        );
    }
}

/// A clip that a page writes as text is read back as the clip that it was.
#[test]
fn clips_that_pages_write_are_read_back_exactly() {
    let vectors: Value = serde_json::from_slice(&std::fs::read(VECTORS).expect("it is there")).expect("JSON");
    let texts: Vec<String> =
        serde_json::from_slice(&std::fs::read(CLIP_TEXTS).expect("it is there")).expect("a list of texts");
    let clips = vectors["clips"].as_array().expect("a list");
    assert_eq!(clips.len(), texts.len());
    for (vector, text) in clips.iter().zip(&texts) {
        let wanted = &vector["clip"];
        let read = clip_json(&clip_of(&format!("swim = {text}")).unwrap_or_else(|| panic!("{text}")));
        // Another clock may say the same times.
        let times = |clip: &Value| -> Vec<u64> {
            let scale = clip["timescale"].as_u64().expect("a number");
            let steps = clip["steps"].as_array().expect("a list").iter();
            // In units that both clocks divide.
            steps.map(|step| step["ticks"].as_u64().expect("a number") * 1_000_000_000_000 / scale).collect()
        };
        let frames = |clip: &Value| -> Vec<Value> {
            clip["steps"]
                .as_array()
                .expect("a list")
                .iter()
                .map(|step| json!([step["frame"], step["mirror"]]))
                .collect()
        };
        assert_eq!(frames(&read), frames(wanted), "{text}");
        assert_eq!((&read["play"], &read["plays"]), (&wanted["play"], &wanted["plays"]), "{text}");
        assert_eq!(times(&read), times(wanted), "{text}");
    }
}
