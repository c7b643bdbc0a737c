//! Clear corridors that part the cells of a grid evenly, over the whole sheet: its cells may be groups of smaller ones.
//!
//! The same where single cells hold two drawings side by side while lines cut others: then cells and drawings have
//! nothing to do with each other. Says nothing about which cells there are instead.

use crate::background::Background;
use crate::cut::Grid;
use crate::cut::grid::Division;
use crate::{Cell, Pixels};

/// A cell may be as many smaller ones, side by side.
const MOST_PARTS: u32 = 8;
/// A smaller cell isn't narrower than this.
const LEAST_PART: u32 = 6;
/// How far a corridor may be from where an even part ends, in pixels.
const AROUND: u32 = 2;

/// Whether clear corridors part all cells alike, across or down, with drawings in every part.
pub(super) fn run_through(sheet: &Pixels, background: Background, grid: &Grid) -> bool {
    if background == Background::None {
        return false;
    }
    let size = sheet.size();
    let (mut columns, mut rows) = (vec![false; size.width as usize], vec![false; size.height as usize]);
    for (y, row) in sheet.rows().enumerate() {
        for (x, pixel) in row.chunks_exact(4).enumerate() {
            if background.is_content(pixel) {
                (columns[x], rows[y]) = (true, true);
            }
        }
    }
    let (across, down) = grid.axes();
    let is_parted = |is_filled: &[bool], axis: &Division| {
        let most = (axis.covered / axis.count / LEAST_PART).min(MOST_PARTS);
        (2..=most).any(|parts| are_parted(is_filled, axis, parts))
    };
    is_parted(&columns, across) || is_parted(&rows, down)
}

/// A gap between drawings inside a cell is at least so wide, in pixels.
const GAP: usize = 2;
/// A share of cells with such a gap.
const MANY: f64 = 0.3;

/// Whether many cells hold drawings side by side, with a gap between them from top to bottom.
pub(super) fn part_many_cells(sheet: &Pixels, background: Background, grid: &Grid) -> bool {
    let counts = grid.counts();
    let (mut parted, mut all) = (0u32, 0u32);
    for (row, column) in (0..counts.rows).flat_map(|row| (0..counts.columns).map(move |column| (row, column)))
    {
        let Some(part) = sheet.crop(grid.rect(Cell { row, column })) else { continue };
        match has_gap(&part, background) {
            None => {}
            Some(is_parted) => (all, parted) = (all + 1, parted + u32::from(is_parted)),
        }
    }
    f64::from(parted) > MANY * f64::from(all)
}

/// Whether a clear gap runs from top to bottom between drawings of a cell; `None` where there is none.
fn has_gap(cell: &Pixels, background: Background) -> Option<bool> {
    let mut is_filled = vec![false; cell.size().width as usize];
    for row in cell.rows() {
        for (filled, pixel) in is_filled.iter_mut().zip(row.chunks_exact(4)) {
            *filled |= background.is_content(pixel);
        }
    }
    let first = is_filled.iter().position(|&filled| filled)?;
    let last = is_filled.iter().rposition(|&filled| filled)?;
    let gaps = is_filled[first..=last].split(|&filled| filled);
    Some(gaps.map(<[bool]>::len).any(|gap| gap >= GAP))
}

/// Whether each cell that holds anything falls into so many parts, a clear line between them and something drawn in each.
fn are_parted(is_filled: &[bool], axis: &Division, parts: u32) -> bool {
    let mut seen = 0;
    for cell in 0..axis.count {
        let (start, length) = axis.cell_range(cell);
        let has_content = |from: u32, to: u32| is_filled[from as usize..to as usize].contains(&true);
        if !has_content(start, start + length) {
            continue;
        }
        seen += 1;
        // With the gutter behind it a cell is as long as its parts with theirs.
        let whole = length + axis.gutter;
        let mut from = start;
        for part in 1..=parts {
            let even = (start + whole * part / parts).min(start + length);
            let end = if part == parts {
                even
            } else {
                let mut near = even.saturating_sub(AROUND).max(from)..(even + AROUND + 1).min(start + length);
                let Some(clear) = near.find(|&at| !is_filled[at as usize]) else { return false };
                clear
            };
            if !has_content(from, end) {
                return false;
            }
            from = end;
        }
    }
    seen > 0
}
