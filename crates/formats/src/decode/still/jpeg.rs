//! JPEG by its codec, with the orientation that cameras note.

use ::image::metadata::Orientation;
use ::image::{DynamicImage, GrayAlphaImage, GrayImage, RgbImage, RgbaImage};
use shibori_core::Size;
use zune_jpeg::JpegDecoder;
use zune_jpeg::errors::DecodeErrors;
use zune_jpeg::zune_core::bytestream::ZCursor;
use zune_jpeg::zune_core::colorspace::ColorSpace;
use zune_jpeg::zune_core::options::DecoderOptions;

use super::Raw;
use crate::ReadProblem;
use crate::decode::codec::{DecodeLease, ReadOptions};

/// Bytes of a pixel that the codec holds at most: coefficients of 16 bits for each of three components, and its samples.
const WORK_PROGRESSIVE: u64 = 12;

pub(super) fn decode(bytes: &[u8], limits: &ReadOptions) -> Result<Raw, ReadProblem> {
    let end = end_of(bytes);
    let is_truncated = end.is_none();
    // Bytes after the end mark aren't part of the picture.
    let bytes = &bytes[..end.unwrap_or(bytes.len())];
    if is_truncated && !limits.accept_truncated {
        return Err(ReadProblem::BrokenOff { format: "JPEG", bytes: bytes.len(), frames: 0 });
    }
    // With an end mark the codec takes the rest of a progressive file for empty instead of giving up.
    let ended = is_truncated.then(|| [bytes, &[0xff, 0xd9]].concat());
    let bytes = ended.as_deref().unwrap_or(bytes);
    let options =
        DecoderOptions::default().set_strict_mode(false).set_max_width(usize::MAX).set_max_height(usize::MAX);
    let mut head = JpegDecoder::new_with_options(ZCursor::new(bytes), options);
    head.decode_headers().map_err(|error| problem(&error))?;
    let (width, height) = head.dimensions().unwrap_or_default();
    // The format has 16 bits for each.
    let size = Size { width: width as u32, height: height as u32 };
    let room = DecodeLease::of(size, WORK_PROGRESSIVE, limits)?;
    let colors = match head.input_colorspace() {
        Some(own @ (ColorSpace::RGBA | ColorSpace::Luma | ColorSpace::LumaA)) => own,
        _ => ColorSpace::RGB,
    };
    let orientation = head.exif().and_then(|exif| orientation(exif)).unwrap_or(Orientation::NoTransforms);
    let mut decoder =
        JpegDecoder::new_with_options(ZCursor::new(bytes), options.jpeg_set_out_colorspace(colors));
    let samples = decoder.decode().map_err(|error| problem(&error))?;
    let image = match colors {
        ColorSpace::RGBA => {
            RgbaImage::from_raw(size.width, size.height, samples).map(DynamicImage::ImageRgba8)
        }
        ColorSpace::Luma => {
            GrayImage::from_raw(size.width, size.height, samples).map(DynamicImage::ImageLuma8)
        }
        ColorSpace::LumaA => {
            GrayAlphaImage::from_raw(size.width, size.height, samples).map(DynamicImage::ImageLumaA8)
        }
        _ => RgbImage::from_raw(size.width, size.height, samples).map(DynamicImage::ImageRgb8),
    };
    let image = image.ok_or_else(|| damaged("fewer pixels than its size says".to_owned()))?;
    let color = if matches!(colors, ColorSpace::Luma) { "gray, 8 bit" } else { "RGB, 8 bit" };
    Ok(Raw { image, orientation, color: color.to_owned(), is_truncated, room })
}

/// Where the picture ends, after its end mark; `None` in a file that is cut off: the codec paints what is missing gray and
/// says nothing. Segments are followed from mark to mark (ITU-T T.81, annex B), since both marks and what looks like them
/// may come after the end and inside of segments.
fn end_of(bytes: &[u8]) -> Option<usize> {
    let mut at = 2;
    loop {
        // Any number of 0xff may precede a mark. Inside a scan, each 0xff is followed by 0 or by the number of a restart.
        at += bytes.get(at..)?.iter().position(|&byte| byte == 0xff)?;
        let mark = bytes.get(at..)?.iter().position(|&byte| byte != 0xff)?;
        at += mark + 1;
        match bytes[at - 1] {
            0xd9 => return Some(at),
            0x00 | 0x01 | 0xd0..=0xd8 => {}
            _ => at += usize::from(u16::from_be_bytes([*bytes.get(at)?, *bytes.get(at + 1)?])),
        }
    }
}

fn damaged(why: String) -> ReadProblem {
    ReadProblem::Damaged { format: "JPEG", why }
}

fn problem(error: &DecodeErrors) -> ReadProblem {
    match error {
        DecodeErrors::Unsupported(what) => {
            ReadProblem::Unsupported(format!("this kind of JPEG is not read: {what:?}"))
        }
        other => damaged(format!("{other}")),
    }
}

/// The orientation in EXIF data: tag 0x0112 of the first directory, one short number.
fn orientation(exif: &[u8]) -> Option<Orientation> {
    let is_little = match exif.get(..4)? {
        b"II*\0" => true,
        b"MM\0*" => false,
        _ => return None,
    };
    let short = |at: usize| -> Option<u16> {
        let pair = [*exif.get(at)?, *exif.get(at + 1)?];
        Some(if is_little { u16::from_le_bytes(pair) } else { u16::from_be_bytes(pair) })
    };
    let long = |at: usize| -> Option<usize> {
        let (a, b) = (usize::from(short(at)?), usize::from(short(at + 2)?));
        Some(if is_little { a | (b << 16) } else { (a << 16) | b })
    };
    let directory = long(4)?;
    let entries = usize::from(short(directory)?);
    let found = (0..entries).map(|entry| directory + 2 + 12 * entry).find(|&at| short(at) == Some(0x0112))?;
    let is_one_short = short(found + 2)? == 3 && long(found + 4)? == 1;
    let value = u8::try_from(short(found + 8)?).ok()?;
    if is_one_short { Orientation::from_exif(value) } else { None }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn orientations_are_read_in_both_byte_orders_and_nothing_beyond_the_end() {
        let little =
            [b"II*\0\x08\0\0\0\x01\0".as_slice(), &[0x12, 0x01, 3, 0, 1, 0, 0, 0, 6, 0, 0, 0]].concat();
        let big = [b"MM\0*\0\0\0\x08\0\x01".as_slice(), &[0x01, 0x12, 0, 3, 0, 0, 0, 1, 0, 3, 0, 0]].concat();
        assert_eq!(orientation(&little), Some(Orientation::Rotate90));
        assert_eq!(orientation(&big), Some(Orientation::Rotate180));
        for end in 0..18 {
            assert_eq!(orientation(&little[..end]), None, "{end}");
        }
    }
}
