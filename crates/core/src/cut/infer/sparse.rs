//! Sheets with a background: lines that cut nothing, and drawings that stand steady.

use rayon::prelude::*;

use crate::Pixels;
use crate::clean::Ground;
use crate::cut::Grid;
use crate::cut::grid::Axis;
use crate::cut::infer::GridCandidate;
use crate::cut::infer::bits::Lines;
use crate::cut::infer::borders::{Borders, Verdict};
use crate::cut::infer::candidates::{divisions, price, single};

/// How many divisions of each axis are judged together with the other's.
const FINALISTS: usize = 20;
/// How many of the first round lend their bands to the second.
const LENDERS: usize = 6;
/// What each place cut costs on top, in nats, and at most: where drawings touch, every grid cuts many.
const FIRST_CUTS: f64 = 6.0;
const MOST_FIRST_CUTS: f64 = 18.0;

/// The best grids, or `None` where nothing is drawn.
pub(super) fn candidates(sheet: &Pixels, ground: Ground) -> Option<Vec<GridCandidate>> {
    let (columns, rows) = content(sheet, ground)?;
    let (all_columns, all_rows) = (divisions(columns.count()), divisions(rows.count()));
    // Rows are first judged as if the sheet were one column wide, columns in the bands of the best rows,
    // and rows once more in the bands of the best columns.
    let first_rows = best(&rows, &all_rows, &[single(columns.count())], LENDERS);
    let best_columns = best(&columns, &all_columns, &first_rows, FINALISTS);
    let lenders = &best_columns[..best_columns.len().min(LENDERS)];
    let mut best_rows = best(&rows, &all_rows, lenders, FINALISTS);
    for row in first_rows {
        if !best_rows.contains(&row) {
            best_rows.push(row);
        }
    }
    Some(judged(&columns, &rows, &best_columns, &best_rows))
}

/// Bits of content by columns and by rows.
fn content(sheet: &Pixels, ground: Ground) -> Option<(Lines, Lines)> {
    let size = sheet.size();
    let mut columns = Lines::new(size.width, size.height);
    let mut rows = Lines::new(size.height, size.width);
    let mut is_blank = true;
    for (y, row) in (0..).zip(sheet.rows()) {
        for (x, pixel) in (0..).zip(row.chunks_exact(4)) {
            if ground.is_content(pixel) {
                columns.set(x, y);
                rows.set(y, x);
                is_blank = false;
            }
        }
    }
    (!is_blank).then_some((columns, rows))
}

/// The divisions that fare best in the bands of any of `others`; one cell is always among them.
fn best(lines: &Lines, divisions: &[Axis], others: &[Axis], count: usize) -> Vec<Axis> {
    let borders: Vec<Borders> = others.par_iter().map(|other| Borders::new(lines, other)).collect();
    let score = |axis: &Axis| {
        let cost = price(axis, axis);
        let in_bands = |borders: &Borders| {
            borders.lines(axis).evidence + borders.steadiness(axis) + borders.filling(axis) - cost
        };
        borders.iter().map(in_bands).fold(f64::MIN, f64::max)
    };
    let mut scored: Vec<(f64, usize)> =
        divisions.par_iter().enumerate().map(|(at, axis)| (score(axis), at)).collect();
    scored.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let mut found: Vec<Axis> = scored.iter().take(count).map(|&(_, at)| divisions[at]).collect();
    let whole = single(lines.count());
    if !found.contains(&whole) {
        found.push(whole);
    }
    found
}

/// Every pair of finalists, judged together.
fn judged(columns: &Lines, rows: &Lines, best_columns: &[Axis], best_rows: &[Axis]) -> Vec<GridCandidate> {
    let across: Vec<Borders> = best_rows.par_iter().map(|row| Borders::new(columns, row)).collect();
    let down: Vec<Borders> = best_columns.par_iter().map(|column| Borders::new(rows, column)).collect();
    let pairs: Vec<(usize, usize)> =
        (0..best_columns.len()).flat_map(|c| (0..best_rows.len()).map(move |r| (c, r))).collect();
    let judge = |&(c, r): &(usize, usize)| {
        let (column, row) = (&best_columns[c], &best_rows[r]);
        let (lines_x, lines_y) = (across[r].lines(column), down[c].lines(row));
        let steady_x = across[r].steadiness(column) + across[r].filling(column);
        let steady_y = down[c].steadiness(row) + down[c].filling(row);
        // Where one axis cuts through drawings, its bands hold pieces of the same ones: they are no
        // independent witnesses for the other.
        let evidence = trusted(lines_x, steady_x, lines_y.cleanness())
            + trusted(lines_y, steady_y, lines_x.cleanness())
            - price(column, row);
        let cut_places = lines_x.places + lines_y.places;
        // A cut through a drawing is what an artist sees first, so the first few cost more than their evidence.
        let evidence = evidence - (FIRST_CUTS * f64::from(cut_places)).min(MOST_FIRST_CUTS);
        let witnesses = lines_x.witnesses + lines_y.witnesses;
        GridCandidate { grid: Grid::of_axes(*column, *row), evidence, cut_places, witnesses }
    };
    pairs.par_iter().map(judge).collect()
}

fn trusted(lines: Verdict, steadiness: f64, cleanness: f64) -> f64 {
    let evidence = lines.evidence + steadiness;
    evidence.min(evidence * cleanness)
}
