//! Reading the small texts people type (selections, clips, name templates), one character at a time,
//! so that an error can point at its character. Knows no grammar itself.

use std::fmt;

/// What is wrong in a typed text, and at which character.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SyntaxError {
    /// The whole text.
    pub text: String,
    /// The character, counted from 0.
    pub at: usize,
    /// What is wrong there.
    pub problem: String,
}

impl SyntaxError {
    /// The text with a mark under the character, as two lines.
    pub fn pointer(&self) -> String {
        format!("{}\n{}^", self.text, " ".repeat(self.at))
    }
}

impl fmt::Display for SyntaxError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "'{}': {} at character {}", self.text, self.problem, self.at + 1)
    }
}

impl std::error::Error for SyntaxError {}

/// A place in a text.
pub(crate) struct Cursor<'a> {
    text: &'a str,
    at: usize,
}

impl<'a> Cursor<'a> {
    pub(crate) fn new(text: &'a str) -> Self {
        Self { text, at: 0 }
    }

    pub(crate) fn rest(&self) -> &'a str {
        &self.text[self.at..]
    }

    pub(crate) fn is_at_end(&self) -> bool {
        self.rest().is_empty()
    }

    pub(crate) fn place(&self) -> usize {
        self.at
    }

    pub(crate) fn peek(&self) -> Option<char> {
        self.rest().chars().next()
    }

    /// Takes `wanted` if it comes next.
    pub(crate) fn eat(&mut self, wanted: &str) -> bool {
        let found = self.rest().starts_with(wanted);
        if found {
            self.at += wanted.len();
        }
        found
    }

    /// Takes as many characters as fit, perhaps none.
    pub(crate) fn take_while(&mut self, fits: impl Fn(char) -> bool) -> &'a str {
        let rest = self.rest();
        let end = rest.find(|c| !fits(c)).unwrap_or(rest.len());
        self.at += end;
        &rest[..end]
    }

    /// Skips spaces; says whether there were any.
    pub(crate) fn skip_spaces(&mut self) -> bool {
        !self.take_while(char::is_whitespace).is_empty()
    }

    /// A whole number.
    pub(crate) fn number(&mut self, what: &str) -> Result<u32, SyntaxError> {
        let start = self.at;
        let digits = self.take_while(|c| c.is_ascii_digit());
        if digits.is_empty() {
            return Err(self.expected(what));
        }
        digits.parse().map_err(|_| self.error_at(start, format!("{digits} is too large for {what}")))
    }

    /// An error at this place: something else was expected.
    pub(crate) fn expected(&self, what: &str) -> SyntaxError {
        let found = match self.peek() {
            Some(c) => format!("expected {what}, found '{c}'"),
            None => format!("it ends where {what} should follow"),
        };
        self.error_at(self.at, found)
    }

    pub(crate) fn error_at(&self, at: usize, problem: impl Into<String>) -> SyntaxError {
        let at = self.text[..at].chars().count();
        SyntaxError { text: self.text.to_owned(), at, problem: problem.into() }
    }
}
