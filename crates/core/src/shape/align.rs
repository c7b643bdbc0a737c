//! Moving drawings inside their canvas, so that one point of them holds still through a clip.
//!
//! Whole pixels only; the canvas grows where it must and nothing is ever cut. The first frame of a clip stays where it
//! is. Clips that share frames are lined up together.
//!
//! [`AlignTo::Match`] registers the whole clip: the figure holds still, whatever else of it moves. With a region it finds the shift under
//! which that looks most like the same region of a reference frame, by normalized cross-correlation (J. P. Lewis, "Fast normalized
//! cross-correlation", 1995) over color and alpha, first on a sample of pixels for every shift, then on all pixels for the best of them.

use std::collections::HashMap;
use std::fmt;

use crate::parallel;
use crate::register::{Registration, register};
use crate::shape::points::{center, feet, mass};
use crate::shape::shift::shift_drawings;
use crate::shape::trim::{TrimScope, groups};
use crate::{Color, Frame, FrameSet, Pixels, Point, Rect, SetError, Size, UVec2};

/// A match is good from this correlation; 1 is the same picture.
pub(crate) const GOOD_MATCH: f64 = 0.8;
/// A figure is found where this share of it agrees with the other frames, and that is worth a second look below the other.
const AGREES: f64 = 0.02;
const AGREES_WELL: f64 = 0.12;
/// Pixels compared for every shift, with and without something drawn.
const SAMPLE: usize = 160;
/// Shifts compared in full.
const FINALISTS: usize = 12;
/// The farthest shift looked for where nothing is said.
const FARTHEST: u32 = 64;

/// What holds still.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AlignTo {
    /// The middle of the lowest solid pixels.
    Feet,
    /// The middle of the box round the solid pixels.
    Center,
    /// The center of mass.
    Mass,
    /// What stays the same of the figure, or of a region.
    Match,
    /// A registration mark of this color, which is erased.
    Mark(Color),
}

impl AlignTo {
    /// The axes along which drawings are moved unless something else is asked for. Feet keep to the ground, and swing.
    pub fn usual_axis(self) -> AlignAxis {
        if self == Self::Feet { AlignAxis::Y } else { AlignAxis::Both }
    }
}

impl fmt::Display for AlignTo {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Feet => f.write_str("feet"),
            Self::Center => f.write_str("center"),
            Self::Mass => f.write_str("mass"),
            Self::Match => f.write_str("match"),
            Self::Mark(color) => write!(f, "mark:{color}"),
        }
    }
}

/// Which frame a region is compared with.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum MatchWith {
    /// The first frame of the clip
    #[default]
    First,
    /// The previous frame, for features that change slowly
    Previous,
}

/// The directions in which frames are moved.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum AlignAxis {
    /// Left and right only
    X,
    /// Up and down only
    Y,
    /// Both
    #[default]
    Both,
}

/// What is lined up with each other.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum AlignPer {
    /// The frames of each clip
    #[default]
    Clip,
    /// All clips of a sprite together, by the first one
    Sprite,
}

/// How frames are lined up.
#[derive(Clone, Copy, Debug)]
pub struct AlignOptions {
    /// What holds still.
    pub to: AlignTo,
    /// The part of the first frame's canvas to match; the figure is found where there is none.
    pub region: Option<Rect>,
    /// What a region is compared with.
    pub with: MatchWith,
    /// The farthest shift looked for, in pixels. Where nothing is said, any at which figures overlap, and for a region half of the canvas,
    /// up to 64.
    pub reach: Option<u32>,
    /// The directions in which frames are moved.
    pub axis: AlignAxis,
    /// What is lined up with each other.
    pub per: AlignPer,
}

impl Default for AlignOptions {
    /// Each clip by its figure.
    fn default() -> Self {
        Self::to(AlignTo::Match)
    }
}

impl AlignOptions {
    /// Lines up each clip in all directions, whatever it takes.
    pub fn to(to: AlignTo) -> Self {
        let (with, axis, per) = (MatchWith::First, AlignAxis::Both, AlignPer::Clip);
        Self { to, region: None, with, reach: None, axis, per }
    }
}

/// How one frame was moved.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Shift {
    /// Pixels to the right.
    pub x: i64,
    /// Pixels down.
    pub y: i64,
    /// How well the region matched, up to 1, or the share of the figure that agrees with the other frames.
    pub likeness: Option<f64>,
    /// Whether there was anything to go by.
    pub is_known: bool,
    /// Whether figure or region were looked for and not found: the frame was left where it is.
    pub is_lost: bool,
}

impl Shift {
    /// A shift that a person asked for.
    pub fn by_hand(x: i64, y: i64) -> Self {
        Self { x, y, ..Self::STAYS }
    }

    /// This, and then another.
    pub fn and(self, then: Self) -> Self {
        Self { x: self.x + then.x, y: self.y + then.y, ..self }
    }

    const UNKNOWN: Self = Self { x: 0, y: 0, likeness: None, is_known: false, is_lost: false };
    const STAYS: Self = Self { is_known: true, ..Self::UNKNOWN };

    /// Whether so little of the figure agrees with the other frames that a person should look: a flash, a turn, another drawing.
    pub fn is_doubtful(&self) -> bool {
        !self.is_lost && self.likeness.is_some_and(|likeness| likeness < AGREES_WELL)
    }

    /// What was found, if it is good enough.
    fn found(x: i64, y: i64, likeness: f64, least: f64) -> Self {
        let is_lost = likeness < least;
        let (x, y) = if is_lost { (0, 0) } else { (x, y) };
        Self { x, y, likeness: Some(likeness), is_known: true, is_lost }
    }

    fn restrict_to(self, axis: AlignAxis) -> Self {
        match axis {
            AlignAxis::X => Self { y: 0, ..self },
            AlignAxis::Y => Self { x: 0, ..self },
            AlignAxis::Both => self,
        }
    }
}

/// How far each was moved.
fn offsets(shifts: &[Shift]) -> Vec<(i64, i64)> {
    shifts.iter().map(|shift| (shift.x, shift.y)).collect()
}

/// Why frames can't be lined up.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum AlignError {
    /// The region is not on the canvas.
    #[error("the region {region} extends beyond the canvas of {canvas} px (frame '{frame}')")]
    RegionOutside {
        /// The region.
        region: Rect,
        /// The canvas.
        canvas: Size,
        /// The frame it was to be taken from.
        frame: crate::Name,
    },
    /// Nothing is drawn in the region.
    #[error("the region {region} of frame '{frame}' is a single color, so it matches everywhere")]
    RegionPlain {
        /// The region.
        region: Rect,
        /// The frame.
        frame: crate::Name,
    },
    /// Names clash; they do not change here.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// Moves every frame's drawing so that the point holds still, and says how each was moved. A mark must have been taken
/// before ([`take_marks`](crate::shape::take_marks)).
///
/// # Errors
/// If the region to match is no use.
pub fn align(set: FrameSet, options: &AlignOptions) -> Result<(FrameSet, Vec<Shift>), AlignError> {
    let find = |frame: &Frame| match options.to {
        AlignTo::Feet => feet(frame),
        AlignTo::Center => center(frame),
        AlignTo::Mass => mass(frame),
        AlignTo::Mark(color) => frame.annotations().mark(color),
        AlignTo::Match => None,
    };
    let mut shifts = match (options.to, options.region) {
        (AlignTo::Match, None) => by_figure(&set, options),
        (AlignTo::Match, Some(region)) => by_region(&set, region, options)?,
        _ => by_points(&set, &parallel::map_slice(set.frames(), find), options.per),
    };
    shifts.iter_mut().for_each(|shift| *shift = shift.restrict_to(options.axis));
    Ok((shift_drawings(set, &offsets(&shifts))?, shifts))
}

/// Shifts that put every frame's point where the first frame that is lined up with it has it. Frames without a point stay.
fn by_points(set: &FrameSet, points: &[Option<Point>], per: AlignPer) -> Vec<Shift> {
    let mut shifts = vec![Shift::UNKNOWN; points.len()];
    for group in align_groups(set, per) {
        let group = group.concat();
        let Some(goal) = group.iter().find_map(|&at| points[at]) else { continue };
        for at in group {
            if let Some(point) = points[at] {
                let whole = |distance: f64| (distance + 0.5).floor() as i64;
                shifts[at] = Shift { x: whole(goal.x - point.x), y: whole(goal.y - point.y), ..Shift::STAYS };
            }
        }
    }
    shifts
}

/// Shifts that hold the figure still.
fn by_figure(set: &FrameSet, options: &AlignOptions) -> Vec<Shift> {
    let mut shifts = vec![Shift::UNKNOWN; set.frames().len()];
    for clips in align_groups(set, options.per) {
        let members = clips.concat();
        let frames: Vec<&Frame> = members.iter().map(|&at| &set.frames()[at]).collect();
        let mut start = 0;
        let numbered = |clip: &Vec<usize>| {
            start += clip.len();
            (start - clip.len()..start).collect()
        };
        let groups: Vec<Vec<usize>> = clips.iter().map(numbered).collect();
        for (at, place) in members.iter().zip(register(&frames, &groups, options.reach)) {
            if let Some(Registration { offset: (x, y), agreement }) = place {
                shifts[*at] = Shift::found(x, y, agreement, AGREES);
            }
        }
    }
    shifts
}

/// What is lined up with each other: clips that share frames are one, and those of a sprite if it is so wanted.
fn align_groups(set: &FrameSet, per: AlignPer) -> Vec<Vec<Vec<usize>>> {
    let clips = clip_groups(set);
    match per {
        AlignPer::Clip => clips.into_iter().map(|clip| vec![clip]).collect(),
        AlignPer::Sprite => {
            let mut sprites: Vec<Vec<Vec<usize>>> = vec![Vec::new(); set.sprites().len()];
            clips.into_iter().for_each(|clip| sprites[set.index().sprite_of(clip[0])].push(clip));
            sprites
        }
    }
}

/// Frames of clips that share any, each frame once; what is in no clip, by sprite.
fn clip_groups(set: &FrameSet) -> Vec<Vec<usize>> {
    let first = groups(set, TrimScope::Clip);
    let index = set.index();
    let mut found: Vec<Vec<usize>> = Vec::new();
    let mut known: HashMap<(Option<usize>, usize), usize> = HashMap::new();
    let mut group_of = Vec::with_capacity(first.len());
    for (at, &root) in first.iter().enumerate() {
        let root = index.first_clip_of(at).map(|_| root);
        let group = *known.entry((root, index.sprite_of(at))).or_insert_with(|| {
            found.push(Vec::new());
            found.len() - 1
        });
        found[group].push(at);
        group_of.push(group);
    }
    // The first frame is the one that a clip shows first, not the one that comes first in the set.
    let mut has_lead = vec![false; found.len()];
    for start in set.clips().iter().map(|clip| clip.steps()[0].frame) {
        let group = group_of[start];
        if !std::mem::replace(&mut has_lead[group], true)
            && let Some(place) = found[group].iter().position(|&at| at == start)
        {
            found[group][..=place].rotate_right(1);
        }
    }
    found
}

/// Shifts that hold a region still.
fn by_region(set: &FrameSet, region: Rect, options: &AlignOptions) -> Result<Vec<Shift>, AlignError> {
    let mut shifts = vec![Shift::UNKNOWN; set.frames().len()];
    for group in align_groups(set, options.per) {
        let shown = group.concat().into_iter().filter(|&at| !set.frames()[at].is_blank());
        let shown: Vec<usize> = shown.collect();
        let Some((&first, others)) = shown.split_first() else { continue };
        shifts[first] = Shift::STAYS;
        let frame = &set.frames()[first];
        if !region.lies_in(Rect::of(frame.canvas())) || region.is_empty() {
            let (canvas, frame) = (frame.canvas(), frame.name().clone());
            return Err(AlignError::RegionOutside { region, canvas, frame });
        }
        let template = |at: usize, shift: Shift| Template::of(&set.frames()[at], region, shift);
        let start = template(first, Shift::STAYS)
            .ok_or_else(|| AlignError::RegionPlain { region, frame: frame.name().clone() })?;
        match options.with {
            MatchWith::First => {
                let found: Vec<Shift> =
                    parallel::map_slice(others, |&at| start.best(&set.frames()[at], options.reach));
                others.iter().zip(found).for_each(|(&at, shift)| shifts[at] = shift);
            }
            MatchWith::Previous => {
                let mut before = start;
                for &at in others {
                    shifts[at] = before.best(&set.frames()[at], options.reach);
                    if !shifts[at].is_lost {
                        before = template(at, shifts[at]).unwrap_or(before);
                    }
                }
            }
        }
    }
    Ok(shifts)
}

/// A region to be found again: its pixels, with where they are on the canvas.
struct Template {
    region: Rect,
    pixels: Vec<(i64, i64, [i64; 4])>,
    /// Pixels that stand for all in the first round.
    sample: Vec<(i64, i64, [i64; 4])>,
}

impl Template {
    /// What a frame, moved by `shift`, shows in a region; `None` where that is all the same.
    fn of(frame: &Frame, region: Rect, shift: Shift) -> Option<Self> {
        let canvas = Canvas::of(frame);
        let columns = i64::from(region.x)..region.right() as i64;
        let rows = i64::from(region.y)..region.bottom() as i64;
        let places = rows.flat_map(|y| columns.clone().map(move |x| (x, y)));
        let pixels: Vec<_> = places.map(|(x, y)| (x, y, canvas.at(x - shift.x, y - shift.y))).collect();
        let is_plain = pixels.windows(2).all(|pair| pair[0].2 == pair[1].2);
        if is_plain {
            return None;
        }
        let (drawn, clear): (Vec<_>, Vec<_>) = pixels.iter().copied().partition(|(.., pixel)| pixel[3] > 0);
        let mut sample = thinned(&drawn);
        sample.extend(thinned(&clear));
        Some(Self { region, pixels, sample })
    }

    /// The shift that brings what a frame shows nearest to this.
    fn best(&self, frame: &Frame, reach: Option<u32>) -> Shift {
        let canvas = Canvas::of(frame);
        let size = frame.canvas();
        let reach = i64::from(reach.unwrap_or((size.width.max(size.height) / 2).min(FARTHEST)));
        let mut found: Vec<(f64, i64, i64)> = Vec::new();
        for (y, x) in (-reach..=reach).flat_map(|y| (-reach..=reach).map(move |x| (y, x))) {
            found.push((correlation(&self.sample, &canvas, x, y), x, y));
        }
        let near_first = |a: &(f64, i64, i64), b: &(f64, i64, i64)| {
            let far = |&(_, x, y): &(f64, i64, i64)| (x.abs() + y.abs(), y, x);
            b.0.total_cmp(&a.0).then_with(|| far(a).cmp(&far(b)))
        };
        found.sort_by(near_first);
        found.truncate(FINALISTS);
        for one in &mut found {
            one.0 = correlation(&self.pixels, &canvas, one.1, one.2);
        }
        found.sort_by(near_first);
        let (likeness, x, y) = found[0];
        debug_assert!(!self.region.is_empty());
        Shift::found(-x, -y, likeness, GOOD_MATCH)
    }
}

/// Evenly some of many.
fn thinned<T: Copy>(all: &[T]) -> Vec<T> {
    let count = all.len().min(SAMPLE);
    (0..count).map(|n| all[n * all.len() / count]).collect()
}

/// A frame's canvas, clear outside; colors multiplied by alpha, so that clear pixels are all alike.
struct Canvas {
    pixels: Pixels,
    inset: UVec2,
}

impl Canvas {
    fn of(frame: &Frame) -> Self {
        Self { pixels: frame.pixels().clone(), inset: frame.inset() }
    }

    fn at(&self, x: i64, y: i64) -> [i64; 4] {
        let place = |at: i64, inset: u32| u32::try_from(at - i64::from(inset)).ok();
        let pixel = place(x, self.inset.x)
            .zip(place(y, self.inset.y))
            .and_then(|(x, y)| self.pixels.get(x, y))
            .map_or([0; 4], |pixel| pixel.0.map(i64::from));
        let [r, g, b, alpha] = pixel;
        [r * alpha / 255, g * alpha / 255, b * alpha / 255, alpha]
    }
}

/// Normalized cross-correlation of pixels with a canvas moved by `x`, `y`; from -1 to 1.
fn correlation(pixels: &[(i64, i64, [i64; 4])], canvas: &Canvas, x: i64, y: i64) -> f64 {
    let (mut a1, mut b1, mut a2, mut b2, mut ab) = (0i64, 0i64, 0i64, 0i64, 0i64);
    for &(px, py, a) in pixels {
        let b = canvas.at(px + x, py + y);
        for channel in 0..4 {
            a1 += a[channel];
            b1 += b[channel];
            a2 += a[channel] * a[channel];
            b2 += b[channel] * b[channel];
            ab += a[channel] * b[channel];
        }
    }
    let count = pixels.len() as f64 * 4.0;
    let covariance = ab as f64 - a1 as f64 * b1 as f64 / count;
    let variance = |sum: i64, squares: i64| squares as f64 - sum as f64 * sum as f64 / count;
    let (a, b) = (variance(a1, a2), variance(b1, b2));
    if a <= 0.0 || b <= 0.0 { 0.0 } else { covariance / (a.sqrt() * b.sqrt()) }
}
