//! Images that would be too large, in words.

use shibori_pipeline::{LimitError, SizeCause};

use super::{Failure, memory_hint};

/// What makes pictures large, as it is typed.
fn size_option(by: SizeCause) -> &'static str {
    match by {
        SizeCause::Scale => "--scale",
        SizeCause::Canvas => "--canvas",
        SizeCause::Shift => "a shift in --per-frame",
        SizeCause::Gather => "a common canvas for frames without one, aligned by --pivot",
        SizeCause::Zoom => "--zoom",
        SizeCause::Cells => "--grid with --cell",
        SizeCause::Restore => "keeping whole canvases (no --trim)",
        SizeCause::Change => "changing the frames",
        SizeCause::Search => "finding frames on the sheet",
        SizeCause::Picture => "the preview image",
        SizeCause::Animation => "the animation",
        SizeCause::Pages => "a page",
        SizeCause::PageScales => "--page-scales",
        _ => "an image",
    }
}

fn too_large(by: SizeCause, error: &LimitError, pixels: u64) -> Failure {
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
