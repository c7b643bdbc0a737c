//! A solid sheet in a clear rim: the rim is the offset, and what it encloses is judged on its own.
//!
//! Looks at transparency only, and leaves finding the grid to others.

use crate::background::Background;
use crate::cut::Grid;
use crate::cut::grid::Division;
use crate::cut::infer::GridDetection;
use crate::cut::infer::candidates::WIDEST;
use crate::{Pixels, Rect, Size};

/// What a clear rim of some pixels encloses, where that has no transparent pixel of its own.
pub(super) fn inside(sheet: &Pixels, background: Background) -> Option<Rect> {
    let content = (background == Background::Clear).then(|| sheet.content_bounds(0)).flatten()?;
    let Size { width, height } = sheet.size();
    let is_rim = content.x <= WIDEST
        && content.y <= WIDEST
        && width - content.width <= 2 * WIDEST
        && height - content.height <= 2 * WIDEST
        && content.size() != sheet.size();
    let is_solid = |part: &Pixels| part.rows().all(|row| row.chunks_exact(4).all(|pixel| pixel[3] == 255));
    (is_rim && sheet.crop(content).as_ref().is_some_and(is_solid)).then_some(content)
}

/// The grids of what is inside as grids of the whole sheet; `None` where the best can't be expressed by an offset.
pub(super) fn with_rim(mut found: GridDetection, inner: Rect, sheet: Size) -> Option<GridDetection> {
    let moved = |axis: &Division, by: u32| Division { offset: axis.offset + by, ..*axis };
    for candidate in &mut found.candidates {
        let (columns, rows) = candidate.grid.axes();
        candidate.grid = Grid::of_axes(moved(columns, inner.x), moved(rows, inner.y));
    }
    let can_be_told = |grid: &Grid| {
        let again = Grid::by_cell(sheet, grid.cell_size(), grid.spacing());
        again.is_ok_and(|again| again.counts() == grid.counts())
    };
    let best = found.candidates.first()?.grid;
    found.candidates.retain(|candidate| can_be_told(&candidate.grid));
    (found.candidates.first()?.grid == best).then_some(found)
}
