//! Small programs that use shibori as a library, without files. The first lines of each show what it prints.

use shibori_core::Pixels;
use shibori_core::image::{Rgba, RgbaImage};

/// A sheet of four cells of 32x32 px: a lantern that hangs 2 px further to the right in each, and glows in the third.
pub fn lantern() -> Pixels {
    Pixels::from_image(RgbaImage::from_fn(128, 32, |x, y| {
        let (cell, x) = (x / 32, x % 32);
        let (dx, dy) = (x as i32 - 10 - 2 * cell as i32, y as i32 - 16);
        match dx * dx + dy * dy {
            far if far > 49 && !(dx == 0 && (1..9).contains(&y)) => Rgba([0; 4]),
            near if near < 9 && cell == 2 => Rgba([255, 220, 120, 255]),
            _ if dx == 0 => Rgba([60, 40, 40, 255]),
            _ => Rgba([200, 60, (40 + 5 * (dy + 8)) as u8, 255]),
        }
    }))
}
