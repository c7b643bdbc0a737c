//! What can't be meant together. Options are named by their plain names, as a recipe writes them; how they are typed
//! elsewhere is the program's to say.

/// Options that make no sense beside each other.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum OptionConflict {
    /// Two that answer one question, such as `grid` and `islands`.
    #[error("{first} and {second} both define {what}")]
    Both {
        /// One.
        first: &'static str,
        /// The other.
        second: &'static str,
        /// The question they answer.
        what: &'static str,
    },
    /// One without effect, unless another is there.
    #[error("{option} has no effect without {with}")]
    Needs {
        /// The one without effect.
        option: &'static str,
        /// What it goes with: an option, and its value where only one will do.
        with: Requirement,
    },
    /// Two that can't both be done.
    #[error("{first} and {second} contradict each other{why}")]
    Against {
        /// One, with its value where that matters.
        first: String,
        /// The other.
        second: String,
        /// Why, beginning with ": "; or empty.
        why: &'static str,
    },
    /// A value given twice where each may be there once.
    #[error("{option}: '{value}' is given twice")]
    Twice {
        /// The option.
        option: &'static str,
        /// The value.
        value: String,
    },
    /// A sheet that stays as it is can't show what would change.
    #[error("an untouched sheet can't show the changes that other options make")]
    ManifestOnly,
}

impl OptionConflict {
    /// The option that is in the way, where it is one.
    pub fn option(&self) -> Option<&str> {
        match self {
            Self::Both { first, .. } => Some(first),
            Self::Needs { option, .. } | Self::Twice { option, .. } => Some(option),
            // With its value behind it.
            Self::Against { first, .. } => first.split(' ').next(),
            Self::ManifestOnly => Some("manifest-only"),
        }
    }
}

/// What an option goes with.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Requirement {
    /// The option.
    pub option: &'static str,
    /// Its only good value, if any value will not do.
    pub value: Option<&'static str>,
}

impl std::fmt::Display for Requirement {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.value {
            None => f.write_str(self.option),
            Some(value) => write!(f, "{} {value}", self.option),
        }
    }
}

/// Refuses `option` where it was said and what it goes with was not.
pub(super) fn needs(
    is_said: bool,
    option: &'static str,
    is_there: bool,
    with: &'static str,
    value: Option<&'static str>,
) -> Result<(), OptionConflict> {
    match is_said && !is_there {
        true => Err(OptionConflict::Needs { option, with: Requirement { option: with, value } }),
        false => Ok(()),
    }
}

/// Refuses a list that holds a value twice.
pub(super) fn reject_duplicates<T: PartialEq>(
    option: &'static str,
    values: &[T],
    describe: impl Fn(&T) -> String,
) -> Result<(), OptionConflict> {
    let twice = (1..values.len()).find(|&at| values[..at].contains(&values[at]));
    twice.map_or(Ok(()), |at| Err(OptionConflict::Twice { option, value: describe(&values[at]) }))
}
