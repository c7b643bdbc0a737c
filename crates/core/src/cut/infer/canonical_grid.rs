//! Which of the readings of one kind stands for it: as many cells, from one to the next as far, but each with another gutter.
//!
//! Drawings that fill their cells show where those end. Else no drawing may lose a row of pixels to a gutter or an offset. Never changes
//! how many cells there are, nor how far from each other.

use crate::background::Background;
use crate::cut::Grid;
use crate::cut::grid::Division;
use crate::{Cell, Pixels, Rect};

/// The share of drawings that fill their cells, where cells are as large as their drawings.
const MOST: f64 = 0.9;

/// The grid that stands for a kind, given any of it.
pub(super) fn canonicalize(grid: &Grid, sheet: &Pixels, background: Background) -> Grid {
    let (columns, rows) = grid.axes();
    let is_plain = |axis: &Division, length: u32| axis.covered == length;
    let size = sheet.size();
    if background == Background::None || is_plain(columns, size.width) && is_plain(rows, size.height) {
        return *grid;
    }
    if let Some(filled) = fit_to_drawings(grid, sheet, background) {
        return filled;
    }
    let (mut across, mut down) = (vec![false; size.width as usize], vec![false; size.height as usize]);
    for (y, row) in sheet.rows().enumerate() {
        for (x, pixel) in row.chunks_exact(4).enumerate() {
            if background.is_content(pixel) {
                (across[x], down[y]) = (true, true);
            }
        }
    }
    let whole = |axis: &Division, is_filled: &[bool]| widen_cells(axis, is_filled).unwrap_or(*axis);
    Grid::of_axes(whole(columns, &across), whole(rows, &down))
}

fn pitch(axis: &Division) -> u32 {
    axis.covered / axis.count + axis.gutter
}

/// Cells as large as the solid drawings that fill them.
fn fit_to_drawings(grid: &Grid, sheet: &Pixels, background: Background) -> Option<Grid> {
    let counts = grid.counts();
    let cells = (0..counts.rows).flat_map(|row| (0..counts.columns).map(move |column| Cell { row, column }));
    let boxes = cells.filter_map(|cell| {
        let cell = grid.rect(cell);
        let drawn = content_bounds(&sheet.crop(cell)?, background)?;
        let is_solid = is_solid(
            &sheet.crop(Rect::new(cell.x + drawn.x, cell.y + drawn.y, drawn.width, drawn.height))?,
            background,
        );
        Some((drawn, is_solid))
    });
    let boxes: Vec<(Rect, bool)> = boxes.collect();
    let all = boxes.iter().map(|(drawn, _)| *drawn).reduce(Rect::union)?;
    let fill = boxes.iter().filter(|(drawn, is_solid)| *is_solid && *drawn == all).count();
    if (fill as f64) < MOST * boxes.len() as f64 {
        return None;
    }
    let (columns, rows) = grid.axes();
    let cut = |axis: &Division, start: u32, length: u32| {
        let gutter = if axis.count > 1 { pitch(axis) - length } else { 0 };
        Division { offset: axis.offset + start, gutter, count: axis.count, covered: length * axis.count }
    };
    Some(Grid::of_axes(cut(columns, all.x, all.width), cut(rows, all.y, all.height)))
}

/// The box of what is drawn.
fn content_bounds(part: &Pixels, background: Background) -> Option<Rect> {
    let mut drawn: Option<Rect> = None;
    for (y, row) in (0..).zip(part.rows()) {
        let is_content = |pixel: &[u8]| background.is_content(pixel);
        let mut pixels = row.chunks_exact(4);
        let Some(first) = pixels.position(is_content) else { continue };
        let after = pixels.rposition(is_content).map_or(first, |last| first + 1 + last);
        let line = Rect::new(first as u32, y, (after - first) as u32 + 1, 1);
        drawn = Some(drawn.map_or(line, |all| all.union(line)));
    }
    drawn
}

fn is_solid(part: &Pixels, background: Background) -> bool {
    part.rows().all(|row| row.chunks_exact(4).all(|pixel| background.is_content(pixel)))
}

/// The axis with cells as much wider as drawings reach into its gutters; `None` where they do not, or there is no room.
fn widen_cells(axis: &Division, is_filled: &[bool]) -> Option<Division> {
    let (pitch, cell) = (pitch(axis), axis.covered / axis.count);
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
