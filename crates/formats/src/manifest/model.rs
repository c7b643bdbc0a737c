//! The manifest's shape, key by key. Never opens a page.

use std::collections::BTreeMap;

#[cfg(test)]
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use shibori_core::clip::{Clock, PlayMode, Timed};

use crate::manifest::UvOrigin;

/// Where each frame is, how it looked untrimmed, and how clips play. All lengths are in pixels of the manifest's
/// own pages; origin top left, y down.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
#[cfg_attr(test, schemars(title = "Shibori manifest", extend("$id" = "shibori/1")))]
pub struct Manifest {
    /// Always `shibori/1`.
    #[cfg_attr(test, schemars(extend("const" = "shibori/1")))]
    pub format: String,
    /// Shows shibori whether the file was edited; other readers ignore it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seal: Option<String>,
    /// The images that hold the frames.
    pub pages: Vec<PageEntry>,
    /// The frames in order; clips refer to them by index, from 0.
    pub frames: Vec<FrameEntry>,
    /// Named sequences.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub clips: Vec<ClipEntry>,
    /// User-defined data.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extras: Option<Map<String, Value>>,
    /// Keys of other versions and tools.
    #[serde(flatten)]
    pub other: Map<String, Value>,
}

impl Manifest {
    /// Its sprites by name.
    pub fn sprites(&self) -> Vec<String> {
        let mut all: Vec<String> = self.frames.iter().map(|frame| frame.sprite.clone()).collect();
        all.sort_unstable();
        all.dedup();
        all
    }
}

/// One image.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
#[cfg_attr(test, schemars(rename = "Page"))]
pub struct PageEntry {
    /// Path relative to the manifest, with `/`; always inside its folder.
    pub file: String,
    /// Its width and height in pixels.
    pub size: [u32; 2],
    /// Scale of everything on the page relative to the art.
    #[serde(default = "as_drawn", skip_serializing_if = "is_as_drawn")]
    pub factor: Coordinate,
    /// Whether colors are multiplied by alpha; `straight` if omitted.
    #[serde(default, skip_serializing_if = "Alpha::is_straight")]
    pub alpha: Alpha,
    /// Its cells, if all frames are in cells of the same size.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub grid: Option<GridEntry>,
    /// How the game should filter it; omitted if unspecified.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sampling: Option<Sampling>,
    /// Where v is 0 in `uv`, if its frames have that; `top` if omitted.
    #[serde(default, skip_serializing_if = "UvOrigin::is_top")]
    pub uv_origin: UvOrigin,
    /// Images laid out exactly like this one, by suffix, such as its normal map: `"_n": "pond_n.png"`.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub companions: BTreeMap<String, String>,
    /// Suffixes of companions that are normal maps, if the suffix doesn't say so as `_n` and `_normal` do.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub normals: Vec<String>,
    /// User-defined data.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extras: Option<Map<String, Value>>,
    /// Keys of other versions and tools.
    #[serde(flatten)]
    pub other: Map<String, Value>,
}

/// The cells of a page.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
pub struct GridEntry {
    /// Number of columns.
    pub columns: u32,
    /// Number of rows.
    pub rows: u32,
    /// Width and height of one cell, including any bleed.
    pub cell: [u32; 2],
    /// Pixels before the first cell: across, down.
    #[serde(default, skip_serializing_if = "is_nothing")]
    pub offset: [u32; 2],
    /// Pixels between cells: across, down.
    #[serde(default, skip_serializing_if = "is_nothing")]
    pub gutter: [u32; 2],
    /// Keys of other versions and tools.
    #[serde(flatten)]
    pub other: Map<String, Value>,
}

fn is_nothing(pair: &[u32; 2]) -> bool {
    *pair == [0, 0]
}

impl GridEntry {
    /// The row and the column of the cell that a rectangle lies in; `None` where it lies in no cell.
    pub fn cell_of(&self, rect: [u32; 4]) -> Option<[u32; 2]> {
        let at = |axis: usize, count: u32| {
            let from = rect[axis].checked_sub(self.offset[axis])?;
            let place = from / (self.cell[axis].checked_add(self.gutter[axis])?).max(1);
            (place < count && rect[axis + 2] > 0).then_some(place)
        };
        Some([at(1, self.rows)?, at(0, self.columns)?])
    }
}

/// How a page stores transparency.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum Alpha {
    /// Colors independent of alpha
    #[default]
    Straight,
    /// Colors multiplied by alpha
    Premultiplied,
}

/// How the game should filter a page.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum Sampling {
    /// Sharp pixels (point filtering)
    Nearest,
    /// Blended with neighbors (linear filtering)
    Smooth,
}

impl Alpha {
    fn is_straight(&self) -> bool {
        *self == Self::Straight
    }
}

/// One frame.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
pub struct FrameEntry {
    /// Unique within the sprite; 1 to 200 characters.
    pub name: String,
    /// The sprite it belongs to.
    pub sprite: String,
    /// Index of its page, from 0.
    pub page: usize,
    /// Its pixels on the page: x, y, width, height. All 0 for a blank frame.
    pub rect: [u32; 4],
    /// Whether it is rotated 90 degrees clockwise on the page; `rect` is as on the page.
    #[serde(default, skip_serializing_if = "is_false")]
    pub rotated: bool,
    /// `rect` as fractions of the page, 0 to 1: left, top, right, bottom. Only if requested; if top is larger than
    /// bottom, v points up.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub uv: Option<[Coordinate; 4]>,
    /// Its full width and height before trimming.
    pub canvas: [u32; 2],
    /// Where the trimmed pixels start on the canvas: x, y.
    #[serde(default)]
    pub inset: [u32; 2],
    /// The anchor point on the canvas: x, y; may be fractional; pixel corners are whole numbers.
    pub pivot: [Coordinate; 2],
    /// Named boxes (hitboxes) on the canvas: x, y, width, height; may extend beyond it.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub boxes: BTreeMap<String, [i32; 4]>,
    /// Nine-slice borders that do not stretch: pixels from the canvas's left, top, right and bottom.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub nine: Option<[u32; 4]>,
    /// Corners of a convex outline on the canvas that covers every visible pixel, clockwise: x, y.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub polygon: Vec<[Coordinate; 2]>,
    /// Where it came from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub source: Option<SourceEntry>,
    /// User-defined data.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extras: Option<Map<String, Value>>,
    /// Keys of other versions and tools.
    #[serde(flatten)]
    pub other: Map<String, Value>,
}

/// A number of pixels; whole numbers are written without a decimal point.
#[derive(Clone, Copy, Debug, PartialEq, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
#[serde(transparent)]
pub struct Coordinate(pub f64);

impl Serialize for Coordinate {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let whole = self.0 as i64;
        if whole as f64 == self.0 {
            serializer.serialize_i64(whole)
        } else {
            serializer.serialize_f64(self.0)
        }
    }
}

/// Where a frame came from.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
pub struct SourceEntry {
    /// The file's name, without its folders.
    pub file: String,
    /// Grid cell: `r2c5` is row 2, column 5, counting from 0.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cell: Option<String>,
    /// The pixels of the file: x, y, width, height.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rect: Option<[u32; 4]>,
    /// Where that part of the file is on the canvas: left, top, right, bottom. A mirrored frame has left and right
    /// exchanged. Omitted if it is the whole canvas.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<[Coordinate; 4]>,
    /// Keys of other versions and tools; `delay` is an animation's delay as the file has it, in
    /// hundredths of a second, where it plays as another.
    #[serde(flatten)]
    pub other: Map<String, Value>,
}

/// One clip.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
pub struct ClipEntry {
    /// Unique within the sprite.
    pub name: String,
    /// The sprite it belongs to.
    pub sprite: String,
    /// The order in which the steps play.
    #[serde(default)]
    #[cfg_attr(test, schemars(with = "schema::PlayMode"))]
    pub play: PlayMode,
    /// How many times to play; 0 means forever.
    #[serde(default)]
    pub plays: u32,
    /// Ticks per second: a step lasts `ticks / timescale` seconds.
    pub timescale: u32,
    /// The steps in order; at least one.
    pub steps: Vec<StepEntry>,
    /// User-defined data.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extras: Option<Map<String, Value>>,
    /// Keys of other versions and tools.
    #[serde(flatten)]
    pub other: Map<String, Value>,
}

/// One step of a clip.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
pub struct StepEntry {
    /// Index into `frames`, from 0.
    pub frame: usize,
    /// Duration in ticks; at least 1.
    #[cfg_attr(test, schemars(range(min = 1)))]
    pub ticks: u32,
    /// Mirrored (flipped) left-right about the pivot.
    #[serde(default, skip_serializing_if = "is_false")]
    pub mirror: bool,
    /// The event the game receives when the step begins.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub event: Option<String>,
    /// Keys of other versions and tools.
    #[serde(flatten)]
    pub other: Map<String, Value>,
}

impl ClipEntry {
    /// Which step is shown when.
    pub fn clock(&self) -> Clock<'_, StepEntry> {
        Clock::new(&self.steps, self.timescale, self.play, self.plays)
    }
}

impl Timed for StepEntry {
    fn ticks(&self) -> u32 {
        self.ticks
    }
}

fn as_drawn() -> Coordinate {
    Coordinate(1.0)
}

fn is_as_drawn(factor: &Coordinate) -> bool {
    factor.0 == 1.0
}

fn is_false(value: &bool) -> bool {
    !value
}

/// Core's enums as the schema describes them.
#[cfg(test)]
mod schema {
    use schemars::JsonSchema;
    use serde::Serialize;

    /// The order in which a clip's steps play.
    #[derive(Serialize, JsonSchema)]
    #[serde(rename_all = "kebab-case")]
    #[expect(dead_code, reason = "only its schema is used")]
    pub(super) enum PlayMode {
        /// First to last.
        Forward,
        /// There and back (ping-pong), with the first and last steps shown once: 0 1 2 1.
        Bounce,
    }
}
