//! Shaping that can't be done, in words.

use shibori_core::shape::{
    AlignError, CanvasError, MarkError, NineError, OverrideError, PolygonError, ScaleError,
};

use super::Failure;

impl From<CanvasError> for Failure {
    fn from(error: CanvasError) -> Self {
        match error {
            CanvasError::TooSmall { needed, .. } => {
                Self::usage(error.to_string()).with_hint(format!("use --canvas {needed} or larger"))
            }
            CanvasError::Cuts { needed: (size, at), .. } => {
                Self::usage(error.to_string()).with_hint(format!("use --canvas {size}@{at} or larger"))
            }
            CanvasError::Set(error) => error.into(),
            other => Self::usage(other.to_string()),
        }
    }
}

impl From<ScaleError> for Failure {
    fn from(error: ScaleError) -> Self {
        let text = format!("--scale: {error}");
        match error {
            ScaleError::Set(error) => error.into(),
            ScaleError::Factor(_) => Self::usage(text).with_hint("2 doubles the size, 0.5 halves it"),
            ScaleError::TooLong { .. } => Self::usage(text).with_hint("use a smaller factor"),
            ScaleError::Nothing { canvas, .. } => {
                let least = 1.0 / f64::from(canvas.width.min(canvas.height));
                Self::usage(text).with_hint(format!("use --scale {:.3} or more", least.max(0.001)))
            }
            _ => Self::usage(text),
        }
    }
}

impl From<AlignError> for Failure {
    fn from(error: AlignError) -> Self {
        let text = format!("--region: {error}");
        match error {
            AlignError::Set(error) => error.into(),
            AlignError::RegionOutside { canvas, .. } => Self::usage(text).with_hint(format!(
                "a region is x,y,width,height within 0,0,{}",
                canvas.to_string().replace('x', ",")
            )),
            AlignError::RegionPlain { .. } => Self::usage(text)
                .with_hint("choose a region around a feature with a clear outline, such as the head"),
            _ => Self::usage(text),
        }
    }
}

impl From<MarkError> for Failure {
    fn from(error: MarkError) -> Self {
        let failure = Self::usage(error.to_string());
        match error {
            MarkError::Set(error) => error.into(),
            MarkError::Missing { .. } => failure.with_hint(
                "paint one dot of exactly that color in every frame, or exclude frames with --only",
            ),
            MarkError::Several { .. } => failure.with_hint("keep only one dot of that color per frame"),
            _ => failure,
        }
    }
}

impl From<NineError> for Failure {
    fn from(error: NineError) -> Self {
        let failure = Self::usage(format!("--nine: {error}"));
        match error {
            NineError::Set(error) => error.into(),
            NineError::TooLarge { .. } => failure.with_hint(
                "left plus right must be less than the width, top plus bottom less than the height",
            ),
            NineError::NothingRepeats { .. } => failure.with_hint(
                "give the borders: --nine LEFT,TOP,RIGHT,BOTTOM; or select the panels with --only",
            ),
            _ => failure,
        }
    }
}

impl From<PolygonError> for Failure {
    fn from(error: PolygonError) -> Self {
        match error {
            PolygonError::Set(error) => error.into(),
            PolygonError::Corners(_) => {
                Self::usage(format!("--polygon: {error}")).with_hint("try --polygon 8")
            }
            other => Self::usage(format!("--polygon: {other}")),
        }
    }
}

impl From<OverrideError> for Failure {
    fn from(error: OverrideError) -> Self {
        match error {
            OverrideError::Set(error) => error.into(),
            other => Self::usage(format!("--per-frame: {other}")),
        }
    }
}
