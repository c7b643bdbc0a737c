//! Ripple: an APNG of rings on water that widen and fade; soft transparency throughout.

use image::{Rgba, RgbaImage};
use shibori_core::RenderedAnimation;

use crate::clay::{ramp, rgb};

const FRAMES: u32 = 10;

pub(crate) fn animation() -> RenderedAnimation {
    crate::animation((0..FRAMES).map(|n| (frame(n as f32 / FRAMES as f32), 70)).collect())
}

fn frame(time: f32) -> RgbaImage {
    RgbaImage::from_fn(48, 24, |x, y| {
        let (dx, dy) = (x as f32 + 0.5 - 24.0, (y as f32 + 0.5 - 12.0) * 2.0);
        let far = (dx * dx + dy * dy).sqrt();
        // Three rings, one after the other.
        let rings = [0.0, 0.22, 0.44].map(|late| ring(far, time - late));
        let (strength, is_crest) = rings.into_iter().fold((0.0, false), |a, b| if b.0 > a.0 { b } else { a });
        if strength <= 0.0 {
            return Rgba([0; 4]);
        }
        let tone = if is_crest && dy < 0.0 {
            4
        } else if is_crest {
            3
        } else {
            2
        };
        let Rgba([r, g, b, _]) = rgb(ramp::WATER.0[tone]);
        // Alpha in six steps, so that the fading stays crisp.
        Rgba([r, g, b, ((strength * 6.0).ceil() * 42.0).min(255.0) as u8])
    })
}

/// How strong a ring is here, and whether this is its crest.
fn ring(far: f32, age: f32) -> (f32, bool) {
    if age < 0.0 {
        return (0.0, false);
    }
    let off = (far - (1.5 + age * 30.0)).abs();
    let fade = (1.0 - age * 1.25).max(0.0);
    (if off < 1.9 { fade * (1.0 - off / 2.4) } else { 0.0 }, off < 0.9)
}
