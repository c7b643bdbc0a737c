//! Lines drawn around cells: evenly spaced lines of one solid color across the whole sheet are its grid, whatever is drawn
//! between them.

use std::collections::HashMap;

use image::Rgba;

use crate::background::Background;
use crate::cut::infer::candidates::WIDEST;
use crate::cut::{Counts, Grid, Spacing};
use crate::{Cell, Pixels, Rect, Size, UVec2};

/// The shortest side of a cell between lines.
const SHORTEST_CELL: u32 = 4;
/// The share of a cell's outermost pixels that may have the lines' color; with more, it is their background.
const OF_RING: f64 = 0.5;

/// A grid of drawn lines, and what is behind the drawings between them.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RuledGrid {
    /// The cells, without the lines.
    pub grid: Grid,
    /// What is behind the drawings.
    pub background: Background,
}

/// The grid drawn by lines on a sheet; `None` if there are none, or they are uneven.
pub fn ruled_grid(sheet: &Pixels) -> Option<RuledGrid> {
    let Size { width, height } = sheet.size();
    let rows: Vec<Option<[u8; 4]>> = sheet.rows().map(uniform).collect();
    let color = rows.iter().flatten().next().copied().or_else(|| uniform_column(sheet))?;
    let columns = columns_of(sheet, color);
    let is_line: Vec<bool> = rows.iter().map(|row| *row == Some(color)).collect();
    let across = spaced(&columns)?;
    let down = spaced(&is_line)?;
    let cell = Size::new(across.cell, down.cell);
    let spacing = Spacing {
        offset: UVec2 { x: across.offset, y: down.offset },
        gutter: UVec2 { x: across.gutter, y: down.gutter },
    };
    let counts = Counts::new(across.count, down.count).ok()?;
    let mut grid = Grid::by_both(Size::new(width, height), counts, cell, spacing).ok()?;
    if grid.len() < 2 {
        return None;
    }
    let mut ring = Ring::of(sheet, &grid);
    if ring.share(color) >= OF_RING {
        return None;
    }
    // The gaps between cells may be background, with a frame around each cell.
    while let Some(inner) = framed(sheet, &grid, &ring) {
        grid = inner;
        ring = Ring::of(sheet, &grid);
    }
    Some(RuledGrid { grid, background: ring.background() })
}

/// The cells inside of their frames, if all of them are framed in one color.
fn framed(sheet: &Pixels, grid: &Grid, ring: &Ring) -> Option<Grid> {
    let (color, _) = ring.most()?;
    let Spacing { offset, gutter } = grid.spacing();
    let (cell, one) = (grid.cell_size(), UVec2 { x: 1, y: 1 });
    if ring.colors.len() > 1 || color[3] < 255 || cell.width.min(cell.height) < SHORTEST_CELL + 2 {
        return None;
    }
    let spacing = Spacing {
        offset: UVec2 { x: offset.x + one.x, y: offset.y + one.y },
        gutter: UVec2 { x: gutter.x + 2, y: gutter.y + 2 },
    };
    let smaller = Size::new(cell.width - 2, cell.height - 2);
    let inner = Grid::by_both(sheet.size(), grid.counts(), smaller, spacing).ok()?;
    let is_near = offset.x < WIDEST && offset.y < WIDEST;
    (is_near && Ring::of(sheet, &inner).share(color) < OF_RING).then_some(inner)
}

/// The color of a row, if it is all of one and solid.
fn uniform(row: &[u8]) -> Option<[u8; 4]> {
    let first: [u8; 4] = row.get(..4)?.try_into().ok()?;
    (first[3] == 255 && row.chunks_exact(4).all(|pixel| pixel == first)).then_some(first)
}

/// The color of the first column, if it is all of one and solid.
fn uniform_column(sheet: &Pixels) -> Option<[u8; 4]> {
    let first: [u8; 4] = sheet.rows().next()?.get(..4)?.try_into().ok()?;
    (first[3] == 255 && sheet.rows().all(|row| row[..4] == first)).then_some(first)
}

/// Which columns are all of a color.
fn columns_of(sheet: &Pixels, color: [u8; 4]) -> Vec<bool> {
    let mut is_line = vec![true; sheet.size().width as usize];
    for row in sheet.rows() {
        for (is_line, pixel) in is_line.iter_mut().zip(row.chunks_exact(4)) {
            *is_line &= pixel == color;
        }
    }
    is_line
}

/// Cells of one axis between lines.
struct Spaced {
    offset: u32,
    cell: u32,
    gutter: u32,
    count: u32,
}

/// The cells between lines of one thickness, all of one length. Without a line there is one cell.
fn spaced(is_line: &[bool]) -> Option<Spaced> {
    let runs: Vec<&[bool]> = is_line.chunk_by(|a, b| a == b).collect();
    let cells: Vec<u32> = runs.iter().filter(|run| !run[0]).map(|run| run.len() as u32).collect();
    let cell = *cells.first()?;
    if cell < SHORTEST_CELL || cells.iter().any(|other| *other != cell) {
        return None;
    }
    let offset = if runs[0][0] { runs[0].len() as u32 } else { 0 };
    let end = usize::from(runs[runs.len() - 1][0]);
    let first = usize::from(offset > 0);
    let inner: Vec<u32> =
        runs[first..runs.len() - end].iter().filter(|run| run[0]).map(|run| run.len() as u32).collect();
    let gutter = inner.first().copied().unwrap_or(0);
    let is_even = inner.iter().all(|other| *other == gutter) && offset <= WIDEST && gutter <= 2 * WIDEST;
    is_even.then_some(Spaced { offset, cell, gutter, count: cells.len() as u32 })
}

/// The outermost pixels of all cells, by their colors; all that show nothing are one.
struct Ring {
    colors: HashMap<[u8; 4], u64>,
    all: u64,
}

impl Ring {
    fn of(sheet: &Pixels, grid: &Grid) -> Self {
        let mut ring = Self { colors: HashMap::new(), all: 0 };
        let counts = grid.counts();
        let cells =
            (0..counts.rows).flat_map(|row| (0..counts.columns).map(move |column| Cell { row, column }));
        for Rect { x, y, width, height } in cells.map(|cell| grid.rect(cell)) {
            let edge = (x..x + width).flat_map(|at| [(at, y), (at, y + height - 1)]);
            let sides = (y..y + height).flat_map(|at| [(x, at), (x + width - 1, at)]);
            for (at_x, at_y) in edge.chain(sides) {
                let pixel = sheet.get(at_x, at_y).map_or([0; 4], |pixel| pixel.0);
                *ring.colors.entry(if pixel[3] == 0 { [0; 4] } else { pixel }).or_default() += 1;
                ring.all += 1;
            }
        }
        ring
    }

    fn share(&self, color: [u8; 4]) -> f64 {
        self.colors.get(&color).copied().unwrap_or(0) as f64 / self.all.max(1) as f64
    }

    /// The most frequent color, and its share.
    fn most(&self) -> Option<([u8; 4], f64)> {
        let (&color, _) = self.colors.iter().max_by_key(|&(color, count)| (count, color))?;
        Some((color, self.share(color)))
    }

    fn background(&self) -> Background {
        match self.most() {
            Some((color, share)) if share >= OF_RING => match color[3] {
                0 => Background::Clear,
                _ => Background::Flat { color: Rgba(color), tolerance: 0 },
            },
            _ => Background::None,
        }
    }
}

#[cfg(test)]
mod tests {
    use image::RgbaImage;

    use super::*;

    const LINE: Rgba<u8> = Rgba([128, 128, 128, 255]);

    /// Cells of 10x8 px on white, each with a blot, between lines of their own.
    fn sheet(columns: u32, rows: u32, line: u32, back: Rgba<u8>) -> RgbaImage {
        let (wide, high) = (10 + 2 * line, 8 + 2 * line);
        RgbaImage::from_fn(columns * wide, rows * high, |x, y| {
            let (at_x, at_y) = (x % wide, y % high);
            let is_line = at_x < line || at_y < line || at_x >= wide - line || at_y >= high - line;
            let blot = 2 + (x / wide + y / high) % 3;
            match (at_x, at_y) {
                _ if is_line => LINE,
                (x, y) if (4..4 + blot).contains(&x) && (3..7).contains(&y) => Rgba([200, 40, 30, 255]),
                _ => back,
            }
        })
    }

    #[test]
    fn lines_round_each_cell_are_its_grid() {
        for (columns, rows, line) in [(4, 3, 1), (8, 1, 1), (1, 5, 2)] {
            for back in [Rgba([255; 4]), Rgba([0; 4])] {
                let found = ruled_grid(&Pixels::from_image(sheet(columns, rows, line, back))).unwrap();
                let counts = found.grid.counts();
                assert_eq!((counts.columns, counts.rows), (columns, rows));
                assert_eq!(found.grid.cell_size(), Size::new(10, 8));
                assert_eq!(found.background == Background::Clear, back[3] == 0);
            }
        }
    }

    #[test]
    fn framed_cells_on_a_background_are_inside_their_frames() {
        // Gaps of 2 px of the background between frames.
        let inner = sheet(3, 2, 1, Rgba([255, 0, 255, 255]));
        let image = RgbaImage::from_fn(3 * 14 - 2, 2 * 12 - 2, |x, y| match (x % 14, y % 12) {
            (12.., _) | (_, 10..) => Rgba([255, 0, 255, 255]),
            (at_x, at_y) => *inner.get_pixel(x / 14 * 12 + at_x, y / 12 * 10 + at_y),
        });
        let found = ruled_grid(&Pixels::from_image(image)).unwrap();
        assert_eq!((found.grid.cell_size(), found.grid.len()), (Size::new(10, 8), 6));
        assert!(matches!(found.background, Background::Flat { color, .. } if color[1] == 0));
    }

    #[test]
    fn uneven_lines_and_gaps_of_the_background_are_no_grid() {
        let mut image = sheet(4, 3, 1, Rgba([255; 4]));
        (0..image.height()).for_each(|y| image.put_pixel(5, y, LINE));
        assert_eq!(ruled_grid(&Pixels::from_image(image)), None);
        // Letters on black: the gaps between them are background.
        let letters = RgbaImage::from_fn(64, 16, |x, y| {
            let is_drawn = x % 8 > 2 && x % 8 < 6 && y % 8 > 1 && y % 8 < 7;
            if is_drawn { Rgba([255; 4]) } else { Rgba([0, 0, 0, 255]) }
        });
        assert_eq!(ruled_grid(&Pixels::from_image(letters)), None);
        assert_eq!(ruled_grid(&Pixels::from_image(RgbaImage::from_pixel(20, 20, LINE))), None);
    }
}
