//! What a person changed in a set or an atlas, counted and named.

use std::collections::BTreeMap;
use std::fmt;

/// Names shown of each kind; the rest is counted.
const SHOWN: usize = 4;

/// Hand work by kind, each by its name: `pivot of koi-03; clip turn`.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct WouldLoseData(BTreeMap<LossKind, Vec<String>>);

impl WouldLoseData {
    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(crate) fn contains(&self, kind: LossKind, name: &str) -> bool {
        self.0.get(&kind).is_some_and(|names| names.iter().any(|other| other == name))
    }

    /// Every item, spelled out.
    pub fn items(&self) -> Vec<String> {
        let items = |(kind, names): (&LossKind, &Vec<String>)| {
            let word = kind.label();
            names.iter().map(|name| format!("{word} {name}")).collect::<Vec<_>>()
        };
        self.0.iter().flat_map(items).collect()
    }

    pub(crate) fn add(&mut self, kind: LossKind, name: String) {
        let names = self.0.entry(kind).or_default();
        if !names.contains(&name) {
            names.push(name);
        }
    }
}

impl serde::Serialize for WouldLoseData {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        self.items().serialize(to)
    }
}

impl fmt::Display for WouldLoseData {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, (kind, names)) in self.0.iter().enumerate() {
            let separator = if index > 0 { "; " } else { "" };
            let shown = names[..names.len().min(SHOWN)].join(", ");
            write!(f, "{separator}{} {shown}", kind.label())?;
            if names.len() > SHOWN {
                write!(f, " and {} more", names.len() - SHOWN)?;
            }
        }
        Ok(())
    }
}

/// Kinds of hand work.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum LossKind {
    Paint,
    Frame,
    RemovedFrame,
    Placement,
    Pivot,
    Box,
    Nine,
    Polygon,
    Clip,
    RemovedClip,
    Frames,
    Times,
    Playback,
    Event,
    Extras,
    Key,
}

impl LossKind {
    fn label(self) -> &'static str {
        match self {
            Self::Paint => "paint on",
            Self::Frame => "frame",
            Self::RemovedFrame => "removed frame",
            Self::Placement => "placement of",
            Self::Pivot => "pivot of",
            Self::Box => "box",
            Self::Nine => "nine-slice of",
            Self::Polygon => "polygon of",
            Self::Clip => "clip",
            Self::RemovedClip => "removed clip",
            Self::Frames => "frames of clip",
            Self::Times => "times of clip",
            Self::Playback => "playback of clip",
            Self::Event => "event",
            Self::Extras => "extras",
            Self::Key => "key",
        }
    }
}
