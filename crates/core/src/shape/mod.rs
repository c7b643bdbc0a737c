//! Lining frames up: what each keeps of its canvas, and which of its points stays put.
//!
//! Every step is `FrameSet → FrameSet` and changes neither names nor clips.

mod canvas;
mod pivot;
mod trim;

pub use canvas::{CanvasError, CanvasRule, set_canvas};
pub use pivot::{Anchor, PivotError, PivotPer, set_pivot};
pub use trim::{Trim, TrimScope, restore, trim};
