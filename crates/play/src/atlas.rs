//! An atlas as a game holds it: pages, frames, clips, all checked once.

use alloc::format;
use alloc::string::String;
use alloc::vec::Vec;

use crate::error::{AtlasError, Problem};
use crate::{Clip, List, Text};

/// Pages, frames and clips that belong together.
///
/// # Guarantees
/// Indices are in range, rectangles within their pages and canvases, every clip has a step and every step lasts at least one tick,
/// numbers are finite, and names are unique within their sprite.
#[derive(Clone, Debug)]
pub struct Atlas {
    pages: List<Page>,
    frames: List<Frame>,
    clips: List<Clip>,
    /// Places of frames and clips in the order of their names.
    by_name: [Vec<u32>; 2],
}

/// One image.
#[derive(Clone, Debug, PartialEq)]
pub struct Page {
    /// Its path relative to the manifest, with `/`.
    pub file: Text,
    /// Its width and height in pixels.
    pub size: [u32; 2],
    /// Scale of everything on it relative to the art. [`Quad`](crate::Quad)s are in pixels of the art already.
    pub factor: f32,
    /// How it stores transparency.
    pub alpha: Alpha,
    /// How to filter it, if specified.
    pub sampling: Option<Sampling>,
    /// Images that are laid out exactly like it.
    pub companions: List<Companion>,
}

/// Suffixes that the trade uses for normal maps.
pub const NORMAL_SUFFIXES: &[&str] = &["_n", "_normal", "_normals", "_nrm"];

/// An image that is laid out like a page.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Companion {
    /// The suffix that identifies it, such as `_n`.
    pub suffix: Text,
    /// Its path relative to the manifest, with `/`.
    pub file: Text,
    /// Whether it is a normal map. Invert its red where a frame is drawn mirrored.
    pub is_normal: bool,
}

/// How a page stores transparency.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Alpha {
    /// Colors independent of alpha.
    #[default]
    Straight,
    /// Colors multiplied by alpha.
    Premultiplied,
}

/// How to filter a page.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sampling {
    /// Sharp pixels (point filtering).
    Nearest,
    /// Blended with neighbors (linear filtering).
    Smooth,
}

/// One frame. Lengths are pixels of its page, y down.
#[derive(Clone, Debug, PartialEq)]
pub struct Frame {
    /// The sprite it belongs to.
    pub sprite: Text,
    /// Its name, unique within the sprite.
    pub name: Text,
    /// Its page, counted from 0.
    pub page: usize,
    /// Its pixels on the page: x, y, width, height. All 0 for a blank frame.
    pub rect: [u32; 4],
    /// Whether it is rotated 90 degrees clockwise there; `rect` is as on the page.
    pub rotated: bool,
    /// Its full width and height before trimming.
    pub canvas: [u32; 2],
    /// Where the trimmed pixels start on the canvas: x, y.
    pub inset: [u32; 2],
    /// The anchor point on the canvas: x, y.
    pub pivot: [f32; 2],
    /// Boxes (hitboxes) by name: x, y, width, height on the canvas.
    pub boxes: List<(Text, [i32; 4])>,
    /// Nine-slice borders: pixels from the canvas's left, top, right and bottom.
    pub nine: Option<[u32; 4]>,
    /// Corners of a convex outline on the canvas, clockwise.
    pub polygon: List<[f32; 2]>,
}

impl Frame {
    /// Whether nothing of it shows.
    pub fn is_blank(&self) -> bool {
        self.rect[2] == 0 || self.rect[3] == 0
    }

    /// The width and height of its kept pixels as it is drawn, not as they are on the page.
    pub fn upright_size(&self) -> [u32; 2] {
        let [_, _, width, height] = self.rect;
        if self.rotated { [height, width] } else { [width, height] }
    }

    fn check(&self, pages: &[Page]) -> Result<(), (&'static str, Problem)> {
        let count = pages.len();
        for (key, numbers) in [("pivot", &self.pivot[..]), ("polygon", self.polygon.as_flattened())] {
            if numbers.iter().any(|number| !number.is_finite()) {
                return Err((key, Problem::Expected("finite")));
            }
        }
        if self.is_blank() {
            return Ok(());
        }
        let page = pages.get(self.page).ok_or(("page", Problem::Index { index: self.page, count }))?;
        let fits = |at: u32, length: u32, room: u32| at.checked_add(length).is_some_and(|end| end <= room);
        let size = self.upright_size();
        let [x, y, width, height] = self.rect;
        if !fits(x, width, page.size[0]) || !fits(y, height, page.size[1]) {
            return Err(("rect", Problem::Outside));
        }
        match fits(self.inset[0], size[0], self.canvas[0]) && fits(self.inset[1], size[1], self.canvas[1]) {
            true => Ok(()),
            false => Err(("inset", Problem::Outside)),
        }
    }
}

impl Clip {
    fn check(&self, frames: usize) -> Result<(), (String, Problem)> {
        if self.timescale == 0 {
            return Err((String::from("timescale"), Problem::Expected("at least 1")));
        }
        if self.steps.is_empty() {
            return Err((String::from("steps"), Problem::Expected("at least one step")));
        }
        for (at, step) in self.steps.iter().enumerate() {
            if step.ticks == 0 {
                return Err((format!("steps[{at}].ticks"), Problem::Expected("at least 1")));
            }
            if step.frame >= frames {
                return Err((
                    format!("steps[{at}].frame"),
                    Problem::Index { index: step.frame, count: frames },
                ));
            }
        }
        Ok(())
    }
}

type FullName<'a> = (&'a str, &'a str);

/// Places in the order of their names.
fn sort<'a, T>(list: &'a [T], name: impl Fn(&'a T) -> FullName<'a>) -> Result<Vec<u32>, (usize, Problem)> {
    let mut order: Vec<u32> = (0..list.len() as u32).collect();
    order.sort_by_key(|&at| name(&list[at as usize]));
    let twice = order.windows(2).find(|pair| name(&list[pair[0] as usize]) == name(&list[pair[1] as usize]));
    match twice {
        Some(pair) => {
            let (sprite, own) = name(&list[pair[1] as usize]);
            Err((pair[1] as usize, Problem::Twice(format!("{sprite}:{own}"))))
        }
        None => Ok(order),
    }
}

fn find<'a, T>(
    list: &'a [T],
    order: &[u32],
    name: impl Fn(&'a T) -> FullName<'a>,
    wanted: FullName<'_>,
) -> Option<usize> {
    let found = order.binary_search_by(|&at| name(&list[at as usize]).cmp(&wanted)).ok()?;
    Some(order[found] as usize)
}

impl Atlas {
    /// Checks that pages, frames and clips fit together. The lists may be read at run time or constants of the program.
    ///
    /// # Errors
    /// The first violation of the guarantees, and where it is.
    pub fn new(
        pages: impl Into<List<Page>>,
        frames: impl Into<List<Frame>>,
        clips: impl Into<List<Clip>>,
    ) -> Result<Self, AtlasError> {
        let (pages, frames, clips) = (pages.into(), frames.into(), clips.into());
        for (at, page) in pages.iter().enumerate() {
            if !page.factor.is_finite() || page.factor <= 0.0 {
                return Err(AtlasError {
                    place: format!("pages[{at}].factor"),
                    problem: Problem::Expected("more than 0"),
                });
            }
        }
        for (at, frame) in frames.iter().enumerate() {
            frame
                .check(&pages)
                .map_err(|(key, problem)| AtlasError { place: format!("frames[{at}].{key}"), problem })?;
        }
        for (at, clip) in clips.iter().enumerate() {
            clip.check(frames.len())
                .map_err(|(key, problem)| AtlasError { place: format!("clips[{at}].{key}"), problem })?;
        }
        let twice = |list: &'static str| {
            move |(at, problem): (usize, Problem)| AtlasError { place: format!("{list}[{at}].name"), problem }
        };
        let by_name = [
            sort(&frames, Self::frame_name).map_err(twice("frames"))?,
            sort(&clips, Self::clip_name).map_err(twice("clips"))?,
        ];
        Ok(Self { pages, frames, clips, by_name })
    }

    fn frame_name(frame: &Frame) -> FullName<'_> {
        (&frame.sprite, &frame.name)
    }

    fn clip_name(clip: &Clip) -> FullName<'_> {
        (&clip.sprite, &clip.name)
    }

    /// Its pages.
    pub fn pages(&self) -> &[Page] {
        &self.pages
    }

    /// Its frames, in the manifest's order.
    pub fn frames(&self) -> &[Frame] {
        &self.frames
    }

    /// Its clips, in the manifest's order.
    pub fn clips(&self) -> &[Clip] {
        &self.clips
    }

    /// The place of a frame among [`frames`](Self::frames).
    pub fn frame_index(&self, sprite: &str, name: &str) -> Option<usize> {
        find(&self.frames, &self.by_name[0], Self::frame_name, (sprite, name))
    }

    /// A frame by its names.
    pub fn frame(&self, sprite: &str, name: &str) -> Option<&Frame> {
        self.frame_index(sprite, name).map(|at| &self.frames[at])
    }

    /// The place of a clip among [`clips`](Self::clips).
    pub fn clip_index(&self, sprite: &str, name: &str) -> Option<usize> {
        find(&self.clips, &self.by_name[1], Self::clip_name, (sprite, name))
    }

    /// A clip by its names.
    pub fn clip(&self, sprite: &str, name: &str) -> Option<&Clip> {
        self.clip_index(sprite, name).map(|at| &self.clips[at])
    }
}
