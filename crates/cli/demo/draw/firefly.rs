//! Firefly: a GIF with uneven delays. It glows up fast, holds, and dies down slowly.

use image::RgbaImage;
use shibori_core::RenderedAnimation;

use crate::clay::{Clay, Ramp, ramp, rgb};

/// Light of each frame, and how long it is shown in milliseconds.
const FRAMES: [(f32, u32); 8] =
    [(0.0, 500), (0.35, 40), (0.75, 40), (1.0, 180), (0.8, 80), (0.55, 120), (0.3, 160), (0.12, 240)];

const SHELL: Ramp = Ramp([0x1b1a33, 0x2c2545, 0x493658, 0x6d5170, 0x9a7a8c]);

pub(crate) fn animation() -> RenderedAnimation {
    crate::animation(FRAMES.iter().enumerate().map(|(n, &(light, ms))| (frame(n, light), ms)).collect())
}

fn frame(number: usize, light: f32) -> RgbaImage {
    let bob = [0.0, -0.4, -0.8, -1.0, -0.8, -0.4, 0.0, 0.3][number];
    let mut clay = Clay::new(24, 24);
    let (x, y) = (12.0, 12.0 + bob);
    let up = number.is_multiple_of(2);
    let tips = if up { [(5.5, y - 7.0), (9.0, y - 8.5)] } else { [(4.0, y - 3.2), (6.5, y - 6.5)] };
    for (tip_x, tip_y) in tips {
        clay.limb((x - 0.5, y - 1.5), (tip_x, tip_y), (1.2, 1.9), ramp::SLATE);
        clay.limb((x + 1.0, y - 1.5), (24.0 - tip_x, tip_y), (1.2, 1.9), ramp::SLATE);
    }
    let lamp = if light > 0.2 { ramp::GOLD } else { ramp::REED };
    clay.ball((x, y + 3.4), (2.9, 3.5), 0.0, lamp);
    clay.ball((x, y - 0.4), (2.7, 2.9), 0.0, SHELL);
    clay.ball((x, y - 3.4), (1.9, 1.7), 0.0, ramp::RUST);
    clay.dot(11, (y - 4.0) as i32, ramp::INK);
    clay.dot(12, (y - 4.0) as i32, ramp::INK);
    let mut image = clay.inked();
    halo(&mut image, (x, y + 3.6), light);
    image
}

/// A GIF has no half transparency, so the light is drawn as rays of single pixels.
fn halo(image: &mut RgbaImage, center: (f32, f32), light: f32) {
    let reach = 4.5 + light * 6.0;
    if light < 0.2 {
        return;
    }
    for y in 0..image.height() {
        for x in 0..image.width() {
            let (dx, dy) = (x as f32 + 0.5 - center.0, y as f32 + 0.5 - center.1);
            let far = (dx * dx + dy * dy).sqrt();
            let sparse = if far < reach * 0.72 { (x + y) % 2 == 0 } else { x % 2 == 0 && y % 2 == 0 };
            if far < reach && sparse && image.get_pixel(x, y)[3] == 0 {
                image.put_pixel(x, y, rgb(ramp::GOLD.0[if far < reach * 0.72 { 4 } else { 3 }]));
            }
        }
    }
}
