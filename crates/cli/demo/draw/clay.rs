//! Modeling in a few tones: balls, limbs and flat shapes, lit by a moon at the upper left.
//!
//! Every shape is shaded by its curved surface and the light is cut to the five tones of a ramp, so that
//! what comes out is pixel art with clean clusters, not a photograph.

use image::{Rgba, RgbaImage};

/// Five tones of one color, from shadow to light.
#[derive(Clone, Copy)]
pub(crate) struct Ramp(pub(crate) [u32; 5]);

pub(crate) type At = (f32, f32);

pub(crate) mod ramp {
    use super::Ramp;

    pub(crate) const INK: u32 = 0x16_18_2b;
    pub(crate) const ORANGE: Ramp = Ramp([0x6b2737, 0xa83b32, 0xd95f2b, 0xf28f3b, 0xffc56b]);
    pub(crate) const PEARL: Ramp = Ramp([0x5a5f86, 0x8d95b8, 0xc2cadf, 0xe6ebf3, 0xffffff]);
    pub(crate) const GREEN: Ramp = Ramp([0x173b3f, 0x1f5f4b, 0x37894e, 0x69b04f, 0xb2d95f]);
    pub(crate) const CREAM: Ramp = Ramp([0x7a6a4f, 0xaf9c66, 0xd8ca8a, 0xf0e8b8, 0xfffce0]);
    pub(crate) const GOLD: Ramp = Ramp([0x7a3f1d, 0xb86f1c, 0xe5a32b, 0xf9cf48, 0xfff09a]);
    pub(crate) const RUST: Ramp = Ramp([0x6b2420, 0x9c3a22, 0xcf5a24, 0xf0852f, 0xffb45a]);
    pub(crate) const SLATE: Ramp = Ramp([0x2b3350, 0x47557a, 0x6d7fa3, 0x9fb0c9, 0xdbe5ee]);
    pub(crate) const WOOD: Ramp = Ramp([0x2e1d2b, 0x55303a, 0x7f4a3e, 0xa86f49, 0xd6a063]);
    pub(crate) const REED: Ramp = Ramp([0x1c3a3a, 0x2d5a41, 0x4f7f45, 0x86a34d, 0xc3cb6b]);
    pub(crate) const ROSE: Ramp = Ramp([0x7b3560, 0xb2547f, 0xdd83a0, 0xf5b5c2, 0xffe3e0]);
    pub(crate) const STONE: Ramp = Ramp([0x35364f, 0x53566f, 0x777c92, 0xa2a8b6, 0xcfd5da]);
    pub(crate) const DUSK: Ramp = Ramp([0x1f2140, 0x31335c, 0x4b4f7d, 0x6d74a0, 0x9aa2c4]);
    pub(crate) const WATER: Ramp = Ramp([0x2a4a7c, 0x3f74a6, 0x63a3c9, 0x9ccfe2, 0xe2f6fb]);
}

/// Towards the moon: left, up, and out of the picture.
const MOON: [f32; 3] = [-0.46, -0.66, 0.59];

pub(crate) fn rgb(color: u32) -> Rgba<u8> {
    let [_, r, g, b] = color.to_be_bytes();
    Rgba([r, g, b, 255])
}

pub(crate) struct Clay {
    image: RgbaImage,
}

impl Clay {
    pub(crate) fn new(width: u32, height: u32) -> Self {
        Self { image: RgbaImage::new(width, height) }
    }

    pub(crate) fn finish(self) -> RgbaImage {
        self.image
    }

    /// The picture with a dark line round everything.
    pub(crate) fn inked(mut self) -> RgbaImage {
        let (width, height) = self.image.dimensions();
        let solid = |x: i64, y: i64| {
            let inside = x >= 0 && y >= 0 && x < i64::from(width) && y < i64::from(height);
            inside && self.image.get_pixel(x as u32, y as u32)[3] == 255
        };
        let mut line = Vec::new();
        for y in 0..i64::from(height) {
            for x in 0..i64::from(width) {
                let touches = [(1, 0), (-1, 0), (0, 1), (0, -1)].iter().any(|(dx, dy)| solid(x + dx, y + dy));
                if !solid(x, y) && touches {
                    line.push((x as u32, y as u32));
                }
            }
        }
        for (x, y) in line {
            self.image.put_pixel(x, y, rgb(ramp::INK));
        }
        self.image
    }

    pub(crate) fn dot(&mut self, x: i32, y: i32, color: u32) {
        if x >= 0 && y >= 0 && (x as u32) < self.image.width() && (y as u32) < self.image.height() {
            self.image.put_pixel(x as u32, y as u32, rgb(color));
        }
    }

    /// Fills where `surface` gives a normal, with the tones of the ramp that `ramp` picks there.
    fn model(&mut self, surface: impl Fn(f32, f32) -> Option<[f32; 3]>, ramp: impl Fn(f32, f32) -> Ramp) {
        for y in 0..self.image.height() {
            for x in 0..self.image.width() {
                let (px, py) = (x as f32 + 0.5, y as f32 + 0.5);
                if let Some(normal) = surface(px, py) {
                    let light: f32 = normal.iter().zip(MOON).map(|(n, m)| n * m).sum();
                    let tone = ((light + 0.35) * 3.6).floor().clamp(0.0, 4.0) as usize;
                    self.image.put_pixel(x, y, rgb(ramp(px, py).0[tone]));
                }
            }
        }
    }

    /// An ellipsoid, rotated by `turn` radians.
    pub(crate) fn ball(&mut self, center: At, radii: At, turn: f32, ramp: Ramp) {
        self.patterned(center, radii, turn, |_, _| ramp);
    }

    /// An ellipsoid whose ramp depends on the place on it: from -1 to 1 along and across.
    pub(crate) fn patterned(&mut self, center: At, radii: At, turn: f32, ramp: impl Fn(f32, f32) -> Ramp) {
        let (sin, cos) = turn.sin_cos();
        let local = move |x: f32, y: f32| {
            let (dx, dy) = (x - center.0, y - center.1);
            ((dx * cos + dy * sin) / radii.0, (dy * cos - dx * sin) / radii.1)
        };
        let surface = move |x: f32, y: f32| {
            let (u, v) = local(x, y);
            let depth = 1.0 - u * u - v * v;
            (depth >= 0.0).then(|| {
                let (nu, nv) = (u, v);
                [nu * cos - nv * sin, nu * sin + nv * cos, depth.sqrt()]
            })
        };
        self.model(surface, |x, y| {
            let (u, v) = local(x, y);
            ramp(u, v)
        });
    }

    /// A round limb from `a` to `b`, each end with its own thickness.
    pub(crate) fn limb(&mut self, a: At, b: At, thick: At, ramp: Ramp) {
        let (dx, dy) = (b.0 - a.0, b.1 - a.1);
        let length = (dx * dx + dy * dy).max(1e-6);
        let surface = move |x: f32, y: f32| {
            let along = (((x - a.0) * dx + (y - a.1) * dy) / length).clamp(0.0, 1.0);
            let radius = thick.0 + (thick.1 - thick.0) * along;
            let (ox, oy) = ((x - a.0 - dx * along) / radius, (y - a.1 - dy * along) / radius);
            let depth = 1.0 - ox * ox - oy * oy;
            (depth >= 0.0).then(|| [ox, oy, depth.sqrt()])
        };
        self.model(surface, |_, _| ramp);
    }

    /// A flat shape in one color.
    pub(crate) fn flat(&mut self, corners: &[At], color: u32) {
        let inside = |x: f32, y: f32| {
            let mut odd = false;
            for (at, &(ax, ay)) in corners.iter().enumerate() {
                let (bx, by) = corners[(at + 1) % corners.len()];
                if (ay > y) != (by > y) && x < (bx - ax) * (y - ay) / (by - ay) + ax {
                    odd = !odd;
                }
            }
            odd
        };
        for y in 0..self.image.height() {
            for x in 0..self.image.width() {
                if inside(x as f32 + 0.5, y as f32 + 0.5) {
                    self.image.put_pixel(x, y, rgb(color));
                }
            }
        }
    }

    /// A soft light: alpha falls from `strength` in the middle to 0 at `radius`, in four steps, laid under
    /// what is there.
    pub(crate) fn glow(&mut self, center: At, radius: f32, strength: f32, color: u32) {
        for y in 0..self.image.height() {
            for x in 0..self.image.width() {
                let (dx, dy) = (x as f32 + 0.5 - center.0, y as f32 + 0.5 - center.1);
                let near = 1.0 - (dx * dx + dy * dy).sqrt() / radius;
                if near > 0.0 && self.image.get_pixel(x, y)[3] == 0 {
                    let step = (near * 4.0).ceil() / 4.0;
                    let Rgba([r, g, b, _]) = rgb(color);
                    self.image.put_pixel(x, y, Rgba([r, g, b, (step * strength * 255.0) as u8]));
                }
            }
        }
    }
}

impl Clay {
    /// Goes on with a picture.
    pub(crate) fn from_image(image: RgbaImage) -> Self {
        Self { image }
    }
}
