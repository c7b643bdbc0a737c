//! A background that is still there: one flat color behind every frame of a sprite or behind
//! single frames of a clip that is transparent otherwise, or a seam of a usual key color along the outline.
//!
//! What a drawing is filled with isn't a key, whatever its color: a key is left where it met the outline.

use image::Rgba;

use crate::background::{Background, find_background};
use crate::check::border::share;
use crate::check::{Finding, Fix, Observation, Rule, frame_finding, frames_of};
use crate::components::neighbors8;
use crate::parallel;
use crate::{Color, Frame, FrameSet, Size, UVec2};

/// Colors that nobody draws with, but everybody keys with.
const USUAL: [[u8; 3]; 2] = [[255, 0, 255], [0, 255, 0]];
/// So many of the pixels of a key are at the outline; what has more inside is a fill.
const OUTLINE: f64 = 0.5;
/// A seam is at least this share of the outline, and this many pixels: single pixels of any color are drawn on purpose.
const SEAM: f64 = 0.04;
const FEWEST: usize = 3;
/// So many pixels inside the edge, an outline has ended, and of a background there is at least this share.
const INSIDE: u32 = 3;
const OF_RING: f64 = 0.3;
/// A background is an exception where more than this share of the clip's other frames have none.
const MOSTLY: f64 = 0.6;

pub(super) fn find(set: &FrameSet) -> Vec<Finding> {
    let mut findings = Vec::new();
    for sprite in set.sprites() {
        let own: Vec<usize> =
            set.frames_of(sprite).iter().copied().filter(|&at| !set.frames()[at].is_blank()).collect();
        let backgrounds = parallel::map_slice(&own, |&at| background(&set.frames()[at]));
        let finding = |at: usize, color: Rgba<u8>, of_all: bool| {
            let seen = Observation::FlatBackground { color: Color(color), of_all };
            let finding = frame_finding(set, at, Rule::KeyLeft, seen, Fix::TakeOut(Color(color)));
            Finding { at: Some(UVec2::default()), value: own.len() as f64, ..finding }
        };
        // A sheet's background is behind all of its frames: tiles and panels have colors of their own.
        if let Some(&Some(color)) = backgrounds.first()
            && backgrounds.iter().all(|other| *other == Some(color))
        {
            findings.extend(own.iter().map(|&at| finding(at, color, true)));
            continue;
        }
        let clear = parallel::map_slice(&own, |&at| has_clear_corners(&set.frames()[at]));
        let is_clear = |at: usize| own.binary_search(&at).is_ok_and(|number| clear[number]);
        for (&at, color) in own.iter().zip(&backgrounds) {
            match color {
                Some(color) if is_exception(set, at, is_clear) => findings.push(finding(at, *color, false)),
                _ => {}
            }
        }
        findings.extend(parallel::flat_map(own.len(), |number| seam(set, own[number]).into_iter().collect()));
    }
    findings
}

/// Whether most other frames of the clip that shows a frame are transparent around the drawing.
fn is_exception(set: &FrameSet, at: usize, is_clear: impl Fn(usize) -> bool) -> bool {
    let Some(clip) = set.first_clip_of(at) else { return false };
    let others: Vec<usize> = frames_of(clip).into_iter().filter(|&other| other != at).collect();
    let clear = others.iter().filter(|&&other| is_clear(other)).count();
    clear as f64 > MOSTLY * others.len() as f64
}

fn has_clear_corners(frame: &Frame) -> bool {
    let (pixels, size) = (frame.full_image(), frame.canvas());
    let corners = [(0, 0), (size.width - 1, 0), (0, size.height - 1), (size.width - 1, size.height - 1)];
    corners.iter().filter(|&&(x, y)| pixels.get(x, y).is_some_and(|pixel| pixel[3] == 0)).count() >= 3
}

/// The flat color behind a frame's drawing, if anything else is drawn on it. An outline isn't a background: a few pixels
/// inside, a background is still there.
fn background(frame: &Frame) -> Option<Rgba<u8>> {
    let Background::Flat { color, .. } = find_background(frame.pixels()) else { return None };
    let pixels = frame.pixels();
    let is_other = |pixel: &[u8]| pixel != color.0;
    let has_drawing = pixels.rows().any(|row| row.chunks_exact(4).any(is_other));
    let Size { width, height } = pixels.size();
    let is_large = width.min(height) > 2 * INSIDE + 1;
    let is_outline = is_large && share(pixels, INSIDE, |pixel| pixel == color) < OF_RING;
    (frame.is_untrimmed() && has_drawing && !is_outline).then_some(color)
}

/// Pixels of a key color along the outline.
fn seam(set: &FrameSet, at: usize) -> Option<Finding> {
    let frame = &set.frames()[at];
    let (pixels, inset) = (frame.pixels(), frame.inset());
    let size = pixels.size();
    let all: Vec<&[u8]> = pixels.rows().flat_map(|row| row.chunks_exact(4)).collect();
    let is_key = |pixel: &[u8]| pixel[3] > 0 && USUAL.iter().any(|key| key == &pixel[..3]);
    let keys: Vec<usize> = (0..all.len()).filter(|&place| is_key(all[place])).collect();
    let &first = keys.first()?;
    let is_open = |place: usize| neighbors8(place, size.width, size.height).any(|near| all[near][3] == 0);
    let outline = keys.iter().filter(|&&place| is_open(place)).count();
    let whole = (0..all.len()).filter(|&place| all[place][3] > 0 && is_open(place)).count();
    let is_seam = outline as f64 >= OUTLINE * keys.len() as f64 && outline as f64 >= SEAM * whole as f64;
    if !is_seam || outline < FEWEST {
        return None;
    }
    let [r, g, b] = [all[first][0], all[first][1], all[first][2]];
    let color = Color(Rgba([r, g, b, 255]));
    let spot = UVec2 { x: first as u32 % size.width + inset.x, y: first as u32 / size.width + inset.y };
    let seen = Observation::KeyPixels { pixels: keys.len() as u32, color };
    let finding = frame_finding(set, at, Rule::KeyLeft, seen, Fix::TakeOut(color));
    Some(Finding { at: Some(spot), value: keys.len() as f64, ..finding })
}
