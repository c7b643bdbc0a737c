//! Mending pixels: what does not belong to the drawing goes.
//!
//! In the fixed order of the steps: [`key`] makes a sheet's flat background transparent before it is cut; then,
//! frame by frame, [`erase`], [`clear_edge`], [`specks`], [`defringe`] and [`harden`]. Each gives the number of pixels it
//! changed, and leaves a picture alone (as the same view) where it has nothing to do.

mod edges;
mod fringe;
mod key;
mod specks;

use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};

use image::RgbaImage;

use crate::{Frame, FrameSet, Pixels, Rect, SetError, Size, UVec2};

pub use edges::{clear_edge, erase, harden};
pub use fringe::{defringe, mixed_edges};
pub use key::{Key, KeyColors, KeyScope, Keyed, key};
pub use specks::specks;

/// A changed picture and how many of its pixels changed; `None` where nothing did.
pub type CleanResult = Option<(RgbaImage, u64)>;

/// What one step changed in a set.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct CleanStats {
    /// Pixels.
    pub pixels: u64,
    /// Frames with at least one of them.
    pub frames: usize,
}

/// The part of a canvas that a step is given: what is kept, with a border of clear canvas round it where there is any.
#[derive(Clone, Copy, Debug)]
pub struct CanvasView<'a> {
    /// Its pixels.
    pub pixels: &'a Pixels,
    /// Where it is on the canvas.
    pub at: UVec2,
    /// The canvas.
    pub canvas: Size,
}

/// How much clear canvas a step sees round what is kept: enough for every step to find the outside of a drawing.
const BORDER: u32 = 2;

/// Mends the frames of a set. A step sees what is kept of each canvas, so a trimmed frame stays trimmed and costs no more
/// than what it keeps.
///
/// # Errors
/// None that a set can have; names do not change.
pub fn clean_frames(
    set: FrameSet,
    step: impl Fn(CanvasView<'_>) -> CleanResult + Sync,
) -> Result<(FrameSet, CleanStats), SetError> {
    let (all, frames) = (AtomicU64::new(0), AtomicUsize::new(0));
    let set = set.map_frames(|_, frame: Frame| {
        if frame.pixels().is_empty() {
            return Ok::<_, SetError>(frame);
        }
        let (kept, canvas) = (frame.kept_rect(), frame.canvas());
        let seen = kept.inflate_within(BORDER, canvas);
        let bordered = if seen == kept { frame.pixels().clone() } else { frame.crop(seen) };
        let at = UVec2 { x: seen.x, y: seen.y };
        let Some((image, pixels)) = step(CanvasView { pixels: &bordered, at, canvas }) else {
            return Ok(frame);
        };
        all.fetch_add(pixels, Ordering::Relaxed);
        frames.fetch_add(1, Ordering::Relaxed);
        let inner = Rect { x: kept.x - seen.x, y: kept.y - seen.y, ..kept };
        let mended = Pixels::from_image(image).crop(inner).expect("the border was put round it");
        Ok(frame.with_pixels(mended, UVec2 { x: kept.x, y: kept.y }).expect("it lay there before"))
    })?;
    Ok((set, CleanStats { pixels: all.into_inner(), frames: frames.into_inner() }))
}
