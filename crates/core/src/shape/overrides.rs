//! Shifts, pivots and boxes frame by frame, as a list that an artist or a script writes.

use std::collections::HashMap;
use std::fmt::Write;

use crate::shape::Shift;
use crate::shape::shift::{canvases, shift_drawings};
use crate::{Annotations, FrameSet, Insets, LONGEST, Name, Point, Rect, SetError, SignedRect, Size};

/// A list of lines.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FrameOverrides {
    /// The lines.
    pub lines: Vec<FrameOverride>,
    /// The [`placement_checksum`] of the frames after these lines were applied. Frames that already match it are left alone,
    /// so applying a list twice moves nothing twice.
    pub done: Option<u32>,
}

/// One line of the list.
#[derive(Clone, Debug, PartialEq)]
pub struct FrameOverride {
    /// The frame's name, alone or as `sprite:frame`.
    pub frame: String,
    /// What is set.
    pub kind: OverrideKind,
    /// The line of the list, from 1.
    pub line: usize,
}

/// What a line sets.
#[derive(Clone, Debug, PartialEq)]
pub enum OverrideKind {
    /// So many pixels to the right and down that the drawing is moved on its canvas, with its boxes; the pivot stays.
    ///
    /// Applied before anything is measured.
    Shift(i32, i32),
    /// The same, applied last: pivots, boxes and polygons move along.
    Move(i32, i32),
    /// The pivot.
    Pivot(Point),
    /// A named box.
    Box(Name, SignedRect),
    /// The nine-slice.
    Nine(Insets),
}

/// Why a list does not fit a set.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum OverrideError {
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
    /// A drawing would be moved off any canvas.
    #[error("line {line}: frame '{frame}' would be moved by more than {LONGEST} px")]
    TooFar {
        /// The line.
        line: usize,
        /// The frame.
        frame: String,
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// The lines of a list, each with the frame it is about.
fn by_frame<'l>(
    set: &FrameSet,
    lines: &'l [FrameOverride],
) -> Result<HashMap<usize, Vec<&'l FrameOverride>>, OverrideError> {
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
    let named = |place: &FrameOverride| -> Result<usize, OverrideError> {
        let mut found = by_name.get(place.frame.as_str()).cloned().unwrap_or_default();
        found.extend(whole_name(&place.frame));
        let (line, frame) = (place.line, place.frame.clone());
        match found[..] {
            [one] => Ok(one),
            [] => Err(OverrideError::NoFrame { line, frame }),
            [first, ..] => {
                let example = format!("{}:{frame}", set.frames()[first].sprite());
                Err(OverrideError::WhichFrame { line, frame, example })
            }
        }
    };
    let mut of_frame: HashMap<usize, Vec<&FrameOverride>> = HashMap::new();
    for place in lines {
        of_frame.entry(named(place)?).or_default().push(place);
    }
    Ok(of_frame)
}

/// Drawings that are to be moved as a list says. Nothing is moved yet: canvases may have to grow beyond what there is room for.
pub struct PlannedShifts {
    ways: Vec<(i64, i64)>,
    /// The canvas that each frame will have.
    pub canvases: Vec<Size>,
}

impl PlannedShifts {
    /// Moves the drawings of the set that this was read for, and says how far each was moved.
    pub fn apply(self, set: FrameSet) -> Result<(FrameSet, Vec<Shift>), SetError> {
        let shifts = self.ways.iter().map(|&(x, y)| Shift::by_hand(x, y)).collect();
        Ok((shift_drawings(set, &self.ways)?, shifts))
    }
}

impl OverrideKind {
    /// How far a drawing is moved before it is measured.
    pub fn shift(&self) -> Option<(i32, i32)> {
        if let Self::Shift(x, y) = *self { Some((x, y)) } else { None }
    }

    /// How far a finished drawing is moved.
    pub fn movement(&self) -> Option<(i32, i32)> {
        if let Self::Move(x, y) = *self { Some((x, y)) } else { None }
    }
}

/// How far the lines of a kind move each frame's drawing; of several lines for one frame the sum. Frames they don't name
/// stay.
///
/// # Errors
/// If a line names no frame, or several.
pub fn plan_shifts(
    set: &FrameSet,
    lines: &[FrameOverride],
    kind: fn(&OverrideKind) -> Option<(i32, i32)>,
) -> Result<PlannedShifts, OverrideError> {
    let mut ways = vec![(0, 0); set.frames().len()];
    for (at, lines) in by_frame(set, lines)? {
        for line in lines {
            if let Some((x, y)) = kind(&line.kind) {
                let way = (ways[at].0 + i64::from(x), ways[at].1 + i64::from(y));
                if way.0.abs().max(way.1.abs()) > i64::from(LONGEST) {
                    return Err(OverrideError::TooFar { line: line.line, frame: line.frame.clone() });
                }
                ways[at] = way;
            }
        }
    }
    Ok(PlannedShifts { canvases: canvases(set, &ways), ways })
}

/// Sets the pivots, boxes and nine-slices that a list says; frames it does not name stay as they are.
///
/// # Errors
/// If a line names no frame, or several, or a nine-slice does not fit.
pub fn apply_overrides(set: FrameSet, places: &[FrameOverride]) -> Result<FrameSet, OverrideError> {
    let of_frame = by_frame(&set, places)?;
    set.map_frames(|at, frame| {
        of_frame.get(&at).into_iter().flatten().try_fold(frame, |frame, place| {
            let annotations = frame.annotations().clone();
            Ok(match &place.kind {
                // Moved already.
                OverrideKind::Shift(..) | OverrideKind::Move(..) => frame,
                OverrideKind::Pivot(point) => frame.with_pivot(*point),
                OverrideKind::Box(name, area) => {
                    let mut boxes = annotations.boxes;
                    boxes.insert(name.clone(), *area);
                    frame.with_annotations(Annotations { boxes, ..annotations })
                }
                OverrideKind::Nine(insets) if insets.fit(frame.canvas()) => {
                    frame.with_annotations(Annotations { nine: Some(*insets), ..annotations })
                }
                OverrideKind::Nine(insets) => {
                    let (line, frame) = (place.line, place.frame.clone());
                    return Err(OverrideError::NineTooLarge { line, insets: *insets, frame });
                }
            })
        })
    })
}

/// A checksum of each frame's layout: canvas, pivot, drawn area and boxes. FNV-1a over the characters of a text; the light
/// table computes the same one.
pub fn placement_checksum(set: &FrameSet) -> u32 {
    let mut text = String::new();
    for frame in set.frames() {
        let (canvas, pivot) = (frame.canvas(), frame.pivot());
        // No negative zero.
        let (x, y) = (pivot.x + 0.0, pivot.y + 0.0);
        let _ =
            write!(text, "{}/{} {}x{} {x},{y}", frame.sprite(), frame.name(), canvas.width, canvas.height);
        if let Some(Rect { x, y, width, height }) = frame.extent(0) {
            let _ = write!(text, " {x},{y},{width},{height}");
        }
        for (name, SignedRect { x, y, width, height }) in &frame.annotations().boxes {
            let _ = write!(text, " {name}={x},{y},{width},{height}");
        }
        text.push('\n');
    }
    text.chars().fold(0x811c_9dc5, |sum, letter| (sum ^ u32::from(letter)).wrapping_mul(0x0100_0193))
}
