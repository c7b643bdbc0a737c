//! Which of the readings of one kind stands for it: as many cells, from one to the next as far, but each with another gutter.
//!
//! Drawings that fill their cells show where those end. Else no drawing may lose a row of pixels to a gutter or an offset. Never changes
//! how many cells there are, nor how far from each other.

use crate::background::Background;
use crate::cut::grid::Division;
use crate::cut::occupancy::{Occupancy, OccupancyBits};
use crate::cut::{Grid, SheetAnalysis};
use crate::{Cell, Rect};

/// The share of drawings that fill their cells, where cells are as large as their drawings.
const MOST: f64 = 0.9;

/// The grid that stands for a kind, given any of it.
pub(super) fn canonicalize(grid: &Grid, sheet: &SheetAnalysis) -> Grid {
    let (columns, rows) = grid.axes();
    let is_plain = |axis: &Division, length: u32| axis.covered == length;
    let size = sheet.size();
    if sheet.background() == Background::None || is_plain(columns, size.width) && is_plain(rows, size.height)
    {
        return *grid;
    }
    if let Some(filled) = fit_to_drawings(grid, sheet.occupancy()) {
        return filled;
    }
    let drawn = sheet.occupancy();
    let filled =
        |lines: &OccupancyBits| (0..lines.count()).map(|line| lines.is_filled(line)).collect::<Vec<bool>>();
    let (across, down) = (filled(&drawn.columns), filled(&drawn.rows));
    let whole = |axis: &Division, is_filled: &[bool]| widen_cells(axis, is_filled).unwrap_or(*axis);
    Grid::of_axes(whole(columns, &across), whole(rows, &down))
}

/// Cells as large as the solid drawings that fill them.
fn fit_to_drawings(grid: &Grid, drawn: &Occupancy) -> Option<Grid> {
    let counts = grid.counts();
    let cells = (0..counts.rows).flat_map(|row| (0..counts.columns).map(move |column| Cell { row, column }));
    let boxes = cells.filter_map(|cell| {
        let cell = grid.rect(cell);
        let own = drawn.bounds(cell)?;
        let inner = Rect { x: own.x - cell.x, y: own.y - cell.y, ..own };
        Some((inner, drawn.is_solid(own)))
    });
    let boxes: Vec<(Rect, bool)> = boxes.collect();
    let all = boxes.iter().map(|(drawn, _)| *drawn).reduce(Rect::union)?;
    let fill = boxes.iter().filter(|(drawn, is_solid)| *is_solid && *drawn == all).count();
    if (fill as f64) < MOST * boxes.len() as f64 {
        return None;
    }
    let (columns, rows) = grid.axes();
    let cut = |axis: &Division, start: u32, length: u32| {
        let gutter = if axis.count > 1 { axis.pitch() - length } else { 0 };
        Division { offset: axis.offset + start, gutter, count: axis.count, covered: length * axis.count }
    };
    Some(Grid::of_axes(cut(columns, all.x, all.width), cut(rows, all.y, all.height)))
}

/// The axis with cells as much wider as drawings reach into its gutters; `None` where they do not, or there is no room.
fn widen_cells(axis: &Division, is_filled: &[bool]) -> Option<Division> {
    let (pitch, cell) = (axis.pitch(), axis.cell());
    // What is drawn at each step from a cell's start, over all of them.
    let mut steps = vec![false; pitch as usize];
    for at in (0..is_filled.len() as u32).filter(|&at| is_filled[at as usize]) {
        steps[((at + pitch - axis.offset % pitch) % pitch) as usize] = true;
    }
    let gutter = &steps[cell as usize..];
    if !gutter.contains(&true) {
        return None;
    }
    // What stays clear between all cells; the cells grow up to it from both sides.
    let (mut from, mut to) = (pitch, pitch);
    let mut start = cell;
    for run in gutter.split(|&filled| filled) {
        let length = run.len() as u32;
        if length > to - from {
            (from, to) = (start, start + length);
        }
        start += length + 1;
    }
    let grown = pitch - (to - from);
    let offset = axis.offset.checked_sub(pitch - to)?;
    let is_inside = offset + (axis.count - 1) * pitch + grown <= is_filled.len() as u32;
    is_inside.then_some(Division {
        offset,
        gutter: to - from,
        count: axis.count,
        covered: grown * axis.count,
    })
}
