//! Formats of one picture: JPEG, BMP, TIFF, TGA, QOI.

mod jpeg;
mod tiff;

use std::io::Cursor;

use ::image::error::ImageError;
use ::image::metadata::Orientation;
use ::image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader};
use shibori_core::Size;

use crate::ReadProblem;
use crate::decode::codec::{
    DecodeLease, DecodedFile, DecodedImage, Format, ImageInfo, ReadLoss, ReadOptions,
};

/// A picture as its codec gives it.
struct Raw {
    image: DynamicImage,
    orientation: Orientation,
    /// How colors are stored, for people.
    color: String,
    /// Whether the file ends early, and the rest of the picture is gray.
    is_truncated: bool,
    room: DecodeLease,
}

pub(super) fn decode(bytes: &[u8], format: Format, limits: &ReadOptions) -> Result<DecodedFile, ReadProblem> {
    let Raw { mut image, orientation, color, is_truncated, room } = match format {
        Format::Jpeg => jpeg::decode(bytes, limits)?,
        Format::Tiff => tiff::decode(bytes, limits)?,
        Format::Bmp => simple(bytes, ImageFormat::Bmp, format, limits)?,
        Format::Qoi => simple(bytes, ImageFormat::Qoi, format, limits)?,
        Format::Tga => simple(bytes, ImageFormat::Tga, format, limits)?,
        Format::Png | Format::Gif | Format::WebP | Format::Y4m | Format::OpenRaster => {
            return Err(ReadProblem::Unsupported(format!("{} has a reader of its own", format.name())));
        }
    };
    image.apply_orientation(orientation);
    let is_deep = image.color().bytes_per_pixel() > image.color().channel_count();
    let loss = match is_deep {
        true => Some(ReadLoss::SixteenBits),
        false => (format == Format::Bmp && has_unread_alpha(bytes)).then_some(ReadLoss::BmpAlpha),
    };
    let rgba = image.into_rgba8();
    let info = ImageInfo { format, size: Size::from(rgba.dimensions()), color, loss };
    Ok(DecodedFile { info, picture: DecodedImage::Still(room.fill(rgba)), is_truncated })
}

fn simple(
    bytes: &[u8],
    codec: ImageFormat,
    format: Format,
    limits: &ReadOptions,
) -> Result<Raw, ReadProblem> {
    let wrong = |error: ImageError| problem(&error, format.name(), bytes.len());
    let mut reader = ImageReader::with_format(Cursor::new(bytes), codec);
    let mut allowed = ::image::Limits::default();
    // Sixteen bits and four channels are the most a pixel takes while it is decoded; twice that for buffers.
    allowed.max_alloc = Some(limits.pixels.saturating_mul(16));
    reader.limits(allowed);
    let decoder = reader.into_decoder().map_err(wrong)?;
    let samples = u64::from(decoder.color_type().bytes_per_pixel());
    let room = DecodeLease::of(Size::from(decoder.dimensions()), samples, limits)?;
    let color = plain(&format!("{:?}", decoder.original_color_type()));
    let image = DynamicImage::from_decoder(decoder).map_err(wrong)?;
    Ok(Raw { image, orientation: Orientation::NoTransforms, color, is_truncated: false, room })
}

/// Whether a 32-bit BMP has values in its fourth byte although its header declares it unused (BITMAPINFOHEADER with
/// BI_RGB: "the high byte in each DWORD is not used").
fn has_unread_alpha(bytes: &[u8]) -> bool {
    let number = |at: usize| {
        bytes.get(at..at + 4).map(|four| u32::from_le_bytes([four[0], four[1], four[2], four[3]]))
    };
    let (Some(data), Some(planes), Some(compression)) = (number(10), number(26), number(30)) else {
        return false;
    };
    let is_plain = planes >> 16 == 32 && compression == 0;
    let pixels = bytes.get(data as usize..).unwrap_or_default();
    let mut unread = pixels.chunks_exact(4).map(|pixel| pixel[3]);
    let first = unread.next();
    is_plain && unread.any(|value| Some(value) != first)
}

/// `Rgba8` as "RGBA, 8 bit".
fn plain(color: &str) -> String {
    let digits = color.trim_start_matches(|c: char| !c.is_ascii_digit());
    let channels = color.trim_end_matches(|c: char| c.is_ascii_digit());
    match digits {
        "" => channels.to_uppercase(),
        bits => format!(
            "{}, {bits} bit",
            channels.to_uppercase().replace("LA", "gray and alpha").replace('L', "gray")
        ),
    }
}

fn problem(error: &ImageError, format: &'static str, bytes: usize) -> ReadProblem {
    match error {
        ImageError::IoError(io) if io.kind() == std::io::ErrorKind::UnexpectedEof => {
            ReadProblem::BrokenOff { format, bytes, frames: 0 }
        }
        ImageError::Unsupported(what) => {
            ReadProblem::Unsupported(format!("this kind of {format} is not read: {what}"))
        }
        other => ReadProblem::Damaged { format, why: other.to_string() },
    }
}

#[cfg(test)]
mod tests {
    use ::image::{Rgba, RgbaImage};

    use super::*;

    fn written(format: ImageFormat, image: &RgbaImage) -> Vec<u8> {
        let mut bytes = Cursor::new(Vec::new());
        let opaque = DynamicImage::from(image.clone()).into_rgb8();
        match format {
            ImageFormat::Tiff => {
                let mut encoder = ::tiff::encoder::TiffEncoder::new(&mut bytes).unwrap();
                let (width, height) = image.dimensions();
                encoder
                    .write_image::<::tiff::encoder::colortype::RGBA8>(width, height, image.as_raw())
                    .unwrap();
            }
            ImageFormat::Jpeg => opaque.write_to(&mut bytes, format).unwrap(),
            _ => image.write_to(&mut bytes, format).unwrap(),
        }
        bytes.into_inner()
    }

    fn pixels(bytes: &[u8], format: Format) -> RgbaImage {
        match decode(bytes, format, &ReadOptions::default()).unwrap().picture {
            DecodedImage::Still(pixels) => pixels.to_image(),
            other => panic!("no still picture: {other:?}"),
        }
    }

    #[test]
    fn each_format_gives_its_pixels_back() {
        let image = RgbaImage::from_fn(17, 9, |x, y| {
            Rgba([x as u8 * 9, y as u8 * 20, 77, if x < 3 { 0 } else { 255 }])
        });
        for (codec, format) in [
            (ImageFormat::Bmp, Format::Bmp),
            (ImageFormat::Tiff, Format::Tiff),
            (ImageFormat::Tga, Format::Tga),
            (ImageFormat::Qoi, Format::Qoi),
        ] {
            assert_eq!(pixels(&written(codec, &image), format), image, "{format:?}");
        }
        let jpeg = pixels(&written(ImageFormat::Jpeg, &image), Format::Jpeg);
        let off = jpeg.pixels().zip(image.pixels()).map(|(a, b)| a[0].abs_diff(b[0])).max().unwrap();
        assert!(off < 40, "{off}");
    }

    #[test]
    fn an_exif_orientation_is_applied() {
        let image = RgbaImage::from_fn(32, 16, |x, _| Rgba([if x < 16 { 250 } else { 5 }, 5, 5, 255]));
        let plain = written(ImageFormat::Jpeg, &image);
        // An APP1 segment with one tag: orientation 6, a quarter turn clockwise.
        let tiff =
            [b"II*\0\x08\0\0\0\x01\0".as_slice(), &[0x12, 0x01, 3, 0, 1, 0, 0, 0, 6, 0, 0, 0], &[0; 4]]
                .concat();
        let body = [b"Exif\0\0".as_slice(), &tiff].concat();
        let length = (body.len() as u16 + 2).to_be_bytes();
        let rotated = [&plain[..2], &[0xff, 0xe1], &length, &body, &plain[2..]].concat();
        let rotated = pixels(&rotated, Format::Jpeg);
        assert_eq!(rotated.dimensions(), (16, 32));
        assert!(rotated.get_pixel(8, 4)[0] > 200 && rotated.get_pixel(8, 28)[0] < 50);
    }

    #[test]
    fn a_file_that_breaks_off_anywhere_is_refused() {
        let noise = |x: u32, y: u32| (x.wrapping_mul(73) ^ y.wrapping_mul(151)).wrapping_mul(29) as u8;
        let image = RgbaImage::from_fn(48, 40, |x, y| Rgba([noise(x, y), noise(y, x), noise(x + 9, y), 255]));
        for (codec, format) in [
            (ImageFormat::Bmp, Format::Bmp),
            (ImageFormat::Tiff, Format::Tiff),
            (ImageFormat::Tga, Format::Tga),
            (ImageFormat::Qoi, Format::Qoi),
            (ImageFormat::Jpeg, Format::Jpeg),
        ] {
            let bytes = written(codec, &image);
            for percent in [20, 50, 80, 95] {
                let part = &bytes[..bytes.len() * percent / 100];
                let read = decode(part, format, &ReadOptions::default());
                assert!(read.is_err(), "{format:?} of {percent} %");
            }
        }
        let bytes = written(ImageFormat::Jpeg, &image);
        let half = &bytes[..bytes.len() * 6 / 10];
        let accept = ReadOptions { accept_truncated: true, ..ReadOptions::default() };
        assert!(decode(half, Format::Jpeg, &accept).unwrap().is_truncated);
        let whole = decode(&bytes, Format::Jpeg, &accept).unwrap();
        assert!(!whole.is_truncated);
    }

    #[test]
    fn what_follows_the_end_of_a_jpeg_is_no_part_of_it() {
        let image = RgbaImage::from_fn(33, 17, |x, y| Rgba([x as u8 * 7, y as u8 * 9, 40, 255]));
        let plain = written(ImageFormat::Jpeg, &image);
        for more in [b"\0\0\0".as_slice(), &[0xff, 0xda, 0, 0], &plain, &[0xff; 9]] {
            let loaded = decode(&[&plain, more].concat(), Format::Jpeg, &ReadOptions::default()).unwrap();
            assert!(!loaded.is_truncated);
        }
        // A thumbnail with marks of its own, in a segment before the picture.
        let thumbnail = [b"JFXX\0".as_slice(), &plain].concat();
        let length = (thumbnail.len() as u16 + 2).to_be_bytes();
        let with = [&plain[..2], &[0xff, 0xe0], &length, &thumbnail, &plain[2..]].concat();
        assert!(decode(&with, Format::Jpeg, &ReadOptions::default()).is_ok());
        let cut = decode(&with[..with.len() - 2], Format::Jpeg, &ReadOptions::default());
        assert!(matches!(cut, Err(ReadProblem::BrokenOff { .. })), "{cut:?}");
    }

    /// A TIFF of 2x1 pixels with this many samples each and this photometric interpretation.
    fn tiff(photometric: u16, samples: u16, data: &[u8]) -> Vec<u8> {
        let mut entries: Vec<(u16, u16, u32, u32)> = vec![
            (256, 3, 1, 2),
            (257, 3, 1, 1),
            (258, 3, u32::from(samples), if samples == 1 { 8 } else { 8 | (8 << 16) }),
            (259, 3, 1, 1),
            (262, 3, 1, u32::from(photometric)),
            (273, 4, 1, 0),
            (277, 3, 1, u32::from(samples)),
            (279, 4, 1, data.len() as u32),
        ];
        if samples == 2 {
            entries.push((338, 3, 1, 2));
        }
        if photometric == 3 {
            entries.push((320, 3, 768, 8));
        }
        entries.sort_unstable();
        let start = 8 + 2 + entries.len() * 12 + 4;
        let mut bytes = [b"II*\0".as_slice(), &8u32.to_le_bytes()].concat();
        bytes.extend((entries.len() as u16).to_le_bytes());
        for (tag, kind, count, value) in entries {
            let value = if tag == 273 { start as u32 } else { value };
            bytes.extend([tag.to_le_bytes(), kind.to_le_bytes()].concat());
            bytes.extend([count.to_le_bytes(), value.to_le_bytes()].concat());
        }
        bytes.extend(0u32.to_le_bytes());
        bytes.extend(data);
        bytes
    }

    #[test]
    fn gray_with_alpha_is_read_and_a_palette_is_refused_in_words() {
        let image = pixels(&tiff(1, 2, &[10, 255, 200, 60]), Format::Tiff);
        assert_eq!(
            image.pixels().map(|pixel| pixel.0).collect::<Vec<_>>(),
            [[10, 10, 10, 255], [200, 200, 200, 60]]
        );
        let palette =
            decode(&tiff(3, 1, &[0, 1]), Format::Tiff, &ReadOptions::default()).unwrap_err().to_string();
        assert!(palette.contains("a palette; save it as RGBA, or as PNG"), "{palette}");
    }

    #[test]
    fn broken_and_huge_files_are_refused() {
        let image = RgbaImage::from_pixel(40, 40, Rgba([1, 2, 3, 255]));
        let qoi = written(ImageFormat::Bmp, &image);
        let half = decode(&qoi[..qoi.len() / 2], Format::Bmp, &ReadOptions::default());
        assert!(matches!(half, Err(ReadProblem::BrokenOff { format: "BMP", .. })), "{half:?}");
        let small = ReadOptions { pixels: 100, ..ReadOptions::default() };
        assert!(matches!(decode(&qoi, Format::Bmp, &small), Err(ReadProblem::TooLarge { .. })));
    }
}
