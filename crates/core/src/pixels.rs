//! A picture, or a rectangle of one, shared instead of copied.
//!
//! Cutting a sheet or trimming a frame changes which rectangle is looked at, not one byte of memory:
//! 224 cells of a sheet cost what the sheet costs. Pixels are straight-alpha RGBA, 8 bits a channel,
//! rows from the top. Nothing here changes a pixel.

use std::fmt;
use std::sync::{Arc, OnceLock};

use image::{Rgba, RgbaImage};

use crate::{Budget, Lease, Rect, Size};

/// Bytes a pixel takes.
const CHANNELS: usize = 4;

/// A rectangle of a shared image. An empty one has size 0x0.
#[derive(Clone)]
pub struct Pixels {
    image: Arc<Shared>,
    rect: Rect,
}

/// An image, and what it holds of the run's memory.
struct Shared {
    image: RgbaImage,
    lease: OnceLock<Lease>,
}

impl Pixels {
    /// The whole of an image.
    pub fn from_image(image: RgbaImage) -> Self {
        let rect = Rect::of(Size::from(image.dimensions()));
        Self { image: Arc::new(Shared { image, lease: OnceLock::new() }), rect }
    }

    /// The whole of an image whose memory was taken from a budget; it is given back when nothing looks at the image any more.
    pub fn with_lease(image: RgbaImage, lease: Lease) -> Self {
        let rect = Rect::of(Size::from(image.dimensions()));
        Self { image: Arc::new(Shared { image, lease: OnceLock::from(lease) }), rect }
    }

    /// Counts the image that this looks at as memory in use, unless it is counted already.
    pub fn charge_to(&self, budget: &Budget) {
        self.image.lease.get_or_init(|| budget.lease_unchecked(self.image.image.as_raw().len() as u64));
    }

    /// No pixels at all.
    pub fn empty() -> Self {
        Self::from_image(RgbaImage::new(0, 0))
    }

    /// The part `rect` of this picture, counted from its own top left; `None` where it extends beyond.
    pub fn crop(&self, rect: Rect) -> Option<Self> {
        if !rect.lies_in(Rect::of(self.size())) {
            return None;
        }
        if rect.is_empty() {
            return Some(Self::empty());
        }
        let rect = Rect::at(self.rect.x + rect.x, self.rect.y + rect.y, rect.size());
        Some(Self { image: Arc::clone(&self.image), rect })
    }

    /// The same picture in an image of its own where it uses less than half of the one it looks at, so that the rest
    /// of that can be let go.
    pub fn compacted(self) -> Self {
        let whole = Size::from(self.image.image.dimensions()).area();
        if self.size().area() * 2 >= whole {
            return self;
        }
        let small = Self::from_image(self.to_image());
        if let Some(lease) = self.image.lease.get() {
            small.charge_to(lease.budget());
        }
        small
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        self.rect.size()
    }

    /// Whether there are no pixels.
    pub fn is_empty(&self) -> bool {
        self.rect.is_empty()
    }

    /// Where this picture is on the image it looks at.
    pub fn rect(&self) -> Rect {
        self.rect
    }

    /// Whether both look at the same image in memory.
    pub fn shares_image_with(&self, other: &Pixels) -> bool {
        Arc::ptr_eq(&self.image, &other.image)
    }

    /// The bytes of one row, `4 × width` of them.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[track_caller]
    pub fn row(&self, y: u32) -> &[u8] {
        assert!(y < self.rect.height, "row {y} of a picture {} high", self.rect.height);
        let stride = self.image.image.width() as usize;
        let start = ((self.rect.y + y) as usize * stride + self.rect.x as usize) * CHANNELS;
        &self.image.image.as_raw()[start..start + self.rect.width as usize * CHANNELS]
    }

    /// All rows from the top.
    pub fn rows(&self) -> impl Iterator<Item = &[u8]> {
        (0..self.rect.height).map(|y| self.row(y))
    }

    /// The pixel at `x`, `y`; `None` outside.
    pub fn get(&self, x: u32, y: u32) -> Option<Rgba<u8>> {
        (x < self.rect.width && y < self.rect.height)
            .then(|| *self.image.image.get_pixel(self.rect.x + x, self.rect.y + y))
    }

    /// An image of its own.
    pub fn to_image(&self) -> RgbaImage {
        let mut bytes = Vec::with_capacity(self.size().area() as usize * CHANNELS);
        for row in self.rows() {
            bytes.extend_from_slice(row);
        }
        RgbaImage::from_raw(self.rect.width, self.rect.height, bytes)
            .expect("as many bytes as rows times width")
    }

    /// The smallest rectangle that holds every pixel with an alpha above `alpha`; `None` where there
    /// is none, so `content(0)` of a blank picture is `None`.
    pub fn content_bounds(&self, alpha: u8) -> Option<Rect> {
        self.bounds_of(|pixel| pixel[3] > alpha)
    }

    /// The smallest rectangle that holds every pixel that counts; `None` where there is none.
    pub(crate) fn bounds_of(&self, kept: impl Fn(&[u8]) -> bool) -> Option<Rect> {
        let has_kept = |y: &u32| self.row(*y).chunks_exact(CHANNELS).any(&kept);
        let top = (0..self.rect.height).find(has_kept)?;
        let bottom = (top..self.rect.height).rev().find(has_kept)?;
        let (mut left, mut right) = (self.rect.width, 0);
        for y in top..=bottom {
            let row = self.row(y);
            let before = &row[..left as usize * CHANNELS];
            if let Some(x) = before.chunks_exact(CHANNELS).position(&kept) {
                left = x as u32;
            }
            let after = &row[right as usize * CHANNELS..];
            if let Some(x) = after.chunks_exact(CHANNELS).rposition(&kept) {
                right += x as u32 + 1;
            }
        }
        Some(Rect::new(left, top, right - left, bottom + 1 - top))
    }

    /// Whether both show the same picture; the color of fully transparent pixels does not count.
    pub fn is_same_image(&self, other: &Pixels) -> bool {
        self.size() == other.size()
            && (self.shares_image_with(other) && self.rect == other.rect
                || self.rows().zip(other.rows()).all(|(a, b)| same_row(a, b)))
    }
}

fn same_row(a: &[u8], b: &[u8]) -> bool {
    a == b || {
        let mut pairs = a.chunks_exact(CHANNELS).zip(b.chunks_exact(CHANNELS));
        pairs.all(|(p, q)| p == q || (p[3] == 0 && q[3] == 0))
    }
}

impl fmt::Debug for Pixels {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Rect { x, y, .. } = self.rect;
        write!(f, "Pixels({} at {x},{y})", self.size())
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Any small picture in which blank, soft and solid pixels are all common.
    pub(crate) fn any_pixels(max: u32) -> impl Strategy<Value = Pixels> {
        (1..=max, 1..=max).prop_flat_map(|(width, height)| {
            let pixel = prop_oneof![
                3 => Just([0, 0, 0, 0]),
                1 => any::<[u8; 3]>().prop_map(|[r, g, b]| [r, g, b, 0]),
                3 => any::<[u8; 3]>().prop_map(|[r, g, b]| [r, g, b, 255]),
                1 => any::<[u8; 4]>(),
            ];
            prop::collection::vec(pixel, (width * height) as usize).prop_map(move |pixels| {
                Pixels::from_image(RgbaImage::from_raw(width, height, pixels.concat()).unwrap())
            })
        })
    }

    /// The plain way to find the content: ask every pixel.
    fn content_by_asking_each(pixels: &Pixels, alpha: u8) -> Option<Rect> {
        let Size { width, height } = pixels.size();
        let mut found: Option<Rect> = None;
        for y in 0..height {
            for x in 0..width {
                if pixels.get(x, y).unwrap()[3] > alpha {
                    let one = Rect::new(x, y, 1, 1);
                    found = Some(found.map_or(one, |f| f.union(one)));
                }
            }
        }
        found
    }

    proptest! {
        #[test]
        fn content_is_the_smallest_box_of_kept_pixels(pixels in any_pixels(12), alpha: u8) {
            prop_assert_eq!(pixels.content_bounds(alpha), content_by_asking_each(&pixels, alpha));
        }

        #[test]
        fn a_part_holds_the_same_pixels(pixels in any_pixels(9), x in 0u32..9, y in 0u32..9, w in 0u32..9, h in 0u32..9) {
            let rect = Rect::new(x, y, w, h);
            match pixels.crop(rect) {
                None => prop_assert!(!rect.lies_in(Rect::of(pixels.size()))),
                Some(part) if rect.is_empty() => prop_assert!(part.is_empty()),
                Some(part) => {
                    let copy = part.to_image();
                    for (px, py, pixel) in copy.enumerate_pixels() {
                        prop_assert_eq!(Some(*pixel), pixels.get(x + px, y + py));
                    }
                }
            }
        }
    }

    #[test]
    fn hidden_color_does_not_make_a_difference() {
        let one = |pixel| Pixels::from_image(RgbaImage::from_pixel(2, 2, Rgba(pixel)));
        assert!(one([1, 2, 3, 0]).is_same_image(&one([9, 9, 9, 0])));
        assert!(!one([1, 2, 3, 1]).is_same_image(&one([9, 9, 9, 1])));
    }
}
