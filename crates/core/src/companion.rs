//! A picture that belongs to a frame, such as its normal map or its glow. It goes wherever the frame goes.

use image::{Rgba, RgbaImage, imageops};
use shibori_play::NORMAL_SUFFIXES;

use crate::{Color, Mirror, Pixels, Rect};

/// One kind of companion.
#[derive(Clone, Debug, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(rename_all = "snake_case"))]
pub struct CompanionSpec {
    /// The end of their names or of their sprites' names: `_n`.
    pub suffix: String,
    /// The color where there is none.
    pub neutral: Color,
    /// What its colors mean.
    pub kind: CompanionKind,
}

/// What the colors of a companion mean.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum CompanionKind {
    /// Light or a quantity: it shows on its own.
    #[default]
    Color,
    /// Directions: red is right, green is up. It shows only where the frame does.
    Normals,
}

impl CompanionSpec {
    /// Companions of a suffix, with what the suffix usually means.
    pub fn of_suffix(suffix: &str) -> Self {
        let is_normal = NORMAL_SUFFIXES.contains(&suffix);
        let kind = if is_normal { CompanionKind::Normals } else { CompanionKind::Color };
        Self { suffix: suffix.to_owned(), neutral: kind.neutral(), kind }
    }
}

impl CompanionKind {
    /// The usual color of nothing: a normal that points at the viewer, or transparency.
    pub fn neutral(self) -> Color {
        match self {
            Self::Normals => Color(Rgba([128, 128, 255, 255])),
            Self::Color => Color(Rgba([0; 4])),
        }
    }
}

/// A companion of one frame: its pixels in the part of the canvas that the frame keeps. Elsewhere it is neutral.
#[derive(Clone, Debug)]
pub struct Companion {
    /// Its kind.
    pub spec: CompanionSpec,
    /// As large as the pixels that the frame keeps.
    pub pixels: Pixels,
}

impl Companion {
    /// The box around pixels that show without the frame: those with an alpha above `alpha` that aren't neutral.
    pub(crate) fn content(&self, alpha: u8) -> Option<Rect> {
        let neutral = self.spec.neutral.0.0;
        match self.spec.kind {
            CompanionKind::Normals => None,
            CompanionKind::Color => self.pixels.bounds_of(|pixel| pixel[3] > alpha && pixel != neutral),
        }
    }

    /// The mirror image. Normals turn with it.
    pub(crate) fn mirrored(self, how: Mirror) -> Self {
        if self.pixels.is_empty() {
            return self;
        }
        let image = self.pixels.to_image();
        let (mut image, axis) = match how {
            Mirror::LeftRight => (imageops::flip_horizontal(&image), 0),
            Mirror::UpDown => (imageops::flip_vertical(&image), 1),
        };
        if self.spec.kind == CompanionKind::Normals {
            turn(&mut image, axis);
        }
        Self { pixels: Pixels::from_image(image), ..self }
    }
}

/// Inverts one axis of all normals.
fn turn(image: &mut RgbaImage, axis: usize) {
    image.pixels_mut().for_each(|pixel| pixel.0[axis] = u8::MAX - pixel.0[axis]);
}

#[cfg(test)]
mod tests {
    use super::*;

    fn companion(suffix: &str, image: RgbaImage) -> Companion {
        Companion { spec: CompanionSpec::of_suffix(suffix), pixels: Pixels::from_image(image) }
    }

    #[test]
    fn normals_turn_with_the_mirror_and_turn_back() {
        let slope = RgbaImage::from_fn(2, 1, |x, _| Rgba([if x == 0 { 200 } else { 128 }, 60, 250, 255]));
        let pixels = |one: &Companion| [0, 1].map(|x| one.pixels.get(x, 0).unwrap().0);
        let across = companion("_n", slope.clone()).mirrored(Mirror::LeftRight);
        assert_eq!(pixels(&across), [[127, 60, 250, 255], [55, 60, 250, 255]]);
        let down = companion("_normal", slope.clone()).mirrored(Mirror::UpDown);
        assert_eq!(pixels(&down), [[200, 195, 250, 255], [128, 195, 250, 255]]);
        let twice = across.mirrored(Mirror::LeftRight);
        assert_eq!(pixels(&twice), [[200, 60, 250, 255], [128, 60, 250, 255]]);
        let glow = companion("_e", slope).mirrored(Mirror::LeftRight);
        assert_eq!(pixels(&glow), [[128, 60, 250, 255], [200, 60, 250, 255]]);
    }

    #[test]
    fn a_glow_shows_on_its_own_and_a_normal_map_does_not() {
        let mut spot = RgbaImage::from_pixel(8, 6, Rgba([16, 32, 48, 255]));
        spot.put_pixel(3, 2, Rgba([90, 90, 90, 255]));
        let shown = |suffix: &str, neutral: &str| {
            let spec =
                CompanionSpec { neutral: neutral.parse().unwrap(), ..CompanionSpec::of_suffix(suffix) };
            Companion { spec, ..companion(suffix, spot.clone()) }.content(0)
        };
        assert_eq!(shown("_e", "102030"), Some(Rect::new(3, 2, 1, 1)));
        assert_eq!(shown("_e", "00000000"), Some(Rect::new(0, 0, 8, 6)));
        assert_eq!(shown("_n", "8080ff"), None);
    }
}
