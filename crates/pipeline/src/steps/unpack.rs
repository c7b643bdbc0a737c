//! Frames extracted from an atlas.

use std::path::Path;

use shibori_core::FrameSet;
use shibori_core::shape::restore;
use tracing::info_span;

use crate::options::UnpackOptions;
use crate::steps::gather;
use crate::{Context, Error};

/// The frames of an atlas and its companions, whole or as they lie on the page. Writes nothing.
///
/// # Errors
/// Where the atlas can't be read.
pub fn unpack(manifest: &Path, options: &UnpackOptions, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let _span = info_span!("unpack").entered();
    let set = gather::with_companions(manifest, &options.only, cx)?;
    Ok(if options.trimmed.is_on() { set } else { restore(set)? })
}
