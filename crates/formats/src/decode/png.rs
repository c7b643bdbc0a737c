//! PNG and APNG. Sixteen bits a channel are cut to eight; gamma and color profiles are left alone.

use std::io::{Cursor, ErrorKind};

use ::png::{BitDepth, BlendOp, ColorType, Decoder, DecodingError, DisposeOp, Info, Reader, Transformations};
use image::RgbaImage;
use shibori_core::Size;
use shibori_core::clip::FrameDuration;

use crate::ReadProblem;
use crate::decode::animation::AnimationReader;
use crate::decode::codec::{
    DecodeLease, DecodedFile, DecodedImage, Format, ImageInfo, ReadLoss, ReadOptions, WORK,
    effective_duration,
};
use crate::decode::composite::{Blend, Compositor, Dispose, FramePatch};

type PngReader<'a> = Reader<Cursor<&'a [u8]>>;

pub(super) fn decode(bytes: &[u8], limits: &ReadOptions) -> Result<DecodedFile, ReadProblem> {
    let wrong = |error: DecodingError| problem(&error, bytes.len());
    // The pixel limit is checked by hand, with a better message; this one is for everything else a
    // file may claim, such as texts.
    let room = usize::try_from(limits.pixels.saturating_mul(8)).unwrap_or(usize::MAX);
    let mut decoder = Decoder::new_with_limits(Cursor::new(bytes), ::png::Limits { bytes: room });
    decoder.set_ignore_text_chunk(true);
    decoder.set_transformations(Transformations::EXPAND | Transformations::STRIP_16);
    let header = decoder.read_header_info().map_err(wrong)?;
    let size = Size::new(header.width, header.height);
    let room = DecodeLease::of(size, WORK, limits)?;
    let mut reader = decoder.read_info().map_err(wrong)?;
    let loss = (reader.info().bit_depth == BitDepth::Sixteen).then_some(ReadLoss::SixteenBits);
    let info = ImageInfo { format: Format::Png, size, color: color_of(reader.info()), loss };
    match reader.info().animation_control() {
        Some(control) if control.num_frames > 1 => {
            let (frames, plays) = (control.num_frames, control.num_plays);
            drop(room);
            let mut animation = AnimationReader::new("PNG", size, u64::from(frames), bytes.len(), limits)?;
            moving(&mut reader, &mut animation, frames)?;
            animation.finish(info, plays)
        }
        _ => {
            let picture = DecodedImage::Still(room.fill(next_picture(&mut reader).map_err(wrong)?.0));
            Ok(DecodedFile { info, picture, is_truncated: false })
        }
    }
}

/// The next picture of the file and its size.
fn next_picture(reader: &mut PngReader<'_>) -> Result<(RgbaImage, Size), DecodingError> {
    let too_large = || DecodingError::LimitsExceeded;
    let mut bytes = vec![0; reader.output_buffer_size().ok_or_else(too_large)?];
    let output = reader.next_frame(&mut bytes)?;
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
    animation: &mut AnimationReader<'_>,
    frames: u32,
) -> Result<(), ReadProblem> {
    let broken = |error: DecodingError| problem(&error, 0);
    // A default image that is not part of the animation comes first and is not shown.
    if reader.info().frame_control().is_none()
        && let Err(error) = next_picture(reader)
    {
        return animation.truncate(broken(error));
    }
    let mut canvas = Compositor::new(animation.size());
    for number in 0..frames {
        let room = animation.lease_frame()?;
        let pixels = match next_picture(reader) {
            Ok((pixels, _)) => pixels,
            Err(error) => return animation.truncate(broken(error)),
        };
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
        let patch = FramePatch { pixels, x: control.x_offset, y: control.y_offset, blend, dispose };
        let (span, raw_delay) = span(control.delay_num, control.delay_den);
        animation.add(room, canvas.apply(&patch), span, raw_delay);
    }
    Ok(())
}

/// A denominator of 0 means hundredths.
fn span(numerator: u16, denominator: u16) -> (FrameDuration, Option<u32>) {
    let denominator = if denominator == 0 { 100 } else { denominator };
    effective_duration(u32::from(numerator), u32::from(denominator))
}

fn color_of(info: &Info<'_>) -> String {
    let bits = info.bit_depth as u8;
    let key = if info.trns.is_some() { " with transparency" } else { "" };
    match info.color_type {
        ColorType::Grayscale => format!("gray{key}, {bits} bit"),
        ColorType::GrayscaleAlpha => format!("gray and alpha, {bits} bit"),
        ColorType::Rgb => format!("RGB{key}, {bits} bit"),
        ColorType::Rgba => format!("RGBA, {bits} bit"),
        ColorType::Indexed => {
            let colors = info.palette.as_ref().map_or(0, |palette| palette.len() / 3);
            format!("palette of {colors} colors{key}, {bits} bit")
        }
    }
}

fn problem(error: &DecodingError, bytes: usize) -> ReadProblem {
    match error {
        DecodingError::IoError(io) if io.kind() == ErrorKind::UnexpectedEof => {
            ReadProblem::BrokenOff { format: "PNG", bytes, frames: 0 }
        }
        other => ReadProblem::Damaged { format: "PNG", why: other.to_string() },
    }
}

#[cfg(test)]
mod tests {
    use ::png::{BitDepth, Encoder};

    use super::*;

    /// A PNG of 2x1 px from raw rows.
    fn file(color: ColorType, depth: BitDepth, row: &[u8], palette: Option<(&[u8], &[u8])>) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut encoder = Encoder::new(&mut bytes, 2, 1);
        encoder.set_color(color);
        encoder.set_depth(depth);
        if let Some((palette, trns)) = palette {
            encoder.set_palette(palette.to_vec());
            encoder.set_trns(trns.to_vec());
        }
        let mut writer = encoder.write_header().unwrap();
        writer.write_image_data(row).unwrap();
        writer.finish().unwrap();
        bytes
    }

    fn pixels(bytes: &[u8]) -> Vec<u8> {
        match decode(bytes, &ReadOptions::default()).unwrap().picture {
            DecodedImage::Still(pixels) => pixels.to_image().into_raw(),
            other => panic!("no still picture: {other:?}"),
        }
    }

    #[test]
    fn every_color_type_becomes_rgba() {
        use BitDepth::{Eight, One, Sixteen, Two};
        use ColorType::{Grayscale, GrayscaleAlpha, Indexed, Rgb, Rgba};
        let palette: (&[u8], &[u8]) = (&[1, 2, 3, 4, 5, 6], &[255, 70]);
        for (bytes, wanted) in [
            (file(Rgba, Eight, &[1, 2, 3, 4, 5, 6, 7, 8], None), [1, 2, 3, 4, 5, 6, 7, 8]),
            (file(Rgb, Eight, &[1, 2, 3, 4, 5, 6], None), [1, 2, 3, 255, 4, 5, 6, 255]),
            (file(Grayscale, Eight, &[7, 9], None), [7, 7, 7, 255, 9, 9, 9, 255]),
            (file(Grayscale, One, &[0b1000_0000], None), [255, 255, 255, 255, 0, 0, 0, 255]),
            (file(Grayscale, Two, &[0b0110_0000], None), [85, 85, 85, 255, 170, 170, 170, 255]),
            (file(GrayscaleAlpha, Eight, &[7, 8, 9, 0], None), [7, 7, 7, 8, 9, 9, 9, 0]),
            (
                file(Rgb, Sixteen, &[1, 99, 2, 99, 3, 99, 4, 99, 5, 99, 6, 99], None),
                [1, 2, 3, 255, 4, 5, 6, 255],
            ),
            (file(Indexed, Eight, &[1, 0], Some(palette)), [4, 5, 6, 70, 1, 2, 3, 255]),
            (file(Indexed, One, &[0b0100_0000], Some(palette)), [1, 2, 3, 255, 4, 5, 6, 70]),
        ] {
            assert_eq!(pixels(&bytes), wanted);
        }
    }

    /// An APNG of 2x1 px: each frame as place, pixels, ways and delay.
    fn animated(default_is_apart: bool) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut encoder = Encoder::new(&mut bytes, 2, 1);
        encoder.set_color(ColorType::Rgba);
        encoder.set_animated(3, 5).unwrap();
        encoder.set_sep_def_img(default_is_apart).unwrap();
        encoder.set_frame_delay(1, 12).unwrap();
        let mut writer = encoder.write_header().unwrap();
        if default_is_apart {
            writer.write_image_data(&[9; 8]).unwrap();
        }
        writer.set_blend_op(BlendOp::Source).unwrap();
        writer.write_image_data(&[1, 1, 1, 255, 2, 2, 2, 255]).unwrap();
        writer.set_frame_dimension(1, 1).unwrap();
        writer.set_frame_position(1, 0).unwrap();
        writer.set_dispose_op(DisposeOp::Background).unwrap();
        writer.write_image_data(&[3, 3, 3, 0]).unwrap();
        writer.set_blend_op(BlendOp::Over).unwrap();
        writer.set_frame_delay(0, 0).unwrap();
        writer.set_frame_position(0, 0).unwrap();
        writer.write_image_data(&[4, 4, 4, 0]).unwrap();
        writer.finish().unwrap();
        bytes
    }

    #[test]
    fn animations_are_composited_and_a_separate_default_image_is_not_shown() {
        for default_is_apart in [false, true] {
            let loaded = decode(&animated(default_is_apart), &ReadOptions::default()).unwrap();
            let DecodedImage::Moving(animation) = loaded.picture else { panic!("it stands still") };
            assert_eq!(animation.plays, 5);
            let rows: Vec<Vec<u8>> =
                animation.moments.iter().map(|m| m.picture.to_image().into_raw()).collect();
            assert_eq!(rows[0], [1, 1, 1, 255, 2, 2, 2, 255]);
            assert_eq!(rows[1], [1, 1, 1, 255, 3, 3, 3, 0]);
            assert_eq!(rows[2], [1, 1, 1, 255, 0, 0, 0, 0]);
            assert_eq!(animation.moments[0].span, FrameDuration::new(1, 12).unwrap());
            assert_eq!(
                (animation.moments[2].span.millis(), animation.moments[2].raw_delay),
                (100.0, Some(0))
            );
        }
    }
}
