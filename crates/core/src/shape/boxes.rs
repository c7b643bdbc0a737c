//! Named boxes for the game: what is hit, what hits. Given, or taken from the solid pixels.

use std::fmt;

use crate::groups::frames_by_clip;
use crate::shape::points::{solid_above, solid_content};
use crate::{Frame, FrameSet, Name, Rect, SetError, SignedRect, Size};

/// A box as a person types it: `body=auto`, `body=auto:clip`, `body=4,10,24,12`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BoxSpec {
    /// The box's name.
    pub name: Name,
    /// Where it lies.
    pub rule: BoxRule,
}

/// Where a box lies.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum BoxRule {
    /// Tight round each frame's solid pixels.
    Auto,
    /// One for all frames of a clip, round most of their solid pixels.
    AutoClip,
    /// Here, in every frame.
    Given(SignedRect),
    /// So large, with the pivot in its middle.
    Centered(Size),
}

impl fmt::Display for BoxSpec {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.rule {
            BoxRule::Auto => write!(f, "{}=auto", self.name),
            BoxRule::AutoClip => write!(f, "{}=auto:clip", self.name),
            BoxRule::Given(area) => write!(f, "{}={area}", self.name),
            BoxRule::Centered(size) => write!(f, "{}={size}", self.name),
        }
    }
}

/// How much of a clip's solid pixels its box covers.
#[derive(Clone, Debug, PartialEq)]
pub struct Coverage {
    /// The first frame of the clip.
    pub frame: usize,
    /// The box.
    pub area: SignedRect,
    /// The share, 0 to 1.
    pub share: f64,
}

/// Sets one box of every frame. `share` is how much of a clip's solid pixels `auto:clip` must cover, 0 to 1. A frame
/// without a solid pixel gets no `auto` box.
pub fn set_box(set: FrameSet, spec: &BoxSpec, share: f64) -> Result<(FrameSet, Vec<Coverage>), SetError> {
    let (areas, coverage) = match spec.rule {
        BoxRule::Given(area) => (vec![Some(area); set.frames().len()], Vec::new()),
        BoxRule::Centered(size) => {
            (set.frames().iter().map(|frame| Some(centered(frame, size))).collect(), Vec::new())
        }
        BoxRule::Auto => (
            set.frames().iter().map(|frame| solid_content(frame).map(SignedRect::from)).collect(),
            Vec::new(),
        ),
        BoxRule::AutoClip => of_clips(&set, share),
    };
    let set = set.map_frames(|at, frame| {
        let mut annotations = frame.annotations().clone();
        match areas[at] {
            Some(area) => annotations.boxes.insert(spec.name.clone(), area),
            None => annotations.boxes.remove(&spec.name),
        };
        Ok::<_, SetError>(frame.with_annotations(annotations))
    })?;
    Ok((set, coverage))
}

/// A box round the pivot, on whole pixels: what does not divide is on the right and below.
fn centered(frame: &Frame, size: Size) -> SignedRect {
    let start = |at: f64, length: u32| (at - f64::from(length) / 2.0).floor() as i32;
    let (x, y) = (start(frame.pivot().x, size.width), start(frame.pivot().y, size.height));
    SignedRect { x, y, width: size.width, height: size.height }
}

fn of_clips(set: &FrameSet, share: f64) -> (Vec<Option<SignedRect>>, Vec<Coverage>) {
    let mut areas = vec![None; set.frames().len()];
    let mut coverage = Vec::new();
    for group in frames_by_clip(set) {
        let frames: Vec<&Frame> = group.iter().map(|&at| &set.frames()[at]).collect();
        let Some((rect, share)) = CoverageHistogram::of(&frames).and_then(|heap| heap.shrink_to_share(share))
        else {
            continue;
        };
        let area = SignedRect::from(rect);
        coverage.push(Coverage { frame: group[0], area, share });
        group.into_iter().for_each(|at| areas[at] = Some(area));
    }
    (areas, coverage)
}

/// How many frames are solid at each pixel of the canvas.
struct CoverageHistogram {
    around: Rect,
    counts: Vec<u64>,
}

impl CoverageHistogram {
    fn of(frames: &[&Frame]) -> Option<Self> {
        let boxes = frames.iter().filter_map(|frame| solid_content(frame));
        let around = boxes.reduce(Rect::union)?;
        let mut counts = vec![0; around.size().area() as usize];
        for frame in frames {
            let (inset, least) = (frame.inset(), solid_above(frame));
            for (y, row) in (inset.y..).zip(frame.pixels().rows()) {
                for (x, pixel) in (inset.x..).zip(row.chunks_exact(4)) {
                    if pixel[3] > least {
                        counts[((y - around.y) * around.width + x - around.x) as usize] += 1;
                    }
                }
            }
        }
        Some(Self { around, counts })
    }

    fn sum(&self, rect: Rect) -> u64 {
        let row = |y: u32| {
            let start = (y * self.around.width + rect.x) as usize;
            self.counts[start..start + rect.width as usize].iter().sum::<u64>()
        };
        (rect.y..rect.y + rect.height).map(row).sum()
    }

    /// The box that is left when lines of few pixels are taken off its sides, one by one, while it still covers the
    /// share; and what it covers.
    fn shrink_to_share(&self, share: f64) -> Option<(Rect, f64)> {
        let all = self.counts.iter().sum::<u64>();
        let least = (all as f64 * share).ceil() as u64;
        let mut rect = Rect::of(self.around.size());
        let mut covered = all;
        loop {
            let Rect { x, y, width, height } = rect;
            let sides = [
                (Rect::new(x, y, 1, height), Rect::new(x + 1, y, width - 1, height)),
                (Rect::new(x + width - 1, y, 1, height), Rect::new(x, y, width - 1, height)),
                (Rect::new(x, y, width, 1), Rect::new(x, y + 1, width, height - 1)),
                (Rect::new(x, y + height - 1, width, 1), Rect::new(x, y, width, height - 1)),
            ];
            // A long side with few pixels is the emptiest.
            let lost = |side: &Rect| self.sum(*side) as f64 / side.size().area() as f64;
            let emptiest = sides
                .into_iter()
                .filter(|(side, rest)| !rest.is_empty() && covered - self.sum(*side) >= least)
                .min_by(|a, b| lost(&a.0).total_cmp(&lost(&b.0)));
            let Some((side, rest)) = emptiest else { break };
            covered -= self.sum(side);
            rect = rest;
        }
        let moved = Rect { x: rect.x + self.around.x, y: rect.y + self.around.y, ..rect };
        (all > 0).then(|| (moved, covered as f64 / all as f64))
    }
}
