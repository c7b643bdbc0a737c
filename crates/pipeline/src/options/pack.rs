//! Frames on pages.

use std::path::PathBuf;

use serde::{Deserialize, Serialize};
use shibori_core::pack::{
    DenseOptions, Effort, Layout, PackSettings, PagePer, PageRules, PageScale, PageSide, PreviousPlacements,
    Rounding, RowOrder,
};
use shibori_core::{NameTemplate, Selection, Size};

use crate::options::OptionConflict;
use crate::options::contradiction::needs;
use crate::options::value::{BoundedInt, Flag, keyword, path, text};

/// The sides of a page where nothing is said.
pub const PAGE_MAX: u32 = 4096;

/// Which frames are packed, and under which names.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", command(next_help_heading = "Pack"))]
pub struct PickOptions {
    /// Take only these frames, in this order: 0-7,9 or koi:0-3 or 0-120/3
    #[cfg_attr(feature = "clap", arg(long, value_name = "SELECTION"))]
    #[serde(with = "text")]
    pub take: Option<Selection>,
    /// Frame names, built from {sheet} {folder} {sprite} {clip} {row} {col} and a number, such as {folder}-{n:02};
    /// with {folder}, sprites of the same name from different folders stay separate [default: unchanged]
    #[cfg_attr(feature = "clap", arg(long, value_name = "TEMPLATE"))]
    #[serde(with = "text")]
    pub name: Option<NameTemplate>,
}

/// How frames are arranged. Where nothing is said, as close together as they go.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", command(next_help_heading = "Pack"))]
pub struct ArrangeOptions {
    /// How frames are arranged [default: dense]
    #[cfg_attr(feature = "clap", arg(long, value_name = "LAYOUT"))]
    #[serde(with = "keyword")]
    pub layout: Option<LayoutName>,
    /// Number of grid columns [default: for a nearly square page]
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub columns: Option<BoundedInt<1, 65_536>>,
    /// Store mirrored (flipped) steps as separate images, for games that can't flip; all layouts except dense always do
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub draw_mirrored: Flag,
    /// Clips in order for clip-rows, with - for a blank row, such as sit,leap,-,dive
    #[cfg_attr(feature = "clap", arg(long, value_name = "A,B,-,C", allow_hyphen_values = true))]
    #[serde(with = "text")]
    pub row_order: Option<RowOrder>,
    /// Maximum page (texture) size: N or WxH pixels [default: 4096]
    #[cfg_attr(feature = "clap", arg(long, value_name = "N|WxH"))]
    #[serde(with = "text")]
    pub page_max: Option<PageSide>,
    /// Make every page exactly this size
    #[cfg_attr(feature = "clap", arg(long, value_name = "WxH"))]
    #[serde(with = "text")]
    pub page_size: Option<Size>,
    /// Round page sides up: none, pow2 (power of two), or a multiple such as 4 [default: none]
    #[cfg_attr(feature = "clap", arg(long, value_name = "none|pow2|N"))]
    #[serde(with = "text")]
    pub page_round: Option<Rounding>,
    /// Make pages square
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub page_square: Flag,
    /// Give each clip or sprite its own pages and files
    #[cfg_attr(feature = "clap", arg(long, value_name = "WHAT"))]
    #[serde(with = "keyword")]
    pub page_per: Option<PagePer>,
    /// Empty pixels around the page (border padding) [default: 1 for dense, else 0]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub margin: Option<BoundedInt<0, 1024>>,
    /// Empty pixels between frames (padding, spacing) [default: 2 for dense, else 0]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub gutter: Option<BoundedInt<0, 1024>>,
    /// Repeat a frame's edge pixels outward, including alpha (extrude), for tiles and backgrounds that fill their
    /// frame; other frames need only the color spread they get by default [default: 0]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub bleed: Option<BoundedInt<0, 256>>,
    /// Allow frames to be rotated by 90 degrees if that makes the page smaller (rotate)
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub allow_rotation: Flag,
    /// Give identical frames separate places (no deduplication, no aliases)
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub no_share: Flag,
    /// How hard to search for a smaller dense page; results are the same on every machine [default: medium]
    #[cfg_attr(feature = "clap", arg(long, value_name = "EFFORT"))]
    #[serde(with = "keyword")]
    pub effort: Option<Effort>,
    /// Start each frame and its bleed on a multiple of N pixels at every scale, so that frames never share a block of a
    /// compressed texture; page sides become multiples too [default: 1]
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub place_step: Option<BoundedInt<1, 256>>,
    /// Keep frames where they are in an earlier atlas, so that small changes to the art make small changes to the page;
    /// new ones fill gaps, enlarge the page, or go on a new page
    #[cfg_attr(feature = "clap", arg(long, value_name = "OLD.json"))]
    #[serde(with = "path")]
    pub keep_places: Option<PathBuf>,
    /// With --keep-places: pack from scratch whenever that makes the pages more than this many percent smaller
    #[cfg_attr(feature = "clap", arg(long, value_name = "PERCENT"))]
    #[serde(with = "text")]
    pub repack_over: Option<BoundedInt<1, 99>>,
}

/// How frames are arranged.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
#[serde(rename_all = "kebab-case")]
pub enum LayoutName {
    /// As tightly as possible
    Dense,
    /// Equal cells in frame order: position equals index
    Grid,
    /// One row per clip
    ClipRows,
    /// A single-row grid
    Strip,
}

impl ArrangeOptions {
    /// How frames are arranged, default filled in.
    pub fn layout(&self) -> LayoutName {
        self.layout.unwrap_or(LayoutName::Dense)
    }

    fn is_dense(&self) -> bool {
        self.layout() == LayoutName::Dense
    }

    /// Whether mirrored steps get pictures of their own.
    pub fn draws_mirrored(&self) -> bool {
        self.draw_mirrored.is_on() || !self.is_dense()
    }

    /// What core needs to know, defaults filled in. `scales` are the sizes in which pages are written, `old` the places that
    /// are to be kept.
    pub fn options(&self, scales: Vec<PageScale>, old: Option<PreviousPlacements>) -> PackSettings {
        let layout = match self.layout() {
            LayoutName::Dense => Layout::Dense(DenseOptions {
                effort: self.effort.unwrap_or_default(),
                share: !self.no_share.is_on(),
                may_rotate: self.allow_rotation.is_on(),
                keep: old,
                most_waste: self.repack_over.map(|percent| f64::from(percent.get()) / 100.0),
            }),
            LayoutName::Grid => Layout::Grid { columns: self.columns.map(BoundedInt::get) },
            LayoutName::Strip => Layout::Strip,
            LayoutName::ClipRows => {
                Layout::ClipRows { order: self.row_order.clone().map(|RowOrder(rows)| rows) }
            }
        };
        let max = self.page_max.map_or(Size::new(PAGE_MAX, PAGE_MAX), PageSide::size);
        let round = self.page_round.unwrap_or_default();
        let pixels = |said: Option<u32>, dense: u32| said.unwrap_or(if self.is_dense() { dense } else { 0 });
        PackSettings {
            layout,
            pages: PageRules { max, fixed: self.page_size, round, square: self.page_square.is_on() },
            margin: pixels(self.margin.map(BoundedInt::get), 1),
            gutter: pixels(self.gutter.map(BoundedInt::get), 2),
            bleed: self.bleed.map_or(0, BoundedInt::get),
            per: self.page_per.unwrap_or_default(),
            step: self.place_step.map_or(1, BoundedInt::get),
            scales,
        }
    }

    /// What can't be meant together, so that nothing is silently passed over.
    pub fn validate(&self) -> Result<(), OptionConflict> {
        let is = |layout: LayoutName| self.layout() == layout;
        needs(self.columns.is_some(), "columns", is(LayoutName::Grid), "layout", Some("grid"))?;
        needs(self.row_order.is_some(), "row-order", is(LayoutName::ClipRows), "layout", Some("clip-rows"))?;
        needs(self.allow_rotation.is_on(), "allow-rotation", self.is_dense(), "layout", Some("dense"))?;
        needs(self.keep_places.is_some(), "keep-places", self.is_dense(), "layout", Some("dense"))?;
        needs(self.repack_over.is_some(), "repack-over", self.keep_places.is_some(), "keep-places", None)?;
        needs(self.draw_mirrored.is_on(), "draw-mirrored", self.is_dense(), "layout", Some("dense"))?;
        needs(self.effort.is_some(), "effort", self.is_dense(), "layout", Some("dense"))?;
        needs(self.no_share.is_on(), "no-share", self.is_dense(), "layout", Some("dense"))?;
        if self.page_size.is_some() {
            let what = "the page size";
            for (is_said, first) in
                [(self.page_max.is_some(), "page-max"), (self.page_round.is_some(), "page-round")]
            {
                if is_said {
                    return Err(OptionConflict::Both { first, second: "page-size", what });
                }
            }
        }
        if self.keep_places.is_some() && self.page_per.is_some() {
            return Err(OptionConflict::Against {
                first: "keep-places".to_owned(),
                second: "page-per".to_owned(),
                why: ": each clip or sprite then has its own pages",
            });
        }
        match self.page_size {
            Some(size) if self.page_square.is_on() && !size.is_square() => Err(OptionConflict::Against {
                first: "page-square".to_owned(),
                second: format!("page-size {size}"),
                why: "",
            }),
            _ => Ok(()),
        }
    }
}
