//! Pages as files: their format, their colors, their companions and sizes.

use serde::{Deserialize, Serialize};
use shibori_core::CompanionSpec;
use shibori_core::pack::{ColorFinish, PageScale};
use shibori_formats::encode::{PageEncoding, PageFormat, PngSize};
use shibori_formats::manifest::{Alpha, Sampling, UvOrigin};

use crate::options::OptionConflict;
use crate::options::contradiction::{needs, reject_duplicates};
use crate::options::value::{BoundedInt, Flag, comma_texts, keyword, text};

/// How far colors are spread under transparent pixels: filtering reaches one pixel, and two where pages are drawn at half
/// size from smaller copies of themselves, as they are in games that filter.
const SPREAD: u32 = 1;
const SPREAD_SMOOTH: u32 = 2;

/// Pages as files. Where nothing is said, PNG with all its colors.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", command(next_help_heading = "Page files"))]
pub struct PageOptions {
    /// Page file format, always lossless [default: png]
    #[cfg_attr(feature = "clap", arg(long, value_name = "FORMAT"))]
    #[serde(with = "keyword")]
    pub page_format: Option<PageFormat>,
    /// Write PNG pages fast, or as small as possible
    #[cfg_attr(feature = "clap", arg(long, value_name = "SIZE"))]
    #[serde(with = "keyword")]
    pub png: Option<PngSize>,
    /// Reduce all pages to one palette of at most N colors (indexed, quantize), 2 to 256 including transparent, and report the color error
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub palette: Option<BoundedInt<2, 256>>,
    /// Straight or premultiplied alpha; recorded in the manifest [default: straight]
    #[cfg_attr(feature = "clap", arg(long, value_name = "ALPHA"))]
    #[serde(with = "keyword")]
    pub alpha: Option<Alpha>,
    /// Do not spread edge color under neighboring transparent pixels (alpha bleeding, done by default to avoid dark
    /// fringes when the game filters textures: 1 px, or 2 px with --sampling smooth)
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub no_spread: Flag,
    /// Texture filter the game should use: a hint stored in the manifest
    #[cfg_attr(feature = "clap", arg(long, value_name = "SAMPLING"))]
    #[serde(with = "keyword")]
    pub sampling: Option<Sampling>,
    /// Also write frame rectangles as fractions of the page (texture coordinates), 0 to 1: left, top, right, bottom
    #[cfg_attr(feature = "clap", arg(long, action = clap::ArgAction::SetTrue, value_parser = Flag::parser()))]
    pub uv: Flag,
    /// Where v is 0
    #[cfg_attr(feature = "clap", arg(long, value_name = "EDGE"))]
    #[serde(with = "keyword")]
    pub uv_origin: Option<UvOrigin>,
    /// One atlas per scale (@2x, @0.5x), all with the same layout, such as 1,0.5,2
    #[cfg_attr(feature = "clap", arg(long, value_name = "F,F,..", value_delimiter = ','))]
    #[serde(with = "comma_texts")]
    pub page_scales: Vec<PageScale>,
    /// Put frames with this name suffix on separate pages (normal map, emission map), laid out like their base
    /// frames and trimmed to what either shows; =COLOR fills in for missing ones [default: 8080ff for normal maps, else
    /// transparent]; :normal marks a normal map, whose directions turn when it is mirrored; _n, _normal, _normals and
    /// _nrm are normal maps anyway
    #[cfg_attr(
        feature = "clap",
        arg(long, value_name = "SUFFIX[=COLOR][:normal],..", value_delimiter = ',')
    )]
    #[serde(with = "comma_texts")]
    pub companion: Vec<CompanionSpec>,
}

impl PageOptions {
    /// The factors of the atlases, default filled in.
    pub fn factors(&self) -> Vec<PageScale> {
        if self.page_scales.is_empty() { vec![PageScale::ONE] } else { self.page_scales.clone() }
    }

    /// How pages are encoded, defaults filled in.
    pub fn encoding(&self) -> PageEncoding {
        let premultiplied = self.alpha == Some(Alpha::Premultiplied);
        let is_smooth = self.sampling == Some(Sampling::Smooth);
        let spread = match self.palette {
            _ if self.no_spread.is_on() || premultiplied => 0,
            // Clear colors take colors of a palette, which only filtering is worth.
            Some(_) if is_smooth => SPREAD,
            Some(_) => 0,
            None if is_smooth => SPREAD_SMOOTH,
            None => SPREAD,
        };
        PageEncoding {
            format: self.page_format.unwrap_or_default(),
            png: self.png.unwrap_or_default(),
            colors: self.palette.map(|most| most.get() as u16),
            finish: ColorFinish { spread, premultiplied },
            sampling: self.sampling,
            uv: self.uv.is_on().then(|| self.uv_origin.unwrap_or_default()),
        }
    }

    /// What can't be meant together.
    pub fn validate(&self) -> Result<(), OptionConflict> {
        let is_png = self.page_format.unwrap_or_default() == PageFormat::Png;
        needs(self.png.is_some(), "png", is_png, "page-format", Some("png"))?;
        needs(self.palette.is_some(), "palette", is_png, "page-format", Some("png"))?;
        let is_premultiplied = self.alpha == Some(Alpha::Premultiplied);
        let is_unspread = self.palette.is_some() && self.sampling != Some(Sampling::Smooth);
        if self.no_spread.is_on() && (is_premultiplied || is_unspread) {
            let second = if is_premultiplied { "alpha premultiplied" } else { "palette" };
            let why = ": it spreads nothing anyway";
            return Err(OptionConflict::Against {
                first: "no-spread".to_owned(),
                second: second.to_owned(),
                why,
            });
        }
        needs(self.uv_origin.is_some(), "uv-origin", self.uv.is_on(), "uv", None)?;
        reject_duplicates("page-scales", &self.page_scales, ToString::to_string)?;
        let suffixes: Vec<&str> = self.companion.iter().map(|companion| &*companion.suffix).collect();
        reject_duplicates("companion", &suffixes, ToString::to_string)
    }
}
