//! The frames of a clip over each other, pivots on one point: what slides, shows.
//!
//! Each step has its color on a ramp from indigo over rose to amber. It gets lighter all the way, so it can be read in gray
//! and by color-blind eyes. Shapes are filled faintly and outlined in their color.

use std::collections::HashSet;

use image::{Rgba, RgbaImage};

use crate::drift::registered_points;
use crate::groups::display_groups;
use crate::overlay::cross;
use crate::surface::{PixelLimitError, PixelLimits, Surface, ink};
use crate::text;
use shibori_core::shape::SOLID;
use shibori_core::{Frame, FrameSet, Pixels, Point, Rect, Size};

/// How an onion skin is drawn.
#[derive(Clone, Copy, Debug)]
pub struct OnionStyle {
    /// The widest it may become, in pixels.
    pub width: u32,
    /// How large a pixel is drawn; where not given, as large as fits.
    pub zoom: Option<u32>,
    /// Whether boxes are drawn too.
    pub boxes: bool,
    /// How large it may become.
    pub limits: PixelLimits,
}

impl Default for OnionStyle {
    fn default() -> Self {
        Self { width: 1280, zoom: None, boxes: true, limits: PixelLimits::default() }
    }
}

const RAMP: [[f64; 3]; 3] = [[84.0, 82.0, 200.0], [214.0, 88.0, 140.0], [252.0, 196.0, 82.0]];
const MARGIN: u32 = 16;
const HEADING: u32 = 44;
const SCALE: u32 = 40;

/// The color of a step, 0 at the start and 1 at the end.
fn ramp(at: f64) -> Rgba<u8> {
    let place = at.clamp(0.0, 1.0) * (RAMP.len() - 1) as f64;
    let low = (place as usize).min(RAMP.len() - 2);
    let mix = |channel: usize| {
        let (a, b) = (RAMP[low][channel], RAMP[low + 1][channel]);
        (a + (b - a) * (place - low as f64)).round() as u8
    };
    Rgba([mix(0), mix(1), mix(2), 255])
}

/// Draws every clip; a set without clips is drawn as one.
///
/// # Errors
/// If the picture would be larger than the limits.
pub fn draw_onion(set: &FrameSet, options: OnionStyle) -> Result<RgbaImage, PixelLimitError> {
    let panels = panels(set);
    let columns = if panels.len() == 1 { 1 } else { 2 };
    let room = (options.width / columns).saturating_sub(2 * MARGIN).max(64);
    let zoom = options.zoom.unwrap_or_else(|| fitting(&panels, room, options.width * 10 / 16)).max(1);
    let sizes: Vec<Size> = panels.iter().map(|panel| panel.size(zoom)).collect();
    let mut corners = Vec::new();
    let (mut x, mut y, mut shelf, mut width) = (MARGIN, MARGIN, 0, 0);
    for size in &sizes {
        if x > MARGIN && x + size.width + MARGIN > options.width {
            (x, y, shelf) = (MARGIN, y + shelf + MARGIN, 0);
        }
        corners.push((x, y));
        width = width.max(x + size.width + MARGIN);
        x += size.width + 2 * MARGIN;
        shelf = shelf.max(size.height);
    }
    let size = Size::new(width, y + shelf + MARGIN);
    options.limits.check(1, size)?;
    let mut paper = Surface::new(size, ink::PAGE);
    for (panel, corner) in panels.iter().zip(corners) {
        panel.draw(&mut paper, corner, zoom, options.boxes);
    }
    Ok(paper.into_image())
}

fn fitting(panels: &[OnionPanel], width: u32, height: u32) -> u32 {
    let fits = |zoom: &u32| {
        panels.iter().all(|panel| {
            let size = panel.size(*zoom);
            size.width <= width && size.height + 2 * MARGIN <= height
        })
    };
    (1..=12).rev().find(fits).unwrap_or(1)
}

/// One clip's frames round a common pivot.
struct OnionPanel<'a> {
    title: String,
    detail: String,
    frames: Vec<(usize, &'a Frame)>,
    /// Where the registered figure is in each, from the pivot.
    positions: Vec<Option<Point>>,
    /// Pixels left and up of the pivot, right and down of it.
    reach: [i64; 4],
}

fn panels(set: &FrameSet) -> Vec<OnionPanel<'_>> {
    let panel = |(title, mut places): (String, Vec<usize>)| {
        let mut seen = HashSet::new();
        places.retain(|at| seen.insert(*at));
        OnionPanel::new(set, title, &places)
    };
    display_groups(set).into_iter().map(panel).collect()
}

impl<'a> OnionPanel<'a> {
    fn new(set: &'a FrameSet, title: String, places: &[usize]) -> Self {
        let frames: Vec<(usize, &Frame)> =
            places.iter().map(|&at| (set.number_in_sprite(at), &set.frames()[at])).collect();
        let reach = frames.iter().fold([0i64; 4], |reach, (_, frame)| {
            let (x, y) = pivot_pixel(frame);
            let (width, height) = (i64::from(frame.canvas().width), i64::from(frame.canvas().height));
            [reach[0].max(x), reach[1].max(y), reach[2].max(width - x), reach[3].max(height - y)]
        });
        let positions = registered_points(set, places);
        let detail = format!("{} frames, aligned at the pivot{}", frames.len(), describe_spread(&positions));
        Self { title, detail, frames, positions, reach }
    }

    fn canvas(&self) -> Size {
        Size::new((self.reach[0] + self.reach[2]) as u32, (self.reach[1] + self.reach[3]) as u32)
    }

    fn size(&self, zoom: u32) -> Size {
        let canvas = self.canvas();
        let label = text::width(&self.title).max(text::width(&self.detail)).max(260);
        Size::new((canvas.width * zoom).max(label), HEADING + canvas.height * zoom + SCALE)
    }

    fn draw(&self, paper: &mut Surface, (left, top): (u32, u32), zoom: u32, boxes: bool) {
        paper.draw_title(&self.title, left, top, ink::TEXT);
        paper.draw_text(&self.detail, left, top + 18, ink::DIM);
        let canvas = self.canvas();
        let (x, y) = (left, top + HEADING);
        let size = Size::new(canvas.width * zoom, canvas.height * zoom);
        paper.fill(Rect::at(x, y, size), ink::SHADE);
        let last = self.frames.len().saturating_sub(1).max(1) as f64;
        let color = |at: usize| ramp(at as f64 / last);
        let corner = |frame: &Frame| {
            let (px, py) = pivot_pixel(frame);
            let along = |start: u32, reach: i64, pivot: i64, inset: u32| {
                i64::from(start) + (reach - pivot + i64::from(inset)) * i64::from(zoom)
            };
            (along(x, self.reach[0], px, frame.inset().x), along(y, self.reach[1], py, frame.inset().y))
        };
        for (at, (_, frame)) in self.frames.iter().enumerate() {
            let corner = corner(frame);
            paper.blit(&tinted(frame.pixels(), color(at)), corner.0, corner.1, zoom);
        }
        for (at, (_, frame)) in self.frames.iter().enumerate() {
            border(paper, frame.pixels(), corner(frame), i64::from(zoom), color(at));
            if boxes {
                self.draw_boxes(paper, frame, (x, y), i64::from(zoom), color(at));
            }
        }
        let along = |start: u32, reach: i64| i64::from(start) + reach * i64::from(zoom);
        let pivot = (along(x, self.reach[0]), along(y, self.reach[1]));
        self.draw_positions(paper, pivot, f64::from(zoom));
        cross(paper, pivot, ink::PIVOT);
        self.draw_scale(paper, (left, y + size.height + 10));
    }

    /// The way of the registered figure's middle, one dot per frame: one dot where the figure is held.
    fn draw_positions(&self, paper: &mut Surface, pivot: (i64, i64), zoom: f64) {
        let place = |stand: &Point| {
            let along = |start: i64, way: f64| start + (way * zoom).round() as i64;
            (along(pivot.0, stand.x), along(pivot.1, stand.y))
        };
        let positions: Vec<Option<(i64, i64)>> =
            self.positions.iter().map(|stand| stand.as_ref().map(place)).collect();
        let known: Vec<(i64, i64)> = positions.iter().copied().flatten().collect();
        if known.len() < 2 {
            return;
        }
        known.windows(2).for_each(|pair| paper.line(pair[0], pair[1], [ink::TEXT, ink::SHADE], 2));
        let last = positions.len().saturating_sub(1).max(1) as f64;
        for (at, stand) in positions.iter().enumerate() {
            let Some((x, y)) = *stand else { continue };
            for (far, color) in [(4, ink::SHADE), (3, ink::TEXT), (2, ramp(at as f64 / last))] {
                let square = (-far..=far).flat_map(|dy| (-far..=far).map(move |dx| (dx, dy)));
                square.for_each(|(dx, dy)| paper.plot(x + dx, y + dy, color));
            }
        }
    }

    fn draw_boxes(&self, paper: &mut Surface, frame: &Frame, (x, y): (u32, u32), zoom: i64, color: Rgba<u8>) {
        let (px, py) = pivot_pixel(frame);
        for area in frame.annotations().boxes.values() {
            let left = i64::from(x) + (self.reach[0] - px + i64::from(area.x)) * zoom;
            let top = i64::from(y) + (self.reach[1] - py + i64::from(area.y)) * zoom;
            let size = (i64::from(area.width) * zoom, i64::from(area.height) * zoom);
            paper.stroke_rect((left, top), size, [color, ink::SHADE]);
        }
    }

    /// Which color is which frame.
    fn draw_scale(&self, paper: &mut Surface, (left, top): (u32, u32)) {
        let count = self.frames.len().max(1) as u32;
        let room = self.size(1).width.max(240);
        let each = (room / count).clamp(3, 28);
        let last = f64::from(count.saturating_sub(1).max(1));
        let every = text::width("000").div_ceil(each).max(1);
        for (at, (number, _)) in (0..count).zip(&self.frames) {
            let x = left + at * each;
            paper.fill(Rect::new(x, top, each.saturating_sub(1).max(1), 10), ramp(f64::from(at) / last));
            if at % every == 0 {
                paper.draw_text(&number.to_string(), x, top + 12, ink::DIM);
            }
        }
    }
}

/// How far apart the registered figure is in the frames, so that a glance says whether it is held.
fn describe_spread(positions: &[Option<Point>]) -> String {
    let positions: Vec<Point> = positions.iter().copied().flatten().collect();
    if positions.len() < 2 {
        return String::new();
    }
    let along = |axis: fn(&Point) -> f64| {
        let (low, high) = positions
            .iter()
            .map(axis)
            .fold((f64::MAX, f64::MIN), |(low, high), at| (low.min(at), high.max(at)));
        high - low
    };
    match (along(|at| at.x), along(|at| at.y)) {
        (0.0, 0.0) => "; the figure stays in place (dot)".to_owned(),
        (x, y) => format!("; the figure stays within {x:.0}x{y:.0} px (dots)"),
    }
}

/// The pixel corner the pivot is on, or the one before.
fn pivot_pixel(frame: &Frame) -> (i64, i64) {
    (frame.pivot().x.floor() as i64, frame.pivot().y.floor() as i64)
}

/// A picture as a faint shape of one color, its own shades showing through.
fn tinted(pixels: &Pixels, color: Rgba<u8>) -> Pixels {
    let mut image = pixels.to_image();
    for pixel in image.pixels_mut() {
        let light = (u32::from(pixel[0]) * 2 + u32::from(pixel[1]) * 5 + u32::from(pixel[2])) / 8;
        let shade = |channel: u8| ((u32::from(channel) * (96 + light * 159 / 255)) / 255) as u8;
        let alpha = (u32::from(pixel[3]) * 70 / 255) as u8;
        *pixel = Rgba([shade(color[0]), shade(color[1]), shade(color[2]), alpha]);
    }
    Pixels::from_image(image)
}

/// The edge of the solid pixels.
fn border(paper: &mut Surface, pixels: &Pixels, (left, top): (i64, i64), zoom: i64, color: Rgba<u8>) {
    let Size { width, height } = pixels.size();
    let is_solid = |x: i64, y: i64| {
        let inside = (0..i64::from(width)).contains(&x) && (0..i64::from(height)).contains(&y);
        inside && pixels.get(x as u32, y as u32).is_some_and(|pixel| pixel[3] > SOLID)
    };
    let thick = if zoom >= 5 { 2 } else { 1 };
    for (y, x) in (0..i64::from(height)).flat_map(|y| (0..i64::from(width)).map(move |x| (y, x))) {
        if !is_solid(x, y) {
            continue;
        }
        let (px, py) = (left + x * zoom, top + y * zoom);
        let far = zoom - thick;
        let sides = [
            (!is_solid(x - 1, y), (px, py), (thick, zoom)),
            (!is_solid(x + 1, y), (px + far, py), (thick, zoom)),
            (!is_solid(x, y - 1), (px, py), (zoom, thick)),
            (!is_solid(x, y + 1), (px, py + far), (zoom, thick)),
        ];
        for (_, (sx, sy), (width, height)) in sides.into_iter().filter(|(is_edge, ..)| *is_edge) {
            for (dy, dx) in (0..height).flat_map(|dy| (0..width).map(move |dx| (dy, dx))) {
                paper.plot(sx + dx, sy + dy, color);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_ramp_grows_lighter_all_the_way() {
        let light = |at: f64| {
            let Rgba([r, g, b, _]) = ramp(at);
            0.2126 * f64::from(r) + 0.7152 * f64::from(g) + 0.0722 * f64::from(b)
        };
        let steps: Vec<f64> = (0..=20).map(|n| light(f64::from(n) / 20.0)).collect();
        assert!(steps.windows(2).all(|pair| pair[1] > pair[0]), "{steps:?}");
    }

    #[test]
    fn frames_lie_on_one_pivot_whatever_their_canvas() {
        use crate::test_sets::{rows, with_clips};
        use shibori_core::Point;
        let set = with_clips(rows("frog", &[3]), &["sit = 0-2"]);
        // A pivot further left is a canvas further right.
        let set = set.map_frames(|at, frame| {
            Ok::<_, shibori_core::SetError>(frame.with_pivot(Point::new(at as f64, 4.0)))
        });
        let set = set.unwrap();
        let panels = panels(&set);
        assert_eq!(panels.len(), 1);
        assert_eq!(panels[0].canvas(), Size::new(6, 4));
        let options = OnionStyle { width: 640, zoom: Some(3), boxes: true, limits: PixelLimits::default() };
        let picture = draw_onion(&set, options).unwrap();
        // Every step's own color is somewhere on it.
        for at in [0.0, 0.5, 1.0] {
            assert!(picture.pixels().any(|pixel| *pixel == ramp(at)), "{at}");
        }
    }
}
