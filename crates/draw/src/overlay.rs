//! What a frame carries besides its pixels, drawn over it in thin lines: canvas, trim box, boxes, polygon, pivot. What
//! each color means is below the picture, never on the art.

use image::Rgba;

use crate::surface::{Surface, ink};
use crate::text;
use shibori_core::{Frame, Rect, Size};

/// What is drawn over frames.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Overlay {
    /// The border of the canvas.
    pub canvas: bool,
    /// The box around the kept pixels.
    pub trim: bool,
    /// A cross on the pivot.
    pub pivot: bool,
    /// Named boxes.
    pub boxes: bool,
    /// The polygon.
    pub polygon: bool,
}

/// Pixels that a legend takes down.
pub(crate) const LEGEND: u32 = 20;
const SWATCH: u32 = 10;

impl Overlay {
    /// What each color means.
    pub(crate) fn legend_entries(self) -> Vec<(&'static str, Rgba<u8>)> {
        let all = [
            (self.canvas, "canvas", ink::CANVAS),
            (self.trim, "trimmed pixels", ink::TRIM),
            (self.boxes, "boxes", ink::BOX),
            (self.polygon, "polygon", ink::POLYGON),
            (self.pivot, "pivot", ink::PIVOT),
        ];
        all.into_iter().filter(|(is_shown, ..)| *is_shown).map(|(_, name, color)| (name, color)).collect()
    }
}

pub(crate) fn legend_width(key: &[(&str, Rgba<u8>)]) -> u32 {
    key.iter().map(|(name, _)| SWATCH + 6 + text::width(name) + 18).sum()
}

pub(crate) fn draw_legend(paper: &mut Surface, key: &[(&str, Rgba<u8>)], mut x: u32, y: u32) {
    for (name, color) in key {
        paper.fill(Rect::new(x, y + 3, SWATCH, SWATCH), *color);
        paper.draw_text(name, x + SWATCH + 6, y, ink::TEXT);
        x += SWATCH + 6 + text::width(name) + 18;
    }
}

/// A color and the dark that makes it show on light art.
fn tones(color: Rgba<u8>) -> [Rgba<u8>; 2] {
    [color, ink::SHADE]
}

/// Draws over a frame whose canvas is at a corner of the paper, each pixel a square of `zoom` px.
pub(crate) fn draw(paper: &mut Surface, frame: &Frame, (left, top): (u32, u32), zoom: u32, overlay: Overlay) {
    draw_at(paper, frame, (i64::from(left), i64::from(top)), zoom, overlay);
}

/// The same where the canvas may begin left of the paper or above it.
pub(crate) fn draw_at(
    paper: &mut Surface,
    frame: &Frame,
    (left, top): (i64, i64),
    zoom: u32,
    overlay: Overlay,
) {
    let zoom = i64::from(zoom);
    let outline = |paper: &mut Surface, (x, y): (i64, i64), size: Size, color: Rgba<u8>| {
        let size = (i64::from(size.width) * zoom, i64::from(size.height) * zoom);
        paper.stroke_rect((left + x * zoom, top + y * zoom), size, tones(color));
    };
    if overlay.canvas {
        outline(paper, (0, 0), frame.canvas(), ink::CANVAS);
    }
    let kept = frame.kept_rect();
    if overlay.trim && !kept.is_empty() {
        outline(paper, (i64::from(kept.x), i64::from(kept.y)), kept.size(), ink::TRIM);
    }
    let annotations = frame.annotations();
    for area in annotations.boxes.values().filter(|_| overlay.boxes) {
        let size = Size::new(area.width, area.height);
        outline(paper, (i64::from(area.x), i64::from(area.y)), size, ink::BOX);
    }
    if overlay.polygon {
        let at = |point: &shibori_core::Point| {
            (left + (point.x * zoom as f64).round() as i64, top + (point.y * zoom as f64).round() as i64)
        };
        let corners: Vec<(i64, i64)> = annotations.polygon.iter().map(at).collect();
        for (from, to) in corners.iter().zip(corners.iter().cycle().skip(1)) {
            paper.line(*from, *to, tones(ink::POLYGON), 4);
        }
    }
    if overlay.pivot {
        let x = left + (frame.pivot().x * zoom as f64).round() as i64;
        let y = top + (frame.pivot().y * zoom as f64).round() as i64;
        cross(paper, (x, y), ink::PIVOT);
    }
}

/// A cross on a corner between pixels: light, with a dark border.
pub(crate) fn cross(paper: &mut Surface, (x, y): (i64, i64), color: Rgba<u8>) {
    for far in -6i64..=6 {
        for (dx, dy) in [(far, -1), (far, 1), (-1, far), (1, far)] {
            paper.plot(x + dx, y + dy, ink::SHADE);
        }
    }
    for far in -6i64..=6 {
        paper.plot(x + far, y, color);
        paper.plot(x, y + far, color);
    }
}
