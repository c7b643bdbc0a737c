//! What packing costs against what its codec costs alone.
//!
//! `cargo bench --bench pack_floor` packs sets of painted frames as the command does, from a folder to files, and prints,
//! in one run, medians of several rounds in turn over a floor that only decodes the same files, paints the same pages and
//! encodes them with the same codec; then the length of the page over that of the floor's, which is painted without
//! spreading colors; then the parts, and how they grow from 100 to 10,000 frames; and the peak memory over the decoded
//! frames and the pages. `-- --art FOLDER` packs a folder of PNG files too; `-- --quick` is one round without the parts, for
//! the lengths, which are the same on every machine: if one gets worse, the run fails.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use image::{Rgba, RgbaImage};
use rayon::prelude::*;
use shibori_benches::{Figures, argument, has_argument, median, peak_memory, timed};
use shibori_core::pack::{Atlas, ColorFinish, paint};
use shibori_core::{Frame, FrameSet, Name, Pixels};
use shibori_formats::decode::{ReadOptions, image as read_image, source};
use shibori_formats::encode;
use shibori_formats::store::Transaction;
use shibori_pipeline::options::PackOptions;
use shibori_pipeline::steps::{pack, stage_atlases};
use shibori_pipeline::{Context, NoopObserver, Source};

const ROUNDS: usize = 5;

fn main() -> ExitCode {
    let rounds = if has_argument("--quick") { 1 } else { ROUNDS };
    let home = tempfile::tempdir().expect("a temporary folder");
    let folder = home.path();
    let figures = Figures::of("pack_floor");
    memory(folder, &figures);
    println!("whole jobs over decoding, painting and encoding alone; medians of {rounds} rounds");
    println!("{:>34} {:>9} {:>9} {:>6}  {:>6}", "", "pack", "floor", "ratio", "bytes");
    let mut jobs = vec![
        ("600 of up to 40x40 px".to_owned(), written(folder, 600, 40)),
        ("2000 of up to 128x128 px".to_owned(), written(folder, 2_000, 128)),
    ];
    jobs.extend(argument("--art").map(|art| ("given art".to_owned(), PathBuf::from(art))));
    for (what, set) in &jobs {
        for mode in [Mode::Quick, Mode::Usual] {
            job(&format!("{what}, {}", mode.name()), set, &folder.join("out"), (mode, rounds), &figures);
        }
    }
    if has_argument("--quick") {
        return figures.finish();
    }
    println!("parts in milliseconds, frames of up to 48x48 px");
    println!("{:>10} {:>8} {:>8} {:>8}", "frames", "read", "arrange", "write");
    for count in [100, 1_000, 10_000] {
        let set = written(folder, count, 48);
        let cx = Context::new(&NoopObserver);
        let options = Mode::Usual.options();
        let (mut read, mut packed) = (None, None);
        let parts = [
            timed(|| read = Some(source(&set, &ReadOptions::default()).expect("the set can be read").set)),
            timed(|| {
                packed = pack(&[Source::frames("set", read.take().expect("read above"))], &options, &cx).ok();
            }),
            timed(|| {
                let packed = packed.as_ref().expect("frames fit a page");
                stage_atlases(packed, &folder.join("out/parts"), &options, &cx).map(|_| ())
            }),
        ];
        let texts: Vec<String> = parts.iter().map(|part| format!("{:>8.0}", part * 1e3)).collect();
        println!("{count:>10} {}", texts.join(" "));
    }
    figures.finish()
}

#[derive(Clone, Copy)]
enum Mode {
    Quick,
    Usual,
}

impl Mode {
    fn name(self) -> &'static str {
        match self {
            Self::Quick => "quick",
            Self::Usual => "default",
        }
    }

    fn options(self) -> PackOptions {
        let text = match self {
            Self::Quick => r#"{ "page": { "png": "quick" } }"#,
            Self::Usual => "{}",
        };
        serde_json::from_str(text).expect("options")
    }

    fn compression(self) -> png::Compression {
        match self {
            Self::Quick => png::Compression::Fast,
            Self::Usual => png::Compression::Balanced,
        }
    }
}

/// Measures one job and prints its row.
fn job(what: &str, set: &Path, out: &Path, (mode, rounds): (Mode, usize), figures: &Figures) {
    let (mut ours, mut floors, mut bytes) = (Vec::new(), Vec::new(), 1.0);
    for _ in 0..rounds {
        let _ = std::fs::remove_dir_all(out);
        let mut atlas = None;
        ours.push(timed(|| atlas = Some(packed(set, &out.join("atlas"), mode))));
        let (atlas, length) = atlas.expect("packed above");
        let mut least = 0;
        floors.push(timed(|| least = floor(set, &atlas, out, mode)));
        bytes = length as f64 / least as f64;
    }
    let (ours, floor) = (median(ours), median(floors));
    let ratio = ours / floor;
    println!(
        "{what:>34} {:>6.0} ms {:>6.0} ms {ratio:>6.2}  {bytes:>6.3}  time {}; bytes {}",
        ours * 1e3,
        floor * 1e3,
        figures.verdict(what, ratio),
        figures.verdict(&format!("{what}, bytes"), bytes)
    );
}

/// The command: the atlas, and the bytes of its pages.
fn packed(set: &Path, path: &Path, mode: Mode) -> (Atlas, usize) {
    let (cx, options) = (Context::new(&NoopObserver), mode.options());
    let mut packed = pack(&[set.into()], &options, &cx).expect("frames fit a page");
    let report = stage_atlases(&packed, path, &options, &cx).expect("it can be written");
    cx.commit().expect("it can be put in place");
    (packed.atlases.remove(0), report.pages.iter().flatten().map(|page| page.bytes).sum())
}

/// Only the codec and what it needs to eat: the bytes of the pages.
fn floor(set: &Path, atlas: &Atlas, folder: &Path, mode: Mode) -> usize {
    let mut files: Vec<_> =
        std::fs::read_dir(set).expect("it was written").flatten().map(|e| e.path()).collect();
    files.retain(|path| path.extension().is_some_and(|ending| ending == "png"));
    files.par_iter().for_each(|path| drop(read_image(path, &ReadOptions::default())));
    let pages = (0..atlas.pages().len()).into_par_iter().map(|at| {
        let page = paint(atlas, at, None, ColorFinish::default());
        let mut bytes = Vec::new();
        let mut encoder = png::Encoder::new(&mut bytes, page.width(), page.height());
        encoder.set_color(png::ColorType::Rgba);
        encoder.set_compression(mode.compression());
        let mut writer = encoder.write_header().expect("a page has a header");
        writer.write_image_data(&page).expect("a page can be encoded");
        writer.finish().expect("and ended");
        std::fs::write(folder.join(format!("floor-{at}.png")), &bytes).expect("and written");
        bytes.len()
    });
    pages.sum()
}

/// The peak of a process that has done nothing else yet.
fn memory(folder: &Path, figures: &Figures) {
    let set = written(folder, 2_000, 128);
    let before = peak_memory();
    let (atlas, _) = packed(&set, &folder.join("out/atlas"), Mode::Usual);
    let pages: u64 = atlas.pages().iter().map(|page| page.size.area() * 4).sum();
    let needed = (2_000 * 128 * 128 * 4 + pages) as f64;
    match (before, peak_memory()) {
        (Some(before), Some(after)) => println!(
            "peak memory {:.0} MB, {:.0} MB of it before; decoded frames and pages {:.0} MB: ratio {:.2}, {}",
            after / 1e6,
            before / 1e6,
            needed / 1e6,
            after / needed,
            figures.verdict("memory", after / needed)
        ),
        _ => println!("peak memory: not measured on this system"),
    }
}

/// A set of painted figures of many sizes.
fn written(folder: &Path, count: u32, side: u32) -> PathBuf {
    let set = folder.join(format!("set-{count}-{side}"));
    if set.exists() {
        return set;
    }
    let frame = |at: u32| {
        let (wide, high) = (side * (40 + at * 7 % 55) / 100, side * (45 + at * 11 % 50) / 100);
        let (left, top) = ((side - wide) / 2, side - high);
        let image = RgbaImage::from_fn(side, side, |x, y| {
            let (dx, dy) =
                (i64::from(x) - i64::from(left + wide / 2), i64::from(y) - i64::from(top + high / 2));
            let (rx, ry) = (i64::from(wide / 2).max(1), i64::from(high / 2).max(1));
            let inside = dx * dx * ry * ry + dy * dy * rx * rx <= rx * rx * ry * ry;
            let grain = (x.wrapping_mul(31) ^ y.wrapping_mul(17) ^ at.wrapping_mul(7)) % 8;
            let shade = (x * 3 + y * 2 + at * 5) as u8;
            Rgba(if inside { [shade, 200 - shade / 2, grain as u8 * 8, 255] } else { [0; 4] })
        });
        let name = Name::new(format!("heron-{at:05}")).expect("a name");
        Frame::new(Name::new("heron").expect("a name"), name, Pixels::from_image(image)).expect("a frame")
    };
    let frames = (0..count).into_par_iter().map(frame).collect();
    let frames = FrameSet::new(frames, Vec::new()).expect("names are unique");
    let run = Transaction::default();
    encode::set(frames, &set, &run, || {}).expect("the set can be written");
    run.commit().expect("the set can be put in place");
    set
}
