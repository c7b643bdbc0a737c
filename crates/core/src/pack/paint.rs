//! Pages from places. Never moves a place.

use std::collections::HashMap;

use image::{RgbaImage, imageops};

use crate::pack::{Atlas, Placement};
use crate::parallel;
use crate::{Pixels, Rect};

const CHANNELS: usize = 4;

/// What is done to a painted page; nothing of it shows where a pixel is shown alone.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ColorFinish {
    /// How far the color of visible pixels is spread under transparent neighbors, in pixels, so that filtering shows no
    /// dark fringe.
    pub spread: u32,
    /// Colors are multiplied by alpha. Then nothing is spread.
    pub premultiplied: bool,
}

/// Rows that one thread paints at a time.
const BAND: u32 = 64;

/// Draws one page of an atlas: its frames, or one of their companions.
///
/// # Panics
/// If there is no such page or companion.
pub fn paint(atlas: &Atlas, page: usize, companion: Option<usize>, finish: ColorFinish) -> RgbaImage {
    let size = atlas.pages()[page].size;
    let mut canvas = RgbaImage::new(size.width, size.height);
    if size.is_empty() {
        return canvas;
    }
    let finish = if finish.premultiplied { ColorFinish { spread: 0, ..finish } } else { finish };
    let pixels = |at: usize| {
        let frame = &atlas.set().frames()[at];
        companion.map_or(frame.pixels(), |companion| &frame.companions()[companion].pixels)
    };
    let mut rotated: HashMap<usize, Pixels> = HashMap::new();
    // Which frames reach into which band, or so near that their color is spread there.
    let count = size.height.div_ceil(BAND);
    let mut by_band: Vec<Vec<usize>> = vec![Vec::new(); count as usize];
    for &at in atlas.frames_on(page) {
        let Placement { rect, rotated: is_rotated, .. } = atlas.placements()[at];
        if is_rotated {
            rotated.insert(at, Pixels::from_image(imageops::rotate90(&pixels(at).to_image())));
        }
        let reach = atlas.bleed() + finish.spread;
        let (from, to) = (rect.y.saturating_sub(reach), rect.y + rect.height + reach);
        (from / BAND..to.div_ceil(BAND).min(count)).for_each(|band| by_band[band as usize].push(at));
    }
    let stride = size.width as usize * CHANNELS;
    let rows: &mut [u8] = &mut canvas;
    let bands: Vec<&mut [u8]> = rows.chunks_mut(stride * BAND as usize).collect();
    parallel::map_vec(bands, |band, out| {
        let of = |&at: &usize| (rotated.get(&at).unwrap_or_else(|| pixels(at)), atlas.placements()[at].rect);
        let pictures: Vec<(&Pixels, Rect)> = by_band[band].iter().map(of).collect();
        let from = band as u32 * BAND;
        let put = |rows: &mut Rows<'_>| {
            pictures.iter().for_each(|(pixels, rect)| rows.blit(pixels, *rect, atlas.bleed()));
        };
        if finish.spread == 0 {
            put(&mut Rows { bytes: out, stride, from });
            if finish.premultiplied {
                premultiply(out);
            }
            return;
        }
        // Colors come from rows of the bands beside this one too: those are painted here once more.
        let before = finish.spread.min(from);
        let after = finish.spread.min(size.height - from - (out.len() / stride) as u32);
        let mut local = vec![0; out.len() + (before + after) as usize * stride];
        put(&mut Rows { bytes: &mut local, stride, from: from - before });
        dilate_color(&mut local, size.width as usize, finish.spread);
        let own = before as usize * stride;
        out.copy_from_slice(&local[own..own + out.len()]);
    });
    canvas
}

/// Some rows of a page, from row `from` on.
struct Rows<'a> {
    bytes: &'a mut [u8],
    stride: usize,
    from: u32,
}

impl Rows<'_> {
    /// Copies pixels to `rect`, as far as it reaches in here, their border repeated `bleed` pixels outwards, the corners
    /// too.
    fn blit(&mut self, pixels: &Pixels, rect: Rect, bleed: u32) {
        let (bleed_bytes, row_bytes) = (bleed as usize * CHANNELS, rect.width as usize * CHANNELS);
        let left = (rect.x - bleed) as usize * CHANNELS;
        let end = self.from + (self.bytes.len() / self.stride) as u32;
        let (first, last) = (rect.y - bleed, rect.y + rect.height + bleed);
        for y in first.max(self.from)..last.min(end) {
            let line = (y - first).saturating_sub(bleed).min(rect.height - 1);
            let row = pixels.row(line);
            let start = (y - self.from) as usize * self.stride + left;
            let target = &mut self.bytes[start..start + row_bytes + 2 * bleed_bytes];
            let (before, rest) = target.split_at_mut(bleed_bytes);
            let (middle, after) = rest.split_at_mut(row_bytes);
            middle.copy_from_slice(row);
            repeat(before, &row[..CHANNELS]);
            repeat(after, &row[row_bytes - CHANNELS..]);
        }
    }
}

fn repeat(target: &mut [u8], pixel: &[u8]) {
    for slot in target.chunks_exact_mut(CHANNELS) {
        slot.copy_from_slice(pixel);
    }
}

fn premultiply(bytes: &mut [u8]) {
    for pixel in bytes.chunks_exact_mut(CHANNELS) {
        let alpha = u32::from(pixel[3]);
        for value in &mut pixel[..3] {
            *value = ((u32::from(*value) * alpha + 127) / 255) as u8;
        }
    }
}

/// Takes the color of transparent pixels, which nobody sees but filters, and gives them that of a visible pixel near by:
/// that before it in its row or above it, where there is one, since deflate and a PNG's filters then have least to add.
fn dilate_color(bytes: &mut [u8], width: usize, distance: u32) {
    let pixels = bytes.as_chunks_mut::<CHANNELS>().0;
    let rows = pixels.len() / width;
    // With a border all round, so that every pixel has eight neighbors.
    let wide = width + 2;
    let mut has_color = vec![0u8; wide * (rows + 2)];
    for (y, row) in pixels.chunks_exact_mut(width).enumerate() {
        let colored = &mut has_color[(y + 1) * wide + 1..][..width];
        for (pixel, colored) in row.iter_mut().zip(colored) {
            // Chosen rather than asked, so that a processor does many at a time.
            let all = u32::from_le_bytes(*pixel);
            let is_seen = all >> 24 != 0;
            *pixel = (if is_seen { all } else { 0 }).to_le_bytes();
            *colored = u8::from(is_seen);
        }
    }
    // Before it and above first; then the others, straight ones before those across a corner. As places in the table and
    // among the pixels.
    const AROUND: [(isize, isize); 8] =
        [(-1, 0), (0, -1), (1, 0), (0, 1), (-1, -1), (1, -1), (-1, 1), (1, 1)];
    let steps = AROUND.map(|(x, y)| (y * wide as isize + x, y * width as isize + x));
    let mut found: Vec<(usize, usize)> = Vec::new();
    let (mut near, mut wanted) = (vec![0u8; wide], vec![0u8; width]);
    for _ in 0..distance {
        found.clear();
        for y in 0..rows {
            let row = |y: usize| &has_color[y * wide..(y + 1) * wide];
            let (above, own, below) = (row(y), row(y + 1), row(y + 2));
            let columns = above.iter().zip(own).zip(below);
            near.iter_mut().zip(columns).for_each(|(near, ((a, b), c))| *near = a | b | c);
            let neighbors = near.iter().zip(&near[1..]).zip(&near[2..]).zip(&own[1..]);
            wanted
                .iter_mut()
                .zip(neighbors)
                .for_each(|(wanted, (((a, b), c), own))| *wanted = (a | b | c) & !own);
            for (part, wanted) in wanted.chunks(RUN).enumerate() {
                // Most of a page is far from any edge.
                if wanted.iter().fold(0, |any, one| any | one) == 0 {
                    continue;
                }
                for (x, _) in (part * RUN..).zip(wanted).filter(|(_, wanted)| **wanted == 1) {
                    let place = (y + 1) * wide + x + 1;
                    let is_colored =
                        |step: &&(isize, isize)| has_color[place.wrapping_add_signed(step.0)] == 1;
                    if let Some(&(_, step)) = steps.iter().find(is_colored) {
                        let pixel = y * width + x;
                        found.push((pixel, pixel.wrapping_add_signed(step)));
                    }
                }
            }
        }
        for &(to, from) in &found {
            let [r, g, b, _] = pixels[from];
            pixels[to][..3].copy_from_slice(&[r, g, b]);
            has_color[(to / width + 1) * wide + to % width + 1] = 1;
        }
    }
}

/// Pixels that are looked over at once.
const RUN: usize = 16;
