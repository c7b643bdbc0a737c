//! Lantern: six numbered images of a paper lantern that sways and flickers, with soft light around it.

use std::f32::consts::TAU;

use image::RgbaImage;

use crate::clay::{Clay, Ramp, ramp};

const FRAMES: u32 = 6;
const PAPER: Ramp = Ramp([0x8c2f39, 0xc9502f, 0xf0803c, 0xffb454, 0xffe6a0]);
const CAP: Ramp = ramp::WOOD;

pub(crate) fn glows() -> Vec<RgbaImage> {
    let flicker = [0.62, 0.8, 1.0, 0.86, 0.7, 0.92];
    (0..FRAMES).map(|n| frame((TAU * n as f32 / FRAMES as f32).sin(), flicker[n as usize])).collect()
}

fn frame(sway: f32, light: f32) -> RgbaImage {
    let mut clay = Clay::new(32, 44);
    let (top, x, y) = (16.0, 16.0 + sway * 1.6, 23.0);
    clay.limb((top, 1.0), (x, y - 10.0), (0.6, 0.6), CAP);
    clay.ball((x, y - 9.2), (4.2, 1.6), 0.0, CAP);
    clay.ball((x, y), (8.4, 9.4), 0.0, PAPER);
    ribs(&mut clay, x, y);
    let core = 2.0 + light * 2.2;
    clay.ball(
        (x - 0.6, y + 0.4),
        (core, core + 1.0),
        0.0,
        Ramp([PAPER.0[3], PAPER.0[4], 0xfff3c4, 0xfffbe6, 0xffffff]),
    );
    clay.ball((x, y + 9.2), (4.0, 1.5), 0.0, CAP);
    clay.limb((x, y + 10.6), (x - sway, y + 15.0), (0.7, 0.9), ramp::RUST);
    clay.limb((x - sway, y + 15.0), (x - sway * 1.6, y + 17.5), (1.1, 0.7), ramp::ORANGE);
    let mut lit = Clay::from_image(clay.inked());
    lit.glow((x, y), 14.2, 0.22 + light * 0.2, 0xffb454);
    lit.finish()
}

/// The bamboo rings under the paper.
fn ribs(clay: &mut Clay, x: f32, y: f32) {
    for level in [-6.0_f32, -2.6, 2.6, 6.0] {
        let half = 8.4 * (1.0 - (level / 9.4).powi(2)).sqrt() - 0.8;
        let from = (x - half).ceil() as i32;
        for column in from..=(x + half).floor() as i32 {
            let is_dark = (column as f32 - x) > 2.0;
            clay.dot(column, (y + level) as i32, PAPER.0[if is_dark { 0 } else { 1 }]);
        }
    }
}
