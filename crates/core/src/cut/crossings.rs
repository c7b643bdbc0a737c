//! Drawings that a grid cuts through, and where.
//!
//! Follows pixels that continue across the side of a cell. Tiles that touch along a whole side aren't one drawing, and without a
//! background nothing can be found. Doesn't judge the grid.

use crate::background::Background;
use crate::cut::Grid;
use crate::{Cell, Pixels, Rect};

/// From this share of a side two cells touch as tiles do.
const WHOLE: f64 = 0.9;

/// A side of a cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(rename_all = "kebab-case"))]
pub enum Side {
    /// The left one.
    Left,
    /// The right one.
    Right,
    /// The upper one.
    Top,
    /// The lower one.
    Bottom,
}

impl Side {
    const ALL: [Self; 4] = [Self::Left, Self::Right, Self::Top, Self::Bottom];

    fn is_upright(self) -> bool {
        matches!(self, Self::Left | Self::Right)
    }
}

/// A drawing that goes on beyond its cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(rename_all = "snake_case"))]
pub struct Crossing {
    /// The cell.
    pub cell: Cell,
    /// The side it is cut at.
    pub side: Side,
    /// Where it goes on; none where that isn't a cell but a gutter or the rest of the sheet.
    pub into: Option<Cell>,
    /// Pixels of the cell along that side from which it goes on.
    pub pixels: u32,
}

/// Every side of a cell over which a drawing goes on, cells in reading order. A side that two cells share is listed once.
pub fn find_crossings(sheet: &Pixels, background: Background, grid: &Grid) -> Vec<Crossing> {
    if background == Background::None {
        return Vec::new();
    }
    let counts = grid.counts();
    let is_content = |x: u32, y: u32| sheet.get(x, y).is_some_and(|pixel| background.is_content(&pixel.0));
    let mut found = Vec::new();
    for cell in (0..counts.rows).flat_map(|row| (0..counts.columns).map(move |column| Cell { row, column })) {
        let rect = grid.rect(cell);
        for side in Side::ALL {
            let next = neighbor(cell, side, grid).filter(|next| touches(rect, grid.rect(*next)));
            if next.is_some() && matches!(side, Side::Left | Side::Top) {
                continue;
            }
            let pixels = count_crossing_pixels(rect, side, &is_content);
            let length = if side.is_upright() { rect.height } else { rect.width };
            let is_joint = next.is_some() && f64::from(pixels) >= WHOLE * f64::from(length);
            if pixels > 0 && !is_joint {
                found.push(Crossing { cell, side, into: next, pixels });
            }
        }
    }
    found
}

fn neighbor(cell: Cell, side: Side, grid: &Grid) -> Option<Cell> {
    let counts = grid.counts();
    let Cell { row, column } = cell;
    let next = match side {
        Side::Left => Cell { row, column: column.checked_sub(1)? },
        Side::Right => Cell { row, column: column + 1 },
        Side::Top => Cell { row: row.checked_sub(1)?, column },
        Side::Bottom => Cell { row: row + 1, column },
    };
    (next.row < counts.rows && next.column < counts.columns).then_some(next)
}

fn touches(a: Rect, b: Rect) -> bool {
    a.right() == u64::from(b.x)
        || b.right() == u64::from(a.x)
        || a.bottom() == u64::from(b.y)
        || b.bottom() == u64::from(a.y)
}

/// Pixels along a side that hang together with one beyond it.
fn count_crossing_pixels(rect: Rect, side: Side, is_content: &impl Fn(u32, u32) -> bool) -> u32 {
    let (length, start) = if side.is_upright() { (rect.height, rect.y) } else { (rect.width, rect.x) };
    let (own, beyond) = match side {
        Side::Left => (Some(rect.x), rect.x.checked_sub(1)),
        Side::Top => (Some(rect.y), rect.y.checked_sub(1)),
        Side::Right => ((rect.x + rect.width).checked_sub(1), Some(rect.x + rect.width)),
        Side::Bottom => ((rect.y + rect.height).checked_sub(1), Some(rect.y + rect.height)),
    };
    let (Some(own), Some(beyond)) = (own, beyond) else { return 0 };
    let is_drawn =
        |line: u32, at: u32| if side.is_upright() { is_content(line, at) } else { is_content(at, line) };
    let goes_on = |at: u32| {
        (at.saturating_sub(1).max(start)..=(at + 1).min(start + length - 1))
            .any(|near| is_drawn(beyond, near))
    };
    (start..start + length).filter(|&at| is_drawn(own, at) && goes_on(at)).count() as u32
}

#[cfg(test)]
mod tests {
    use image::{Rgba, RgbaImage};

    use super::*;
    use crate::cut::{Counts, Spacing};
    use crate::{Size, UVec2};

    fn crossings(rows: &[&str], cell: u32, gutter: u32) -> Vec<(String, Side, Option<String>, u32)> {
        let sheet =
            Pixels::from_image(RgbaImage::from_fn(rows[0].len() as u32, rows.len() as u32, |x, y| {
                Rgba([9, 9, 9, if rows[y as usize].as_bytes()[x as usize] == b'.' { 0 } else { 255 }])
            }));
        let counts = Counts::new((sheet.size().width + gutter) / (cell + gutter), 1).unwrap();
        let spacing = Spacing { gutter: UVec2 { x: gutter, y: 0 }, ..Spacing::default() };
        let grid =
            Grid::by_both(sheet.size(), counts, Size::new(cell, sheet.size().height), spacing).unwrap();
        let found = find_crossings(&sheet, Background::Clear, &grid);
        found
            .iter()
            .map(|one| (one.cell.to_string(), one.side, one.into.map(|cell| cell.to_string()), one.pixels))
            .collect()
    }

    #[test]
    fn what_goes_on_is_reported_once_with_its_side_and_pixels() {
        let over = ("r0c0".to_owned(), Side::Right, Some("r0c1".to_owned()), 2);
        assert_eq!(crossings(&["......", ".aaaa.", ".aaaa.", "......"], 3, 0), std::slice::from_ref(&over));
        // Over a corner, too.
        assert_eq!(crossings(&["......", "..a...", "...a..", "......"], 3, 0), [(over.0, over.1, over.2, 1)]);
        assert_eq!(crossings(&["......", ".aa.aa", "......"], 3, 0), []);
    }

    #[test]
    fn into_a_gutter_and_beyond_the_last_cell() {
        let found = crossings(&["........", ".aaa.aaa", "........"], 3, 1);
        assert_eq!(
            found,
            [("r0c0".to_owned(), Side::Right, None, 1), ("r0c1".to_owned(), Side::Right, None, 1)]
        );
    }

    #[test]
    fn tiles_that_touch_along_a_whole_side_do_not_go_on() {
        assert_eq!(crossings(&["aaaaaa", "aaaaaa", "aaaaaa"], 3, 0), []);
    }
}
