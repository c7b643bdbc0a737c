//! How pictures for people are drawn.

use serde::{Deserialize, Serialize};
use shibori_draw::Overlay;

use crate::options::value::{BoundedInt, comma_words, text};

/// The widest a picture is where nothing is said, in pixels.
const WIDTH: u32 = 1280;
/// How tall pictures are that go over several files, where nothing is said.
const HEIGHT: u32 = 4096;

/// How large a pixel is drawn.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, transparent)]
pub struct ZoomOption {
    /// Zoom: draw each pixel N times as large [default: largest that fits]
    #[cfg_attr(feature = "clap", arg(long, value_name = "N"))]
    #[serde(with = "text")]
    pub zoom: Option<BoundedInt<1, 64>>,
}

/// How wide a picture may be.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, transparent)]
pub struct WidthOption {
    /// Maximum image width in pixels [default: 1280]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub width: Option<BoundedInt<64, 16_384>>,
}

/// How tall a picture may be.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, transparent)]
pub struct HeightOption {
    /// Maximum image height in pixels; the rest goes into FILE-1.png and so on [default: 4096]
    #[cfg_attr(feature = "clap", arg(long, value_name = "PX"))]
    #[serde(with = "text")]
    pub height: Option<BoundedInt<64, 16_384>>,
}

/// What is drawn over frames.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::Args))]
#[serde(default, transparent)]
pub struct ShowOption {
    /// What to draw over the frames: canvas, trim, pivot, boxes, polygon, or all
    #[cfg_attr(feature = "clap", arg(long, value_name = "WHAT", value_delimiter = ','))]
    #[serde(with = "comma_words")]
    pub show: Vec<OverlayPart>,
}

/// What is drawn over frames.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
#[serde(rename_all = "kebab-case")]
pub enum OverlayPart {
    /// Canvas border
    Canvas,
    /// Bounding box of the trimmed pixels
    Trim,
    /// Cross at the pivot
    Pivot,
    /// Named boxes (hitboxes)
    Boxes,
    /// The polygon
    Polygon,
    /// Everything
    All,
}

impl ZoomOption {
    /// The factor, if one was said.
    pub fn get(&self) -> Option<u32> {
        self.zoom.map(BoundedInt::get)
    }
}

impl WidthOption {
    /// The widest, default filled in.
    pub fn get(&self) -> u32 {
        self.width.map_or(WIDTH, BoundedInt::get)
    }
}

impl HeightOption {
    /// The tallest, default filled in.
    pub fn get(&self) -> u32 {
        self.height.map_or(HEIGHT, BoundedInt::get)
    }
}

impl ShowOption {
    /// The list as what core draws.
    pub fn get(&self) -> Overlay {
        let has = |what: OverlayPart| self.show.contains(&what) || self.show.contains(&OverlayPart::All);
        Overlay {
            canvas: has(OverlayPart::Canvas),
            trim: has(OverlayPart::Trim),
            pivot: has(OverlayPart::Pivot),
            boxes: has(OverlayPart::Boxes),
            polygon: has(OverlayPart::Polygon),
        }
    }
}
