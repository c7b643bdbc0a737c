//! What a game needs of a shibori atlas at run time, and no more.
//!
//! [`Atlas`] is a checked `shibori/1` manifest: after [`Atlas::from_json`] no index, tick or number in it is wrong. [`Quad`] says
//! where a frame goes and what to cut from its page; [`Clip`] which frame is shown when; [`Player`] hands out events. [`Clock`] is
//! the timing that every part of shibori shares.
//!
//! Nothing here reads a file, knows an image or a renderer, or needs `std`. Loading textures is up to you: [`Page`] names the file
//! and says how to filter and blend it.
#![doc = include_str!("../README.md")]
#![no_std]

extern crate alloc;

mod atlas;
mod clip;
mod clock;
mod error;
#[cfg(feature = "json")]
mod json;
mod player;
mod quad;
#[cfg(all(test, feature = "json"))]
mod tests;

use alloc::borrow::Cow;

pub use atlas::{Alpha, Atlas, Companion, Frame, NORMAL_SUFFIXES, Page, Sampling};
pub use clip::{Clip, Event, Events, Shown, Step};
pub use clock::{Beginnings, Clock, Moment, PlayMode, Timed};
pub use error::{AtlasError, Problem};
pub use player::Player;
pub use quad::{Corner, Quad};

/// Text, either read at run time or built into the program.
pub type Text = Cow<'static, str>;

/// A list, either read at run time or built into the program.
pub type List<T> = Cow<'static, [T]>;
