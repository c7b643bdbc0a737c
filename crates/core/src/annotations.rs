//! What a frame carries besides its pixels: boxes, nine-slice insets, a polygon.
//!
//! All of it is measured on the canvas and follows every step that moves, mirrors or scales the drawing.
//! Knows no pixels.

use std::collections::BTreeMap;
use std::fmt;

use crate::{Color, LONGEST, Name, Point, Ratio, Rect, Size};

/// A rectangle that may reach outside the canvas.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct SignedRect {
    /// Pixels from the canvas's left edge to its own; less than 0 outside.
    pub x: i32,
    /// Pixels from the canvas's top edge to its own.
    pub y: i32,
    /// Pixels across; at least 1.
    pub width: u32,
    /// Pixels down; at least 1.
    pub height: u32,
}

impl From<Rect> for SignedRect {
    fn from(rect: Rect) -> Self {
        Self { x: rect.x as i32, y: rect.y as i32, width: rect.width, height: rect.height }
    }
}

impl SignedRect {
    /// The same where it is on the canvas's side of the origin.
    pub fn to_rect(self) -> Option<Rect> {
        let (x, y) = (u32::try_from(self.x).ok()?, u32::try_from(self.y).ok()?);
        Some(Rect::new(x, y, self.width, self.height))
    }
}

impl fmt::Display for SignedRect {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{},{},{},{}", self.x, self.y, self.width, self.height)
    }
}

/// How far the corners of a stretchable panel reach in from each side; what is between stretches.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Insets {
    /// Pixels from the left.
    pub left: u32,
    /// Pixels from the top.
    pub top: u32,
    /// Pixels from the right.
    pub right: u32,
    /// Pixels from the bottom.
    pub bottom: u32,
}

impl Insets {
    /// Whether something is left between the corners of a canvas.
    pub fn fit(self, canvas: Size) -> bool {
        u64::from(self.left) + u64::from(self.right) < u64::from(canvas.width)
            && u64::from(self.top) + u64::from(self.bottom) < u64::from(canvas.height)
    }
}

impl fmt::Display for Insets {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{},{},{},{}", self.left, self.top, self.right, self.bottom)
    }
}

/// Boxes, nine-slice and polygon of one frame.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Annotations {
    /// Named boxes, by name.
    pub boxes: BTreeMap<Name, SignedRect>,
    /// Where a panel stretches.
    pub nine: Option<Insets>,
    /// Corners of a shape that covers the drawing, clockwise; empty where there is none.
    pub polygon: Vec<Point>,
    /// Where registration marks were that have been taken and not used yet. Never written to a file.
    pub marks: Vec<(Color, Point)>,
    /// Where the top left and the bottom right of the cell that the frame was cut from are; none if they are those of the
    /// canvas. A mirrored frame has its left on the right.
    pub cell: Option<[Point; 2]>,
}

/// Which sides of a picture are exchanged.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
#[cfg_attr(feature = "clap", derive(clap::ValueEnum))]
pub enum Mirror {
    /// Flip horizontally
    LeftRight,
    /// Flip vertically
    UpDown,
}

impl Mirror {
    /// A point of a canvas after mirroring.
    pub fn point(self, at: Point, canvas: Size) -> Point {
        match self {
            Self::LeftRight => Point::new(f64::from(canvas.width) - at.x, at.y),
            Self::UpDown => Point::new(at.x, f64::from(canvas.height) - at.y),
        }
    }
}

impl Annotations {
    /// The first part that does not suit a canvas of this size, if any: its name and the problem.
    pub(crate) fn fault(&self, canvas: Size) -> Option<(String, String)> {
        let is_near = |at: i32| at.unsigned_abs() <= LONGEST;
        let is_side = |length: u32| (1..=LONGEST).contains(&length);
        let is_box = |area: &SignedRect| {
            is_near(area.x) && is_near(area.y) && is_side(area.width) && is_side(area.height)
        };
        if let Some((name, area)) = self.boxes.iter().find(|(_, area)| !is_box(area)) {
            let why = format!("is {area}: sides are 1 to {LONGEST} px, at most {LONGEST} px from the origin");
            return Some((format!("the box '{name}'"), why));
        }
        if let Some(nine) = self.nine.filter(|nine| !nine.fit(canvas)) {
            let why = format!("is {nine}, which leaves nothing of {canvas} px to stretch");
            return Some(("the nine-slice".to_owned(), why));
        }
        let corners = self.polygon.len();
        if (1..3).contains(&corners) {
            return Some(("the polygon".to_owned(), format!("has {corners} of at least 3 corners")));
        }
        let corner = self.polygon.iter().find(|corner| !corner.is_near())?;
        Some(("the polygon".to_owned(), format!("has a corner at {corner}, {FAR}", FAR = Point::FAR)))
    }

    /// Where the mark of a color was.
    pub fn mark(&self, color: Color) -> Option<Point> {
        self.marks.iter().find(|(other, _)| *other == color).map(|(_, point)| *point)
    }

    /// All of it moved with the drawing. Nine-slice insets belong to the canvas and stay.
    pub(crate) fn moved(self, x: i64, y: i64) -> Self {
        let area = |area: SignedRect| SignedRect {
            x: (i64::from(area.x) + x) as i32,
            y: (i64::from(area.y) + y) as i32,
            ..area
        };
        let corner = |at: Point| Point::new(at.x + x as f64, at.y + y as f64);
        Self {
            boxes: self.boxes.into_iter().map(|(name, at)| (name, area(at))).collect(),
            polygon: self.polygon.into_iter().map(corner).collect(),
            marks: self.marks.into_iter().map(|(color, at)| (color, corner(at))).collect(),
            cell: self.cell.map(|cell| cell.map(corner)),
            ..self
        }
    }

    /// All of it as in a mirror.
    pub(crate) fn mirrored(self, how: Mirror, canvas: Size) -> Self {
        let across = how == Mirror::LeftRight;
        let area = |area: SignedRect| match how {
            Mirror::LeftRight => SignedRect { x: canvas.width as i32 - area.x - area.width as i32, ..area },
            Mirror::UpDown => SignedRect { y: canvas.height as i32 - area.y - area.height as i32, ..area },
        };
        let nine = |n: Insets| match across {
            true => Insets { left: n.right, right: n.left, ..n },
            false => Insets { top: n.bottom, bottom: n.top, ..n },
        };
        // In a mirror clockwise is counter-clockwise.
        let corners = self.polygon.into_iter().rev().map(|at| how.point(at, canvas));
        Self {
            boxes: self.boxes.into_iter().map(|(name, at)| (name, area(at))).collect(),
            nine: self.nine.map(nine),
            polygon: corners.collect(),
            marks: self.marks.into_iter().map(|(color, at)| (color, how.point(at, canvas))).collect(),
            cell: self.cell.map(|cell| cell.map(|at| how.point(at, canvas))),
        }
    }

    /// All of it larger or smaller, on a canvas that is `canvas` then; a box covers at least what it covered, and a panel keeps
    /// something between its corners that stretches.
    pub(crate) fn scaled(self, factor: Ratio, canvas: Size) -> Self {
        let span = |start: i32, length: u32| {
            let (low, high) =
                (factor.floor(i64::from(start)), factor.ceil(i64::from(start) + i64::from(length)));
            (low.clamp(i64::from(i32::MIN), i64::from(i32::MAX)) as i32, ((high - low) as u32).max(1))
        };
        let area = |area: SignedRect| {
            let ((x, width), (y, height)) = (span(area.x, area.width), span(area.y, area.height));
            SignedRect { x, y, width, height }
        };
        let point = |at: Point| Point::new(at.x * factor.value(), at.y * factor.value());
        let corners = |low: u32, high: u32, length: u32| {
            let (low, high) = (factor.scale_length(low), factor.scale_length(high));
            let over = (u64::from(low) + u64::from(high) + 1).saturating_sub(u64::from(length)) as u32;
            // What is too much goes off the wider corner first.
            let (wider, narrower) = (low.max(high), low.min(high));
            let off = over.min(wider);
            let (wider, narrower) = (wider - off, narrower.saturating_sub(over - off));
            if low >= high { (wider, narrower) } else { (narrower, wider) }
        };
        let nine = |n: Insets| {
            let (left, right) = corners(n.left, n.right, canvas.width);
            let (top, bottom) = corners(n.top, n.bottom, canvas.height);
            Insets { left, top, right, bottom }
        };
        Self {
            boxes: self.boxes.into_iter().map(|(name, at)| (name, area(at))).collect(),
            nine: self.nine.map(nine),
            polygon: self.polygon.into_iter().map(point).collect(),
            marks: self.marks.into_iter().map(|(color, at)| (color, point(at))).collect(),
            cell: self.cell.map(|cell| cell.map(point)),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn boxes_and_insets_say_what_they_want() {
        assert_eq!("-2, 4,10,12".parse(), Ok(SignedRect { x: -2, y: 4, width: 10, height: 12 }));
        for wrong in [
            "1,2,3",
            "1,2,0,4",
            "1,2,-3,4",
            "a,b,c,d",
            "",
            "1,2,3,4,5",
            "-2147483648,0,4,4",
            "0,0,2147483647,4",
        ] {
            assert!(wrong.parse::<SignedRect>().is_err(), "{wrong}");
        }
        assert!("4,4,4".parse::<Insets>().is_err());
        let nine: Insets = "4,5,6,7".parse().unwrap();
        assert!(nine.fit(Size::new(11, 13)) && !nine.fit(Size::new(10, 13)));
    }

    proptest! {
        #[test]
        fn a_panel_stretches_and_boxes_cover_after_any_scaling(
            sides in [1u32..40, 1u32..40, 1u32..40, 1u32..40], room in (1u32..9, 1u32..9), x in -40i32..40,
            times in 1u32..30, over in 1u32..30,
        ) {
            let [left, top, right, bottom] = sides;
            let factor = Ratio::new(times, over).unwrap();
            let old = Size::new(left + right + room.0, top + bottom + room.1);
            let canvas = Size::new(factor.scale_length(old.width).max(1), factor.scale_length(old.height).max(1));
            let area = SignedRect { x, y: -x, width: left, height: top };
            let name = Name::new("hit").unwrap();
            let boxes = BTreeMap::from([(name.clone(), area)]);
            let nine = Some(Insets { left, top, right, bottom });
            let scaled = Annotations { boxes, nine, ..Annotations::default() }.scaled(factor, canvas);
            prop_assert!(scaled.nine.unwrap().fit(canvas), "{:?} on {canvas}", scaled.nine);
            let now = scaled.boxes[&name];
            prop_assert!(f64::from(now.x) <= f64::from(x) * factor.value() + 1e-9);
            prop_assert!(f64::from(now.x) + f64::from(now.width) + 1e-9 >= f64::from(x + left as i32) * factor.value());
        }
    }
}
