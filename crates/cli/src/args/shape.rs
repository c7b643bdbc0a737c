//! Lining frames up.

use clap::{Args, ValueEnum};
use serde::Deserialize;
use shibori_core::FrameSet;
use shibori_core::shape::{
    Anchor, CanvasError, CanvasRule, PivotPer, Trim, TrimScope, restore, set_canvas, set_pivot, trim,
};

use crate::args::value::text;

#[derive(Args, Clone, Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[command(next_help_heading = "Shape")]
pub(crate) struct ShapeArgs {
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
    /// such as 0.5,1, or pixels such as 16px,30px
    #[arg(long, value_name = "POINT", allow_hyphen_values = true)]
    #[serde(deserialize_with = "text")]
    pub(crate) pivot: Option<Anchor>,
    /// What shares one measured pivot; set is each sprite's frames together
    #[arg(long, value_name = "SCOPE", default_value = "set")]
    pub(crate) pivot_per: PivotPerArg,
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

impl ShapeArgs {
    /// Canvas, trim and pivot. `trim_default` and `canvas_default` are what happens where nothing is said.
    pub(crate) fn apply(
        &self,
        set: FrameSet,
        trim_default: TrimScope,
        canvas_default: Option<CanvasRule>,
    ) -> Result<FrameSet, CanvasError> {
        let scope = self.trim.map_or(trim_default, |scope| match scope {
            TrimArg::None => TrimScope::None,
            TrimArg::Frame => TrimScope::Frame,
            TrimArg::Clip => TrimScope::Clip,
            TrimArg::Set => TrimScope::Set,
        });
        let how = Trim { scope, alpha: self.trim_alpha, border: self.trim_border };
        match self.canvas.or(canvas_default) {
            // Fitting forgets what is trimmed, so it comes after.
            Some(CanvasRule::Fit) => self.with_pivot(set_canvas(trim(set, how)?, CanvasRule::Fit)?),
            // Canvases are put together by their pivots, so those are needed first, and measured again after.
            Some(rule) => {
                let set = set_canvas(self.with_pivot_per_frame(set)?, rule)?;
                let set = if scope == TrimScope::None { restore(set)? } else { trim(set, how)? };
                self.with_pivot(set)
            }
            None => self.with_pivot(trim(set, how)?),
        }
    }

    fn with_pivot(&self, set: FrameSet) -> Result<FrameSet, CanvasError> {
        let per = match self.pivot_per {
            PivotPerArg::Frame => PivotPer::Frame,
            PivotPerArg::Clip => PivotPer::Clip,
            PivotPerArg::Set => PivotPer::Set,
        };
        match self.pivot {
            Some(anchor) => Ok(set_pivot(set, anchor, per)?),
            None => Ok(set),
        }
    }

    /// Frames that never shared a canvas have no common ground yet.
    fn with_pivot_per_frame(&self, set: FrameSet) -> Result<FrameSet, CanvasError> {
        match self.pivot {
            Some(anchor) => Ok(set_pivot(set, anchor, PivotPer::Frame)?),
            None => Ok(set),
        }
    }
}
