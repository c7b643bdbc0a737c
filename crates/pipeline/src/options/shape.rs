//! Lining frames up.

use std::path::PathBuf;

use serde::{Deserialize, Serialize};
use shibori_core::shape::{
    AlignAxis, AlignPer, AlignTo, Anchor, BoxRule, BoxSpec, CanvasRule, MatchWith, NineRule, PivotPer,
    Resample, ScaleRule, TrimScope,
};
use shibori_core::{Mirror, SignedRect};

use crate::options::OptionConflict;
use crate::options::contradiction::{needs, reject_duplicates};
use crate::options::value::{BoundedInt, keyword, path, text, texts};

/// The share of a clip's solid pixels that its box covers where nothing is said, in percent.
const BOX_SHARE: u8 = 90;

/// Lining frames up. Where nothing is said, frames stay as they are.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", command(next_help_heading = "Shape"))]
pub struct ShapeOptions {
    /// Mirror (flip, change the facing of) each frame within its own cell; frame order is unchanged
    #[cfg_attr(feature = "clap", arg(long, value_name = "WAY"))]
    #[serde(with = "keyword")]
    pub mirror: Option<Mirror>,
    /// Scale (resize) all frames by one factor: 2, 0.5, 2/3, or fit:WxH for the largest at which every frame of the sprite fits
    #[cfg_attr(feature = "clap", arg(long, value_name = "F|fit:WxH"))]
    #[serde(with = "text")]
    pub scale: Option<ScaleRule>,
    /// Resampling filter for --scale [default: nearest]
    #[cfg_attr(feature = "clap", arg(long, value_name = "HOW"))]
    #[serde(with = "keyword")]
    pub resample: Option<Resample>,
    /// Move drawings on their canvas so that this point stays put through a clip (stabilize, common baseline): feet, center, mass,
    /// match (the figure, detected automatically, or a matching --region), or mark:COLOR
    #[cfg_attr(feature = "clap", arg(long, value_name = "POINT"))]
    #[serde(with = "text")]
    pub align: Option<AlignTo>,
    /// Area that --align match holds still: x,y,width,height on the first frame's canvas [default: the figure]
    #[cfg_attr(feature = "clap", arg(long, value_name = "X,Y,W,H", allow_hyphen_values = true))]
    #[serde(with = "text")]
    pub region: Option<SignedRect>,
    /// Axes along which --align moves drawings; with x, a jump keeps its height [default: both; feet: y]
    #[cfg_attr(feature = "clap", arg(long, value_name = "AXIS"))]
    #[serde(with = "keyword")]
    pub align_axis: Option<AlignAxis>,
    /// What --align aligns together: the frames of each clip, or all clips of a sprite [default: clip]
    #[cfg_attr(feature = "clap", arg(long, value_name = "SCOPE"))]
    #[serde(with = "keyword")]
    pub align_per: Option<AlignPer>,
    /// Frame that --region is compared with [default: first]
    #[cfg_attr(feature = "clap", arg(long, value_name = "FRAME"))]
    #[serde(with = "keyword")]
    pub align_with: Option<MatchWith>,
    /// Maximum distance --align match moves a drawing, in pixels [default: unlimited; with --region, half the canvas, up to 64]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub align_reach: Option<BoundedInt<1, 1024>>,
    /// Trim (crop) transparent edges; the canvas size is kept in the manifest. Sets which frames share one trim box
    /// [default: frame for a dense atlas, else none]
    #[cfg_attr(feature = "clap", arg(long, value_name = "SCOPE"))]
    #[serde(with = "keyword")]
    pub trim: Option<TrimScope>,
    /// Treat pixels with alpha up to N, 0 to 254, as empty when trimming [default: 0]
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub trim_alpha: Option<BoundedInt<0, 254>>,
    /// Empty pixels to keep around trimmed frames (padding) [default: 0]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub trim_border: Option<u32>,
    /// Put frames on a canvas of this size, aligned by their pivots, at X,Y if given; fit shrinks each canvas to the trimmed pixels
    #[cfg_attr(feature = "clap", arg(long, value_name = "WxH[@X,Y]|fit"))]
    #[serde(with = "text")]
    pub canvas: Option<CanvasRule>,
    /// Pivot (anchor, origin), the point placed at the sprite's position: feet, center, bottom, top-left, ...,
    /// fractions of the canvas such as 0.5,1, pixels such as 16px,30px, or mark:COLOR (a painted dot, erased after
    /// use)
    #[cfg_attr(feature = "clap", arg(long, value_name = "POINT", allow_hyphen_values = true))]
    #[serde(with = "text")]
    pub pivot: Option<Anchor>,
    /// Which frames share one measured pivot [default: sprite]
    #[cfg_attr(feature = "clap", arg(long, value_name = "SCOPE"))]
    #[serde(with = "keyword")]
    pub pivot_per: Option<PivotPer>,
    /// A named box (hitbox, collision box): body=auto (around each frame's opaque pixels), body=auto:clip (one per
    /// clip), body=x,y,width,height, or body=WxH (centered on the pivot); repeatable
    #[cfg_attr(feature = "clap", arg(long = "box", value_name = "NAME=WHERE"))]
    #[serde(rename = "box", with = "texts")]
    pub boxes: Vec<BoxSpec>,
    /// Minimum share of a clip's opaque pixels that an auto:clip box covers, in percent [default: 90]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PERCENT"))]
    #[serde(with = "text")]
    pub box_share: Option<BoundedInt<1, 100>>,
    /// Nine-slice (9-slice, 9-patch) borders of a panel: auto detects what repeats, or left,top,right,bottom in pixels
    #[cfg_attr(feature = "clap", arg(long, value_name = "auto|L,T,R,B"))]
    #[serde(with = "text")]
    pub nine: Option<NineRule>,
    /// Outline polygon (mesh, collision shape) with at most N corners, 4 to 64, covering every visible pixel
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub polygon: Option<BoundedInt<4, 64>>,
    /// Per-frame moves, pivots and boxes from a CSV: frame,kind,name,values
    #[cfg_attr(feature = "clap", arg(long, value_name = "FILE"))]
    #[serde(with = "path")]
    pub per_frame: Option<PathBuf>,
}

impl ShapeOptions {
    /// What can't be meant together, and what has no effect. `trims` tells whether frames are trimmed where nothing is said,
    /// `scales` whether something else than `scale` resamples.
    pub fn validate(&self, trims: bool, scales: bool) -> Result<(), OptionConflict> {
        let is_trimmed = self.trim.map_or(trims, |trim| trim != TrimScope::None);
        needs(self.trim_border.is_some(), "trim-border", is_trimmed, "trim", None)?;
        let has_alpha = is_trimmed || self.polygon.is_some();
        needs(self.trim_alpha.is_some(), "trim-alpha", has_alpha, "trim", None)?;
        needs(self.resample.is_some(), "resample", scales || self.scale.is_some(), "scale", None)?;
        let is_measured = matches!(self.pivot, Some(Anchor::Feet | Anchor::Mark(_)));
        needs(self.pivot_per.is_some(), "pivot-per", is_measured, "pivot", Some("feet or mark:COLOR"))?;
        let has_share = self.boxes.iter().any(|spec| spec.rule == BoxRule::AutoClip);
        needs(self.box_share.is_some(), "box-share", has_share, "box", Some("NAME=auto:clip"))?;
        let is_match = self.align == Some(AlignTo::Match);
        needs(self.region.is_some(), "region", is_match, "align", Some("match"))?;
        needs(self.align_reach.is_some(), "align-reach", is_match, "align", Some("match"))?;
        needs(self.align_with.is_some(), "align-with", self.region.is_some(), "region", None)?;
        needs(self.align_axis.is_some(), "align-axis", self.align.is_some(), "align", None)?;
        needs(self.align_per.is_some(), "align-per", self.align.is_some(), "align", None)?;
        let names: Vec<_> = self.boxes.iter().map(|spec| &spec.name).collect();
        reject_duplicates("box", &names, ToString::to_string)
    }

    /// Whether any step changes pixels, canvases or the drawing's place, so that an untouched sheet can't show it.
    pub fn changes_pixels(&self) -> bool {
        self.canvas.is_some()
            || self.mirror.is_some()
            || self.scale.is_some()
            || self.align.is_some()
            || matches!(self.pivot, Some(Anchor::Mark(_)))
    }

    /// Up to which alpha pixels count as empty.
    pub fn trim_alpha(&self) -> u8 {
        self.trim_alpha.map_or(0, BoundedInt::get_u8)
    }

    /// How much of a clip's solid pixels its box covers at least, from 0 to 1.
    pub fn box_share(&self) -> f64 {
        f64::from(self.box_share.map_or(BOX_SHARE, BoundedInt::get_u8)) / 100.0
    }
}
