//! Images that would be too large, in words.

use shibori_pipeline::{Growth, LimitError};

use super::{Failure, memory_hint};

/// What makes pictures large, as it is typed.
fn size_option(by: Growth) -> &'static str {
    match by {
        Growth::Scale => "--scale",
        Growth::Canvas => "--canvas",
        Growth::Shift => "a shift in --per-frame",
        Growth::Gather => "a common canvas for frames without one, aligned by --pivot",
        Growth::Zoom => "--zoom",
        Growth::Cells => "--grid with --cell",
        Growth::Restore => "keeping whole canvases (no --trim)",
        Growth::Change => "changing the frames",
        Growth::Search => "finding frames on the sheet",
        Growth::Picture => "the preview image",
        Growth::Animation => "the animation",
        Growth::Pages => "a page",
        Growth::PageScales => "--page-scales",
    }
}

fn too_large(by: Growth, error: &LimitError, pixels: u64) -> Failure {
    Failure::usage(format!("{}: {error}", size_option(by)))
        .with_hint(format!("choose a smaller size; or, if this is intended, add --max-pixels {pixels}"))
}

impl From<LimitError> for Failure {
    fn from(error: LimitError) -> Self {
        match error {
            LimitError::TooLarge { by, size, .. } => too_large(by, &error, size.area()),
            LimitError::PictureTooLarge { by, pixels, .. } => too_large(by, &error, pixels),
            LimitError::Memory { by, over } => {
                Self::usage(format!("{} {error}", size_option(by))).with_hint(memory_hint(&over))
            }
            _ => Self::usage(error.to_string()),
        }
    }
}
