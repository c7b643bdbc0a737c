//! Frames, clips and atlases as values.
//!
//! Everything is a [`FrameSet`]: cutting makes one, every step takes one and gives one, packing turns
//! one into an [`Atlas`](pack::Atlas). In the order of work:
//!
//! 1. [`cut`] a sheet into frames,
//! 2. [`shape`] them: trim, pivot,
//! 3. name sequences and give them time with [`clip`],
//! 4. [`pack`] them on pages,
//! 5. [`check`](check::check) what will look wrong in the game.
//!
//! Items hidden from this documentation serve the other crates of shibori and may change in any version.
//!
//! This crate computes. It never opens a file, prints, reads a clock, or lets the order in which
//! threads finish show in a result.
#![doc = include_str!("../README.md")]

pub mod changes;
pub mod check;
pub mod clean;
pub mod clip;
pub mod cut;
pub mod grammar;
pub mod pack;
#[doc(hidden)]
pub mod parallel;
pub mod register;
pub mod shape;
pub mod wording;

mod animation;
mod annotations;
mod background;
mod budget;
mod color;
mod companion;
mod components;
mod extra_fields;
mod frame;
mod geometry;
mod groups;
mod index;
mod name;
mod pixels;
mod sequence;
#[cfg(feature = "serde")]
mod serialize;
mod set;
mod sharing;
mod suggestion;

pub use animation::RenderedAnimation;
pub use annotations::{Annotations, Insets, Mirror, SignedRect};
pub use background::{Background, find_background};
pub use budget::{Budget, ByteSize, Lease, OverBudget};
pub use color::{Color, over};
pub use companion::{Companion, CompanionKind, CompanionSpec};
pub use extra_fields::ExtraFields;
pub use frame::{Cell, Frame, FrameError, FrameSource};
pub use geometry::{LONGEST, Point, Rect, Size, SizeError, UVec2};
pub use grammar::{
    FilterError, FrameFilter, NameTemplate, NamingError, Pattern, Ratio, SelectError, Selection, SyntaxError,
    ValueError,
};
#[doc(hidden)]
pub use index::SetIndex;
pub use name::{Name, NameError, portability_problem, portable_name};
pub use pixels::Pixels;
pub use set::{FrameSet, SetError};
pub use sharing::{clips_sharing_frames, unshare_frames};
#[doc(hidden)]
pub use suggestion::closest_name;

/// The crate whose `RgbaImage` goes in and comes out, without codecs.
pub use image;
