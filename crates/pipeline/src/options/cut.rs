//! Where the frames are on a sheet, and what they are called.

use std::path::PathBuf;

use serde::{Deserialize, Serialize};
use shibori_core::cut::{BlankCells, CellChoice, Counts, CutError, Grid, IslandOptions, ReadOrder, Spacing};
use shibori_core::{Background, Name, NameTemplate, Selection, SignedRect, Size, UVec2};

use crate::options::OptionConflict;
use crate::options::contradiction::needs;
use crate::options::value::{Flag, keyword, path, text};

/// Where the frames are. Where nothing is said, the grid is found.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", command(next_help_heading = "Slice"))]
pub struct CutOptions {
    /// Number of columns x rows, such as 8x4
    #[cfg_attr(feature = "clap", arg(long, value_name = "CxR"))]
    #[serde(with = "text")]
    pub grid: Option<Counts>,
    /// Width x height of one cell in pixels (frame size, tile size), such as 32x48; with --grid, the grid need not fill the sheet
    #[cfg_attr(feature = "clap", arg(long, value_name = "WxH"))]
    #[serde(with = "text")]
    pub cell: Option<Size>,
    /// Use only this part of the sheet (region): x,y,width,height; offsets count from its corner
    #[cfg_attr(feature = "clap", arg(long, value_name = "X,Y,W,H", allow_hyphen_values = true))]
    #[serde(with = "text")]
    pub within: Option<SignedRect>,
    /// Empty pixels before the first cell (margin, border): across,down
    #[cfg_attr(feature = "clap", arg(long, value_name = "X,Y"))]
    #[serde(with = "text")]
    pub offset: Option<UVec2>,
    /// Empty pixels between cells (spacing, padding): across,down, or one number for both
    #[cfg_attr(feature = "clap", arg(long, value_name = "X,Y"))]
    #[serde(with = "text")]
    pub gutter: Option<UVec2>,
    /// Make each separate drawing a frame (split or auto-slice an irregular sheet)
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub islands: Flag,
    /// Join pieces up to PX empty pixels apart into one drawing [default: detected]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub join: Option<u32>,
    /// Ignore drawings with fewer pixels as specks [default: 16]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub min_area: Option<u32>,
    /// Take frames from the rectangles in a CSV file: name,x,y,w,h
    #[cfg_attr(feature = "clap", arg(long, value_name = "FILE"))]
    #[serde(with = "path")]
    pub rects: Option<PathBuf>,
    /// Take only the first N cells, counting blank ones
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub count: Option<u32>,
    /// Take only these frames, in this order: 0-7,9 or r2 or c1 or r2c0-5 or r0c2-r2c3 or 0-120/3 (rows r, columns c)
    #[cfg_attr(feature = "clap", arg(long, value_name = "SELECTION"))]
    #[serde(with = "text")]
    pub take: Option<Selection>,
    /// Order in which cells are read [default: across]
    #[cfg_attr(feature = "clap", arg(long, value_name = "WAY"))]
    #[serde(with = "keyword")]
    pub read: Option<ReadOrder>,
    /// What to do with blank cells [default: drop]
    #[cfg_attr(feature = "clap", arg(long, value_name = "WHAT"))]
    #[serde(with = "keyword")]
    pub blank: Option<BlankCells>,
    /// Distribute leftover pixels among the cells instead of stopping
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub uneven: Flag,
    /// Write only SHEET.json next to the sheet, no images
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub manifest_only: Flag,
    /// Sprite name [default: the file name]
    #[cfg_attr(feature = "clap", arg(long, value_name = "NAME"))]
    #[serde(with = "text")]
    pub sprite: Option<Name>,
    /// Frame names, built from {sheet} {folder} {sprite} {clip} {row} {col} and a number, such as {sheet}/{n:03}
    /// [default: {sprite}-{n:02}]
    #[cfg_attr(feature = "clap", arg(long, value_name = "TEMPLATE"))]
    #[serde(with = "text")]
    pub name: Option<NameTemplate>,
    /// Number of the first frame, for names [default: 0]
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub number_from: Option<u32>,
}

impl CutOptions {
    /// The options that say where frames are; one at the most makes sense.
    fn cut_methods(&self) -> impl Iterator<Item = &'static str> {
        let said = [
            (self.grid.is_some() || self.cell.is_some(), if self.grid.is_some() { "grid" } else { "cell" }),
            (self.islands.is_on(), "islands"),
            (self.rects.is_some(), "rects"),
        ];
        said.into_iter().filter(|(is_said, _)| *is_said).map(|(_, option)| option)
    }

    /// Whether anything says where the frames are.
    pub fn has_cut_method(&self) -> bool {
        self.cut_methods().next().is_some()
    }

    /// What can't be meant together.
    pub fn validate(&self) -> Result<(), OptionConflict> {
        let mut said = self.cut_methods();
        if let (Some(first), Some(second)) = (said.next(), said.next()) {
            return Err(OptionConflict::Both { first, second, what: "where the frames are" });
        }
        if self.uneven.is_on() && self.cell.is_some() {
            return Err(OptionConflict::Against {
                first: "uneven".to_owned(),
                second: "cell".to_owned(),
                why: ": a fixed cell size is always even",
            });
        }
        let is_grid = self.grid.is_some() || self.cell.is_some();
        let has_cells = !self.islands.is_on() && self.rects.is_none();
        needs(self.offset.is_some(), "offset", is_grid, "grid", None)?;
        needs(self.gutter.is_some(), "gutter", is_grid, "grid", None)?;
        needs(self.uneven.is_on(), "uneven", is_grid, "grid", None)?;
        needs(self.join.is_some(), "join", self.islands.is_on(), "islands", None)?;
        needs(self.min_area.is_some(), "min-area", self.islands.is_on(), "islands", None)?;
        needs(self.count.is_some(), "count", has_cells, "grid", None)?;
        needs(self.read.is_some(), "read", has_cells, "grid", None)?;
        needs(self.blank.is_some(), "blank", has_cells, "grid", None)?;
        needs(self.within.is_some(), "within", self.rects.is_none(), "grid", None)?;
        let has_numbers = self.name.is_some() || self.rects.is_none();
        needs(self.number_from.is_some(), "number-from", has_numbers, "name", None)
    }

    /// The grid for a sheet; `None` where nothing says it.
    pub fn grid_for(&self, sheet: Size) -> Result<Option<Grid>, CutError> {
        let spacing =
            Spacing { offset: self.offset.unwrap_or_default(), gutter: self.gutter.unwrap_or_default() };
        let uneven = self.uneven.is_on();
        match (self.grid, self.cell) {
            (Some(counts), Some(cell)) => Grid::by_both(sheet, counts, cell, spacing).map(Some),
            (Some(counts), None) => Grid::by_counts(sheet, counts, spacing, uneven).map(Some),
            (None, Some(cell)) => Grid::by_cell(sheet, cell, spacing).map(Some),
            (None, None) => Ok(None),
        }
    }

    /// The same options with this grid of a sheet (or of its part) instead of whatever says where the frames are.
    pub fn with_grid(&self, grid: &Grid, size: Size) -> Self {
        let Spacing { offset, gutter } = grid.spacing();
        let unless_zero = |pair: UVec2| (pair != UVec2::default()).then_some(pair);
        let leaves_rest = grid.remainder(size) != UVec2::default();
        let has_spacing = offset != UVec2::default() || gutter != UVec2::default();
        Self {
            grid: (!has_spacing || leaves_rest || !grid.is_even()).then(|| grid.counts()),
            cell: ((has_spacing || leaves_rest) && grid.is_even()).then(|| grid.cell_size()),
            offset: unless_zero(offset),
            gutter: unless_zero(gutter),
            uneven: if grid.is_even() { Flag::Unsaid } else { Flag::On },
            islands: Flag::Unsaid,
            join: None,
            min_area: None,
            rects: None,
            ..self.clone()
        }
    }

    /// The same options with separate drawings instead of whatever says where the frames are.
    pub fn with_islands(&self) -> Self {
        Self {
            grid: None,
            cell: None,
            offset: None,
            gutter: None,
            uneven: Flag::Unsaid,
            count: None,
            read: None,
            blank: None,
            rects: None,
            islands: Flag::On,
            ..self.clone()
        }
    }

    /// Which cells become frames, defaults filled in.
    pub fn cells(&self, background: Background) -> CellChoice {
        let (read, blank) = (self.read.unwrap_or_default(), self.blank.unwrap_or_default());
        CellChoice { count: self.count, read, blank, background }
    }

    /// Whether blank cells are frames.
    pub fn keeps_blank(&self) -> bool {
        self.blank == Some(BlankCells::Keep)
    }

    /// How separate drawings are separated, defaults filled in.
    pub fn island_options(&self) -> IslandOptions {
        let usual = IslandOptions::default();
        IslandOptions { join: self.join, min_area: self.min_area.unwrap_or(usual.min_area) }
    }

    /// The number of the first frame in names.
    pub fn number_from(&self) -> u32 {
        self.number_from.unwrap_or(0)
    }
}
