//! Sheets with a background: lines that cut nothing, and drawings that stand steady.

use crate::Pixels;
use crate::cut::Grid;
use crate::cut::grid::Division;
use crate::cut::infer::GridCandidate;
use crate::cut::infer::borders::{AxisScore, BorderTable};
use crate::cut::infer::candidates::{
    WIDEST_GUTTER, divisions, has_rest, named, neighboring_sizes, single, uneven, with_rest,
};
use crate::cut::infer::evidence::{Term, Terms, Weights};
use crate::cut::infer::{NameHints, periodicity};
use crate::cut::occupancy::{Occupancy, OccupancyBits};
use crate::parallel;

/// How many divisions of each axis are judged together with the other's.
const FINALISTS: usize = 16;
/// How many of them may have the same number of cells: variants of one idea must not crowd out the others.
const VARIANTS: usize = 4;
/// How many divisions into uneven cells are judged besides.
const UNEVEN: usize = 2;
/// How many of the first round lend their bands to the second.
const BAND_SOURCES: usize = 2;
/// How many divisions are judged by more than their lines.
const PROMISING: usize = 64;
/// Bands looked at when lines are judged quickly.
const MOST_SAMPLED: u32 = 64;

/// The best grids of what is drawn.
pub(super) fn candidates(sheet: &Pixels, hints: &NameHints, drawn: &Occupancy) -> Vec<GridCandidate> {
    let Occupancy { columns, rows, .. } = drawn;
    let end = drawn.end();
    let all = |lines: &OccupancyBits, end: u32| {
        let mut all = divisions(lines.count(), WIDEST_GUTTER);
        all.extend(with_rest(lines.count(), end));
        all
    };
    let (all_columns, all_rows) = (all(columns, end.width), all(rows, end.height));
    // Rows are first judged as if the sheet were one column wide, columns in the bands of the best rows,
    // and rows once more in the bands of the best columns.
    let first_rows = best(rows, &all_rows, &[single(columns.count())], (BAND_SOURCES, 1));
    let best_columns = best(columns, &all_columns, &first_rows, (FINALISTS, VARIANTS));
    let mut lenders = best_columns.clone();
    lenders.dedup_by_key(|column| column.count);
    lenders.truncate(BAND_SOURCES);
    let mut best_rows = best(rows, &all_rows, &lenders, (FINALISTS, VARIANTS));
    let uneven = |lines: &OccupancyBits, others: &[Division]| {
        best(lines, &uneven(lines.count()).collect::<Vec<_>>(), others, (UNEVEN, 1))
    };
    let mut best_columns = best_columns;
    include(&mut best_columns, uneven(columns, &first_rows));
    include(&mut best_rows, uneven(rows, &lenders));
    include(&mut best_rows, first_rows);
    named(&mut best_columns, columns.count(), hints.sizes().map(|size| size.width));
    named(&mut best_rows, rows.count(), hints.sizes().map(|size| size.height));
    for (axes, length) in [(&mut best_columns, columns.count()), (&mut best_rows, rows.count())] {
        let near: Vec<Division> = axes.iter().flat_map(|axis| neighboring_sizes(axis, length)).collect();
        include(axes, near);
    }
    let mut found = score_pairs(columns, rows, &best_columns, &best_rows);
    if let Some(best) = found.iter().max_by(|a, b| a.evidence.total_cmp(&b.evidence)) {
        found.extend(periodicity::divide_by_period(sheet, best).map(|(column, row)| {
            let verdict = |lines: &OccupancyBits, axis: &Division, other: &Division| {
                BorderTable::new(lines, other).lines(axis)
            };
            let (x, y) = (verdict(columns, &column, &row), verdict(rows, &row, &column));
            GridCandidate {
                grid: Grid::of_axes(column, row),
                evidence: best.evidence + periodicity::AHEAD,
                terms: best.terms,
                cut_places: x.places + y.places,
                touches: x.touches + y.touches,
                witnesses: x.witnesses + y.witnesses,
            }
        }));
    }
    found
}

fn include(axes: &mut Vec<Division>, more: Vec<Division>) {
    for axis in more {
        if !axes.contains(&axis) {
            axes.push(axis);
        }
    }
}

/// The divisions that fare best in the bands of any of `others`, so many and so many variants of each number of
/// cells; one cell is always among them.
fn best(
    lines: &OccupancyBits,
    divisions: &[Division],
    others: &[Division],
    (count, variants): (usize, usize),
) -> Vec<Division> {
    let habit = |axis: &Division| Terms::of_axis(axis, lines.count()).weighed(&Weights::SPARSE);
    // Lines are quickly judged, in some of the bands; how steadily drawings stand is asked of the promising ones only.
    let sampled: Vec<BorderTable> =
        parallel::map_slice(others, |other| BorderTable::sampled(lines, other, MOST_SAMPLED));
    let by_lines = |axis: &Division| {
        let evidence = sampled.iter().zip(others).map(|(borders, other)| {
            borders.lines(axis).evidence * f64::from(other.count) / borders.bands() as f64
        });
        evidence.fold(f64::MIN, f64::max) + habit(axis)
    };
    let promising = ranked(&parallel::map_slice(divisions, by_lines), PROMISING);
    let mut again = vec![f64::MIN; promising.len()];
    // One table at a time: for thousands of small cells it is as large as the sheet.
    for other in others {
        let borders = BorderTable::new(lines, other);
        let whole = |&at: &usize| {
            let axis = &divisions[at];
            borders.lines(axis).evidence + borders.position_evidence(axis) + borders.fill_evidence(axis)
        };
        let scores = parallel::map_slice(&promising, whole);
        again.iter_mut().zip(scores).for_each(|(best, score)| *best = best.max(score));
    }
    for (score, &at) in again.iter_mut().zip(&promising) {
        *score += habit(&divisions[at]);
    }
    let mut found: Vec<Division> = Vec::with_capacity(count + 1);
    for at in ranked(&again, PROMISING) {
        let axis = divisions[promising[at]];
        let rests = |axis: &Division| has_rest(axis, lines.count());
        let is_same = |other: &&Division| other.count == axis.count && rests(other) == rests(&axis);
        let same = found.iter().filter(is_same).count();
        if same < variants && found.len() < count {
            found.push(axis);
        }
    }
    let whole = single(lines.count());
    if !found.contains(&whole) {
        found.push(whole);
    }
    found
}

/// The best division of each number of cells, and for every division its representative. Variants of one idea
/// have nearly the same bands, so one table serves all of them.
fn representatives(divisions: &[Division]) -> (Vec<Division>, Vec<usize>) {
    let mut bands: Vec<Division> = Vec::new();
    let band_of = divisions.iter().map(|axis| {
        bands.iter().position(|band| band.count == axis.count).unwrap_or_else(|| {
            bands.push(*axis);
            bands.len() - 1
        })
    });
    let band_of = band_of.collect();
    (bands, band_of)
}

/// The places of the highest scores, the highest first; equals in their order.
fn ranked(scores: &[f64], count: usize) -> Vec<usize> {
    let mut places: Vec<usize> = (0..scores.len()).collect();
    places.sort_by(|&a, &b| scores[b].total_cmp(&scores[a]).then(a.cmp(&b)));
    places.truncate(count);
    places
}

/// Every pair of finalists, judged together.
fn score_pairs(
    columns: &OccupancyBits,
    rows: &OccupancyBits,
    best_columns: &[Division],
    best_rows: &[Division],
) -> Vec<GridCandidate> {
    let (row_bands, band_of_row) = representatives(best_rows);
    let (column_bands, band_of_column) = representatives(best_columns);
    let across = score_axes(columns, &row_bands, best_columns);
    let down = score_axes(rows, &column_bands, best_rows);
    let pairs: Vec<(usize, usize)> =
        (0..best_columns.len()).flat_map(|c| (0..best_rows.len()).map(move |r| (c, r))).collect();
    let judge = |&(c, r): &(usize, usize)| {
        let (column, row) = (&best_columns[c], &best_rows[r]);
        let (lines_x, steady_x) = across[band_of_row[r]][c];
        let (lines_y, steady_y) = down[band_of_column[c]][r];
        // Where one axis cuts through drawings, its bands hold pieces of the same ones: they are no
        // independent witnesses for the other.
        let mut terms = Terms::of_axes(column, row);
        terms.add_rest(column, columns.count());
        terms.add_rest(row, rows.count());
        for (lines, placement, across) in
            [(lines_x, steady_x, lines_y.cleanness()), (lines_y, steady_y, lines_x.cleanness())]
        {
            let kept = if lines.evidence + placement > 0.0 { across } else { 1.0 };
            terms.add(Term::Lines, kept * lines.evidence);
            terms.add(Term::Placement, kept * placement);
        }
        let cut_places = lines_x.places + lines_y.places;
        terms.add_cuts(cut_places);
        let evidence = terms.weighed(&Weights::SPARSE);
        let witnesses = lines_x.witnesses + lines_y.witnesses;
        let touches = lines_x.touches + lines_y.touches;
        GridCandidate { grid: Grid::of_axes(*column, *row), evidence, terms, cut_places, touches, witnesses }
    };
    pairs.iter().map(judge).collect()
}

/// How each axis fares in each of the bands: its lines, and how steadily drawings stand between them. One table of bands
/// at a time.
fn score_axes(lines: &OccupancyBits, bands: &[Division], axes: &[Division]) -> Vec<Vec<(AxisScore, f64)>> {
    let of_bands = |band: &Division| {
        let borders = BorderTable::new(lines, band);
        let judged = |axis: &Division| {
            (borders.lines(axis), borders.position_evidence(axis) + borders.fill_evidence(axis))
        };
        parallel::map_slice(axes, judged)
    };
    bands.iter().map(of_bands).collect()
}
