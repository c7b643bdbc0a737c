//! Every way to divide one axis, and what its spacing costs. Looks at no pixel.

use crate::Size;
use crate::cut::grid::Division;

/// A cell is at least this long.
pub(super) const SMALLEST: u32 = 3;
/// The widest offset and gutter that need not go with each other.
pub(super) const WIDEST: u32 = 8;
/// The widest gutter looked for; with one that is wider than that, nothing, half of it or all of it lies before the first cell.
pub(super) const WIDEST_GUTTER: u32 = 32;
/// The gutters that go with a rest after the last cell.
const RESTING_GUTTERS: [u32; 3] = [0, 1, 2];
/// With more cells than this, artists choose a cell size.
const MOST_UNEVEN: u32 = 16;

/// Fewer squares in a row aren't a strip.
const STRIP: u32 = 3;

/// One cell.
pub(super) fn single(length: u32) -> Division {
    Division { offset: 0, gutter: 0, count: 1, covered: length }
}

/// All even divisions of a length: plain ones, and with offsets and gutters. After the last cell there is
/// nothing, a gutter, or as much as before the first. Gutters are up to `widest`.
pub(super) fn divisions(length: u32, widest: u32) -> Vec<Division> {
    let mut found = vec![single(length)];
    for count in 1..=length / SMALLEST {
        for gutter in 0..=if count > 1 { widest } else { 0 } {
            let offsets = match gutter {
                0..=WIDEST => (0..=WIDEST).collect(),
                wide => vec![0, wide / 2, wide],
            };
            for offset in offsets {
                let taken = u64::from(offset) + u64::from(gutter) * u64::from(count - 1);
                let mut ends = vec![0, gutter, offset];
                ends.sort_unstable();
                ends.dedup();
                for end in ends {
                    let Some(covered) = u64::from(length).checked_sub(taken + u64::from(end)) else {
                        continue;
                    };
                    let covered = covered as u32;
                    let axis = Division { offset, gutter, count, covered };
                    if covered.is_multiple_of(count) && covered / count >= SMALLEST && !found.contains(&axis)
                    {
                        found.push(axis);
                    }
                }
            }
        }
    }
    found
}

/// Cells that share out the pixels left over, such as three columns on 256 px.
pub(super) fn uneven(length: u32) -> impl Iterator<Item = Division> {
    let division = move |count| Division { offset: 0, gutter: 0, count, covered: length };
    (2..=(length / SMALLEST).min(MOST_UNEVEN)).map(division).filter(Division::is_uneven)
}

/// As many cells from the corner as there is room for, with a clear rest after the last one; what is drawn ends at `end`. Pages are often
/// larger than what is on them.
pub(super) fn with_rest(length: u32, end: u32) -> impl Iterator<Item = Division> {
    let spaced = |cell: u32| {
        RESTING_GUTTERS.into_iter().flat_map(move |gutter| {
            [0, gutter]
                .into_iter()
                .take(1 + usize::from(gutter > 0))
                .map(move |offset| (cell, gutter, offset))
        })
    };
    (SMALLEST..=length / 2).flat_map(spaced).filter_map(move |(cell, gutter, offset)| {
        let pitch = cell + gutter;
        let count = ((length + gutter).checked_sub(offset)?) / pitch;
        let taken = (offset + count * pitch).checked_sub(gutter)?;
        let rest = length.checked_sub(taken)?;
        // What is after the last cell in other divisions isn't a rest.
        let is_rest = taken >= end && rest > 0 && rest != gutter && rest != offset;
        (count > 1 && is_rest).then_some(Division { offset, gutter, count, covered: cell * count })
    })
}

/// Whether an axis leaves a rest that no spacing explains.
pub(super) fn has_rest(axis: &Division, length: u32) -> bool {
    let rest = length - (axis.offset + axis.covered + axis.gutter * (axis.count - 1));
    rest > 0 && rest != axis.gutter && rest != axis.offset
}

/// Cell sizes one pixel smaller and larger, for axes with a remainder. Nothing divides evenly there, so each size is a
/// separate candidate.
pub(super) fn neighboring_sizes(axis: &Division, length: u32) -> impl Iterator<Item = Division> {
    let covered = |cell: u32| Division { covered: cell * axis.count, ..*axis };
    let cell = axis.cell();
    let fits = move |other: &Division| {
        other.offset + other.covered + other.gutter * (other.count - 1) <= length
            && other.covered >= SMALLEST * other.count
    };
    let near = if has_rest(axis, length) { vec![covered(cell - 1), covered(cell + 1)] } else { Vec::new() };
    near.into_iter().filter(fits)
}

/// Adds plain divisions into cells of these lengths, where they come out even.
pub(super) fn named(axes: &mut Vec<Division>, length: u32, cells: impl Iterator<Item = u32>) {
    for cell in cells.filter(|&cell| cell <= length && length.is_multiple_of(cell)) {
        let axis = Division { offset: 0, gutter: 0, count: length / cell, covered: length };
        if !axes.contains(&axis) {
            axes.push(axis);
        }
    }
}

/// A strip of squares, where a sheet is at least this many times as long as it is high, or as high as it is wide, and comes out even.
pub(super) fn strip_of_squares(sheet: Size) -> Option<(Division, Division)> {
    let (long, short) = (sheet.width.max(sheet.height), sheet.width.min(sheet.height));
    let is_strip = short >= SMALLEST && long >= STRIP * short && long.is_multiple_of(short);
    let whole = |length: u32| Division { offset: 0, gutter: 0, count: length / short, covered: length };
    is_strip.then(|| (whole(sheet.width), whole(sheet.height)))
}
