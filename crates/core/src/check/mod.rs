//! What will look wrong in the game, before anyone sees it there.
//!
//! One file a rule. Each looks at a set and gives [`Finding`]s: the rule, the frame, the place, the number and the
//! limit it passed. Which command mends it is for the program to say. Nothing is changed here.

mod blank;
mod canvas;
mod drift;
mod duplicate;
mod edge;
mod key;
mod size_jump;
mod soft;
mod specks;

use std::fmt;
use std::str::FromStr;

use crate::clip::Clip;
use crate::parallel;
use crate::{Color, FrameSet, Name, Pair, Size};

/// What may be wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Rule {
    /// A drawing touches its cell's edge, and may be cut by it.
    TouchesEdge,
    /// Pixels at the edge hang together with nothing: they belong to a neighbor.
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
}

/// All rules, in the order in which findings are listed.
pub const RULES: [(Rule, &str); 10] = [
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

/// Why a text is no rule.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("'{0}' is no rule; there are {list}", list = RULES.map(|(_, id)| id).join(", "))]
pub struct RuleError(String);

impl FromStr for Rule {
    type Err = RuleError;

    fn from_str(text: &str) -> Result<Self, RuleError> {
        let found = RULES.iter().find(|(_, id)| *id == text.trim());
        found.map(|(rule, _)| *rule).ok_or_else(|| RuleError(text.to_owned()))
    }
}

/// From where on something is wrong.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// Pixels that the figure may move within a clip.
    pub drift: f64,
    /// How much larger or smaller a frame may be than the middle of its clip, as a share.
    pub size: f64,
    /// Pixels of the largest stray group.
    pub specks: u32,
}

impl Default for Limits {
    fn default() -> Self {
        Self { drift: 3.0, size: 0.2, specks: 4 }
    }
}

/// Something that will look wrong.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// What is wrong.
    pub rule: Rule,
    /// The sprite.
    pub sprite: Name,
    /// The frame, counted in the set from 0.
    pub frame: usize,
    /// The clip, where it shows in one.
    pub clip: Option<Name>,
    /// The place on the canvas.
    pub at: Option<Pair>,
    /// The number.
    pub value: f64,
    /// What it should not pass.
    pub limit: f64,
    /// What was seen there.
    pub seen: Seen,
    /// What mends it.
    pub remedy: Remedy,
}

/// What was seen, with its numbers. Lengths are pixels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Seen {
    /// The drawing touches sides of its canvas with so many pixels.
    Touches {
        /// Pixels that touch.
        pixels: u32,
        /// Which sides.
        sides: Sides,
    },
    /// A group at the edge hangs together with nothing.
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
    /// The figure stands elsewhere than the clip has it: so far to the right, and down; 0 where within the limit.
    Moved {
        /// To the right; less than 0 to the left.
        right: f64,
        /// Down; less than 0 up.
        down: f64,
    },
    /// The drawing is larger or smaller than the clip has it.
    Size {
        /// This drawing.
        drawing: Size,
        /// The middle of the clip: width and height.
        middle: (f64, f64),
        /// How many times as large.
        factor: f64,
    },
    /// Half-clear pixels in art of hard edges.
    Soft {
        /// How many.
        pixels: u64,
    },
    /// The whole frame stands on one color.
    FlatBackground(Color),
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
}

/// Sides of a canvas: left, right, top, bottom.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Sides(pub [bool; 4]);

/// What mends a finding.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Remedy {
    /// Look at the cut, or give the drawing more room.
    MoreRoom,
    /// Remove groups of up to so many pixels.
    RemoveGroups(u32),
    /// Line the clip up.
    LineUp,
    /// Scale the frame by this factor.
    Scale(f64),
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
}

/// Everything that looks wrong, rule by rule and frame by frame.
pub fn check(set: &FrameSet, limits: &Limits) -> Vec<Finding> {
    let frames = set.frames();
    let alone = |rule: fn(&FrameSet, usize, &Limits) -> Vec<Finding>| -> Vec<Finding> {
        parallel::flat(frames.len(), |at| rule(set, at, limits))
    };
    let mut found = alone(|set, at, limits| {
        let mut found = edge::find(set, at, limits);
        found.extend(specks::find(set, at, limits));
        found.extend(key::find(set, at, limits));
        found
    });
    found.extend(soft::find(set));
    found.extend(drift::find(set, limits));
    found.extend(size_jump::find(set, limits));
    found.extend(canvas::find(set));
    found.extend(duplicate::find(set));
    found.extend(blank::find(set));
    found.sort_by_key(|finding| (finding.rule, finding.frame));
    found
}

/// The frames that a clip shows, each once, in the set's order.
fn frames_of(clip: &Clip) -> Vec<usize> {
    let mut frames: Vec<usize> = clip.steps().iter().map(|step| step.frame).collect();
    frames.sort_unstable();
    frames.dedup();
    frames
}

/// The middle of some numbers; 0 where there are none.
fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied().unwrap_or(0.0)
}

#[cfg(test)]
mod tests;
