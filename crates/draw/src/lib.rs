//! Pictures for people: proof that the frames are right.
//!
//! [`draw_contact`] shows every frame at once, [`render_clip`] is a clip as it will move, [`draw_onion`] draws its
//! frames over each other, [`draw_drift`] plots where the figure is in each, [`draw_pages`] shows what is where in an
//! atlas, [`draw_cut`] a cut before it is made, [`draw_changes`] what differs between two sets, [`draw_guide`] an empty sheet to draw on. Pictures have hard pixel
//! edges and whole zoom factors, and labels never cover the art. Nothing drawn here is read back by anything, and
//! nothing here reads or writes a file.
#![doc = include_str!("../README.md")]

mod animation;
mod changes;
mod contact;
mod cut;
mod drift;
mod groups;
mod guide;
mod onion;
mod overlay;
mod pages;
mod plot;
mod surface;
#[cfg(test)]
mod test_sets;
mod text;

pub use animation::{AnimationStyle, Backdrop, BackdropError, render_clip, render_clips};
pub use changes::{ChangesStyle, draw_changes, draw_difference};
pub use contact::{ContactFrame, ContactSection, ContactSheets, ContactStyle, draw_contact};
pub use cut::{CutPicture, CutPlan, draw_cut};
pub use drift::draw_drift;
pub use guide::{Guide, draw_guide, guide_svg};
pub use onion::{OnionStyle, draw_onion};
pub use overlay::Overlay;
pub use pages::{PagePlan, PlannedFrame, draw_pages};
pub use surface::{PixelLimitError, PixelLimits};
