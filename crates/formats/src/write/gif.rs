//! GIF: one palette for the whole film, exact where 255 colours and transparency are enough; times in
//! hundredths of a second with the rounding error carried on, so that the total stays right.

use std::collections::BTreeSet;

use ::gif::{DisposalMethod, Encoder, EncodingError, Frame, Repeat};
use color_quant::NeuQuant;
use image::{Rgba, RgbaImage};
use rayon::prelude::*;
use shibori_core::draw::Film;

use crate::WriteProblem;
use crate::write::seal;

/// Colours besides transparency.
const COLORS: usize = 255;
/// The palette's place for transparency.
const CLEAR: u8 = COLORS as u8;
/// Alpha from which a pixel is kept: GIF knows no half transparency.
const KEPT: u8 = 128;

/// The bytes of a GIF, and what it could not keep.
pub(super) struct Encoded {
    pub(super) bytes: Vec<u8>,
    /// Pixels of half transparency, made either clear or solid.
    pub(super) hardened: u64,
    /// Colours of the film, where they were too many and became 255.
    pub(super) reduced_from: Option<usize>,
}

pub(super) fn gif(film: &Film) -> Result<Encoded, WriteProblem> {
    let (width, height) = film.pictures[0].0.dimensions();
    let (Ok(width), Ok(height)) = (u16::try_from(width), u16::try_from(height)) else {
        return Err(WriteProblem::Format(format!(
            "a GIF is at most 65535 px wide and high, this is {width}x{height} px"
        )));
    };
    let palette = Palette::of(film);
    let delays = hundredths(film);
    let frames: Vec<Frame<'static>> = film
        .pictures
        .par_iter()
        .zip(delays)
        .map(|((picture, _), delay)| palette.frame(picture, delay))
        .collect();
    let bytes = encode(&frames, film.plays, (width, height), &palette);
    let bytes = bytes.map_err(|error| WriteProblem::Format(error.to_string()))?;
    let half = |pixel: &Rgba<u8>| pixel[3] > 0 && pixel[3] < 255;
    let hardened =
        film.pictures.iter().map(|(picture, _)| picture.pixels().filter(|p| half(p)).count() as u64).sum();
    Ok(Encoded { bytes: seal::gif(bytes), hardened, reduced_from: palette.reduced_from })
}

fn encode(
    frames: &[Frame<'_>],
    plays: u32,
    size: (u16, u16),
    palette: &Palette,
) -> Result<Vec<u8>, EncodingError> {
    let mut encoder = Encoder::new(Vec::new(), size.0, size.1, &palette.bytes)?;
    match plays {
        0 => encoder.set_repeat(Repeat::Infinite)?,
        // Once is what a GIF without a repeat count does.
        1 => {}
        // The file counts repetitions, not plays.
        plays => encoder.set_repeat(Repeat::Finite(u16::try_from(plays - 1).unwrap_or(u16::MAX)))?,
    }
    for frame in frames {
        encoder.write_lzw_pre_encoded_frame(frame)?;
    }
    encoder.into_inner()
}

/// The hundredths of each picture. Each one ends at the hundredth nearest to its true end.
fn hundredths(film: &Film) -> Vec<u16> {
    let (mut end, mut shown) = (0.0, 0.0);
    let delay = |span: f64| {
        end += span / 10.0;
        let hundredths: f64 = (end - shown).round().clamp(0.0, 65_535.0);
        shown += hundredths;
        hundredths as u16
    };
    film.pictures.iter().map(|(_, span)| span.millis()).map(delay).collect()
}

struct Palette {
    /// RGB, 256 entries at the most, the last one for transparency.
    bytes: Vec<u8>,
    colors: Colors,
    reduced_from: Option<usize>,
}

enum Colors {
    Exact(Vec<[u8; 3]>),
    Nearest(Box<NeuQuant>),
}

impl Palette {
    fn of(film: &Film) -> Self {
        let used: BTreeSet<[u8; 3]> =
            film.pictures.iter().flat_map(|(picture, _)| picture.pixels()).filter_map(kept).collect();
        if used.len() <= COLORS {
            let colors: Vec<[u8; 3]> = used.into_iter().collect();
            let mut bytes = colors.concat();
            bytes.resize((COLORS + 1) * 3, 0);
            return Self { bytes, colors: Colors::Exact(colors), reduced_from: None };
        }
        // Each colour once: a small spot of its own colour keeps it, however large the rest.
        let sample: Vec<u8> = used.iter().flat_map(|&[r, g, b]| [r, g, b, 255]).collect();
        let quantized = NeuQuant::new(if used.len() > 50_000 { 10 } else { 1 }, COLORS, &sample);
        let mut bytes = quantized.color_map_rgb();
        bytes.resize((COLORS + 1) * 3, 0);
        Self { bytes, colors: Colors::Nearest(Box::new(quantized)), reduced_from: Some(used.len()) }
    }

    fn index(&self, pixel: &Rgba<u8>) -> u8 {
        let Some(color) = kept(pixel) else { return CLEAR };
        match &self.colors {
            Colors::Exact(colors) => colors.binary_search(&color).map_or(CLEAR, |at| at as u8),
            Colors::Nearest(quantized) => quantized.index_of(&[color[0], color[1], color[2], 255]) as u8,
        }
    }

    fn frame(&self, picture: &RgbaImage, delay: u16) -> Frame<'static> {
        let mut last: Option<(Rgba<u8>, u8)> = None;
        let mut index = |pixel: &Rgba<u8>| match last {
            Some((color, index)) if color == *pixel => index,
            _ => {
                let index = self.index(pixel);
                last = Some((*pixel, index));
                index
            }
        };
        let indices: Vec<u8> = picture.pixels().map(&mut index).collect();
        // Both sides were checked to fit u16.
        let (width, height) = (picture.width() as u16, picture.height() as u16);
        let mut frame = Frame::from_indexed_pixels(width, height, indices, Some(CLEAR));
        frame.palette = None;
        frame.delay = delay;
        frame.dispose = DisposalMethod::Background;
        frame.make_lzw_pre_encoded();
        frame
    }
}

fn kept(pixel: &Rgba<u8>) -> Option<[u8; 3]> {
    (pixel[3] >= KEPT).then_some([pixel[0], pixel[1], pixel[2]])
}

#[cfg(test)]
mod tests {
    use shibori_core::clip::Span;

    use super::*;

    #[test]
    fn the_rounding_error_is_carried_on() {
        let picture = || RgbaImage::new(1, 1);
        let film = |spans: Vec<Span>| Film {
            pictures: spans.into_iter().map(|s| (picture(), s)).collect(),
            plays: 0,
        };
        let twelfth = Span::new(1, 12).unwrap();
        let delays = hundredths(&film(vec![twelfth; 12]));
        assert_eq!(delays.iter().map(|&d| u32::from(d)).sum::<u32>(), 100);
        assert!(delays.iter().all(|delay| [8, 9].contains(delay)));
    }
}
