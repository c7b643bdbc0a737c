//! Pixel art that was enlarged by a whole factor: it is judged as it was drawn.
//!
//! Where each pixel of the art is a block of 2x2 or more, lines through the middle of a block can't be borders, and every line between
//! blocks stands out against those beside it. Looks for blocks only, and never for cells.

use image::RgbaImage;
use num_integer::gcd;

use crate::{Pixels, Rect, Size};

/// Changes of color are on at least this share of the lines between blocks, or they are not blocks of art but flat areas.
const MANY: f64 = 0.5;
/// What looks enlarged by more is a mosaic of flat tiles.
const LARGEST: u32 = 8;

/// How a sheet was enlarged.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Upscale {
    /// Pixels of the sheet along each side of one of the art.
    pub(super) factor: u32,
    /// The whole blocks: a sheet may begin and end with part of one.
    pub(super) blocks: Rect,
}

/// How a sheet was enlarged; `None` where it was not.
pub(super) fn find_upscale(sheet: &Pixels) -> Option<Upscale> {
    let Size { width, height } = sheet.size();
    let (mut across, mut down) = (Changes::of(width), Changes::of(height));
    let mut above: Option<&[u8]> = None;
    for (y, row) in (0..).zip(sheet.rows()) {
        if gcd(across.step, down.step) == 1 {
            return None;
        }
        if above.is_some_and(|above| above == row) {
            continue;
        }
        if above.is_some() {
            down.add(y);
        }
        for (x, pair) in (1..).zip(row.windows(8).step_by(4)) {
            if pair[..4] != pair[4..] {
                across.add(x);
            }
        }
        above = Some(row);
    }
    let factor = gcd(across.step, down.step);
    if factor == 0 {
        return None;
    }
    let is_enlarged = (2..=LARGEST).contains(&factor) && across.are_of_art(factor) && down.are_of_art(factor);
    let blocks = |changes: &Changes, length: u32| {
        let start = changes.first()? as u32 % factor;
        Some((start, (length - start) / factor * factor))
    };
    let ((x, width), (y, height)) = (blocks(&across, width)?, blocks(&down, height)?);
    is_enlarged.then(|| Upscale { factor, blocks: Rect::new(x, y, width, height) })
}

/// Where the color changes from one column or row to the next.
struct Changes {
    is_change: Vec<bool>,
    /// What divides all distances between changes; 0 where there are fewer than two.
    step: u32,
}

impl Changes {
    fn of(length: u32) -> Self {
        Self { is_change: vec![false; length as usize], step: 0 }
    }

    fn first(&self) -> Option<usize> {
        self.is_change.iter().position(|&is_change| is_change)
    }

    fn add(&mut self, at: u32) {
        if !std::mem::replace(&mut self.is_change[at as usize], true) {
            let first = self.first().map_or(at, |first| first as u32);
            self.step = gcd(self.step, at.abs_diff(first));
        }
    }

    fn are_of_art(&self, factor: u32) -> bool {
        let last = self.is_change.iter().rposition(|&is_change| is_change);
        let span = self.first().zip(last).map_or(0, |(first, last)| last - first);
        let count = self.is_change.iter().filter(|&&is_change| is_change).count();
        span > 0 && count as f64 >= MANY * (span as f64 / f64::from(factor) + 1.0)
    }
}

/// A pixel of each block.
pub(super) fn downscale(sheet: &Pixels, Upscale { factor, blocks }: Upscale) -> Pixels {
    let Size { width, height } = blocks.size();
    let mut bytes = Vec::with_capacity((width / factor) as usize * (height / factor) as usize * 4);
    for y in (blocks.y..blocks.y + height).step_by(factor as usize) {
        let row = &sheet.row(y)[blocks.x as usize * 4..][..width as usize * 4];
        for pixel in row.chunks_exact(4).step_by(factor as usize) {
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
            let factor = find_upscale(&art(zoom)).map_or(1, |upscale| upscale.factor);
            assert_eq!(factor, zoom);
            let whole = Upscale { factor: zoom, blocks: Rect::new(0, 0, 12 * zoom, 8 * zoom) };
            assert_eq!(downscale(&art(zoom), whole).to_image(), art(1).to_image());
        }
        // A sheet that begins and ends within a block.
        let part = art(4).crop(Rect::new(3, 2, 43, 28)).unwrap();
        let upscale = Upscale { factor: 4, blocks: Rect::new(1, 2, 40, 24) };
        assert_eq!(find_upscale(&part), Some(upscale));
        let whole = art(1).crop(Rect::new(1, 1, 10, 6)).unwrap();
        assert_eq!(downscale(&part, upscale).to_image(), whole.to_image());
        let odd = Pixels::from_image(RgbaImage::from_fn(24, 16, |x, y| noise(x * x / 9, y / 2)));
        assert_eq!(find_upscale(&odd), None);
        let flat = Pixels::from_image(RgbaImage::from_fn(64, 48, |x, y| {
            Rgba([(x / 16) as u8, (y / 16) as u8, 0, 255])
        }));
        assert_eq!(find_upscale(&flat), None);
    }
}
