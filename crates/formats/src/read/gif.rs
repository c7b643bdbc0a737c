//! GIF, still and animated, composited as browsers do it.
//!
//! Delays of 0 and 1 hundredths play as 100 ms, as in browsers; what the file says is kept beside.

use std::io::ErrorKind;

use ::gif::{ColorOutput, DecodeOptions, DecodingError, DisposalMethod, MemoryLimit, Repeat};
use image::RgbaImage;
use shibori_core::clip::Span;
use shibori_core::{Pixels, Size};

use crate::ReadProblem;
use crate::read::composite::{Blend, Canvas, Dispose, Patch};
use crate::read::image::check_size;
use crate::read::{Animation, Format, ImageInfo, Limits, Loaded, Moment, Picture};

/// The longest delay, in hundredths of a second, that viewers replace by [`SLOW`].
const TOO_FAST: u16 = 1;
/// What they show instead, in hundredths.
const SLOW: u32 = 10;

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Loaded, ReadProblem> {
    let wrong = |error: DecodingError| problem(&error, bytes.len());
    let mut options = DecodeOptions::new();
    options.set_color_output(ColorOutput::RGBA);
    options.set_memory_limit(MemoryLimit::Bytes(
        limits.pixels.saturating_mul(4).try_into().unwrap_or(std::num::NonZeroU64::MIN),
    ));
    let mut decoder = options.read_info(bytes).map_err(wrong)?;
    let size = Size::new(u32::from(decoder.width()), u32::from(decoder.height()));
    if size.is_empty() {
        return Err(ReadProblem::Damaged { format: "GIF", why: format!("its canvas is {size} px") });
    }
    check_size(size, limits)?;
    let colors = decoder.global_palette().map_or(0, |palette| palette.len() / 3);
    let mut canvas = Canvas::new(size);
    let mut moments: Vec<Moment> = Vec::new();
    while let Some(frame) = decoder.read_next_frame().map_err(wrong)? {
        if moments.len() as u64 >= u64::from(limits.frames).min(limits.film_pixels / size.area()) {
            return Err(ReadProblem::TooManyFrames { limit: moments.len() as u32 });
        }
        let pixels =
            RgbaImage::from_raw(u32::from(frame.width), u32::from(frame.height), frame.buffer.to_vec());
        let no_pixels = || ReadProblem::Damaged { format: "GIF", why: "a frame has too few pixels".into() };
        let patch = Patch {
            pixels: pixels.ok_or_else(no_pixels)?,
            x: u32::from(frame.left),
            y: u32::from(frame.top),
            blend: Blend::Over,
            dispose: match frame.dispose {
                DisposalMethod::Any | DisposalMethod::Keep => Dispose::Keep,
                DisposalMethod::Background => Dispose::Clear,
                DisposalMethod::Previous => Dispose::Previous,
            },
        };
        let (span, raw_delay) = span(frame.delay);
        moments.push(Moment { picture: canvas.show(&patch), span, raw_delay });
    }
    let plays = match decoder.repeat() {
        Repeat::Infinite => 0,
        // The file counts repetitions, not plays.
        Repeat::Finite(repeats) => u32::from(repeats) + 1,
    };
    let color = format!("palette of {colors} colours");
    let info = ImageInfo { format: Format::Gif, size, color };
    Ok(Loaded { info, picture: picture(moments, plays)? })
}

fn picture(mut moments: Vec<Moment>, plays: u32) -> Result<Picture, ReadProblem> {
    if moments.len() > 1 {
        return Ok(Picture::Moving(Animation { moments, plays }));
    }
    match moments.pop() {
        Some(only) => Ok(Picture::Still(Pixels::whole(only.picture))),
        None => Err(ReadProblem::Damaged { format: "GIF", why: "it holds no picture".into() }),
    }
}

fn span(delay: u16) -> (Span, Option<u32>) {
    let (ticks, raw) =
        if delay <= TOO_FAST { (SLOW, Some(u32::from(delay))) } else { (u32::from(delay), None) };
    (Span::new(ticks, 100).unwrap_or(Span::DEFAULT), raw)
}

fn problem(error: &DecodingError, bytes: usize) -> ReadProblem {
    match error {
        DecodingError::Io(io) if io.kind() == ErrorKind::UnexpectedEof => {
            ReadProblem::BrokenOff { format: "GIF", bytes }
        }
        other => ReadProblem::Damaged { format: "GIF", why: other.to_string() },
    }
}
