//! The point of each canvas that stays put in the game.
//!
//! Named places and fractions are of the canvas; `feet` is measured on the drawing: the middle of its
//! lowest solid pixels. Measured once a sprite by default, so that a leap still leaves the ground.
//! Never moves a pixel.

use std::fmt;
use std::str::FromStr;

use crate::groups::by_clip;
use crate::shape::points::feet;
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

const PLACES: [(&str, f64, f64); 9] = [
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

/// Why a text is not a pivot.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "'{0}' is not a pivot; write feet, center, bottom, top-left and so on, fractions of the canvas such as 0.5,1, pixels such as 16px,30px, or mark:COLOR"
)]
pub struct PivotError(String);

impl FromStr for Anchor {
    type Err = PivotError;

    fn from_str(text: &str) -> Result<Self, PivotError> {
        let wrong = || PivotError(text.to_owned());
        let text = text.trim();
        if text == "feet" {
            return Ok(Anchor::Feet);
        }
        if let Some(color) = text.strip_prefix("mark:") {
            return color.parse().map(Anchor::Mark).map_err(|_| wrong());
        }
        if let Some(&(_, x, y)) = PLACES.iter().find(|(name, ..)| *name == text) {
            return Ok(Anchor::Fraction(Point::new(x, y)));
        }
        let (x, y) = text.split_once(',').ok_or_else(wrong)?;
        let number = |part: &str| part.parse::<f64>().ok().filter(|n| n.abs() <= 1e6).ok_or_else(wrong);
        match (x.trim().strip_suffix("px"), y.trim().strip_suffix("px")) {
            (Some(x), Some(y)) => Ok(Anchor::Pixels(Point::new(number(x)?, number(y)?))),
            (None, None) => Ok(Anchor::Fraction(Point::new(number(x.trim())?, number(y.trim())?))),
            _ => Err(wrong()),
        }
    }
}

impl fmt::Display for Anchor {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Anchor::Feet => f.write_str("feet"),
            Anchor::Pixels(at) => write!(f, "{}px,{}px", at.x, at.y),
            Anchor::Mark(color) => write!(f, "mark:{color}"),
            Anchor::Fraction(at) => match PLACES.iter().find(|(_, x, y)| (*x, *y) == (at.x, at.y)) {
                Some((name, ..)) => f.write_str(name),
                None => write!(f, "{},{}", at.x, at.y),
            },
        }
    }
}

/// What shares one measured pivot. Places and fractions need no measuring, so it says nothing there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum PivotPer {
    /// Each frame its own.
    Frame,
    /// The frames of a clip; a frame of several clips follows the first.
    Clip,
    /// The frames of a sprite.
    #[default]
    Set,
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
        PivotPer::Clip => by_clip(set),
        PivotPer::Set => set.sprites().into_iter().map(|sprite| set.frames_of(sprite).to_vec()).collect(),
    };
    let mut points: Vec<Point> = set.frames().iter().map(bottom_middle).collect();
    for group in groups {
        let found: Vec<Point> = group.iter().filter_map(|&at| feet(&set.frames()[at])).collect();
        if let Some(shared) = shared_feet(&found) {
            for at in group {
                points[at] = shared;
            }
        }
    }
    points
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
            Frame::new(Name::new("frog").unwrap(), name, Pixels::whole(image)).unwrap()
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
            assert_eq!(pivots(one(), text, PivotPer::Set), [wanted], "{text}");
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
        assert_eq!(pivots(leap(), "feet", PivotPer::Set), [(3.0, 8.0); 4]);
        let each = pivots(leap(), "feet", PivotPer::Frame);
        assert_eq!(each, [(3.0, 8.0), (3.0, 5.0), (4.0, 8.0), (4.0, 8.0)]);
        let clips = with_clips(leap(), &["up = 1"]);
        assert_eq!(pivots(clips, "feet", PivotPer::Clip), [(4.0, 8.0), (3.0, 5.0), (4.0, 8.0), (4.0, 8.0)]);
    }

    #[test]
    fn feet_are_where_they_were_before_trimming() {
        let set = || drawn(&[&[(2, 1), (5, 6), (6, 6)]]);
        let trimmed = trim(set(), Trim { scope: TrimScope::Frame, ..Trim::default() }).unwrap();
        assert_eq!(pivots(trimmed, "feet", PivotPer::Set), pivots(set(), "feet", PivotPer::Set));
    }
}
