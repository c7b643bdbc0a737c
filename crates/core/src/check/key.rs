//! A background that is still there: one flat color behind every frame of a sprite, or a seam of a usual key color along the outline.
//!
//! What a drawing is filled with isn't a key, whatever its color: a key is left where it met the outline.

use image::Rgba;

use crate::background::{Background, find_background};
use crate::check::{Finding, Observation, Remedy, Rule, frame_finding};
use crate::components::neighbors8;
use crate::parallel;
use crate::{Color, Frame, FrameSet, UVec2};

/// Colors that nobody draws with, but everybody keys with.
const USUAL: [[u8; 3]; 2] = [[255, 0, 255], [0, 255, 0]];
/// So many of the pixels of a key are at the outline; what has more inside is a fill.
const OUTLINE: f64 = 0.5;
/// A seam is at least this share of the outline, and this many pixels: single pixels of any color are drawn on purpose.
const SEAM: f64 = 0.04;
const FEWEST: usize = 3;

pub(super) fn find(set: &FrameSet) -> Vec<Finding> {
    let mut findings = Vec::new();
    for sprite in set.sprites() {
        let own: Vec<usize> =
            set.frames_of(sprite).iter().copied().filter(|&at| !set.frames()[at].is_blank()).collect();
        let backgrounds = parallel::map_slice(&own, |&at| background(&set.frames()[at]));
        // A sheet's background is behind all of its frames: tiles and panels have colors of their own.
        if let Some(&Some(color)) = backgrounds.first()
            && backgrounds.iter().all(|other| *other == Some(color))
        {
            let told = |&at: &usize| {
                let seen = Observation::FlatBackground(Color(color));
                let finding = frame_finding(set, at, Rule::KeyLeft, seen, Remedy::TakeOut(Color(color)));
                Finding { at: Some(UVec2::default()), value: own.len() as f64, ..finding }
            };
            findings.extend(own.iter().map(told));
            continue;
        }
        findings.extend(parallel::flat_map(own.len(), |number| seam(set, own[number]).into_iter().collect()));
    }
    findings
}

/// The flat color that a frame stands on, where anything else is drawn on it.
fn background(frame: &Frame) -> Option<Rgba<u8>> {
    let Background::Flat { color, .. } = find_background(frame.pixels()) else { return None };
    let is_other = |pixel: &[u8]| pixel != color.0;
    let has_drawing = frame.pixels().rows().any(|row| row.chunks_exact(4).any(is_other));
    (frame.is_untrimmed() && has_drawing).then_some(color)
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
    let finding = frame_finding(set, at, Rule::KeyLeft, seen, Remedy::TakeOut(color));
    Some(Finding { at: Some(spot), value: keys.len() as f64, ..finding })
}
