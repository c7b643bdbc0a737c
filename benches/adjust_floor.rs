//! What lining up a thousand frames costs against what their codec costs alone.
//!
//! `cargo bench --bench adjust_floor` writes 1,000 frames of 128x128 as a set and prints, in one run, medians of several
//! rounds in turn: reading the set, mirroring, aligning by the feet, trimming, setting pivots, boxes and polygons and
//! writing it, over only decoding the same files and encoding the same pictures on as many threads.

use std::path::Path;

use image::{Rgba, RgbaImage};
use rayon::prelude::*;
use shibori_core::shape::{
    AlignOptions, AlignTo, PivotPer, Trim, TrimScope, align, mirror, set_box, set_pivot, set_polygons, trim,
};
use shibori_core::{Frame, FrameSet, Mirror, Name, Pixels};
use shibori_formats::decode::{DecodedImage, ReadOptions, image as read_image, source};
use shibori_formats::encode;
use shibori_formats::store::{Policy, Transaction};

use shibori_benches::{Figures, median, peak_memory, timed};

const ROUNDS: usize = 5;
const FRAMES: u32 = 1000;

fn main() {
    let folder = std::env::temp_dir().join(format!("adjust-floor-{}", std::process::id()));
    let (set, out) = (folder.join("set"), folder.join("out"));
    stage_set(frames(), &set);
    let (mut ours, mut floor) = (Vec::new(), Vec::new());
    for _ in 0..ROUNDS {
        // What stays the same is not written again: each round begins with nothing.
        let _ = std::fs::remove_dir_all(&out);
        let _ = std::fs::remove_dir_all(folder.join("floor"));
        ours.push(timed(|| adjust(&set, &out)));
        let after = pictures(&out);
        floor.push(timed(|| codec_only(&set, &after, &folder.join("floor"))));
    }
    let (ours, floor) = (median(ours), median(floor));
    println!("{FRAMES} frames of 128x128 px; medians of {ROUNDS} rounds");
    println!("adjust (read, shape, write)   {:8.0} ms", ours * 1000.0);
    println!(
        "decode and encode alone       {:8.0} ms   ratio {:.2}, {}",
        floor * 1000.0,
        ours / floor,
        Figures::of("adjust_floor").verdict("time", ours / floor)
    );
    if let Some(peak) = peak_memory() {
        println!("peak memory                   {:8.0} MB, making the frames included", peak / 1e6);
    }
    let _ = std::fs::remove_dir_all(&folder);
}

/// A round figure of many colors that walks about.
fn frames() -> FrameSet {
    let frame = |at: u32| {
        let (dx, dy) = (i64::from(at * 7 % 13), i64::from(at * 5 % 11));
        let image = RgbaImage::from_fn(128, 128, |x, y| {
            let (x, y) = (i64::from(x) - 58 - dx, i64::from(y) - 60 - dy);
            let inside = x * x * 3 + y * y * 2 < 4000 + i64::from(at % 7) * 60;
            let shade = ((x * 5 + y * 3 + i64::from(at % 16) * 9) / 4 * 4).rem_euclid(256) as u8;
            Rgba(if inside { [shade, 255 - shade, (y & 0xf0) as u8, 255] } else { [0; 4] })
        });
        let name = Name::new(format!("heron-{at:04}")).expect("a name");
        Frame::new(Name::new("heron").expect("a name"), name, Pixels::from_image(image)).expect("a frame")
    };
    let frames = (0..FRAMES).into_par_iter().map(frame).collect();
    FrameSet::new(frames, Vec::new()).expect("names are unique")
}

fn stage_set(set: FrameSet, folder: &Path) {
    let run = Transaction::new(Policy { force: true, ..Policy::default() });
    encode::set(set, folder, &run, || {}).expect("the set can be written");
    run.commit().expect("the set can be put in place");
}

fn shaped(set: FrameSet) -> FrameSet {
    let set = mirror(set, Mirror::LeftRight).expect("names stay");
    let to_feet = AlignOptions::to(AlignTo::Feet);
    let (set, _) = align(set, &to_feet).expect("feet need no region");
    let set = trim(set, Trim { scope: TrimScope::Frame, ..Trim::default() }).expect("names stay");
    let set = set_pivot(set, "feet".parse().expect("a pivot"), PivotPer::Sprite).expect("names stay");
    let (set, _) = set_box(set, &"body=auto:clip".parse().expect("a box"), 0.9).expect("names stay");
    set_polygons(set, 8, 0).expect("eight corners are allowed")
}

fn adjust(set: &Path, out: &Path) {
    let frames = source(set, &ReadOptions::default()).expect("the set can be read").set;
    stage_set(shaped(frames), out);
}

/// The pictures that adjusting left.
fn pictures(out: &Path) -> Vec<RgbaImage> {
    let set = source(out, &ReadOptions::default()).expect("the set can be read").set;
    set.frames().iter().map(|frame| frame.pixels().to_image()).collect()
}

/// Decodes the same files, and encodes and stores the same pictures.
fn codec_only(set: &Path, after: &[RgbaImage], store: &Path) {
    let entries = std::fs::read_dir(set).expect("the folder is there").flatten();
    let paths = entries.map(|entry| entry.path());
    let paths: Vec<_> = paths.filter(|path| path.extension().is_some_and(|ending| ending == "png")).collect();
    let decode = |path: &std::path::PathBuf| {
        let loaded = read_image(path, &ReadOptions::default()).expect("a frame can be read");
        matches!(loaded.picture, DecodedImage::Still(_))
    };
    std::hint::black_box(paths.par_iter().filter(|path| decode(path)).count());
    std::fs::create_dir_all(store).expect("a folder can be made");
    after.par_iter().enumerate().for_each(|(at, image)| {
        let bytes = encode::png(image).expect("a picture can be encoded");
        std::fs::write(store.join(format!("{at}.png")), bytes).expect("and written");
    });
}
