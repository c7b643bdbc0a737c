//! Signboard: a panel that stretches. Its corners are carved; between them every row and every column
//! repeats.

use image::RgbaImage;

use crate::clay::{ramp, rgb};

const SIDE: u32 = 48;
/// Pixels from an edge inwards: line, light, wood, wood, shadow, groove.
const RIM: [u32; 9] = [
    ramp::INK,
    ramp::WOOD.0[4],
    ramp::WOOD.0[3],
    ramp::WOOD.0[2],
    ramp::WOOD.0[2],
    ramp::WOOD.0[1],
    ramp::INK,
    ramp::DUSK.0[0],
    ramp::DUSK.0[1],
];
const CORNER: u32 = 14;

pub(crate) fn panel() -> RgbaImage {
    RgbaImage::from_fn(SIDE, SIDE, |x, y| {
        let (right, bottom) = (SIDE - 1 - x, SIDE - 1 - y);
        let (near_x, near_y) = (x.min(right), y.min(bottom));
        if near_x < CORNER
            && near_y < CORNER
            && let Some(color) = corner(near_x, near_y)
        {
            return color.map_or(image::Rgba([0; 4]), rgb);
        }
        let depth = near_x.min(near_y) as usize;
        let is_lit = if near_y <= near_x { y < bottom } else { x < right };
        let color = match RIM.get(depth) {
            Some(_) if depth == 1 && !is_lit => ramp::WOOD.0[2],
            Some(_) if (2..5).contains(&depth) && !is_lit => ramp::WOOD.0[1],
            Some(&color) => color,
            None => ramp::DUSK.0[1],
        };
        rgb(color)
    })
}

/// A rounded corner with a brass boss; `Some(None)` is cut away, `None` is plain rim.
fn corner(x: u32, y: u32) -> Option<Option<u32>> {
    if x + y < 3 {
        return Some(None);
    }
    if x + y == 3 {
        return Some(Some(ramp::INK));
    }
    let (dx, dy) = (x as f32 - 6.5, y as f32 - 6.5);
    let far = (dx * dx + dy * dy).sqrt();
    match far {
        f if f < 1.3 => Some(Some(ramp::GOLD.0[4])),
        f if f < 2.8 => Some(Some(if dx + dy < 0.0 { ramp::GOLD.0[3] } else { ramp::GOLD.0[2] })),
        f if f < 3.8 => Some(Some(ramp::GOLD.0[1])),
        f if f < 4.8 => Some(Some(ramp::INK)),
        _ => None,
    }
}
