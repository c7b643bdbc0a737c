//! PNG and APNG. Sixteen bits a channel are cut to eight; gamma and colour profiles are left alone.

use std::io::{Cursor, ErrorKind};

use ::png::{BlendOp, ColorType, Decoder, DecodingError, DisposeOp, Info, Reader, Transformations};
use image::RgbaImage;
use shibori_core::clip::Span;
use shibori_core::{Pixels, Size};

use crate::ReadProblem;
use crate::read::composite::{Blend, Canvas, Dispose, Patch};
use crate::read::image::check_size;
use crate::read::{Animation, Format, ImageInfo, Limits, Loaded, Moment, Picture};

type PngReader<'a> = Reader<Cursor<&'a [u8]>>;

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Loaded, ReadProblem> {
    let wrong = |error: DecodingError| problem(&error, bytes.len());
    // The pixel limit is checked by hand, with a better message; this one is for everything else a
    // file may claim, such as texts.
    let room = usize::try_from(limits.pixels.saturating_mul(8)).unwrap_or(usize::MAX);
    let mut decoder = Decoder::new_with_limits(Cursor::new(bytes), ::png::Limits { bytes: room });
    decoder.set_ignore_text_chunk(true);
    decoder.set_transformations(Transformations::EXPAND | Transformations::STRIP_16);
    let header = decoder.read_header_info().map_err(wrong)?;
    let size = Size::new(header.width, header.height);
    check_size(size, limits)?;
    let mut reader = decoder.read_info().map_err(wrong)?;
    let info = ImageInfo { format: Format::Png, size, color: color_of(reader.info()) };
    let picture = match reader.info().animation_control() {
        Some(control) if control.num_frames > 1 => {
            let (frames, plays) = (control.num_frames, control.num_plays);
            Picture::Moving(moving(&mut reader, size, frames, plays, limits, &wrong)?)
        }
        _ => Picture::Still(Pixels::whole(next_picture(&mut reader, &wrong)?.0)),
    };
    Ok(Loaded { info, picture })
}

/// The next picture of the file and its size.
fn next_picture(
    reader: &mut PngReader<'_>,
    wrong: &impl Fn(DecodingError) -> ReadProblem,
) -> Result<(RgbaImage, Size), ReadProblem> {
    let too_large =
        || ReadProblem::Damaged { format: "PNG", why: "it is too large for this computer".into() };
    let mut bytes = vec![0; reader.output_buffer_size().ok_or_else(too_large)?];
    let output = reader.next_frame(&mut bytes).map_err(wrong)?;
    bytes.truncate(output.buffer_size());
    let size = Size::new(output.width, output.height);
    let rgba = to_rgba(bytes, output.color_type);
    let image = RgbaImage::from_raw(size.width, size.height, rgba);
    Ok((image.ok_or_else(too_large)?, size))
}

fn to_rgba(bytes: Vec<u8>, color: ColorType) -> Vec<u8> {
    match color {
        ColorType::Rgba => bytes,
        ColorType::Rgb => bytes.as_chunks::<3>().0.iter().flat_map(|&[r, g, b]| [r, g, b, 255]).collect(),
        ColorType::GrayscaleAlpha => {
            bytes.as_chunks::<2>().0.iter().flat_map(|&[v, a]| [v, v, v, a]).collect()
        }
        // A palette is expanded by the decoder.
        ColorType::Grayscale | ColorType::Indexed => bytes.into_iter().flat_map(|v| [v, v, v, 255]).collect(),
    }
}

fn moving(
    reader: &mut PngReader<'_>,
    size: Size,
    frames: u32,
    plays: u32,
    limits: &Limits,
    wrong: &impl Fn(DecodingError) -> ReadProblem,
) -> Result<Animation, ReadProblem> {
    if frames > limits.frames || u64::from(frames) * size.area() > limits.film_pixels {
        return Err(ReadProblem::TooManyFrames { limit: limits.frames.min(frames - 1) });
    }
    // A default image that is not part of the animation comes first and is not shown.
    if reader.info().frame_control().is_none() {
        next_picture(reader, wrong)?;
    }
    let mut canvas = Canvas::new(size);
    let mut moments = Vec::with_capacity(frames.min(1024) as usize);
    for number in 0..frames {
        let (pixels, _) = next_picture(reader, wrong)?;
        let control = *reader.info().frame_control().ok_or_else(|| ReadProblem::Damaged {
            format: "APNG",
            why: format!("frame {number} has no frame control chunk"),
        })?;
        let dispose = match control.dispose_op {
            DisposeOp::None => Dispose::Keep,
            DisposeOp::Background => Dispose::Clear,
            // There is nothing before the first frame to go back to.
            DisposeOp::Previous if number == 0 => Dispose::Clear,
            DisposeOp::Previous => Dispose::Previous,
        };
        let blend = if control.blend_op == BlendOp::Source { Blend::Source } else { Blend::Over };
        let patch = Patch { pixels, x: control.x_offset, y: control.y_offset, blend, dispose };
        let span = span(control.delay_num, control.delay_den);
        moments.push(Moment { picture: canvas.show(&patch), span, raw_delay: None });
    }
    Ok(Animation { moments, plays })
}

/// A denominator of 0 means hundredths; a delay of 0 means as fast as can be, which viewers show as
/// about 10 ms.
fn span(numerator: u16, denominator: u16) -> Span {
    let denominator = if denominator == 0 { 100 } else { denominator };
    let shortest = Span::new(10, 1000).unwrap_or(Span::DEFAULT);
    Span::new(u32::from(numerator), u32::from(denominator)).unwrap_or(shortest)
}

fn color_of(info: &Info<'_>) -> String {
    let bits = info.bit_depth as u8;
    let key = if info.trns.is_some() { " with transparency" } else { "" };
    match info.color_type {
        ColorType::Grayscale => format!("grey{key}, {bits} bit"),
        ColorType::GrayscaleAlpha => format!("grey and alpha, {bits} bit"),
        ColorType::Rgb => format!("RGB{key}, {bits} bit"),
        ColorType::Rgba => format!("RGBA, {bits} bit"),
        ColorType::Indexed => {
            let colors = info.palette.as_ref().map_or(0, |palette| palette.len() / 3);
            format!("palette of {colors} colours{key}, {bits} bit")
        }
    }
}

fn problem(error: &DecodingError, bytes: usize) -> ReadProblem {
    match error {
        DecodingError::IoError(io) if io.kind() == ErrorKind::UnexpectedEof => {
            ReadProblem::BrokenOff { format: "PNG", bytes }
        }
        other => ReadProblem::Damaged { format: "PNG", why: other.to_string() },
    }
}
