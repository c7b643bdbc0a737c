//! WebP, still and animated.

use std::io::{Cursor, ErrorKind};

use image::RgbaImage;
use image_webp::{DecodingError, LoopCount, WebPDecoder};
use shibori_core::Size;
use shibori_core::clip::Span;

use crate::ReadProblem;
use crate::read::film::FilmReader;
use crate::read::image::check_size;
use crate::read::{Format, ImageInfo, Limits, Loaded};

pub(super) fn decode(bytes: &[u8], limits: &Limits) -> Result<Loaded, ReadProblem> {
    let wrong = |error: DecodingError| problem(&error, bytes.len());
    let mut decoder = WebPDecoder::new(Cursor::new(bytes)).map_err(wrong)?;
    let size = Size::from(decoder.dimensions());
    check_size(size, limits)?;
    let color = if decoder.has_alpha() { "RGBA, 8 bit" } else { "RGB, 8 bit" };
    let info = ImageInfo { format: Format::WebP, size, color: color.to_owned() };
    let has_alpha = decoder.has_alpha();
    let mut film = FilmReader::new("WebP", size, bytes.len(), limits);
    let mut buffer = vec![0; size.area() as usize * if has_alpha { 4 } else { 3 }];
    let frames = if decoder.is_animated() { decoder.num_frames() } else { 1 };
    for _ in 0..frames {
        film.check_room()?;
        let read = match decoder.is_animated() {
            true => decoder.read_frame(&mut buffer),
            false => decoder.read_image(&mut buffer).map(|()| 0),
        };
        match read {
            Ok(delay) => film.add(picture(&buffer, size, has_alpha), span(delay), None),
            Err(error) => {
                film.breaks(wrong(error))?;
                break;
            }
        }
    }
    let plays = match decoder.loop_count() {
        LoopCount::Forever => 0,
        LoopCount::Times(times) => u32::from(times.get()),
    };
    film.finish(info, plays)
}

fn picture(buffer: &[u8], size: Size, has_alpha: bool) -> RgbaImage {
    let rgba = match has_alpha {
        true => buffer.to_vec(),
        false => buffer.as_chunks::<3>().0.iter().flat_map(|&[r, g, b]| [r, g, b, 255]).collect(),
    };
    RgbaImage::from_raw(size.width, size.height, rgba).expect("the decoder filled the buffer it asked for")
}

/// Milliseconds; 0 plays as 100 ms, as browsers do with delays of up to 10 ms.
fn span(delay: u32) -> Span {
    if delay <= 10 { Span::DEFAULT } else { Span::new(delay, 1000).unwrap_or(Span::DEFAULT) }
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
    use crate::read::Picture;

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
    fn a_still_picture_and_an_animation_with_its_times() {
        let Picture::Still(still) = decode(&lossless([9, 8, 7, 99]), &Limits::default()).unwrap().picture
        else {
            panic!()
        };
        assert_eq!(still.get(2, 1).unwrap().0, [9, 8, 7, 99]);
        let Picture::Moving(moving) = decode(&animated(), &Limits::default()).unwrap().picture else {
            panic!()
        };
        assert_eq!(moving.plays, 4);
        let told: Vec<_> =
            moving.moments.iter().map(|m| (m.picture.get_pixel(1, 1).0, m.span.millis())).collect();
        assert_eq!(told, [([9, 8, 7, 255], 80.0), ([1, 2, 3, 255], 100.0)]);
    }
}
