//! A clip as the game will show it: one picture a step, all frames laid on their pivots.
//!
//! Frames of different canvases are held together by the pivot, as in the game, so a film shows what
//! jumps. A bounce is written out; a mirrored step is mirrored about the pivot.

use std::fmt;
use std::str::FromStr;

use image::{Rgba, RgbaImage, imageops};

use crate::clip::{Clip, Span};
use crate::draw::paper::Paper;
use crate::{Color, ColorError, Frame, FrameSet, Pixels, Rect, Size};

/// Pictures with their times.
#[derive(Clone, Debug)]
pub struct Film {
    /// What is shown, and for how long. At least one; all of one size.
    pub pictures: Vec<(RgbaImage, Span)>,
    /// How often; 0 is for ever.
    pub plays: u32,
}

/// How a film is drawn.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct FilmOptions {
    /// How large a pixel is drawn; 0 counts as 1.
    pub zoom: u32,
    /// What lies behind.
    pub backdrop: Backdrop,
}

/// What lies behind a film.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Backdrop {
    /// Nothing: the film is transparent.
    #[default]
    None,
    /// A checkerboard.
    Checker,
    /// One colour.
    Color(Color),
}

/// Why a text is no backdrop.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}; or none, or checker")]
pub struct BackdropError(#[from] ColorError);

impl FromStr for Backdrop {
    type Err = BackdropError;

    fn from_str(text: &str) -> Result<Self, BackdropError> {
        match text {
            "none" => Ok(Backdrop::None),
            "checker" => Ok(Backdrop::Checker),
            color => Ok(Backdrop::Color(color.parse()?)),
        }
    }
}

impl fmt::Display for Backdrop {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Backdrop::None => f.write_str("none"),
            Backdrop::Checker => f.write_str("checker"),
            Backdrop::Color(color) => color.fmt(f),
        }
    }
}

/// Draws a clip of a set.
pub fn film(set: &FrameSet, clip: &Clip, options: FilmOptions) -> Film {
    let zoom = options.zoom.max(1);
    let steps = clip.shown();
    let looks: Vec<Look> =
        steps.iter().map(|step| Look::new(&set.frames()[step.frame], step.mirror)).collect();
    let stage = Stage::around(&looks);
    let size = Size::new(stage.size.width * zoom, stage.size.height * zoom);
    let draw = |look: &Look| {
        let mut paper = match options.backdrop {
            Backdrop::Color(color) => Paper::new(size, color.0),
            Backdrop::None | Backdrop::Checker => Paper::new(size, Rgba([0; 4])),
        };
        if options.backdrop == Backdrop::Checker {
            paper.checker(Rect::of(size), 4 * zoom);
        }
        let at = |position: i64, start: i64| (position - start) * i64::from(zoom);
        paper.lay(&look.pixels, at(look.pixels_at.0, stage.left), at(look.pixels_at.1, stage.top), zoom);
        paper.into_image()
    };
    let pictures = looks.iter().zip(&steps).map(|(look, step)| (draw(look), clip.span(step)));
    Film { pictures: pictures.collect(), plays: clip.plays() }
}

/// A frame as a step shows it, in whole pixels from the pivot.
struct Look {
    pixels: Pixels,
    pixels_at: (i64, i64),
    canvas_at: (i64, i64),
    canvas: Size,
}

impl Look {
    fn new(frame: &Frame, mirror: bool) -> Self {
        let canvas = frame.canvas();
        // A pivot between pixel corners is rounded the same way in every frame, so it stays put.
        let (pivot_x, pivot_y) = (frame.pivot().x.floor() as i64, frame.pivot().y.floor() as i64);
        let (inset_x, inset_y) = (i64::from(frame.inset().x), i64::from(frame.inset().y));
        let plain = Self {
            pixels: frame.pixels().clone(),
            pixels_at: (inset_x - pivot_x, inset_y - pivot_y),
            canvas_at: (-pivot_x, -pivot_y),
            canvas,
        };
        if !mirror {
            return plain;
        }
        // Mirrored about the pivot: x becomes 2 * pivot - x, and a left edge the right one.
        let twice = (frame.pivot().x * 2.0).round() as i64;
        let flip = |left: i64, width: u32| twice - (left + pivot_x + i64::from(width)) - pivot_x;
        let pixels_at = (flip(plain.pixels_at.0, frame.pixels().size().width), plain.pixels_at.1);
        let canvas_at = (flip(plain.canvas_at.0, canvas.width), plain.canvas_at.1);
        let pixels = Pixels::whole(imageops::flip_horizontal(&frame.pixels().to_image()));
        Self { pixels, pixels_at, canvas_at, canvas }
    }
}

/// The room that all canvases together take.
struct Stage {
    left: i64,
    top: i64,
    size: Size,
}

impl Stage {
    fn around(looks: &[Look]) -> Self {
        let low = |side: fn(&Look) -> i64| looks.iter().map(side).min().unwrap_or(0);
        let high = |side: fn(&Look) -> i64| looks.iter().map(side).max().unwrap_or(0);
        let (left, top) = (low(|look| look.canvas_at.0), low(|look| look.canvas_at.1));
        let right = high(|look| look.canvas_at.0 + i64::from(look.canvas.width));
        let bottom = high(|look| look.canvas_at.1 + i64::from(look.canvas.height));
        let size = Size::new((right - left).max(1) as u32, (bottom - top).max(1) as u32);
        Self { left, top, size }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::set::tests::with_clips;
    use crate::{Name, Point};

    /// One dot on a canvas of its own size, at the pivot's pixel.
    fn dotted(sizes: &[(u32, u32)]) -> FrameSet {
        let frame = |(at, &(width, height)): (usize, &(u32, u32))| {
            let mut image = RgbaImage::new(width, height);
            image.put_pixel(width - 1, height - 1, Rgba([200, 0, 0, 255]));
            let (sprite, name) = (Name::new("dot").unwrap(), Name::new(at.to_string()).unwrap());
            let pivot = Point::new(f64::from(width - 1), f64::from(height - 1));
            Frame::new(sprite, name, Pixels::whole(image)).unwrap().with_pivot(pivot)
        };
        FrameSet::new(sizes.iter().enumerate().map(frame).collect(), vec![]).unwrap()
    }

    fn dots(film: &Film) -> Vec<(u32, u32)> {
        let dot = |image: &RgbaImage| image.enumerate_pixels().find(|p| p.2[3] > 0).map(|p| (p.0, p.1));
        film.pictures.iter().map(|(image, _)| dot(image).unwrap()).collect()
    }

    #[test]
    fn the_pivot_stays_put_whatever_the_canvas() {
        let set = with_clips(dotted(&[(4, 4), (6, 3), (2, 9)]), &["a = 0-2"]);
        let film = film(&set, &set.clips()[0], FilmOptions::default());
        assert_eq!(film.pictures[0].0.dimensions(), (6, 9));
        assert_eq!(dots(&film), [(5, 8); 3]);
    }

    #[test]
    fn a_mirrored_step_turns_about_the_pivot_and_a_bounce_is_written_out() {
        let set = with_clips(dotted(&[(4, 1), (4, 1), (4, 1)]), &["a = 0-2 bounce mirror"]);
        let film = film(&set, &set.clips()[0], FilmOptions { zoom: 1, backdrop: Backdrop::None });
        // The dot's pixel starts at the pivot, so mirrored it ends there.
        assert_eq!(film.pictures.len(), 4);
        assert_eq!(dots(&film), [(0, 0); 4]);
        assert_eq!(film.pictures[0].0.width(), 4);
    }

    #[test]
    fn zoom_makes_squares() {
        let set = with_clips(dotted(&[(2, 2)]), &["a = 0"]);
        let film = film(&set, &set.clips()[0], FilmOptions { zoom: 3, backdrop: Backdrop::Checker });
        let red = film.pictures[0].0.pixels().filter(|pixel| pixel[0] == 200).count();
        assert_eq!((red, film.pictures[0].0.dimensions()), (9, (6, 6)));
    }
}
