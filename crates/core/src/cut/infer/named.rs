//! What a sheet's name says of its cells: `tiles_16x16`, `font8x8`, `walk_strip12`. Evidence among other evidence, never enough against
//! what is drawn.

use crate::cut::Grid;
use crate::{Size, UVec2};

/// What a size of both sides in a name is worth, in nats.
const SIZE: f64 = 12.0;
/// What a single number is worth, which may as well be a count, a version or a year.
const SIDE: f64 = 3.0;
/// What the number of pictures in a strip is worth.
const COUNT: f64 = 10.0;
/// Sides of cells that a name may speak of.
const SIDES: std::ops::RangeInclusive<u32> = 6..=1024;

/// What a name says.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct NameHints {
    /// Sizes of cells, and what each is worth.
    sizes: Vec<(Size, f64)>,
    /// How many pictures a strip has.
    strip: Option<u32>,
}

impl NameHints {
    /// What the name of a sheet says, without its ending.
    pub fn of(name: &str) -> Self {
        let name = name.to_lowercase();
        let mut hints = Self::default();
        let bytes = name.as_bytes();
        let mut at = 0;
        while at < bytes.len() {
            let Some((number, end)) = number(bytes, at) else {
                at += 1;
                continue;
            };
            let before = &name[..at];
            let second = (bytes.get(end) == Some(&b'x')).then(|| self::number(bytes, end + 1)).flatten();
            match second {
                Some((height, after)) => {
                    hints.add(Size::new(number, height), SIZE);
                    at = after;
                    continue;
                }
                None if before.trim_end_matches(['_', '-', ' ']).ends_with("strip") => {
                    hints.strip = Some(number);
                }
                None => hints.add(Size::new(number, number), SIDE),
            }
            at = end;
        }
        hints
    }

    fn add(&mut self, size: Size, worth: f64) {
        if SIDES.contains(&size.width) && SIDES.contains(&size.height) {
            self.sizes.push((size, worth));
        }
    }

    /// What the same name says of the sheet as it was before it was enlarged.
    pub(super) fn reduced(&self, factor: u32) -> Self {
        let divides = |size: &Size| size.width.is_multiple_of(factor) && size.height.is_multiple_of(factor);
        let sizes = self.sizes.iter().filter(|(size, _)| divides(size));
        let sizes = sizes.map(|&(size, worth)| (Size::new(size.width / factor, size.height / factor), worth));
        Self { sizes: sizes.collect(), strip: self.strip }
    }

    /// Sizes of cells that are to be tried.
    pub(super) fn sizes(&self) -> impl Iterator<Item = Size> {
        self.sizes.iter().map(|(size, _)| *size)
    }

    /// Whether a name says these very cells, with both sides.
    pub(super) fn says(&self, grid: &Grid) -> bool {
        self.sizes.iter().any(|(size, worth)| *size == grid.cell_size() && *worth >= SIZE)
    }

    /// Whether a name gives both sides of these cells, or their number in a strip.
    pub fn agree_with(&self, grid: &Grid) -> bool {
        self.evidence(grid) >= COUNT
    }

    /// What a name speaks for a grid.
    pub(super) fn evidence(&self, grid: &Grid) -> f64 {
        let is_near = |size: Size| {
            let pitch = grid.spacing().gutter;
            let cell = grid.cell_size();
            cell == size
                || Size::new(cell.width + pitch.x, cell.height + pitch.y) == size && pitch != UVec2::default()
        };
        let of_size = self.sizes.iter().filter(|(size, _)| is_near(*size)).map(|(_, worth)| *worth);
        let counts = grid.counts();
        let is_strip = self.strip.is_some_and(|count| (counts.columns, counts.rows) == (count, 1));
        of_size.fold(0.0, f64::max) + if is_strip { COUNT } else { 0.0 }
    }
}

/// The number that begins at a place, and where it ends.
fn number(bytes: &[u8], at: usize) -> Option<(u32, usize)> {
    let digits = bytes[at..].iter().take_while(|byte| byte.is_ascii_digit()).count();
    let text = std::str::from_utf8(&bytes[at..at + digits]).ok()?;
    Some((text.parse().ok()?, at + digits))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_say_sizes_and_counts() {
        let sizes = |name: &str| {
            NameHints::of(name).sizes.iter().map(|(s, w)| (s.width, s.height, *w)).collect::<Vec<_>>()
        };
        assert_eq!(sizes("tiles_16x16"), [(16, 16, SIZE)]);
        assert_eq!(sizes("Font8X12 v2"), [(8, 12, SIZE)]);
        assert_eq!(sizes("emoji32"), [(32, 32, SIDE)]);
        assert_eq!(sizes("koi"), []);
        assert_eq!(sizes("99999999999x3"), []);
        assert_eq!(NameHints::of("walk_strip12").strip, Some(12));
    }
}
