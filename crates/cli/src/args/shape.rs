//! Lining frames up.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use serde::Deserialize;
use shibori_core::Area;
use shibori_core::shape::{AlignTo, Anchor, BoxSpec, CanvasRule, NineRule, PivotPer, Resample, TrimScope};

use crate::args::value::{text, texts};

#[derive(Args, Clone, Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[command(next_help_heading = "Shape")]
pub(crate) struct ShapeArgs {
    /// Mirror each frame in its own cell; their order stays
    #[arg(long, value_name = "WAY")]
    pub(crate) mirror: Option<MirrorArg>,
    /// Make all frames larger or smaller by one factor, such as 2 or 0.5
    #[arg(long, value_name = "F")]
    #[serde(deserialize_with = "text")]
    pub(crate) scale: Option<f64>,
    /// How --scale makes pixels
    #[arg(long, value_name = "HOW", default_value = "nearest")]
    pub(crate) resample: ResampleArg,
    /// Move drawings inside their canvas so that this point holds still through a clip: feet, center, mass,
    /// match (a --region that looks the same), or mark:COLOR
    #[arg(long, value_name = "POINT")]
    #[serde(deserialize_with = "text")]
    pub(crate) align: Option<AlignTo>,
    /// What --align match holds still: x,y,width,height on the first frame's canvas [default: all that is drawn]
    #[arg(long, value_name = "X,Y,W,H", allow_hyphen_values = true)]
    #[serde(deserialize_with = "text")]
    pub(crate) region: Option<Area>,
    /// What --align match compares with
    #[arg(long, value_name = "FRAME", default_value = "first")]
    pub(crate) align_with: AlignWithArg,
    /// The farthest --align match looks, in pixels [default: half the canvas, up to 64]
    #[arg(long, value_name = "PX", value_parser = clap::value_parser!(u32).range(1..=1024))]
    #[serde(deserialize_with = "text")]
    pub(crate) align_reach: Option<u32>,
    /// Keep only what shows; the canvas is remembered. Says what shares one box
    /// [default: frame for a dense atlas, none elsewhere]
    #[arg(long, value_name = "SCOPE")]
    pub(crate) trim: Option<TrimArg>,
    /// Pixels with an alpha up to N, 0 to 254, count as empty when trimming
    #[arg(long, value_name = "N", default_value_t = 0, value_parser = clap::value_parser!(u8).range(0..=254))]
    pub(crate) trim_alpha: u8,
    /// Empty pixels to keep around what shows
    #[arg(long, value_name = "PX", default_value_t = 0)]
    pub(crate) trim_border: u32,
    /// Put frames on a canvas of this size, held together by their pivots; fit forgets what was trimmed
    #[arg(long, value_name = "WxH|fit")]
    #[serde(deserialize_with = "text")]
    pub(crate) canvas: Option<CanvasRule>,
    /// The point that stays put in the game: feet, center, bottom, top-left, ..., fractions of the canvas
    /// such as 0.5,1, pixels such as 16px,30px, or mark:COLOR (a spot that is found, used and erased)
    #[arg(long, value_name = "POINT", allow_hyphen_values = true)]
    #[serde(deserialize_with = "text")]
    pub(crate) pivot: Option<Anchor>,
    /// What shares one measured pivot; set is each sprite's frames together
    #[arg(long, value_name = "SCOPE", default_value = "set")]
    pub(crate) pivot_per: PivotPerArg,
    /// A named box: body=auto (round each frame's solid pixels), body=auto:clip (one for the clip), or
    /// body=x,y,width,height; several are allowed
    #[arg(long = "box", value_name = "NAME=WHERE")]
    #[serde(rename = "box", deserialize_with = "texts")]
    pub(crate) boxes: Vec<BoxSpec>,
    /// How much of a clip's solid pixels a box of auto:clip covers at least, in percent
    #[arg(long, value_name = "PERCENT", default_value_t = 90, value_parser = clap::value_parser!(u8).range(1..=100))]
    #[serde(default = "most")]
    pub(crate) box_share: u8,
    /// Where a panel stretches: auto finds what repeats, or left,top,right,bottom in pixels
    #[arg(long, value_name = "auto|L,T,R,B")]
    #[serde(deserialize_with = "text")]
    pub(crate) nine: Option<NineRule>,
    /// A polygon of at most N corners, 4 to 64, that covers all that is drawn
    #[arg(long, value_name = "N")]
    #[serde(deserialize_with = "text")]
    pub(crate) polygon: Option<u32>,
    /// Pivots and boxes frame by frame: a CSV of frame,kind,name,values
    #[arg(long, value_name = "FILE")]
    pub(crate) places: Option<PathBuf>,
}

fn most() -> u8 {
    90
}

#[derive(Clone, Copy, Debug, Default, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum TrimArg {
    /// Nothing is trimmed
    #[default]
    None,
    /// Each frame has its own box
    Frame,
    /// The frames of a clip share one
    Clip,
    /// The frames of a sprite share one
    Set,
}

#[derive(Clone, Copy, Debug, Default, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum PivotPerArg {
    /// Each frame has its own
    Frame,
    /// The frames of a clip share one
    Clip,
    /// The frames of a sprite share one
    #[default]
    Set,
}

#[derive(Clone, Copy, Debug, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum MirrorArg {
    /// Left becomes right
    LeftRight,
    /// Top becomes bottom
    UpDown,
}

#[derive(Clone, Copy, Debug, Default, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum ResampleArg {
    /// Hard pixels: whole factors such as 2 or 0.5
    #[default]
    Nearest,
    /// Weighed neighbors, for painted art
    Smooth,
}

#[derive(Clone, Copy, Debug, Default, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum AlignWithArg {
    /// The first frame of the clip
    #[default]
    First,
    /// The frame before, for features that change slowly
    Previous,
}

impl ResampleArg {
    /// The same in the library's words.
    pub(crate) fn how(self) -> Resample {
        match self {
            Self::Nearest => Resample::Nearest,
            Self::Smooth => Resample::Smooth,
        }
    }
}

impl ShapeArgs {
    /// Whether any step changes pixels, canvases or the drawing's place, so that an untouched sheet can't show it.
    pub(crate) fn changes_pixels(&self) -> bool {
        self.canvas.is_some()
            || self.mirror.is_some()
            || self.scale.is_some()
            || self.align.is_some()
            || matches!(self.pivot, Some(Anchor::Mark(_)))
    }

    pub(crate) fn trim_scope(&self) -> Option<TrimScope> {
        self.trim.map(|scope| match scope {
            TrimArg::None => TrimScope::None,
            TrimArg::Frame => TrimScope::Frame,
            TrimArg::Clip => TrimScope::Clip,
            TrimArg::Set => TrimScope::Set,
        })
    }

    pub(crate) fn pivot_per(&self) -> PivotPer {
        match self.pivot_per {
            PivotPerArg::Frame => PivotPer::Frame,
            PivotPerArg::Clip => PivotPer::Clip,
            PivotPerArg::Set => PivotPer::Set,
        }
    }
}
