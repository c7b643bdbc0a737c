//! APNG: exact colors, exact times.
//!
//! Chunks are written here because the png crate compresses one picture after the other, and these go on all threads.

use ::png::{BlendOp, DisposeOp};
use image::RgbaImage;
use shibori_core::RenderedAnimation;
use shibori_core::clip::FrameDuration;
use shibori_core::parallel;

use crate::WriteProblem;
use crate::encode::chunk::chunk;
use crate::encode::page;
use crate::store::seal;

const SIGNATURE: usize = 8;

/// The bytes of an animated PNG. Pictures are compressed each on its own, on all threads, and put together here
/// (PNG specification, third edition, section 11.3.6: `acTL`, `fcTL`, `fdAT`). `tick` is called once a picture.
pub(super) fn apng(animation: &RenderedAnimation, tick: impl Fn() + Sync) -> Result<Vec<u8>, WriteProblem> {
    let compress = |(picture, _): &(RgbaImage, FrameDuration)| {
        let bytes = still(picture);
        tick();
        bytes
    };
    let stills: Vec<Vec<u8>> =
        parallel::try_map(animation.images.len(), |at| compress(&animation.images[at]))?;
    let first = stills.first().map_or(&[][..], Vec::as_slice);
    let mut bytes = first[..SIGNATURE].to_vec();
    for (kind, content) in chunks(first).filter(|(kind, _)| kind != b"IDAT" && kind != b"IEND") {
        chunk(&mut bytes, &kind, &[content]);
    }
    let number = |value: usize| (value as u32).to_be_bytes();
    chunk(&mut bytes, b"acTL", &[&number(animation.images.len()), &animation.plays.to_be_bytes()]);
    let mut sequence = 0;
    let (width, height) = animation.images[0].0.dimensions();
    for (at, ((_, span), still)) in animation.images.iter().zip(&stills).enumerate() {
        let (numerator, denominator) = delay(*span);
        let control = [
            &number(sequence)[..],
            &width.to_be_bytes(),
            &height.to_be_bytes(),
            &[0; 8],
            &numerator.to_be_bytes(),
            &denominator.to_be_bytes(),
            &[DisposeOp::None as u8, BlendOp::Source as u8],
        ];
        chunk(&mut bytes, b"fcTL", &control);
        sequence += 1;
        for (_, content) in chunks(still).filter(|(kind, _)| kind == b"IDAT") {
            if at == 0 {
                chunk(&mut bytes, b"IDAT", &[content]);
            } else {
                chunk(&mut bytes, b"fdAT", &[&number(sequence), content]);
                sequence += 1;
            }
        }
    }
    chunk(&mut bytes, b"IEND", &[]);
    Ok(seal::png(bytes))
}

/// A picture as a PNG of its own.
fn still(picture: &RgbaImage) -> Result<Vec<u8>, WriteProblem> {
    let mut bytes = Vec::new();
    let mut write = || {
        let mut writer = page::encoder(&mut bytes, picture).write_header()?;
        writer.write_image_data(picture)?;
        writer.finish()
    };
    write().map_err(|error| page::problem(&error))?;
    Ok(bytes)
}

/// The chunks of a PNG that was just written.
fn chunks(bytes: &[u8]) -> impl Iterator<Item = ([u8; 4], &[u8])> {
    let mut rest = bytes.get(SIGNATURE..).unwrap_or(&[]);
    std::iter::from_fn(move || {
        let (length, after) = rest.split_first_chunk::<4>()?;
        let (kind, after) = after.split_first_chunk::<4>()?;
        let (content, after) = after.split_at_checked(u32::from_be_bytes(*length) as usize)?;
        rest = after.get(4..)?;
        Some((*kind, content))
    })
}

/// Seconds as a fraction of two 16-bit numbers: exact where it fits, else the nearest tenth of a
/// millisecond, else the nearest hundredth of a second, at most 655.35 s.
fn delay(span: FrameDuration) -> (u16, u16) {
    let reduced = span.reduced();
    if let (Ok(ticks), Ok(scale)) = (u16::try_from(reduced.ticks()), u16::try_from(reduced.timescale())) {
        return (ticks, scale);
    }
    let nearest = |parts: f64| (span.millis() * parts / 1000.0).round();
    let (count, parts) =
        if nearest(10_000.0) <= 65_535.0 { (nearest(10_000.0), 10_000) } else { (nearest(100.0), 100) };
    (count.min(65_535.0) as u16, parts)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn delays_are_exact_where_they_fit() {
        let delay = |ticks, scale| delay(FrameDuration::new(ticks, scale).unwrap());
        assert_eq!(delay(1, 12), (1, 12));
        assert_eq!(delay(80, 1000), (2, 25));
        assert_eq!(delay(100_000, 1_000_000), (1, 10));
        assert_eq!(delay(100_001, 1_000_000), (1000, 10_000));
        assert_eq!(delay(100_000, 1), (65_535, 100));
    }
}
