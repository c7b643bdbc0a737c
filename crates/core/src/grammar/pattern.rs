//! Patterns of names: `leap-*`, `koi-0?`, `frog-[0-3]*`. A `*` stands for any run of characters, a `/` among them.
//! Knows nothing of files.

use std::fmt;

use glob::MatchOptions;

/// A pattern that names are held against.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pattern(glob::Pattern);

/// A name is one word: `*` passes over `/` and a leading dot.
const WHOLE_NAME: MatchOptions = MatchOptions {
    case_sensitive: true,
    require_literal_separator: false,
    require_literal_leading_dot: false,
};

impl Pattern {
    /// Reads a pattern; where it can't be one, says at which character and why.
    pub fn new(text: &str) -> Result<Self, (usize, &'static str)> {
        glob::Pattern::new(text).map(Self).map_err(|error| (error.pos, error.msg))
    }

    /// Whether the whole of `name` is like the pattern.
    pub fn is_match(&self, name: &str) -> bool {
        self.0.matches_with(name, WHOLE_NAME)
    }
}

impl fmt::Display for Pattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.0.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_hold_against_whole_names() {
        for (pattern, name, fits) in [
            ("leap-*", "leap-00", true),
            ("leap-*", "sleap-00", false),
            ("*", "east/leap-00", true),
            ("east/*", "east/leap/00", true),
            ("koi-0?", "koi-07", true),
            ("koi-0?", "koi-0\u{e9}", true),
            ("koi-[0-3]*", "koi-21", true),
            ("koi-[!0-3]*", "koi-21", false),
            ("!x", "!x", true),
            ("!x", "y", false),
            ("a[*]b", "a*b", true),
            ("a[*]b", "axb", false),
            ("{koi}", "{koi}", true),
        ] {
            assert_eq!(Pattern::new(pattern).unwrap().is_match(name), fits, "{pattern} {name}");
        }
    }

    #[test]
    fn what_is_no_pattern_is_refused_at_its_place() {
        for (text, at) in [("a[b", 1), ("ab***c", 4)] {
            assert_eq!(Pattern::new(text).unwrap_err().0, at, "{text}");
        }
    }
}
