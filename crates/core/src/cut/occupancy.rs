//! Where a sheet has content, a bit a pixel, by rows and by columns.
//!
//! A line between two columns is judged by looking at two bit rows at once, 64 pixels a step; both
//! directions together take a quarter of a byte a pixel. Knows nothing of grids.

use crate::parallel;
use crate::{Pixels, Rect, Size};

/// Where a sheet has content, both ways.
#[derive(Clone, Debug)]
pub(super) struct Occupancy {
    pub(super) columns: OccupancyBits,
    pub(super) rows: OccupancyBits,
    size: Size,
}

impl Occupancy {
    pub(super) fn of(sheet: &Pixels, is_content: impl Fn(&[u8]) -> bool + Sync) -> Self {
        let size = sheet.size();
        let word = |pixels: &[u8]| {
            let bits = pixels.chunks_exact(4).enumerate();
            bits.fold(0, |word, (at, pixel)| word | u64::from(is_content(pixel)) << at)
        };
        let row = |y: u32| sheet.row(y).chunks(64 * 4).map(word).collect::<Vec<u64>>();
        let words: Vec<u64> = parallel::flat_map(size.height as usize, |y| row(y as u32));
        let rows = OccupancyBits::from_words(size.width, words);
        Self { columns: rows.transposed(size.width), rows, size }
    }

    pub(super) fn is_blank(&self) -> bool {
        self.rows.words.iter().all(|&word| word == 0)
    }

    /// Where drawings end at the right and at the bottom; 0 where nothing is drawn.
    pub(super) fn end(&self) -> Size {
        let last = |lines: &OccupancyBits| (0..lines.count()).rev().find(|&line| lines.is_filled(line));
        let after = |lines| last(lines).map_or(0, |line| line + 1);
        Size::new(after(&self.columns), after(&self.rows))
    }

    /// The box of what is drawn in a place; `None` where nothing is, or the place isn't on the sheet.
    pub(super) fn bounds(&self, place: Rect) -> Option<Rect> {
        let (right, bottom) = (place.x + place.width, place.y + place.height);
        if right > self.size.width || bottom > self.size.height {
            return None;
        }
        let row = |y: &u32| self.rows.count_filled(*y, place.x, right) > 0;
        let column = |x: &u32| self.columns.count_filled(*x, place.y, bottom) > 0;
        let (top, last) = ((place.y..bottom).find(row)?, (place.y..bottom).rev().find(row)?);
        let (left, end) = ((place.x..right).find(column)?, (place.x..right).rev().find(column)?);
        Some(Rect::new(left, top, end + 1 - left, last + 1 - top))
    }

    /// Whether all of a place is drawn on.
    pub(super) fn is_solid(&self, place: Rect) -> bool {
        let filled = |y| self.rows.count_filled(y, place.x, place.x + place.width);
        (place.y..place.y + place.height).all(|y| filled(y) == place.width)
    }

    /// A value for each pixel, row by row.
    pub(super) fn mask(&self) -> Vec<bool> {
        (0..self.size.height).flat_map(|y| self.rows.bits(y).take(self.size.width as usize)).collect()
    }
}

/// Bits of one line, 64 a word.
#[derive(Clone, Debug)]
pub(super) struct OccupancyBits {
    words_a_line: usize,
    words: Vec<u64>,
}

impl OccupancyBits {
    /// Lines of `length` pixels from their words; bits beyond the length are 0.
    pub(super) fn from_words(length: u32, words: Vec<u64>) -> Self {
        Self { words_a_line: length.div_ceil(64) as usize, words }
    }

    /// The same pixels with lines and places exchanged; a line has `length` pixels here.
    pub(super) fn transposed(&self, length: u32) -> Self {
        let lines = self.count();
        let words_a_line = lines.div_ceil(64) as usize;
        let mut words = vec![0; words_a_line * length as usize];
        for block_line in 0..words_a_line {
            for block in 0..self.words_a_line {
                let mut square = [0u64; 64];
                for (at, word) in square.iter_mut().enumerate() {
                    let line = block_line * 64 + at;
                    *word =
                        if line < lines as usize { self.words[line * self.words_a_line + block] } else { 0 };
                }
                transpose(&mut square);
                for (at, &word) in square.iter().enumerate() {
                    let line = block * 64 + at;
                    if line < length as usize {
                        words[line * words_a_line + block_line] = word;
                    }
                }
            }
        }
        Self { words_a_line, words }
    }

    /// How many lines.
    pub(super) fn count(&self) -> u32 {
        self.words.len().checked_div(self.words_a_line).unwrap_or(0) as u32
    }

    fn line(&self, line: u32) -> &[u64] {
        let start = line as usize * self.words_a_line;
        &self.words[start..start + self.words_a_line]
    }

    /// The words of a line that touch `from..to`, with the bits outside cleared.
    fn part(&self, line: u32, from: u32, to: u32) -> impl Iterator<Item = u64> {
        let (first, last) = ((from / 64) as usize, (to.div_ceil(64)) as usize);
        let words = &self.line(line)[first..last.max(first)];
        words.iter().enumerate().map(move |(at, word)| word & window(first + at, from, to))
    }

    /// Whether a line has any content.
    pub(super) fn is_filled(&self, line: u32) -> bool {
        self.line(line).iter().any(|&word| word > 0)
    }

    /// The pixels of a line; more than it has, up to whole words.
    pub(super) fn bits(&self, line: u32) -> impl Iterator<Item = bool> {
        self.line(line).iter().flat_map(|&word| (0..64).map(move |at| word >> at & 1 > 0))
    }

    /// How many pixels of a line have content in `from..to`.
    pub(super) fn count_filled(&self, line: u32, from: u32, to: u32) -> u32 {
        self.part(line, from, to).map(u64::count_ones).sum()
    }

    /// In how many places content goes on from line `a` to line `b` in `from..to`, straight or slanting, and over how many pixels.
    pub(super) fn crossings(&self, a: u32, b: u32, from: u32, to: u32) -> (u32, u32) {
        let (first, last) = ((from / 64) as usize, to.div_ceil(64) as usize);
        let (a, b) = (self.line(a), self.line(b));
        let (mut runs, mut pixels, mut carried) = (0, 0, 0);
        for at in first..last {
            if a[at] == 0 {
                carried = 0;
                continue;
            }
            let before = if at > 0 { b[at - 1] >> 63 } else { 0 };
            let after = b.get(at + 1).map_or(0, |word| word << 63);
            let near = b[at] | (b[at] << 1) | (b[at] >> 1) | before | after;
            let crossing = a[at] & near & window(at, from, to);
            // A run begins where the pixel before isn't a crossing.
            runs += (crossing & !(crossing << 1 | carried)).count_ones();
            pixels += crossing.count_ones();
            carried = crossing >> 63;
        }
        (runs, pixels)
    }
}

/// Exchanges rows and columns of 64 words of 64 bits, halves first (H. S. Warren, "Hacker's Delight", section 7-3;
/// bit 0 is the first pixel).
fn transpose(square: &mut [u64; 64]) {
    let (mut width, mut mask) = (32, 0x0000_0000_ffff_ffffu64);
    while width > 0 {
        for at in (0..64).filter(|at| at & width == 0) {
            let swapped = ((square[at] >> width) ^ square[at + width]) & mask;
            square[at] ^= swapped << width;
            square[at + width] ^= swapped;
        }
        width /= 2;
        mask ^= mask << width;
    }
}

/// The bits of word `at` that are in `from..to`.
fn window(at: usize, from: u32, to: u32) -> u64 {
    let start = (at * 64) as u32;
    if start >= from && start + 64 <= to {
        return u64::MAX;
    }
    let low = from.saturating_sub(start).min(64);
    let high = to.saturating_sub(start).min(64);
    let below = |bits: u32| if bits >= 64 { u64::MAX } else { (1 << bits) - 1 };
    below(high) & !below(low)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn lines(rows: &[Vec<bool>]) -> OccupancyBits {
        let word = |bits: &[bool]| bits.iter().enumerate().map(|(at, &bit)| u64::from(bit) << at).sum();
        let words = rows.iter().flat_map(|row| row.chunks(64).map(word)).collect();
        OccupancyBits::from_words(rows[0].len() as u32, words)
    }

    proptest! {
        #[test]
        fn transposing_exchanges_lines_and_places(
            rows in (1usize..140, 1usize..140).prop_flat_map(|(lines, length)| {
                prop::collection::vec(prop::collection::vec(any::<bool>(), length), lines)
            })
        ) {
            let length = rows[0].len() as u32;
            let transposed = lines(&rows).transposed(length);
            for (line, row) in rows.iter().enumerate() {
                for (at, &bit) in row.iter().enumerate() {
                    prop_assert_eq!(transposed.count_filled(at as u32, line as u32, line as u32 + 1), u32::from(bit));
                }
            }
        }

        #[test]
        fn bits_agree_with_looking_at_each_pixel(
            rows in prop::collection::vec(prop::collection::vec(any::<bool>(), 150), 2),
            a in 0u32..150, b in 0u32..150,
        ) {
            let (from, to) = (a.min(b), a.max(b));
            let bits = lines(&rows);
            let inside = || from..to;
            let lit = |line: usize, at: i64| (0..150).contains(&at) && rows[line][at as usize];
            let crosses = |at: u32| {
                let at = i64::from(at);
                lit(0, at) && (lit(1, at - 1) || lit(1, at) || lit(1, at + 1))
            };
            let starts = |at: u32| crosses(at) && (at == from || !crosses(at - 1));
            let runs = inside().filter(|&at| starts(at)).count() as u32;
            let pixels = inside().filter(|&at| crosses(at)).count() as u32;
            prop_assert_eq!(bits.crossings(0, 1, from, to), (runs, pixels));
            prop_assert_eq!(bits.count_filled(0, from, to), inside().filter(|&at| rows[0][at as usize]).count() as u32);
        }
    }
}
