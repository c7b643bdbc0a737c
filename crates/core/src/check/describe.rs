//! Findings in words, for people. Remedies are worded elsewhere.

use std::fmt;

use crate::FrameSet;
use crate::check::{Finding, Observation, Sides};

impl Finding {
    /// A sentence about its frame: `the figure jumps 4 px right off its path in 'walk' (limit 2 px)`. `set` is the one it was
    /// found in.
    ///
    /// # Panics
    /// If `set` is another one.
    pub fn describe(&self, set: &FrameSet) -> String {
        let clip = self.clip.as_ref().map(ToString::to_string).unwrap_or_default();
        match self.seen {
            Observation::Touches { pixels, sides } => {
                format!(
                    "is flat along {pixels} px of the {} edge of its canvas: it may be cut off there",
                    list_sides(sides)
                )
            }
            Observation::Neighbor { area, sides } => {
                format!(
                    "{area} px at the {} edge are not connected to the drawing; they look like part of the neighboring one",
                    list_sides(sides)
                )
            }
            Observation::Stray { area, drawing } => {
                format!("{area} stray px next to a drawing of {drawing} px")
            }
            Observation::Forgotten { area } => {
                format!("contains only {area} px: a blank frame with leftover pixels")
            }
            Observation::Moved { right, down } => {
                let ways: Vec<String> =
                    [describe_offset(right, "right", "left"), describe_offset(down, "down", "up")]
                        .into_iter()
                        .flatten()
                        .collect();
                let is_up_only = right == 0.0 && down < 0.0;
                format!(
                    "the figure jumps {} off its path in '{clip}' (limit {} px){}",
                    ways.join(" and "),
                    plain(self.limit),
                    if is_up_only { "; fine if it is a hop" } else { "" }
                )
            }
            Observation::Slides { right, down } => {
                let ways: Vec<String> =
                    [describe_offset(right, "right", "left"), describe_offset(down, "down", "up")]
                        .into_iter()
                        .flatten()
                        .collect();
                format!(
                    "the figure slides {} during '{clip}' and jumps back when it loops",
                    ways.join(" and ")
                )
            }
            Observation::Size { factor, is_at_end } => format!(
                "the figure is {:.0}% the size it has in the other frames of '{clip}'{}",
                (factor * 100.0).round(),
                if is_at_end { "; fine if it comes into sight or goes out of it" } else { "" }
            ),
            Observation::Grows { factor } => {
                let (verb, times) = if factor > 1.0 { ("grows", factor) } else { ("shrinks", 1.0 / factor) };
                format!("the drawing {verb} {times:.1} times during '{clip}' and jumps back when it loops")
            }
            Observation::Border { color, pixels } => {
                format!("has a border of {color}, {pixels} px wide, on all four sides")
            }
            Observation::Short { step, millis } => format!(
                "step {step} of '{clip}' lasts {} ms, less than a 60 Hz screen refresh (16.7 ms), so it is skipped at times",
                plain(millis)
            ),
            Observation::Soft { pixels } => format!("{pixels} semitransparent px in art with hard edges"),
            Observation::FlatBackground { color, of_all: true } => {
                format!("all frames have a flat background of {color}")
            }
            Observation::FlatBackground { color, of_all: false } => {
                format!("has a flat background of {color}; the other frames of '{clip}' are transparent")
            }
            Observation::KeyPixels { pixels, color } => {
                format!("{pixels} px of the key color {color} remain")
            }
            Observation::OtherCanvas { than } => {
                let (canvas, other) = (set.frames()[self.frame].canvas(), &set.frames()[than]);
                format!(
                    "has a {canvas} px canvas, but '{}' in the same clip has {} px",
                    other.name(),
                    other.canvas()
                )
            }
            Observation::NoCompanion { like, example } => {
                let name = |at: usize| set.frames()[at].name();
                format!("has no companion, but '{}' has '{}'", name(like), name(example))
            }
            Observation::OtherCompanion { base } => {
                let base = &set.frames()[base];
                format!(
                    "is {} px, but its base frame '{}' is {} px",
                    set.frames()[self.frame].canvas(),
                    base.name(),
                    base.canvas()
                )
            }
            Observation::CompanionPage { ref file, found: None, .. } => {
                format!("its page's companion '{file}' is missing")
            }
            Observation::CompanionPage { ref file, found: Some(found), wanted } => {
                format!("its page's companion '{file}' is {found} px, but the page is {wanted} px")
            }
            Observation::Nothing => format!("is blank, so the figure blinks in '{clip}'"),
            Observation::Repeats { before } => {
                format!("is identical to '{}', the frame before it", set.frames()[before].name())
            }
        }
    }
}

impl fmt::Display for Finding {
    /// The rule, the frame and the number, without a set to name things by.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: frame {} of '{}'", self.rule, self.frame, self.sprite)?;
        if let Some(clip) = &self.clip {
            write!(f, " in '{clip}'")?;
        }
        match self.limit > 0.0 {
            true => write!(f, ": {} (limit {})", plain(self.value), plain(self.limit)),
            false => Ok(()),
        }
    }
}

/// So far one way or the other; nothing where it is 0.
fn describe_offset(pixels: f64, more: &str, less: &str) -> Option<String> {
    match pixels {
        p if p > 0.0 => Some(format!("{} px {more}", plain(p))),
        p if p < 0.0 => Some(format!("{} px {less}", plain(-p))),
        _ => None,
    }
}

fn list_sides(Sides(sides): Sides) -> String {
    let names = ["left", "right", "top", "bottom"].into_iter().zip(sides);
    names.filter(|(_, is)| *is).map(|(name, _)| name).collect::<Vec<_>>().join(" and ")
}

/// At most one decimal.
fn plain(number: f64) -> String {
    let text = format!("{number:.1}");
    text.strip_suffix(".0").map(str::to_owned).unwrap_or(text)
}
