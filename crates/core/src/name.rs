//! Names of frames, sprites and clips. Never decides what a file is called.

use std::borrow::Borrow;
use std::fmt;
use std::sync::Arc;

/// A name of 1 to 200 characters without control characters.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Name(Arc<str>);

/// Why a text is not a name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NameError {
    /// Nothing there.
    #[error("a name can't be empty")]
    Empty,
    /// More than 200 characters.
    #[error("a name of {0} characters is too long; the maximum is {limit}", limit = Name::MAX_CHARS)]
    Long(usize),
    /// A tab, a line break or the like.
    #[error("the name {0:?} contains a control character")]
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
            Ok(Self(text.into()))
        }
    }

    /// The name as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl PartialEq<str> for Name {
    fn eq(&self, other: &str) -> bool {
        &*self.0 == other
    }
}

impl PartialEq<&str> for Name {
    fn eq(&self, other: &&str) -> bool {
        &*self.0 == *other
    }
}

impl PartialEq<Name> for str {
    fn eq(&self, other: &Name) -> bool {
        other == self
    }
}

impl Borrow<str> for Name {
    fn borrow(&self) -> &str {
        &self.0
    }
}

/// Names Windows keeps for devices, whatever ending follows.
const DEVICES: [&str; 22] = [
    "con", "prn", "aux", "nul", "com1", "com2", "com3", "com4", "com5", "com6", "com7", "com8", "com9",
    "lpt1", "lpt2", "lpt3", "lpt4", "lpt5", "lpt6", "lpt7", "lpt8", "lpt9",
];

/// Characters that Windows doesn't allow in file names.
const FORBIDDEN: [char; 8] = ['<', '>', ':', '"', '\\', '|', '?', '*'];

/// Why a name can't be a path on some common system.
pub fn portability_problem(name: &str) -> Option<&'static str> {
    name.split('/').find_map(|part| {
        let stem = part.split('.').next().unwrap_or(part).trim_end().to_lowercase();
        if part.is_empty() {
            Some("a part between slashes is empty")
        } else if part == "." || part == ".." {
            Some("'.' and '..' are reserved for folders")
        } else if part.contains(FORBIDDEN) {
            Some("the characters < > : \" \\ | ? * are not allowed in file names on Windows")
        } else if part.ends_with(['.', ' ']) || part.starts_with(' ') {
            Some("Windows drops a dot or space at the end")
        } else if DEVICES.contains(&stem.as_str()) {
            Some("Windows reserves this name for a device")
        } else {
            None
        }
    })
}

/// A similar name that works as a path on every system: characters that some system forbids become `-`.
pub fn portable_name(name: &str) -> String {
    let replaced = name.replace(|c: char| c.is_control() || FORBIDDEN.contains(&c), "-");
    let part = |part: &str| -> String {
        let part = part.trim_start_matches(' ').trim_end_matches(['.', ' ']);
        match portability_problem(part) {
            None => part.to_owned(),
            Some(_) if part.is_empty() => "frames".to_owned(),
            // Device names are reserved with any extension.
            Some(_) => format!("frames-{part}"),
        }
    };
    replaced.split('/').map(part).collect::<Vec<_>>().join("/")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_fail_somewhere_are_refused_everywhere() {
        for good in ["koi-00", "koi/001", "a b", ".hidden", "frog-01@turn.2", "鯉"] {
            assert_eq!(portability_problem(good), None, "{good}");
        }
        for bad in
            ["/koi", "koi//1", "../koi", "a:b", "a?b", "koi.", "koi ", " koi", "con", "x/NUL.txt", "a\\b", ""]
        {
            assert!(portability_problem(bad).is_some(), "{bad:?}");
            assert_eq!(portability_problem(&portable_name(bad)), None, "{bad:?}");
        }
        for (name, portable) in [
            ("koi pond", "koi pond"),
            ("a\"b", "a-b"),
            ("con", "frames-con"),
            ("walk. ", "walk"),
            ("..", "frames"),
        ] {
            assert_eq!(portable_name(name), portable);
        }
    }
}
