//! Pivots and boxes frame by frame, as a list that an artist or a script writes.

use crate::{Area, FrameSet, Insets, Marks, Name, Point, SetError};

/// One line of the list.
#[derive(Clone, Debug, PartialEq)]
pub struct Place {
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
pub fn set_places(set: FrameSet, places: &[Place]) -> Result<FrameSet, PlaceError> {
    let named = |place: &Place| -> Result<usize, PlaceError> {
        let fits = |&at: &usize| {
            let frame = &set.frames()[at];
            frame.name().as_str() == place.frame
                || format!("{}:{}", frame.sprite(), frame.name()) == place.frame
        };
        let found: Vec<usize> = (0..set.frames().len()).filter(fits).collect();
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
    let places = places.iter().map(|place| Ok((named(place)?, place)));
    let places = places.collect::<Result<Vec<_>, PlaceError>>()?;
    set.map_frames(|at, frame| {
        places.iter().filter(|(frame, _)| *frame == at).try_fold(frame, |frame, (_, place)| {
            let marks = frame.marks().clone();
            Ok(match &place.kind {
                PlaceKind::Pivot(point) => frame.with_pivot(*point),
                PlaceKind::Box(name, area) => {
                    let mut boxes = marks.boxes;
                    boxes.insert(name.clone(), *area);
                    frame.with_marks(Marks { boxes, ..marks })
                }
                PlaceKind::Nine(insets) if insets.fit(frame.canvas()) => {
                    frame.with_marks(Marks { nine: Some(*insets), ..marks })
                }
                PlaceKind::Nine(insets) => {
                    let (line, frame) = (place.line, place.frame.clone());
                    return Err(PlaceError::NineTooLarge { line, insets: *insets, frame });
                }
            })
        })
    })
}
