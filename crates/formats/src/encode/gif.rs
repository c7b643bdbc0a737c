//! GIF: only what changes from picture to picture is stored; one palette for the whole animation, exact where 255
//! colors and transparency are enough; times in hundredths of a second with the rounding error carried on, so that
//! the total stays right.

use std::collections::BTreeSet;

use ::gif::{DisposalMethod, Encoder, EncodingError, Frame, Repeat};
use color_quant::NeuQuant;
use image::{Rgba, RgbaImage};
use shibori_core::RenderedAnimation;
use shibori_core::clip::FrameDuration;
use shibori_core::parallel;

use crate::WriteProblem;
use crate::store::seal;

/// Colors besides transparency.
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
    /// Colors of the animation, where they were too many and became 255.
    pub(super) reduced_from: Option<usize>,
}

pub(super) fn gif(animation: &RenderedAnimation, tick: impl Fn() + Sync) -> Result<Encoded, WriteProblem> {
    let (width, height) = animation.images[0].0.dimensions();
    let (Ok(width), Ok(height)) = (u16::try_from(width), u16::try_from(height)) else {
        return Err(WriteProblem::Format(format!(
            "a GIF is at most 65535 px wide and high, this is {width}x{height} px"
        )));
    };
    let palette = Palette::of(animation);
    let delays = hundredths(animation);
    let pictures: Vec<Vec<u8>> =
        parallel::map_slice(&animation.images, |(picture, _)| palette.indices(picture));
    let changes = frame_deltas(&pictures, usize::from(width));
    let frames: Vec<Frame<'static>> = parallel::map_vec(changes, |at, change| {
        tick();
        change.frame(delays[at])
    });
    let bytes = encode(&frames, animation.plays, (width, height), &palette);
    let bytes = bytes.map_err(|error| WriteProblem::Format(error.to_string()))?;
    let half = |pixel: &Rgba<u8>| pixel[3] > 0 && pixel[3] < 255;
    let hardened =
        animation.images.iter().map(|(picture, _)| picture.pixels().filter(|p| half(p)).count() as u64).sum();
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
fn hundredths(animation: &RenderedAnimation) -> Vec<u16> {
    let (mut end, mut shown) = (0.0, 0.0);
    let delay = |span: f64| {
        end += span / 10.0;
        let hundredths: f64 = (end - shown).round().clamp(0.0, 65_535.0);
        shown += hundredths;
        hundredths as u16
    };
    animation.images.iter().map(|(_, span)| span.millis()).map(delay).collect()
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
    fn of(animation: &RenderedAnimation) -> Self {
        let of_picture = |(picture, _): &(RgbaImage, FrameDuration)| {
            let mut used: Vec<[u8; 3]> = picture.pixels().filter_map(opaque_color).collect();
            used.sort_unstable();
            used.dedup();
            used
        };
        let mut used = BTreeSet::new();
        // Some at a time, so that the lists of a long animation are never all there at once.
        for some in animation.images.chunks(64) {
            used.extend(parallel::map_slice(some, of_picture).into_iter().flatten());
        }
        if used.len() <= COLORS {
            let colors: Vec<[u8; 3]> = used.into_iter().collect();
            let mut bytes = colors.concat();
            bytes.resize((COLORS + 1) * 3, 0);
            return Self { bytes, colors: Colors::Exact(colors), reduced_from: None };
        }
        // Each color once: a small spot of its own color keeps it, however large the rest.
        let sample: Vec<u8> = used.iter().flat_map(|&[r, g, b]| [r, g, b, 255]).collect();
        let quantized = NeuQuant::new(if used.len() > 50_000 { 10 } else { 1 }, COLORS, &sample);
        let mut bytes = quantized.color_map_rgb();
        bytes.resize((COLORS + 1) * 3, 0);
        Self { bytes, colors: Colors::Nearest(Box::new(quantized)), reduced_from: Some(used.len()) }
    }

    fn index(&self, pixel: &Rgba<u8>) -> u8 {
        let Some(color) = opaque_color(pixel) else { return CLEAR };
        match &self.colors {
            Colors::Exact(colors) => colors.binary_search(&color).map_or(CLEAR, |at| at as u8),
            Colors::Nearest(quantized) => quantized.index_of(&[color[0], color[1], color[2], 255]) as u8,
        }
    }

    fn indices(&self, picture: &RgbaImage) -> Vec<u8> {
        let mut last: Option<(Rgba<u8>, u8)> = None;
        let mut index = |pixel: &Rgba<u8>| match last {
            Some((color, index)) if color == *pixel => index,
            _ => {
                let index = self.index(pixel);
                last = Some((*pixel, index));
                index
            }
        };
        picture.pixels().map(&mut index).collect()
    }
}

/// The part of a picture that is stored.
struct FrameDelta {
    left: usize,
    top: usize,
    width: usize,
    height: usize,
    indices: Vec<u8>,
    /// What was drawn becomes clear again before the next picture.
    is_cleared: bool,
}

impl FrameDelta {
    fn frame(self, delay: u16) -> Frame<'static> {
        // All of it is on a canvas whose sides were checked to fit u16.
        let (width, height) = (self.width as u16, self.height as u16);
        let mut frame = Frame::from_indexed_pixels(width, height, self.indices, Some(CLEAR));
        (frame.left, frame.top) = (self.left as u16, self.top as u16);
        frame.palette = None;
        frame.delay = delay;
        frame.dispose = if self.is_cleared { DisposalMethod::Background } else { DisposalMethod::Keep };
        frame.make_lzw_pre_encoded();
        frame
    }
}

/// The smallest rectangle that holds what differs from the picture before. Where the next picture is clear and this
/// one is not, the rectangle holds that too and is cleared after: nothing else makes a pixel clear again.
fn frame_deltas(pictures: &[Vec<u8>], width: usize) -> Vec<FrameDelta> {
    let mut before = vec![CLEAR; pictures.first().map_or(0, Vec::len)];
    let mut changes = Vec::with_capacity(pictures.len());
    for (number, now) in pictures.iter().enumerate() {
        let fades =
            |at: usize| now[at] != CLEAR && pictures.get(number + 1).is_some_and(|next| next[at] == CLEAR);
        let mut around: Option<(usize, usize, usize, usize)> = None;
        let mut is_cleared = false;
        for at in 0..now.len() {
            let fading = fades(at);
            is_cleared |= fading;
            if fading || now[at] != before[at] {
                let (x, y) = (at % width, at / width);
                let (left, top, right, bottom) = around.unwrap_or((x, y, x, y));
                around = Some((left.min(x), top.min(y), right.max(x), bottom.max(y)));
            }
        }
        // A picture that does not change still takes its time: one clear pixel.
        let (left, top, right, bottom) = around.unwrap_or((0, 0, 0, 0));
        let mut indices = Vec::with_capacity((right - left + 1) * (bottom - top + 1));
        for y in top..=bottom {
            for at in y * width + left..=y * width + right {
                indices.push(if now[at] == before[at] { CLEAR } else { now[at] });
            }
        }
        before.copy_from_slice(now);
        if is_cleared {
            for y in top..=bottom {
                before[y * width + left..=y * width + right].fill(CLEAR);
            }
        }
        let (width, height) = (right - left + 1, bottom - top + 1);
        changes.push(FrameDelta { left, top, width, height, indices, is_cleared });
    }
    changes
}

fn opaque_color(pixel: &Rgba<u8>) -> Option<[u8; 3]> {
    (pixel[3] >= KEPT).then_some([pixel[0], pixel[1], pixel[2]])
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What a viewer shows.
    fn replayed(changes: &[FrameDelta], width: usize, count: usize) -> Vec<Vec<u8>> {
        let mut canvas = vec![CLEAR; count];
        let mut shown = Vec::new();
        for change in changes {
            let place = |n: usize| (change.top + n / change.width) * width + change.left + n % change.width;
            for (n, &index) in change.indices.iter().enumerate() {
                if index != CLEAR {
                    canvas[place(n)] = index;
                }
            }
            shown.push(canvas.clone());
            if change.is_cleared {
                (0..change.indices.len()).for_each(|n| canvas[place(n)] = CLEAR);
            }
        }
        shown
    }

    proptest::proptest! {
        #[test]
        fn what_is_stored_shows_every_picture(
            pictures in proptest::collection::vec(proptest::collection::vec(proptest::sample::select(vec![0u8, 1, 2, CLEAR]), 12), 1..6)
        ) {
            let changes = frame_deltas(&pictures, 4);
            proptest::prop_assert_eq!(replayed(&changes, 4, 12), pictures);
        }
    }

    #[test]
    fn only_what_changes_is_stored() {
        let still = vec![1u8; 100];
        let mut moved = still.clone();
        moved[34] = 2;
        let changes = frame_deltas(&[still.clone(), moved, still.clone(), still], 10);
        let sizes: Vec<(usize, usize, usize, usize)> =
            changes.iter().map(|c| (c.left, c.top, c.width, c.height)).collect();
        assert_eq!(sizes, [(0, 0, 10, 10), (4, 3, 1, 1), (4, 3, 1, 1), (0, 0, 1, 1)]);
    }

    #[test]
    fn the_rounding_error_is_carried_on() {
        let picture = || RgbaImage::new(1, 1);
        let animation = |spans: Vec<FrameDuration>| RenderedAnimation {
            images: spans.into_iter().map(|s| (picture(), s)).collect(),
            plays: 0,
        };
        let twelfth = FrameDuration::new(1, 12).unwrap();
        let delays = hundredths(&animation(vec![twelfth; 12]));
        assert_eq!(delays.iter().map(|&d| u32::from(d)).sum::<u32>(), 100);
        assert!(delays.iter().all(|delay| [8, 9].contains(delay)));
    }
}
