//! A clip as the game will show it: one image per step, all frames on their pivots.
//!
//! Frames of different canvases are held together by the pivot, as in the game, so an animation shows what
//! jumps. A bounce is written out; a mirrored step is mirrored about the pivot.

use std::fmt;
use std::str::FromStr;

use image::{Rgba, RgbaImage, imageops};

use crate::surface::{PixelLimitError, PixelLimits, Surface, ink};
use crate::{Overlay, overlay, text};
use shibori_core::clip::{Clip, FrameDuration, Step};
use shibori_core::parallel;
use shibori_core::shape::mirrored;
use shibori_core::{Color, Frame, FrameSet, Mirror, Pixels, Rect, RenderedAnimation, Size, ValueError};

/// How an animation is drawn.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct AnimationStyle {
    /// How large a pixel is drawn; 0 counts as 1.
    pub zoom: u32,
    /// What is behind the frames.
    pub backdrop: Backdrop,
    /// What is drawn over the frames.
    pub overlay: Overlay,
    /// How large pictures may become.
    pub limits: PixelLimits,
}

/// What is behind an animation.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Backdrop {
    /// Nothing: the animation is transparent.
    #[default]
    None,
    /// A checkerboard.
    Checker,
    /// One color.
    Color(Color),
}

/// Why a text is not a backdrop.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}; or none, or checker")]
pub struct BackdropError(#[from] ValueError);

impl Backdrop {
    fn paper(self, size: Size, zoom: u32) -> Surface {
        let mut paper = Surface::new(size, Rgba([0; 4]));
        self.fill(&mut paper, Rect::of(size), zoom);
        paper
    }

    fn fill(self, paper: &mut Surface, rect: Rect, zoom: u32) {
        match self {
            Self::None => {}
            Self::Checker => paper.fill_checkerboard(rect, 4 * zoom),
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
/// If the pictures would be larger than the limits.
///
/// # Panics
/// If the clip belongs to another set with more frames.
pub fn render_clip(
    set: &FrameSet,
    clip: &Clip,
    options: AnimationStyle,
) -> Result<RenderedAnimation, PixelLimitError> {
    let scene = ClipRenderer::new(set, clip, options);
    let size = scene.size();
    let steps = clip.played_steps();
    options.limits.check(steps.len(), size)?;
    let draw = |step: usize| {
        let mut paper = options.backdrop.paper(size, options.zoom.max(1));
        scene.draw(&mut paper, step, (0, 0));
        paper.into_image()
    };
    let pictures: Vec<RgbaImage> = parallel::map(steps.len(), draw);
    let spans = steps.iter().map(|step| clip.span(step));
    Ok(RenderedAnimation { images: pictures.into_iter().zip(spans).collect(), plays: clip.plays() })
}

/// Pixels between clips shown beside each other, and round them.
const GAP: u32 = 8;
const LABEL: u32 = text::LINE + 2;

/// Draws several clips beside each other with their names, for as long as the longest of them; shorter ones begin again.
/// The animation plays forever.
///
/// # Errors
/// If the pictures would be larger than the limits.
///
/// # Panics
/// If a clip belongs to another set with more frames.
pub fn render_clips(
    set: &FrameSet,
    clips: &[&Clip],
    options: AnimationStyle,
) -> Result<RenderedAnimation, PixelLimitError> {
    let scenes: Vec<ClipRenderer> = clips.iter().map(|clip| ClipRenderer::new(set, clip, options)).collect();
    // Rather wide than high: two of a size are beside each other.
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
    let moments = merge_timelines(clips);
    options.limits.check(moments.len(), size)?;
    let draw = |shown: &Vec<usize>| {
        let mut paper = Surface::new(size, ink::PAGE);
        for ((scene, clip), (corner, step)) in scenes.iter().zip(clips).zip(corners.iter().zip(shown)) {
            let at = (corner.0, corner.1 + LABEL);
            options.backdrop.fill(&mut paper, Rect::at(at.0, at.1, scene.size()), options.zoom.max(1));
            scene.draw(&mut paper, *step, at);
            paper.draw_text(clip.name().as_str(), corner.0, corner.1, ink::TEXT);
        }
        paper.into_image()
    };
    let pictures: Vec<RgbaImage> = parallel::map_slice(&moments, |(shown, _)| draw(shown));
    let spans = moments.iter().map(|(_, span)| *span);
    Ok(RenderedAnimation { images: pictures.into_iter().zip(spans).collect(), plays: 0 })
}

/// Which step each clip shows, and for how long, until the longest has played once. Times are exact where the clips have
/// a common clock, else to the nearest millisecond.
fn merge_timelines(clips: &[&Clip]) -> Vec<(Vec<usize>, FrameDuration)> {
    const FINEST: u64 = 1_000_000;
    let common = clips.iter().fold(1u64, |clock, clip| {
        let scale = u64::from(clip.timescale());
        clock / num_integer::gcd(clock, scale) * scale
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
            clip.played_steps().iter().map(sum).collect()
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
        let span = FrameDuration::new((next - time) as u32, clock as u32).unwrap_or(FrameDuration::DEFAULT);
        moments.push((shown, span));
        time = next;
    }
    moments
}

/// A clip ready to be drawn, step by step.
struct ClipRenderer<'a> {
    poses: Vec<PosedFrame>,
    frames: Vec<(&'a Frame, bool)>,
    screen: PivotExtent,
    options: AnimationStyle,
}

impl<'a> ClipRenderer<'a> {
    fn new(set: &'a FrameSet, clip: &Clip, options: AnimationStyle) -> Self {
        let steps = clip.played_steps();
        let frames: Vec<(&Frame, bool)> =
            steps.iter().map(|step| (&set.frames()[step.frame], step.mirror)).collect();
        let poses: Vec<PosedFrame> =
            frames.iter().map(|&(frame, mirror)| PosedFrame::new(frame, mirror)).collect();
        let screen = PivotExtent::around(&poses);
        Self { poses, frames, screen, options }
    }

    fn size(&self) -> Size {
        let zoom = self.options.zoom.max(1);
        Size::new(self.screen.size.width * zoom, self.screen.size.height * zoom)
    }

    fn draw(&self, paper: &mut Surface, step: usize, (left, top): (u32, u32)) {
        let (zoom, pose) = (self.options.zoom.max(1), &self.poses[step]);
        let at =
            |corner: u32, position: i64, start: i64| i64::from(corner) + (position - start) * i64::from(zoom);
        let (x, y) = pose.pixels_at;
        paper.blit(&pose.pixels, at(left, x, self.screen.left), at(top, y, self.screen.top), zoom);
        let (frame, is_mirrored) = self.frames[step];
        let (x, y) = pose.canvas_at;
        let corner = (at(left, x, self.screen.left), at(top, y, self.screen.top));
        if is_mirrored {
            let mirrored = mirrored(frame.clone(), Mirror::LeftRight);
            overlay::draw_at(paper, &mirrored, corner, zoom, self.options.overlay);
        } else {
            overlay::draw_at(paper, frame, corner, zoom, self.options.overlay);
        }
    }
}

/// A frame as a step shows it, in whole pixels from the pivot.
struct PosedFrame {
    pixels: Pixels,
    pixels_at: (i64, i64),
    canvas_at: (i64, i64),
    canvas: Size,
}

impl PosedFrame {
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
        let pixels = Pixels::from_image(imageops::flip_horizontal(&frame.pixels().to_image()));
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
    fn around(poses: &[PosedFrame]) -> Self {
        let low = |side: fn(&PosedFrame) -> i64| poses.iter().map(side).min().unwrap_or(0);
        let high = |side: fn(&PosedFrame) -> i64| poses.iter().map(side).max().unwrap_or(0);
        let (left, top) = (low(|pose| pose.canvas_at.0), low(|pose| pose.canvas_at.1));
        let right = high(|pose| pose.canvas_at.0 + i64::from(pose.canvas.width));
        let bottom = high(|pose| pose.canvas_at.1 + i64::from(pose.canvas.height));
        let size = Size::new((right - left).max(1) as u32, (bottom - top).max(1) as u32);
        Self { left, top, size }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::test_sets::with_clips;
    use shibori_core::{Name, Point};

    /// One dot on a canvas of its own size, at the pivot's pixel.
    fn dotted(sizes: &[(u32, u32)]) -> FrameSet {
        let frame = |(at, &(width, height)): (usize, &(u32, u32))| {
            let mut image = RgbaImage::new(width, height);
            image.put_pixel(width - 1, height - 1, Rgba([200, 0, 0, 255]));
            let (sprite, name) = (Name::new("dot").unwrap(), Name::new(at.to_string()).unwrap());
            let pivot = Point::new(f64::from(width - 1), f64::from(height - 1));
            Frame::new(sprite, name, Pixels::from_image(image)).unwrap().with_pivot(pivot)
        };
        FrameSet::new(sizes.iter().enumerate().map(frame).collect(), vec![]).unwrap()
    }

    fn dots(animation: &RenderedAnimation) -> Vec<(u32, u32)> {
        let dot = |image: &RgbaImage| image.enumerate_pixels().find(|p| p.2[3] > 0).map(|p| (p.0, p.1));
        animation.images.iter().map(|(image, _)| dot(image).unwrap()).collect()
    }

    #[test]
    fn the_pivot_stays_put_whatever_the_canvas() {
        let set = with_clips(dotted(&[(4, 4), (6, 3), (2, 9)]), &["a = 0-2"]);
        let animation = render_clip(&set, &set.clips()[0], AnimationStyle::default()).unwrap();
        assert_eq!(animation.images[0].0.dimensions(), (6, 9));
        assert_eq!(dots(&animation), [(5, 8); 3]);
    }

    #[test]
    fn a_mirrored_step_turns_about_the_pivot_and_a_bounce_is_written_out() {
        let set = with_clips(dotted(&[(4, 1), (4, 1), (4, 1)]), &["a = 0-2 bounce mirror"]);
        let animation =
            render_clip(&set, &set.clips()[0], AnimationStyle { zoom: 1, ..AnimationStyle::default() })
                .unwrap();
        // The dot's pixel starts at the pivot, so mirrored it ends there.
        assert_eq!(animation.images.len(), 4);
        assert_eq!(dots(&animation), [(0, 0); 4]);
        assert_eq!(animation.images[0].0.width(), 4);
    }

    #[test]
    fn clips_beside_each_other_keep_their_own_time() {
        let set = with_clips(dotted(&[(4, 4), (4, 4), (4, 4)]), &["a = 0-2 @10fps", "b = 0,1@150ms"]);
        let clips: Vec<&Clip> = set.clips().iter().collect();
        let timeline: Vec<(Vec<usize>, f64)> =
            merge_timelines(&clips).into_iter().map(|(shown, span)| (shown, span.millis())).collect();
        // a: 100, 200, 300; b: 100 (its default), 250.
        assert_eq!(
            timeline,
            [(vec![0, 0], 100.0), (vec![1, 1], 100.0), (vec![2, 1], 50.0), (vec![2, 0], 50.0)]
        );
        assert_eq!(render_clips(&set, &clips, AnimationStyle::default()).unwrap().images.len(), 4);
    }

    #[test]
    fn pictures_without_room_are_refused() {
        let set = with_clips(dotted(&[(2, 2), (3, 2), (4, 2)]), &["a = 0-2"]);
        let with = |limits| {
            render_clip(&set, &set.clips()[0], AnimationStyle { limits, ..AnimationStyle::default() })
        };
        let size = Size::from(with(PixelLimits::default()).unwrap().images[0].0.dimensions());
        let area = size.area();
        assert!(with(PixelLimits { per_image: area, total: 3 * area }).is_ok());
        for limits in [
            PixelLimits { per_image: area - 1, total: 3 * area },
            PixelLimits { per_image: area, total: 3 * area - 1 },
        ] {
            assert_eq!(with(limits).unwrap_err(), PixelLimitError { images: 3, size });
        }
    }

    #[test]
    fn zoom_makes_squares() {
        let set = with_clips(dotted(&[(2, 2)]), &["a = 0"]);
        let animation = render_clip(
            &set,
            &set.clips()[0],
            AnimationStyle { zoom: 3, backdrop: Backdrop::Checker, ..AnimationStyle::default() },
        )
        .unwrap();
        let red = animation.images[0].0.pixels().filter(|pixel| pixel[0] == 200).count();
        assert_eq!((red, animation.images[0].0.dimensions()), (9, (6, 6)));
    }
}
