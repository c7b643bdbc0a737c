//! What will look wrong in the game, before anyone sees it there.
//!
//! One file per rule. Each looks at a set and returns [`Finding`]s: the rule, the frame, the position, the number and the
//! limit it exceeds. Frames are judged by their neighbors in a clip (`path`, on the registered positions in `trajectory`)
//! and by the rest of the clip, so that what an animation does all along isn't a finding. Nothing is changed here.

mod blank;
mod border;
mod canvas;
mod companion;
mod describe;
mod drift;
mod duplicate;
mod edge;
mod key;
mod size_jump;
mod soft_alpha;
mod specks;
mod too_fast;
mod trajectory;

use std::collections::HashSet;
use std::fmt;

use crate::clip::Clip;
use crate::parallel;
use crate::register::path::median;
use crate::{Color, FrameSet, Name, Rect, Size, UVec2};

/// What may be wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum Rule {
    /// A drawing touches its cell's edge, and may be cut by it.
    TouchesEdge,
    /// Pixels at the edge are not connected to the drawing: they belong to a neighbor.
    Neighbor,
    /// Stray pixels beside the drawing, or alone in an otherwise blank frame.
    Specks,
    /// The figure slides within a clip.
    Drift,
    /// One frame is drawn larger or smaller than the others of its clip.
    SizeJump,
    /// Half-clear pixels in art of hard edges.
    SoftAlpha,
    /// A background color that was not made transparent.
    KeyLeft,
    /// Frames of one clip have canvases of different size.
    Canvases,
    /// Two steps after one another show the same picture.
    Duplicate,
    /// A frame of a clip shows nothing.
    Blank,
    /// A thin frame of one color round an otherwise open picture.
    Border,
    /// A step of a clip is shorter than a screen shows.
    TooFast,
    /// A frame whose companion, such as its normal map, is not there or has another size.
    Companion,
}

/// All rules, in the order in which findings are listed.
pub const RULES: &[(Rule, &str)] = &[
    (Rule::TouchesEdge, "touches-edge"),
    (Rule::Neighbor, "neighbor"),
    (Rule::Specks, "specks"),
    (Rule::Drift, "drift"),
    (Rule::SizeJump, "size-jump"),
    (Rule::SoftAlpha, "soft-alpha"),
    (Rule::KeyLeft, "key-left"),
    (Rule::Canvases, "canvases"),
    (Rule::Duplicate, "duplicate"),
    (Rule::Blank, "blank"),
    (Rule::Border, "border"),
    (Rule::TooFast, "too-fast"),
    (Rule::Companion, "companion"),
];

impl Rule {
    /// Its id.
    pub fn id(self) -> &'static str {
        RULES.iter().find(|(rule, _)| *rule == self).map_or("", |(_, id)| id)
    }
}

impl fmt::Display for Rule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.id())
    }
}

/// How sure it is that something is wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(rename_all = "kebab-case"))]
pub enum Severity {
    /// Players will see it.
    Wrong,
    /// Worth a look: it may be meant.
    Look,
}

impl Severity {
    /// Its id.
    pub fn id(self) -> &'static str {
        match self {
            Self::Wrong => "wrong",
            Self::Look => "look",
        }
    }
}

/// From where on something is wrong.
#[derive(Clone, Copy, Debug)]
pub struct Thresholds {
    /// Pixels that the figure may stand away from its path; a share of the canvas where nothing is said.
    pub drift: Option<f64>,
    /// How much larger or smaller a figure may be than in the frames beside it, as a share.
    pub size: f64,
    /// Pixels of the largest stray group.
    pub specks: u32,
}

impl Default for Thresholds {
    fn default() -> Self {
        Self { drift: None, size: 0.06, specks: 4 }
    }
}

/// Something that will look wrong.
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(rename_all = "snake_case"))]
pub struct Finding {
    /// What is wrong.
    pub rule: Rule,
    /// The sprite.
    pub sprite: Name,
    /// The frame, counted in the set from 0.
    pub frame: usize,
    /// The clip, where it shows in one.
    pub clip: Option<Name>,
    /// The position on the canvas.
    pub at: Option<UVec2>,
    /// The bounding box on the canvas of the pixels it is about, if it is about some of them only.
    pub area: Option<Rect>,
    /// The number.
    pub value: f64,
    /// What it should not pass.
    pub limit: f64,
    /// What was seen there.
    pub seen: Observation,
    /// What fixes it.
    pub fix: Fix,
}

/// A figure that is this many times as far off its path as the limit allows, and more than this many pixels, is wrong for sure.
const SURELY: f64 = 1.3;
const SURELY_PIXELS: f64 = 3.0;

impl Finding {
    /// How sure it is that it is wrong. A figure that is higher than its neighbors have it may hop.
    pub fn level(&self) -> Severity {
        match self.seen {
            Observation::Moved { right, down } if right == 0.0 && down < 0.0 => Severity::Look,
            // Small figures shift their weight by as much.
            Observation::Moved { .. } if self.value <= (SURELY * self.limit).max(SURELY_PIXELS) => {
                Severity::Look
            }
            Observation::Moved { .. }
            | Observation::Slides { .. }
            | Observation::Size { is_at_end: false, .. }
            | Observation::Border { .. }
            | Observation::OtherCompanion { .. }
            | Observation::CompanionPage { .. }
            | Observation::Nothing => Severity::Wrong,
            // Art that is opaque throughout may be meant so: fonts, panels, tiles.
            Observation::FlatBackground { of_all: false, .. } => Severity::Wrong,
            Observation::Forgotten { .. } if self.clip.is_some() => Severity::Wrong,
            _ => Severity::Look,
        }
    }
}

/// What was seen, with its numbers. Lengths are pixels.
#[derive(Clone, Debug, PartialEq)]
#[cfg_attr(
    feature = "serde",
    derive(serde::Serialize),
    serde(rename_all = "kebab-case", rename_all_fields = "snake_case")
)]
#[non_exhaustive]
pub enum Observation {
    /// The drawing touches sides of its canvas with this many pixels.
    Touches {
        /// Pixels that touch.
        pixels: u32,
        /// Which sides.
        sides: Sides,
    },
    /// A group at the edge is not connected to the drawing.
    Neighbor {
        /// Its pixels.
        area: u32,
        /// Which sides it touches.
        sides: Sides,
    },
    /// A stray group beside the drawing.
    Stray {
        /// Its pixels.
        area: u32,
        /// Pixels of the drawing.
        drawing: u32,
    },
    /// A few pixels are all there is.
    Forgotten {
        /// Pixels of the largest group.
        area: u32,
    },
    /// The figure stands away from the path of its neighbors: so far to the right, and down; 0 where within the limit.
    Moved {
        /// To the right; less than 0 to the left.
        right: f64,
        /// Down; less than 0 up.
        down: f64,
    },
    /// The figure slides through a clip that loops, and jumps back: so far to the right, and down.
    Slides {
        /// To the right; less than 0 to the left.
        right: f64,
        /// Down; less than 0 up.
        down: f64,
    },
    /// The figure is drawn larger or smaller than its neighbors have it.
    Size {
        /// How many times as large.
        factor: f64,
        /// Whether it is the first or the last of its clip, where a figure comes into sight or goes out of it.
        is_at_end: bool,
    },
    /// The drawing grows or shrinks throughout a clip that loops, and is back at once.
    Grows {
        /// How many times as large the last frame is as the first.
        factor: f64,
    },
    /// A thin frame of a color round all four sides.
    Border {
        /// Its color.
        color: Color,
        /// How many pixels wide.
        pixels: u32,
    },
    /// A step of this many milliseconds.
    Short {
        /// The step, counted in the clip from 0.
        step: usize,
        /// How long it is.
        millis: f64,
    },
    /// Half-clear pixels in art of hard edges.
    Soft {
        /// How many.
        pixels: u64,
    },
    /// One color is behind the drawing.
    FlatBackground {
        /// The color.
        color: Color,
        /// Whether all frames of the sprite have it, or only some among transparent ones.
        of_all: bool,
    },
    /// Pixels of a usual key color.
    KeyPixels {
        /// How many.
        pixels: u32,
        /// The color of the first.
        color: Color,
    },
    /// The canvas differs from that of another frame of the clip.
    OtherCanvas {
        /// The other frame, counted in the set from 0.
        than: usize,
    },
    /// Nothing at all.
    Nothing,
    /// The picture is that of the step before.
    Repeats {
        /// The frame of that step, counted in the set from 0.
        before: usize,
    },
    /// Others have a companion and this frame has none.
    NoCompanion {
        /// A frame that has one, counted in the set from 0.
        like: usize,
        /// That one's.
        example: usize,
    },
    /// A companion of another size than its base frame.
    OtherCompanion {
        /// The base frame, counted in the set from 0.
        base: usize,
    },
    /// A page's companion is not where the manifest says, or has another size.
    CompanionPage {
        /// The file, as the manifest names it.
        file: String,
        /// Its size, if it is there.
        found: Option<Size>,
        /// That of the page.
        wanted: Size,
    },
}

/// Sides of a canvas: left, right, top, bottom.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Sides(pub [bool; 4]);

/// The kind of change that fixes a finding.
#[derive(Clone, Copy, Debug, PartialEq)]
#[cfg_attr(
    feature = "serde",
    derive(serde::Serialize),
    serde(rename_all = "kebab-case", rename_all_fields = "snake_case")
)]
#[non_exhaustive]
pub enum Fix {
    /// Look at the cut, or give the drawing more room.
    MoreRoom,
    /// Remove groups of up to this many pixels.
    RemoveGroups(u32),
    /// Line the clip up by its figure: in both directions, or only left and right.
    LineUp {
        /// Whether the height stays as it is.
        keeps_height: bool,
    },
    /// Scale the frame by this factor.
    Scale(f64),
    /// Play the clip of this index once.
    PlayOnce(usize),
    /// Empty this many pixels along all edges.
    ClearEdge(u32),
    /// Put the times of the clip of this number on the clock of a screen.
    Slower(usize),
    /// Make pixels clear or solid.
    HardenAlpha,
    /// Make this color transparent.
    TakeOut(Color),
    /// Put all frames on this canvas.
    Canvas(Size),
    /// Leave the frame out of the clip.
    LeaveOut,
    /// Hold the frame before longer, in the clip of this number.
    Hold(usize),
    /// Pack with a neutral picture for companions of this suffix that are not there.
    FillCompanion(&'static str),
    /// Bring the frame to this size.
    Fit(Size),
    /// Put the file back, or make the pages again with companions.
    MakeAgain,
}

/// Everything that looks wrong, rule by rule and frame by frame.
pub fn check(set: &FrameSet, limits: &Thresholds) -> Vec<Finding> {
    let mut found = parallel::flat_map(set.frames().len(), |at| {
        let mut found = specks::find(set, at, limits);
        found.extend(border::find(set, at));
        found
    });
    let (companions, faults) = companion::find(set);
    let figures = trajectory::of(set);
    found.extend(edge::find(set));
    found.extend(key::find(set));
    found.extend(soft_alpha::find(set));
    let sizes = size_jump::find(set, limits, &figures);
    // A figure drawn at another size can't be where the others are.
    let scaled: HashSet<usize> = sizes.iter().map(|size| size.frame).collect();
    let drifts = drift::find(set, limits, &figures).into_iter();
    found.extend(drifts.filter(|finding| !scaled.contains(&finding.frame)));
    found.extend(sizes);
    found.extend(canvas::find(set));
    found.extend(duplicate::find(set));
    found.extend(blank::find(set));
    found.extend(too_fast::find(set));
    // Normals and masks aren't drawings.
    found.retain(|finding| !companions.contains(&finding.frame));
    found.extend(faults);
    found.sort_by_key(|finding| (finding.level(), finding.rule, finding.frame));
    found
}

/// A companion of an atlas's page that is not there or has another size than the page, by the first frame on that page.
pub fn companion_page(set: &FrameSet, at: usize, file: &str, found: Option<Size>, wanted: Size) -> Finding {
    let seen = Observation::CompanionPage { file: file.to_owned(), found, wanted };
    frame_finding(set, at, Rule::Companion, seen, Fix::MakeAgain)
}

/// A finding about a frame on its own, and the clip that shows it first.
fn frame_finding(set: &FrameSet, at: usize, rule: Rule, seen: Observation, fix: Fix) -> Finding {
    let (sprite, clip) =
        (set.frames()[at].sprite().clone(), set.first_clip_of(at).map(|clip| clip.name().clone()));
    Finding { rule, sprite, frame: at, clip, at: None, area: None, value: 0.0, limit: 0.0, seen, fix }
}

/// A finding about a frame in a clip.
fn clip_finding(clip: &Clip, at: usize, rule: Rule, seen: Observation, fix: Fix) -> Finding {
    let (sprite, clip) = (clip.sprite().clone(), Some(clip.name().clone()));
    Finding { rule, sprite, frame: at, clip, at: None, area: None, value: 0.0, limit: 0.0, seen, fix }
}

/// So many of some frames, evenly chosen: enough to speak for a clip of any length, so that work grows with the frames.
fn sample_evenly(frames: &[usize], most: usize) -> Vec<usize> {
    let count = frames.len().min(most);
    (0..count).map(|number| frames[number * frames.len() / count]).collect()
}

/// The frames that a clip shows, each once, in the set's order.
fn frames_of(clip: &Clip) -> Vec<usize> {
    let mut frames: Vec<usize> = clip.steps().iter().map(|step| step.frame).collect();
    frames.sort_unstable();
    frames.dedup();
    frames
}

#[cfg(test)]
mod tests;
