//! The background's share in the half-covered pixels round a drawing.
//!
//! A soft edge drawn on a flat color holds `alpha * drawing + (1 - alpha) * background`. With the background
//! known and the drawing's color taken from the pixels behind the edge, alpha is the least-squares
//! solution (Porter and Duff, "Compositing digital images", 1984, read backwards). Where a pixel is not such
//! a mixture, as the dark outline of pixel art, it stays.

use image::Rgba;

use crate::Pixels;
use crate::clean::Mended;

/// How far in all channels together a pixel may lie from the mixture and still count as one.
const NOT_A_MIXTURE: f32 = 42.0;
/// Alpha from which a pixel has no share worth removing.
const ALMOST_SOLID: f32 = 0.97;

/// Removes the share of `background` from pixels beside transparent ones.
pub fn defringe(canvas: &Pixels, background: Rgba<u8>) -> Mended {
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
            let behind = near(x, y).filter(|&(nx, ny)| alpha(nx, ny) == 255 && !is_edge(nx, ny));
            let behind: Vec<Rgba<u8>> =
                behind.filter_map(|(nx, ny)| canvas.get(nx as u32, ny as u32)).collect();
            let (Some(drawing), Some(pixel)) = (mean(&behind), canvas.get(x as u32, y as u32)) else {
                continue;
            };
            if let Some(clean) = unmixed(pixel, drawing, background) {
                image.get_or_insert_with(|| canvas.to_image()).put_pixel(x as u32, y as u32, clean);
                changed += 1;
            }
        }
    }
    Some((image?, changed))
}

fn near(x: i64, y: i64) -> impl Iterator<Item = (i64, i64)> {
    (-1..=1).flat_map(move |dy| (-1..=1).map(move |dx| (x + dx, y + dy))).filter(move |&at| at != (x, y))
}

fn mean(pixels: &[Rgba<u8>]) -> Option<[f32; 3]> {
    let count = pixels.len() as f32;
    let channel = |at: usize| pixels.iter().map(|pixel| f32::from(pixel[at])).sum::<f32>() / count;
    (!pixels.is_empty()).then(|| [0, 1, 2].map(channel))
}

/// The drawing's share of a mixed pixel, or `None` where it is no mixture.
fn unmixed(pixel: Rgba<u8>, drawing: [f32; 3], background: Rgba<u8>) -> Option<Rgba<u8>> {
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
    Some(Rgba([r, g, b, (alpha * f32::from(pixel[3])).round() as u8]))
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
            Pixels::whole(RgbaImage::from_fn(7, 5, |x, y| match x {
                0 => Rgba([0; 4]),
                1 => edge,
                _ if y == 0 || y == 4 || x == 6 => Rgba([0; 4]),
                _ => Rgba([200, 0, 0, 255]),
            }))
        };
        let (image, changed) = defringe(&strip(Rgba([100, 100, 0, 255])), BACK).unwrap();
        assert_eq!(*image.get_pixel(1, 2), Rgba([200, 0, 0, 128]));
        assert!(changed >= 3);
        assert_eq!(*image.get_pixel(3, 2), Rgba([200, 0, 0, 255]));
        assert!(defringe(&strip(Rgba([20, 20, 60, 255])), BACK).is_none());
    }
}
