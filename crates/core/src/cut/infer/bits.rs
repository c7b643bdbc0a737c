//! Where a sheet has content, a bit a pixel, by rows and by columns.
//!
//! A line between two columns is judged by looking at two bit rows at once, 64 pixels a step; both
//! directions together take a quarter of a byte a pixel. Knows nothing of grids.

/// Bits of one line, 64 a word.
#[derive(Clone, Debug)]
pub(super) struct Lines {
    words_a_line: usize,
    words: Vec<u64>,
}

impl Lines {
    pub(super) fn new(lines: u32, length: u32) -> Self {
        let words_a_line = length.div_ceil(64) as usize;
        Self { words_a_line, words: vec![0; words_a_line * lines as usize] }
    }

    pub(super) fn set(&mut self, line: u32, at: u32) {
        self.words[line as usize * self.words_a_line + at as usize / 64] |= 1 << (at % 64);
    }

    /// How many lines.
    pub(super) fn count(&self) -> u32 {
        if self.words_a_line == 0 { 0 } else { (self.words.len() / self.words_a_line) as u32 }
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

    /// Whether a line has content in `from..to`.
    pub(super) fn has_any(&self, line: u32, from: u32, to: u32) -> bool {
        self.part(line, from, to).any(|word| word != 0)
    }

    /// How many pixels of a line have content in `from..to`.
    pub(super) fn filled(&self, line: u32, from: u32, to: u32) -> u32 {
        self.part(line, from, to).map(u64::count_ones).sum()
    }

    /// In how many places content goes on from line `a` to line `b` in `from..to`, straight or slanting:
    /// runs of such pixels, and the pixels.
    pub(super) fn crossings(&self, a: u32, b: u32, from: u32, to: u32) -> (u32, u32) {
        let (first, last) = ((from / 64) as usize, to.div_ceil(64) as usize);
        let (a, b) = (self.line(a), self.line(b));
        let (mut runs, mut pixels, mut carried) = (0, 0, 0);
        for at in first..last {
            let before = if at > 0 { b[at - 1] >> 63 } else { 0 };
            let after = b.get(at + 1).map_or(0, |word| word << 63);
            let near = b[at] | (b[at] << 1) | (b[at] >> 1) | before | after;
            let crossing = a[at] & near & window(at, from, to);
            pixels += crossing.count_ones();
            // A run begins where the pixel before is no crossing.
            runs += (crossing & !(crossing << 1 | carried)).count_ones();
            carried = crossing >> 63;
        }
        (runs, pixels)
    }
}

/// The bits of word `at` that lie in `from..to`.
fn window(at: usize, from: u32, to: u32) -> u64 {
    let start = (at * 64) as u32;
    let low = from.saturating_sub(start).min(64);
    let high = to.saturating_sub(start).min(64);
    let below = |bits: u32| if bits >= 64 { u64::MAX } else { (1 << bits) - 1 };
    below(high) & !below(low)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn lines(rows: &[Vec<bool>]) -> Lines {
        let mut lines = Lines::new(rows.len() as u32, rows[0].len() as u32);
        for (line, row) in rows.iter().enumerate() {
            (0..row.len()).filter(|&at| row[at]).for_each(|at| lines.set(line as u32, at as u32));
        }
        lines
    }

    proptest! {
        #[test]
        fn bits_agree_with_looking_at_each_pixel(
            rows in prop::collection::vec(prop::collection::vec(any::<bool>(), 150), 2),
            a in 0u32..150, b in 0u32..150,
        ) {
            let (from, to) = (a.min(b), a.max(b));
            let bits = lines(&rows);
            let inside = || from..to;
            let lit = |line: usize, at: i64| at >= 0 && at < 150 && rows[line][at as usize];
            let crosses = |at: u32| {
                let at = i64::from(at);
                lit(0, at) && (lit(1, at - 1) || lit(1, at) || lit(1, at + 1))
            };
            let pixels = inside().filter(|&at| crosses(at)).count() as u32;
            let starts = |at: u32| crosses(at) && (at == from || !crosses(at - 1));
            let runs = inside().filter(|&at| starts(at)).count() as u32;
            prop_assert_eq!(bits.crossings(0, 1, from, to), (runs, pixels));
            prop_assert_eq!(bits.has_any(0, from, to), inside().any(|at| rows[0][at as usize]));
        }
    }
}
