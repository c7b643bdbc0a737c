//! `--max-memory` is held: a run takes no more than it may, or says what it needs.

use image::{Rgba, RgbaImage};

use crate::env::Env;

/// Bytes used by the program without any picture, and kept back by the system's allocator.
const PROGRAM: f64 = 60e6;
/// How far a run may exceed the limit: room for small buffers that are not counted, such as single rows.
const MARGIN: f64 = 1.3;

fn save(env: &Env, name: &str, image: &RgbaImage) {
    env.write(name, shibori_formats::encode::png(image).unwrap());
}

/// Pictures of 16 MB each: cells of noise, and rings in each other.
fn art() -> Env {
    let env = Env::with_art();
    let noise = RgbaImage::from_fn(2048, 2048, |x, y| {
        let is_inside = x % 256 > 30 && x % 256 < 220 && y % 256 > 30 && y % 256 < 220;
        let value = (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(40_503)) >> 7;
        Rgba(if is_inside { [value as u8, (value >> 8) as u8, x as u8, 255] } else { [0; 4] })
    });
    save(&env, "cells.png", &noise);
    let rings = RgbaImage::from_fn(2048, 2048, |x, y| {
        let near = x.min(y).min(2047 - x).min(2047 - y);
        Rgba(if near % 96 < 24 { [200, 90, 30, 255] } else { [0; 4] })
    });
    save(&env, "rings.png", &rings);
    let flat = RgbaImage::from_fn(2048, 2048, |x, y| match *noise.get_pixel(x, y) {
        Rgba([_, _, _, 0]) => Rgba([46, 160, 168, 255]),
        drawn => drawn,
    });
    save(&env, "flat.png", &flat);
    env.ok("slice cells.png --grid 8x8 -o cells");
    env.ok("pack cells -o atlas --effort low");
    env
}

#[test]
fn what_a_run_says_it_needs_is_nearly_enough() {
    let env = art();
    for number in 0..12 {
        let image = RgbaImage::from_pixel(500, 300 + number, Rgba([number as u8 * 9, 90, 30, 255]));
        save(&env, &format!("many/shot{number:02}.png"), &image);
    }
    for line in [
        "slice cells.png --grid 8x8 -o out",
        "slice flat.png --grid 8x8 --key 2ea0a8 -o out",
        "pack cells -o out --effort low",
        "pack many -o out --effort low",
        "adjust cells -o out --scale 2 --resample smooth",
        "slice many -o out",
    ] {
        let (mut limit, mut tries) = ("1MB".to_owned(), 0);
        loop {
            let outcome = env.run(&format!("{line} --max-memory {limit} --force"));
            if outcome.code == 0 {
                break;
            }
            tries += 1;
            let more = outcome.err.split("--max-memory ").nth(1).expect("it says what would do");
            limit = more.split(' ').next().unwrap().to_owned();
            assert!(tries < 4, "{line}: {tries} tries are not enough: {}", outcome.err);
        }
    }
}

#[cfg(target_os = "linux")]
#[test]
fn a_run_takes_no_more_memory_than_it_may_or_says_what_it_needs() {
    let env = art();
    let peak = |err: &str| -> f64 {
        let line =
            err.lines().find_map(|line| line.strip_prefix("  peak memory ")).expect("-v says the peak");
        let (number, unit) = line.split_once(' ').unwrap();
        number.parse::<f64>().unwrap() * if unit == "MB" { 1e6 } else { 1e9 }
    };
    let mut faults = Vec::new();
    let (mut done, mut refused) = (0, 0);
    for line in [
        "inspect cells.png",
        "inspect rings.png",
        "slice cells.png --grid 8x8 -o out",
        "slice cells.png -o out",
        "slice flat.png --grid 8x8 --key 2ea0a8 -o out",
        "slice rings.png --islands -o out",
        "preview grid cells.png --grid 8x8 -o out.png",
        "adjust cells -o out --scale 2 --resample smooth",
        "adjust cells -o out --align match",
        "adjust cells -o out --mirror left-right",
        "adjust cells -o out --canvas 900x900",
        "check cells",
        "pack cells -o out --effort low",
        "pack cells -o out --effort low --page-scales 1,2",
        "unpack atlas -o out",
        "export atlas --to glb -o out.glb",
        "preview contact cells -o out.png",
        "preview onion cells -o out.png",
        "preview html cells -o out.html",
        "preview motion cells -o out.gif",
    ] {
        for limit in [24.0, 80.0, 200.0] {
            let outcome = env.run(&format!("{line} --max-memory {limit}MB --force -v --jobs 4"));
            let taken = peak(&outcome.err);
            *(if outcome.code == 0 { &mut done } else { &mut refused }) += 1;
            let is_said = outcome.code == 0 || outcome.err.contains("the limit is");
            if taken > limit * 1e6 * MARGIN + PROGRAM || !is_said {
                faults.push(format!("{line}: {:.0} MB of {limit} MB, exit {}", taken / 1e6, outcome.code));
            }
        }
    }
    assert!(faults.is_empty(), "\n{}", faults.join("\n"));
    assert!(done > 20 && refused > 10, "{done} done, {refused} refused");
}
