//! Gathering the pictures of an animation, under the limits, up to its end or its break.

use image::RgbaImage;
use shibori_core::clip::FrameDuration;
use shibori_core::{Lease, Pixels, Size};

use crate::ReadProblem;
use crate::decode::codec::{
    Animation, AnimationFrame, DecodeLease, DecodedFile, DecodedImage, ImageInfo, ReadOptions, WORK,
    byte_size, check_size,
};

pub(super) struct AnimationReader<'a> {
    format: &'static str,
    size: Size,
    bytes: usize,
    limits: &'a ReadOptions,
    moments: Vec<AnimationFrame>,
    is_truncated: bool,
    /// The canvas on which pictures are laid over each other, and what is laid.
    _canvas: DecodeLease,
}

/// What a picture costs beside its pixels.
const FRAME_OVERHEAD: u64 = 512;

impl<'a> AnimationReader<'a> {
    /// For an animation of `count` pictures, as far as that is known, of `size` in a file of this many bytes.
    ///
    /// # Errors
    /// If a picture is larger than allowed, or all of them together need more memory than is left.
    pub(super) fn new(
        format: &'static str,
        size: Size,
        count: u64,
        bytes: usize,
        limits: &'a ReadOptions,
    ) -> Result<Self, ReadProblem> {
        let canvas = DecodeLease::of(size, WORK, limits)?;
        limits.memory.check(count.saturating_mul(byte_size(size).saturating_add(FRAME_OVERHEAD)))?;
        Ok(Self { format, size, bytes, limits, moments: Vec::new(), is_truncated: false, _canvas: canvas })
    }

    pub(super) fn size(&self) -> Size {
        self.size
    }

    /// Makes room for one more picture.
    pub(super) fn lease_frame(&self) -> Result<Lease, ReadProblem> {
        Ok(self.limits.memory.lease(byte_size(self.size).saturating_add(FRAME_OVERHEAD))?)
    }

    /// Makes room for a partial picture, as far as it is larger than the canvas.
    pub(super) fn patch_room(&self, size: Size) -> Result<Lease, ReadProblem> {
        check_size(size, self.limits)?;
        Ok(self.limits.memory.lease(byte_size(size).saturating_sub(byte_size(self.size)))?)
    }

    /// The file has all its pictures, but not its end.
    pub(super) fn lacks_end(&mut self) {
        self.is_truncated = true;
    }

    pub(super) fn add(
        &mut self,
        room: Lease,
        picture: RgbaImage,
        span: FrameDuration,
        raw_delay: Option<u32>,
    ) {
        self.moments.push(AnimationFrame { picture: Pixels::with_lease(picture, room), span, raw_delay });
    }

    /// The file ends here, though it should not. No error where the frames so far are welcome.
    pub(super) fn truncate(&mut self, problem: ReadProblem) -> Result<(), ReadProblem> {
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
    pub(super) fn finish(mut self, info: ImageInfo, plays: u32) -> Result<DecodedFile, ReadProblem> {
        let is_truncated = self.is_truncated;
        if self.moments.len() > 1 {
            let picture = DecodedImage::Moving(Animation { moments: self.moments, plays });
            return Ok(DecodedFile { info, picture, is_truncated });
        }
        match self.moments.pop() {
            Some(only) => {
                let picture = DecodedImage::Still(only.picture);
                Ok(DecodedFile { info, picture, is_truncated })
            }
            None => Err(ReadProblem::Damaged { format: self.format, why: "it holds no picture".into() }),
        }
    }
}
