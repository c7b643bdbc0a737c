//! Sheets with a background: lines that cut nothing, and drawings that stand steady.

use crate::Pixels;
use crate::cut::Grid;
use crate::cut::grid::Division;
use crate::cut::infer::GridCandidate;
use crate::cut::infer::borders::{AxisScore, BorderTable};
use crate::cut::infer::candidates::{
    WIDEST_GUTTER, aspect_prior, divisions, has_rest, named, neighboring_sizes, remainder_penalty, single,
    size_prior, spacing_penalty, usual_length, with_rest,
};
use crate::cut::infer::occupancy::OccupancyBits;
use crate::cut::infer::{NameHints, periodicity};
use crate::parallel;

/// How many divisions of each axis are judged together with the other's.
const FINALISTS: usize = 16;
/// How many of them may have the same number of cells: variants of one idea must not crowd out the others.
const VARIANTS: usize = 4;
/// How many of the first round lend their bands to the second.
const BAND_SOURCES: usize = 2;
/// How many divisions are judged by more than their lines.
const PROMISING: usize = 64;
/// Bands looked at when lines are judged quickly.
const MOST_SAMPLED: u32 = 64;
/// What each place cut costs on top, in nats, and at most: where drawings touch, every grid cuts many.
const FIRST_CUTS: f64 = 6.0;
const MOST_FIRST_CUTS: f64 = 18.0;

/// The best grids, or `None` where nothing is drawn.
pub(super) fn candidates(
    sheet: &Pixels,
    hints: &NameHints,
    is_content: impl Fn(&[u8]) -> bool + Sync,
) -> Option<Vec<GridCandidate>> {
    let (columns, rows) = content(sheet, is_content)?;
    let all = |lines: &OccupancyBits, across: u32| {
        let end = (0..lines.count()).rev().find(|&line| lines.count_filled(line, 0, across) > 0);
        let mut all = divisions(lines.count(), WIDEST_GUTTER);
        all.extend(with_rest(lines.count(), end.map_or(0, |last| last + 1)));
        all
    };
    let (all_columns, all_rows) = (all(&columns, rows.count()), all(&rows, columns.count()));
    // Rows are first judged as if the sheet were one column wide, columns in the bands of the best rows,
    // and rows once more in the bands of the best columns.
    let first_rows = best(&rows, &all_rows, &[single(columns.count())], (BAND_SOURCES, 1));
    let best_columns = best(&columns, &all_columns, &first_rows, (FINALISTS, VARIANTS));
    let mut lenders = best_columns.clone();
    lenders.dedup_by_key(|column| column.count);
    lenders.truncate(BAND_SOURCES);
    let mut best_rows = best(&rows, &all_rows, &lenders, (FINALISTS, VARIANTS));
    for row in first_rows {
        if !best_rows.contains(&row) {
            best_rows.push(row);
        }
    }
    let mut best_columns = best_columns;
    named(&mut best_columns, columns.count(), hints.sizes().map(|size| size.width));
    named(&mut best_rows, rows.count(), hints.sizes().map(|size| size.height));
    for (axes, length) in [(&mut best_columns, columns.count()), (&mut best_rows, rows.count())] {
        let near: Vec<Division> = axes.iter().flat_map(|axis| neighboring_sizes(axis, length)).collect();
        for axis in near {
            if !axes.contains(&axis) {
                axes.push(axis);
            }
        }
    }
    let mut found = score_pairs(&columns, &rows, &best_columns, &best_rows);
    if let Some(best) = found.iter().max_by(|a, b| a.evidence.total_cmp(&b.evidence)) {
        found.extend(periodicity::divide_by_period(sheet, best).map(|(column, row)| {
            let verdict = |lines: &OccupancyBits, axis: &Division, other: &Division| {
                BorderTable::new(lines, other).lines(axis)
            };
            let (x, y) = (verdict(&columns, &column, &row), verdict(&rows, &row, &column));
            GridCandidate {
                grid: Grid::of_axes(column, row),
                evidence: best.evidence + periodicity::AHEAD,
                cut_places: x.places + y.places,
                touches: x.touches + y.touches,
                witnesses: x.witnesses + y.witnesses,
            }
        }));
    }
    Some(found)
}

/// Bits of content by columns and by rows.
fn content(
    sheet: &Pixels,
    is_content: impl Fn(&[u8]) -> bool + Sync,
) -> Option<(OccupancyBits, OccupancyBits)> {
    let size = sheet.size();
    let word = |pixels: &[u8]| {
        let bits = pixels.chunks_exact(4).enumerate();
        bits.fold(0, |word, (at, pixel)| word | u64::from(is_content(pixel)) << at)
    };
    let row = |y: u32| sheet.row(y).chunks(64 * 4).map(word).collect::<Vec<u64>>();
    let words: Vec<u64> = parallel::flat_map(size.height as usize, |y| row(y as u32));
    if words.iter().all(|&word| word == 0) {
        return None;
    }
    let rows = OccupancyBits::from_words(size.width, words);
    Some((rows.transposed(size.width), rows))
}

/// The divisions that fare best in the bands of any of `others`, so many and so many variants of each number of
/// cells; one cell is always among them.
fn best(
    lines: &OccupancyBits,
    divisions: &[Division],
    others: &[Division],
    (count, variants): (usize, usize),
) -> Vec<Division> {
    let cost = |axis: &Division| {
        spacing_penalty(axis, axis) + remainder_penalty(axis, lines.count()) - usual_length(axis)
    };
    // Lines are quickly judged, in some of the bands; how steadily drawings stand is asked of the promising ones only.
    let sampled: Vec<BorderTable> =
        parallel::map_slice(others, |other| BorderTable::sampled(lines, other, MOST_SAMPLED));
    let by_lines = |axis: &Division| {
        let evidence = sampled.iter().zip(others).map(|(borders, other)| {
            borders.lines(axis).evidence * f64::from(other.count) / borders.bands() as f64
        });
        evidence.fold(f64::MIN, f64::max) - cost(axis)
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
        *score -= cost(&divisions[at]);
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
        let evidence = discount_evidence(lines_x, steady_x, lines_y.cleanness())
            + discount_evidence(lines_y, steady_y, lines_x.cleanness())
            - spacing_penalty(column, row)
            - remainder_penalty(column, columns.count())
            - remainder_penalty(row, rows.count())
            + aspect_prior(column, row)
            + size_prior(column, row);
        let cut_places = lines_x.places + lines_y.places;
        // A cut through a drawing is what an artist sees first, so the first few cost more than their evidence.
        let evidence = evidence - (FIRST_CUTS * f64::from(cut_places)).min(MOST_FIRST_CUTS);
        let witnesses = lines_x.witnesses + lines_y.witnesses;
        let touches = lines_x.touches + lines_y.touches;
        GridCandidate { grid: Grid::of_axes(*column, *row), evidence, cut_places, touches, witnesses }
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

fn discount_evidence(lines: AxisScore, steadiness: f64, cleanness: f64) -> f64 {
    let evidence = lines.evidence + steadiness;
    evidence.min(evidence * cleanness)
}
