//! Pages from places. Never moves a place.

use image::RgbaImage;

use crate::pack::Atlas;
use crate::{Pixels, Rect};

const CHANNELS: usize = 4;

/// Draws one page of an atlas.
pub fn paint(atlas: &Atlas, page: usize) -> RgbaImage {
    let size = atlas.pages()[page];
    let mut canvas = RgbaImage::new(size.width, size.height);
    let mut painted = std::collections::HashSet::new();
    for (place, frame) in atlas.places().iter().zip(atlas.set().frames()) {
        if place.page == page && !place.rect.is_empty() && painted.insert(place.rect) {
            put(&mut canvas, frame.pixels(), place.rect, atlas.bleed());
        }
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
