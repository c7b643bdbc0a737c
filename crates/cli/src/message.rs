//! What is said beside results: a line, what it is about, and what to do about it. How it looks is the console's.

/// Something to say on stderr: a line, and what to do about it.
#[derive(Clone, Debug)]
pub(crate) struct Message {
    pub(crate) text: String,
    /// A typed text with a mark under the wrong character.
    pub(crate) pointer: Option<String>,
    pub(crate) hint: Option<String>,
}

impl Message {
    /// A line alone.
    pub(crate) fn plain(text: &str) -> Self {
        Self { text: text.to_owned(), pointer: None, hint: None }
    }
}

/// How much a message matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum MessageLevel {
    Error,
    Warning,
    Note,
}
