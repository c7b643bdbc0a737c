//! Animated WebP: exact colors, times in milliseconds.
//!
//! The codec writes still pictures; here they become the frames of an animation (WebP container specification, sections
//! `VP8X`, `ANIM` and `ANMF`), each compressed on its own, on all threads.

use image::RgbaImage;
use shibori_core::clip::FrameDuration;
use shibori_core::{RenderedAnimation, parallel};

use crate::WriteProblem;
use crate::encode::page;
use crate::store::seal;

/// What comes before the picture's own chunk in a still: "RIFF", its length, "WEBP", and the chunk `VP8X`.
const HEAD: usize = 12 + 18;
const HAS_ALPHA: u8 = 0x10;
const IS_ANIMATED: u8 = 0x02;
/// A frame replaces what was there.
const NO_BLEND: u8 = 0x02;

/// The bytes of an animated WebP. `tick` is called once a picture.
pub(super) fn webp(animation: &RenderedAnimation, tick: impl Fn() + Sync) -> Result<Vec<u8>, WriteProblem> {
    let still = |at: usize| {
        let bytes = page::webp_still(&animation.images[at].0);
        tick();
        bytes
    };
    let stills: Vec<Vec<u8>> = parallel::try_map(animation.images.len(), still)?;
    let (width, height) = animation.images[0].0.dimensions();
    let mut content = b"WEBP".to_vec();
    chunk(
        &mut content,
        b"VP8X",
        &[&[HAS_ALPHA | IS_ANIMATED, 0, 0, 0], &three(width - 1), &three(height - 1)],
    );
    let plays = u16::try_from(animation.plays).unwrap_or(u16::MAX);
    chunk(&mut content, b"ANIM", &[&[0; 4], &plays.to_le_bytes()]);
    for (millis, still) in whole_millis(&animation.images).zip(&stills) {
        let frame =
            [&[0; 6][..], &three(width - 1), &three(height - 1), &three(millis), &[NO_BLEND], &still[HEAD..]];
        chunk(&mut content, b"ANMF", &frame);
    }
    let length = u32::try_from(content.len())
        .map_err(|_| WriteProblem::Format("an animated WebP holds at most 4 GB".to_owned()))?;
    Ok(seal::webp([&b"RIFF"[..], &length.to_le_bytes(), &content].concat()))
}

/// The times of pictures in whole milliseconds; the rounding error is carried on.
fn whole_millis(images: &[(RgbaImage, FrameDuration)]) -> impl Iterator<Item = u32> {
    let (mut end, mut shown) = (0.0, 0u32);
    images.iter().map(move |(_, span)| {
        end += span.millis();
        let millis = (end.round() as u32).saturating_sub(shown).clamp(1, 0xff_ffff);
        shown += millis;
        millis
    })
}

fn three(number: u32) -> [u8; 3] {
    let [a, b, c, _] = number.to_le_bytes();
    [a, b, c]
}

/// A chunk of RIFF: its name, its length, its content, and a byte to make that even.
fn chunk(bytes: &mut Vec<u8>, kind: &[u8; 4], parts: &[&[u8]]) {
    let length: usize = parts.iter().map(|part| part.len()).sum();
    bytes.extend(kind);
    bytes.extend((length as u32).to_le_bytes());
    parts.iter().for_each(|part| bytes.extend(*part));
    if length % 2 == 1 {
        bytes.push(0);
    }
}
