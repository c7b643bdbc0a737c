//! What a game needs of a shibori atlas at run time, and no more.
//!
//! [`Atlas`] is a checked `shibori/1` manifest: after [`Atlas::from_json`] no index, tick or number in it is wrong. [`Quad`] says
//! where a frame goes and what to cut from its page; [`Clip`] which frame is shown when; [`Player`] hands out events. [`Clock`] is
//! the one way through a clip's steps that everything in shibori shares.
//!
//! Nothing here reads a file, knows an image or a renderer, or needs `std`. Textures are yours to load: [`Page`] says which file,
//! and how its colors and its alpha are meant.
//!
//! ```
//! use core::time::Duration;
//! use shibori_play::{Atlas, Player};
//!
//! # #[cfg(feature = "json")] {
//! let atlas = Atlas::from_json(br#"{ "format": "shibori/1",
//!   "pages": [{ "file": "pond.png", "size": [64, 32] }],
//!   "frames": [
//!     { "name": "koi-00", "sprite": "koi", "page": 0, "rect": [0, 0, 28, 14], "canvas": [32, 32], "inset": [2, 9], "pivot": [16, 23] },
//!     { "name": "koi-01", "sprite": "koi", "page": 0, "rect": [28, 0, 28, 14], "canvas": [32, 32], "inset": [2, 9], "pivot": [16, 23] }],
//!   "clips": [{ "name": "swim", "sprite": "koi", "timescale": 12,
//!     "steps": [{ "frame": 0, "ticks": 1 }, { "frame": 1, "ticks": 1, "event": "splash" }] }]
//! }"#)?;
//! let swim = atlas.clip("koi", "swim").unwrap();
//! assert_eq!(swim.at(0.1).frame, 1);
//!
//! let mut player = Player::new();
//! let events: Vec<&str> = player.advance(swim, Duration::from_millis(100)).map(|event| event.name).collect();
//! assert_eq!(events, ["splash"]);
//!
//! let quad = atlas.quad(player.shown(swim).frame, false).unwrap();
//! assert_eq!((quad.offset, quad.size), ([-14.0, -14.0], [28.0, 14.0]));
//! assert_eq!(quad.uv[0], [28.0 / 64.0, 0.0]);
//! # }
//! # Ok::<(), shibori_play::AtlasError>(())
//! ```

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

pub use atlas::{Alpha, Atlas, Companion, Frame, Page, Sampling};
pub use clip::{Clip, Event, Events, Shown, Step};
pub use clock::{Beginnings, Clock, Moment, PlayMode, Timed};
pub use error::{AtlasError, Problem};
pub use player::Player;
pub use quad::{Corner, Quad};

/// Text that is read or built into the program.
pub type Text = Cow<'static, str>;

/// A list that is read or built into the program.
pub type List<T> = Cow<'static, [T]>;
