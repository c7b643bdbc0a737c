//! Pivots and boxes frame by frame, as a list that an artist or a script writes.

use std::collections::HashMap;

use crate::{Annotations, Area, FrameSet, Insets, Name, Point, SetError};

/// One line of the list.
#[derive(Clone, Debug, PartialEq)]
pub struct PlaceLine {
    /// The frame's name, alone or as `sprite:frame`.
    pub frame: String,
    /// What is set.
    pub kind: PlaceKind,
    /// The line of the list, from 1.
    pub line: usize,
}

/// What a line sets.
#[derive(Clone, Debug, PartialEq)]
pub enum PlaceKind {
    /// The pivot.
    Pivot(Point),
    /// A named box.
    Box(Name, Area),
    /// The nine-slice.
    Nine(Insets),
}

/// Why a list does not fit a set.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PlaceError {
    /// No frame of that name.
    #[error("line {line}: there is no frame '{frame}'")]
    NoFrame {
        /// The line.
        line: usize,
        /// What it says.
        frame: String,
    },
    /// Several sprites have one.
    #[error("line {line}: several sprites have a frame '{frame}'; write sprite:frame, such as {example}")]
    WhichFrame {
        /// The line.
        line: usize,
        /// What it says.
        frame: String,
        /// One of them.
        example: String,
    },
    /// The corners meet.
    #[error("line {line}: a nine-slice of {insets} leaves nothing to stretch in frame '{frame}'")]
    NineTooLarge {
        /// The line.
        line: usize,
        /// The insets.
        insets: Insets,
        /// The frame.
        frame: String,
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Sets what a list says; frames it does not name stay as they are.
pub fn set_places(set: FrameSet, places: &[PlaceLine]) -> Result<FrameSet, PlaceError> {
    let mut by_name: HashMap<&str, Vec<usize>> = HashMap::new();
    for (at, frame) in set.frames().iter().enumerate() {
        by_name.entry(frame.name().as_str()).or_default().push(at);
    }
    let whole_name = |text: &str| -> Option<usize> {
        text.match_indices(':').find_map(|(colon, _)| {
            let called = by_name.get(&text[colon + 1..])?;
            called.iter().copied().find(|&at| set.frames()[at].sprite().as_str() == &text[..colon])
        })
    };
    let named = |place: &PlaceLine| -> Result<usize, PlaceError> {
        let mut found = by_name.get(place.frame.as_str()).cloned().unwrap_or_default();
        found.extend(whole_name(&place.frame));
        let (line, frame) = (place.line, place.frame.clone());
        match found[..] {
            [one] => Ok(one),
            [] => Err(PlaceError::NoFrame { line, frame }),
            [first, ..] => {
                let example = format!("{}:{frame}", set.frames()[first].sprite());
                Err(PlaceError::WhichFrame { line, frame, example })
            }
        }
    };
    let mut of_frame: HashMap<usize, Vec<&PlaceLine>> = HashMap::new();
    for place in places {
        of_frame.entry(named(place)?).or_default().push(place);
    }
    set.map_frames(|at, frame| {
        of_frame.get(&at).into_iter().flatten().try_fold(frame, |frame, place| {
            let annotations = frame.annotations().clone();
            Ok(match &place.kind {
                PlaceKind::Pivot(point) => frame.with_pivot(*point),
                PlaceKind::Box(name, area) => {
                    let mut boxes = annotations.boxes;
                    boxes.insert(name.clone(), *area);
                    frame.with_annotations(Annotations { boxes, ..annotations })
                }
                PlaceKind::Nine(insets) if insets.fit(frame.canvas()) => {
                    frame.with_annotations(Annotations { nine: Some(*insets), ..annotations })
                }
                PlaceKind::Nine(insets) => {
                    let (line, frame) = (place.line, place.frame.clone());
                    return Err(PlaceError::NineTooLarge { line, insets: *insets, frame });
                }
            })
        })
    })
}
