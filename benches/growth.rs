//! How time and memory grow with the work: `cargo bench --bench growth`.
//!
//! Each case runs in a process of its own, so that its peak is its own, on ten times as much work in each column; a sheet
//! has four times as many pixels. What counts is the factor from column to column: ten or four is linear. `--bench growth --
//! NAME` runs the cases whose name begins so, `-- --whole` the largest sizes too.

use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

use image::{Rgba, RgbaImage};
use shibori_benches::{Figures, has_argument};
use shibori_core::check::Thresholds;
use shibori_core::clip::{Clip, FrameDuration, add_clips};
use shibori_core::cut::{SheetAnalysis, detect_grid};
use shibori_core::shape::{
    CanvasRule, FrameOverride, OverrideKind, Trim, TrimScope, apply_overrides, set_canvas, trim,
};
use shibori_core::{Frame, FrameSet, Name, NameTemplate, Pixels, Point, Size, check, parallel};
use shibori_pipeline::options::{AdjustOptions, ContactOptions, ExportOptions, HtmlOptions, PackOptions};
use shibori_pipeline::steps::{
    AdjustTarget, View, adjust, export, pack, stage_adjusted, stage_atlases, stage_set,
};
use shibori_pipeline::{Context, NoopObserver, Source};
use tempfile::TempDir;

const COUNTS: [usize; 3] = [1_000, 10_000, 100_000];
const SHEETS: [usize; 4] = [1024, 2048, 4096, 8192];
const FILES: [usize; 3] = [100, 1_000, 10_000];

/// Name, sizes, and what is run; it says how long its measured part took, in seconds.
type Case = (&'static str, &'static [usize], fn(usize) -> f64);

const CASES: [Case; 18] = [
    ("name by clip", &COUNTS, name_by_clip),
    ("clips added", &COUNTS, clips_added),
    ("places", &COUNTS, places),
    ("trim by clip", &COUNTS, trim_by_clip),
    ("canvas", &COUNTS, canvas),
    ("adjust", &COUNTS, adjust_all),
    ("check", &COUNTS, check_all),
    ("pack low", &COUNTS, pack_low),
    ("pack per sprite", &COUNTS, pack_per_sprite),
    ("keep places", &COUNTS, keep_places),
    ("export csv", &COUNTS, export_csv),
    ("html", &COUNTS, html_page),
    ("contact", &COUNTS, contact_sheets),
    ("grid of drawings", &SHEETS, grid_of_drawings),
    ("grid of small drawings", &SHEETS, grid_of_small_drawings),
    ("grid of dense tiles", &SHEETS, grid_of_tiles),
    ("files: pack 256 px", &FILES, pack_files),
    ("files: adjust 256 px", &FILES, adjust_files),
];

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|word| word != "--bench").collect();
    if let [mark, name, size] = words.as_slice()
        && mark == "--case"
    {
        let (_, _, run) = CASES.iter().find(|(known, ..)| known == name).expect("a case");
        let seconds = run(size.parse().expect("a size"));
        println!("{seconds} {}", peak());
        return;
    }
    println!("{:22} time and peak memory for each size; in brackets the factor from the size before", "");
    let figures = Figures::of("growth");
    // The largest sizes take minutes.
    let is_whole = has_argument("--whole");
    let words: Vec<String> = words.into_iter().filter(|word| word != "--whole").collect();
    let only = words.first().map_or("", String::as_str);
    for (name, sizes, _) in CASES.iter().filter(|(name, ..)| name.starts_with(only)) {
        let mut line = format!("{name:22}");
        let mut before: Option<(f64, f64)> = None;
        let count = if is_whole { sizes.len() } else { sizes.len() - 1 };
        let mut worst: f64 = 0.0;
        for size in &sizes[..count] {
            let (seconds, megabytes) = measured(name, *size);
            // What takes a few milliseconds differs by more than that from run to run.
            if let Some((s, _)) = before.filter(|(s, _)| *s >= 0.005) {
                worst = worst.max(seconds / s.max(1e-3));
            }
            let factors = before.map_or(String::new(), |(s, m)| {
                format!(" (x{:.1}, x{:.1})", seconds / s.max(1e-4), megabytes / m.max(1.0))
            });
            line += &format!("  {size}: {seconds:.3} s {megabytes:.0} MB{factors}");
            before = Some((seconds, megabytes));
        }
        println!("{line}\n{:24}{}", "", figures.verdict(name, worst));
    }
}

/// Runs one case in a process of its own.
fn measured(name: &str, size: usize) -> (f64, f64) {
    let own = std::env::current_exe().expect("this program");
    let output = Command::new(own).args(["--case", name, &size.to_string()]).output().expect("it runs");
    let text = String::from_utf8_lossy(&output.stdout);
    let numbers: Vec<f64> = text.split_whitespace().filter_map(|word| word.parse().ok()).collect();
    match numbers[..] {
        [seconds, megabytes] => (seconds, megabytes),
        _ => panic!("{name} {size}: {}", String::from_utf8_lossy(&output.stderr)),
    }
}

/// The most memory this process had, in MB; 0 where the system does not tell.
fn peak() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    let kilobytes: f64 =
        line.and_then(|line| line.trim().strip_suffix("kB")?.trim().parse().ok()).unwrap_or(0.0);
    kilobytes / 1000.0
}

fn timed<T>(work: impl FnOnce() -> T) -> f64 {
    let began = Instant::now();
    std::hint::black_box(work());
    began.elapsed().as_secs_f64()
}

fn name(text: String) -> Name {
    Name::new(text).expect("a name")
}

/// Small drawings, ten a sprite, no two alike.
fn frames(count: usize) -> FrameSet {
    let frame = |at: usize| {
        let side = |seed: usize| 6 + (at.wrapping_mul(seed) >> 7) as u32 % 6;
        let (width, height) = (side(2_654_435_761), side(40_503));
        let image = RgbaImage::from_fn(14, 14, |x, y| {
            let inside = (1..=width).contains(&x) && (1..=height).contains(&y);
            let [a, b, c, _] = (at as u32).to_le_bytes();
            Rgba(if inside { [a ^ x as u8, b ^ y as u8, c, 255] } else { [0; 4] })
        });
        Frame::new(name(format!("s{}", at / 10)), name(format!("f{at}")), Pixels::from_image(image))
            .expect("a frame")
    };
    FrameSet::new(parallel::map(count, frame), Vec::new()).expect("names are unique")
}

/// The same with a clip a sprite.
fn clips(count: usize) -> FrameSet {
    let set = frames(count);
    let clip = |places: &[usize]| {
        let spans: Vec<(usize, FrameDuration)> =
            places.iter().map(|&at| (at, FrameDuration::DEFAULT)).collect();
        let sprite = set.frames()[places[0]].sprite().clone();
        Clip::from_durations(sprite, name("walk".to_owned()), &spans).expect("it has frames")
    };
    let clips = set.index().sprites().map(clip).collect();
    set.with_clips(clips).expect("names are unique")
}

fn name_by_clip(count: usize) -> f64 {
    let (set, template) = (clips(count), "{clip}-{n:05}".parse::<NameTemplate>().expect("a template"));
    timed(|| template.rename(set, 0).expect("names are unique"))
}

fn clips_added(count: usize) -> f64 {
    let set = frames(count);
    let specs: Vec<_> = (0..count / 10)
        .map(|sprite| format!("s{sprite}:walk = 0-9 @12fps").parse().expect("a clip"))
        .collect();
    timed(|| add_clips(set, &specs).expect("the frames are there"))
}

fn places(count: usize) -> f64 {
    let set = frames(count);
    let line = |line: usize| FrameOverride {
        frame: format!("f{line}"),
        kind: OverrideKind::Pivot(Point::new(1.0, 2.0)),
        line,
    };
    let lines: Vec<FrameOverride> = (0..count).map(line).collect();
    timed(|| apply_overrides(set, &lines).expect("the frames are there"))
}

fn trim_by_clip(count: usize) -> f64 {
    let set = clips(count);
    timed(|| trim(set, Trim { scope: TrimScope::Clip, ..Trim::default() }).expect("names stay"))
}

fn canvas(count: usize) -> f64 {
    let set = clips(count);
    timed(|| set_canvas(set, CanvasRule::Size(Size::new(20, 20))).expect("it is large enough"))
}

fn options<T: serde::de::DeserializeOwned>(text: &str) -> T {
    serde_json::from_str(text).expect("options")
}

fn adjust_all(count: usize) -> f64 {
    let set = clips(count);
    let options: AdjustOptions = options(
        r#"{ "clean": { "specks": 2 }, "shape": { "align": "feet", "pivot": "feet", "trim": "frame", "box": "body=auto:clip" } }"#,
    );
    timed(|| {
        adjust(&Source::frames("clips", set), &options, &Context::new(&NoopObserver))
            .expect("it can be adjusted")
    })
}

fn check_all(count: usize) -> f64 {
    let set = clips(count);
    timed(|| check::check(&set, &Thresholds::default()))
}

fn pack_low(count: usize) -> f64 {
    let set = clips(count);
    let options: PackOptions = options(r#"{ "pack": { "effort": "low" } }"#);
    timed(|| {
        pack(&[Source::frames("clips", set)], &options, &Context::new(&NoopObserver))
            .expect("it can be packed")
    })
}

fn pack_per_sprite(count: usize) -> f64 {
    let set = clips(count);
    let options: PackOptions = options(r#"{ "pack": { "layout": "grid", "page-per": "sprite" } }"#);
    timed(|| {
        pack(&[Source::frames("clips", set)], &options, &Context::new(&NoopObserver))
            .expect("it can be packed")
    })
}

/// An atlas of so many frames in a folder of its own.
fn atlas(count: usize, folder: &Path) -> PathBuf {
    let options: PackOptions = options(r#"{ "pack": { "effort": "low" } }"#);
    let cx = Context::new(&NoopObserver);
    let packed = pack(&[Source::frames("clips", clips(count))], &options, &cx).expect("it can be packed");
    let path = folder.join("pond");
    stage_atlases(&packed, &path, &options, &cx).expect("it can be written");
    cx.commit().expect("it can be put in place");
    path
}

fn folder() -> TempDir {
    tempfile::tempdir().expect("a folder")
}

/// A tenth more frames than the atlas had before.
fn keep_places(count: usize) -> f64 {
    let folder = folder();
    atlas(count, folder.path());
    let old = folder.path().join("pond.json").to_string_lossy().into_owned();
    let options: PackOptions =
        serde_json::from_value(serde_json::json!({ "pack": { "keep-places": old } })).expect("options");
    let set = clips(count + count / 10);
    timed(|| {
        pack(&[Source::frames("clips", set)], &options, &Context::new(&NoopObserver))
            .expect("it can be packed")
    })
}

fn export_csv(count: usize) -> f64 {
    let folder = folder();
    let path = atlas(count, folder.path());
    let options: ExportOptions = options(r#"{ "to": "csv" }"#);
    timed(|| export(&path, &options, None, &Context::new(&NoopObserver)).expect("it can be exported"))
}

fn html_page(count: usize) -> f64 {
    let set = clips(count);
    let cx = Context::new(&NoopObserver);
    let options = HtmlOptions::default();
    timed(|| View::Html(options).draw(&Source::frames("clips", set), None, &cx).expect("a page"))
}

fn contact_sheets(count: usize) -> f64 {
    let set = clips(count);
    timed(|| {
        View::Contact(ContactOptions::default())
            .draw(&Source::frames("clips", set), None, &Context::new(&NoopObserver))
            .expect("sheets")
    })
}

fn grid_of_drawings(side: usize) -> f64 {
    let sheet = RgbaImage::from_fn(side as u32, side as u32, |x, y| {
        let (dx, dy) = (x % 64, y % 64);
        let reach = 10 + (x / 64 * 7 + y / 64 * 13) % 18;
        let inside = dx.abs_diff(32).pow(2) + dy.abs_diff(32).pow(2) < reach.pow(2);
        Rgba(if inside { [dx as u8 * 3, dy as u8 * 3, (x / 64) as u8, 255] } else { [0; 4] })
    });
    let sheet = Pixels::from_image(sheet);
    timed(|| detect_grid(&SheetAnalysis::of(&sheet)))
}

fn grid_of_small_drawings(side: usize) -> f64 {
    let sheet = RgbaImage::from_fn(side as u32, side as u32, |x, y| {
        let (dx, dy) = (x % 8, y % 8);
        let reach = 4 + (x / 8 * 7 + y / 8 * 13) % 4;
        let inside = (1..reach).contains(&dx) && (1..reach).contains(&dy);
        Rgba(if inside { [dx as u8 * 30, dy as u8 * 30, (x / 8) as u8, 255] } else { [0; 4] })
    });
    let sheet = Pixels::from_image(sheet);
    timed(|| detect_grid(&SheetAnalysis::of(&sheet)))
}

fn grid_of_tiles(side: usize) -> f64 {
    let sheet = RgbaImage::from_fn(side as u32, side as u32, |x, y| {
        // Every tile its own noise, so that only its edges tell it from its neighbors.
        let mixed = |a: u32, b: u32| (a ^ b.rotate_left(13)).wrapping_mul(2_654_435_761).rotate_left(11);
        let tile = mixed(mixed(x / 8, y / 8), 77);
        let [a, b, c, _] = tile.to_le_bytes();
        let [grain, ..] = mixed(tile, mixed(x % 8, y % 8)).to_le_bytes();
        Rgba([a / 2 + grain / 4, b / 2 + grain / 4, c / 2 + grain / 4, 255])
    });
    let sheet = Pixels::from_image(sheet);
    timed(|| detect_grid(&SheetAnalysis::of(&sheet)))
}

/// A folder of a set of frames of 256 px, a fifth of each drawn; kept from run to run.
fn files(count: usize) -> PathBuf {
    let folder = std::env::temp_dir().join(format!("shibori-growth-{count}"));
    if folder.join("frames.json").is_file() {
        return folder;
    }
    let cx = Context::new(&NoopObserver);
    // One after another, so that what is made does not show in what is measured.
    let frame = |at: usize| {
        let image = RgbaImage::from_fn(114, 114, |x, y| {
            let [a, b, ..] = (at as u32).to_le_bytes();
            Rgba([a ^ (x / 4) as u8, b ^ (y / 4) as u8, (x ^ y) as u8, 255])
        });
        let frame = Frame::new(name("s".to_owned()), name(format!("f{at:05}")), Pixels::from_image(image));
        frame.expect("a frame").translate_onto(Size::new(256, 256), 70, 70).expect("it fits")
    };
    let whole = |at: usize| {
        let frame = frame(at);
        let pixels = frame.full_image();
        frame.with_pixels(pixels, shibori_core::UVec2::default()).expect("a canvas fits itself")
    };
    let set = FrameSet::new(parallel::map(count, whole), Vec::new()).expect("names are unique");
    stage_set(set, &folder, &cx).expect("it can be written");
    cx.commit().expect("it can be put in place");
    // The process that made them has had its peak.
    let own = std::env::current_exe().expect("this program");
    let words: Vec<String> = std::env::args().skip(1).collect();
    let status = Command::new(own).args(words).status().expect("it runs");
    std::process::exit(status.code().unwrap_or(1));
}

fn pack_files(count: usize) -> f64 {
    let folder = files(count);
    let options: PackOptions = options(r#"{ "pack": { "effort": "low" } }"#);
    timed(|| pack(&[folder.into()], &options, &Context::new(&NoopObserver)).expect("it can be packed"))
}

fn adjust_files(count: usize) -> f64 {
    let folder = files(count);
    let options: AdjustOptions = options(r#"{ "shape": { "pivot": "feet", "trim": "frame" } }"#);
    let target = AdjustTarget::Set(std::env::temp_dir().join("shibori-growth-adjusted"));
    let cx = Context::new(&NoopObserver);
    timed(|| {
        let adjusted = adjust(&folder.clone().into(), &options, &cx).expect("it can be adjusted");
        stage_adjusted(adjusted.set, &folder, &target, &cx).expect("it can be written");
    })
}
