//! Rows of letters: the dot of an i stands over its letter, and no join distance reaches it that would not also join the letters.
//!
//! A row of letters is recognized by its members: many, about as high as one another, and each alone in its own columns. A small drawing that
//! lies inside such a row, over or under one letter, is that letter's. Decides by boxes only, and never joins across rows.

use crate::Rect;

/// A row of letters has at least this many, and one of parts that are all small, as a colon, more.
const LETTERS: usize = 6;
const TEXT: usize = 12;
/// A letter is at least this share of the usual height, and a row at most this many times as high.
const TALL: f64 = 0.5;
const HIGH: f64 = 2.2;
/// So many of a row's letters stand alone in their columns.
const ALONE: f64 = 0.7;
/// The gap between a letter and its dot, as a share of the row.
const GAP: f64 = 0.4;
/// A sheet of more drawings is noise.
const MOST: usize = 10_000;

/// Pairs of drawings that are one letter.
pub(super) fn of_letters(drawings: &[Rect]) -> Vec<(usize, usize)> {
    if drawings.len() > MOST {
        return Vec::new();
    }
    let mut heights: Vec<u32> = drawings.iter().map(|rect| rect.height).collect();
    heights.sort_unstable();
    // Dots are few against letters, so that the upper half is letters.
    let Some(&usual) = heights.get(heights.len() * 2 / 3) else { return Vec::new() };
    let is_tall = |at: usize| f64::from(drawings[at].height) >= TALL * f64::from(usual);
    let mut tall: Vec<usize> = (0..drawings.len()).filter(|&at| is_tall(at)).collect();
    tall.sort_by_key(|&at| (drawings[at].y, drawings[at].x));
    let mut rows: Vec<Row> = Vec::new();
    for at in tall {
        let rect = drawings[at];
        match rows.iter_mut().find(|row| row.holds_middle(rect)) {
            Some(row) => row.add(at, rect),
            None => rows.push(Row { top: rect.y, bottom: rect.bottom(), letters: vec![at] }),
        }
    }
    rows.retain(|row| row.is_of_letters(drawings, usual));
    let mut pairs = Vec::new();
    for row in &rows {
        let small: Vec<usize> =
            (0..drawings.len()).filter(|&at| !is_tall(at) && row.holds(drawings[at])).collect();
        if small.len() > row.letters.len() {
            continue;
        }
        let most = (GAP * (row.bottom - u64::from(row.top)) as f64).ceil() as u64;
        for &dot in &small {
            let gap = |letter: usize| between(drawings[dot], drawings[letter]).filter(|&gap| gap <= most);
            let over = row.letters.iter().filter_map(|&letter| Some((gap(letter)?, letter)));
            let beside = small.iter().filter(|&&other| other != dot && row.letters.len() >= TEXT);
            let twins = beside.filter_map(|&other| Some((gap(other)?, other)));
            pairs.extend(over.min().or_else(|| twins.min()).map(|(_, whole)| (dot, whole)));
        }
    }
    pairs
}

/// Letters beside each other.
struct Row {
    top: u32,
    bottom: u64,
    letters: Vec<usize>,
}

impl Row {
    fn holds_middle(&self, rect: Rect) -> bool {
        let middle = u64::from(rect.y) + u64::from(rect.height) / 2;
        u64::from(self.top) <= middle && middle < self.bottom
    }

    fn holds(&self, rect: Rect) -> bool {
        // Accents stand higher than capitals, and a semicolon goes below the line.
        let slack = (self.bottom - u64::from(self.top)) / 3;
        u64::from(self.top) <= u64::from(rect.y) + slack && rect.bottom() <= self.bottom + slack
    }

    fn add(&mut self, at: usize, rect: Rect) {
        self.top = self.top.min(rect.y);
        self.bottom = self.bottom.max(rect.bottom());
        self.letters.push(at);
    }

    fn is_of_letters(&self, drawings: &[Rect], usual: u32) -> bool {
        let is_alone = |&&at: &&usize| {
            let over = |&other: &usize| other != at && between(drawings[at], drawings[other]).is_some();
            !self.letters.iter().any(over)
        };
        let alone = self.letters.iter().filter(is_alone).count();
        let height = (self.bottom - u64::from(self.top)) as f64;
        self.letters.len() >= LETTERS
            && height <= HIGH * f64::from(usual)
            && alone as f64 >= ALONE * self.letters.len() as f64
    }
}

/// The rows between two boxes that lie over one another for most of the narrower one's width.
fn between(a: Rect, b: Rect) -> Option<u64> {
    let shared = a.right().min(b.right()).saturating_sub(u64::from(a.x.max(b.x)));
    if shared * 2 < u64::from(a.width.min(b.width)) {
        return None;
    }
    let (upper, lower) = if a.y <= b.y { (a, b) } else { (b, a) };
    u64::from(lower.y).checked_sub(upper.bottom())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Letters of a font 8 high in cells of 8, an `i` at the third place and a colon at the fifth.
    fn line(top: u32, letters: u32) -> Vec<Rect> {
        let mut line: Vec<Rect> =
            (0..letters).map(|at| Rect::new(at * 8, top + at % 2 * 2, 6, 8 - at % 2 * 2)).collect();
        line[2] = Rect::new(2 * 8 + 2, top + 3, 2, 5);
        line.push(Rect::new(2 * 8 + 2, top, 2, 2));
        line[4] = Rect::new(4 * 8 + 2, top + 2, 2, 2);
        line.push(Rect::new(4 * 8 + 2, top + 6, 2, 2));
        line
    }

    #[test]
    fn a_dot_belongs_to_its_letter_and_a_colon_is_one() {
        let line = line(0, 14);
        assert_eq!(of_letters(&line), [(4, 15), (14, 2), (15, 4)]);
        // Two rows close together: no dot goes to the row above.
        let page: Vec<Rect> = [self::line(0, 14), self::line(9, 14)].concat();
        assert_eq!(of_letters(&page).len(), 6);
        assert!(of_letters(&page).iter().all(|&(dot, whole)| (dot < 16) == (whole < 16)));
    }

    #[test]
    fn a_few_drawings_are_no_row_of_letters() {
        let line = line(0, 5);
        assert_eq!(of_letters(&line), []);
    }

    #[test]
    fn drawings_over_one_another_are_no_row_of_letters() {
        // Two rows of coins beside tall trees.
        let mut page: Vec<Rect> = (0..8).map(|at| Rect::new(at * 20, 0, 18, 40)).collect();
        page.extend((0..24).map(|at| Rect::new(at % 8 * 20 + 4, 2 + at / 8 * 14, 8, 8)).map(|mut coin| {
            coin.x += 160;
            coin
        }));
        assert_eq!(of_letters(&page), []);
    }
}
