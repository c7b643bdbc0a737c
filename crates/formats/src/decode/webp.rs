//! WebP, still and animated.

use std::io::{Cursor, ErrorKind};

use image::RgbaImage;
use image_webp::{DecodingError, LoopCount, WebPDecoder};
use shibori_core::clip::FrameDuration;
use shibori_core::{Rect, Size};

use crate::ReadProblem;
use crate::decode::animation::AnimationReader;
use crate::decode::codec::{DecodedFile, Format, ImageInfo, ReadOptions, effective_duration};
use crate::decode::composite::{Blend, Compositor, Dispose, FramePatch};

pub(super) fn decode(bytes: &[u8], limits: &ReadOptions) -> Result<DecodedFile, ReadProblem> {
    let cut = || ReadProblem::BrokenOff { format: "WebP", bytes: bytes.len(), frames: 0 };
    let wrong = |error: DecodingError| if is_cut(bytes) { cut() } else { problem(&error, bytes.len()) };
    let mut decoder = WebPDecoder::new(Cursor::new(bytes)).map_err(wrong)?;
    let size = Size::from(decoder.dimensions());
    let color = if decoder.has_alpha() { "RGBA, 8 bit" } else { "RGB, 8 bit" };
    let info = ImageInfo { format: Format::WebP, size, color: color.to_owned(), loss: None };
    let count = if decoder.is_animated() { decoder.num_frames() } else { 1 };
    let mut reader = AnimationReader::new("WebP", size, u64::from(count), bytes.len(), limits)?;
    if decoder.is_animated() {
        moving(bytes, size, decoder.num_frames(), &mut reader)?;
    } else {
        if bytes.get(12..).and_then(inner_size).is_some_and(|inner| inner != size) {
            let why = "its picture has another size than its header".to_owned();
            return Err(ReadProblem::Damaged { format: "WebP", why });
        }
        let room = reader.lease_frame()?;
        match still(&mut decoder) {
            Ok(picture) => reader.add(room, picture, FrameDuration::DEFAULT, None),
            Err(error) => reader.truncate(wrong(error))?,
        }
    }
    if is_cut(bytes) {
        reader.truncate(cut())?;
    }
    let plays = match decoder.loop_count() {
        LoopCount::Forever => 0,
        LoopCount::Times(times) => u32::from(times.get()),
    };
    reader.finish(info, plays)
}

/// Whether less is there than the container's head says: the codec makes up what is missing of the last picture.
fn is_cut(bytes: &[u8]) -> bool {
    let length = bytes.get(4..8).and_then(|length| length.try_into().ok()).map_or(0, u32::from_le_bytes);
    (bytes.len() as u64) < 8 + u64::from(length)
}

fn still(decoder: &mut WebPDecoder<Cursor<&[u8]>>) -> Result<RgbaImage, DecodingError> {
    let (width, height) = decoder.dimensions();
    let has_alpha = decoder.has_alpha();
    let mut buffer = vec![0; width as usize * height as usize * if has_alpha { 4 } else { 3 }];
    decoder.read_image(&mut buffer)?;
    let rgba = match has_alpha {
        true => buffer,
        false => buffer.as_chunks::<3>().0.iter().flat_map(|&[r, g, b]| [r, g, b, 255]).collect(),
    };
    Ok(RgbaImage::from_raw(width, height, rgba).expect("the decoder filled the buffer it asked for"))
}

/// The frames of an animation, each decoded as a picture of its own and laid on the canvas by the same hand as those of
/// other formats (WebP container specification, chunk `ANMF`).
fn moving(bytes: &[u8], size: Size, count: u32, reader: &mut AnimationReader<'_>) -> Result<(), ReadProblem> {
    let mut canvas = Compositor::new(size);
    let mut found = 0;
    // The container's own head is 12 bytes.
    for (_, content) in chunks(&bytes[12..]).filter(|(kind, _)| kind == b"ANMF") {
        let room = reader.lease_frame()?;
        let (patch, delay) = match patch(content, size, bytes.len()) {
            Ok(patch) => patch,
            Err(problem) => return reader.truncate(problem),
        };
        let (span, raw_delay) = effective_duration(delay, 1000);
        reader.add(room, canvas.apply(&patch), span, raw_delay);
        found += 1;
    }
    if found < count {
        return reader.truncate(ReadProblem::BrokenOff { format: "WebP", bytes: bytes.len(), frames: 0 });
    }
    Ok(())
}

/// The chunks that are completely there: their names and contents.
fn chunks(mut bytes: &[u8]) -> impl Iterator<Item = ([u8; 4], &[u8])> {
    std::iter::from_fn(move || {
        let (name, after) = bytes.split_first_chunk::<4>()?;
        let (length, after) = after.split_first_chunk::<4>()?;
        let length = u32::from_le_bytes(*length) as usize;
        let content = after.get(..length)?;
        bytes = after.get(length + length % 2..).unwrap_or(&[]);
        Some((*name, content))
    })
}

/// A frame: where it lies, how it is laid, its picture, and its milliseconds.
fn patch(content: &[u8], canvas: Size, bytes: usize) -> Result<(FramePatch, u32), ReadProblem> {
    const HEAD: usize = 16;
    let broken = || ReadProblem::BrokenOff { format: "WebP", bytes, frames: 0 };
    let (head, picture) = content.split_at_checked(HEAD).ok_or_else(broken)?;
    let three = |at: usize| u32::from_le_bytes([head[at], head[at + 1], head[at + 2], 0]);
    let (x, y) = (three(0) * 2, three(3) * 2);
    let frame = Size::new(three(6) + 1, three(9) + 1);
    if !Rect::at(x, y, frame).lies_in(Rect::of(canvas)) {
        let why = "a frame lies outside the canvas".to_owned();
        return Err(ReadProblem::Damaged { format: "WebP", why });
    }
    let blend = if head[15] & 0b10 == 0 { Blend::Over } else { Blend::Source };
    let dispose = if head[15] & 0b01 == 0 { Dispose::Keep } else { Dispose::Clear };
    if inner_size(picture).is_some_and(|inner| inner != frame) {
        let why = "a frame's picture has another size than the frame".to_owned();
        return Err(ReadProblem::Damaged { format: "WebP", why });
    }
    let file = as_file(picture, frame);
    let decoded = WebPDecoder::new(Cursor::new(file.as_slice())).and_then(|mut decoder| still(&mut decoder));
    let pixels = decoded.map_err(|error| problem(&error, bytes))?;
    if Size::from(pixels.dimensions()) != frame {
        let why = "a frame's picture has another size than the frame".to_owned();
        return Err(ReadProblem::Damaged { format: "WebP", why });
    }
    Ok((FramePatch { pixels, x, y, blend, dispose }, three(12)))
}

/// The size that a picture's own data says, before anything of that size is made (RFC 6386, section 9.1; WebP lossless
/// bitstream specification, section 3).
fn inner_size(picture: &[u8]) -> Option<Size> {
    chunks(picture).find_map(|(name, data)| match &name {
        b"VP8 " => {
            let side = |at: usize| {
                Some(u32::from(u16::from_le_bytes([*data.get(at)?, *data.get(at + 1)?]) & 0x3fff))
            };
            Some(Size::new(side(6)?, side(8)?))
        }
        b"VP8L" => {
            let bits = u32::from_le_bytes(data.get(1..5)?.try_into().ok()?);
            Some(Size::new((bits & 0x3fff) + 1, (bits >> 14 & 0x3fff) + 1))
        }
        _ => None,
    })
}

/// The chunks of a frame as a file of one still picture.
fn as_file(picture: &[u8], size: Size) -> Vec<u8> {
    let has_alpha_chunk = chunks(picture).any(|(name, _)| &name == b"ALPH");
    let mut body = b"WEBP".to_vec();
    if has_alpha_chunk {
        let side = |length: u32| (length - 1).to_le_bytes();
        let (width, height) = (side(size.width), side(size.height));
        body.extend(b"VP8X\x0a\0\0\0\x10\0\0\0");
        body.extend(&width[..3]);
        body.extend(&height[..3]);
    }
    body.extend(picture);
    let length = (body.len() as u32).to_le_bytes();
    [b"RIFF".as_slice(), &length, &body].concat()
}

fn problem(error: &DecodingError, bytes: usize) -> ReadProblem {
    match error {
        DecodingError::IoError(io) if io.kind() == ErrorKind::UnexpectedEof => {
            ReadProblem::BrokenOff { format: "WebP", bytes, frames: 0 }
        }
        DecodingError::InconsistentImageSizes => {
            ReadProblem::Damaged { format: "WebP", why: "a frame lies outside the canvas".into() }
        }
        other => ReadProblem::Damaged { format: "WebP", why: other.to_string() },
    }
}

#[cfg(test)]
mod tests {
    use image_webp::{ColorType, WebPEncoder};

    use super::*;
    use crate::decode::codec::DecodedImage;

    fn lossless(color: [u8; 4]) -> Vec<u8> {
        let mut bytes = Vec::new();
        WebPEncoder::new(&mut bytes).encode(&color.repeat(6), 3, 2, ColorType::Rgba8).unwrap();
        bytes
    }

    /// An extended file with an animation: a whole frame, then one of 2x2 px at 0,0, each from a lossless file.
    fn animated() -> Vec<u8> {
        let chunk = |name: &[u8], body: &[u8]| {
            let padding = vec![0; body.len() % 2];
            [name, &(body.len() as u32).to_le_bytes(), body, &padding].concat()
        };
        let three = |n: u32| n.to_le_bytes()[..3].to_vec();
        let frame = |color: [u8; 4], delay: u32| {
            let vp8l = lossless(color)[12..].to_vec();
            let head = [three(0), three(0), three(2), three(1), three(delay), vec![0b10]].concat();
            chunk(b"ANMF", &[head, vp8l].concat())
        };
        let extended = chunk(b"VP8X", &[vec![0b1_0010, 0, 0, 0], three(2), three(1)].concat());
        let animation = chunk(b"ANIM", &[0, 0, 0, 0, 4, 0]);
        let frames = [frame([9, 8, 7, 255], 80), frame([1, 2, 3, 255], 0)].concat();
        let body = [b"WEBP".to_vec(), extended, animation, frames].concat();
        chunk(b"RIFF", &body)
    }

    #[test]
    fn frames_that_clear_their_place_and_lie_aside_are_composited_as_browsers_do() {
        let chunk = |name: &[u8], body: &[u8]| {
            let padding = vec![0; body.len() % 2];
            [name, &(body.len() as u32).to_le_bytes(), body, &padding].concat()
        };
        let three = |n: u32| n.to_le_bytes()[..3].to_vec();
        // 3x2 px at 0,0 that clears its place after; then 3x2 px at 2,0 laid over.
        let frame = |color: [u8; 4], x: u32, flags: u8| {
            let head = [three(x / 2), three(0), three(2), three(1), three(50), vec![flags]].concat();
            chunk(b"ANMF", &[head, lossless(color)[12..].to_vec()].concat())
        };
        let extended = chunk(b"VP8X", &[vec![0b1_0010, 0, 0, 0], three(4), three(1)].concat());
        let animation = chunk(b"ANIM", &[9, 9, 9, 255, 0, 0]);
        let frames = [frame([200, 100, 40, 255], 0, 0b01), frame([1, 2, 3, 255], 2, 0)].concat();
        let bytes = chunk(b"RIFF", &[b"WEBP".to_vec(), extended, animation, frames].concat());
        let DecodedImage::Moving(moving) = decode(&bytes, &ReadOptions::default()).unwrap().picture else {
            panic!()
        };
        let at = |frame: usize, x: u32| moving.moments[frame].picture.get(x, 0).unwrap().0;
        assert_eq!((at(0, 0), at(0, 4)), ([200, 100, 40, 255], [0; 4]));
        assert_eq!((at(1, 0), at(1, 2), at(1, 4)), ([0; 4], [1, 2, 3, 255], [1, 2, 3, 255]));
        // The file ends early inside the second frame.
        let cut = decode(&bytes[..bytes.len() - 9], &ReadOptions::default());
        assert!(cut.is_err());
    }

    #[test]
    fn a_still_picture_and_an_animation_with_its_times() {
        let DecodedImage::Still(still) =
            decode(&lossless([9, 8, 7, 99]), &ReadOptions::default()).unwrap().picture
        else {
            panic!()
        };
        assert_eq!(still.get(2, 1).unwrap().0, [9, 8, 7, 99]);
        let whole = animated();
        let cut = decode(&whole[..whole.len() - 1], &ReadOptions::default());
        assert!(matches!(cut, Err(ReadProblem::BrokenOff { .. })), "{cut:?}");
        let DecodedImage::Moving(moving) = decode(&whole, &ReadOptions::default()).unwrap().picture else {
            panic!()
        };
        assert_eq!(moving.plays, 4);
        let times: Vec<_> =
            moving.moments.iter().map(|m| (m.picture.get(1, 1).unwrap().0, m.span.millis())).collect();
        assert_eq!(times, [([9, 8, 7, 255], 80.0), ([1, 2, 3, 255], 100.0)]);
    }
}
