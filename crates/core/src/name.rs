//! Names of frames, sprites and clips. Never decides what a file is called.

use std::borrow::Borrow;
use std::fmt;
use std::str::FromStr;

/// A name of 1 to 200 characters without control characters.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Name(String);

/// Why a text is not a name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NameError {
    /// Nothing there.
    #[error("a name can't be empty")]
    Empty,
    /// More than 200 characters.
    #[error("a name of {0} characters is too long; at most {limit} fit", limit = Name::MAX_CHARS)]
    Long(usize),
    /// A tab, a line break or the like.
    #[error("the name {0:?} holds a control character")]
    Control(String),
}

impl Name {
    /// The most characters a name may have.
    pub const MAX_CHARS: usize = 200;

    /// Checks and takes a name.
    pub fn new(text: impl Into<String>) -> Result<Self, NameError> {
        let text = text.into();
        let length = text.chars().count();
        if length == 0 {
            Err(NameError::Empty)
        } else if length > Self::MAX_CHARS {
            Err(NameError::Long(length))
        } else if text.chars().any(char::is_control) {
            Err(NameError::Control(text))
        } else {
            Ok(Self(text))
        }
    }

    /// The name as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl FromStr for Name {
    type Err = NameError;

    fn from_str(text: &str) -> Result<Self, NameError> {
        Self::new(text)
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl Borrow<str> for Name {
    fn borrow(&self) -> &str {
        &self.0
    }
}
