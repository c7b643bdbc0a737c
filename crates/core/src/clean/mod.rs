//! Mending pixels: what does not belong to the drawing goes.
//!
//! In the fixed order of the steps: [`key`] makes a sheet's flat background transparent before it is cut; then,
//! frame by frame, [`clear_edge`], [`specks`], [`defringe`] and [`harden`]. Each gives the number of pixels it
//! changed, and leaves a picture alone (as the same view) where it has nothing to do.

mod edges;
mod fringe;
mod ground;
mod key;
mod specks;

use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};

use image::RgbaImage;

use crate::{Frame, FrameSet, Pair, Pixels, SetError};

pub use edges::{clear_edge, harden};
pub use fringe::defringe;
pub(crate) use ground::distance;
pub use ground::{Ground, ground};
pub use key::{KeyScope, Keyed, key};
pub use specks::specks;

/// A changed picture and how many of its pixels changed; `None` where nothing did.
pub type Mended = Option<(RgbaImage, u64)>;

/// What one step changed in a set.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Changed {
    /// Pixels.
    pub pixels: u64,
    /// Frames with at least one of them.
    pub frames: usize,
}

/// Mends every frame's whole canvas. A frame that does not change keeps its pixels as they are, trimmed or not.
pub fn mend(set: FrameSet, step: impl Fn(&Pixels) -> Mended + Sync) -> Result<(FrameSet, Changed), SetError> {
    let (all, frames) = (AtomicU64::new(0), AtomicUsize::new(0));
    let set = set.map_frames(|_, frame: Frame| {
        let whole = frame.restored();
        Ok::<_, SetError>(match step(&whole) {
            None => frame,
            Some((image, pixels)) => {
                all.fetch_add(pixels, Ordering::Relaxed);
                frames.fetch_add(1, Ordering::Relaxed);
                frame.with_pixels(Pixels::whole(image), Pair::default()).expect("a canvas fits itself")
            }
        })
    })?;
    Ok((set, Changed { pixels: all.into_inner(), frames: frames.into_inner() }))
}
