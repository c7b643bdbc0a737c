//! What pictures are drawn on: fill, checker, frames at a whole zoom, labels. Knows no frame set.

use image::{Rgba, RgbaImage};

use crate::text;
use shibori_core::{Pixels, Rect, Size, over};

/// Colors of everything drawn for people.
pub(crate) mod ink {
    use image::Rgba;

    pub(crate) const PAGE: Rgba<u8> = Rgba([0x1b, 0x20, 0x29, 0xff]);
    pub(crate) const CHECKER: [Rgba<u8>; 2] =
        [Rgba([0x4d, 0x58, 0x69, 0xff]), Rgba([0x57, 0x63, 0x75, 0xff])];
    pub(crate) const TEXT: Rgba<u8> = Rgba([0xee, 0xf1, 0xf5, 0xff]);
    pub(crate) const DIM: Rgba<u8> = Rgba([0xa6, 0xb2, 0xc2, 0xff]);
    pub(crate) const RULE: Rgba<u8> = Rgba([0x39, 0x43, 0x52, 0xff]);
    pub(crate) const START: Rgba<u8> = Rgba([0x6f, 0xd3, 0xb5, 0xff]);
    pub(crate) const SHADE: Rgba<u8> = Rgba([0x10, 0x13, 0x19, 0xff]);
    pub(crate) const ALARM: Rgba<u8> = Rgba([0xff, 0x3d, 0x7f, 0xff]);
    pub(crate) const PIVOT: Rgba<u8> = Rgba([0xff, 0xff, 0xff, 0xff]);
    pub(crate) const BOX: Rgba<u8> = Rgba([0xff, 0xa9, 0x5e, 0xff]);
    pub(crate) const POLYGON: Rgba<u8> = Rgba([0xc9, 0xa2, 0xff, 0xff]);
    pub(crate) const TRIM: Rgba<u8> = Rgba([0x6f, 0xd3, 0xb5, 0xff]);
    pub(crate) const CANVAS: Rgba<u8> = Rgba([0xb8, 0xc4, 0xd6, 0xff]);
    pub(crate) const END: Rgba<u8> = Rgba([0xe6, 0xb4, 0x5e, 0xff]);
}

/// How large pictures may become.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PixelLimits {
    /// Pixels of one picture.
    pub per_image: u64,
    /// Pixels of all pictures that are drawn together.
    pub total: u64,
}

/// Pictures that would be larger than there is room for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{images} images of {size} px do not fit")]
pub struct PixelLimitError {
    /// How many pictures.
    pub images: u64,
    /// The size of each.
    pub size: Size,
}

impl Default for PixelLimits {
    /// As much as can be counted.
    fn default() -> Self {
        Self { per_image: u64::MAX, total: u64::MAX }
    }
}

impl PixelLimits {
    /// Checks the limits for this many images before allocating any of them.
    pub(crate) fn check(self, images: usize, size: Size) -> Result<(), PixelLimitError> {
        let (images, area) = (images as u64, size.area());
        match area <= self.per_image && area.saturating_mul(images) <= self.total {
            true => Ok(()),
            false => Err(PixelLimitError { images, size }),
        }
    }
}

pub(crate) struct Surface {
    image: RgbaImage,
}

impl Surface {
    pub(crate) fn new(size: Size, color: Rgba<u8>) -> Self {
        Self { image: RgbaImage::from_pixel(size.width.max(1), size.height.max(1), color) }
    }

    /// A picture to draw on.
    pub(crate) fn on(image: RgbaImage) -> Self {
        Self { image }
    }

    pub(crate) fn into_image(self) -> RgbaImage {
        self.image
    }

    pub(crate) fn fill(&mut self, rect: Rect, color: Rgba<u8>) {
        self.paint(rect, |_, _| color);
    }

    /// A checkerboard of `tile` px, so that transparency shows.
    pub(crate) fn fill_checkerboard(&mut self, rect: Rect, tile: u32) {
        self.paint(rect, |x, y| ink::CHECKER[((x / tile + y / tile) % 2) as usize]);
    }

    fn paint(&mut self, rect: Rect, color: impl Fn(u32, u32) -> Rgba<u8>) {
        let paper = Rect::of(Size::from(self.image.dimensions()));
        let Some(inside) = rect.intersection(paper) else { return };
        for y in inside.y..inside.y + inside.height {
            for x in inside.x..inside.x + inside.width {
                self.image.put_pixel(x, y, color(x - rect.x, y - rect.y));
            }
        }
    }

    /// Lays pixels over the paper, each a square of `zoom` px; what extends beyond it is left out.
    pub(crate) fn blit(&mut self, pixels: &Pixels, x: i64, y: i64, zoom: u32) {
        let (width, height) = self.image.dimensions();
        let zoom = i64::from(zoom);
        for (line, row) in (0i64..).zip(pixels.rows()) {
            for (column, pixel) in (0i64..).zip(row.chunks_exact(4)) {
                if pixel[3] == 0 {
                    continue;
                }
                let (left, top) = (x + column * zoom, y + line * zoom);
                let inside = |at: i64, end: u32| at.clamp(0, i64::from(end)) as u32;
                for py in inside(top, height)..inside(top + zoom, height) {
                    for px in inside(left, width)..inside(left + zoom, width) {
                        let under = self.image.get_pixel_mut(px, py);
                        *under = over(*under, Rgba([pixel[0], pixel[1], pixel[2], pixel[3]]));
                    }
                }
            }
        }
    }

    /// One pixel; off the paper nothing happens.
    pub(crate) fn plot(&mut self, x: i64, y: i64, color: Rgba<u8>) {
        let (width, height) = self.image.dimensions();
        if (0..i64::from(width)).contains(&x) && (0..i64::from(height)).contains(&y) {
            let under = self.image.get_pixel_mut(x as u32, y as u32);
            *under = over(*under, color);
        }
    }

    /// Slanting lines, `thick` of every `apart` pixels.
    pub(crate) fn hatch(&mut self, rect: Rect, apart: u32, thick: u32, color: Rgba<u8>) {
        for y in 0..rect.height {
            for x in (0..rect.width).filter(|x| (x + y) % apart < thick) {
                self.fill(Rect::new(rect.x + x, rect.y + y, 1, 1), color);
            }
        }
    }

    /// A line of two tones in turn, so that it shows on light and on dark; `dash` pixels each.
    pub(crate) fn line(&mut self, from: (i64, i64), to: (i64, i64), tones: [Rgba<u8>; 2], dash: i64) {
        let (dx, dy) = (to.0 - from.0, to.1 - from.1);
        let steps = dx.abs().max(dy.abs());
        for step in 0..=steps {
            let along = |start: i64, length: i64| {
                if steps == 0 {
                    start
                } else {
                    start + (length * step * 2 + steps * length.signum()) / (steps * 2)
                }
            };
            let tone = tones[(step / dash.max(1) % 2) as usize];
            self.plot(along(from.0, dx), along(from.1, dy), tone);
        }
    }

    /// The border of a rectangle, inside it.
    pub(crate) fn stroke_rect(
        &mut self,
        (x, y): (i64, i64),
        (width, height): (i64, i64),
        tones: [Rgba<u8>; 2],
    ) {
        let (right, bottom) = (x + width - 1, y + height - 1);
        for (from, to) in [
            ((x, y), (right, y)),
            ((x, bottom), (right, bottom)),
            ((x, y), (x, bottom)),
            ((right, y), (right, bottom)),
        ] {
            self.line(from, to, tones, 3);
        }
    }

    /// Writes a label of one line; `x` and `y` are its top left.
    pub(crate) fn draw_text(&mut self, label: &str, x: u32, y: u32, color: Rgba<u8>) {
        self.draw_styled(text::Style::Plain, label, x, y, color);
    }

    /// The same in bold.
    pub(crate) fn draw_title(&mut self, label: &str, x: u32, y: u32, color: Rgba<u8>) {
        self.draw_styled(text::Style::Bold, label, x, y, color);
    }

    fn draw_styled(&mut self, style: text::Style, label: &str, x: u32, y: u32, color: Rgba<u8>) {
        for (dx, dy) in text::lit(label, style) {
            self.fill(Rect::new(x + dx, y + dy, 1, 1), color);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pixels_are_laid_with_hard_edges_and_cut_at_the_border() {
        let mut paper = Surface::new(Size::new(4, 3), ink::PAGE);
        let dot = Rgba([255, 0, 0, 255]);
        paper.blit(&Pixels::from_image(RgbaImage::from_pixel(1, 1, dot)), 3, -1, 2);
        let image = paper.into_image();
        let lit: Vec<_> = image.enumerate_pixels().filter(|p| *p.2 == dot).map(|p| (p.0, p.1)).collect();
        assert_eq!(lit, [(3, 0)]);
    }
}
