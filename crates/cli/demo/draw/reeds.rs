//! Reeds: loose drawings at odd places on one flat color, with a few stray specks, as such sheets come.

use image::{RgbaImage, imageops};

use crate::clay::{At, Clay, ramp, rgb};

/// The flat background: no tone of the art.
const FLAT: u32 = 0x2e_a0_a8;

pub(crate) fn loose_sheet() -> RgbaImage {
    let mut sheet = RgbaImage::from_pixel(176, 112, rgb(FLAT));
    let drawings: [(RgbaImage, i64, i64); 7] = [
        (cattails(), 5, 3),
        (grass(), 48, 26),
        (lily(false), 92, 9),
        (lily(true), 131, 17),
        (stones(), 52, 76),
        (sprout(), 104, 62),
        (lily(false), 134, 72),
    ];
    for (drawing, x, y) in drawings {
        imageops::overlay(&mut sheet, &drawing, x, y);
    }
    for (x, y, color) in [
        (44, 12, ramp::REED.0[2]),
        (45, 12, ramp::REED.0[1]),
        (88, 60, ramp::REED.0[3]),
        (124, 101, ramp::ROSE.0[2]),
        (170, 6, ramp::INK),
        (12, 100, ramp::REED.0[0]),
    ] {
        sheet.put_pixel(x, y, rgb(color));
    }
    sheet
}

/// A stem that bends, as a row of short limbs.
fn stem(clay: &mut Clay, foot: At, tip: At, bend: f32, thick: f32, color: crate::clay::Ramp) {
    let at = |t: f32| {
        let sag = bend * t * (1.0 - t) * 4.0;
        (foot.0 + (tip.0 - foot.0) * t + sag, foot.1 + (tip.1 - foot.1) * t)
    };
    for piece in 0..12 {
        let (from, to) = (piece as f32 / 12.0, (piece + 1) as f32 / 12.0);
        let slim = thick * (1.0 - from * 0.6);
        clay.limb(at(from), at(to), (slim, slim), color);
    }
}

fn cattails() -> RgbaImage {
    let mut clay = Clay::new(36, 72);
    stem(&mut clay, (14.0, 69.0), (6.0, 22.0), -2.0, 1.6, ramp::REED);
    stem(&mut clay, (18.0, 69.0), (31.0, 16.0), 3.0, 1.6, ramp::REED);
    stem(&mut clay, (16.5, 69.0), (17.0, 6.0), 1.5, 1.2, ramp::REED);
    stem(&mut clay, (19.0, 69.0), (26.0, 36.0), 2.0, 1.8, ramp::REED);
    clay.ball((17.6, 16.0), (2.7, 8.0), 0.03, ramp::WOOD);
    clay.ball((30.0, 24.0), (2.4, 6.4), 0.2, ramp::WOOD);
    clay.inked()
}

fn grass() -> RgbaImage {
    let mut clay = Clay::new(34, 42);
    for (foot, tip, bend) in
        [(13.0, 4.0, -3.0), (20.0, 30.0, 4.0), (15.0, 11.0, -1.0), (18.0, 24.0, 2.0), (16.5, 17.5, 0.5)]
    {
        let top = 6.0 + (tip - 17.0_f32).abs() * 0.9;
        stem(&mut clay, (foot, 39.0), (tip, top), bend, 2.0, ramp::REED);
    }
    clay.inked()
}

fn lily(has_flower: bool) -> RgbaImage {
    let mut clay = Clay::new(38, 34);
    clay.ball((19.0, 22.0), (15.0, 7.4), 0.0, ramp::GREEN);
    clay.ball((19.0, 21.0), (13.2, 6.0), 0.0, ramp::REED);
    for tip in [(8.0, 19.0), (13.0, 26.2), (26.0, 26.0), (31.0, 20.0)] {
        clay.limb((19.0, 21.4), tip, (0.5, 0.4), ramp::GREEN);
    }
    if has_flower {
        for (x, y) in [(12.0, 13.5), (26.0, 13.5), (15.0, 10.0), (23.0, 10.0), (19.0, 8.6)] {
            clay.limb((19.0, 19.0), (x, y), (2.6, 1.5), ramp::ROSE);
        }
        for (x, y) in [(15.0, 17.0), (23.0, 17.0), (19.0, 14.6)] {
            clay.limb((19.0, 20.0), (x, y), (2.4, 1.7), ramp::ROSE);
        }
        clay.ball((19.0, 18.6), (2.0, 1.6), 0.0, ramp::GOLD);
    }
    let mut image = clay.inked();
    if !has_flower {
        notch(&mut image);
    }
    image
}

/// The slit that every lily leaf has.
fn notch(image: &mut RgbaImage) {
    for step in 0..9u32 {
        for wide in 0..=step / 2 {
            let (x, y) = (20 + step, 21 - step / 2 + wide);
            let is_edge = wide == 0 || wide == step / 2 || step == 0;
            image.put_pixel(x, y, if is_edge { rgb(ramp::INK) } else { image::Rgba([0; 4]) });
        }
    }
}

fn stones() -> RgbaImage {
    let mut clay = Clay::new(40, 30);
    clay.ball((27.0, 18.0), (9.0, 7.0), 0.1, ramp::STONE);
    clay.ball((12.5, 18.5), (9.6, 8.4), -0.1, ramp::STONE);
    clay.ball((21.0, 24.0), (4.6, 3.2), 0.0, ramp::STONE);
    clay.ball((9.5, 12.4), (4.0, 1.9), -0.3, ramp::REED);
    clay.inked()
}

fn sprout() -> RgbaImage {
    let mut clay = Clay::new(20, 42);
    stem(&mut clay, (10.0, 39.0), (10.0, 12.0), -1.0, 1.1, ramp::REED);
    clay.ball((5.6, 22.0), (4.0, 1.8), 0.6, ramp::GREEN);
    clay.ball((14.6, 17.0), (4.2, 1.8), -0.6, ramp::GREEN);
    clay.ball((9.8, 9.0), (2.6, 3.8), 0.0, ramp::ROSE);
    clay.inked()
}
