//! A flat background color becomes transparent. Never touches the rest of a sheet.

use std::fmt;

use image::{Rgba, RgbaImage};

use crate::background::distance;
use crate::{Color, Pixels, Rect, Size};

/// Colors of a background, and how far from one of them a pixel may be in each channel, 0 to 255.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeyColors {
    /// The colors; several where a checkerboard is painted into the picture.
    pub colors: Vec<Color>,
    /// The largest difference.
    pub tolerance: u8,
}

impl KeyColors {
    /// Whether a pixel is of the background.
    fn hold(&self, pixel: &Rgba<u8>) -> bool {
        pixel[3] > 0 && self.colors.iter().any(|color| distance(&pixel.0, color.0) <= self.tolerance)
    }
}

impl fmt::Display for KeyColors {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let colors: Vec<String> = self.colors.iter().map(ToString::to_string).collect();
        f.write_str(&colors.join(","))
    }
}

/// Which colors a color key makes transparent.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Key {
    /// The one that is found behind the drawings.
    Auto,
    /// None.
    None,
    /// These.
    Colors(Vec<Color>),
}

/// Which pixels of the color go.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum KeyScope {
    /// Only areas connected to the sheet's border; the same color inside a drawing stays
    #[default]
    Outside,
    /// Everywhere on the sheet
    Everywhere,
}

/// A sheet without its background.
#[derive(Clone, Debug)]
pub struct Keyed {
    /// The sheet; pixels that went are transparent black.
    pub image: RgbaImage,
    /// How many went.
    pub pixels: u64,
    /// How many of the same color are left inside drawings.
    pub left: u64,
}

/// Makes the background transparent. With [`KeyScope::Outside`] it goes from the sheet's border inward, and from the
/// borders of these cells, which lines may cut off from the sheet's.
pub fn key(sheet: &Pixels, background: &KeyColors, scope: KeyScope, cells: &[Rect]) -> Keyed {
    let mut image = sheet.to_image();
    let goes = |pixel: &Rgba<u8>| background.hold(pixel);
    let mut pixels = 0;
    match scope {
        KeyScope::Everywhere => {
            for pixel in image.pixels_mut().filter(|pixel| goes(pixel)) {
                *pixel = Rgba([0; 4]);
                pixels += 1;
            }
        }
        KeyScope::Outside => flood(&mut image, cells, goes, &mut pixels),
    }
    let left = image.pixels().filter(|pixel| goes(pixel)).count() as u64;
    Keyed { image, pixels, left }
}

/// The outermost pixels of a rectangle.
fn ring(rect: Rect) -> impl Iterator<Item = (u32, u32)> {
    let Rect { x, y, width, height } = rect;
    let edge = (x..x + width).flat_map(move |at| [(at, y), (at, y + height - 1)]);
    edge.chain((y..y + height).flat_map(move |at| [(x, at), (x + width - 1, at)]))
}

/// Floods from the borders of the sheet and of cells through pixels that go, straight neighbors only, a run of a row at a time. A
/// transparent pixel lets the flood through.
fn flood(image: &mut RgbaImage, cells: &[Rect], goes: impl Fn(&Rgba<u8>) -> bool, pixels: &mut u64) {
    let Size { width, height } = Size::from(image.dimensions());
    let mut seen = vec![false; (width as usize) * (height as usize)];
    let mut open: Vec<(u32, u32)> = Vec::new();
    let passes = |image: &RgbaImage, x: u32, y: u32| {
        let pixel = image.get_pixel(x, y);
        pixel[3] == 0 || goes(pixel)
    };
    let at = |x: u32, y: u32| y as usize * width as usize + x as usize;
    let whole = [Rect::new(0, 0, width, height)];
    for (x, y) in whole.iter().chain(cells).copied().flat_map(ring) {
        if !seen[at(x, y)] && passes(image, x, y) {
            seen[at(x, y)] = true;
            open.push((x, y));
        }
    }
    while let Some((x, y)) = open.pop() {
        if image.get_pixel(x, y)[3] > 0 {
            image.put_pixel(x, y, Rgba([0; 4]));
            *pixels += 1;
        }
        let near = [(x.wrapping_sub(1), y), (x + 1, y), (x, y.wrapping_sub(1)), (x, y + 1)];
        for (nx, ny) in near {
            if nx < width && ny < height && !seen[at(nx, ny)] && passes(image, nx, ny) {
                seen[at(nx, ny)] = true;
                open.push((nx, ny));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const BACK: Rgba<u8> = Rgba([46, 160, 168, 255]);
    fn back(tolerance: u8) -> KeyColors {
        KeyColors { colors: vec![Color(BACK)], tolerance }
    }

    const INK: Rgba<u8> = Rgba([20, 20, 40, 255]);

    /// A ring with background inside and outside, and a slightly different shade beside it.
    fn ring() -> Pixels {
        Pixels::from_image(RgbaImage::from_fn(9, 7, |x, y| match (x, y) {
            (2..=6, 1..=5) if x == 2 || x == 6 || y == 1 || y == 5 => INK,
            (0, 0) => Rgba([49, 160, 168, 255]),
            _ => BACK,
        }))
    }

    #[test]
    fn outside_keeps_the_same_color_inside_a_drawing() {
        let count = |tolerance, scope| key(&ring(), &back(tolerance), scope, &[]).pixels;
        assert_eq!(key(&ring(), &back(3), KeyScope::Outside, &[]).left, 9);
        // 63 pixels, 16 of the ring, 9 inside it, 1 of another shade.
        assert_eq!(count(0, KeyScope::Everywhere), 63 - 16 - 1);
        assert_eq!(count(3, KeyScope::Everywhere), 63 - 16);
        assert_eq!(count(3, KeyScope::Outside), 63 - 16 - 9);
        let keyed = key(&ring(), &back(3), KeyScope::Outside, &[]).image;
        assert_eq!((keyed.get_pixel(4, 3), keyed.get_pixel(2, 1)), (&BACK, &INK));
        assert_eq!(keyed.get_pixel(0, 0)[3], 0);
    }

    #[test]
    fn a_cell_that_lines_cut_off_is_open_at_its_own_border() {
        // A frame of ink along the border of 9x7 px, and a ring of ink inside.
        let sheet = RgbaImage::from_fn(9, 7, |x, y| {
            let is_frame = x == 0 || y == 0 || x == 8 || y == 6;
            let is_ring = (3..6).contains(&x) && (2..5).contains(&y) && (x, y) != (4, 3);
            if is_frame || is_ring { INK } else { BACK }
        });
        let sheet = Pixels::from_image(sheet);
        assert_eq!(key(&sheet, &back(0), KeyScope::Outside, &[]).pixels, 0);
        let keyed = key(&sheet, &back(0), KeyScope::Outside, &[Rect::new(1, 1, 7, 5)]);
        assert_eq!((keyed.pixels, keyed.left), (35 - 9, 1));
    }

    /// The plain way: ask every pixel again and again until no more goes.
    fn outside_by_asking_again(sheet: &Pixels, color: Rgba<u8>, tolerance: u8) -> RgbaImage {
        let mut image = sheet.to_image();
        let (width, height) = image.dimensions();
        let goes = |p: &Rgba<u8>| p[3] > 0 && distance(&p.0, color) <= tolerance;
        let mut open = vec![false; (width * height) as usize];
        loop {
            let mut changed = false;
            for (x, y) in (0..height).flat_map(|y| (0..width).map(move |x| (x, y))) {
                let pixel = *image.get_pixel(x, y);
                let is_border = x == 0 || y == 0 || x + 1 == width || y + 1 == height;
                let is_open = |x: u32, y: u32| x < width && y < height && open[(y * width + x) as usize];
                let near = [(x.wrapping_sub(1), y), (x + 1, y), (x, y.wrapping_sub(1)), (x, y + 1)];
                let reached = is_border || near.iter().any(|&(x, y)| is_open(x, y));
                if !open[(y * width + x) as usize] && reached && (pixel[3] == 0 || goes(&pixel)) {
                    open[(y * width + x) as usize] = true;
                    changed = true;
                    if pixel[3] > 0 {
                        image.put_pixel(x, y, Rgba([0; 4]));
                    }
                }
            }
            if !changed {
                return image;
            }
        }
    }

    #[test]
    fn a_painted_checkerboard_goes_through_both_of_its_colors() {
        let (light, dark) = (Rgba([255, 255, 255, 255]), Rgba([204, 204, 204, 255]));
        let sheet = RgbaImage::from_fn(16, 16, |x, y| match (4..9).contains(&x) && (5..11).contains(&y) {
            true => INK,
            false if (x / 2 + y / 2) % 2 == 0 => light,
            false => dark,
        });
        let both = KeyColors { colors: vec![Color(light), Color(dark)], tolerance: 0 };
        let keyed = key(&Pixels::from_image(sheet), &both, KeyScope::Outside, &[]);
        assert_eq!((keyed.pixels, keyed.left), (256 - 30, 0));
        assert_eq!(both.to_string(), "ffffff,cccccc");
    }

    proptest! {
        #[test]
        fn the_flood_takes_what_hangs_together_with_the_border(
            dots in prop::collection::vec(0u8..4, 63), tolerance in 0u8..6,
        ) {
            let shades = [[46, 160, 168, 255], [49, 160, 168, 255], [20, 20, 40, 255], [0, 0, 0, 0]];
            let sheet = RgbaImage::from_fn(9, 7, |x, y| Rgba(shades[dots[(y * 9 + x) as usize] as usize]));
            let sheet = Pixels::from_image(sheet);
            let keyed = key(&sheet, &back(tolerance), KeyScope::Outside, &[]);
            let wanted = outside_by_asking_again(&sheet, BACK, tolerance);
            prop_assert!(Pixels::from_image(keyed.image).is_same_image(&Pixels::from_image(wanted)));
            let all = key(&sheet, &back(tolerance), KeyScope::Everywhere, &[]).pixels;
            prop_assert_eq!(keyed.pixels + keyed.left, all);
        }
    }
}
