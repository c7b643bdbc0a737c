//! The background's share in the half-covered pixels round a drawing.
//!
//! A soft edge drawn on a flat color holds `alpha * drawing + (1 - alpha) * background`. With the background
//! known and the drawing's color taken from the pixels behind the edge, alpha is the least-squares
//! solution (Porter and Duff, "Compositing digital images", 1984, read backwards). Where a pixel is not such
//! a mixture, as the dark outline of pixel art, it stays.

use image::Rgba;

use crate::background::distance;
use crate::clean::CleanResult;
use crate::{Color, Pixels};

/// How far in all channels together a pixel may lie from the mixture and still count as one.
const NOT_A_MIXTURE: f32 = 42.0;
/// Alpha from which a pixel has no share worth removing.
const ALMOST_SOLID: f32 = 0.97;
/// A pixel this near to the background, in each channel, could be a line drawn in its color.
const NEAR: u8 = 12;
/// Pixels of one line differ by no more than this in each channel.
const SAME: u8 = 4;

/// Removes the share of the background from pixels beside transparent ones: of those colors, the one that explains a pixel
/// best. A line drawn in the background's own color isn't a mixture and stays.
pub fn defringe(canvas: &Pixels, backgrounds: &[Color]) -> CleanResult {
    let size = canvas.size();
    let alpha = |x: i64, y: i64| match (u32::try_from(x), u32::try_from(y)) {
        (Ok(x), Ok(y)) => canvas.get(x, y).map_or(0, |pixel| pixel[3]),
        _ => 0,
    };
    let is_edge = |x: i64, y: i64| alpha(x, y) > 0 && near(x, y).any(|(nx, ny)| alpha(nx, ny) == 0);
    let mut image = None;
    let mut changed = 0;
    for y in 0..i64::from(size.height) {
        for x in 0..i64::from(size.width) {
            if !is_edge(x, y) {
                continue;
            }
            if let Some(clean) = cleaned(canvas, backgrounds, (x, y), is_edge) {
                image.get_or_insert_with(|| canvas.to_image()).put_pixel(x as u32, y as u32, clean);
                changed += 1;
            }
        }
    }
    Some((image?, changed))
}

/// The share of edge pixels that are mixed with the background's color, 0 to 1, by a sample of lines.
pub fn mixed_edges(canvas: &Pixels, backgrounds: &[Color]) -> f64 {
    const LINES: u32 = 64;
    let size = canvas.size();
    let alpha = |x: i64, y: i64| match (u32::try_from(x), u32::try_from(y)) {
        (Ok(x), Ok(y)) => canvas.get(x, y).map_or(0, |pixel| pixel[3]),
        _ => 0,
    };
    let is_edge = |x: i64, y: i64| alpha(x, y) > 0 && near(x, y).any(|(nx, ny)| alpha(nx, ny) == 0);
    let (mut edges, mut mixed) = (0u32, 0u32);
    for y in (0..size.height).step_by(size.height.div_ceil(LINES).max(1) as usize) {
        for x in (0..i64::from(size.width)).filter(|&x| is_edge(x, i64::from(y))) {
            edges += 1;
            mixed += u32::from(cleaned(canvas, backgrounds, (x, i64::from(y)), is_edge).is_some());
        }
    }
    f64::from(mixed) / f64::from(edges.max(1))
}

/// What an edge pixel is without its share of the background; `None` where it has none.
fn cleaned(
    canvas: &Pixels,
    backgrounds: &[Color],
    (x, y): (i64, i64),
    is_edge: impl Fn(i64, i64) -> bool,
) -> Option<Rgba<u8>> {
    let get = |(x, y): (i64, i64)| canvas.get(u32::try_from(x).ok()?, u32::try_from(y).ok()?);
    let pixel = get((x, y))?;
    let around = || near(x, y).filter_map(|at| Some((at, get(at)?)));
    let behind = around().filter(|&((nx, ny), pixel)| pixel[3] == 255 && !is_edge(nx, ny));
    let drawing = mean(&behind.map(|(_, pixel)| pixel).collect::<Vec<_>>())?;
    // In a line of the background's own color each pixel has neighbors like it.
    let is_like = |other: &Rgba<u8>| distance(&other.0, pixel) <= SAME && other[3] > 0;
    let is_line = |color: &Color| {
        distance(&pixel.0, color.0) <= NEAR
            && around().filter(|((nx, ny), other)| is_edge(*nx, *ny) && is_like(other)).count() >= 2
    };
    if backgrounds.iter().any(is_line) {
        return None;
    }
    let best = backgrounds.iter().filter_map(|color| unmixed(pixel, drawing, color.0));
    best.min_by(|a, b| a.1.total_cmp(&b.1)).map(|(clean, _)| clean)
}

fn near(x: i64, y: i64) -> impl Iterator<Item = (i64, i64)> {
    (-1..=1).flat_map(move |dy| (-1..=1).map(move |dx| (x + dx, y + dy))).filter(move |&at| at != (x, y))
}

fn mean(pixels: &[Rgba<u8>]) -> Option<[f32; 3]> {
    let count = pixels.len() as f32;
    let channel = |at: usize| pixels.iter().map(|pixel| f32::from(pixel[at])).sum::<f32>() / count;
    (!pixels.is_empty()).then(|| [0, 1, 2].map(channel))
}

/// The drawing's share of a mixed pixel, and how far the pixel is off from that mixture; `None` where it is none.
fn unmixed(pixel: Rgba<u8>, drawing: [f32; 3], background: Rgba<u8>) -> Option<(Rgba<u8>, f32)> {
    let back = [0, 1, 2].map(|at| f32::from(background[at]));
    let (mut along, mut length) = (0.0, 0.0);
    for at in 0..3 {
        let towards = drawing[at] - back[at];
        along += (f32::from(pixel[at]) - back[at]) * towards;
        length += towards * towards;
    }
    let alpha = (along / length.max(1.0)).clamp(0.0, 1.0);
    let mixture = |at: usize| back[at] + (drawing[at] - back[at]) * alpha;
    let off: f32 = (0..3).map(|at| (f32::from(pixel[at]) - mixture(at)).abs()).sum();
    if off > NOT_A_MIXTURE || alpha > ALMOST_SOLID {
        return None;
    }
    let [r, g, b] = drawing.map(|channel| channel.round() as u8);
    Some((Rgba([r, g, b, (alpha * f32::from(pixel[3])).round() as u8]), off))
}

#[cfg(test)]
mod tests {
    use image::RgbaImage;

    use super::*;

    const BACK: Rgba<u8> = Rgba([0, 200, 0, 255]);

    #[test]
    fn a_mixed_edge_becomes_the_drawing_with_alpha_and_an_outline_stays() {
        // Clear, a half-covered edge, then the drawing; or clear, an outline, then the drawing.
        let strip = |edge: Rgba<u8>| {
            Pixels::from_image(RgbaImage::from_fn(7, 5, |x, y| match x {
                0 => Rgba([0; 4]),
                1 => edge,
                _ if y == 0 || y == 4 || x == 6 => Rgba([0; 4]),
                _ => Rgba([200, 0, 0, 255]),
            }))
        };
        let (image, changed) = defringe(&strip(Rgba([100, 100, 0, 255])), &[Color(BACK)]).unwrap();
        assert_eq!(*image.get_pixel(1, 2), Rgba([200, 0, 0, 128]));
        assert!(changed >= 3);
        assert_eq!(*image.get_pixel(3, 2), Rgba([200, 0, 0, 255]));
        assert!(defringe(&strip(Rgba([20, 20, 60, 255])), &[Color(BACK)]).is_none());
    }

    #[test]
    fn an_outline_in_the_keys_own_color_stays() {
        let (key, outline) = (Color(Rgba([0, 0, 0, 255])), Rgba([6, 4, 6, 255]));
        let image = RgbaImage::from_fn(12, 12, |x, y| match x.min(y).min(11 - x).min(11 - y) {
            0 => Rgba([0; 4]),
            1 => outline,
            _ => Rgba([230, 120, 40, 255]),
        });
        let sheet = Pixels::from_image(image);
        assert!(defringe(&sheet, &[key]).is_none_or(|(image, _)| *image.get_pixel(5, 1) == outline));
        assert!(mixed_edges(&sheet, &[key]) < 0.2);
    }
}
