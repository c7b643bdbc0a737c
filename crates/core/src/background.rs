//! What is behind the drawings of a sheet: transparency, one flat color, or nothing that can be recognized.
//!
//! A flat color is looked for on the sheet's outermost pixels, where a background shows if anywhere. It
//! may be a little noisy, as after a lossy format. Where there is transparency already, no color is ever
//! guessed. Changes no pixel.

use std::collections::HashMap;

use image::Rgba;

use crate::{Pixels, Size};

/// What is behind the drawings.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Background {
    /// Transparency.
    #[default]
    Clear,
    /// One color, give or take `tolerance` in each channel.
    Flat {
        /// The color.
        color: Rgba<u8>,
        /// The largest difference in one channel that is still background.
        tolerance: u8,
    },
    /// No background can be distinguished from the drawings.
    None,
}

/// Of this many pixels, one may be seen through without telling that the sheet is transparent.
const STRAY_CLEAR_RATIO: u64 = 2000;
/// Share of the outermost pixels that must have the color.
const OF_BORDER: f64 = 0.5;
/// Share of all pixels that must have it.
const OF_SHEET: f64 = 0.12;
/// Farther from the commonest color than this in one channel is another color, not noise.
const NOISE: u8 = 14;

/// Finds what is behind the drawings.
pub fn find_background(sheet: &Pixels) -> Background {
    let seen_through = sheet.rows().flat_map(|row| row.chunks_exact(4)).filter(|pixel| pixel[3] < 255);
    // A few such pixels are a slip of somebody's eraser.
    if seen_through.take((sheet.size().area() / STRAY_CLEAR_RATIO) as usize + 1).count() as u64
        > sheet.size().area() / STRAY_CLEAR_RATIO
    {
        return Background::Clear;
    }
    let border = border(sheet);
    let Some(color) = dominant_color(&border) else { return Background::None };
    let near = |pixel: &[u8], limit: u8| distance(pixel, color) <= limit;
    let mut distances: Vec<u8> =
        border.iter().map(|pixel| distance(&pixel.0, color)).filter(|&far| far <= NOISE).collect();
    if (distances.len() as f64) < OF_BORDER * border.len() as f64 {
        return Background::None;
    }
    distances.sort_unstable();
    let widest = distances[(distances.len() - 1) * 995 / 1000];
    // A sample never shows the largest noise there is.
    let even = if widest == 0 { 0 } else { widest.saturating_add(widest / 2 + 2).min(NOISE + 10) };
    let tolerance = even.max(compression_noise(sheet, color));
    let covered = sheet.rows().flat_map(|row| row.chunks_exact(4)).filter(|p| near(p, tolerance)).count();
    if (covered as f64) < OF_SHEET * sheet.size().area() as f64 {
        return Background::None;
    }
    Background::Flat { color, tolerance }
}

/// How far pixels of the background are off beside drawings, where they are rough: that is what lossy formats such as JPEG leave in the
/// blocks that hold a piece of a drawing, while the border may stay exact. A glow or a shadow is smooth, and gives 0 as a clean
/// background does.
fn compression_noise(sheet: &Pixels, color: Rgba<u8>) -> u8 {
    /// Farther than this is a drawing, or its soft edge.
    const WEAK: u8 = 48;
    /// Pixels this close to a drawing may be its soft edge.
    const EDGE: u32 = 2;
    /// Noise changes from pixel to pixel by at least this share of what it is; smooth shades by much less.
    const ROUGH: f64 = 0.35;
    let Size { width, height } = sheet.size();
    let far = |x: u32, y: u32| sheet.get(x, y).map_or(0, |pixel| distance(&pixel.0, color));
    let near_drawing = |x: u32, y: u32| {
        let columns = x.saturating_sub(EDGE)..=(x + EDGE).min(width - 1);
        let rows = y.saturating_sub(EDGE)..=(y + EDGE).min(height - 1);
        rows.into_iter().any(|y| columns.clone().any(|x| far(x, y) > WEAK))
    };
    let (mut off, mut change) = (Vec::new(), 0u64);
    for y in 0..height {
        for (x, pixel) in (0..).zip(sheet.row(y).chunks_exact(4)) {
            let own = distance(pixel, color);
            if (1..=WEAK).contains(&own) && !near_drawing(x, y) {
                off.push(own);
                change += u64::from(own.abs_diff(far(x + 1, y)).max(own.abs_diff(far(x, y + 1))));
            }
        }
    }
    let sum: u64 = off.iter().map(|&off| u64::from(off)).sum();
    // Some of it, or it is chance.
    if off.len() < 64 || (change as f64) < ROUGH * sum as f64 {
        return 0;
    }
    off.sort_unstable();
    let widest = off[(off.len() - 1) * 999 / 1000];
    widest.saturating_add(widest / 4)
}

impl Background {
    /// Whether a pixel belongs to a drawing.
    pub fn is_content(self, pixel: &[u8]) -> bool {
        match self {
            Background::Clear => pixel[3] > 0,
            Background::Flat { color, tolerance } => distance(pixel, color) > tolerance,
            Background::None => true,
        }
    }
}

/// The largest difference in one color channel.
pub(crate) fn distance(pixel: &[u8], color: Rgba<u8>) -> u8 {
    (0..3).map(|channel| pixel[channel].abs_diff(color[channel])).max().unwrap_or(0)
}

/// The outermost pixels, corners once.
fn border(sheet: &Pixels) -> Vec<Rgba<u8>> {
    let Size { width, height } = sheet.size();
    let top_and_bottom = (0..width).flat_map(|x| [(x, 0), (x, height - 1)]);
    let sides = (1..height.saturating_sub(1)).flat_map(|y| [(0, y), (width - 1, y)]);
    top_and_bottom.chain(sides).filter_map(|(x, y)| sheet.get(x, y)).collect()
}

/// The middle of the crowd round the commonest color.
fn dominant_color(border: &[Rgba<u8>]) -> Option<Rgba<u8>> {
    let mut counts: HashMap<[u8; 3], u32> = HashMap::new();
    for pixel in border {
        // Noise spreads a color over its neighbors; steps of 8 gather it again.
        *counts.entry([pixel[0] / 8, pixel[1] / 8, pixel[2] / 8]).or_default() += 1;
    }
    let (commonest, _) = counts.into_iter().max_by_key(|&(color, count)| (count, color))?;
    let mut seed = [0u8; 3];
    for channel in 0..3 {
        let inside = border.iter().filter(|p| [p[0] / 8, p[1] / 8, p[2] / 8] == commonest);
        seed[channel] = median(inside.map(|p| p[channel]).collect());
    }
    let seed = Rgba([seed[0], seed[1], seed[2], 255]);
    let crowd = || border.iter().filter(|pixel| distance(&pixel.0, seed) <= NOISE);
    let [r, g, b] = [0, 1, 2].map(|channel| median(crowd().map(|pixel| pixel[channel]).collect()));
    Some(Rgba([r, g, b, 255]))
}

fn median(mut values: Vec<u8>) -> u8 {
    values.sort_unstable();
    values.get(values.len() / 2).copied().unwrap_or(0)
}

#[cfg(test)]
mod tests {
    use image::RgbaImage;

    use super::*;

    fn sheet(background: impl Fn(u32, u32) -> [u8; 4]) -> Pixels {
        // A drawing that reaches the left edge.
        Pixels::from_image(RgbaImage::from_fn(40, 30, |x, y| {
            let inside = x < 12 && (5..20).contains(&y);
            Rgba(if inside { [200, (x * 9) as u8, (y * 7) as u8, 255] } else { background(x, y) })
        }))
    }

    #[test]
    fn flat_and_noisy_colors_are_found_and_transparency_is_left_alone() {
        let flat = find_background(&sheet(|_, _| [46, 160, 168, 255]));
        assert_eq!(flat, Background::Flat { color: Rgba([46, 160, 168, 255]), tolerance: 0 });
        let noise = |x: u32, y: u32| ((x * 7 + y * 13) % 5) as u8;
        let noisy = sheet(|x, y| [44 + noise(x, y), 160, 170 - noise(y, x), 255]);
        let Background::Flat { color, tolerance } = find_background(&noisy) else { panic!("not found") };
        assert_eq!(color, Rgba([46, 160, 168, 255]));
        assert!((2..=8).contains(&tolerance), "{tolerance}");
        assert_eq!(find_background(&sheet(|_, _| [46, 160, 168, 0])), Background::Clear);
        assert_eq!(
            find_background(&sheet(|x, y| [(x * 6) as u8, (y * 8) as u8, (x * y) as u8, 255])),
            Background::None
        );
    }

    #[test]
    fn what_a_lossy_format_leaves_beside_drawings_is_background_and_a_glow_is_not() {
        // A drawing in the middle of an exact background.
        let drawn = |around: &dyn Fn(u32, u32) -> u8| {
            Pixels::from_image(RgbaImage::from_fn(120, 90, |x, y| {
                let inside = (50..70).contains(&x) && (35..55).contains(&y);
                let beside = (40..80).contains(&x) && (25..65).contains(&y);
                let off = if beside { around(x, y) } else { 0 };
                Rgba(if inside { [20, 60, 90, 255] } else { [255 - off, 255 - off, 255, 255] })
            }))
        };
        let tolerance = |sheet: &Pixels| match find_background(sheet) {
            Background::Flat { tolerance, .. } => tolerance,
            other => panic!("{other:?}"),
        };
        let noise = drawn(&|x, y| (x.wrapping_mul(73) ^ y.wrapping_mul(151)).wrapping_mul(29) as u8 % 17);
        assert!((16..=24).contains(&tolerance(&noise)), "{}", tolerance(&noise));
        let glow = drawn(&|x, y| {
            let away = x.abs_diff(60).max(y.abs_diff(45)) as u8;
            (20 - away.min(20)) * 4
        });
        assert_eq!(tolerance(&glow), 0);
        assert_eq!(tolerance(&drawn(&|_, _| 0)), 0);
    }

    #[test]
    fn one_pixel_that_is_nearly_solid_changes_nothing() {
        let mut image = RgbaImage::from_pixel(64, 64, Rgba([255, 0, 255, 255]));
        (20..40).for_each(|x| image.put_pixel(x, 30, Rgba([0, 0, 0, 255])));
        image.put_pixel(20, 30, Rgba([0, 0, 0, 254]));
        let found = find_background(&Pixels::from_image(image.clone()));
        assert_eq!(found, Background::Flat { color: Rgba([255, 0, 255, 255]), tolerance: 0 });
        (0..40).for_each(|x| image.put_pixel(x, 50, Rgba([0; 4])));
        assert_eq!(find_background(&Pixels::from_image(image)), Background::Clear);
    }
}
