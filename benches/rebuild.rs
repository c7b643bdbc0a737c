//! What a build costs beyond decoding its sheets and encoding its pages, and what it costs when little or nothing changed.
//!
//! ```text
//! cargo bench --bench rebuild [-- SHEETS]
//! ```
//!
//! Prints each as a time and as a ratio to the floor: the same sheets decoded and the same pages encoded, on the same cores.

use std::fs;
use std::num::NonZeroUsize;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use image::{Rgba, RgbaImage};
use shibori_benches::Figures;
use shibori_core::parallel;
use shibori_formats::decode::{DecodedImage, ReadOptions, image as read_image};
use shibori_formats::encode::png;
use shibori_pipeline::NoopObserver;
use shibori_pipeline::build::{Build, Outcome};
use shibori_pipeline::options::RunOptions;

const CELL: u32 = 64;

/// Eight columns and four rows of a shaded figure that changes its shape.
fn sheet(seed: u32) -> RgbaImage {
    RgbaImage::from_fn(CELL * 8, CELL * 4, |x, y| {
        let frame = x / CELL + y / CELL * 8;
        let (x, y) = (f64::from(x % CELL) - 32.0, f64::from(y % CELL) - 34.0);
        let phase = f64::from(frame) * 0.7 + f64::from(seed);
        let radius = 20.0 + 5.0 * (y.atan2(x) * f64::from(2 + seed % 4) + phase).sin();
        let distance = x.hypot(y);
        if distance > radius {
            return Rgba([0; 4]);
        }
        let light = (1.0 - distance / radius) * 90.0 + (x * 0.4 + phase).sin() * 20.0;
        let shade =
            |base: u32| (f64::from((base + seed * 37) % 150) + 40.0 + light).clamp(0.0, 255.0) as u8 & 0xf8;
        Rgba([shade(20), shade(90), shade(140), 255])
    })
}

fn project(folder: &Path, sheets: usize, together: usize) {
    fs::create_dir_all(folder.join("art")).unwrap();
    parallel::map(sheets, |at| {
        fs::write(folder.join(format!("art/s{at:04}.png")), png(&sheet(at as u32)).unwrap()).unwrap();
    });
    let mut recipe = String::from(
        "[sprite.\"s*\"]\nfrom = \"art/s*.png\"\nslice = { grid = \"8x4\" }\nclip-rows = \"a,b,c,d\"\n",
    );
    for atlas in 0..sheets.div_ceil(together) {
        let first = atlas * together;
        let used: Vec<String> =
            (first..(first + together).min(sheets)).map(|at| format!("\"s{at:04}\"")).collect();
        recipe += &format!("[atlas.a{atlas}]\nuse = [{}]\n", used.join(", "));
    }
    fs::write(folder.join("shibori.toml"), recipe).unwrap();
}

fn built(folder: &Path, jobs: Option<NonZeroUsize>) -> (Duration, Outcome) {
    let began = Instant::now();
    let build = Build::open(&folder.join("shibori.toml"), &RunOptions::default()).unwrap();
    let outcome = build.run(jobs, &NoopObserver).unwrap();
    (began.elapsed(), outcome)
}

/// The sheets decoded and the pages encoded, and nothing else.
fn floor(folder: &Path) -> Duration {
    let images = |inside: &str| -> Vec<PathBuf> {
        let all = fs::read_dir(folder.join(inside)).unwrap().map(|entry| entry.unwrap().path());
        let mut all: Vec<PathBuf> =
            all.filter(|path| path.extension().is_some_and(|ending| ending == "png")).collect();
        all.sort();
        all
    };
    let decoded = |path: &PathBuf| match read_image(path, &ReadOptions::default()).unwrap().picture {
        DecodedImage::Still(pixels) => pixels,
        _ => unreachable!("sheets are still"),
    };
    let (sheets, pages) = (images("art"), images("build"));
    let pages: Vec<RgbaImage> = pages.iter().map(|path| decoded(path).to_image()).collect();
    let began = Instant::now();
    parallel::map(sheets.len(), |at| drop(decoded(&sheets[at])));
    parallel::map(pages.len(), |at| drop(png(&pages[at]).unwrap()));
    began.elapsed()
}

fn main() {
    let sheets = std::env::args().filter_map(|text| text.parse().ok()).next().unwrap_or(300);
    for together in [1, 10] {
        measure(sheets, together);
    }
}

/// Measures a project of so many sheets, so many of them in an atlas.
fn measure(sheets: usize, together: usize) {
    let home = tempfile::tempdir().unwrap();
    let folder = home.path();
    project(folder, sheets, together);
    let (whole, outcome) = built(folder, None);
    let floor = floor(folder);
    let ratio = |time: Duration| time.as_secs_f64() / floor.as_secs_f64();
    let ms = |time: Duration| time.as_secs_f64() * 1000.0;
    println!("{sheets} sheets, {} atlases", outcome.done);
    let figures = Figures::of("rebuild");
    let print = |what: &str, time: Duration| {
        let verdict = figures.verdict(&format!("{what}, {} atlases", outcome.done), ratio(time));
        println!("  {what:24} {:8.1} ms  {:.2}, {verdict}", ms(time), ratio(time));
    };
    println!("  decode and encode alone  {:8.1} ms  1.00", ms(floor));
    print("built from nothing", whole);
    let (again, kept) = built(folder, None);
    assert_eq!(kept.done, 0);
    print("nothing changed, at once", again);
    std::thread::sleep(Duration::from_secs(3));
    built(folder, None);
    let (again, _) = built(folder, None);
    print("nothing changed, later", again);
    fs::write(folder.join("art/s0003.png"), png(&sheet(9999)).unwrap()).unwrap();
    let (one, changed) = built(folder, None);
    assert_eq!(changed.done, 1);
    print("one sheet changed", one);
}
