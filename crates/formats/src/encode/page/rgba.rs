//! A PNG in true color with alpha: rows filtered on all threads, then compressed.
//!
//! Rows are filtered as the PNG standard advises (third edition, 12.7: the filter with the least sum of absolute
//! differences), which suits painted art. Of pixel art the same shapes come again and again, and filters, chosen row by
//! row, hide that from deflate; so at the usual size parts of the page are compressed both ways, and the page is in the
//! better one. What is chosen depends on the picture alone, so the bytes are the same on any number of threads.
//! Written here because the crate that writes all other PNGs filters on one thread and knows one compression of these.

use std::cell::RefCell;

use fdeflate::Compressor as Quick;
use image::{GenericImageView, RgbaImage};
use libdeflater::{CompressionLvl, Compressor};
use shibori_core::parallel;

use crate::WriteProblem;
use crate::encode::chunk::chunk;
use crate::encode::page::PngSize;

const CHANNELS: usize = 4;
/// Bytes of pixels that are filtered by one thread at a time.
const BAND: usize = 1 << 16;
/// Bytes of a chunk of compressed data; a chunk may have twice that.
const CHUNK: usize = 1 << 30;
/// Pictures of fewer bytes are looked at whole.
const SMALL: usize = 1 << 14;
/// Bytes of pixels in a part that is compressed both ways to see which is shorter, and what part of the picture all are.
const SAMPLE: usize = 1 << 16;
const SHARE: usize = 8;

/// The bytes of a PNG.
pub(super) fn png(image: &RgbaImage, size: PngSize) -> Result<Vec<u8>, WriteProblem> {
    let data = match size {
        PngSize::Quick | PngSize::Small => compress_fast(&filtered(image, Filters::LeastSum))?,
        PngSize::Usual => deflated(&filtered(image, choose_filters(image)?))?,
    };
    let mut bytes = vec![0x89, b'P', b'N', b'G', 0x0d, 0x0a, 0x1a, 0x0a];
    let sides = [image.width().to_be_bytes(), image.height().to_be_bytes()].concat();
    // Eight bits, true color with alpha, deflate, the five filters, not interlaced.
    chunk(&mut bytes, b"IHDR", &[&sides[..], &[8, 6, 0, 0, 0]]);
    data.chunks(CHUNK).for_each(|data| chunk(&mut bytes, b"IDAT", &[data]));
    chunk(&mut bytes, b"IEND", &[]);
    Ok(bytes)
}

/// Whether filters help: both ways are compressed on parts from all over the picture, an eighth of it.
fn choose_filters(image: &RgbaImage) -> Result<Filters, WriteProblem> {
    let (width, height) = image.dimensions();
    let length = image.as_raw().len();
    let samples = if length < SMALL { 1 } else { (length / SHARE / SAMPLE).max(1) as u32 };
    let rows = if length < SMALL { height } else { (height / SHARE as u32 / samples).max(1) };
    let compressed = |at: usize| {
        let (sample, way) = (at as u32 / 2, [Filters::LeastSum, Filters::None][at % 2]);
        // The middle of each of this many equal parts.
        let middle = (u64::from(height) * (2 * u64::from(sample) + 1) / (2 * u64::from(samples))) as u32;
        let part = image.view(0, middle.saturating_sub(rows / 2).min(height - rows), width, rows).to_image();
        deflated(&filtered(&part, way)).map(|bytes| bytes.len())
    };
    let count = samples as usize * 2;
    let lengths: Vec<usize> = match samples {
        1 => (0..count).map(compressed).collect::<Result<_, _>>()?,
        _ => parallel::try_map(count, compressed)?,
    };
    let sum = |way: usize| lengths.iter().skip(way).step_by(2).sum::<usize>();
    Ok(if sum(1) < sum(0) { Filters::None } else { Filters::LeastSum })
}

fn problem(what: &impl std::fmt::Display) -> WriteProblem {
    WriteProblem::Format(format!("can't be compressed: {what}"))
}

/// Fast, and only as small as filters make it.
fn compress_fast(data: &[u8]) -> Result<Vec<u8>, WriteProblem> {
    let begun = Quick::new(Vec::with_capacity(data.len() / 2 + 64));
    begun
        .and_then(|mut quick| quick.write_data(data).and_then(|()| quick.finish()))
        .map_err(|error| problem(&error))
}

thread_local! {
    /// Kept by each thread, since its tables are larger than most pictures; nothing of one picture is in the next.
    static DEFLATE: RefCell<Compressor> = RefCell::new(Compressor::new(level()));
}

/// Of the twelve levels: the next one takes half as long again for a percent.
fn level() -> CompressionLvl {
    CompressionLvl::new(6).unwrap_or_default()
}

fn deflated(data: &[u8]) -> Result<Vec<u8>, WriteProblem> {
    DEFLATE.with_borrow_mut(|deflate| {
        let mut bytes = vec![0; deflate.zlib_compress_bound(data.len())];
        let length = deflate.zlib_compress(data, &mut bytes).map_err(|error| problem(&error))?;
        bytes.truncate(length);
        Ok(bytes)
    })
}

/// Which filters rows get.
#[derive(Clone, Copy)]
enum Filters {
    None,
    LeastSum,
}

/// Rows with their filter's number before each.
fn filtered(image: &RgbaImage, filters: Filters) -> Vec<u8> {
    let stride = image.width() as usize * CHANNELS;
    let rows_a_band = BAND.div_ceil(stride.max(1));
    let bytes = image.as_raw();
    let mut all = vec![0; image.height() as usize * (stride + 1)];
    let bands: Vec<&mut [u8]> = all.chunks_mut(rows_a_band * (stride + 1)).collect();
    parallel::map_vec(bands, |band, out| {
        let first = band * rows_a_band;
        let rows = (first..).zip(out.chunks_exact_mut(stride + 1));
        match filters {
            Filters::LeastSum => filter_min_sum(bytes, stride, rows),
            Filters::None => {
                rows.for_each(|(row, out)| {
                    out[1..].copy_from_slice(&bytes[row * stride..(row + 1) * stride]);
                });
            }
        }
    });
    all
}

fn filter_min_sum<'a>(bytes: &[u8], stride: usize, rows: impl Iterator<Item = (usize, &'a mut [u8])>) {
    let none = vec![0; stride];
    let mut tries = vec![vec![0; stride]; 5];
    for (row, out) in rows {
        let now = &bytes[row * stride..(row + 1) * stride];
        let above = if row == 0 { &none } else { &bytes[(row - 1) * stride..row * stride] };
        let mut best = (u64::MAX, 0);
        for (number, attempt) in tries.iter_mut().enumerate() {
            filter(number, now, above, attempt);
            best = best.min((sum(attempt), number));
        }
        out[0] = best.1 as u8;
        out[1..].copy_from_slice(&tries[best.1]);
    }
}

/// The sum of absolute differences, a few bytes at a time in small numbers, of which a processor adds many at once.
fn sum(bytes: &[u8]) -> u64 {
    let part = |part: &[u8]| {
        let absolute = part.iter().map(|&byte| u16::from((byte as i8).unsigned_abs()));
        u64::from(absolute.sum::<u16>())
    };
    // 256 times 128 is less than a short number holds.
    bytes.chunks(256).map(part).sum()
}

/// One of the standard's five filters (9.2), on whole rows so that it runs on many bytes at once.
fn filter(number: usize, now: &[u8], above: &[u8], out: &mut [u8]) {
    let (first, rest) = out.split_at_mut(CHANNELS);
    let (now_first, now_rest) = now.split_at(CHANNELS);
    let (above_first, above_rest) = above.split_at(CHANNELS);
    // The first pixel has nothing on its left.
    for at in 0..CHANNELS {
        first[at] = now_first[at].wrapping_sub(match number {
            0 | 1 => 0,
            3 => above_first[at] / 2,
            _ => above_first[at],
        });
    }
    let pairs = rest.iter_mut().zip(now_rest).zip(now.iter().zip(above_rest.iter().zip(above)));
    match number {
        0 => rest.copy_from_slice(now_rest),
        1 => pairs.for_each(|((out, now), (left, _))| *out = now.wrapping_sub(*left)),
        2 => pairs.for_each(|((out, now), (_, (above, _)))| *out = now.wrapping_sub(*above)),
        3 => pairs.for_each(|((out, now), (left, (above, _)))| {
            *out = now.wrapping_sub(((u16::from(*left) + u16::from(*above)) / 2) as u8);
        }),
        _ => pairs.for_each(|((out, now), (left, (above, corner)))| {
            *out = now.wrapping_sub(paeth(*left, *above, *corner));
        }),
    }
}

/// The neighbor nearest to left + above - corner (A. Paeth), in bytes alone, of which a processor compares twice as many
/// at once as of larger numbers: where both neighbors are on one side of the corner, the corner is never the nearest.
fn paeth(left: u8, above: u8, corner: u8) -> u8 {
    let (to_left, to_above) = (above.abs_diff(corner), left.abs_diff(corner));
    let is_one_side = (left >= corner) == (above >= corner);
    let to_corner = if is_one_side { u8::MAX } else { to_left.abs_diff(to_above) };
    let second = if to_above <= to_corner { above } else { corner };
    if (to_left <= to_above) & (to_left <= to_corner) { left } else { second }
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::Rgba;

    #[test]
    fn what_is_written_decodes_to_the_same_pixels() {
        for (width, height) in [(700, 800), (523, 1003), (300_000, 2), (1, 60_000), (1, 1), (7, 3)] {
            let image = RgbaImage::from_fn(width, height, |x, y| {
                let noise = x.wrapping_mul(2_654_435_761).rotate_left(9) ^ y.wrapping_mul(40_503);
                Rgba([x as u8, (x / 3 + y) as u8, if y % 50 < 20 { noise as u8 } else { 7 }, (y / 4) as u8])
            });
            for size in [PngSize::Quick, PngSize::Usual] {
                let bytes = png(&image, size).unwrap();
                let mut reader = ::png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
                let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
                reader.next_frame(&mut pixels).unwrap();
                reader.finish().unwrap();
                assert!(&pixels == image.as_raw(), "{width}x{height}");
            }
        }
    }

    #[test]
    fn the_paeth_predictor_is_the_standards() {
        let plain = |left: u8, above: u8, corner: u8| {
            let (a, b, c) = (i32::from(left), i32::from(above), i32::from(corner));
            let p = a + b - c;
            let (pa, pb, pc) = ((p - a).abs(), (p - b).abs(), (p - c).abs());
            if pa <= pb && pa <= pc {
                left
            } else if pb <= pc {
                above
            } else {
                corner
            }
        };
        for all in 0..1u32 << 24 {
            let [left, above, corner, _] = all.to_le_bytes();
            // Every fifth: a prime to all the bits.
            if all % 5 == 0 {
                assert_eq!(paeth(left, above, corner), plain(left, above, corner), "{left} {above} {corner}");
            }
        }
    }

    #[test]
    fn what_repeats_is_not_hidden_by_filters_and_what_is_smooth_is_filtered() {
        // Noise of which every tile is the same, and a slope of colors.
        let tile =
            |x: u32, y: u32| (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(40_503)).rotate_left(7) as u8;
        let tiles =
            RgbaImage::from_fn(256, 256, |x, y| Rgba([tile(x % 16, y % 16 + x / 16 * 7 % 3), 9, 9, 255]));
        let slope = RgbaImage::from_fn(256, 256, |x, y| Rgba([(x / 2 + y) as u8, (x + y / 3) as u8, 0, 255]));
        for image in [tiles, slope] {
            let least = |filters| deflated(&filtered(&image, filters)).unwrap().len();
            let (sums, none) = (least(Filters::LeastSum), least(Filters::None));
            let length = png(&image, PngSize::Usual).unwrap().len();
            assert!(length < sums.min(none) + 80, "{length} of {sums} and {none}");
        }
    }
}
