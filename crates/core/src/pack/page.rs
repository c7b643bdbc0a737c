//! How large a page may be and becomes. Never decides where a frame lies.

use crate::pack::rows::Slots;
use crate::pack::{Options, PackError};
use crate::{Pair, Size};

/// The limits and the rounding of page sizes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PageRules {
    /// No page is larger.
    pub max: Size,
    /// Every page has exactly this size.
    pub fixed: Option<Size>,
    /// What a page's sides are rounded up to.
    pub round: Round,
}

/// What a length is rounded up to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Round {
    /// Nothing.
    #[default]
    None,
    /// The next power of two.
    Pow2,
    /// The next multiple.
    Multiple(u32),
}

impl Round {
    fn up(self, length: u32) -> u32 {
        let length = length.max(1);
        match self {
            Round::None => length,
            Round::Pow2 => length.checked_next_power_of_two().unwrap_or(u32::MAX),
            Round::Multiple(unit) => length.checked_next_multiple_of(unit.max(1)).unwrap_or(u32::MAX),
        }
    }

    /// The largest allowed length up to `limit`; `limit` itself where none is that small.
    fn down(self, limit: u32) -> u32 {
        let fitting = match self {
            Round::None => limit,
            Round::Pow2 => 1 << limit.max(1).ilog2(),
            Round::Multiple(unit) => limit - limit % unit.max(1),
        };
        if fitting == 0 { limit } else { fitting }
    }
}

impl PageRules {
    /// The largest page allowed.
    pub fn largest(&self) -> Size {
        self.fixed.unwrap_or(Size::new(self.round.down(self.max.width), self.round.down(self.max.height)))
    }

    /// What the largest page offers inside its margin.
    pub(super) fn room(&self, margin: u32) -> Size {
        let Size { width, height } = self.largest();
        let inside = |length: u32| length.saturating_sub(margin.saturating_mul(2));
        Size::new(inside(width), inside(height))
    }

    /// The page that holds `used` pixels, its margin included.
    fn page_for(&self, used: Size) -> Size {
        let largest = self.largest();
        let up = |length, limit| self.round.up(length).min(limit);
        self.fixed.unwrap_or(Size::new(up(used.width, largest.width), up(used.height, largest.height)))
    }

    pub(super) fn fitting(&self, margin: u32, gutter: u32) -> Fitting {
        Fitting { rules: *self, margin, gutter }
    }
}

/// Page sizes as an arrangement sees them: its pieces bring their gutter on the right and below, so
/// the last gutter may hang over the edge.
#[derive(Clone, Copy, Debug)]
pub(super) struct Fitting {
    rules: PageRules,
    margin: u32,
    gutter: u32,
}

impl Fitting {
    /// The room on the largest page.
    pub(super) fn room(&self) -> Size {
        let Size { width, height } = self.rules.room(self.margin);
        Size::new(width + self.gutter, height + self.gutter)
    }

    /// The page for pieces that together take `used`.
    pub(super) fn page_for(&self, used: Size) -> Size {
        let side = |length: u32| length.saturating_sub(self.gutter) + 2 * self.margin;
        self.rules.page_for(Size::new(side(used.width), side(used.height)))
    }

    /// The whole width that the page has anyway when pieces take `width`: rounding up leaves room.
    pub(super) fn width_with_rounding(&self, width: u32) -> u32 {
        let page = self.page_for(Size::new(width, 1)).width;
        (page.saturating_sub(2 * self.margin) + self.gutter).min(self.room().width)
    }
}

/// Cells of one size in lines, split over pages between lines.
pub(super) struct Lines {
    cell: Size,
    margin: u32,
    gutter: u32,
    columns: u32,
    lines: u32,
    lines_a_page: u32,
    rules: PageRules,
}

impl Lines {
    pub(super) fn new(cell: Size, slots: &Slots, options: &Options) -> Result<Self, PackError> {
        let Options { pages, margin, gutter, .. } = *options;
        let room = pages.room(margin);
        let fit = |room: u32, cell: u32| (room + gutter) / (cell + gutter);
        let fits = fit(room.width, cell.width);
        let (mut columns, mut lines) = (slots.columns(cell), slots.lines(cell));
        if columns > fits {
            if !slots.may_wrap {
                let what = slots.what.clone();
                let (columns, fits, page) = (columns as usize, fits as usize, pages.largest());
                return Err(PackError::RowTooLong { what, columns, cell, page, fits });
            }
            columns = fits;
            lines = (slots.of_frames.len() as u32).div_ceil(columns);
        }
        let lines_a_page = fit(room.height, cell.height).max(1);
        Ok(Self { cell, margin, gutter, columns, lines, lines_a_page, rules: pages })
    }

    /// The page of a slot and the cell's top left there. A slot's `x` may run beyond the columns:
    /// it wraps.
    pub(super) fn corner(&self, slot: Pair) -> (usize, Pair) {
        let (column, line) = (slot.x % self.columns, slot.y + slot.x / self.columns);
        let at = |index: u32, length: u32| self.margin + index * (length + self.gutter);
        let corner =
            Pair { x: at(column, self.cell.width), y: at(line % self.lines_a_page, self.cell.height) };
        ((line / self.lines_a_page) as usize, corner)
    }

    pub(super) fn pages(&self) -> Vec<Size> {
        let length = |count: u32, cell: u32| count * (cell + self.gutter) - self.gutter + 2 * self.margin;
        let pages = self.lines.div_ceil(self.lines_a_page);
        let lines_on = |page: u32| self.lines_a_page.min(self.lines - page * self.lines_a_page);
        let size =
            |page| Size::new(length(self.columns, self.cell.width), length(lines_on(page), self.cell.height));
        (0..pages).map(|page| self.rules.page_for(size(page))).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rounding_goes_up_to_what_the_limit_allows() {
        let rules = |round| PageRules { max: Size::new(1000, 300), fixed: None, round };
        assert_eq!(rules(Round::Pow2).largest(), Size::new(512, 256));
        assert_eq!(rules(Round::Multiple(64)).largest(), Size::new(960, 256));
        assert_eq!(rules(Round::Pow2).page_for(Size::new(33, 1)), Size::new(64, 1));
        assert_eq!(rules(Round::Multiple(4)).page_for(Size::new(33, 300)), Size::new(36, 300));
        assert_eq!(rules(Round::None).page_for(Size::new(33, 0)), Size::new(33, 1));
    }
}
