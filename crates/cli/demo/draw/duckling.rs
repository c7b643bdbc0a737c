//! Duckling: eight directions, clockwise from north, four steps each, seen from a little above.

use std::f32::consts::{FRAC_PI_4, TAU};

use image::RgbaImage;

use crate::clay::{At, Clay, ramp};

const DIRECTIONS: usize = 8;
const STEPS: usize = 4;

pub(crate) fn sheet() -> RgbaImage {
    let row = |direction: usize| (0..STEPS).map(|step| frame(direction, step)).collect();
    crate::sheet(&(0..DIRECTIONS).map(row).collect::<Vec<_>>())
}

fn frame(direction: usize, step: usize) -> RgbaImage {
    // North is up the screen, away from the viewer.
    let (sin, cos) = (direction as f32 * FRAC_PI_4).sin_cos();
    let ahead: At = (sin, -cos);
    let stride = (step as f32 / STEPS as f32 * TAU).sin();
    let bob = if step % 2 == 1 { -0.8 } else { 0.0 };
    let body: At = (12.0 - ahead.0 * 1.0, 15.0 + bob - ahead.1 * 0.6);
    let head: At = (12.0 + ahead.0 * 3.6, 8.6 + bob + ahead.1 * 1.3);
    let mut clay = Clay::new(24, 24);
    feet(&mut clay, ahead, stride);
    let is_away = ahead.1 < -0.1;
    if is_away {
        face(&mut clay, head, ahead);
    }
    let wide = 5.0 + ahead.0.abs() * 1.1;
    clay.ball(body, (wide, 4.9), 0.0, ramp::GOLD);
    let tail = (body.0 - ahead.0 * 5.6, body.1 - ahead.1 * 3.4 - 1.2);
    clay.ball(tail, (1.9, 1.5), 0.0, ramp::GOLD);
    wings(&mut clay, body, ahead, stride);
    if !is_away {
        face(&mut clay, head, ahead);
    } else {
        clay.ball((head.0, head.1 + 0.3), (3.9, 3.6), 0.0, ramp::GOLD);
        tuft(&mut clay, head);
    }
    clay.inked()
}

fn feet(clay: &mut Clay, ahead: At, stride: f32) {
    for (side, forward) in [(-1.0, stride), (1.0, -stride)] {
        let x = 12.0 - ahead.1 * side * 2.3 + ahead.0 * forward * 1.9;
        let y = 20.2 + ahead.0 * side * 0.9 + ahead.1 * forward * 1.2;
        clay.ball((x + ahead.0 * 0.8, y), (1.7, 1.0), 0.0, ramp::RUST);
    }
}

fn wings(clay: &mut Clay, body: At, ahead: At, stride: f32) {
    for side in [-1.0_f32, 1.0] {
        let across = (-ahead.1 * side, ahead.0 * side);
        // The wing on the far side hides behind the body.
        if across.1 < -0.3 {
            continue;
        }
        let flap = stride * side * 0.4;
        let at = (body.0 + across.0 * 4.2 - ahead.0 * 0.6, body.1 - 0.4 + across.1 * 1.6 - flap);
        let wide = 1.7 + ahead.0.abs() * 1.4;
        clay.ball(at, (wide, 2.6), 0.0, WING);
    }
}

const WING: crate::clay::Ramp = crate::clay::Ramp([0x8a4a1b, 0xb86f1c, 0xd48f25, 0xeab53a, 0xf9cf48]);

fn face(clay: &mut Clay, head: At, ahead: At) {
    let bill = (head.0 + ahead.0 * 3.9, head.1 + 1.0 + ahead.1 * 1.6);
    let is_behind = ahead.1 < -0.1;
    if is_behind {
        clay.ball(bill, (1.8, 1.2), 0.0, ramp::RUST);
    }
    clay.ball(head, (3.9, 3.7), 0.0, ramp::GOLD);
    if !is_behind {
        clay.ball(bill, (1.5 + ahead.0.abs() * 0.5, 1.2), 0.0, ramp::RUST);
        eyes(clay, head, ahead);
    }
    tuft(clay, head);
}

fn eyes(clay: &mut Clay, head: At, ahead: At) {
    for side in [-1.0_f32, 1.0] {
        let (dx, dy) = (ahead.0 * 1.7 - ahead.1 * side * 2.0, -0.6 + ahead.1 * 0.5);
        // Seen from the side, only the near eye shows.
        if ahead.1.abs() < 0.1 && side * ahead.0 < 0.0 {
            continue;
        }
        let (x, y) = ((head.0 + dx).floor() as i32, (head.1 + dy).floor() as i32);
        clay.dot(x, y, ramp::INK);
        clay.dot(x, y - 1, ramp::INK);
    }
}

fn tuft(clay: &mut Clay, head: At) {
    clay.dot(head.0 as i32, (head.1 - 4.4) as i32, ramp::GOLD.0[3]);
    clay.dot(head.0 as i32 + 1, (head.1 - 4.9) as i32, ramp::GOLD.0[4]);
}
