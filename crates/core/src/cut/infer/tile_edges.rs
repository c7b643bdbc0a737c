//! Tile sets: the straight sides of tiles are on the lines of a grid, wherever else there is nothing.
//!
//! Tiles touch, so lines that cut nothing tell little. But where a tile ends at a clear place, its side is a straight edge on a line of the
//! grid, and edges of other drawings lie anywhere. How much more often edges are on the lines than by chance is the evidence (the
//! log-likelihood ratio of two binomial distributions). Parts and multiples of the true cell fare worse by themselves: one has too many
//! lines for its edges, the other too few edges on its lines.
//!
//! Looks for square cells that begin in the corner only, as tile sets have.

use crate::Size;
use crate::background::Background;
use crate::cut::grid::Division;
use crate::cut::infer::candidates::SMALLEST;
use crate::cut::occupancy::Occupancy;
use crate::cut::{Grid, SheetAnalysis};

/// An edge is straight for at least this many pixels.
const STRAIGHT: u32 = 5;
/// A long edge counts for no more than so many of them.
const MOST_EACH: u32 = 4;
/// Edges aren't independent witnesses: one tile brings several.
const TRUST: f64 = 0.5;
/// Both axes must speak, in nats.
const LEAST: f64 = 2.0;
/// At least this share of the lines of one axis has an edge.
const MOST_SHOW: f64 = 0.5;
/// The share of the edges inside groups of tiles that are on lines.
const TILED: f64 = 0.6;
/// What cells cost that leave a rest at the right or at the bottom.
const REST: f64 = 10.0;

/// No tile has shorter sides, in pixels; a pixel of art that was enlarged has.
const SMALLEST_TILE: u32 = 6;

/// Square cells and what speaks for them, the best first, where anything does.
pub(super) fn candidates(sheet: &SheetAnalysis) -> Vec<(Grid, f64)> {
    if sheet.background() == Background::None {
        return Vec::new();
    }
    let (across, down) = edges(sheet.occupancy());
    let Size { width, height } = sheet.size();
    let most = width.min(height);
    let mut found: Vec<(Grid, f64)> = (SMALLEST..=most)
        .filter_map(|side| {
            let (columns, rows) = (across.divided(side)?, down.divided(side)?);
            let rests = u32::from(columns.covered < width) + u32::from(rows.covered < height);
            let (x, y) = (across.evidence(side), down.evidence(side));
            let is_shown = across.edge_fraction(side).max(down.edge_fraction(side)) >= MOST_SHOW;
            let evidence = if is_shown && x.min(y) > LEAST { x + y } else { 0.0 } - REST * f64::from(rests);
            (columns.count * rows.count > 1 && evidence > 0.0)
                .then(|| (Grid::of_axes(columns, rows), evidence))
        })
        .collect();
    found.sort_by(|a, b| b.1.total_cmp(&a.1));
    // Pixels that were enlarged have edges too: they say nothing of larger squares.
    if found.first().is_some_and(|(grid, _)| grid.cell_size().width < SMALLEST_TILE) {
        found.clear();
    }
    found
}

/// What speaks for smaller square cells inside those of a grid, in nats: straight edges inside the drawings that lie
/// on the lines of the best of them. Groups of tiles look like cells; the sides of the groups tell nothing about what
/// is in them.
pub(super) fn inside(sheet: &SheetAnalysis, grid: &Grid) -> Option<(Grid, f64)> {
    if sheet.background() == Background::None {
        return None;
    }
    let (mut across, mut down) = edges(sheet.occupancy());
    let (columns, rows) = grid.axes();
    across.without_groups(columns);
    down.without_groups(rows);
    let cell = grid.cell_size();
    let most = cell.width.min(cell.height) / 2;
    let of = |side: u32| {
        let (columns, rows) = (across.divided(side)?, down.divided(side)?);
        // The same drawing in every cell repeats its edges too, but not on lines that part all of it.
        let is_tiled = across.share(side) >= TILED && down.share(side) >= TILED;
        let evidence = across.evidence(side) + down.evidence(side);
        is_tiled.then(|| (Grid::of_axes(columns, rows), evidence))
    };
    (SMALLEST..=most)
        .filter_map(of)
        .max_by(|a, b| a.1.total_cmp(&b.1))
        .filter(|(grid, evidence)| *evidence > 0.0 && grid.cell_size().width >= SMALLEST_TILE)
}

/// Straight edges before each pixel of an axis.
struct Edges {
    counts: Vec<u32>,
    /// Where the drawings end.
    end: u32,
}

impl Edges {
    fn of(length: u32, end: u32) -> Self {
        Self { counts: vec![0; length as usize], end }
    }

    /// Takes out the edges where drawings of the cells of an axis begin and end.
    fn without_groups(&mut self, axis: &Division) {
        let pitch = axis.pitch() as usize;
        let mut steps = vec![0u64; pitch];
        for (at, &count) in self.counts.iter().enumerate() {
            steps[(at + pitch - axis.offset as usize % pitch) % pitch] += u64::from(count);
        }
        // Where a group begins and where it ends: the two steps with the most edges.
        for _ in 0..2 {
            let Some(most) = (0..pitch).max_by_key(|&step| (steps[step], pitch - step)) else { return };
            steps[most] = 0;
            for at in (0..self.counts.len())
                .filter(|at| (at + pitch - axis.offset as usize % pitch) % pitch == most)
            {
                self.counts[at] = 0;
            }
        }
    }

    /// Cells of a side from the corner, with at most a clear rest.
    fn divided(&self, side: u32) -> Option<Division> {
        let length = self.counts.len() as u32;
        let count = length / side;
        (count * side >= self.end).then_some(Division { offset: 0, gutter: 0, count, covered: count * side })
    }

    /// The share of lines that have an edge.
    fn edge_fraction(&self, side: u32) -> f64 {
        let on_lines = || self.counts.iter().step_by(side as usize).skip(1);
        on_lines().filter(|&&edges| edges > 0).count() as f64 / on_lines().count().max(1) as f64
    }

    /// The share of the edges that are on lines; not a number where there are none.
    fn share(&self, side: u32) -> f64 {
        let on_lines = self.counts.iter().step_by(side as usize).skip(1);
        f64::from(on_lines.sum::<u32>()) / self.all()
    }

    fn all(&self) -> f64 {
        f64::from(self.counts.iter().skip(1).sum::<u32>())
    }

    /// What speaks for lines so far from each other, in nats.
    fn evidence(&self, side: u32) -> f64 {
        let on_lines = self.counts.iter().step_by(side as usize).skip(1);
        let (all, share) = (self.all(), self.share(side));
        let chance = on_lines.count() as f64 / (self.counts.len() as f64 - 1.0);
        // Also where there is no edge at all, and so no share.
        if !(share > chance && chance > 0.0) {
            return 0.0;
        }
        let off = if share < 1.0 { (1.0 - share) * libm::log((1.0 - share) / (1.0 - chance)) } else { 0.0 };
        TRUST * all * (share * libm::log(share / chance) + off)
    }
}

/// Straight edges between what is drawn and what is clear, before each column and before each row.
fn edges(drawn: &Occupancy) -> (Edges, Edges) {
    let (width, height) = (drawn.columns.count(), drawn.rows.count());
    let end = drawn.end();
    let (mut across, mut down) = (Edges::of(width, end.width), Edges::of(height, end.height));
    // How far an edge before each column goes up from here.
    let mut straight = vec![0u32; width as usize];
    let mut above: Vec<bool> = Vec::new();
    let weight = |length: u32| if length >= STRAIGHT { (length / STRAIGHT).min(MOST_EACH) } else { 0 };
    for y in 0..height {
        let filled: Vec<bool> = drawn.rows.bits(y).take(width as usize).collect();
        for (x, pair) in (1..).zip(filled.windows(2)) {
            if pair[0] != pair[1] {
                straight[x] += 1;
            } else {
                across.counts[x] += weight(std::mem::take(&mut straight[x]));
            }
        }
        let mut length = 0;
        for (a, b) in above.iter().zip(&filled) {
            if a != b {
                length += 1;
            } else {
                down.counts[y as usize] += weight(std::mem::take(&mut length));
            }
        }
        down.counts[y as usize] += weight(length);
        above = filled;
    }
    for (count, length) in across.counts.iter_mut().zip(straight) {
        *count += weight(length);
    }
    (across, down)
}

#[cfg(test)]
mod tests {
    use image::{Rgba, RgbaImage};

    use super::*;
    use crate::Pixels;

    /// Tiles at some places of a lattice, and round drawings inside of others.
    fn tiles(side: u32, columns: u32, rows: u32, is_tile: impl Fn(u32, u32) -> bool) -> Pixels {
        Pixels::from_image(RgbaImage::from_fn(side * columns, side * rows, |x, y| {
            let (dx, dy) = (x % side * 2, y % side * 2);
            let is_round = dx.abs_diff(side).pow(2) + dy.abs_diff(side).pow(2) < side * side / 2;
            let alpha = if is_tile(x / side, y / side) || is_round { 255 } else { 0 };
            Rgba([(x * 7) as u8, (y * 5) as u8, 90, alpha])
        }))
    }

    #[test]
    fn sides_of_tiles_show_their_lattice_not_its_parts_or_multiples() {
        for side in [16, 24, 32] {
            let sheet = tiles(side, 12, 8, |column, row| (column * 5 + row * 3) % 7 < 4);
            let found = candidates(&SheetAnalysis::with_background(&sheet, Background::Clear));
            assert_eq!(found[0].0.cell_size(), Size::new(side, side));
            assert!(found[0].1 > found[1].1 * 1.2, "{:?}", &found[..2]);
        }
        let free = tiles(32, 12, 8, |_, _| false);
        assert!(
            candidates(&SheetAnalysis::with_background(&free, Background::Clear))
                .first()
                .is_none_or(|(_, evidence)| *evidence < 20.0)
        );
    }
}
