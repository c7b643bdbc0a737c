//! The text of a recipe and of those that it includes, and places in them. Whatever is wrong is reported with its place.
//!
//! Places count through all files, one after another: so a place says which file it is in.

use std::fmt;
use std::ops::Range;
use std::path::{Path, PathBuf};

/// A part of a recipe's text, in bytes.
pub type Span = Range<usize>;

/// More of a line than this is not shown.
const MAX_EXCERPT: usize = 100;

/// A recipe as it was read, with those that it includes.
#[derive(Clone, Debug)]
pub struct RecipeText {
    /// The recipe is the first.
    files: Vec<File>,
}

#[derive(Clone, Debug)]
struct File {
    path: PathBuf,
    /// Its text after as many spaces as there are bytes before it, so that places in it count on from there.
    padded: String,
    start: usize,
    /// The files that it includes, each later in the list.
    includes: Vec<usize>,
}

/// A place in a recipe, with the line it is on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Location {
    /// Line from 1.
    pub line: usize,
    /// Column from 1, in characters.
    pub column: usize,
    /// The file it is in.
    pub file: PathBuf,
    /// The line, or what is near the place where it is long.
    shown: String,
    /// How many characters of `shown` come before the place.
    before: usize,
    /// How many characters are meant.
    width: usize,
}

impl RecipeText {
    /// The text of a file.
    pub fn new(file: &Path, text: String) -> Self {
        let file = File { path: file.to_owned(), padded: text, start: 0, includes: Vec::new() };
        Self { files: vec![file] }
    }

    /// Adds a file that another one includes; gives its number.
    pub(super) fn include(&mut self, by: usize, file: &Path, text: &str) -> usize {
        let start = self.files.iter().map(|file| file.padded.len() + 1).max().unwrap_or(0);
        let padded = " ".repeat(start) + text;
        let number = self.files.len();
        self.files.push(File { path: file.to_owned(), padded, start, includes: Vec::new() });
        self.files[by].includes.push(number);
        number
    }

    /// The recipe's file, as it was named.
    pub fn file(&self) -> &Path {
        &self.files[0].path
    }

    /// All files, the recipe's first; of those that it includes, a path may begin in its folder or not.
    pub fn files(&self) -> impl Iterator<Item = &Path> {
        self.files.iter().map(|file| file.path.as_path())
    }

    /// All files with what was read of them.
    pub(super) fn texts(&self) -> impl Iterator<Item = (&Path, &str)> {
        self.files.iter().map(|file| (file.path.as_path(), &file.padded[file.start..]))
    }

    /// The file in which a part is.
    pub fn file_of(&self, span: &Span) -> &Path {
        &self.at(span).path
    }

    /// The text of one of the files, and which others it includes. Places in it are as they are here.
    pub(super) fn padded(&self, file: usize) -> (&str, &[usize]) {
        (&self.files[file].padded, &self.files[file].includes)
    }

    fn at(&self, span: &Span) -> &File {
        self.files.iter().rfind(|file| file.start <= span.start).unwrap_or(&self.files[0])
    }

    /// The place where a part begins.
    pub fn mark(&self, span: &Span) -> Location {
        let file = self.at(span);
        let text = &file.padded[file.start..];
        let floor = |at: usize| {
            let at = at.saturating_sub(file.start).min(text.len());
            (0..=at).rev().find(|&at| text.is_char_boundary(at))
        };
        let start = floor(span.start).unwrap_or(0);
        let end = floor(span.end).unwrap_or(start).max(start);
        let head = text[..start].rfind('\n').map_or(0, |at| at + 1);
        let tail = text[start..].find(['\n', '\r']).map_or(text.len(), |at| start + at);
        let column = text[head..start].chars().count();
        // A long line is shown from a little before the place.
        let skipped = column.saturating_sub(MAX_EXCERPT / 2);
        let line = text[head..tail].chars().skip(skipped).take(MAX_EXCERPT);
        let shown: String = line.map(|c| if c.is_control() { ' ' } else { c }).collect();
        let before = column - skipped;
        let width = text[start..end.min(tail)].chars().count();
        let room = shown.chars().count().saturating_sub(before);
        Location {
            line: text[..start].matches('\n').count() + 1,
            column: column + 1,
            file: file.path.clone(),
            shown,
            before,
            width: width.min(room).max(1),
        }
    }
}

impl Location {
    /// The line with marks under what is meant, as two lines.
    pub fn pointer(&self) -> String {
        format!("{}\n{}{}", self.shown, " ".repeat(self.before), "^".repeat(self.width))
    }
}

impl fmt::Display for Location {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}", self.line, self.column)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn mark(text: &str, span: Span) -> Location {
        RecipeText::new(Path::new("shibori.toml"), text.to_owned()).mark(&span)
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
        assert!(found.pointer().lines().all(|line| line.chars().count() <= MAX_EXCERPT));
        assert!(found.pointer().ends_with("^^^^^"));
    }
}
