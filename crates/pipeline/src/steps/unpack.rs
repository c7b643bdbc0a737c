//! Frames extracted from an atlas.

use std::path::Path;

use shibori_core::FrameSet;
use shibori_core::shape::{Trim, TrimScope};
use tracing::info_span;

use crate::options::UnpackOptions;
use crate::plan::{Change, Plan};
use crate::steps::loading::load_with_companions;
use crate::{Context, Error};

/// The frames of an atlas with their companions, whole or as they are on the page. Writes nothing.
///
/// # Errors
/// Where the atlas can't be read.
pub fn unpack(manifest: &Path, options: &UnpackOptions, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let _span = info_span!("unpack").entered();
    let set = options.only.of(load_with_companions(&manifest.into(), cx)?)?;
    if options.trimmed.is_on() {
        return Ok(set);
    }
    let whole = Trim { scope: TrimScope::None, ..Trim::default() };
    Ok(Plan::new(vec![Change::Trim(whole)]).run(set, cx)?.set)
}
