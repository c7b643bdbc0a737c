//! The text of a recipe, and places in it. Whatever is wrong with a recipe is told with the place it is at.

use std::fmt;
use std::ops::Range;
use std::path::{Path, PathBuf};

/// A part of a recipe's text, in bytes.
pub type Span = Range<usize>;

/// More of a line than this is not shown.
const WIDEST: usize = 100;

/// A recipe as it was read.
#[derive(Clone, Debug, Default)]
pub struct Text {
    file: PathBuf,
    text: String,
}

/// A place in a recipe, with the line it is on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mark {
    /// Line from 1.
    pub line: usize,
    /// Column from 1, in characters.
    pub column: usize,
    /// The line, or what is near the place where it is long.
    shown: String,
    /// How many characters of `shown` come before the place.
    before: usize,
    /// How many characters are meant.
    width: usize,
}

impl Text {
    /// The text of a file.
    pub fn new(file: &Path, text: String) -> Self {
        Self { file: file.to_owned(), text }
    }

    /// The file, as it was named.
    pub fn file(&self) -> &Path {
        &self.file
    }

    /// The whole text.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The place where a part begins.
    pub fn mark(&self, span: &Span) -> Mark {
        let floor =
            |at: usize| (0..=at.min(self.text.len())).rev().find(|&at| self.text.is_char_boundary(at));
        let start = floor(span.start).unwrap_or(0);
        let end = floor(span.end).unwrap_or(start).max(start);
        let head = self.text[..start].rfind('\n').map_or(0, |at| at + 1);
        let tail = self.text[start..].find(['\n', '\r']).map_or(self.text.len(), |at| start + at);
        let column = self.text[head..start].chars().count();
        // A long line is shown from a little before the place.
        let skipped = column.saturating_sub(WIDEST / 2);
        let line = self.text[head..tail].chars().skip(skipped).take(WIDEST);
        let shown: String = line.map(|c| if c.is_control() { ' ' } else { c }).collect();
        let before = column - skipped;
        let width = self.text[start..end.min(tail)].chars().count();
        let room = shown.chars().count().saturating_sub(before);
        Mark {
            line: self.text[..start].matches('\n').count() + 1,
            column: column + 1,
            shown,
            before,
            width: width.min(room).max(1),
        }
    }
}

impl Mark {
    /// The line with marks under what is meant, as two lines.
    pub fn pointer(&self) -> String {
        format!("{}\n{}{}", self.shown, " ".repeat(self.before), "^".repeat(self.width))
    }
}

impl fmt::Display for Mark {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}", self.line, self.column)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn mark(text: &str, span: Span) -> Mark {
        Text::new(Path::new("shibori.toml"), text.to_owned()).mark(&span)
    }

    #[test]
    fn places_count_characters_and_long_lines_are_cut() {
        let text = "a = 1\r\nn\u{e9}w = \"x\"\n";
        let at = text.find('"').unwrap();
        let found = mark(text, at..at + 3);
        assert_eq!((found.line, found.column), (2, 7));
        assert_eq!(found.pointer(), "n\u{e9}w = \"x\"\n      ^^^");
        assert_eq!(mark("a = 1\n", 6..6).line, 2);
        assert_eq!(mark("", 0..0).pointer(), "\n^");
        let long = format!("{}wrong{}", "x".repeat(5000), "y".repeat(5000));
        let found = mark(&long, 5000..5005);
        assert_eq!(found.column, 5001);
        assert!(found.pointer().lines().all(|line| line.chars().count() <= WIDEST));
        assert!(found.pointer().ends_with("^^^^^"));
    }
}
