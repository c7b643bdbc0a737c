//! Measurements of a sheet that finding its grid, its drawings and its background share, each computed once, when it is first
//! needed.

use std::sync::{Arc, OnceLock};

use crate::background::{Background, find_background};
use crate::components::{Components, label_mask};
use crate::cut::infer::{RuledGrid, ruled_grid};
use crate::cut::islands::{FARTHEST, component_gaps};
use crate::cut::occupancy::Occupancy;
use crate::{Pixels, Size};

/// A sheet and what has been measured on it.
#[derive(Debug)]
pub struct SheetAnalysis {
    pixels: Pixels,
    ruled: OnceLock<Option<RuledGrid>>,
    background: OnceLock<Background>,
    occupancy: OnceLock<Occupancy>,
    components: OnceLock<Arc<Components>>,
    gaps: OnceLock<Vec<Gap>>,
}

/// Two pieces and the number of empty pixels between them: gap, piece, piece.
pub(super) type Gap = (u32, u32, u32);

impl SheetAnalysis {
    /// A sheet of which nothing is known yet. The pixels are shared, not copied.
    pub fn of(pixels: &Pixels) -> Self {
        Self {
            pixels: pixels.clone(),
            ruled: OnceLock::new(),
            background: OnceLock::new(),
            occupancy: OnceLock::new(),
            components: OnceLock::new(),
            gaps: OnceLock::new(),
        }
    }

    /// A sheet whose background is known.
    pub fn with_background(pixels: &Pixels, background: Background) -> Self {
        Self { background: background.into(), ..Self::of(pixels) }
    }

    /// The sheet.
    pub fn pixels(&self) -> &Pixels {
        &self.pixels
    }

    /// The sheet's size.
    pub fn size(&self) -> Size {
        self.pixels.size()
    }

    /// What is behind the drawings: of a ruled sheet, behind those in its cells.
    pub fn background(&self) -> Background {
        let find = || self.ruled().map_or_else(|| find_background(&self.pixels), |ruled| ruled.background);
        *self.background.get_or_init(find)
    }

    /// The grid drawn by lines, if there is one.
    pub fn ruled(&self) -> Option<RuledGrid> {
        *self.ruled.get_or_init(|| ruled_grid(&self.pixels))
    }

    /// Where anything is drawn.
    pub(super) fn occupancy(&self) -> &Occupancy {
        self.occupancy.get_or_init(|| match self.background() {
            // Called for every pixel: on a clear background only alpha matters.
            Background::Clear => Occupancy::of(&self.pixels, |pixel| pixel[3] > 0),
            background => Occupancy::of(&self.pixels, |pixel| background.is_content(pixel)),
        })
    }

    /// The connected pieces.
    pub(super) fn components(&self) -> &Arc<Components> {
        self.components.get_or_init(|| Arc::new(label_mask(&self.occupancy().mask(), self.size())))
    }

    /// Pieces that are near each other, up to [`FARTHEST`] empty pixels apart, the nearest first.
    pub(super) fn gaps(&self) -> &[Gap] {
        self.gaps.get_or_init(|| component_gaps(&self.components().labels, self.size(), FARTHEST))
    }
}
