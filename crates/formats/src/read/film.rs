//! Gathering the pictures of an animation, under the limits, up to its end or its break.

use image::RgbaImage;
use shibori_core::clip::Span;
use shibori_core::{Pixels, Size};

use crate::ReadProblem;
use crate::read::picture::{Animation, ImageInfo, Limits, Loaded, Moment, Picture};

pub(super) struct FilmReader<'a> {
    format: &'static str,
    size: Size,
    bytes: usize,
    limits: &'a Limits,
    moments: Vec<Moment>,
    is_truncated: bool,
}

impl<'a> FilmReader<'a> {
    /// For an animation of `size` in a file of so many bytes.
    pub(super) fn new(format: &'static str, size: Size, bytes: usize, limits: &'a Limits) -> Self {
        Self { format, size, bytes, limits, moments: Vec::new(), is_truncated: false }
    }

    pub(super) fn size(&self) -> Size {
        self.size
    }

    /// Whether one more picture is allowed.
    pub(super) fn check_room(&self) -> Result<(), ReadProblem> {
        let by_pixels = self.limits.film_pixels() / self.size.area().max(1);
        let limit = u64::from(self.limits.frames).min(by_pixels) as u32;
        if self.moments.len() >= limit as usize {
            return Err(ReadProblem::TooManyFrames { limit });
        }
        Ok(())
    }

    pub(super) fn add(&mut self, picture: RgbaImage, span: Span, raw_delay: Option<u32>) {
        self.moments.push(Moment { picture, span, raw_delay });
    }

    /// The file ends here, though it should not. No error where the frames so far are welcome.
    pub(super) fn breaks(&mut self, problem: ReadProblem) -> Result<(), ReadProblem> {
        if self.limits.accept_truncated && !self.moments.is_empty() {
            self.is_truncated = true;
            return Ok(());
        }
        Err(match problem {
            ReadProblem::BrokenOff { .. } => {
                ReadProblem::BrokenOff { format: self.format, bytes: self.bytes, frames: self.moments.len() }
            }
            other => other,
        })
    }

    /// What was read: one picture alone stands still.
    pub(super) fn finish(mut self, info: ImageInfo, plays: u32) -> Result<Loaded, ReadProblem> {
        let is_truncated = self.is_truncated;
        if self.moments.len() > 1 {
            let picture = Picture::Moving(Animation { moments: self.moments, plays });
            return Ok(Loaded { info, picture, is_truncated });
        }
        match self.moments.pop() {
            Some(only) => {
                let picture = Picture::Still(Pixels::whole(only.picture));
                Ok(Loaded { info, picture, is_truncated })
            }
            None => Err(ReadProblem::Damaged { format: self.format, why: "it holds no picture".into() }),
        }
    }
}
