//! The point of each canvas that stays put in the game.
//!
//! Named places and fractions are of the canvas; `feet` is measured on the drawing: the middle of its
//! lowest solid pixels. Measured once a sprite by default, so that a leap still leaves the ground. Once a clip it is a point of
//! the registered figure: its middle, on the clip's ground line. A foot that is lifted does not move it, and where the figure
//! jumps off its path, it goes along.
//! Never moves a pixel.

use std::fmt;

use crate::clip::Clip;
use crate::groups::frames_by_clip;
use crate::register::{MIN_AGREEMENT, middle_across, path, register};
use crate::shape::points::{feet, mass};
use crate::{Color, Frame, FrameSet, Point, SetError};

/// Where the pivot goes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Anchor {
    /// The middle of the lowest solid pixels.
    Feet,
    /// Fractions of the canvas from its top left; `0.5, 1` is the middle of the bottom edge.
    Fraction(Point),
    /// Pixels from the canvas's top left.
    Pixels(Point),
    /// A registration mark of this color. [`take_marks`](crate::shape::take_marks) finds it, before anything moves.
    Mark(Color),
}

pub(crate) const NAMED_ANCHORS: [(&str, f64, f64); 9] = [
    ("center", 0.5, 0.5),
    ("top", 0.5, 0.0),
    ("bottom", 0.5, 1.0),
    ("left", 0.0, 0.5),
    ("right", 1.0, 0.5),
    ("top-left", 0.0, 0.0),
    ("top-right", 1.0, 0.0),
    ("bottom-left", 0.0, 1.0),
    ("bottom-right", 1.0, 1.0),
];

impl fmt::Display for Anchor {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Anchor::Feet => f.write_str("feet"),
            Anchor::Pixels(at) => write!(f, "{}px,{}px", at.x, at.y),
            Anchor::Mark(color) => write!(f, "mark:{color}"),
            Anchor::Fraction(at) => match NAMED_ANCHORS.iter().find(|(_, x, y)| (*x, *y) == (at.x, at.y)) {
                Some((name, ..)) => f.write_str(name),
                None => write!(f, "{},{}", at.x, at.y),
            },
        }
    }
}

/// A figure that stands elsewhere takes along at least so much of its way what else is drawn.
const WITH_FIGURE: f64 = 0.4;

/// What shares one measured pivot. Places and fractions need no measuring, so it says nothing there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum PivotPer {
    /// Each frame has its own
    Frame,
    /// The frames of a clip share one
    Clip,
    /// The frames of a sprite share one
    #[default]
    Sprite,
}

/// Sets the pivot of every frame. A mark must have been taken before ([`take_marks`](crate::shape::take_marks)); frames
/// without one keep their pivot.
pub fn set_pivot(set: FrameSet, anchor: Anchor, per: PivotPer) -> Result<FrameSet, SetError> {
    match anchor {
        Anchor::Mark(color) => set.map_frames(|_, frame| {
            let mark = frame.annotations().mark(color);
            Ok(match mark {
                Some(point) => frame.with_pivot(point),
                None => frame,
            })
        }),
        Anchor::Pixels(point) => set.map_frames(|_, frame| Ok(frame.with_pivot(point))),
        Anchor::Fraction(part) => set.map_frames(|_, frame| {
            let (width, height) = (f64::from(frame.canvas().width), f64::from(frame.canvas().height));
            Ok(frame.with_pivot(Point::new(part.x * width, part.y * height)))
        }),
        Anchor::Feet => {
            let points = feet_of_all(&set, per);
            set.map_frames(|at, frame| Ok(frame.with_pivot(points[at])))
        }
    }
}

fn feet_of_all(set: &FrameSet, per: PivotPer) -> Vec<Point> {
    let groups: Vec<Vec<usize>> = match per {
        PivotPer::Frame => (0..set.frames().len()).map(|at| vec![at]).collect(),
        PivotPer::Clip => frames_by_clip(set),
        PivotPer::Sprite => set.sprites().into_iter().map(|sprite| set.frames_of(sprite).to_vec()).collect(),
    };
    let clip_of = |number: usize| match per {
        PivotPer::Clip => set.clips().get(number),
        PivotPer::Frame | PivotPer::Sprite => None,
    };
    let mut points: Vec<Point> = set.frames().iter().map(bottom_middle).collect();
    for (number, group) in groups.iter().enumerate() {
        let frames: Vec<&Frame> = group.iter().map(|&at| &set.frames()[at]).collect();
        if let Some(stands) = clip_of(number).and_then(|clip| registered_feet(&frames, clip)) {
            group.iter().zip(stands).for_each(|(&at, stand)| points[at] = stand);
            continue;
        }
        let found: Vec<Point> = frames.iter().filter_map(|frame| feet(frame)).collect();
        if let Some(shared) = shared_feet(&found) {
            group.iter().for_each(|&at| points[at] = shared);
        }
    }
    points
}

/// The middle of the registered figure on the ground of its clip, frame by frame; `None` where nothing in the clip holds still.
fn registered_feet(frames: &[&Frame], clip: &Clip) -> Option<Vec<Point>> {
    if frames.len() < 3 {
        return None;
    }
    let places = register(frames, &[(0..frames.len()).collect()], None);
    if path::median(places.iter().flatten().map(|place| place.agreement).collect()) < MIN_AGREEMENT {
        return None;
    }
    let middle = middle_across(frames, &places)?;
    let side = frames.iter().map(|frame| frame.canvas().width.max(frame.canvas().height)).max()?;
    let along = |axis: fn((i64, i64)) -> i64| -> Vec<Option<f64>> {
        places.iter().map(|place| place.map(|place| -axis(place.offset) as f64)).collect()
    };
    let limit = path::default_limit(side);
    let (across, down) = (along(|(x, _)| x), along(|(_, y)| y));
    let masses: Vec<Option<f64>> = frames.iter().map(|frame| Some(mass(frame)?.x)).collect();
    let soles: Vec<Option<f64>> = frames.iter().map(|frame| Some(feet(frame)?.y)).collect();
    let right = confirm_displacements(displacements(&across, clip.loops(), limit), &masses);
    let below = confirm_displacements(displacements(&down, clip.loops(), limit), &soles);
    let on_path = across.iter().zip(&right).filter_map(|(across, right)| Some((*across)? - right));
    let x = middle + path::median(on_path.collect());
    let soles = soles.iter().zip(&below).filter_map(|(sole, below)| Some((*sole)? - below));
    let ground = soles.fold(f64::MIN, f64::max);
    Some(right.iter().zip(&below).map(|(right, below)| Point::new(x + right, ground + below)).collect())
}

/// Keeps a displacement only where the drawing itself (center of mass or feet) moved with it, so bending or turning
/// does not count as a jump.
fn confirm_displacements(away: Vec<f64>, seen: &[Option<f64>]) -> Vec<f64> {
    let usual = path::median(seen.iter().flatten().copied().collect());
    let goes_along = |away: f64, seen: f64| (seen - usual) * away.signum() >= WITH_FIGURE * away.abs();
    away.into_iter()
        .zip(seen)
        .map(|(away, seen)| if seen.is_some_and(|seen| goes_along(away, seen)) { away } else { 0.0 })
        .collect()
}

/// Displacement from the path of the neighbors, or from the median position if the clip jitters.
fn displacements(values: &[Option<f64>], loops: bool, limit: f64) -> Vec<f64> {
    if path::jitter(values, loops, path::JITTER_FACTOR * limit).is_some() {
        let usual = path::median(values.iter().flatten().copied().collect());
        return values.iter().map(|value| value.map_or(0.0, |value| value - usual)).collect();
    }
    let far = |off: f64| if off.abs() > limit { off } else { 0.0 };
    path::path_deviations(values, loops).into_iter().map(far).collect()
}

/// The median across, so that one wide stride does not pull the pivot aside, and the lowest down:
/// that is the ground.
fn shared_feet(found: &[Point]) -> Option<Point> {
    let mut xs: Vec<f64> = found.iter().map(|point| point.x).collect();
    xs.sort_by(f64::total_cmp);
    let x = *xs.get(xs.len() / 2)?;
    let y = found.iter().map(|point| point.y).fold(f64::MIN, f64::max);
    Some(Point::new(x, y))
}

fn bottom_middle(frame: &Frame) -> Point {
    Point::new(f64::from(frame.canvas().width) / 2.0, f64::from(frame.canvas().height))
}

#[cfg(test)]
mod tests {
    use image::{Rgba, RgbaImage};

    use super::*;
    use crate::set::tests::with_clips;
    use crate::shape::{Trim, TrimScope, trim};
    use crate::{Name, Pixels};

    /// Frames of 8x8 with solid pixels at the given places.
    fn drawn(frames: &[&[(u32, u32)]]) -> FrameSet {
        let frame = |(at, dots): (usize, &&[(u32, u32)])| {
            let mut image = RgbaImage::new(8, 8);
            for &(x, y) in *dots {
                image.put_pixel(x, y, Rgba([9, 9, 9, 255]));
            }
            let name = Name::new(at.to_string()).unwrap();
            Frame::new(Name::new("frog").unwrap(), name, Pixels::from_image(image)).unwrap()
        };
        FrameSet::new(frames.iter().enumerate().map(frame).collect(), Vec::new()).unwrap()
    }

    fn pivots(set: FrameSet, anchor: &str, per: PivotPer) -> Vec<(f64, f64)> {
        let set = set_pivot(set, anchor.parse().unwrap(), per).unwrap();
        set.frames().iter().map(|frame| (frame.pivot().x, frame.pivot().y)).collect()
    }

    #[test]
    fn named_places_fractions_and_pixels() {
        let one = || drawn(&[&[(0, 0)]]);
        for (text, wanted) in [
            ("center", (4.0, 4.0)),
            ("bottom", (4.0, 8.0)),
            ("top-right", (8.0, 0.0)),
            ("0.25,1", (2.0, 8.0)),
            ("3px,9.5px", (3.0, 9.5)),
            ("-1px,0px", (-1.0, 0.0)),
        ] {
            assert_eq!(pivots(one(), text, PivotPer::Sprite), [wanted], "{text}");
            assert_eq!(text.parse::<Anchor>().unwrap().to_string(), text);
        }
        for wrong in ["middle", "1", "1px,2", "nan,1", "1,inf", ""] {
            assert!(wrong.parse::<Anchor>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn feet_stay_on_the_ground_while_the_figure_leaps() {
        // Stands, flies, is gone, lands one pixel to the right.
        let leap = || drawn(&[&[(2, 7), (3, 7), (3, 2)], &[(2, 4), (3, 4)], &[], &[(3, 7), (4, 7)]]);
        assert_eq!(pivots(leap(), "feet", PivotPer::Sprite), [(3.0, 8.0); 4]);
        let each = pivots(leap(), "feet", PivotPer::Frame);
        assert_eq!(each, [(3.0, 8.0), (3.0, 5.0), (4.0, 8.0), (4.0, 8.0)]);
        let clips = with_clips(leap(), &["up = 1"]);
        assert_eq!(pivots(clips, "feet", PivotPer::Clip), [(4.0, 8.0), (3.0, 5.0), (4.0, 8.0), (4.0, 8.0)]);
    }

    /// A body with a mark on it, standing on two feet one of which may be lifted, moved to the right and down.
    fn walker(lifted: Option<bool>, (right, down): (u32, u32)) -> Frame {
        let mut image = RgbaImage::new(48, 48);
        let mut fill = |x: u32, y: u32, width: u32, height: u32, color: [u8; 4]| {
            let places = (y..y + height).flat_map(|y| (x..x + width).map(move |x| (x, y)));
            places.for_each(|(x, y)| image.put_pixel(x + right, y + down, Rgba(color)));
        };
        fill(12, 8, 12, 20, [90, 140, 200, 255]);
        fill(14, 12, 3, 3, [250, 240, 90, 255]);
        for (x, is_right) in [(12, false), (20, true)] {
            let length = if lifted == Some(is_right) { 4 } else { 8 };
            fill(x, 28, 4, length, [60, 50, 90, 255]);
        }
        let name = Name::new(format!("{lifted:?}-{right}-{down}-{}", usize::from(lifted.is_none()))).unwrap();
        Frame::new(Name::new("frog").unwrap(), name, Pixels::from_image(image)).unwrap()
    }

    fn walk(steps: &[(Option<bool>, (u32, u32))]) -> FrameSet {
        let frame = |(at, &(lifted, moved)): (usize, &(Option<bool>, (u32, u32)))| {
            walker(lifted, moved).with_name(Name::new(at.to_string()).unwrap())
        };
        let frames = steps.iter().enumerate().map(frame).collect();
        with_clips(FrameSet::new(frames, Vec::new()).unwrap(), &[&format!("walk = 0-{}", steps.len() - 1)])
    }

    #[test]
    fn a_lifted_foot_moves_no_pivot_of_a_clip() {
        let steps = [None, Some(true), None, Some(false), None, Some(true)].map(|lifted| (lifted, (6, 4)));
        assert_eq!(pivots(walk(&steps), "feet", PivotPer::Clip), [(24.0, 40.0); 6]);
        assert_ne!(pivots(walk(&steps), "feet", PivotPer::Frame)[1].0, 24.0);
    }

    #[test]
    fn a_clips_pivot_goes_along_where_the_figure_jumps_and_not_where_it_leaps() {
        let strewn = [(6, 4), (15, 2), (3, 9), (12, 0), (1, 8), (18, 5)];
        let feet = strewn.map(|(x, y)| (f64::from(18 + x), f64::from(36 + y)));
        assert_eq!(pivots(walk(&strewn.map(|at| (None, at))), "feet", PivotPer::Clip), feet);
        let leap = [12, 7, 4, 4, 7, 12].map(|y| (None, (6, y)));
        assert_eq!(pivots(walk(&leap), "feet", PivotPer::Clip), [(24.0, 48.0); 6]);
        let one_off = [0, 0, 11, 0, 0].map(|x| (None, (x, 4)));
        let wanted = [18.0, 18.0, 29.0, 18.0, 18.0].map(|x| (x, 40.0));
        assert_eq!(pivots(walk(&one_off), "feet", PivotPer::Clip), wanted);
    }

    #[test]
    fn a_figure_that_stretches_with_its_feet_on_the_ground_stands_where_it_stood() {
        // The body is 8 px higher in one frame, on legs that are longer by as much.
        let mut stretched = walker(None, (6, 0)).pixels().to_image();
        for (x, y) in
            (36..44).flat_map(|y| (12..24).map(move |x| (x, y))).filter(|(x, _)| x % 8 > 3 || *x >= 20)
        {
            stretched.put_pixel(x + 6, y, Rgba([60, 50, 90, 255]));
        }
        let set = walk(&[(None, (6, 8)); 5]);
        let set = set.map_frames(|at, frame| {
            let pixels = if at == 2 { Pixels::from_image(stretched.clone()) } else { frame.pixels().clone() };
            Ok::<_, SetError>(frame.with_pixels(pixels, crate::UVec2::default()).unwrap())
        });
        assert_eq!(pivots(set.unwrap(), "feet", PivotPer::Clip), [(24.0, 44.0); 5]);
    }

    #[test]
    fn feet_are_where_they_were_before_trimming() {
        let set = || drawn(&[&[(2, 1), (5, 6), (6, 6)]]);
        let trimmed = trim(set(), Trim { scope: TrimScope::Frame, ..Trim::default() }).unwrap();
        assert_eq!(pivots(trimmed, "feet", PivotPer::Sprite), pivots(set(), "feet", PivotPer::Sprite));
    }
}
