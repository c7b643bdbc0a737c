//! Where the frames are on a sheet.

use clap::{Args, ValueEnum};
use serde::Deserialize;
use shibori_core::cut::{Blank, Choice, Counts, CutError, Grid, Read, Spacing};
use shibori_core::{NameTemplate, Pair, Size};

use crate::args::value::text;

#[derive(Args, Clone, Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[command(next_help_heading = "Where the frames are")]
pub(crate) struct CutArgs {
    /// Columns x rows, such as 8x4
    #[arg(long, value_name = "CxR")]
    #[serde(deserialize_with = "text")]
    pub(crate) grid: Option<Counts>,
    /// Width x height of one cell in pixels, such as 32x48
    #[arg(long, value_name = "WxH", conflicts_with = "grid")]
    #[serde(deserialize_with = "text")]
    pub(crate) cell: Option<Size>,
    /// Empty pixels before the first cell: across, down
    #[arg(long, value_name = "X,Y")]
    #[serde(deserialize_with = "text")]
    pub(crate) offset: Option<Pair>,
    /// Empty pixels between cells: across, down
    #[arg(long, value_name = "X,Y")]
    #[serde(deserialize_with = "text")]
    pub(crate) gutter: Option<Pair>,
    /// Only the first N cells, blank ones counted
    #[arg(long, value_name = "N")]
    #[serde(deserialize_with = "text")]
    pub(crate) count: Option<u32>,
    /// The order in which cells are read
    #[arg(long, value_name = "WAY", default_value = "across")]
    pub(crate) read: ReadArg,
    /// What becomes of blank cells
    #[arg(long, value_name = "WHAT", default_value = "drop")]
    pub(crate) blank: BlankArg,
    /// Share out a remainder over the cells instead of refusing
    #[arg(long)]
    pub(crate) uneven: bool,
    /// Write SHEET.json beside the sheet and no image at all
    #[arg(long)]
    pub(crate) manifest_only: bool,
    /// Names of frames, with {sheet} {sprite} {clip} {row} {col} and a number, such as {sheet}/{n:03}
    /// [default: {sprite}-{n:02}]
    #[arg(long, value_name = "TEMPLATE")]
    #[serde(deserialize_with = "text")]
    pub(crate) name: Option<NameTemplate>,
    /// The number of the first frame in names
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) number_from: u32,
}

#[derive(Clone, Copy, Debug, Default, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum ReadArg {
    /// Row by row
    #[default]
    Across,
    /// Column by column
    Down,
}

#[derive(Clone, Copy, Debug, Default, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum BlankArg {
    /// No frame
    #[default]
    Drop,
    /// A blank frame
    Keep,
}

impl CutArgs {
    /// Whether anything was said about where frames are.
    pub(crate) fn says_where(&self) -> bool {
        self.grid.is_some() || self.cell.is_some()
    }

    /// The grid for a sheet; `None` where nothing says where frames are.
    pub(crate) fn grid_for(&self, sheet: Size) -> Result<Option<Grid>, CutError> {
        let spacing =
            Spacing { offset: self.offset.unwrap_or_default(), gutter: self.gutter.unwrap_or_default() };
        match (self.grid, self.cell) {
            (Some(counts), _) => Grid::by_counts(sheet, counts, spacing, self.uneven).map(Some),
            (None, Some(cell)) => Grid::by_cell(sheet, cell, spacing, self.uneven).map(Some),
            (None, None) => Ok(None),
        }
    }

    pub(crate) fn choice(&self) -> Choice {
        let read = match self.read {
            ReadArg::Across => Read::Across,
            ReadArg::Down => Read::Down,
        };
        let blank = match self.blank {
            BlankArg::Drop => Blank::Drop,
            BlankArg::Keep => Blank::Keep,
        };
        Choice { count: self.count, read, blank }
    }
}
