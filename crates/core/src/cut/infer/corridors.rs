//! Clear corridors that part the cells of a grid evenly, over the whole sheet: its cells may be groups of smaller ones.
//!
//! Looks at whole lines of pixels only, and says nothing about which cells there are instead.

use crate::Pixels;
use crate::background::Background;
use crate::cut::Grid;
use crate::cut::grid::Axis;

/// A cell may be as many smaller ones, side by side.
const MOST_PARTS: u32 = 8;
/// A smaller cell is no narrower than this.
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
    let is_parted = |is_filled: &[bool], axis: &Axis| {
        let most = (axis.covered / axis.count / LEAST_PART).min(MOST_PARTS);
        (2..=most).any(|parts| are_parted(is_filled, axis, parts))
    };
    is_parted(&columns, across) || is_parted(&rows, down)
}

/// Whether each cell that holds anything falls into so many parts, a clear line between them and something drawn in each.
fn are_parted(is_filled: &[bool], axis: &Axis, parts: u32) -> bool {
    let mut seen = 0;
    for cell in 0..axis.count {
        let (start, length) = axis.span(cell);
        let has_content = |from: u32, to: u32| is_filled[from as usize..to as usize].contains(&true);
        if !has_content(start, start + length) {
            continue;
        }
        seen += 1;
        // With the gutter behind it a cell is as long as its parts with theirs.
        let whole = length + axis.gutter;
        let mut from = start;
        for part in 1..=parts {
            let end = (start + whole * part / parts).min(start + length);
            if part < parts {
                let near = end.saturating_sub(AROUND).max(from)..(end + AROUND + 1).min(start + length);
                if near.into_iter().all(|at| is_filled[at as usize]) {
                    return false;
                }
            }
            if !has_content(from, end) {
                return false;
            }
            from = end;
        }
    }
    seen > 0
}
