//! Whole pictures from an animation's partial ones, as a viewer lays them over each other.

use image::{Rgba, RgbaImage};
use shibori_core::{Rect, Size, over};

/// How a frame's area is disposed of before the next frame is drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Dispose {
    Keep,
    /// Cleared to transparent.
    Clear,
    /// As it was before.
    Previous,
}

/// How a partial picture meets what is below.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Blend {
    /// It takes the place, transparent pixels too.
    Source,
    /// It lies over it.
    Over,
}

/// A partial picture and what to do with it.
pub(super) struct FramePatch {
    pub(super) pixels: RgbaImage,
    pub(super) x: u32,
    pub(super) y: u32,
    pub(super) blend: Blend,
    pub(super) dispose: Dispose,
}

/// The canvas of an animation.
pub(super) struct Compositor {
    image: RgbaImage,
}

impl Compositor {
    pub(super) fn new(size: Size) -> Self {
        Self { image: RgbaImage::new(size.width, size.height) }
    }

    /// Lays a patch and gives the whole picture that is then shown. What is outside the canvas is cut.
    pub(super) fn apply(&mut self, patch: &FramePatch) -> RgbaImage {
        let before = (patch.dispose == Dispose::Previous).then(|| self.image.clone());
        let canvas = Rect::of(Size::from(self.image.dimensions()));
        let place = Rect::at(patch.x, patch.y, Size::from(patch.pixels.dimensions())).intersection(canvas);
        let Some(place) = place else { return self.image.clone() };
        for y in place.y..place.y + place.height {
            for x in place.x..place.x + place.width {
                let top = *patch.pixels.get_pixel(x - patch.x, y - patch.y);
                let under = self.image.get_pixel_mut(x, y);
                *under = if patch.blend == Blend::Source { top } else { over(*under, top) };
            }
        }
        let shown = self.image.clone();
        match (patch.dispose, before) {
            (Dispose::Previous, Some(before)) => self.image = before,
            (Dispose::Clear, _) => self.clear(place),
            _ => {}
        }
        shown
    }

    fn clear(&mut self, place: Rect) {
        for y in place.y..place.y + place.height {
            for x in place.x..place.x + place.width {
                self.image.put_pixel(x, y, Rgba([0; 4]));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const RED: Rgba<u8> = Rgba([255, 0, 0, 255]);
    const BLUE: Rgba<u8> = Rgba([0, 0, 255, 255]);
    const NONE: Rgba<u8> = Rgba([0; 4]);

    fn patch(x: u32, color: Rgba<u8>, blend: Blend, dispose: Dispose) -> FramePatch {
        FramePatch { pixels: RgbaImage::from_pixel(1, 1, color), x, y: 0, blend, dispose }
    }

    fn composited(patches: &[FramePatch]) -> Vec<[Rgba<u8>; 2]> {
        let mut canvas = Compositor::new(Size::new(2, 1));
        let picture = |image: RgbaImage| [*image.get_pixel(0, 0), *image.get_pixel(1, 0)];
        patches.iter().map(|patch| picture(canvas.apply(patch))).collect()
    }

    #[test]
    fn every_way_of_disposing() {
        for (dispose, after) in
            [(Dispose::Keep, [RED, BLUE]), (Dispose::Clear, [NONE, BLUE]), (Dispose::Previous, [NONE, BLUE])]
        {
            let patches = [patch(0, RED, Blend::Over, dispose), patch(1, BLUE, Blend::Over, Dispose::Keep)];
            assert_eq!(composited(&patches), [[RED, NONE], after], "{dispose:?}");
        }
        // Previous brings back what was there, Clear does not.
        let base = || patch(0, BLUE, Blend::Over, Dispose::Keep);
        let next = || patch(1, RED, Blend::Over, Dispose::Keep);
        let over = |dispose| composited(&[base(), patch(0, RED, Blend::Over, dispose), next()]);
        assert_eq!(over(Dispose::Previous)[2], [BLUE, RED]);
        assert_eq!(over(Dispose::Clear)[2], [NONE, RED]);
    }

    #[test]
    fn blending() {
        let base = || patch(0, BLUE, Blend::Over, Dispose::Keep);
        let clear = |blend| composited(&[base(), patch(0, NONE, blend, Dispose::Keep)])[1][0];
        assert_eq!(clear(Blend::Over), BLUE);
        assert_eq!(clear(Blend::Source), NONE);
        let half = Rgba([255, 255, 255, 128]);
        assert_eq!(
            composited(&[base(), patch(0, half, Blend::Over, Dispose::Keep)])[1][0],
            Rgba([128, 128, 255, 255])
        );
    }

    #[test]
    fn a_patch_outside_the_canvas_is_cut() {
        let wide = FramePatch {
            pixels: RgbaImage::from_pixel(9, 9, RED),
            ..patch(1, RED, Blend::Over, Dispose::Keep)
        };
        let far = patch(u32::MAX, RED, Blend::Over, Dispose::Clear);
        assert_eq!(composited(&[wide, far]), [[NONE, RED], [NONE, RED]]);
    }
}
