//! How large a page may be and becomes. Never decides where a frame lies.

use std::cmp::Reverse;

use crate::cut::{Counts, Spacing};
use crate::pack::rows::CellSlots;
use crate::pack::{MOST, PackError, PackSettings, PageGrid, PageScale, common_multiple, snap_for};
use crate::{Size, UVec2};

/// The limits and the rounding of page sizes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PageRules {
    /// No page is larger.
    pub max: Size,
    /// Make every page exactly this size.
    pub fixed: Option<Size>,
    /// What a page's sides are rounded up to.
    pub round: Rounding,
    /// Make pages square.
    pub square: bool,
}

impl Default for PageRules {
    /// Up to 4096x4096, not rounded.
    fn default() -> Self {
        Self { max: Size::new(4096, 4096), fixed: None, round: Rounding::None, square: false }
    }
}

/// What a length is rounded up to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Rounding {
    /// Nothing.
    #[default]
    None,
    /// The next power of two.
    Pow2,
    /// The next multiple.
    Multiple(u32),
}

impl Rounding {
    fn up(self, length: u32) -> u32 {
        let length = length.max(1);
        match self {
            Rounding::None => length,
            Rounding::Pow2 => length.checked_next_power_of_two().unwrap_or(u32::MAX),
            Rounding::Multiple(unit) => length.checked_next_multiple_of(unit.max(1)).unwrap_or(u32::MAX),
        }
    }

    /// The largest allowed length up to `limit`, if there is one.
    fn down(self, limit: u32) -> Option<u32> {
        let fitting = match self {
            Rounding::None => limit,
            Rounding::Pow2 => 1 << limit.checked_ilog2()?,
            Rounding::Multiple(unit) => limit - limit % unit.max(1),
        };
        (fitting > 0).then_some(fitting)
    }
}

impl PageRules {
    /// The largest page allowed.
    pub fn largest(&self) -> Size {
        let Size { width, height } = self.max;
        let (width, height) =
            if self.square { (width.min(height), width.min(height)) } else { (width, height) };
        let down = |side: u32| self.round.down(side).unwrap_or(side);
        self.fixed.unwrap_or(Size::new(down(width), down(height)))
    }

    /// The same rules for pages in whole steps.
    ///
    /// # Errors
    /// If no side within the limit is a multiple of the step.
    pub(super) fn on_step(&self, step: u32) -> Result<Self, PackError> {
        let round = match self.round {
            Rounding::None if step > 1 => Rounding::Multiple(step),
            Rounding::Multiple(unit) => Rounding::Multiple(common_multiple(unit, step)),
            // A power of two is a multiple of every smaller one, and of no other step.
            round => round,
        };
        Ok(Self { round, ..*self })
    }

    /// Rules for the unscaled page under which the page meets these rules at every scale.
    ///
    /// # Errors
    /// If no side within the limit is a multiple of the rounding, or a fixed size is split by a scale.
    pub(super) fn for_scales(&self, scales: &[PageScale]) -> Result<Self, PackError> {
        if let Some(page) = self.fixed {
            let is_split = |scale: &&PageScale| {
                let over = scale.ratio().denominator();
                !page.width.is_multiple_of(over) || !page.height.is_multiple_of(over)
            };
            return match scales.iter().find(is_split) {
                None => Ok(*self),
                Some(&scale) => {
                    let up = |side: u32| side.next_multiple_of(snap_for(scales));
                    let needs = Size::new(up(page.width), up(page.height));
                    Err(PackError::PageSplit { page, scale, needs })
                }
            };
        }
        // Pages that are not written as drawn need not be rounded as drawn.
        let is_written = scales.is_empty() || scales.contains(&PageScale::ONE);
        let round = if is_written { self.round } else { Rounding::None };
        let side = |max: u32| {
            let unscaled = |most: u32, scale: &PageScale| {
                let whole =
                    u64::from(most / scale.ratio().numerator()) * u64::from(scale.ratio().denominator());
                u32::try_from(whole).unwrap_or(u32::MAX)
            };
            let most = self.round.down(max)?;
            let drawn = scales.iter().map(|scale| unscaled(most, scale)).min().unwrap_or(most);
            round.down(drawn.min(MOST))
        };
        let Size { width, height } = self.max;
        let unit = if let Rounding::Multiple(unit) = self.round { unit } else { 1 };
        let (needs, scales) = (self.limit_for(u64::from(unit), scales), scales.len());
        let none = |max: u32| PackError::NothingToRoundTo { unit, max, scales, needs };
        let max =
            Size::new(side(width).ok_or_else(|| none(width))?, side(height).ok_or_else(|| none(height))?);
        Ok(Self { max, round, ..*self })
    }

    /// The smallest limit under which a page can have a side of this many pixels as drawn, at every scale.
    pub(super) fn limit_for(&self, side: u64, scales: &[PageScale]) -> u64 {
        let side = u32::try_from(side).unwrap_or(u32::MAX);
        if self.fixed.is_some() {
            return u64::from(side);
        }
        let is_written = scales.is_empty() || scales.contains(&PageScale::ONE);
        let drawn = if is_written { self.round.up(side) } else { side };
        let scaled = |scale: &PageScale| {
            let steps = u64::from(drawn).div_ceil(u64::from(scale.ratio().denominator()));
            let side = steps * u64::from(scale.ratio().numerator());
            u64::from(self.round.up(u32::try_from(side).unwrap_or(u32::MAX)))
        };
        scales.iter().map(scaled).max().unwrap_or(0).max(if is_written { u64::from(drawn) } else { 0 })
    }

    /// A page that was scaled to this size, rounded as these rules say.
    pub(super) fn rounded(&self, page: Size) -> Size {
        match self.fixed {
            Some(_) => page,
            None => Size::new(self.round.up(page.width), self.round.up(page.height)),
        }
    }

    /// What the largest page offers inside its margin.
    pub(super) fn usable_size(&self, margin: u32) -> Size {
        let Size { width, height } = self.largest();
        let inside = |length: u32| length.saturating_sub(margin.saturating_mul(2));
        Size::new(inside(width), inside(height))
    }

    /// The page that holds `used` pixels, its margin included.
    fn page_for(&self, used: Size) -> Size {
        let largest = self.largest();
        let up = |length, limit| self.round.up(length).min(limit);
        let side = used.width.max(used.height);
        let used = if self.square { Size::new(side, side) } else { used };
        self.fixed.unwrap_or(Size::new(up(used.width, largest.width), up(used.height, largest.height)))
    }

    /// Whether a page of this size could come out.
    pub(super) fn allows(&self, page: Size) -> bool {
        page.fits_in(self.largest()) && self.page_for(page) == page
    }

    /// These rules as an arrangement sees them.
    pub(super) fn fitting(&self, options: &PackSettings) -> PageSizer {
        let PackSettings { margin, gutter, step, .. } = *options;
        PageSizer { rules: *self, margin, gutter, step }
    }
}

/// Page sizes as an arrangement sees them: counted in steps, and its pieces bring their gutter on the right and below, so
/// the last gutter may hang over the edge.
#[derive(Clone, Copy, Debug)]
pub(super) struct PageSizer {
    rules: PageRules,
    margin: u32,
    gutter: u32,
    step: u32,
}

impl PageSizer {
    /// The room on the largest page, in steps.
    pub(super) fn room(&self) -> Size {
        self.room_of(self.rules.largest())
    }

    /// The room on a page of this size, in steps.
    pub(super) fn room_of(&self, page: Size) -> Size {
        let inside = |length: u32| ((length + self.gutter).saturating_sub(2 * self.margin)) / self.step;
        Size::new(inside(page.width), inside(page.height))
    }

    /// The page for pieces that together take so many steps.
    pub(super) fn page_for(&self, used: Size) -> Size {
        let side = |steps: u32| (steps * self.step).saturating_sub(self.gutter) + 2 * self.margin;
        self.rules.page_for(Size::new(side(used.width), side(used.height)))
    }

    /// The same for pages filled sideways.
    pub(super) fn rotated(&self) -> Self {
        let PageRules { max, fixed, .. } = self.rules;
        let rules = PageRules { max: max.rotated(), fixed: fixed.map(Size::rotated), ..self.rules };
        Self { rules, ..*self }
    }

    /// Whether all pages have one size.
    pub(super) fn is_fixed(&self) -> bool {
        self.rules.fixed.is_some()
    }

    /// Whether pages are as wide as high.
    pub(super) fn is_square(&self) -> bool {
        self.rules.square
    }

    /// Rooms of pages of rounded sizes that are better than `page` and hold `area`, in steps: the next smaller first, of one
    /// area the squarest. Where nothing is rounded, or so finely that it hardly matters, none.
    pub(super) fn smaller_rooms(&self, page: Size, area: u64) -> Vec<Size> {
        let largest = self.rules.largest();
        let sides = |limit: u32| -> Vec<u32> {
            match self.rules.round {
                Rounding::Pow2 => (0..=limit.ilog2()).map(|bits| 1 << bits).collect(),
                Rounding::Multiple(unit @ 32..) => (1..=limit / unit).map(|times| times * unit).collect(),
                _ => Vec::new(),
            }
        };
        let (widths, heights) = (sides(largest.width), sides(largest.height));
        let with_width = |width: u32| heights.iter().map(move |&height| Size::new(width, height));
        let key = |size: &Size| (size.area(), size.width.max(size.height));
        let is_wanted = |size: &Size| {
            let is_handy = size.width.max(size.height) / size.width.min(size.height) <= 8;
            let is_allowed = !self.rules.square || size.is_square();
            is_handy && is_allowed && key(size) < key(&page) && self.room_of(*size).area() >= area
        };
        let all = widths.into_iter().flat_map(with_width);
        let mut sizes: Vec<Size> = all.filter(is_wanted).collect();
        sizes.sort_by_key(|size| (Reverse(size.area()), size.width.max(size.height), size.height));
        sizes.into_iter().map(|size| self.room_of(size)).collect()
    }

    /// The whole width, in steps, that the page has anyway when pieces take `width`: rounding up leaves room.
    pub(super) fn width_with_rounding(&self, width: u32) -> u32 {
        let page = self.page_for(Size::new(width, 1));
        self.room_of(page).width.min(self.room().width)
    }
}

/// Cells of one size in lines, split over pages between lines.
pub(super) struct CellRows {
    /// The size of a cell with its bleed.
    cell: Size,
    /// Pixels from one cell to the next.
    pitch: Size,
    margin: u32,
    bleed: u32,
    columns: u32,
    lines: u32,
    lines_a_page: u32,
    rules: PageRules,
}

impl CellRows {
    pub(super) fn new(
        cell: Size,
        slots: &CellSlots,
        asked: &PackSettings,
        options: &PackSettings,
    ) -> Result<Self, PackError> {
        let PackSettings { pages, margin, gutter, bleed, step, .. } = *options;
        let room = pages.usable_size(margin);
        let pitch = |length: u32| (length + gutter).next_multiple_of(step);
        let pitch = Size::new(pitch(cell.width), pitch(cell.height));
        let fit =
            |room: u32, cell: u32, pitch: u32| room.checked_sub(cell).map_or(0, |rest| rest / pitch + 1);
        let fits = fit(room.width, cell.width, pitch.width);
        let (mut columns, mut lines) = (slots.columns(cell), slots.lines(cell));
        if columns > fits {
            if !slots.may_wrap {
                let what = slots.what.clone();
                let row =
                    u64::from(columns.saturating_sub(1)) * u64::from(pitch.width) + u64::from(cell.width);
                let needs = |length: u64| {
                    let side = asked.pages.limit_for(length + 2 * u64::from(margin), &asked.scales);
                    u32::try_from(side).unwrap_or(u32::MAX)
                };
                let needs = Size::new(needs(row), needs(u64::from(cell.height)));
                let (columns, fits, page) = (columns as usize, fits as usize, pages.largest());
                let is_fixed = pages.fixed.is_some();
                return Err(PackError::RowTooLong { what, columns, cell, page, fits, needs, is_fixed });
            }
            columns = fits;
            lines = (slots.of_frames.len() as u32).div_ceil(columns);
        }
        let lines_a_page = fit(room.height, cell.height, pitch.height).max(1);
        Ok(Self { cell, pitch, margin, bleed, columns, lines, lines_a_page, rules: pages })
    }

    /// The page of a slot and the cell's top left there. A slot's `x` may run beyond the columns:
    /// it wraps.
    pub(super) fn corner(&self, slot: UVec2) -> (usize, UVec2) {
        let (column, line) = (slot.x % self.columns, slot.y + slot.x / self.columns);
        let at = |index: u32, pitch: u32| self.margin + index * pitch;
        let corner =
            UVec2 { x: at(column, self.pitch.width), y: at(line % self.lines_a_page, self.pitch.height) };
        ((line / self.lines_a_page) as usize, corner)
    }

    /// The size and the cells of each page.
    pub(super) fn pages(&self) -> Vec<(Size, Option<PageGrid>)> {
        let length =
            |count: u32, cell: u32, pitch: u32| count.saturating_sub(1) * pitch + cell + 2 * self.margin;
        let pages = self.lines.div_ceil(self.lines_a_page);
        let lines_on = |page: u32| self.lines_a_page.min(self.lines - page * self.lines_a_page);
        let size = |page| {
            let (cell, pitch) = (self.cell, self.pitch);
            Size::new(
                length(self.columns, cell.width, pitch.width),
                length(lines_on(page), cell.height, pitch.height),
            )
        };
        // What a tile importer types: the frames' own cells.
        let inner = |side: u32| side - 2 * self.bleed;
        let cell = Size::new(inner(self.cell.width), inner(self.cell.height));
        let offset = self.margin + self.bleed;
        let spacing = Spacing {
            offset: UVec2 { x: offset, y: offset },
            gutter: UVec2 { x: self.pitch.width - cell.width, y: self.pitch.height - cell.height },
        };
        let grid = |page| {
            let counts = Counts { columns: self.columns, rows: lines_on(page) };
            PageGrid { counts, cell, spacing }
        };
        (0..pages).map(|page| (self.rules.page_for(size(page)), Some(grid(page)))).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rounding_goes_up_to_what_the_limit_allows() {
        let rules = |round| PageRules { max: Size::new(1000, 300), fixed: None, round, square: false };
        assert_eq!(rules(Rounding::Pow2).largest(), Size::new(512, 256));
        assert_eq!(rules(Rounding::Multiple(64)).largest(), Size::new(960, 256));
        assert_eq!(rules(Rounding::Pow2).page_for(Size::new(33, 1)), Size::new(64, 1));
        assert_eq!(rules(Rounding::Multiple(4)).page_for(Size::new(33, 300)), Size::new(36, 300));
        assert_eq!(rules(Rounding::None).page_for(Size::new(33, 0)), Size::new(33, 1));
    }
}
