//! Pixel art that was enlarged by a whole factor: it is judged as it was drawn.
//!
//! Where each pixel of the art is a block of 2x2 or more, lines through the middle of a block can't be borders, and every line between
//! blocks stands out against those beside it. Looks for blocks only, and never for cells.

use image::RgbaImage;
use num_integer::gcd;

use crate::{Pixels, Size};

/// Changes of color are on at least this share of the lines between blocks, or they are not blocks of art but flat areas.
const MANY: f64 = 0.5;
/// What looks enlarged by more is a mosaic of flat tiles.
const LARGEST: u32 = 8;

/// By what factor a sheet was enlarged; 1 where it was not.
pub(super) fn upscale_factor(sheet: &Pixels) -> u32 {
    let Size { width, height } = sheet.size();
    let (mut across, mut down) = (vec![false; width as usize], vec![false; height as usize]);
    let mut step = gcd(width, height);
    let mut above: Option<&[u8]> = None;
    for (y, row) in (0..).zip(sheet.rows()) {
        if step == 1 {
            return 1;
        }
        if above.is_some_and(|above| above == row) {
            continue;
        }
        if above.is_some() {
            down[y as usize] = true;
            step = gcd(step, y);
        }
        for (x, pair) in (1..).zip(row.windows(8).step_by(4)) {
            if pair[..4] != pair[4..] {
                across[x as usize] = true;
                step = gcd(step, x);
            }
        }
        above = Some(row);
    }
    let is_art = |changes: &[bool]| {
        let first = changes.iter().position(|&change| change)?;
        let last = changes.iter().rposition(|&change| change)?;
        let count = changes.iter().filter(|&&change| change).count();
        Some(count as f64 >= MANY * ((last - first) as f64 / f64::from(step) + 1.0))
    };
    let is_enlarged = step <= LARGEST && is_art(&across) == Some(true) && is_art(&down) == Some(true);
    if is_enlarged { step } else { 1 }
}

/// A pixel of each block.
pub(super) fn downscale(sheet: &Pixels, factor: u32) -> Pixels {
    let Size { width, height } = sheet.size();
    let mut bytes = Vec::with_capacity((width / factor) as usize * (height / factor) as usize * 4);
    for y in (0..height).step_by(factor as usize) {
        for pixel in sheet.row(y).chunks_exact(4).step_by(factor as usize) {
            bytes.extend_from_slice(pixel);
        }
    }
    let image = RgbaImage::from_raw(width / factor, height / factor, bytes);
    Pixels::from_image(image.expect("a pixel of each block"))
}

#[cfg(test)]
mod tests {
    use image::Rgba;

    use super::*;

    #[test]
    fn blocks_of_pixels_are_distinguished_from_flat_areas() {
        let noise = |x: u32, y: u32| Rgba([(x * 37 + y * 91) as u8, (x * y) as u8, 7, 255]);
        let art = |zoom: u32| {
            Pixels::from_image(RgbaImage::from_fn(12 * zoom, 8 * zoom, |x, y| noise(x / zoom, y / zoom)))
        };
        for zoom in [1, 2, 3, 5] {
            assert_eq!(upscale_factor(&art(zoom)), zoom);
            assert_eq!(downscale(&art(zoom), zoom).to_image(), art(1).to_image());
        }
        let odd = Pixels::from_image(RgbaImage::from_fn(25, 16, |x, y| noise(x / 2, y / 2)));
        assert_eq!(upscale_factor(&odd), 1);
        let flat = Pixels::from_image(RgbaImage::from_fn(64, 48, |x, y| {
            Rgba([(x / 16) as u8, (y / 16) as u8, 0, 255])
        }));
        assert_eq!(upscale_factor(&flat), 1);
    }
}
