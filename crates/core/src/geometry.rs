//! Sizes, points and rectangles, in pixels.
//!
//! Origin top left, y down. Points are on the corners between pixels: the middle of the first pixel
//! is `0.5, 0.5`. Nothing here knows what it measures.

use std::fmt;

/// The most pixels that a picture or a canvas has on one side, and that a point, a box or a corner is from the origin of
/// its canvas. No image format in use comes near it, and products of two such lengths are exact in every type used here.
pub const LONGEST: u32 = 1 << 20;

/// A width and a height in pixels; either may be 0.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Size {
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
}

impl Size {
    /// A size of `width` by `height` pixels.
    pub const fn new(width: u32, height: u32) -> Self {
        Self { width, height }
    }

    /// As wide as high.
    pub const fn is_square(self) -> bool {
        self.width == self.height
    }

    /// The number of pixels.
    pub const fn area(self) -> u64 {
        self.width as u64 * self.height as u64
    }

    /// Whether it holds no pixel.
    pub const fn is_empty(self) -> bool {
        self.width == 0 || self.height == 0
    }

    /// Whether it fits into `room` without turning.
    pub const fn fits_in(self, room: Size) -> bool {
        self.width <= room.width && self.height <= room.height
    }

    /// The smallest size that holds both.
    pub fn union(self, other: Size) -> Size {
        Size::new(self.width.max(other.width), self.height.max(other.height))
    }

    /// Width and height exchanged.
    pub const fn rotated(self) -> Size {
        Size::new(self.height, self.width)
    }

    /// The middle.
    pub fn center(self) -> Point {
        Point::new(f64::from(self.width) / 2.0, f64::from(self.height) / 2.0)
    }
}

impl From<(u32, u32)> for Size {
    fn from((width, height): (u32, u32)) -> Self {
        Size::new(width, height)
    }
}

impl fmt::Display for Size {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}x{}", self.width, self.height)
    }
}

/// Why a text is not a size.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SizeError {
    /// Not two whole numbers.
    #[error("'{0}' is not a pair of whole numbers such as 32x48 or 32,48")]
    Shape(String),
    /// A number that must be at least 1 is 0.
    #[error("'{0}' has a zero; both numbers must be at least 1")]
    Zero(String),
    /// A number beyond [`LONGEST`].
    #[error("'{0}' is too large; both numbers must be at most {LONGEST}")]
    TooLarge(String),
}

/// Two whole numbers that may be 0, such as an offset: `8x3` or `8,3`.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct UVec2 {
    /// The number across.
    pub x: u32,
    /// The number down.
    pub y: u32,
}

impl UVec2 {
    /// Reads two numbers.
    ///
    /// # Errors
    /// If there are not two of them.
    pub(crate) fn two(text: &str) -> Result<Self, SizeError> {
        let wrong = || SizeError::Shape(text.to_owned());
        let (x, y) = text.split_once(['x', 'X', ',']).ok_or_else(wrong)?;
        let number = |part: &str| part.trim().parse::<u32>().map_err(|_| wrong());
        let pair = Self { x: number(x)?, y: number(y)? };
        match pair.x.max(pair.y) > LONGEST {
            true => Err(SizeError::TooLarge(text.to_owned())),
            false => Ok(pair),
        }
    }
}

impl fmt::Display for UVec2 {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{},{}", self.x, self.y)
    }
}

/// A point on the corners between pixels.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Point {
    /// Pixels from the left edge.
    pub x: f64,
    /// Pixels from the top edge.
    pub y: f64,
}

impl Point {
    /// The problem with a point that is too far away.
    pub(crate) const FAR: &str = "too far from the origin of the canvas";

    /// Whether it is a place that a canvas could have.
    pub(crate) fn is_near(self) -> bool {
        let is_near = |at: f64| at.abs() <= f64::from(LONGEST);
        is_near(self.x) && is_near(self.y)
    }

    /// The point `x` from the left and `y` from the top.
    pub const fn new(x: f64, y: f64) -> Self {
        Self { x, y }
    }
}

impl fmt::Display for Point {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{},{}", self.x, self.y)
    }
}

/// A rectangle of whole pixels.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct Rect {
    /// Pixels from the left edge to its first column.
    pub x: u32,
    /// Pixels from the top edge to its first row.
    pub y: u32,
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
}

impl Rect {
    /// The rectangle at `x`, `y`.
    pub const fn new(x: u32, y: u32, width: u32, height: u32) -> Self {
        Self { x, y, width, height }
    }

    /// The rectangle of `size` at `x`, `y`.
    pub const fn at(x: u32, y: u32, size: Size) -> Self {
        Self::new(x, y, size.width, size.height)
    }

    /// The rectangle of `size` at the origin.
    pub const fn of(size: Size) -> Self {
        Self::at(0, 0, size)
    }

    /// Its size.
    pub const fn size(self) -> Size {
        Size::new(self.width, self.height)
    }

    /// Whether it holds no pixel.
    pub const fn is_empty(self) -> bool {
        self.size().is_empty()
    }

    /// The column after its last; wider than `u32`, so that no input can overflow it.
    pub const fn right(self) -> u64 {
        self.x as u64 + self.width as u64
    }

    /// The row after its last.
    pub const fn bottom(self) -> u64 {
        self.y as u64 + self.height as u64
    }

    /// Whether every pixel of it lies inside `room`.
    pub const fn lies_in(self, room: Rect) -> bool {
        self.x >= room.x && self.y >= room.y && self.right() <= room.right() && self.bottom() <= room.bottom()
    }

    /// Whether both have a pixel in common.
    pub const fn overlaps(self, other: Rect) -> bool {
        !self.is_empty()
            && !other.is_empty()
            && (self.x as u64) < other.right()
            && (other.x as u64) < self.right()
            && (self.y as u64) < other.bottom()
            && (other.y as u64) < self.bottom()
    }

    /// The pixels both have; `None` where there are none.
    pub fn intersection(self, other: Rect) -> Option<Rect> {
        self.overlaps(other).then(|| {
            let (x, y) = (self.x.max(other.x), self.y.max(other.y));
            let (right, bottom) = (self.right().min(other.right()), self.bottom().min(other.bottom()));
            // An overlap is no wider than either rectangle, so both differences fit u32.
            Rect::new(x, y, (right - u64::from(x)) as u32, (bottom - u64::from(y)) as u32)
        })
    }

    /// The smallest rectangle that holds both.
    pub fn union(self, other: Rect) -> Rect {
        let (x, y) = (self.x.min(other.x), self.y.min(other.y));
        let width = (self.right().max(other.right()) - u64::from(x)) as u32;
        let height = (self.bottom().max(other.bottom()) - u64::from(y)) as u32;
        Rect::new(x, y, width, height)
    }

    /// Grown by `border` on every side, but not beyond `room`.
    pub fn inflate_within(self, border: u32, room: Size) -> Rect {
        let (x, y) = (self.x.saturating_sub(border), self.y.saturating_sub(border));
        let right = (self.right() + u64::from(border)).min(u64::from(room.width));
        let bottom = (self.bottom() + u64::from(border)).min(u64::from(room.height));
        Rect::new(x, y, (right as u32).saturating_sub(x), (bottom as u32).saturating_sub(y))
    }
}

impl fmt::Display for Rect {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{},{},{},{}", self.x, self.y, self.width, self.height)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pairs_take_both_signs_and_name_what_is_wrong() {
        assert_eq!("8x3".parse(), Ok(Size::new(8, 3)));
        assert_eq!("8, 3".parse(), Ok(Size::new(8, 3)));
        // One number is two of an offset, and no size.
        assert_eq!(("2".parse(), "2,0".parse()), (Ok(UVec2 { x: 2, y: 2 }), Ok(UVec2 { x: 2, y: 0 })));
        assert_eq!("0,2".parse(), Ok(UVec2 { x: 0, y: 2 }));
        assert_eq!("0x2".parse::<Size>(), Err(SizeError::Zero("0x2".into())));
        for wrong in ["8", "8x", "x3", "8x3x1", "-8x3", "8.5x3", "", "99999999999x1"] {
            assert_eq!(wrong.parse::<Size>(), Err(SizeError::Shape(wrong.into())), "{wrong}");
        }
    }

    #[test]
    fn rectangles_at_the_edge_of_the_number_range_do_not_overflow() {
        let far = Rect::new(u32::MAX, u32::MAX, u32::MAX, u32::MAX);
        assert!(!far.lies_in(Rect::of(Size::new(10, 10))));
        assert!(!far.overlaps(Rect::of(Size::new(10, 10))));
        assert!(far.overlaps(far));
    }

    #[test]
    fn growing_stops_at_the_room() {
        assert_eq!(Rect::new(1, 5, 3, 3).inflate_within(2, Size::new(8, 9)), Rect::new(0, 3, 6, 6));
    }
}
