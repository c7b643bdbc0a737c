//! Where the cells of a regular grid lie. Numbers only: never looks at a pixel.

use std::fmt;

use crate::{Cell, Rect, Size, SizeError, UVec2};

/// How many columns and rows; both at least 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Counts {
    /// Cells across.
    pub columns: u32,
    /// Cells down.
    pub rows: u32,
}

impl Counts {
    /// `columns` by `rows`.
    ///
    /// # Errors
    /// If either is 0.
    pub fn new(columns: u32, rows: u32) -> Result<Self, SizeError> {
        if columns == 0 || rows == 0 {
            return Err(SizeError::Zero(format!("{columns}x{rows}")));
        }
        Ok(Self { columns, rows })
    }
}

impl fmt::Display for Counts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}x{}", self.columns, self.rows)
    }
}

/// Empty pixels of a sheet that belong to no cell.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Spacing {
    /// Before the first cell.
    pub offset: UVec2,
    /// Between cells.
    pub gutter: UVec2,
}

/// Which way an axis runs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Axis {
    /// Left to right: widths and columns.
    Columns,
    /// Top to bottom: heights and rows.
    Rows,
}

impl fmt::Display for Axis {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(if *self == Axis::Columns { "columns" } else { "rows" })
    }
}

/// Why a sheet can't be cut so.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum CutError {
    /// The counts do not divide what is there to divide.
    #[error("{length} px can't be cut into {count} equal {across} ({each:.2} px each)", each = f64::from(*length) / f64::from(*count))]
    Uneven {
        /// Columns or rows.
        across: Axis,
        /// Pixels there are for cells, offset and gutters taken off.
        length: u32,
        /// How many cells were asked for.
        count: u32,
        /// Pixels between cells.
        gutter: u32,
    },
    /// Cells of this size leave pixels over.
    #[error("{length} px holds {fits} cells of {cell} px, with {left} px left over ({across})")]
    LeftOver {
        /// Columns or rows.
        across: Axis,
        /// Pixels there are for cells and gutters.
        length: u32,
        /// Pixels of a cell.
        cell: u32,
        /// Pixels between cells.
        gutter: u32,
        /// How many whole cells fit.
        fits: u32,
        /// Pixels left.
        left: u32,
        /// The grid of whole cells that fits.
        whole: Counts,
    },
    /// A grid that was made for another sheet.
    #[error("cell {cell} at {rect} extends beyond the sheet of {sheet} px; the grid is of another one")]
    OtherSheet {
        /// The cell.
        cell: Cell,
        /// Its place.
        rect: Rect,
        /// The sheet.
        sheet: Size,
    },
    /// More cells than pixels, or an offset beyond the sheet.
    #[error("{count} {across} do not fit in {length} px{taken}", taken = describe_spacing(*offset, *gutter))]
    TooMany {
        /// Columns or rows.
        across: Axis,
        /// The sheet's pixels on this axis.
        length: u32,
        /// How many cells were asked for.
        count: u32,
        /// Pixels before the first cell.
        offset: u32,
        /// Pixels between cells.
        gutter: u32,
    },
    /// A cell larger than the sheet.
    #[error("a cell of {cell} px does not fit in {length} px ({across}{taken})", taken = describe_spacing(*offset, 0))]
    CellTooLarge {
        /// Columns or rows.
        across: Axis,
        /// The sheet's pixels on this axis.
        length: u32,
        /// Pixels of a cell.
        cell: u32,
        /// Pixels before the first cell.
        offset: u32,
    },
    /// Cells of this size that do not fit.
    #[error("{count} {across} of {cell} px do not fit into {length} px{taken}", taken = describe_spacing(*offset, *gutter))]
    Beyond {
        /// Columns or rows.
        across: Axis,
        /// The sheet's pixels on this axis.
        length: u32,
        /// How many cells were asked for.
        count: u32,
        /// Pixels of a cell.
        cell: u32,
        /// Pixels before the first cell.
        offset: u32,
        /// Pixels between cells.
        gutter: u32,
    },
    /// More cells wanted than the grid has.
    #[error("the grid has only {cells} cells, not {count}")]
    Count {
        /// How many were wanted.
        count: u32,
        /// How many there are.
        cells: u64,
    },
    /// No cells, or cells without a pixel.
    #[error("a cell needs at least one pixel and a grid at least one cell ({across})")]
    NoCell {
        /// Columns or rows.
        across: Axis,
    },
    /// Counts of 0.
    #[error(transparent)]
    Size(#[from] SizeError),
}

fn describe_spacing(offset: u32, gutter: u32) -> String {
    match (offset, gutter) {
        (0, 0) => String::new(),
        (offset, 0) => format!(" with {offset} px before the first"),
        (0, gutter) => format!(" with {gutter} px between them"),
        (offset, gutter) => format!(" with {offset} px before the first and {gutter} px between them"),
    }
}

/// The cells of one axis.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Division {
    pub(super) offset: u32,
    pub(super) gutter: u32,
    pub(super) count: u32,
    /// Pixels of all cells together, gutters not counted; not always a multiple of `count`.
    pub(super) covered: u32,
}

impl Division {
    /// Start and length of cell `at`. A remainder is shared out, a pixel here and there.
    pub(super) fn cell_range(self, at: u32) -> (u32, u32) {
        let edge = |n: u32| (u64::from(self.covered) * u64::from(n) / u64::from(self.count)) as u32;
        (self.offset + edge(at) + at * self.gutter, edge(at + 1) - edge(at))
    }

    /// Pixels of a cell; of uneven ones, of the smallest.
    pub(super) fn cell(&self) -> u32 {
        self.covered / self.count
    }

    /// Whether cells differ by a pixel here and there.
    pub(super) fn is_uneven(&self) -> bool {
        !self.covered.is_multiple_of(self.count)
    }

    /// Pixels from one cell to the next.
    pub(super) fn pitch(&self) -> u32 {
        self.cell() + self.gutter
    }

    /// How many cells begin before `end`; at least one.
    pub(super) fn count_until(&self, end: u32) -> u32 {
        let is_before = |at: u32| self.cell_range(at).0 < end;
        // Cells are about a pitch apart: only the next few can differ from that.
        let near = (end.saturating_sub(self.offset) / self.pitch()).clamp(1, self.count);
        let first = (1..=near).rev().find(|&at| is_before(at - 1)).unwrap_or(1);
        (first..self.count).find(|&at| !is_before(at)).unwrap_or(self.count)
    }

    /// # Errors
    /// As [`Grid::by_counts`].
    fn by_count(
        across: Axis,
        length: u32,
        count: u32,
        offset: u32,
        gutter: u32,
        uneven: bool,
    ) -> Result<Self, CutError> {
        if count == 0 {
            return Err(CutError::NoCell { across });
        }
        let too_many = CutError::TooMany { across, length, count, offset, gutter };
        let gutters = u64::from(gutter) * u64::from(count.saturating_sub(1));
        let room = u64::from(length).checked_sub(u64::from(offset) + gutters);
        // No more than the sheet's length, so it fits u32.
        let room = room.filter(|&room| room >= u64::from(count)).ok_or(too_many)? as u32;
        // Sheets often end as they begin: with an offset or a gutter after the last cell.
        let ends = [0, gutter, offset].map(|end| room.saturating_sub(end));
        let even = ends.into_iter().find(|&covered| covered > 0 && covered % count == 0);
        match even {
            Some(covered) => Ok(Self { offset, gutter, count, covered }),
            None if uneven => Ok(Self { offset, gutter, count, covered: room }),
            None => Err(CutError::Uneven { across, length: room, count, gutter }),
        }
    }

    /// # Errors
    /// As [`Grid::by_cell`].
    fn by_cell(across: Axis, length: u32, cell: u32, offset: u32, gutter: u32) -> Result<Self, CutError> {
        if cell == 0 {
            return Err(CutError::NoCell { across });
        }
        let room = length.checked_sub(offset).filter(|&room| room >= cell);
        let Some(room) = room else {
            return Err(CutError::CellTooLarge { across, length, cell, offset });
        };
        let fits = ((u64::from(room) + u64::from(gutter)) / (u64::from(cell) + u64::from(gutter))) as u32;
        let left = room - (fits * cell + (fits - 1) * gutter);
        if left == 0 || left == offset || left == gutter {
            return Ok(Self { offset, gutter, count: fits, covered: fits * cell });
        }
        // What the other axis holds is not known here.
        let whole = Counts { columns: fits, rows: fits };
        Err(CutError::LeftOver { across, length: room, cell, gutter, fits, left, whole })
    }
}

/// A regular grid on a sheet.
///
/// # Guarantees
/// Every cell has at least one pixel and is on the sheet it was made for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Grid {
    columns: Division,
    rows: Division,
}

impl Grid {
    /// So many columns and rows. With `uneven`, a remainder is shared out over the cells.
    ///
    /// # Errors
    /// If the counts do not divide the sheet, or do not fit.
    pub fn by_counts(sheet: Size, counts: Counts, spacing: Spacing, uneven: bool) -> Result<Self, CutError> {
        let Spacing { offset, gutter } = spacing;
        let Counts { columns, rows } = counts;
        Ok(Self {
            columns: Division::by_count(Axis::Columns, sheet.width, columns, offset.x, gutter.x, uneven)?,
            rows: Division::by_count(Axis::Rows, sheet.height, rows, offset.y, gutter.y, uneven)?,
        })
    }

    /// As many cells of this size as the sheet holds.
    ///
    /// # Errors
    /// If pixels are left over, or not one cell fits.
    pub fn by_cell(sheet: Size, cell: Size, spacing: Spacing) -> Result<Self, CutError> {
        let Spacing { offset, gutter } = spacing;
        let columns = Division::by_cell(Axis::Columns, sheet.width, cell.width, offset.x, gutter.x);
        let rows = Division::by_cell(Axis::Rows, sheet.height, cell.height, offset.y, gutter.y);
        let count = |axis: &Result<Division, CutError>| match axis {
            Ok(axis) => axis.count,
            Err(CutError::LeftOver { fits, .. }) => *fits,
            Err(_) => 0,
        };
        let counts = Counts { columns: count(&columns), rows: count(&rows) };
        let whole = |error: CutError| match error {
            CutError::LeftOver { across, length, cell, gutter, fits, left, .. } => {
                CutError::LeftOver { across, length, cell, gutter, fits, left, whole: counts }
            }
            other => other,
        };
        // What does not fit at all is the larger mistake.
        if let (_, Err(error @ (CutError::CellTooLarge { .. } | CutError::NoCell { .. }))) = (&columns, &rows)
        {
            return Err(error.clone());
        }
        Ok(Self { columns: columns.map_err(whole)?, rows: rows.map_err(whole)? })
    }

    /// So many cells of this size, on a part of the sheet.
    ///
    /// # Errors
    /// If they do not fit.
    pub fn by_both(sheet: Size, counts: Counts, cell: Size, spacing: Spacing) -> Result<Self, CutError> {
        let Spacing { offset, gutter } = spacing;
        let axis = |across, length, count: u32, cell: u32, offset, gutter| {
            if count == 0 || cell == 0 {
                return Err(CutError::NoCell { across });
            }
            let needed = u128::from(count) * u128::from(cell) + u128::from(count - 1) * u128::from(gutter);
            match u128::from(offset) + needed <= u128::from(length) {
                true => Ok(Division { offset, gutter, count, covered: count * cell }),
                false => Err(CutError::Beyond { across, length, count, cell, offset, gutter }),
            }
        };
        Ok(Self {
            columns: axis(Axis::Columns, sheet.width, counts.columns, cell.width, offset.x, gutter.x)?,
            rows: axis(Axis::Rows, sheet.height, counts.rows, cell.height, offset.y, gutter.y)?,
        })
    }

    /// A grid of two axes found on the sheet itself.
    pub(super) fn of_axes(columns: Division, rows: Division) -> Self {
        Self { columns, rows }
    }

    /// The same grid on a sheet this many times as large.
    pub(super) fn enlarged(&self, factor: u32) -> Self {
        let axis = |axis: &Division| Division {
            offset: axis.offset * factor,
            gutter: axis.gutter * factor,
            count: axis.count,
            covered: axis.covered * factor,
        };
        Self { columns: axis(&self.columns), rows: axis(&self.rows) }
    }

    pub(super) fn axes(&self) -> (&Division, &Division) {
        (&self.columns, &self.rows)
    }

    /// Pixels at the right and at the bottom of a sheet that belong to no cell and that no spacing explains: as many
    /// as an offset or a gutter has are none.
    pub fn remainder(&self, sheet: Size) -> UVec2 {
        let rest = |axis: &Division, length: u32| {
            let taken = axis.offset + axis.covered + axis.gutter * (axis.count - 1);
            let left = length.saturating_sub(taken);
            if left == axis.offset || left == axis.gutter { 0 } else { left }
        };
        UVec2 { x: rest(&self.columns, sheet.width), y: rest(&self.rows, sheet.height) }
    }

    /// Empty pixels before and between cells.
    pub fn spacing(&self) -> Spacing {
        let pair = |axis: fn(&Division) -> u32| UVec2 { x: axis(&self.columns), y: axis(&self.rows) };
        let mut gutter = pair(|axis| axis.gutter);
        // One cell has no neighbor.
        gutter.x *= u32::from(self.columns.count > 1);
        gutter.y *= u32::from(self.rows.count > 1);
        Spacing { offset: pair(|axis| axis.offset), gutter }
    }

    /// Columns and rows.
    pub fn counts(&self) -> Counts {
        Counts { columns: self.columns.count, rows: self.rows.count }
    }

    /// How many cells.
    pub fn len(&self) -> u64 {
        u64::from(self.columns.count) * u64::from(self.rows.count)
    }

    /// Never: a grid has at least one cell.
    pub fn is_empty(&self) -> bool {
        false
    }

    /// The size of the first cell; with a shared-out remainder others differ by a pixel.
    pub fn cell_size(&self) -> Size {
        self.rect(Cell { row: 0, column: 0 }).size()
    }

    /// Whether all cells have one size.
    pub fn is_even(&self) -> bool {
        self.columns.covered.is_multiple_of(self.columns.count)
            && self.rows.covered.is_multiple_of(self.rows.count)
    }

    /// The pixels of a cell.
    ///
    /// # Panics
    /// If there is no such cell and its position would overflow 32 bits.
    pub fn rect(&self, cell: Cell) -> Rect {
        let (x, width) = self.columns.cell_range(cell.column);
        let (y, height) = self.rows.cell_range(cell.row);
        Rect::new(x, y, width, height)
    }
}

/// Counts into which a length can be cut evenly, the nearest to `near` first. `length` is without
/// gutters for `asked` cells, each gutter `gutter` px.
pub fn nearest_divisors(length: u32, asked: u32, gutter: u32) -> Vec<u32> {
    let whole = u64::from(length) + u64::from(gutter) * u64::from(asked.saturating_sub(1));
    let divides = |count: &u32| {
        let gutters = u64::from(gutter) * u64::from(count - 1);
        whole > gutters && (whole - gutters) % u64::from(*count) == 0
    };
    // Cells under 4 px aren't frames, and neither are those of thousands of columns.
    let most = (length / 4).clamp(1, 4096);
    let mut found: Vec<u32> = (2..=most).filter(divides).collect();
    found.sort_by_key(|&count| (count.abs_diff(asked), count));
    found
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn spacing(offset: u32, gutter: u32) -> Spacing {
        let pair = |n| UVec2 { x: n, y: n };
        Spacing { offset: pair(offset), gutter: pair(gutter) }
    }

    #[test]
    fn counts_that_do_not_divide_say_the_numbers() {
        let error = Grid::by_counts(Size::new(250, 30), Counts::new(7, 1).unwrap(), spacing(0, 0), false);
        assert_eq!(
            error.unwrap_err().to_string(),
            "250 px can't be cut into 7 equal columns (35.71 px each)"
        );
        assert_eq!(nearest_divisors(250, 7, 0)[..2], [5, 10]);
    }

    #[test]
    fn a_margin_or_gutter_after_the_last_cell_is_no_remainder() {
        for (width, offset, gutter) in
            [(4 + 8 * 32 + 4, 4, 0), (8 * 32 + 7 * 2, 0, 2), (8 * 34, 0, 2), (4 + 8 * 34 + 2, 4, 2)]
        {
            let sheet = Size::new(width, width);
            let by_counts =
                Grid::by_counts(sheet, Counts::new(8, 8).unwrap(), spacing(offset, gutter), false).unwrap();
            let by_cell = Grid::by_cell(sheet, Size::new(32, 32), spacing(offset, gutter)).unwrap();
            assert_eq!(by_counts, by_cell, "{width} {offset} {gutter}");
            let last = by_cell.rect(Cell { row: 7, column: 7 });
            assert_eq!((last.x, last.width), (offset + 7 * (32 + gutter), 32));
        }
    }

    #[test]
    fn what_does_not_fit_is_refused() {
        let sheet = Size::new(64, 64);
        let counts = |c| Grid::by_counts(sheet, Counts::new(c, 1).unwrap(), spacing(0, 0), true);
        assert!(matches!(counts(65), Err(CutError::TooMany { count: 65, length: 64, .. })));
        assert!(matches!(counts(u32::MAX), Err(CutError::TooMany { .. })));
        let cell = |c, o| Grid::by_cell(sheet, Size::new(c, c), spacing(o, 0));
        assert!(matches!(cell(65, 0), Err(CutError::CellTooLarge { .. })));
        assert!(matches!(cell(8, u32::MAX), Err(CutError::CellTooLarge { .. })));
        assert!(matches!(cell(24, 0), Err(CutError::LeftOver { fits: 2, left: 16, .. })));
        assert!(matches!(cell(0, 0), Err(CutError::NoCell { .. })));
        let none = Grid::by_counts(sheet, Counts { columns: 0, rows: 1 }, spacing(0, 0), true);
        assert!(matches!(none, Err(CutError::NoCell { .. })));
        let wide = Grid::by_cell(sheet, Size::new(64, 64), spacing(0, u32::MAX));
        assert!(wide.is_ok_and(|grid| grid.len() == 1));
        let both =
            |c, cell| Grid::by_both(sheet, Counts::new(c, 2).unwrap(), Size::new(cell, 16), spacing(3, 2));
        assert_eq!(both(3, 16).unwrap().rect(Cell { row: 1, column: 2 }), Rect::new(39, 21, 16, 16));
        assert!(matches!(both(4, 14), Err(CutError::Beyond { count: 4, cell: 14, length: 64, .. })));
        assert!(matches!(both(u32::MAX, u32::MAX), Err(CutError::Beyond { .. })));
        assert!(matches!(both(1, 0), Err(CutError::NoCell { .. })));
    }

    proptest! {
        #[test]
        fn cells_never_overlap_and_never_leave_the_sheet(
            width in 1u32..90, height in 1u32..90, columns in 1u32..12, rows in 1u32..12,
            offset in 0u32..5, gutter in 0u32..5,
        ) {
            let sheet = Size::new(width, height);
            let counts = Counts::new(columns, rows).unwrap();
            if let Ok(grid) = Grid::by_counts(sheet, counts, spacing(offset, gutter), true) {
                let cells: Vec<Rect> = (0..rows)
                    .flat_map(|row| (0..columns).map(move |column| Cell { row, column }))
                    .map(|cell| grid.rect(cell))
                    .collect();
                for (at, rect) in cells.iter().enumerate() {
                    prop_assert!(!rect.is_empty() && rect.lies_in(Rect::of(sheet)));
                    prop_assert!(cells[..at].iter().all(|other| !other.overlaps(*rect)));
                    prop_assert!(rect.width.abs_diff(cells[0].width) <= 1);
                }
            }
        }
    }
}
