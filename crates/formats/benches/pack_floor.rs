//! What packing costs against what its codec costs alone.
//!
//! `cargo bench --bench pack_floor` writes sets of small painted frames and prints, in one run, medians of several rounds in
//! turn: reading a set, trimming, arranging at medium effort and writing the atlas, over only decoding the same files and
//! encoding the same pages with the same settings on as many threads; then the parts of it, and how they grow from 100 to
//! 10,000 frames; and the peak memory over the decoded frames and the pages.

mod timing;

use std::path::Path;

use image::{Rgba, RgbaImage};
use rayon::prelude::*;
use shibori_core::pack::{Atlas, Finish, PackOptions, pack, paint};
use shibori_core::shape::{Trim, TrimScope, trim};
use shibori_core::{Frame, FrameSet, Name, Pixels};
use shibori_formats::read::{Limits, image as read_image, source};
use shibori_formats::write::{self, PageEncoding, Transaction};

use timing::{median, peak_memory, timed};

const ROUNDS: usize = 5;

/// What `pack` does where nothing is asked for.
const FINISH: Finish = Finish { spread: 2, premultiplied: false };

fn main() {
    let folder = std::env::temp_dir().join(format!("pack-floor-{}", std::process::id()));
    memory(&folder);
    println!("medians of {ROUNDS} rounds; wanted: a ratio of at most 1.25");
    println!("{:>30} {:>9} {:>9} {:>6}", "frames", "pack", "floor", "ratio");
    for (count, side) in [(600, 40), (2_000, 128)] {
        let set = written(&folder, count, side);
        let (mut ours, mut floor) = (Vec::new(), Vec::new());
        for _ in 0..ROUNDS {
            let _ = std::fs::remove_dir_all(folder.join("out"));
            let mut atlas = None;
            ours.push(timed(|| atlas = Some(packed(&set, &folder.join("out/atlas")))));
            let pages = pages(&atlas.expect("packed above"));
            floor.push(timed(|| codec_only(&set, &pages, &folder.join("out"))));
        }
        let (ours, floor) = (median(ours), median(floor));
        let what = format!("{count} of up to {side}x{side} px");
        println!("{what:>30} {:>6.0} ms {:>6.0} ms {:>6.2}", ours * 1e3, floor * 1e3, ours / floor);
    }
    println!("parts in milliseconds, frames of up to 48x48 px");
    println!("{:>10} {:>8} {:>8} {:>8} {:>8}", "frames", "read", "trim", "arrange", "write");
    for count in [100, 1_000, 10_000] {
        let set = written(&folder, count, 48);
        let (mut read, mut trimmed, mut atlas) = (None, None, None);
        let parts = [
            timed(|| read = Some(source(&set, &Limits::default()).expect("the set can be read").set)),
            timed(|| trimmed = Some(trim_frames(read.take().expect("read above")))),
            timed(|| atlas = Some(arrange(trimmed.take().expect("trimmed above")))),
            timed(|| write_atlas(&atlas.take().expect("arranged above"), &folder.join("out/atlas"))),
        ];
        let told: Vec<String> = parts.iter().map(|part| format!("{:>8.0}", part * 1e3)).collect();
        println!("{count:>10} {}", told.join(" "));
    }
    let _ = std::fs::remove_dir_all(&folder);
}

/// The peak of a process that has done nothing else yet.
fn memory(folder: &Path) {
    let set = written(folder, 2_000, 128);
    let before = peak_memory();
    let atlas = packed(&set, &folder.join("out/atlas"));
    let pages: u64 = atlas.pages().iter().map(|page| page.size.area() * 4).sum();
    let needed = (2_000 * 128 * 128 * 4 + pages) as f64;
    match (before, peak_memory()) {
        (Some(before), Some(after)) => println!(
            "peak memory {:.0} MB, {:.0} MB of it before; decoded frames and pages {:.0} MB: ratio {:.2} (wanted: at most 2)",
            after / 1e6,
            before / 1e6,
            needed / 1e6,
            after / needed
        ),
        _ => println!("peak memory: not measured on this system"),
    }
}

/// A set of painted figures of many sizes.
fn written(folder: &Path, count: u32, side: u32) -> std::path::PathBuf {
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
        Frame::new(Name::new("heron").expect("a name"), name, Pixels::whole(image)).expect("a frame")
    };
    let frames = (0..count).into_par_iter().map(frame).collect();
    let frames = FrameSet::new(frames, Vec::new()).expect("names are unique");
    let run = Transaction::default();
    write::set(frames, &set, &run, || {}).expect("the set can be written");
    run.commit().expect("the set can be put in place");
    set
}

fn trim_frames(set: FrameSet) -> FrameSet {
    trim(set, Trim { scope: TrimScope::Frame, ..Trim::default() }).expect("names stay")
}

fn arrange(set: FrameSet) -> Atlas {
    pack(set, Vec::new(), &PackOptions::dense()).expect("frames fit a page")
}

fn write_atlas(atlas: &Atlas, path: &Path) {
    let options = PageEncoding { finish: FINISH, ..PageEncoding::default() };
    let atlases = std::slice::from_ref(atlas);
    let run = Transaction::default();
    write::atlas(path, atlases, &options, &run, || {}).expect("it can be written");
    run.commit().expect("it can be put in place");
}

fn packed(set: &Path, path: &Path) -> Atlas {
    let set = source(set, &Limits::default()).expect("the set can be read").set;
    let atlas = arrange(trim_frames(set));
    write_atlas(&atlas, path);
    atlas
}

fn pages(atlas: &Atlas) -> Vec<RgbaImage> {
    (0..atlas.pages().len()).map(|page| paint(atlas, page, None, FINISH)).collect()
}

fn codec_only(set: &Path, pages: &[RgbaImage], folder: &Path) {
    let mut files: Vec<_> =
        std::fs::read_dir(set).expect("it was written").flatten().map(|e| e.path()).collect();
    files.retain(|path| path.extension().is_some_and(|ending| ending == "png"));
    files.par_iter().for_each(|path| drop(read_image(path, &Limits::default())));
    pages.par_iter().enumerate().for_each(|(at, page)| {
        // The crate itself: what writes pages may be faster.
        let mut bytes = Vec::new();
        let mut encoder = png::Encoder::new(&mut bytes, page.width(), page.height());
        encoder.set_color(png::ColorType::Rgba);
        encoder.set_compression(png::Compression::Balanced);
        encoder.set_filter(png::Filter::Adaptive);
        let mut writer = encoder.write_header().expect("a page has a header");
        writer.write_image_data(page).expect("a page can be encoded");
        writer.finish().expect("and ended");
        std::fs::write(folder.join(format!("floor-{at}.png")), bytes).expect("and written");
    });
}
