//! Where the frames are on a sheet.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use serde::Deserialize;
use shibori_core::clean::Ground;
use shibori_core::cut::{Blank, Choice, Counts, CutError, Grid, Read, Spacing};
use shibori_core::{NameTemplate, Pair, Selection, Size};

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
    #[arg(long, value_name = "WxH")]
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
    /// Each separate drawing is a frame
    #[arg(long)]
    pub(crate) islands: bool,
    /// Pieces with at most PX empty pixels between them are one drawing [default: found]
    #[arg(long, value_name = "PX")]
    #[serde(deserialize_with = "text")]
    pub(crate) join: Option<u32>,
    /// Drawings of fewer pixels are specks and no frames [default: 16]
    #[arg(long, value_name = "PX")]
    #[serde(deserialize_with = "text")]
    pub(crate) min_area: Option<u32>,
    /// Frames at the places listed in a CSV file: name,x,y,w,h
    #[arg(long, value_name = "FILE")]
    #[serde(deserialize_with = "text")]
    pub(crate) rects: Option<PathBuf>,
    /// Only the first N cells, blank ones counted
    #[arg(long, value_name = "N")]
    #[serde(deserialize_with = "text")]
    pub(crate) count: Option<u32>,
    /// Only these frames, in this order: 0-7,9 or r2 or r2c0-5 or 0-120/3
    #[arg(long, value_name = "SELECTION")]
    #[serde(deserialize_with = "text")]
    pub(crate) take: Option<Selection>,
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
    /// The options that say where frames are, as typed; one at the most makes sense.
    pub(crate) fn said_where(&self) -> Vec<&'static str> {
        let said = [
            (self.grid.is_some(), "--grid"),
            (self.cell.is_some(), "--cell"),
            (self.islands, "--islands"),
            (self.rects.is_some(), "--rects"),
        ];
        said.into_iter().filter(|(is_said, _)| *is_said).map(|(_, option)| option).collect()
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

    pub(crate) fn choice(&self, ground: Ground) -> Choice {
        let read = match self.read {
            ReadArg::Across => Read::Across,
            ReadArg::Down => Read::Down,
        };
        let blank = match self.blank {
            BlankArg::Drop => Blank::Drop,
            BlankArg::Keep => Blank::Keep,
        };
        Choice { count: self.count, read, blank, ground }
    }
}
