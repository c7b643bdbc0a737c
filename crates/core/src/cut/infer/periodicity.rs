//! Rows of drawings that touch: no line between them is clean, but the drawings repeat.
//!
//! Frames of an animation are much alike, so a row of them differs least from itself when moved by one cell (the average
//! magnitude difference of M. J. Ross et al., "Average magnitude difference function pitch extractor", 1974). Asked where
//! a row was not divided at all, and never enough to be sure: drawings that repeat inside a cell look the same. Which is
//! also why a cell that holds such a repetition is not sure.

use crate::Pixels;
use crate::cut::grid::Division;
use crate::cut::infer::GridCandidate;
use crate::cut::infer::candidates::SMALLEST;
use crate::cut::occupancy::Occupancy;
use crate::cut::{Axis, SheetAnalysis};

/// What a repeating row is preferred by, in nats.
pub(super) const AHEAD: f64 = 1.0;
/// Lines looked at.
const SAMPLES: u32 = 48;
/// A period makes the difference this much smaller than any other shift does.
const ALIKE: f64 = 0.5;
/// Periods nearly as good as the best: the shortest of them is the cell.
const NEARLY: f64 = 1.25;
/// How much less alike the parts of a cell may be than the cells, and still be taken for cells.
const INSIDE: f64 = 2.0;
/// How narrow a drawing is at its waist, against its mean.
const WAIST: f64 = 0.35;

/// The same cut with its undivided axis divided where the drawings repeat.
pub(super) fn divide_by_period(sheet: &Pixels, best: &GridCandidate) -> Option<(Division, Division)> {
    let across = best.undivided_axis()?;
    let (columns, rows) = best.grid.axes();
    let parted =
        |axis: &Division| Some(Division { count: axis.covered / period(sheet, across, axis)?, ..*axis });
    match across {
        Axis::Columns => Some((parted(columns)?, *rows)),
        Axis::Rows => Some((*columns, parted(rows)?)),
    }
}

/// Whether a long cell may be several: what it holds repeats inside it about as well as from cell to cell, or has a
/// waist in the middle where two drawings may only touch.
pub(super) fn has_inner_period(sheet: &SheetAnalysis, found: &GridCandidate) -> bool {
    let ((columns, rows), cell) = (found.grid.axes(), found.grid.cell_size());
    let is_several = |across: Axis, axis: &Division, long: u32, short: u32| {
        let is_long = u64::from(long) * 2 >= u64::from(short) * 3;
        is_long && (repeats(sheet.pixels(), across, axis) || has_waist(sheet.occupancy(), across, axis))
    };
    is_several(Axis::Columns, columns, cell.width, cell.height)
        || is_several(Axis::Rows, rows, cell.height, cell.width)
}

fn repeats(sheet: &Pixels, across: Axis, axis: &Division) -> bool {
    if axis.count == 1 {
        return period(sheet, across, axis).is_some();
    }
    let cell = axis.cell();
    let own = difference(sheet, across, axis, cell + axis.gutter);
    let parts = [2, 3].into_iter().filter(|&parts| cell.is_multiple_of(parts)).map(|parts| cell / parts);
    parts.filter(|&part| part >= SMALLEST).any(|part| {
        let inner = difference(sheet, across, axis, part);
        let is_valley =
            [part - 1, part + 1].iter().all(|&near| difference(sheet, across, axis, near) > inner);
        inner <= own * INSIDE && is_valley
    })
}

fn has_waist(drawn: &Occupancy, across: Axis, axis: &Division) -> bool {
    let cell = axis.cell();
    let (lines, length) = match across {
        Axis::Columns => (&drawn.columns, drawn.rows.count()),
        Axis::Rows => (&drawn.rows, drawn.columns.count()),
    };
    let content = |line: u32| lines.count_filled(line, 0, length);
    let (mut middle, mut all) = (0, 0);
    for at in 0..axis.count {
        let (start, _) = axis.cell_range(at);
        middle += content(start + cell / 2 - 1).min(content(start + cell / 2));
        all += (start..start + cell).map(content).sum::<u32>();
    }
    middle > 0 && f64::from(middle) * f64::from(cell) < WAIST * f64::from(all)
}

/// The shortest even division after which the sheet repeats.
fn period(sheet: &Pixels, across: Axis, axis: &Division) -> Option<u32> {
    let length = axis.covered;
    if length < 4 * SMALLEST {
        return None;
    }
    let difference = |shift: u32| difference(sheet, across, axis, shift);
    // The evidence of shifts that aren't a period.
    let mut usual: Vec<f64> =
        (1..=32).map(|step| difference(SMALLEST + (length / 2 - SMALLEST) * step / 33)).collect();
    usual.sort_by(f64::total_cmp);
    let usual = usual[usual.len() / 2];
    let divisions = (2..=length / SMALLEST).filter(|count| length.is_multiple_of(*count));
    let is_valley = |shift: u32, own: f64| difference(shift - 1) > own && difference(shift + 1) > own;
    let periods: Vec<(u32, f64)> = divisions
        .map(|count| (length / count, difference(length / count)))
        .filter(|&(shift, own)| own <= usual * ALIKE && is_valley(shift, own))
        .collect();
    let least = periods.iter().map(|&(_, own)| own).fold(f64::MAX, f64::min);
    let good = periods.into_iter().filter(|&(_, own)| own <= least * NEARLY);
    good.map(|(shift, _)| shift).min()
}

/// The mean difference of the sheet from itself moved along an axis, of some lines.
fn difference(sheet: &Pixels, across: Axis, axis: &Division, shift: u32) -> f64 {
    let size = sheet.size();
    let lines = if across == Axis::Columns { size.height } else { size.width };
    let samples = lines.min(SAMPLES);
    let (mut sum, mut count) = (0u64, 0u64);
    for line in (0..samples).map(|sample| (u64::from(sample) * u64::from(lines) / u64::from(samples)) as u32)
    {
        let at = |place: u32| match across {
            Axis::Columns => &sheet.row(line)[place as usize * 4..][..4],
            Axis::Rows => &sheet.row(place)[line as usize * 4..][..4],
        };
        for place in axis.offset..(axis.offset + axis.covered).saturating_sub(shift) {
            let (here, there) = (at(place), at(place + shift));
            let channels = here.iter().zip(there).map(|(a, b)| u64::from(a.abs_diff(*b)));
            sum += channels.sum::<u64>();
            count += 1;
        }
    }
    sum as f64 / count.max(1) as f64
}
