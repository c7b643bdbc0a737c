//! Mending pixels: what does not belong to the drawing.

mod ground;

pub use ground::{Ground, ground};
