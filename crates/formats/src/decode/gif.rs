//! GIF, still and animated, composited as browsers do it.
//!
//! Delays of 0 and 1 hundredths play as 100 ms, as in browsers; what the file says is kept beside.

use std::io::ErrorKind;

use ::gif::{ColorOutput, DecodeOptions, DecodingError, DisposalMethod, MemoryLimit, Repeat};
use image::RgbaImage;
use shibori_core::Size;

use crate::ReadProblem;
use crate::decode::animation::AnimationReader;
use crate::decode::codec::{DecodedFile, Format, ImageInfo, ReadOptions, effective_duration};
use crate::decode::composite::{Blend, Compositor, Dispose, FramePatch};

/// The byte that ends a file.
const TRAILER: u8 = b';';

pub(super) fn decode(bytes: &[u8], limits: &ReadOptions) -> Result<DecodedFile, ReadProblem> {
    // A file that lacks only its last byte, the end mark, still has every picture.
    let ended = (bytes.last() != Some(&TRAILER)).then(|| [bytes, &[TRAILER]].concat());
    let (whole, bytes) = (bytes, ended.as_deref().unwrap_or(bytes));
    let is_cut = ended.is_some();
    let wrong = |error: DecodingError| match is_cut {
        true => ReadProblem::BrokenOff { format: "GIF", bytes: whole.len(), frames: 0 },
        false => problem(&error, whole.len()),
    };
    let mut options = DecodeOptions::new();
    options.set_color_output(ColorOutput::RGBA);
    options.set_memory_limit(MemoryLimit::Bytes(
        limits.pixels.saturating_mul(4).try_into().unwrap_or(std::num::NonZeroU64::MIN),
    ));
    let mut decoder = options.read_info(bytes).map_err(wrong)?;
    let size = Size::new(u32::from(decoder.width()), u32::from(decoder.height()));
    if size.is_empty() {
        return Err(ReadProblem::Damaged { format: "GIF", why: format!("its canvas is {size} px") });
    }
    let colors = decoder.global_palette().map_or(0, |palette| palette.len() / 3);
    let mut reader = AnimationReader::new("GIF", size, count(bytes), whole.len(), limits)?;
    let mut canvas = Compositor::new(size);
    loop {
        let frame = match decoder.next_frame_info() {
            Ok(Some(frame)) => frame,
            Ok(None) => break,
            Err(error) => {
                reader.truncate(wrong(error))?;
                break;
            }
        };
        let (x, y) = (u32::from(frame.left), u32::from(frame.top));
        let size = Size::new(u32::from(frame.width), u32::from(frame.height));
        let dispose = match frame.dispose {
            DisposalMethod::Any | DisposalMethod::Keep => Dispose::Keep,
            DisposalMethod::Background => Dispose::Clear,
            DisposalMethod::Previous => Dispose::Previous,
        };
        let (span, raw_delay) = effective_duration(u32::from(frame.delay), 100);
        let room = reader.lease_frame()?;
        let _patch = reader.patch_room(size)?;
        let mut samples = vec![0; decoder.buffer_size()];
        if let Err(error) = decoder.read_into_buffer(&mut samples) {
            reader.truncate(wrong(error))?;
            break;
        }
        let no_pixels = || ReadProblem::Damaged { format: "GIF", why: "a frame has too few pixels".into() };
        let pixels = RgbaImage::from_raw(size.width, size.height, samples).ok_or_else(no_pixels)?;
        let patch = FramePatch { pixels, x, y, blend: Blend::Over, dispose };
        reader.add(room, canvas.apply(&patch), span, raw_delay);
    }
    if ended.is_some() {
        reader.lacks_end();
    }
    let plays = match decoder.repeat() {
        Repeat::Infinite => 0,
        // The file counts repetitions, not plays.
        Repeat::Finite(repeats) => u32::from(repeats) + 1,
    };
    let color = format!("palette of {colors} colors");
    reader.finish(ImageInfo { format: Format::Gif, size, color, loss: None }, plays)
}

/// How many pictures a file holds, up to where it breaks, without decoding one.
fn count(bytes: &[u8]) -> u64 {
    let mut options = DecodeOptions::new();
    options.skip_frame_decoding(true);
    let Ok(mut decoder) = options.read_info(bytes) else { return 0 };
    let mut count = 0;
    while let Ok(Some(_)) = decoder.next_frame_info() {
        count += 1;
    }
    count
}

fn problem(error: &DecodingError, bytes: usize) -> ReadProblem {
    match error {
        DecodingError::UnexpectedEof => ReadProblem::BrokenOff { format: "GIF", bytes, frames: 0 },
        DecodingError::Io(io) if io.kind() == ErrorKind::UnexpectedEof => {
            ReadProblem::BrokenOff { format: "GIF", bytes, frames: 0 }
        }
        other => ReadProblem::Damaged { format: "GIF", why: other.to_string() },
    }
}

#[cfg(test)]
mod tests {
    use ::gif::{Encoder, Frame};
    use image::Rgba;
    use shibori_core::Budget;

    use super::*;
    use crate::decode::codec::DecodedImage;

    const RED: u8 = 0;
    const BLUE: u8 = 1;
    const CLEAR: u8 = 2;

    /// A frame of one row at `left`; its pixels are indices into red, blue and transparent.
    fn patch(left: u16, row: &[u8], delay: u16, dispose: DisposalMethod) -> Frame<'static> {
        let mut frame = Frame::from_indexed_pixels(row.len() as u16, 1, row.to_vec(), Some(CLEAR));
        (frame.palette, frame.left, frame.delay, frame.dispose) = (None, left, delay, dispose);
        frame
    }

    fn bytes(frames: &[Frame<'_>], repeat: Option<Repeat>) -> Vec<u8> {
        let palette = [255, 0, 0, 0, 0, 255, 9, 9, 9, 9, 9, 9];
        let mut encoder = Encoder::new(Vec::new(), 4, 1, &palette).unwrap();
        repeat.into_iter().for_each(|repeat| encoder.set_repeat(repeat).unwrap());
        frames.iter().for_each(|frame| encoder.write_frame(frame).unwrap());
        encoder.into_inner().unwrap()
    }

    /// Each picture as letters: `r`, `b`, or `.` for nothing.
    fn decoded_frames(bytes: &[u8]) -> Vec<String> {
        let DecodedImage::Moving(animation) = decode(bytes, &ReadOptions::default()).unwrap().picture else {
            panic!()
        };
        let letter = |pixel: &Rgba<u8>| match pixel.0 {
            [255, 0, 0, 255] => 'r',
            [0, 0, 255, 255] => 'b',
            [_, _, _, 0] => '.',
            other => panic!("{other:?}"),
        };
        animation.moments.iter().map(|m| m.picture.to_image().pixels().map(letter).collect()).collect()
    }

    #[test]
    fn partial_frames_and_every_disposal_are_composited() {
        use DisposalMethod::{Any, Background, Keep, Previous};
        let frames = [
            patch(0, &[RED, RED, RED, RED], 10, Keep),
            patch(1, &[BLUE, CLEAR], 10, Background),
            patch(3, &[BLUE], 10, Previous),
            patch(0, &[BLUE], 10, Any),
            patch(2, &[CLEAR, BLUE], 10, Keep),
        ];
        assert_eq!(decoded_frames(&bytes(&frames, None)), ["rrrr", "rbrr", "r..b", "b..r", "b..b"]);
    }

    #[test]
    fn delays_and_repeats_mean_what_browsers_take_them_for() {
        let frames = [0, 1, 2, 50].map(|delay| patch(0, &[RED, RED, RED, RED], delay, DisposalMethod::Keep));
        for (repeat, plays) in [(None, 1), (Some(Repeat::Infinite), 0), (Some(Repeat::Finite(2)), 3)] {
            let loaded = decode(&bytes(&frames, repeat), &ReadOptions::default()).unwrap();
            let DecodedImage::Moving(animation) = loaded.picture else { panic!() };
            assert_eq!(animation.plays, plays);
            let times: Vec<_> = animation.moments.iter().map(|m| (m.span.millis(), m.raw_delay)).collect();
            assert_eq!(times, [(100.0, Some(0)), (100.0, Some(1)), (20.0, None), (500.0, None)]);
        }
    }

    #[test]
    fn a_file_that_lacks_its_last_byte_lacks_nothing() {
        let frames = [10; 3].map(|delay| patch(0, &[RED, BLUE, RED, RED], delay, DisposalMethod::Keep));
        let bytes = bytes(&frames, None);
        let loaded = decode(&bytes[..bytes.len() - 1], &ReadOptions::default()).unwrap();
        let DecodedImage::Moving(animation) = loaded.picture else { panic!() };
        assert_eq!((animation.moments.len(), loaded.is_truncated), (3, true));
        let cut = decode(&bytes[..bytes.len() - 3], &ReadOptions::default());
        assert!(matches!(cut, Err(ReadProblem::BrokenOff { .. })), "{cut:?}");
    }

    #[test]
    fn a_frame_that_is_larger_than_its_canvas_counts_as_large_as_it_is() {
        let mut wide = Frame::from_indexed_pixels(1000, 500, vec![RED; 500_000], None);
        wide.palette = None;
        let bytes = bytes(&[wide], None);
        let memory = |bytes| ReadOptions { memory: Budget::with_limit(bytes), ..ReadOptions::default() };
        assert!(matches!(decode(&bytes, &memory(1_000_000)), Err(ReadProblem::Memory(_))));
        assert!(decode(&bytes, &memory(3_000_000)).is_ok());
        let few = ReadOptions { pixels: 1000, ..ReadOptions::default() };
        assert!(matches!(decode(&bytes, &few), Err(ReadProblem::TooLarge { .. })));
    }

    #[test]
    fn limits_are_kept() {
        let frames = [10; 5].map(|delay| patch(0, &[RED, RED, RED, RED], delay, DisposalMethod::Keep));
        let bytes = bytes(&frames, None);
        assert_eq!(count(&bytes), 5);
        // Two of 16 bytes for the canvas; for each picture these and what it costs beside.
        let memory = |bytes| ReadOptions { memory: Budget::with_limit(bytes), ..ReadOptions::default() };
        assert!(matches!(decode(&bytes, &memory(2 * 16 + 5 * 528 - 1)), Err(ReadProblem::Memory(_))));
        assert!(decode(&bytes, &memory(2 * 16 + 5 * 528)).is_ok());
        let small = ReadOptions { pixels: 3, ..ReadOptions::default() };
        assert!(matches!(decode(&bytes, &small), Err(ReadProblem::TooLarge { limit: 3, .. })));
    }
}
