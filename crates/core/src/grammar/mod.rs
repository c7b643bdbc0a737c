//! Every text a person types that stands for a value: clips, selections, rows, names, colors, ratios, sizes, places.
//!
//! Each file is one grammar, or a few small ones of a kind. Parsing never looks at a set; types whose meaning depends on one,
//! such as [`Selection`], resolve it afterwards. Longer grammars report a [`SyntaxError`] that points at a character of the
//! text, single values a [`ValueError`] that says what to write instead. No error names an option.

mod clip_edits;
mod clip_rows;
mod clip_spec;
mod clip_text;
mod cursor;
mod filter;
mod key;
mod name_template;
mod pack;
mod pattern;
mod ratio;
mod selection;
mod shape;
mod values;

pub use clip_rows::{EmptyRow, RowClips, RowError, RowList};
pub use clip_spec::{ApplyError, ClipSpec, add_clips};
pub use cursor::SyntaxError;
pub use filter::{FilterError, FrameFilter};
pub use name_template::{NameTemplate, NamingError};
pub use pattern::Pattern;
pub use ratio::Ratio;
pub use selection::{SelectError, Selection};

/// A text that isn't a value of the kind that is wanted.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct ValueError {
    /// The text.
    pub text: String,
    /// What is wrong with it, and what to write instead.
    pub message: String,
}

impl ValueError {
    /// `'TEXT' is not ...`.
    pub(crate) fn new(text: &str, problem: &str) -> Self {
        Self { text: text.to_owned(), message: format!("'{text}' {problem}") }
    }
}
