//! Frog: four rows of different length, seen from the side: sit 4, croak 6, leap 8, dive 7.

use std::f32::consts::{PI, TAU};

use image::RgbaImage;

use crate::clay::{At, Clay, Ramp, ramp};

/// How the frog holds itself.
struct Pose {
    /// Middle of the body.
    at: At,
    /// Radians; nose up is negative.
    lean: f32,
    /// 0 folded, 1 stretched out.
    legs: f32,
    /// 0 flat, 1 blown up.
    throat: f32,
    blink: bool,
    /// Pixels of the body under the water line, from the bottom of the cell.
    water: f32,
}

/// The far leg is in the shadow of the body.
const FAR: Ramp = Ramp([0x12303a, 0x173b3f, 0x1f5f4b, 0x2a7450, 0x37894e]);

const SITTING: Pose =
    Pose { at: (15.0, 20.5), lean: -0.42, legs: 0.0, throat: 0.0, blink: false, water: 0.0 };

pub(crate) fn sheet() -> RgbaImage {
    crate::sheet(&[sit(), croak(), leap(), dive()])
}

fn sit() -> Vec<RgbaImage> {
    let breath = [0.0, -0.5, -0.8, -0.3];
    let pose = |(n, lift): (usize, f32)| Pose { at: (15.0, 20.5 + lift), blink: n == 3, ..SITTING };
    breath.into_iter().enumerate().map(pose).map(|pose| draw(&pose)).collect()
}

fn croak() -> Vec<RgbaImage> {
    let pose = |throat: f32| Pose { throat, lean: -0.42 - throat * 0.1, ..SITTING };
    [0.15, 0.5, 0.85, 1.0, 0.7, 0.3].map(pose).iter().map(draw).collect()
}

/// Crouches, flies in an arc, lands.
fn leap() -> Vec<RgbaImage> {
    let pose = |n: i32| {
        let flight = ((n as f32 - 1.5) / 4.5).clamp(0.0, 1.0);
        let height = (flight * PI).sin() * 9.5;
        let in_air = (2..=5).contains(&n);
        Pose {
            at: (14.6 + flight * 1.4, 20.5 - height + if n == 0 || n == 7 { 1.0 } else { 0.0 }),
            lean: if in_air { -0.75 + flight * 1.15 } else { -0.36 },
            legs: if in_air {
                (1.15 - flight).clamp(0.0, 1.0)
            } else if n == 1 {
                0.35
            } else {
                0.0
            },
            ..SITTING
        }
    };
    (0..8).map(|n| draw(&pose(n))).collect()
}

/// Tips over and goes under; the last frame is rings and a pair of eyes.
fn dive() -> Vec<RgbaImage> {
    let pose = |n: i32| {
        let down = n as f32 / 6.0;
        Pose {
            at: (14.5 + down * 2.5, 17.5 + down * 8.5 - (down * PI).sin() * 4.5),
            lean: -0.2 + down * 1.25,
            legs: (down * 1.8).min(1.0),
            water: 4.0,
            ..SITTING
        }
    };
    (0..7).map(|n| draw(&pose(n))).collect()
}

/// A point given along and across the body, on the canvas.
fn on_body(pose: &Pose, along: f32, across: f32) -> At {
    let (sin, cos) = pose.lean.sin_cos();
    (pose.at.0 + along * cos - across * sin, pose.at.1 + along * sin + across * cos)
}

fn draw(pose: &Pose) -> RgbaImage {
    let mut clay = Clay::new(32, 32);
    hind_leg(&mut clay, pose, true);
    clay.ball(on_body(pose, 0.0, 0.0), (8.2, 5.4), pose.lean, ramp::GREEN);
    clay.ball(on_body(pose, 2.4, 2.4), (5.4, 3.0), pose.lean, ramp::CREAM);
    if pose.throat > 0.0 {
        let size = 1.6 + pose.throat * 3.0;
        clay.ball(on_body(pose, 7.2 + pose.throat, 2.6 + pose.throat * 0.8), (size, size), 0.0, ramp::CREAM);
    }
    let head = on_body(pose, 6.2, -1.2);
    clay.ball(head, (4.9, 3.7), pose.lean * 0.3, ramp::GREEN);
    clay.limb((head.0 + 0.6, head.1 + 1.7), (head.0 + 4.4, head.1 + 1.0), (0.55, 0.45), ramp::CREAM);
    spots(&mut clay, pose);
    hind_leg(&mut clay, pose, false);
    front_leg(&mut clay, pose);
    eye(&mut clay, pose, head);
    let mut image = clay.inked();
    if pose.water > 0.0 {
        sink(&mut image, pose.water);
    }
    image
}

fn spots(clay: &mut Clay, pose: &Pose) {
    for (along, across) in [(-3.0, -3.2), (0.4, -3.9), (-5.6, -1.2)] {
        let (x, y) = on_body(pose, along, across);
        clay.dot(x as i32, y as i32, ramp::GREEN.0[1]);
        clay.dot(x as i32 + 1, y as i32, ramp::GREEN.0[1]);
    }
}

fn hind_leg(clay: &mut Clay, pose: &Pose, is_far: bool) {
    let hip = on_body(pose, if is_far { -3.2 } else { -4.4 }, 1.6);
    let ground: f32 = 28.4;
    let folded_knee = (hip.0 + 2.6, hip.1 - 0.6);
    let folded_foot = (hip.0 - 2.0, ground.min(hip.1 + 6.0));
    let out = on_body(pose, -11.5, if is_far { 1.0 } else { 3.2 });
    let mid = on_body(pose, -7.6, if is_far { 3.4 } else { 5.0 });
    let mix = |a: At, b: At| (a.0 + (b.0 - a.0) * pose.legs, a.1 + (b.1 - a.1) * pose.legs);
    let (knee, foot) = (mix(folded_knee, mid), mix(folded_foot, out));
    let toe_length = 4.6 * (1.0 - pose.legs) + 2.2;
    let toe = (foot.0 + toe_length * (1.0 - 1.6 * pose.legs), foot.1 + 0.2 + pose.legs);
    let tone = if is_far { FAR } else { ramp::GREEN };
    clay.limb(hip, knee, (3.5 - pose.legs, 2.4 - pose.legs * 0.6), tone);
    clay.limb(knee, foot, (1.9, 1.1), tone);
    clay.limb(foot, toe, (1.0, 0.8), tone);
}

fn front_leg(clay: &mut Clay, pose: &Pose) {
    let shoulder = on_body(pose, 4.2, 2.6);
    let down = (shoulder.0 + 1.2, 28.4_f32.min(shoulder.1 + 5.6));
    let back = on_body(pose, -0.5, 5.4);
    let hand = (down.0 + (back.0 - down.0) * pose.legs, down.1 + (back.1 - down.1) * pose.legs);
    clay.limb(shoulder, hand, (1.6, 0.9), ramp::GREEN);
    clay.limb(hand, (hand.0 + 2.0, hand.1 + 0.1), (0.85, 0.7), ramp::GREEN);
}

fn eye(clay: &mut Clay, pose: &Pose, head: At) {
    let at = (head.0 + 0.3, head.1 - 3.4);
    clay.ball(at, (2.5, 2.4), 0.0, ramp::GREEN);
    let (x, y) = ((at.0 + 0.4) as i32, at.1 as i32);
    if pose.blink {
        clay.dot(x - 1, y, ramp::INK);
        clay.dot(x, y, ramp::INK);
        clay.dot(x + 1, y, ramp::INK);
        return;
    }
    for (dx, dy, color) in
        [(0, -1, ramp::GOLD.0[4]), (0, 0, ramp::INK), (1, -1, ramp::GOLD.0[3]), (1, 0, ramp::INK)]
    {
        clay.dot(x + dx, y + dy, color);
    }
}

/// Takes away what is under water and draws a line of foam where the body goes in.
fn sink(image: &mut RgbaImage, water: f32) {
    let (width, height) = image.dimensions();
    let line = height - water as u32;
    let wet: Vec<u32> = (0..width).filter(|&x| image.get_pixel(x, line)[3] > 0).collect();
    for y in line..height {
        for x in 0..width {
            image.put_pixel(x, y, image::Rgba([0; 4]));
        }
    }
    let (Some(&first), Some(&last)) = (wet.first(), wet.last()) else { return };
    let reach = 2.0;
    for x in 0..width {
        let outside = first as f32 - x as f32;
        let outside = outside.max(x as f32 - last as f32);
        let wave = ((x as f32 / 3.0) * TAU / 2.0).sin();
        if outside <= reach {
            let color = if wave > 0.0 { ramp::WATER.0[4] } else { ramp::WATER.0[3] };
            image.put_pixel(x, line, crate::clay::rgb(color));
            if outside <= 0.0 {
                image.put_pixel(x, line + 1, crate::clay::rgb(ramp::WATER.0[1]));
            }
        }
    }
}
