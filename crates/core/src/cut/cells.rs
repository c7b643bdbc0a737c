//! The cells of a grid as pictures: which to take, in which order, and which are blank.

use crate::background::Background;
use crate::cut::{CutError, Grid};
use crate::{Cell, Frame, FrameError, FrameSource, Name, Pixels, Rect};

/// Which cells become frames.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct CellChoice {
    /// Only the first so many cells, blank ones counted.
    pub count: Option<u32>,
    /// The order.
    pub read: ReadOrder,
    /// What to do with blank cells.
    pub blank: BlankCells,
    /// What is behind the drawings: a cell that shows nothing else is blank.
    pub background: Background,
}

/// The order in which cells are read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum ReadOrder {
    /// Row by row
    #[default]
    Across,
    /// Column by column
    Down,
}

/// What to do with blank cells.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum BlankCells {
    /// Leave them out
    #[default]
    Drop,
    /// Keep them as blank frames
    Keep,
}

/// What was cut.
#[derive(Clone, Debug)]
pub struct Cut {
    /// The cells taken, in order.
    pub cells: Vec<CutCell>,
    /// Blank cells that were dropped.
    pub dropped: Vec<Cell>,
}

/// One cell taken.
#[derive(Clone, Debug)]
pub struct CutCell {
    /// Its place in the grid.
    pub cell: Cell,
    /// Its place on the sheet.
    pub rect: Rect,
    /// What it shows.
    pub pixels: Pixels,
}

/// Cuts a sheet by a grid made for it.
///
/// # Errors
/// If more cells are wanted than there are.
pub fn cut_cells(sheet: &Pixels, grid: &Grid, choice: &CellChoice) -> Result<Cut, CutError> {
    let wanted = match choice.count {
        Some(count) if u64::from(count) > grid.len() => {
            return Err(CutError::Count { count, cells: grid.len() });
        }
        Some(count) => count as usize,
        None => usize::MAX,
    };
    let mut cut = Cut { cells: Vec::new(), dropped: Vec::new() };
    for cell in in_order(grid, choice.read).take(wanted) {
        let rect = grid.rect(cell);
        let other = CutError::OtherSheet { cell, rect, sheet: sheet.size() };
        let pixels = sheet.crop(rect).ok_or(other)?;
        if choice.blank == BlankCells::Drop && is_blank(&pixels, choice.background) {
            cut.dropped.push(cell);
        } else {
            cut.cells.push(CutCell { cell, rect, pixels });
        }
    }
    Ok(cut)
}

fn is_blank(pixels: &Pixels, background: Background) -> bool {
    !pixels.rows().any(|row| row.chunks_exact(4).any(|pixel| background.is_content(pixel)))
}

fn in_order(grid: &Grid, read: ReadOrder) -> impl Iterator<Item = Cell> {
    let (columns, rows) = (u64::from(grid.counts().columns), u64::from(grid.counts().rows));
    (0..columns * rows).map(move |at| {
        let (row, column) = match read {
            ReadOrder::Across => (at / columns, at % columns),
            ReadOrder::Down => (at % rows, at / rows),
        };
        Cell { row: row as u32, column: column as u32 }
    })
}

/// A cell of so few pixels holds no drawing, where the middle one of all cells holds this many times as much.
const SPECKS: u64 = 12;
const TIMES: u64 = 40;

impl Cut {
    /// Cells that hold a few pixels only, where others hold drawings: crumbs, or the tip of a neighbor; and how many pixels each has.
    pub fn only_specks(&self, background: Background) -> Vec<(Cell, u64)> {
        if background == Background::None {
            return Vec::new();
        }
        let drawn = |pixels: &Pixels| {
            let all = pixels.rows().flat_map(|row| row.chunks_exact(4));
            all.filter(|pixel| background.is_content(pixel)).count() as u64
        };
        let areas: Vec<(Cell, u64)> = self
            .cells
            .iter()
            .map(|cut| (cut.cell, drawn(&cut.pixels)))
            .filter(|(_, area)| *area > 0)
            .collect();
        let mut sorted: Vec<u64> = areas.iter().map(|(_, area)| *area).collect();
        sorted.sort_unstable();
        let middle = sorted.get(sorted.len() / 2).copied().unwrap_or(0);
        areas.into_iter().filter(|&(_, area)| area <= SPECKS && area * TIMES <= middle).collect()
    }

    /// The cells as frames of `sprite`, cut from `file`; their names are their cells.
    pub fn into_frames(self, sprite: &Name, file: &str) -> Result<Vec<Frame>, FrameError> {
        let frame = |CutCell { cell, rect, pixels }| {
            let name = Name::new(cell.to_string()).expect("a cell's name is short and plain");
            let source = FrameSource {
                file: file.to_owned(),
                cell: Some(cell),
                rect: Some(rect),
                ..FrameSource::default()
            };
            Ok(Frame::new(sprite.clone(), name, pixels)?.with_source(Some(source)))
        };
        self.cells.into_iter().map(frame).collect()
    }
}

#[cfg(test)]
mod tests {
    use image::{Rgba, RgbaImage};

    use super::*;
    use crate::cut::{Counts, Spacing};

    /// 3x2 cells of 2x2 px; the middle one of the first row is blank.
    fn cut(choice: CellChoice) -> Result<(Vec<String>, usize), CutError> {
        let mut image = RgbaImage::from_pixel(6, 4, Rgba([1, 2, 3, 255]));
        for (x, y) in [(2, 0), (3, 0), (2, 1), (3, 1)] {
            image.put_pixel(x, y, Rgba([50, 60, 70, 0]));
        }
        let sheet = Pixels::from_image(image);
        let grid = Grid::by_counts(sheet.size(), Counts::new(3, 2)?, Spacing::default(), false)?;
        let cut = cut_cells(&sheet, &grid, &choice)?;
        Ok((cut.cells.iter().map(|c| c.cell.to_string()).collect(), cut.dropped.len()))
    }

    #[test]
    fn cells_of_a_few_pixels_are_specks_beside_drawings_only() {
        let sheet = |whole: bool| {
            Pixels::from_image(RgbaImage::from_fn(30, 10, |x, y| {
                let is_drawn = if x < 20 { whole || (x % 10, y) == (3, 3) } else { (x, y) == (25, 5) };
                Rgba([1, 2, 3, if is_drawn { 255 } else { 0 }])
            }))
        };
        let specks = |whole: bool| {
            let sheet = sheet(whole);
            let grid = Grid::by_counts(sheet.size(), Counts::new(3, 1).unwrap(), Spacing::default(), false);
            cut_cells(&sheet, &grid.unwrap(), &CellChoice::default()).unwrap().only_specks(Background::Clear)
        };
        assert_eq!(specks(true), [(Cell { row: 0, column: 2 }, 1)]);
        assert_eq!(specks(false), []);
    }

    #[test]
    fn blanks_order_and_count() {
        let names = |list: &[&str]| list.iter().map(ToString::to_string).collect::<Vec<_>>();
        let plain = CellChoice::default();
        assert_eq!(cut(plain).unwrap(), (names(&["r0c0", "r0c2", "r1c0", "r1c1", "r1c2"]), 1));
        let down = CellChoice { read: ReadOrder::Down, blank: BlankCells::Keep, ..plain };
        assert_eq!(cut(down).unwrap().0, names(&["r0c0", "r1c0", "r0c1", "r1c1", "r0c2", "r1c2"]));
        assert_eq!(cut(CellChoice { count: Some(3), ..plain }).unwrap(), (names(&["r0c0", "r0c2"]), 1));
        assert_eq!(
            cut(CellChoice { count: Some(7), ..plain }).unwrap_err(),
            CutError::Count { count: 7, cells: 6 }
        );
    }
}
