//! A background that is still there: a flat color behind the whole frame, or left-overs of a usual key color.

use crate::background::{Background, find_background};
use crate::check::{Finding, Limits, Remedy, Rule, Seen};
use crate::{Color, FrameSet, Pair};

/// Colors that nobody draws with, but everybody keys with.
const USUAL: [[u8; 3]; 2] = [[255, 0, 255], [0, 255, 0]];

pub(super) fn find(set: &FrameSet, at: usize, _: &Limits) -> Vec<Finding> {
    let frame = &set.frames()[at];
    if frame.pixels().is_empty() {
        return Vec::new();
    }
    let inset = frame.inset();
    let (sprite, clip) = (frame.sprite().clone(), set.first_clip_of(at).map(|clip| clip.name().clone()));
    let finding = |spot: Pair, value: f64, color: Color, seen: Seen| {
        let (limit, remedy) = (0.0, Remedy::TakeOut(color));
        vec![Finding {
            rule: Rule::KeyLeft,
            sprite,
            frame: at,
            clip,
            at: Some(spot),
            value,
            limit,
            seen,
            remedy,
        }]
    };
    if let Background::Flat { color, .. } = find_background(frame.pixels())
        && frame.is_whole()
        && has_drawing(set, at, color)
    {
        return finding(Pair::default(), 1.0, Color(color), Seen::FlatBackground(Color(color)));
    }
    let is_key = |pixel: &[u8]| pixel[3] > 0 && USUAL.iter().any(|key| key == &pixel[..3]);
    let mut first = None;
    let mut count = 0u32;
    for (y, row) in (inset.y..).zip(frame.pixels().rows()) {
        for (x, pixel) in (inset.x..).zip(row.chunks_exact(4)) {
            if is_key(pixel) {
                count += 1;
                first.get_or_insert((Pair { x, y }, [pixel[0], pixel[1], pixel[2], 255]));
            }
        }
    }
    let Some((spot, color)) = first else { return Vec::new() };
    let color = Color(image::Rgba(color));
    finding(spot, f64::from(count), color, Seen::KeyPixels { pixels: count, color })
}

/// One color all over is a drawing too.
fn has_drawing(set: &FrameSet, at: usize, color: image::Rgba<u8>) -> bool {
    let pixels = set.frames()[at].pixels();
    pixels.rows().any(|row| row.chunks_exact(4).any(|pixel| pixel != color.0))
}
