//! TIFF by its codec, the first picture of a file: gray, RGB and CMYK of 8 and 16 bits, RGB as floats, one bit a pixel.

use std::io::Cursor;

use ::image::metadata::Orientation;
use ::image::{DynamicImage, ImageBuffer, Luma, LumaA, Rgb, Rgba};
use shibori_core::Size;
use tiff::decoder::{Decoder, DecodingResult, Limits as Allowed};
use tiff::tags::Tag;
use tiff::{ColorType, TiffError};

use super::Raw;
use crate::ReadProblem;
use crate::decode::codec::{DecodeLease, ReadOptions, check_size};

/// A palette, in the tag for photometric interpretation.
const PALETTE: u16 = 3;

pub(super) fn decode(bytes: &[u8], limits: &ReadOptions) -> Result<Raw, ReadProblem> {
    let wrong = |error: TiffError| problem(&error, bytes.len());
    let mut decoder = Decoder::new(Cursor::new(bytes)).map_err(wrong)?;
    let size = Size::from(decoder.dimensions().map_err(wrong)?);
    check_size(size, limits)?;
    if decoder.find_tag_unsigned::<u16>(Tag::PhotometricInterpretation).ok().flatten() == Some(PALETTE) {
        return Err(unsupported("a palette; save it as RGBA, or as PNG"));
    }
    let kind = match decoder.colortype().map_err(wrong)? {
        // Gray with one more sample, which is alpha in all that is written so.
        ColorType::Multiband { bit_depth, num_samples: 2 } => ColorType::GrayA(bit_depth),
        kind => kind,
    };
    let work = u64::from(kind.bit_depth()).div_ceil(8) * u64::from(kind.num_samples());
    // The samples as they are decoded, and once more where planes are brought together.
    let room = DecodeLease::of(size, 2 * work, limits)?;
    let orientation = decoder.find_tag_unsigned::<u8>(Tag::Orientation).ok().flatten();
    let orientation = orientation.and_then(Orientation::from_exif).unwrap_or(Orientation::NoTransforms);
    let mut allowed = Allowed::default();
    // Sixteen bits and four channels are the most a pixel takes; as much again for buffers.
    let most = usize::try_from(limits.pixels.saturating_mul(8)).unwrap_or(usize::MAX);
    (allowed.decoding_buffer_size, allowed.intermediate_buffer_size) = (most, most);
    allowed.ifd_value_size = most;
    let mut decoder = decoder.with_limits(allowed);
    let mut samples = DecodingResult::U8(Vec::new());
    let layout = decoder.read_image_to_buffer(&mut samples).map_err(wrong)?;
    let image = picture(kind, samples, size, layout.planes)?;
    Ok(Raw { image, orientation, color: color(kind), is_truncated: false, room })
}

/// The samples as a picture. Planes that lie one after the other are brought together pixel by pixel.
fn picture(
    kind: ColorType,
    samples: DecodingResult,
    size: Size,
    planes: usize,
) -> Result<DynamicImage, ReadProblem> {
    use DynamicImage::{
        ImageLuma8, ImageLuma16, ImageLumaA8, ImageLumaA16, ImageRgb8, ImageRgb16, ImageRgb32F, ImageRgba8,
        ImageRgba16, ImageRgba32F,
    };
    let Size { width, height } = size;
    let image = match (kind, samples) {
        (ColorType::Gray(1), DecodingResult::U8(bits)) => {
            buffer::<Luma<u8>>(expanded(&bits, size), width, height).map(ImageLuma8)
        }
        (ColorType::CMYK(8), DecodingResult::U8(ink)) => {
            let colors =
                together(ink, planes).as_chunks::<4>().0.iter().flat_map(|&ink| mixed(ink)).collect();
            buffer::<Rgb<u8>>(colors, width, height).map(ImageRgb8)
        }
        (ColorType::CMYK(16), DecodingResult::U16(ink)) => {
            let colors =
                together(ink, planes).as_chunks::<4>().0.iter().flat_map(|&ink| mixed_16(ink)).collect();
            buffer::<Rgb<u16>>(colors, width, height).map(ImageRgb16)
        }
        (ColorType::Gray(8), DecodingResult::U8(v)) => buffer::<Luma<u8>>(v, width, height).map(ImageLuma8),
        (ColorType::Gray(16), DecodingResult::U16(v)) => {
            buffer::<Luma<u16>>(v, width, height).map(ImageLuma16)
        }
        (ColorType::GrayA(8), DecodingResult::U8(v)) => {
            buffer::<LumaA<u8>>(together(v, planes), width, height).map(ImageLumaA8)
        }
        (ColorType::GrayA(16), DecodingResult::U16(v)) => {
            buffer::<LumaA<u16>>(together(v, planes), width, height).map(ImageLumaA16)
        }
        (ColorType::RGB(8), DecodingResult::U8(v)) => {
            buffer::<Rgb<u8>>(together(v, planes), width, height).map(ImageRgb8)
        }
        (ColorType::RGB(16), DecodingResult::U16(v)) => {
            buffer::<Rgb<u16>>(together(v, planes), width, height).map(ImageRgb16)
        }
        (ColorType::RGB(32), DecodingResult::F32(v)) => {
            buffer::<Rgb<f32>>(together(v, planes), width, height).map(ImageRgb32F)
        }
        (ColorType::RGBA(8), DecodingResult::U8(v)) => {
            buffer::<Rgba<u8>>(together(v, planes), width, height).map(ImageRgba8)
        }
        (ColorType::RGBA(16), DecodingResult::U16(v)) => {
            buffer::<Rgba<u16>>(together(v, planes), width, height).map(ImageRgba16)
        }
        (ColorType::RGBA(32), DecodingResult::F32(v)) => {
            buffer::<Rgba<f32>>(together(v, planes), width, height).map(ImageRgba32F)
        }
        (other, _) => return Err(unsupported(&format!("{}; save it as RGBA, or as PNG", color(other)))),
    };
    image.ok_or_else(|| ReadProblem::Damaged {
        format: "TIFF",
        why: "fewer pixels than its size says".to_owned(),
    })
}

fn buffer<P: ::image::Pixel>(
    mut samples: Vec<P::Subpixel>,
    width: u32,
    height: u32,
) -> Option<ImageBuffer<P, Vec<P::Subpixel>>> {
    let wanted = (u64::from(width) * u64::from(height)).checked_mul(u64::from(P::CHANNEL_COUNT))?;
    samples.truncate(usize::try_from(wanted).ok()?);
    ImageBuffer::from_raw(width, height, samples)
}

fn together<T: Copy>(samples: Vec<T>, planes: usize) -> Vec<T> {
    if planes < 2 {
        return samples;
    }
    let plane = samples.len() / planes;
    (0..plane)
        .flat_map(|at| (0..planes).map(move |number| number * plane + at))
        .map(|at| samples[at])
        .collect()
}

/// One bit a pixel, each row from a byte of its own, as 0 and 255.
fn expanded(bits: &[u8], size: Size) -> Vec<u8> {
    let row_bytes = (size.width as usize).div_ceil(8).max(1);
    let row = |bytes: &'_ [u8]| -> Vec<u8> {
        (0..size.width as usize).map(|x| if bytes[x / 8] >> (7 - x % 8) & 1 == 1 { 255 } else { 0 }).collect()
    };
    bits.chunks_exact(row_bytes).flat_map(row).collect()
}

/// Ink to light, with no color profile.
fn mixed([c, m, y, k]: [u8; 4]) -> [u8; 3] {
    let key = 1.0 - f32::from(k) / 255.0;
    [c, m, y].map(|ink| ((255.0 - f32::from(ink)) * key) as u8)
}

fn mixed_16([c, m, y, k]: [u16; 4]) -> [u16; 3] {
    let key = 1.0 - f32::from(k) / 65535.0;
    [c, m, y].map(|ink| ((65535.0 - f32::from(ink)) * key) as u16)
}

fn color(kind: ColorType) -> String {
    match kind {
        ColorType::Gray(bits) => format!("gray, {bits} bit"),
        ColorType::GrayA(bits) => format!("gray and alpha, {bits} bit"),
        ColorType::RGB(bits) => format!("RGB, {bits} bit"),
        ColorType::RGBA(bits) => format!("RGBA, {bits} bit"),
        ColorType::CMYK(bits) => format!("CMYK, {bits} bit"),
        ColorType::CMYKA(bits) => format!("CMYK and alpha, {bits} bit"),
        ColorType::Palette(bits) => format!("a palette, {bits} bit"),
        ColorType::YCbCr(bits) => format!("YCbCr, {bits} bit"),
        ColorType::Multiband { bit_depth, num_samples } => format!("{num_samples} bands, {bit_depth} bit"),
        ColorType::Lab(bits) => format!("Lab, {bits} bit"),
        _ => "an unknown color space".to_owned(),
    }
}

fn unsupported(what: &str) -> ReadProblem {
    ReadProblem::Unsupported(format!("this kind of TIFF can't be read: {what}"))
}

fn problem(error: &TiffError, bytes: usize) -> ReadProblem {
    match error {
        TiffError::IoError(io) if io.kind() == std::io::ErrorKind::UnexpectedEof => {
            ReadProblem::BrokenOff { format: "TIFF", bytes, frames: 0 }
        }
        TiffError::UnsupportedError(what) => unsupported(&what.to_string()),
        other => ReadProblem::Damaged { format: "TIFF", why: other.to_string() },
    }
}
