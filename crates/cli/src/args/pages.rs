//! Pages as files: their format, their colors, their companions and sizes.

use std::str::FromStr;

use clap::{Args, ValueEnum};
use serde::Deserialize;
use shibori_core::Color;
use shibori_core::pack::{CompanionSpec, Finish, Ratio};
use shibori_formats::manifest::{Sampling, UvOrigin};
use shibori_formats::write::{PageFormat, PageOptions, PngSize};

use crate::args::value::{text, texts};

/// How far colors are spread under clear pixels: filtering at full size reaches one pixel, at half size two.
const SPREAD: u32 = 2;

#[derive(Args, Clone, Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[command(next_help_heading = "Page files")]
pub(crate) struct PageArgs {
    /// File format of pages, all without loss
    #[arg(long, value_name = "FORMAT", default_value = "png")]
    pub(crate) page_format: FormatArg,
    /// Write PNG pages in a moment, or as small as they get
    #[arg(long, value_name = "SIZE")]
    pub(crate) png: Option<PngArg>,
    /// Bring all pages to one palette of at most so many colors, 2 to 256, clear included; says the error
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(2..=256))]
    #[serde(deserialize_with = "text")]
    pub(crate) palette: Option<u16>,
    /// Colors as they are, or multiplied by alpha; the manifest says which
    #[arg(long, value_name = "ALPHA", default_value = "straight")]
    pub(crate) alpha: AlphaArg,
    /// Do not spread the color of edges under the clear pixels beside them (it keeps filtering from dark fringes)
    #[arg(long)]
    pub(crate) no_spread: bool,
    /// How the game is to filter pages: a hint kept in the manifest
    #[arg(long, value_name = "SAMPLING")]
    pub(crate) sampling: Option<SamplingArg>,
    /// The manifest also says where frames lie as shares of the page: left, top, right, bottom
    #[arg(long)]
    pub(crate) uv: bool,
    /// Where v is 0
    #[arg(long, value_name = "EDGE", requires = "uv")]
    pub(crate) uv_origin: Option<UvOriginArg>,
    /// One atlas a factor, all with the same layout, such as 1,0.5,2
    #[arg(long, value_name = "F,F,..", value_delimiter = ',')]
    #[serde(deserialize_with = "texts")]
    pub(crate) page_scales: Vec<Ratio>,
    /// Frames whose names end so lie on pages of their own like their base frames; =COLOR is for those missing
    /// [default: 8080ff for _n, else clear]
    #[arg(long, value_name = "SUFFIX[=COLOR],..", value_delimiter = ',')]
    #[serde(deserialize_with = "texts")]
    pub(crate) companion: Vec<CompanionArg>,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum FormatArg {
    /// Everything reads it
    #[default]
    Png,
    /// WebP without loss
    Webp,
    /// Decodes fast
    Qoi,
    /// With run lengths
    Tga,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum PngArg {
    /// In a moment, somewhat larger
    Quick,
    /// As small as it gets, in seconds
    Small,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum AlphaArg {
    /// Colors as seen, alpha beside them
    #[default]
    Straight,
    /// Colors multiplied by alpha
    Premultiplied,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum SamplingArg {
    /// Pixels stay square
    Nearest,
    /// Pixels are blended with their neighbors
    Smooth,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, ValueEnum)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum UvOriginArg {
    /// v runs down, as pixels do
    Top,
    /// v runs up
    Bottom,
}

/// `_n` or `_e=000000`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct CompanionArg(pub(crate) CompanionSpec);

impl FromStr for CompanionArg {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (suffix, neutral) = match text.split_once('=') {
            Some((suffix, color)) => (suffix, color.parse::<Color>().map_err(|error| error.to_string())?),
            // A normal map's neutral color points straight at the viewer.
            None if text == "_n" => (text, Color([128, 128, 255, 255].into())),
            None => (text, Color([0; 4].into())),
        };
        match shibori_core::file_fault(suffix) {
            _ if suffix.is_empty() => Err(format!("'{text}' has no suffix, such as _n")),
            Some(why) => Err(format!("'{suffix}' can't be part of a file name: {why}")),
            None => Ok(Self(CompanionSpec { suffix: suffix.to_owned(), neutral })),
        }
    }
}

impl PageArgs {
    /// What was decided, defaults filled in.
    pub(crate) fn options(&self) -> PageOptions {
        let premultiplied = self.alpha == AlphaArg::Premultiplied;
        let is_plain = self.no_spread || premultiplied || self.palette.is_some();
        PageOptions {
            format: match self.page_format {
                FormatArg::Png => PageFormat::Png,
                FormatArg::Webp => PageFormat::Webp,
                FormatArg::Qoi => PageFormat::Qoi,
                FormatArg::Tga => PageFormat::Tga,
            },
            png: match self.png {
                None => PngSize::Usual,
                Some(PngArg::Quick) => PngSize::Quick,
                Some(PngArg::Small) => PngSize::Small,
            },
            colors: self.palette,
            // A palette has one clear color, so nothing can be spread under it.
            finish: Finish { spread: if is_plain { 0 } else { SPREAD }, premultiplied },
            sampling: self.sampling.map(|sampling| match sampling {
                SamplingArg::Nearest => Sampling::Nearest,
                SamplingArg::Smooth => Sampling::Smooth,
            }),
            uv: self.uv.then_some(match self.uv_origin {
                Some(UvOriginArg::Bottom) => UvOrigin::Bottom,
                _ => UvOrigin::Top,
            }),
        }
    }

    /// What can't be meant together.
    pub(crate) fn contradiction(&self) -> Option<String> {
        let twice = |at: &usize| self.page_scales[..*at].contains(&self.page_scales[*at]);
        let suffixes: Vec<&String> = self.companion.iter().map(|companion| &companion.0.suffix).collect();
        match self {
            _ if self.png.is_some() && self.page_format != FormatArg::Png => {
                Some("--png has no use here; it goes with --page-format png".to_owned())
            }
            _ if (0..self.page_scales.len()).any(|at| twice(&at)) => {
                Some("--page-scales: a factor is given twice".to_owned())
            }
            _ if (1..suffixes.len()).any(|at| suffixes[..at].contains(&suffixes[at])) => {
                Some("--companion: a suffix is given twice".to_owned())
            }
            _ => None,
        }
    }
}
