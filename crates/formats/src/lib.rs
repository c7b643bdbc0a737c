//! Everything of Shibori that is a file.
//!
//! [`decode`] turns images, animations, folders and manifests into a [`FrameSet`](shibori_core::FrameSet);
//! [`manifest`] is the JSON format `shibori/1`; [`encode`] turns frames, sets and atlases back into files; [`store`] puts
//! files in place so that a run that fails leaves the old ones as they were; [`export`] is an atlas in other formats.
//!
//! This crate computes nothing about frames (that is `shibori-core`) and prints nothing. Its errors hold
//! paths and numbers; what to type instead is the program's business.
#![doc = include_str!("../README.md")]

pub mod decode;
pub mod encode;
pub mod export;
#[doc(hidden)]
pub mod frame_cache;
pub mod manifest;
pub mod store;
#[doc(hidden)]
pub mod system;

mod error;
mod escape;
mod hand_work;
mod path_display;
mod tables;

pub use error::{FileError, ReadProblem, WriteProblem};
#[doc(hidden)]
pub use escape::{escape_url_path, escape_xml};
pub use hand_work::WouldLoseData;
pub use path_display::{DisplaySlashed, SlashedPath};
