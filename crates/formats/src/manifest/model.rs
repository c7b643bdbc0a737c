//! The manifest's shape, key by key. Never opens a page.

use std::collections::BTreeMap;

#[cfg(test)]
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

/// Where each frame lies, what it looked like untrimmed, and how clips play. All lengths are pixels of
/// the manifest's own pages; origin top left, y down.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
#[cfg_attr(test, schemars(title = "Shibori manifest", extend("$id" = "shibori/1")))]
pub struct Manifest {
    /// Always `shibori/1`.
    #[cfg_attr(test, schemars(extend("const" = "shibori/1")))]
    pub format: String,
    /// A sum of the text, by which shibori knows that nobody changed it since; other readers pass over it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seal: Option<String>,
    /// The images that frames lie on.
    pub pages: Vec<Page>,
    /// The frames in order; clips count in this list from 0.
    pub frames: Vec<FrameEntry>,
    /// Named sequences.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub clips: Vec<ClipEntry>,
    /// The user's own.
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
pub struct Page {
    /// Its path from the manifest, with `/`; never leaves the manifest's folder.
    pub file: String,
    /// Its width and height in pixels.
    pub size: [u32; 2],
    /// How many times as large as drawn everything on it is.
    #[serde(default = "as_drawn", skip_serializing_if = "is_as_drawn")]
    pub factor: Coordinate,
    /// Whether colors are multiplied by alpha; `straight` where it says nothing.
    #[serde(default, skip_serializing_if = "Alpha::is_straight")]
    pub alpha: Alpha,
    /// Its cells, where all frames lie in cells of one size.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub grid: Option<GridEntry>,
    /// How the game is to filter it; where it says nothing, nothing is asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sampling: Option<Sampling>,
    /// Images laid out exactly like this one, by suffix, such as its normal map: `"_n": "pond_n.png"`.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub companions: BTreeMap<String, String>,
    /// The user's own.
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
    /// How many across.
    pub columns: u32,
    /// How many down.
    pub rows: u32,
    /// Width and height of one; a bleed is part of it.
    pub cell: [u32; 2],
    /// Pixels before the first one: across, down.
    #[serde(default, skip_serializing_if = "is_nothing")]
    pub offset: [u32; 2],
    /// Pixels between them: across, down.
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

/// How a page keeps transparency.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Alpha {
    /// Colors are as seen, alpha beside them.
    #[default]
    Straight,
    /// Colors are multiplied by alpha.
    Premultiplied,
}

/// How a game filters a page.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Sampling {
    /// Pixels stay square.
    Nearest,
    /// Pixels are blended with their neighbors.
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
    /// The page it lies on, from 0.
    pub page: usize,
    /// Its pixels on the page: x, y, width, height. All 0 for a blank frame.
    pub rect: [u32; 4],
    /// Whether the page holds it rotated a quarter turn clockwise; `rect` is then as on the page.
    #[serde(default, skip_serializing_if = "is_false")]
    pub turned: bool,
    /// `rect` as fractions of the page, 0 to 1: left, top, right, bottom. Only where it was asked for; where top is the larger, v runs up.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub uv: Option<[Coordinate; 4]>,
    /// Its full width and height before trimming.
    pub canvas: [u32; 2],
    /// Where the kept pixels start inside the canvas: x, y.
    #[serde(default)]
    pub inset: [u32; 2],
    /// The point of the canvas that stays put: x, y; fractions allowed, corners between pixels are whole.
    pub pivot: [Coordinate; 2],
    /// Named boxes on the canvas: x, y, width, height; they may reach outside.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub boxes: BTreeMap<String, [i32; 4]>,
    /// Where a panel stretches: pixels from the canvas's left, top, right and bottom that do not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub nine: Option<[u32; 4]>,
    /// Corners of a convex shape on the canvas that covers every pixel shown, clockwise: x, y.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub polygon: Vec<[Coordinate; 2]>,
    /// Where it came from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub source: Option<SourceEntry>,
    /// The user's own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extras: Option<Map<String, Value>>,
    /// Keys of other versions and tools.
    #[serde(flatten)]
    pub other: Map<String, Value>,
}

/// A number of pixels, written without a fraction where it has none.
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
    /// The cell of a grid: `r2c5` is row 2, column 5, both from 0.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cell: Option<String>,
    /// The pixels of the file: x, y, width, height.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rect: Option<[u32; 4]>,
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
    /// The way through the steps.
    #[serde(default)]
    pub play: Playing,
    /// How often; 0 is for ever.
    #[serde(default)]
    pub plays: u32,
    /// Ticks a second: a step lasts `ticks / timescale` seconds.
    pub timescale: u32,
    /// What is shown, in order; at least one.
    pub steps: Vec<StepEntry>,
    /// The user's own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extras: Option<Map<String, Value>>,
    /// Keys of other versions and tools.
    #[serde(flatten)]
    pub other: Map<String, Value>,
}

/// The way through a clip's steps.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Playing {
    /// First to last.
    #[default]
    Forward,
    /// There and back, first and last once: 0 1 2 1.
    Bounce,
}

/// One step of a clip.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(test, derive(JsonSchema))]
pub struct StepEntry {
    /// The frame, counted in `frames` from 0.
    pub frame: usize,
    /// How long, in ticks; at least 1.
    #[cfg_attr(test, schemars(range(min = 1)))]
    pub ticks: u32,
    /// Drawn mirrored left-right about the pivot.
    #[serde(default, skip_serializing_if = "is_false")]
    pub mirror: bool,
    /// What the game is told when the step begins.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub event: Option<String>,
    /// Keys of other versions and tools.
    #[serde(flatten)]
    pub other: Map<String, Value>,
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
