//! What a person would lose if a manifest were replaced, counted and named.

use std::collections::BTreeMap;
use std::fmt;

/// Names shown of each kind; the rest is counted.
const SHOWN: usize = 3;

/// What would be lost, by kind: a word for it, and what each belongs to.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Losses(BTreeMap<(u8, &'static str), Vec<String>>);

impl Losses {
    /// Whether nothing would be lost.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(crate) fn add(&mut self, kind: Kind, name: String) {
        self.0.entry((kind as u8, kind.word())).or_default().push(name);
    }
}

impl fmt::Display for Losses {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (at, ((_, word), names)) in self.0.iter().enumerate() {
            let plural = if names.len() == 1 || word.ends_with('s') { "" } else { "s" };
            let shown = names[..names.len().min(SHOWN)].join(", ");
            let more = if names.len() > SHOWN { ", ..." } else { "" };
            let comma = if at > 0 { "; " } else { "" };
            write!(f, "{comma}{} {word}{plural} ({shown}{more})", names.len())?;
        }
        Ok(())
    }
}

/// What can be lost.
#[derive(Clone, Copy)]
pub(crate) enum Kind {
    Clip,
    Event,
    Box,
    Nine,
    Polygon,
    Extras,
    Key,
}

impl Kind {
    fn word(self) -> &'static str {
        match self {
            Self::Clip => "clip",
            Self::Event => "event",
            Self::Box => "box",
            Self::Nine => "nine-slice",
            Self::Polygon => "polygon",
            Self::Extras => "extras",
            Self::Key => "key of your own",
        }
    }
}
