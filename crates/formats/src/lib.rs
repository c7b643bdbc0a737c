//! Everything of Shibori that is a file.
//!
//! [`read`] turns images, animations, folders and manifests into a [`FrameSet`](shibori_core::FrameSet);
//! [`manifest`] is the JSON format `shibori/1`; [`write`](mod@write) encodes pictures, [`store`] puts files in
//! place so that a failed run leaves the old ones as they were; [`export`] tells an atlas in other forms, [`report`] on a page that plays.
//!
//! This crate computes nothing about frames (that is `shibori-core`) and prints nothing. Its errors hold
//! paths and numbers; what to type instead is the program's business.

pub mod export;
pub mod frame_cache;
pub mod manifest;
pub mod read;
pub mod report;
pub mod store;
pub mod write;

mod error;
mod hand_work;
mod shown;
mod tables;
mod xml;

pub use error::{Error, ReadProblem, WriteProblem};
pub use hand_work::HandWork;
pub use shown::{DisplaySlashed, SlashedPath};
