//! A clip as the game will show it: one picture per step, all frames laid on their pivots.
//!
//! Frames of different canvases are held together by the pivot, as in the game, so a film shows what
//! jumps. A bounce is written out; a mirrored step is mirrored about the pivot.

use std::fmt;
use std::str::FromStr;

use image::{Rgba, RgbaImage, imageops};

use crate::clip::{Clip, Span, Step};
use crate::draw::paper::{PixelLimitError, Room, Surface, ink};
use crate::draw::{Show, overlay, text};
use crate::parallel;
use crate::sequence::gcd;
use crate::{Color, ColorError, Frame, FrameSet, Mirror, Pixels, Rect, Size};

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
    /// What is drawn over the frames.
    pub show: Show,
    /// How large pictures may become.
    pub room: Room,
}

/// What lies behind a film.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Backdrop {
    /// Nothing: the film is transparent.
    #[default]
    None,
    /// A checkerboard.
    Checker,
    /// One color.
    Color(Color),
}

/// Why a text is no backdrop.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}; or none, or checker")]
pub struct BackdropError(#[from] ColorError);

impl Backdrop {
    fn paper(self, size: Size, zoom: u32) -> Surface {
        let mut paper = Surface::new(size, Rgba([0; 4]));
        self.fill(&mut paper, Rect::of(size), zoom);
        paper
    }

    fn fill(self, paper: &mut Surface, rect: Rect, zoom: u32) {
        match self {
            Self::None => {}
            Self::Checker => paper.checker(rect, 4 * zoom),
            Self::Color(color) => paper.fill(rect, color.0),
        }
    }
}

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
///
/// # Errors
/// Where there is no room for the pictures.
pub fn film(set: &FrameSet, clip: &Clip, options: FilmOptions) -> Result<Film, PixelLimitError> {
    let scene = Scene::new(set, clip, options);
    let size = scene.size();
    let steps = clip.shown();
    options.room.hold(steps.len(), size)?;
    let draw = |step: usize| {
        let mut paper = options.backdrop.paper(size, options.zoom.max(1));
        scene.draw(&mut paper, step, (0, 0));
        paper.into_image()
    };
    let pictures: Vec<RgbaImage> = parallel::map(steps.len(), draw);
    let spans = steps.iter().map(|step| clip.span(step));
    Ok(Film { pictures: pictures.into_iter().zip(spans).collect(), plays: clip.plays() })
}

/// Pixels between clips shown beside each other, and round them.
const GAP: u32 = 8;
const LABEL: u32 = text::LINE + 2;

/// Draws several clips beside each other with their names, for as long as the longest of them; shorter ones begin again.
/// The film plays for ever.
///
/// # Errors
/// Where there is no room for the pictures.
pub fn films(set: &FrameSet, clips: &[&Clip], options: FilmOptions) -> Result<Film, PixelLimitError> {
    let scenes: Vec<Scene> = clips.iter().map(|clip| Scene::new(set, clip, options)).collect();
    // Rather wide than high: two of a size stand beside each other.
    let area: u64 = scenes.iter().map(|scene| scene.size().area()).sum();
    let widest = scenes.iter().map(|scene| scene.size().width).max().unwrap_or(1);
    let room = ((area as f64 * 2.5).sqrt() as u32).max(widest) + 2 * GAP;
    let (mut x, mut y, mut shelf, mut width) = (GAP, GAP, 0, 0);
    let mut corners = Vec::with_capacity(scenes.len());
    for (scene, clip) in scenes.iter().zip(clips) {
        let size = scene.size();
        let own = size.width.max(text::width(clip.name().as_str()));
        if x > GAP && x + own + GAP > room {
            (x, y, shelf) = (GAP, y + shelf + GAP, 0);
        }
        corners.push((x, y));
        width = width.max(x + own + GAP);
        x += own + GAP;
        shelf = shelf.max(size.height + LABEL);
    }
    let size = Size::new(width, y + shelf + GAP);
    let moments = moments(clips);
    options.room.hold(moments.len(), size)?;
    let draw = |shown: &Vec<usize>| {
        let mut paper = Surface::new(size, ink::PAGE);
        for ((scene, clip), (corner, step)) in scenes.iter().zip(clips).zip(corners.iter().zip(shown)) {
            let at = (corner.0, corner.1 + LABEL);
            options.backdrop.fill(&mut paper, Rect::at(at.0, at.1, scene.size()), options.zoom.max(1));
            scene.draw(&mut paper, *step, at);
            paper.write(clip.name().as_str(), corner.0, corner.1, ink::TEXT);
        }
        paper.into_image()
    };
    let pictures: Vec<RgbaImage> = parallel::each(&moments, |(shown, _)| draw(shown));
    let spans = moments.iter().map(|(_, span)| *span);
    Ok(Film { pictures: pictures.into_iter().zip(spans).collect(), plays: 0 })
}

/// Which step each clip shows, and for how long, until the longest has played once. Times are exact where the clips have
/// a common clock, else to the nearest millisecond.
fn moments(clips: &[&Clip]) -> Vec<(Vec<usize>, Span)> {
    const FINEST: u64 = 1_000_000;
    let common = clips.iter().fold(1u64, |clock, clip| {
        let scale = u64::from(clip.timescale());
        clock / gcd(clock, scale) * scale
    });
    let clock = if common <= FINEST { common } else { 1000 };
    let on_clock =
        |ticks: u64, clip: &Clip| (ticks as u128 * u128::from(clock) / u128::from(clip.timescale())) as u64;
    // The end of each step on the common clock.
    let ends: Vec<Vec<u64>> = clips
        .iter()
        .map(|clip| {
            let mut end = 0;
            let sum = |step: &&Step| {
                end += u64::from(step.ticks);
                on_clock(end, clip).max(1)
            };
            clip.shown().iter().map(sum).collect()
        })
        .collect();
    let longest = ends.iter().filter_map(|ends| ends.last().copied()).max().unwrap_or(1);
    let step_at = |ends: &Vec<u64>, time: u64| {
        let total = ends.last().copied().unwrap_or(1);
        ends.partition_point(|&end| end <= time % total)
    };
    let next_after = |ends: &Vec<u64>, time: u64| {
        let total = ends.last().copied().unwrap_or(1);
        time / total * total + ends[step_at(ends, time)]
    };
    let (mut time, mut moments) = (0, Vec::new());
    while time < longest {
        let next = ends.iter().map(|ends| next_after(ends, time)).min().unwrap_or(longest).min(longest);
        let shown = ends.iter().map(|ends| step_at(ends, time)).collect();
        let span = Span::new((next - time) as u32, clock as u32).unwrap_or(Span::DEFAULT);
        moments.push((shown, span));
        time = next;
    }
    moments
}

/// A clip ready to be drawn, step by step.
struct Scene<'a> {
    looks: Vec<Look>,
    frames: Vec<(&'a Frame, bool)>,
    screen: PivotExtent,
    options: FilmOptions,
}

impl<'a> Scene<'a> {
    fn new(set: &'a FrameSet, clip: &Clip, options: FilmOptions) -> Self {
        let steps = clip.shown();
        let frames: Vec<(&Frame, bool)> =
            steps.iter().map(|step| (&set.frames()[step.frame], step.mirror)).collect();
        let looks: Vec<Look> = frames.iter().map(|&(frame, mirror)| Look::new(frame, mirror)).collect();
        let screen = PivotExtent::around(&looks);
        Self { looks, frames, screen, options }
    }

    fn size(&self) -> Size {
        let zoom = self.options.zoom.max(1);
        Size::new(self.screen.size.width * zoom, self.screen.size.height * zoom)
    }

    fn draw(&self, paper: &mut Surface, step: usize, (left, top): (u32, u32)) {
        let (zoom, look) = (self.options.zoom.max(1), &self.looks[step]);
        let at =
            |corner: u32, position: i64, start: i64| i64::from(corner) + (position - start) * i64::from(zoom);
        let (x, y) = look.pixels_at;
        paper.lay(&look.pixels, at(left, x, self.screen.left), at(top, y, self.screen.top), zoom);
        let (frame, is_mirrored) = self.frames[step];
        let (x, y) = look.canvas_at;
        let corner = (at(left, x, self.screen.left), at(top, y, self.screen.top));
        if is_mirrored {
            // Boxes and pivot lie on the mirrored canvas as the drawing does.
            let annotations = frame.annotations().clone().mirrored(Mirror::LeftRight, frame.canvas());
            let pivot = Mirror::LeftRight.point(frame.pivot(), frame.canvas());
            let rotated = frame.clone().with_annotations(annotations).with_pivot(pivot);
            overlay::draw_at(paper, &rotated, corner, zoom, self.options.show);
        } else {
            overlay::draw_at(paper, frame, corner, zoom, self.options.show);
        }
    }
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
struct PivotExtent {
    left: i64,
    top: i64,
    size: Size,
}

impl PivotExtent {
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
        let film = film(&set, &set.clips()[0], FilmOptions::default()).unwrap();
        assert_eq!(film.pictures[0].0.dimensions(), (6, 9));
        assert_eq!(dots(&film), [(5, 8); 3]);
    }

    #[test]
    fn a_mirrored_step_turns_about_the_pivot_and_a_bounce_is_written_out() {
        let set = with_clips(dotted(&[(4, 1), (4, 1), (4, 1)]), &["a = 0-2 bounce mirror"]);
        let film = film(&set, &set.clips()[0], FilmOptions { zoom: 1, ..FilmOptions::default() }).unwrap();
        // The dot's pixel starts at the pivot, so mirrored it ends there.
        assert_eq!(film.pictures.len(), 4);
        assert_eq!(dots(&film), [(0, 0); 4]);
        assert_eq!(film.pictures[0].0.width(), 4);
    }

    #[test]
    fn clips_beside_each_other_keep_their_own_time() {
        let set = with_clips(dotted(&[(4, 4), (4, 4), (4, 4)]), &["a = 0-2 @10fps", "b = 0,1@150ms"]);
        let clips: Vec<&Clip> = set.clips().iter().collect();
        let told: Vec<(Vec<usize>, f64)> =
            moments(&clips).into_iter().map(|(shown, span)| (shown, span.millis())).collect();
        // a: 100, 200, 300; b: 100 (its default), 250.
        assert_eq!(told, [(vec![0, 0], 100.0), (vec![1, 1], 100.0), (vec![2, 1], 50.0), (vec![2, 0], 50.0)]);
        assert_eq!(films(&set, &clips, FilmOptions::default()).unwrap().pictures.len(), 4);
    }

    #[test]
    fn pictures_without_room_are_refused() {
        let set = with_clips(dotted(&[(2, 2), (3, 2), (4, 2)]), &["a = 0-2"]);
        let with = |room| film(&set, &set.clips()[0], FilmOptions { room, ..FilmOptions::default() });
        let size = Size::from(with(Room::default()).unwrap().pictures[0].0.dimensions());
        let area = size.area();
        assert!(with(Room { one: area, all: 3 * area }).is_ok());
        for room in [Room { one: area - 1, all: 3 * area }, Room { one: area, all: 3 * area - 1 }] {
            assert_eq!(with(room).unwrap_err(), PixelLimitError { pictures: 3, size });
        }
    }

    #[test]
    fn zoom_makes_squares() {
        let set = with_clips(dotted(&[(2, 2)]), &["a = 0"]);
        let film = film(
            &set,
            &set.clips()[0],
            FilmOptions { zoom: 3, backdrop: Backdrop::Checker, ..FilmOptions::default() },
        )
        .unwrap();
        let red = film.pictures[0].0.pixels().filter(|pixel| pixel[0] == 200).count();
        assert_eq!((red, film.pictures[0].0.dimensions()), (9, (6, 6)));
    }
}
