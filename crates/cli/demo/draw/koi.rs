//! Koi: eight frames from above, swimming to the right. The bend runs down the body like a wave.

use std::f32::consts::TAU;

use image::RgbaImage;

use crate::clay::{At, Clay, Ramp, ramp};

const FRAMES: u32 = 8;
/// Points along the back.
const JOINTS: usize = 28;

pub(crate) fn strip() -> RgbaImage {
    crate::sheet(&[(0..FRAMES).map(|n| frame(n as f32 / FRAMES as f32)).collect()])
}

/// Where the back is, from 0 at the nose to 1 at the tail.
fn back(along: f32, phase: f32) -> At {
    let sway = 0.5 + 3.4 * along * along;
    (28.0 - along * 20.5, 16.0 + sway * (TAU * (phase - along * 0.62)).sin())
}

fn thickness(along: f32) -> f32 {
    match along {
        a if a < 0.28 => 2.5 + (a / 0.28).sqrt() * 2.2,
        a => 4.7 - (a - 0.28) / 0.72 * 3.7,
    }
}

/// Orange saddles on pearl.
fn skin(along: f32, side: f32) -> Ramp {
    let saddle = |from: f32, to: f32, lean: f32| along + side * lean > from && along + side * lean < to;
    let is_orange = saddle(0.0, 0.13, 0.0) && side.abs() < 0.62
        || saddle(0.24, 0.47, 0.05) && side > -0.72
        || saddle(0.6, 0.78, -0.06) && side < 0.66;
    if is_orange { ramp::ORANGE } else { ramp::PEARL }
}

fn frame(phase: f32) -> RgbaImage {
    let mut clay = Clay::new(32, 32);
    tail(&mut clay, phase);
    fins(&mut clay, phase);
    for joint in (0..JOINTS).rev() {
        let along = joint as f32 / (JOINTS - 1) as f32;
        let radius = thickness(along);
        let center = back(along, phase);
        clay.patterned(center, (radius, radius), 0.0, |_, side| skin(along, side));
    }
    eyes(&mut clay, phase);
    clay.inked()
}

fn tail(clay: &mut Clay, phase: f32) {
    let (root, before) = (back(0.97, phase), back(0.85, phase));
    let flick = 3.2 * (TAU * (phase - 0.82)).sin();
    let lean = root.1 - before.1;
    let tip = (2.0, root.1 + lean + flick);
    let (upper, lower) = ((tip.0 + 0.6, tip.1 - 3.4), (tip.0 + 0.6, tip.1 + 3.4));
    clay.flat(&[root, (root.0 - 0.5, root.1 - 1.2), upper, (tip.0 + 3.2, tip.1)], ramp::PEARL.0[3]);
    clay.flat(&[root, (root.0 - 0.5, root.1 + 1.2), lower, (tip.0 + 3.2, tip.1)], ramp::PEARL.0[1]);
    clay.limb((root.0 + 0.5, root.1), (tip.0 + 2.6, tip.1 - 1.0), (0.9, 0.5), ramp::PEARL);
}

fn fins(clay: &mut Clay, phase: f32) {
    let stroke = (TAU * phase).sin();
    for (side, beat) in [(-1.0, stroke), (1.0, -stroke)] {
        let root = back(0.32, phase);
        let root = (root.0, root.1 + side * 3.6);
        let tip = (root.0 - 4.2 - beat, root.1 + side * (3.6 + beat * 0.6));
        let tone = if side < 0.0 { 3 } else { 1 };
        clay.flat(
            &[(root.0 + 1.8, root.1), tip, (tip.0 + 3.4, tip.1 + side * 0.4), (root.0 + 2.6, root.1)],
            ramp::PEARL.0[tone],
        );
        clay.limb((root.0 + 1.0, root.1), tip, (1.1, 0.6), ramp::PEARL);
    }
}

fn eyes(clay: &mut Clay, phase: f32) {
    let head = back(0.06, phase);
    for side in [-2.4, 2.4] {
        clay.dot((head.0 + 0.6) as i32, (head.1 + side) as i32, ramp::INK);
    }
}
