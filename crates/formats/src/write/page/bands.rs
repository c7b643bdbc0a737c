//! A large PNG, compressed in bands on all threads.
//!
//! Rows are filtered as the PNG standard advises (third edition, 12.7: the filter with the least sum of absolute
//! differences), then deflated band by band: a band ends in a flush, after which the next begins as if it were the first
//! (RFC 1951, 3.2.4: an empty stored block ends on a whole byte). Where bands begin depends on the picture alone, so the
//! bytes are the same on any number of threads. The crate that writes all other PNGs compresses on one.

use ::png::EncodingError;
use flate2::{Compress, Compression, FlushCompress};
use image::RgbaImage;
use simd_adler32::Adler32;

use crate::WriteProblem;
use crate::write::chunk::chunk;
use shibori_core::parallel;

const CHANNELS: usize = 4;
/// Bytes of pixels in a band: far more than the 32 KiB that deflate looks back.
const BAND: usize = 1 << 19;

/// The bytes of a PNG in true color with alpha; `None` where it is too small to be worth bands.
pub(super) fn large(image: &RgbaImage) -> Option<Result<Vec<u8>, WriteProblem>> {
    (image.as_raw().len() >= 2 * BAND)
        .then(|| encode(image).map_err(|error| WriteProblem::Format(format!("can't be compressed: {error}"))))
}

fn encode(image: &RgbaImage) -> Result<Vec<u8>, EncodingError> {
    let stride = image.width() as usize * CHANNELS;
    let rows = image.height() as usize;
    let rows_a_band = BAND.div_ceil(stride).max(1);
    let count = rows.div_ceil(rows_a_band);
    let band = |band: usize| {
        let filtered = filtered(image, band * rows_a_band..((band + 1) * rows_a_band).min(rows));
        let mut sum = Adler32::new();
        sum.write(&filtered);
        deflated(&filtered, band + 1 == count).map(|bytes| (bytes, sum.finish(), filtered.len()))
    };
    let bands = parallel::fallible(count, band)?;
    let sum = bands.iter().fold(1, |sum, (_, other, length)| joined(sum, *other, *length));
    let mut bytes = vec![0x89, b'P', b'N', b'G', 0x0d, 0x0a, 0x1a, 0x0a];
    let sides = [image.width().to_be_bytes(), image.height().to_be_bytes()].concat();
    // Eight bits, true color with alpha, deflate, the five filters, not interlaced.
    chunk(&mut bytes, b"IHDR", &[&sides[..], &[8, 6, 0, 0, 0]]);
    for (at, (deflated, ..)) in bands.into_iter().enumerate() {
        // The header of a zlib stream (RFC 1950): a window of 32 KiB, the usual effort.
        let start: &[u8] = if at == 0 { &[0x78, 0x9c] } else { &[] };
        let end = if at + 1 == count { sum.to_be_bytes().to_vec() } else { Vec::new() };
        chunk(&mut bytes, b"IDAT", &[start, &deflated, &end]);
    }
    chunk(&mut bytes, b"IEND", &[]);
    Ok(bytes)
}

/// The Adler-32 sum of two parts after one another, from the sums of both and the length of the second (M. Adler, as in
/// zlib's `adler32_combine`).
fn joined(first: u32, second: u32, length: usize) -> u32 {
    const BASE: u64 = 65_521;
    let (a1, b1) = (u64::from(first & 0xffff), u64::from(first >> 16));
    let (a2, b2) = (u64::from(second & 0xffff), u64::from(second >> 16));
    let length = length as u64 % BASE;
    let a = (a1 + a2 + BASE - 1) % BASE;
    let b = (b1 + b2 + length * (a1 + BASE - 1)) % BASE;
    (b << 16 | a) as u32
}

fn deflated(data: &[u8], is_last: bool) -> Result<Vec<u8>, EncodingError> {
    let mut deflate = Compress::new(Compression::default(), false);
    let mut bytes = Vec::with_capacity(data.len() / 2 + 1024);
    let flush = if is_last { FlushCompress::Finish } else { FlushCompress::Full };
    loop {
        let read = deflate.total_in() as usize;
        let written = bytes.len();
        let status = deflate.compress_vec(&data[read..], &mut bytes, flush);
        let status = status.map_err(|error| EncodingError::IoError(std::io::Error::other(error)))?;
        let is_read = deflate.total_in() as usize == data.len();
        // A flush is done once it leaves room in what it may write to.
        let is_done =
            if is_last { status == flate2::Status::StreamEnd } else { bytes.len() < bytes.capacity() };
        if is_read && is_done {
            return Ok(bytes);
        }
        if bytes.len() == written || bytes.len() == bytes.capacity() {
            bytes.reserve(bytes.capacity().max(1024));
        }
    }
}

/// Rows with their filter's number before each.
fn filtered(image: &RgbaImage, rows: std::ops::Range<usize>) -> Vec<u8> {
    let stride = image.width() as usize * CHANNELS;
    let bytes = image.as_raw();
    let none = vec![0; stride];
    let mut out = Vec::with_capacity(rows.len() * (stride + 1));
    let mut tries = vec![vec![0; stride]; 5];
    for row in rows {
        let now = &bytes[row * stride..(row + 1) * stride];
        let above = if row == 0 { &none } else { &bytes[(row - 1) * stride..row * stride] };
        let mut best = (u64::MAX, 0);
        for (number, attempt) in tries.iter_mut().enumerate() {
            filter(number, now, above, attempt);
            let cost = attempt.iter().map(|&byte| u64::from((byte as i8).unsigned_abs())).sum();
            best = best.min((cost, number));
        }
        out.push(best.1 as u8);
        out.extend_from_slice(&tries[best.1]);
    }
    out
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

/// The neighbor nearest to left + above - corner (A. Paeth).
fn paeth(left: u8, above: u8, corner: u8) -> u8 {
    let (a, b, c) = (i16::from(left), i16::from(above), i16::from(corner));
    let (to_left, to_above, to_corner) = ((b - c).abs(), (a - c).abs(), (a + b - 2 * c).abs());
    if to_left <= to_above && to_left <= to_corner {
        left
    } else if to_above <= to_corner {
        above
    } else {
        corner
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::Rgba;

    #[test]
    fn bands_decode_to_the_same_pixels() {
        for (width, height) in [(700, 800), (523, 1003), (300_000, 2), (1, 600_000)] {
            let image = RgbaImage::from_fn(width, height, |x, y| {
                let noise = x.wrapping_mul(2_654_435_761).rotate_left(9) ^ y.wrapping_mul(40_503);
                Rgba([x as u8, (x / 3 + y) as u8, if y % 50 < 20 { noise as u8 } else { 7 }, (y / 4) as u8])
            });
            let bytes = large(&image).unwrap().unwrap();
            let mut reader = ::png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
            let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
            reader.next_frame(&mut pixels).unwrap();
            reader.finish().unwrap();
            assert!(&pixels == image.as_raw(), "{width}x{height}");
        }
        assert!(large(&RgbaImage::new(500, 500)).is_none());
    }
}
