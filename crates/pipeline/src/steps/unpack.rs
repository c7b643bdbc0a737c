//! Frames extracted from an atlas.

use std::path::Path;

use shibori_core::shape::{Trim, TrimScope};
use shibori_core::{FrameSet, Size};
use shibori_formats::encode;
use shibori_formats::store::Written;
use tracing::info_span;

use crate::options::UnpackOptions;
use crate::plan::{Change, Plan};
use crate::steps::loading::load_with_companions;
use crate::{Context, Error, Notice, SizeCause};

/// Stages an OpenRaster file with the frames as layers, on their whole canvases; they are in place after [`Context::commit`].
///
/// # Errors
/// If the painting would be too large, or the file can't be written.
pub fn stage_painting(set: &FrameSet, file: &Path, cx: &Context<'_>) -> Result<Written, Error> {
    let _span = info_span!("write", frames = set.frames().len()).entered();
    let canvas = set.frames().iter().fold(Size::default(), |size, frame| size.union(frame.canvas()));
    let _room = cx.check_image_size(SizeCause::Picture, canvas.area())?;
    if set.frames().iter().any(|frame| !frame.companions().is_empty()) {
        cx.notify(Notice::NoCompanions { file: file.to_owned() });
    }
    Ok(encode::painting(&cx.resolve(file), set, cx.transaction())?)
}

/// The frames of an atlas with their companions, whole or as they are on the page. Writes nothing.
///
/// # Errors
/// If the atlas can't be read.
pub fn unpack(manifest: &Path, options: &UnpackOptions, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let _span = info_span!("unpack").entered();
    let set = options.only.of(load_with_companions(&manifest.into(), cx)?)?;
    if options.trimmed.is_on() {
        return Ok(set);
    }
    let whole = Trim { scope: TrimScope::None, ..Trim::default() };
    Ok(Plan::new(vec![Change::Trim(whole)]).run(set, cx)?.set)
}
