//! Heron: six frames that were never lined up. The figure jumps about from cell to cell and touches
//! the edges, so that there is something to find and to mend.

use image::{RgbaImage, imageops};

use crate::clay::{At, Clay, ramp};

/// Where the head is in each frame of the hunt, from the shoulder, and how the body leans.
const POSES: [(At, f32); 6] = [
    ((7.0, -20.0), -0.35),
    ((9.0, -19.0), -0.3),
    ((10.0, -12.0), -0.1),
    ((15.0, 6.0), 0.25),
    ((14.0, 11.0), 0.35),
    ((8.0, -17.0), -0.25),
];

/// How far each frame slipped.
const SLIPS: [(i64, i64); 6] = [(0, 0), (3, -1), (-4, 0), (-2, 2), (-5, 1), (2, -3)];

pub(crate) fn strip() -> RgbaImage {
    let frame = |(pose, &(x, y)): (usize, &(i64, i64))| {
        let mut cell = RgbaImage::new(56, 64);
        imageops::replace(&mut cell, &figure(pose), x, y);
        cell
    };
    crate::sheet(&[SLIPS.iter().enumerate().map(frame).collect()])
}

fn figure(pose: usize) -> RgbaImage {
    let (head_off, lean) = POSES[pose];
    let mut clay = Clay::new(56, 64);
    let body: At = (22.0, 32.0);
    let shoulder: At = (body.0 + 6.5, body.1 - 3.5 + lean * 8.0);
    let head = (shoulder.0 + head_off.0, shoulder.1 + head_off.1);
    legs(&mut clay, body);
    tail(&mut clay, body, lean);
    neck(&mut clay, shoulder, head);
    clay.ball(body, (11.0, 6.8), lean, ramp::SLATE);
    clay.ball((body.0 - 2.5, body.1 + 0.4), (9.4, 4.6), lean + 0.12, ramp::DUSK);
    for feather in 0..3 {
        let y = body.1 + 1.0 + feather as f32 * 1.7;
        clay.limb((body.0 - 1.0, y), (body.0 - 12.5, y + 2.0 - lean * 8.0), (1.3, 0.7), ramp::SLATE);
    }
    beak_and_crest(&mut clay, head, pose);
    clay.inked()
}

fn legs(clay: &mut Clay, body: At) {
    for (x, knee, is_far) in [(3.2, 1.4, true), (-1.0, -1.0, false)] {
        let tone = if is_far { ramp::WOOD } else { ramp::RUST };
        let (hip, joint, foot) =
            ((body.0 + x, body.1 + 5.0), (body.0 + x + knee, body.1 + 16.0), (body.0 + x, 60.4));
        clay.limb(hip, joint, (1.5, 0.8), tone);
        clay.limb(joint, foot, (0.9, 0.8), tone);
        clay.limb(foot, (foot.0 + 5.0, 60.8), (0.8, 0.6), tone);
        clay.limb(foot, (foot.0 - 2.6, 60.8), (0.8, 0.5), tone);
    }
}

fn tail(clay: &mut Clay, body: At, lean: f32) {
    clay.limb(
        (body.0 - 7.0, body.1 + 1.0),
        (body.0 - 16.0, body.1 + 6.5 - lean * 9.0),
        (3.4, 1.2),
        ramp::SLATE,
    );
}

/// An S from the shoulder to the head.
fn neck(clay: &mut Clay, shoulder: At, head: At) {
    let (dx, dy) = (head.0 - shoulder.0, head.1 - shoulder.1);
    let bow = if dy < 0.0 { 3.6 } else { 2.0 };
    let at = |t: f32| {
        let curve = (t * std::f32::consts::TAU).sin() * bow;
        (shoulder.0 + dx * t + curve, shoulder.1 + dy * t - if dy > 0.0 { curve * 1.4 } else { 0.0 })
    };
    for piece in 0..16 {
        let t = piece as f32 / 16.0;
        let thick = 3.0 - t * 1.2;
        clay.limb(at(t), at(t + 1.0 / 16.0), (thick, thick), ramp::PEARL);
    }
}

fn beak_and_crest(clay: &mut Clay, head: At, pose: usize) {
    let is_down = pose == 3 || pose == 4;
    let tip = if is_down { (head.0 + 6.5, head.1 + 10.0) } else { (head.0 + 12.0, head.1 + 2.0) };
    clay.limb((head.0 + 1.5, head.1 + 0.6), tip, (1.5, 0.5), ramp::GOLD);
    clay.ball(head, (3.6, 3.0), if is_down { 0.7 } else { 0.1 }, ramp::PEARL);
    let crest = if is_down { (head.0 - 7.0, head.1 - 5.0) } else { (head.0 - 9.0, head.1 + 1.5) };
    clay.limb((head.0 - 0.5, head.1 - 1.8), crest, (1.3, 0.6), ramp::DUSK);
    clay.dot((head.0 + 1.0) as i32, (head.1 - 0.6) as i32, ramp::INK);
    if pose == 4 || pose == 5 {
        // A small catch.
        clay.ball((tip.0 - 0.6, tip.1 + 0.4), (2.2, 1.1), 0.9, ramp::WATER);
    }
}
