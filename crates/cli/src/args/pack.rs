//! Frames on pages.

use std::path::PathBuf;
use std::str::FromStr;

use clap::{Args, ValueEnum};
use serde::Deserialize;
use shibori_core::pack::{Effort, Layout, OldPlaces, Options, PagePer, PageRules, Round, RowName};
use shibori_core::{Name, NameError, Size};

use crate::args::value::text;

#[derive(Args, Clone, Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[command(next_help_heading = "Pack")]
pub(crate) struct PackArgs {
    /// How frames are arranged
    #[arg(long, value_name = "LAYOUT", default_value = "dense")]
    pub(crate) layout: LayoutArg,
    /// Columns of a grid [default: near a square page]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
    #[serde(deserialize_with = "text")]
    pub(crate) columns: Option<u32>,
    /// The clips of clip-rows in order, - for a blank row, such as sit,leap,-,dive
    #[arg(long, value_name = "A,B,-,C", allow_hyphen_values = true)]
    #[serde(deserialize_with = "text")]
    pub(crate) row_order: Option<RowOrder>,
    /// No page is larger: N or WxH pixels [default: 4096]
    #[arg(long, value_name = "N|WxH")]
    #[serde(deserialize_with = "text")]
    pub(crate) page_max: Option<Side>,
    /// Every page has exactly this size
    #[arg(long, value_name = "WxH")]
    #[serde(deserialize_with = "text")]
    pub(crate) page_size: Option<Size>,
    /// Round page sides up: none, pow2, or to a multiple such as 4 [default: none]
    #[arg(long, value_name = "none|pow2|N")]
    #[serde(deserialize_with = "text")]
    pub(crate) page_round: Option<RoundArg>,
    /// Pages are as wide as high
    #[arg(long)]
    pub(crate) page_square: bool,
    /// Each clip or each sprite on pages, and in files, of its own
    #[arg(long, value_name = "WHAT")]
    pub(crate) page_per: Option<PagePerArg>,
    /// Empty pixels round a page [default: 1 for dense, else 0]
    #[arg(long, value_name = "PX", value_parser = clap::value_parser!(u32).range(0..=1024))]
    #[serde(deserialize_with = "text")]
    pub(crate) margin: Option<u32>,
    /// Empty pixels between frames [default: 2 for dense, else 0]
    #[arg(long, value_name = "PX", value_parser = clap::value_parser!(u32).range(0..=1024))]
    #[serde(deserialize_with = "text")]
    pub(crate) gutter: Option<u32>,
    /// Repeat a frame's border pixels outwards, so that filtering finds the right color [default: 0]
    #[arg(long, value_name = "PX", value_parser = clap::value_parser!(u32).range(0..=256))]
    #[serde(deserialize_with = "text")]
    pub(crate) bleed: Option<u32>,
    /// Let frames lie turned a quarter where that makes the page smaller
    #[arg(long)]
    pub(crate) allow_turn: bool,
    /// Give identical frames a place each
    #[arg(long)]
    pub(crate) no_share: bool,
    /// How long a dense page is made smaller; the result is the same on every machine
    #[arg(long, value_name = "EFFORT", default_value = "medium")]
    pub(crate) effort: EffortArg,
    /// Leave frames where they are in an earlier atlas, so that small changes of the art are small changes of the page
    #[arg(long, value_name = "OLD.json")]
    pub(crate) keep_places: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum PagePerArg {
    /// The frames of a clip; a frame of two clips lies on the pages of both
    Clip,
    /// The frames of a sprite
    Sprite,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum LayoutArg {
    /// As close together as they go
    #[default]
    Dense,
    /// Cells of one size in the frames' order: place is index
    Grid,
    /// One clip a row
    ClipRows,
    /// A grid of one row
    Strip,
}

/// The largest page: one number for both sides, or two.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Side(Size);

impl FromStr for Side {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let size = match text.parse::<u32>() {
            Ok(side) => Size::new(side, side),
            Err(_) => text
                .parse()
                .map_err(|_| format!("'{text}' is not a side such as 2048, or a size such as 2048x1024"))?,
        };
        if size.is_empty() || size.width > 65_536 || size.height > 65_536 {
            return Err(format!("'{text}' is out of range; a page's sides are 1 to 65536 px"));
        }
        Ok(Self(size))
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct RoundArg(Round);

impl FromStr for RoundArg {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        Ok(Self(match (text, text.parse::<u32>()) {
            ("none", _) => Round::None,
            ("pow2", _) => Round::Pow2,
            (_, Ok(unit @ 1..=4096)) => Round::Multiple(unit),
            _ => return Err(format!("'{text}' is not none, pow2, or a multiple from 1 to 4096")),
        }))
    }
}

/// Rows of `clip-rows`: `sit,leap,-,koi:swim`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct RowOrder(Vec<RowName>);

impl FromStr for RowOrder {
    type Err = NameError;

    fn from_str(text: &str) -> Result<Self, NameError> {
        let row = |row: &str| match (row.trim(), row.split_once(':')) {
            ("-", _) => Ok(RowName::Blank),
            (_, Some((sprite, name))) => {
                let sprite = Some(Name::new(sprite.trim())?);
                Ok(RowName::Clip { sprite, name: Name::new(name.trim())? })
            }
            (name, None) => Ok(RowName::Clip { sprite: None, name: Name::new(name)? }),
        };
        Ok(Self(text.split(',').map(row).collect::<Result<_, _>>()?))
    }
}

#[derive(Clone, Copy, Debug, Default, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum EffortArg {
    /// Quick packers only
    Low,
    /// A search of a moment
    #[default]
    Medium,
    /// A search of twelve times that
    High,
}

impl PackArgs {
    /// What was decided, defaults filled in.
    pub(crate) fn options(&self, step: u32, keep: Option<OldPlaces>) -> Options {
        let layout = match self.layout {
            LayoutArg::Dense => Layout::Dense,
            LayoutArg::Grid => Layout::Grid { columns: self.columns },
            LayoutArg::Strip => Layout::Strip,
            LayoutArg::ClipRows => {
                Layout::ClipRows { order: self.row_order.clone().map(|RowOrder(rows)| rows) }
            }
        };
        let is_dense = self.layout == LayoutArg::Dense;
        let Side(max) = self.page_max.unwrap_or(Side(Size::new(4096, 4096)));
        let RoundArg(round) = self.page_round.unwrap_or(RoundArg(Round::None));
        Options {
            layout,
            pages: PageRules { max, fixed: self.page_size, round, square: self.page_square },
            margin: self.margin.unwrap_or(u32::from(is_dense)),
            gutter: self.gutter.unwrap_or(if is_dense { 2 } else { 0 }),
            bleed: self.bleed.unwrap_or(0),
            share: !self.no_share,
            effort: match self.effort {
                EffortArg::Low => Effort::Low,
                EffortArg::Medium => Effort::Medium,
                EffortArg::High => Effort::High,
            },
            may_turn: self.allow_turn,
            per: match self.page_per {
                None => PagePer::Atlas,
                Some(PagePerArg::Clip) => PagePer::Clip,
                Some(PagePerArg::Sprite) => PagePer::Sprite,
            },
            step,
            keep,
        }
    }

    /// What can't be meant together, so that nothing is silently ignored.
    pub(crate) fn contradiction(&self) -> Option<String> {
        let is_dense = self.layout == LayoutArg::Dense;
        let goes_with = |option: &str, layout: &str| {
            Some(format!("{option} has no use here; it goes with --layout {layout}"))
        };
        match self {
            _ if self.columns.is_some() && self.layout != LayoutArg::Grid => goes_with("--columns", "grid"),
            _ if self.row_order.is_some() && self.layout != LayoutArg::ClipRows => {
                goes_with("--row-order", "clip-rows")
            }
            _ if self.allow_turn && !is_dense => goes_with("--allow-turn", "dense"),
            _ if self.keep_places.is_some() && !is_dense => goes_with("--keep-places", "dense"),
            _ if self.keep_places.is_some() && self.page_per.is_some() => {
                Some("--keep-places can't go with --page-per: each page there has its own frames".to_owned())
            }
            Self { page_square: true, page_size: Some(size), .. } if !size.is_square() => {
                Some(format!("--page-square and --page-size {size} contradict each other"))
            }
            _ => None,
        }
    }
}
