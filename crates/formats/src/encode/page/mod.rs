//! The bytes of a page.
//!
//! [`PageEncoding`] say which format and what is given up for size; [`Palette`] brings all pages of an atlas to one set of
//! colors; `png`, `webp`, `qoi` and `tga` encode, `rgba` what most pages are. Nothing here knows what is on a page.

mod palette;
mod png;
mod qoi;
mod rgba;
mod tga;
mod webp;

use image::RgbaImage;
use serde::{Deserialize, Serialize};
use shibori_core::pack::ColorFinish;

use crate::WriteProblem;
use crate::manifest::{Sampling, UvOrigin};
use crate::store::seal;

pub(super) use palette::Palette;
pub use palette::QuantizationError;
pub use png::png;
pub(in crate::encode) use png::unsealed_png;
pub(super) use png::{encoder, problem};
pub(super) use webp::webp as webp_still;

/// How pages are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct PageEncoding {
    /// The file format.
    pub format: PageFormat,
    /// How small PNG files are made.
    pub png: PngSize,
    /// How many colors, the clear one among them, all pages of an atlas have together.
    pub colors: Option<u16>,
    /// What is done to colors.
    pub finish: ColorFinish,
    /// A hint for the game, kept in the manifest.
    pub sampling: Option<Sampling>,
    /// The manifest says where frames lie as fractions of the page, 0 to 1, too.
    pub uv: Option<UvOrigin>,
}

/// File formats of pages, all of them lossless.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
#[non_exhaustive]
pub enum PageFormat {
    /// Readable everywhere
    #[default]
    Png,
    /// Lossless WebP
    Webp,
    /// Decodes fast
    Qoi,
    /// Run-length encoded
    Tga,
}

/// How small PNG files are made; all decode to the same pixels.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum PngSize {
    /// Fast, somewhat larger
    Quick,
    /// In between.
    #[default]
    #[cfg_attr(feature = "clap", value(skip))]
    #[serde(skip)]
    Usual,
    /// As small as possible; takes seconds
    Small,
}

impl PageFormat {
    /// The ending of its files.
    pub fn ending(self) -> &'static str {
        match self {
            Self::Png => "png",
            Self::Webp => "webp",
            Self::Qoi => "qoi",
            Self::Tga => "tga",
        }
    }
}

impl PageEncoding {
    /// The bytes of one page, reduced to [`colors`](Self::colors) if set. Pixels are encoded as they are: [`finish`](Self::finish) is
    /// applied by [`paint`](shibori_core::pack::paint()).
    ///
    /// # Errors
    /// If the format can't hold a picture of this size.
    pub fn encode(&self, image: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
        let keeps_edges = self.finish.spread > 0;
        let palette = self.colors.map(|most| Palette::of(std::slice::from_ref(image), most, keeps_edges));
        self.encode_with(image, palette.as_ref())
    }

    /// The same with a palette, if there is one.
    pub(super) fn encode_with(
        &self,
        image: &RgbaImage,
        palette: Option<&Palette>,
    ) -> Result<Vec<u8>, WriteProblem> {
        if self.format == PageFormat::Png {
            let bytes = match palette {
                Some(palette) => png::indexed(image, palette, self.png)?,
                None => rgba::png(image, self.png)?,
            };
            let small = if self.png == PngSize::Small { png::smallest(&bytes)? } else { bytes };
            return Ok(seal::png(small));
        }
        let recolored = palette.map(|palette| palette.apply(image));
        let image = recolored.as_ref().unwrap_or(image);
        match self.format {
            PageFormat::Webp => webp::webp(image).map(seal::webp),
            PageFormat::Qoi => qoi::qoi(image),
            PageFormat::Tga => tga::tga(image).map(|bytes| seal::tga(bytes, self.finish.premultiplied)),
            PageFormat::Png => unreachable!("returned above"),
        }
    }
}

#[cfg(test)]
mod tests;
