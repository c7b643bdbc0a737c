//! What slicing a large sheet costs against what its codec costs alone.
//!
//! `cargo bench --bench slice_floor` makes a 4096x3584 sheet of 224 cells and prints, in one run, medians of
//! several rounds in turn: reading, cutting and writing a set over only decoding the sheet and encoding the same
//! cells with the same settings on as many threads; finding the grid over decoding; and the peak memory
//! over the decoded sheet.

use std::path::Path;

use image::{RgbaImage, imageops};
use rayon::prelude::*;
use shibori_core::cut::{CellChoice, Counts, Grid, SheetAnalysis, Spacing, cut_cells, detect_grid};
use shibori_core::{FrameSet, Name, NameTemplate};
use shibori_formats::decode::{DecodedImage, ReadOptions, image as read_image, source};
use shibori_formats::encode;
use shibori_formats::store::Transaction;

use shibori_benches::{Figures, median, peak_memory, timed};

const ROUNDS: usize = 5;

fn main() {
    let figures = Figures::of("slice_floor");
    let folder = std::env::temp_dir().join(format!("slice-floor-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("the temporary folder can be written to");
    let sheet = folder.join("sheet.png");
    let image = make_sheet();
    std::fs::write(&sheet, encode::png(&image).expect("a picture can be encoded")).expect("and written");
    let decoded_bytes = image.as_raw().len() as f64;
    drop(image);

    let (mut ours, mut floor, mut decode, mut find) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    let before = peak_memory();
    slice(&sheet, &folder);
    let after = peak_memory();
    for _ in 0..ROUNDS {
        ours.push(timed(|| slice(&sheet, &folder)));
        floor.push(timed(|| codec_only(&sheet)));
        decode.push(timed(|| drop(read_image(&sheet, &ReadOptions::default()))));
        let Ok(loaded) = read_image(&sheet, &ReadOptions::default()) else { continue };
        let DecodedImage::Still(pixels) = loaded.picture else { continue };
        find.push(timed(|| drop(detect_grid(&SheetAnalysis::of(&pixels)))));
    }
    let (ours, floor, decode, find) = (median(ours), median(floor), median(decode), median(find));
    println!("sheet 4096x3584 px, 224 cells; medians of {ROUNDS} rounds");
    println!("slice (read, cut, write)       {:7.0} ms", ours * 1e3);
    println!(
        "decode and encode alone        {:7.0} ms   ratio {:.2}, {}",
        floor * 1e3,
        ours / floor,
        figures.verdict("slice", ours / floor)
    );
    println!("decode alone                   {:7.0} ms", decode * 1e3);
    println!(
        "finding the grid               {:7.0} ms   ratio {:.2}, {}",
        find * 1e3,
        find / decode,
        figures.verdict("finding the grid", find / decode)
    );
    match (before, after) {
        (Some(_), Some(after)) => {
            println!(
                "peak memory                    {:7.0} MB   ratio {:.2} to the decoded sheet, {}",
                after / 1e6,
                after / decoded_bytes,
                figures.verdict("memory", after / decoded_bytes)
            );
        }
        _ => println!("peak memory                    not measured on this system"),
    }
    let _ = std::fs::remove_dir_all(folder);
}

/// The demo's frogs and herons, each eight times as large, in cells of 256x256.
fn make_sheet() -> RgbaImage {
    let art = Path::new(env!("CARGO_MANIFEST_DIR")).join("../crates/cli/demo/art/frog.png");
    let set = source(&art, &ReadOptions::default()).expect("demo art can be read").set;
    let frog = set.frames()[0].pixels().to_image();
    let mut sheet = RgbaImage::new(4096, 3584);
    for at in 0..224 {
        let cell = at % 25;
        let (column, row) = match cell {
            0..4 => (cell, 0),
            4..10 => (cell - 4, 1),
            10..18 => (cell - 10, 2),
            _ => (cell - 18, 3),
        };
        let small = imageops::crop_imm(&frog, column * 32, row * 32, 32, 32).to_image();
        let mut large = imageops::resize(&small, 256, 256, imageops::FilterType::Nearest);
        // Painted art has grain; flat areas would flatter the codec.
        for (x, y, pixel) in large.enumerate_pixels_mut().filter(|(.., pixel)| pixel[3] > 0) {
            let grain = (x.wrapping_mul(31) ^ y.wrapping_mul(17) ^ at.wrapping_mul(7)) % 8;
            pixel[0] = pixel[0].saturating_add(grain as u8);
        }
        imageops::replace(&mut sheet, &large, i64::from(at % 16 * 256), i64::from(at / 16 * 256));
    }
    sheet
}

fn grid(size: shibori_core::Size) -> Grid {
    let counts = Counts::new(16, 14).expect("not zero");
    Grid::by_counts(size, counts, Spacing::default(), false).expect("the sheet was made for it")
}

fn slice(sheet: &Path, folder: &Path) {
    let loaded = read_image(sheet, &ReadOptions::default()).expect("the sheet can be read");
    let DecodedImage::Still(pixels) = loaded.picture else { return };
    let cut = cut_cells(&pixels, &grid(pixels.size()), &CellChoice::default()).expect("all cells are taken");
    let frames = cut.into_frames(&Name::new("frog").expect("a name"), "sheet.png").expect("cells are frames");
    let set = FrameSet::new(frames, Vec::new()).expect("cells have names of their own");
    let set = NameTemplate::for_count(224).rename(set, 0).expect("numbers are unique");
    let run = Transaction::default();
    encode::set(set, &folder.join("set"), &run, || {}).expect("the set can be written");
    run.commit().expect("the set can be put in place");
}

fn codec_only(sheet: &Path) {
    let loaded = read_image(sheet, &ReadOptions::default()).expect("the sheet can be read");
    let DecodedImage::Still(pixels) = loaded.picture else { return };
    let image = pixels.to_image();
    let bytes: usize = (0..224u32)
        .into_par_iter()
        .map(|at| imageops::crop_imm(&image, at % 16 * 256, at / 16 * 256, 256, 256).to_image())
        .map(|cell| encode::png(&cell).map_or(0, |bytes| bytes.len()))
        .sum();
    std::hint::black_box(bytes);
}
