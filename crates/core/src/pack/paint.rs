//! Pages from places. Never moves a place.

use image::{RgbaImage, imageops};

use crate::pack::Atlas;
use crate::parallel;
use crate::{Pixels, Rect};

const CHANNELS: usize = 4;

/// What is done to a painted page; nothing of it shows where a pixel is shown alone.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Finish {
    /// How far the color of visible pixels is spread under transparent neighbors, in pixels, so that filtering shows no
    /// dark fringe.
    pub spread: u32,
    /// Colors are multiplied by alpha. Then nothing is spread.
    pub premultiplied: bool,
}

/// Draws one page of an atlas: its frames, or of a layer what belongs to them.
pub fn paint(atlas: &Atlas, page: usize, layer: Option<usize>, finish: Finish) -> RgbaImage {
    let size = atlas.pages()[page].size;
    let mut canvas = RgbaImage::new(size.width, size.height);
    for &at in atlas.frames_on(page) {
        let (place, frame) = (&atlas.places()[at], &atlas.set().frames()[at]);
        let pixels = layer.map_or(frame.pixels(), |layer| &atlas.layers()[layer].pixels[at]);
        if place.turned {
            let turned = Pixels::whole(imageops::rotate90(&pixels.to_image()));
            put(&mut canvas, &turned, place.rect, atlas.bleed());
        } else {
            put(&mut canvas, pixels, place.rect, atlas.bleed());
        }
    }
    match finish {
        Finish { premultiplied: true, .. } => premultiply(&mut canvas),
        Finish { spread: 0, .. } => {}
        Finish { spread, .. } => spread_under(&mut canvas, spread),
    }
    canvas
}

/// Copies pixels to `rect`, their border repeated `bleed` pixels outwards, the corners too.
fn put(canvas: &mut RgbaImage, pixels: &Pixels, rect: Rect, bleed: u32) {
    let stride = canvas.width() as usize * CHANNELS;
    let (bleed_bytes, row_bytes) = (bleed as usize * CHANNELS, rect.width as usize * CHANNELS);
    let left = (rect.x - bleed) as usize * CHANNELS;
    let bytes: &mut [u8] = canvas;
    for line in 0..rect.height + 2 * bleed {
        let row = pixels.row(line.saturating_sub(bleed).min(rect.height - 1));
        let start = (rect.y - bleed + line) as usize * stride + left;
        let target = &mut bytes[start..start + row_bytes + 2 * bleed_bytes];
        let (before, rest) = target.split_at_mut(bleed_bytes);
        let (middle, after) = rest.split_at_mut(row_bytes);
        middle.copy_from_slice(row);
        repeat(before, &row[..CHANNELS]);
        repeat(after, &row[row_bytes - CHANNELS..]);
    }
}

fn repeat(target: &mut [u8], pixel: &[u8]) {
    for slot in target.chunks_exact_mut(CHANNELS) {
        slot.copy_from_slice(pixel);
    }
}

fn premultiply(canvas: &mut RgbaImage) {
    for pixel in canvas.pixels_mut() {
        let alpha = u32::from(pixel[3]);
        for channel in 0..3 {
            pixel[channel] = ((u32::from(pixel[channel]) * alpha + 127) / 255) as u8;
        }
    }
}

/// Takes the color of clear pixels, which nobody sees but filters, and gives them that of a visible pixel near by: that before it
/// in its row or above it, where there is one, since a PNG's filters then have nothing to add.
fn spread_under(canvas: &mut RgbaImage, distance: u32) {
    let width = canvas.width() as usize;
    let bytes: &mut [u8] = canvas;
    let mut has_color = vec![0u8; bytes.len() / CHANNELS];
    for (pixel, has_color) in bytes.chunks_exact_mut(CHANNELS).zip(&mut has_color) {
        *has_color = u8::from(pixel[3] > 0);
        // Multiplied rather than asked, so that a processor does many at a time.
        pixel[..3].iter_mut().for_each(|value| *value *= *has_color);
    }
    for _ in 0..distance {
        let height = has_color.len() / width.max(1);
        let filled = parallel::map(height, |y| spread_row(&has_color, width, y));
        for (at, from) in filled.into_iter().flatten() {
            bytes.copy_within(from * CHANNELS..from * CHANNELS + 3, at * CHANNELS);
            has_color[at] = 1;
        }
    }
}

/// The pixels of a row without color that have colored neighbors, each with the one it is given the color of.
fn spread_row(has_color: &[u8], width: usize, y: usize) -> Vec<(usize, usize)> {
    let height = has_color.len() / width;
    // A border on both sides, so that every pixel has two neighbors in a row.
    let mut near = vec![0u8; width + 2];
    for row in y.saturating_sub(1)..(y + 2).min(height) {
        let colored = &has_color[row * width..(row + 1) * width];
        near[1..].iter_mut().zip(colored).for_each(|(near, colored)| *near |= colored);
    }
    let own = &has_color[y * width..(y + 1) * width];
    // All at once and without a way out, so that a processor does many at a time.
    let neighbors = near.iter().zip(&near[1..]).zip(&near[2..]);
    let is_wanted: Vec<u8> =
        neighbors.zip(own).map(|(((left, here), right), own)| (left | here | right) & (own ^ 1)).collect();
    // Before it and above first; then the others, straight ones before those across a corner.
    const AROUND: [(isize, isize); 8] =
        [(-1, 0), (0, -1), (1, 0), (0, 1), (-1, -1), (1, -1), (-1, 1), (1, 1)];
    let colored_near = |x: usize| {
        AROUND.iter().find_map(|&(dx, dy)| {
            let (x, y) = (x.checked_add_signed(dx)?, y.checked_add_signed(dy)?);
            (x < width && y < height && has_color[y * width + x] == 1).then_some(y * width + x)
        })
    };
    (0..width)
        .filter(|&x| is_wanted[x] == 1)
        .filter_map(|x| Some((y * width + x, colored_near(x)?)))
        .collect()
}
