//! What registering a clip costs against decoding its frames, and whether it finds them.
//!
//! `cargo bench --bench register_floor` strews 1,000 frames of 128x128 of a figure that walks and waves, and prints, in one run, medians of
//! several rounds in turn: lining them all up by the figure, over decoding the same files on as many threads; and how
//! far from its place any frame came to stand. With a folder, as in `-- FOLDER`, the frames are those of its PNG
//! files, and only the ratio is printed.

use std::path::{Path, PathBuf};

use image::{Rgba, RgbaImage};
use rayon::prelude::*;
use shibori_core::shape::{AlignOptions, AlignTo, align};
use shibori_core::{Frame, FrameSet, Name, Pixels};
use shibori_formats::decode::{DecodedImage, ReadOptions, image as read_image, source};
use shibori_formats::encode;

use shibori_benches::{Figures, median, peak_memory, timed};

const ROUNDS: usize = 5;
const FRAMES: i64 = 1000;

fn main() {
    let figures = Figures::of("register_floor");
    let given = std::env::args().skip(1).find(|word| !word.starts_with("--")).map(PathBuf::from);
    let own = std::env::temp_dir().join(format!("register-floor-{}", std::process::id()));
    if given.is_none() {
        strew(&own);
    }
    let folder = given.as_deref().unwrap_or(&own);
    let set = source(folder, &ReadOptions::default()).expect("the frames can be read").set;
    let (mut ours, mut floor) = (Vec::new(), Vec::new());
    let options = AlignOptions::to(AlignTo::Match);
    let mut shifts = Vec::new();
    for _ in 0..ROUNDS {
        let set = set.clone();
        ours.push(timed(|| shifts = align(set, &options).expect("a figure needs no region").1));
        floor.push(timed(|| decode(folder)));
    }
    let (ours, floor) = (median(ours), median(floor));
    println!("{} frames; medians of {ROUNDS} rounds", shifts.len());
    println!("register and move             {:8.0} ms", ours * 1000.0);
    println!(
        "decode alone                  {:8.0} ms   ratio {:.1}, {}",
        floor * 1000.0,
        ours / floor,
        figures.verdict(if given.is_none() { "own frames" } else { "given frames" }, ours / floor)
    );
    if let Some(peak) = peak_memory() {
        println!("peak memory                   {:8.0} MB", peak / 1e6);
    }
    if given.is_none() {
        let first = strewn(0);
        let off = |(at, x, y): (i64, i64, i64)| {
            let own = strewn(at);
            (own.0 + x - first.0).abs().max((own.1 + y - first.1).abs())
        };
        let far = (0..).zip(&shifts).map(|(at, shift)| off((at, shift.x, shift.y))).max();
        let far = far.unwrap_or(0);
        let verdict = figures.verdict("farthest from its place", far as f64);
        println!("farthest from its place       {far:8} px   {verdict}");
        let _ = std::fs::remove_dir_all(&own);
    }
}

/// Where a frame was moved.
fn strewn(at: i64) -> (i64, i64) {
    (at * 7 % 23 - 11, at * 5 % 19 - 9)
}

/// A body of many colors on legs that stride, and an arm that reaches out in every third frame.
fn figure(at: i64) -> RgbaImage {
    let (dx, dy) = strewn(at);
    let stride = [-12, -6, 0, 6, 12, 6, 0, -6][at as usize % 8];
    RgbaImage::from_fn(128, 128, |x, y| {
        let (x, y) = (i64::from(x) - 60 - dx, i64::from(y) - 55 - dy);
        let leg = |side: i64| (x - side * stride * (y - 20) / 30).abs() < 5 && (20..50).contains(&y);
        if x * x * 2 + y * y < 700 {
            let shade = ((x * 5 + y * 3) / 4 * 4).rem_euclid(256) as u8;
            Rgba([shade, 255 - shade, (y & 0x30) as u8, 255])
        } else if leg(1) || leg(-1) {
            Rgba([90, 60, 30 + (y & 8) as u8, 255])
        } else if at % 3 == 0 && (-4..4).contains(&y) && (0..45).contains(&x) {
            Rgba([200, 150, 120, 255])
        } else {
            Rgba([0; 4])
        }
    })
}

fn strew(folder: &Path) {
    std::fs::create_dir_all(folder).expect("a folder can be made");
    (0..FRAMES).into_par_iter().for_each(|at| {
        let image = figure(at);
        let name = Name::new(format!("walk_{at:04}")).expect("a name");
        let frame = Frame::new(Name::new("heron").expect("a name"), name, Pixels::from_image(image));
        let set = FrameSet::new(vec![frame.expect("a frame")], Vec::new()).expect("one frame");
        let bytes = encode::png(&set.frames()[0].pixels().to_image()).expect("a picture can be encoded");
        std::fs::write(folder.join(format!("walk_{at:04}.png")), bytes).expect("and written");
    });
}

fn decode(folder: &Path) {
    let entries = std::fs::read_dir(folder).expect("the folder is there").flatten();
    let paths = entries.map(|entry| entry.path());
    let paths: Vec<_> = paths.filter(|path| path.extension().is_some_and(|ending| ending == "png")).collect();
    let decode = |path: &PathBuf| {
        let loaded = read_image(path, &ReadOptions::default()).expect("a frame can be read");
        matches!(loaded.picture, DecodedImage::Still(_))
    };
    std::hint::black_box(paths.par_iter().filter(|path| decode(path)).count());
}
