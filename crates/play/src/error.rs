//! Why something is not an atlas.

use alloc::string::String;
use core::fmt;

/// What is wrong with an atlas, and where.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AtlasError {
    /// The place, as a path of keys: `clips[2].steps[0].frame`. Empty for the whole.
    pub place: String,
    /// What is wrong there.
    pub problem: Problem,
}

/// What can be wrong with an atlas.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Problem {
    /// Not JSON.
    Json(String),
    /// A format that this version doesn't read.
    Format(String),
    /// A key that is missing.
    Missing,
    /// A value of the wrong kind or out of range.
    Expected(&'static str),
    /// An index beyond the end of its list.
    Index {
        /// The index, from 0.
        index: usize,
        /// How long the list is.
        count: usize,
    },
    /// A rectangle that reaches beyond its page or its canvas.
    Outside,
    /// Two frames or clips of one sprite with the same name.
    Twice(String),
}

impl fmt::Display for AtlasError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.place.as_str() {
            "" => self.problem.fmt(f),
            place => write!(f, "{place}: {}", self.problem),
        }
    }
}

impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Json(why) => write!(f, "not JSON: {why}"),
            Self::Format(format) => write!(f, "the format is '{format}', and this version reads 'shibori/1'"),
            Self::Missing => f.write_str("missing"),
            Self::Expected(what) => write!(f, "must be {what}"),
            Self::Index { index, count } => {
                write!(f, "{index} is out of range: there are {count}, counted from 0")
            }
            Self::Outside => f.write_str("reaches beyond the page or the canvas"),
            Self::Twice(name) => write!(f, "there are two '{name}'"),
        }
    }
}

impl core::error::Error for AtlasError {}
