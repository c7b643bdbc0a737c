//! Companions: pictures that belong to a frame and are laid out exactly like it, such as its normal map or its glow.
//!
//! [`take_companions`] sets them apart by their names before anything else is done to the frames; [`fit_companions`]
//! cuts them like their base frames, which alone decide what is trimmed. Never changes a base frame.

use std::collections::HashMap;

use image::{Rgba, RgbaImage, imageops};

use crate::pack::MirroredCopy;
use crate::{Color, Frame, FrameSet, Name, Pixels, Rect, Size};

/// Which frames are companions, and what stands for one that is not there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CompanionSpec {
    /// What their names, or their sprites', end in: `_n`.
    pub suffix: String,
    /// The color where there is none.
    pub neutral: Color,
}

/// Companions of one kind, a whole canvas for each frame that has one.
#[derive(Clone, Debug)]
pub struct CompanionFrames {
    /// Which.
    pub spec: CompanionSpec,
    of: HashMap<(Name, Name), Pixels>,
}

/// Pictures that belong to frames, one each.
#[derive(Clone, Debug)]
pub struct Layer {
    /// What its pages' names end in.
    pub suffix: String,
    /// The whole canvas of each frame.
    pub canvases: Vec<Pixels>,
    /// What of it lies where the frame's kept pixels do.
    pub pixels: Vec<Pixels>,
    /// Frames that had none, and got the neutral color.
    pub missing: Vec<usize>,
}

/// Why companions can't be laid out.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum CompanionError {
    /// Another size than the base frame.
    #[error("'{companion}' is {found} px, but its base frame '{base}' is {wanted} px")]
    OtherSize {
        /// The companion.
        companion: Name,
        /// Its canvas.
        found: Size,
        /// The base frame.
        base: Name,
        /// That one's canvas.
        wanted: Size,
    },
    /// A companion of nothing.
    #[error("'{companion}' ends in '{suffix}', but has no base frame")]
    NoBase {
        /// The companion.
        companion: Name,
        /// What its name ends in.
        suffix: String,
    },
    /// Not one.
    #[error("no frame name ends in '{suffix}'")]
    None {
        /// What was looked for.
        suffix: String,
    },
}

/// Parts a set into base frames, with the clips that play them, and companions.
pub fn take_companions(
    set: &FrameSet,
    specs: &[CompanionSpec],
) -> Result<(FrameSet, Vec<CompanionFrames>), CompanionError> {
    let mut is_base = vec![true; set.frames().len()];
    let named: HashMap<(String, String), usize> =
        set.frames().iter().enumerate().map(|(at, frame)| (key(frame), at)).collect();
    let mut companions = Vec::new();
    for spec in specs {
        let mut of = HashMap::new();
        for (at, frame) in set.frames().iter().enumerate() {
            let names = base_names(frame, &spec.suffix);
            if names.is_empty() {
                continue;
            }
            let Some(&base) = names.iter().find_map(|name| named.get(name)) else {
                let (companion, suffix) = (frame.name().clone(), spec.suffix.clone());
                return Err(CompanionError::NoBase { companion, suffix });
            };
            let base = &set.frames()[base];
            if frame.canvas() != base.canvas() {
                let (companion, found) = (frame.name().clone(), frame.canvas());
                let (base, wanted) = (base.name().clone(), base.canvas());
                return Err(CompanionError::OtherSize { companion, found, base, wanted });
            }
            is_base[at] = false;
            of.insert((base.sprite().clone(), base.name().clone()), frame.full_image());
        }
        if of.is_empty() {
            return Err(CompanionError::None { suffix: spec.suffix.clone() });
        }
        companions.push(CompanionFrames { spec: spec.clone(), of });
    }
    let base: Vec<usize> = (0..is_base.len()).filter(|&at| is_base[at]).collect();
    Ok((set.subset(&base), companions))
}

/// Frames whose name, or whose sprite's, ends in `suffix`, each with the frame it is a companion of.
pub(crate) fn base_of_each(set: &FrameSet, suffix: &str) -> Vec<(usize, usize)> {
    let named: HashMap<(String, String), usize> =
        set.frames().iter().enumerate().map(|(at, frame)| (key(frame), at)).collect();
    let base = |frame: &Frame| base_names(frame, suffix).iter().find_map(|name| named.get(name).copied());
    set.frames().iter().enumerate().filter_map(|(at, frame)| Some((at, base(frame)?))).collect()
}

impl CompanionFrames {
    /// The same companions after frames were renamed: `before` lists the old names in the order of the frames of `now`.
    pub fn renamed(self, before: &[(Name, Name)], now: &FrameSet) -> Self {
        let names = now.frames().iter().map(|frame| (frame.sprite().clone(), frame.name().clone()));
        let new: HashMap<&(Name, Name), (Name, Name)> = before.iter().zip(names).collect();
        let of = self.of.into_iter().filter_map(|(old, image)| Some((new.get(&old)?.clone(), image)));
        Self { of: of.collect(), spec: self.spec }
    }

    /// Gives mirror images of base frames mirrored companions. Directions in them are the game's to turn.
    pub fn add_mirrored(&mut self, copies: &[MirroredCopy]) {
        for MirroredCopy { sprite, of, name } in copies {
            if let Some(canvas) = self.of.get(&(sprite.clone(), of.clone())) {
                let image = Pixels::from_image(imageops::flip_horizontal(&canvas.to_image()));
                self.of.insert((sprite.clone(), name.clone()), image);
            }
        }
    }
}

/// Cuts companions like the frames of a set that was trimmed since; its canvases may have grown to the right and
/// downwards.
pub fn fit_companions(set: &FrameSet, companions: &[CompanionFrames]) -> Vec<Layer> {
    companions.iter().map(|companions| fitted(set, companions)).collect()
}

fn fitted(set: &FrameSet, companions: &CompanionFrames) -> Layer {
    let neutral = companions.spec.neutral.0;
    // One picture stands for all that are missing.
    let size = set.frames().iter().fold(Size::default(), |size, frame| size.union(frame.canvas()));
    let mut stand_in: Option<Pixels> = None;
    let mut missing = Vec::new();
    let mut canvases = Vec::with_capacity(set.frames().len());
    for (at, frame) in set.frames().iter().enumerate() {
        let whole = match companions.of.get(&(frame.sprite().clone(), frame.name().clone())) {
            Some(whole) => grown(whole, frame.canvas(), neutral),
            None => {
                missing.push(at);
                let plain = || Pixels::from_image(RgbaImage::from_pixel(size.width, size.height, neutral));
                let whole = stand_in.get_or_insert_with(plain);
                whole.crop(Rect::of(frame.canvas())).expect("it is as large as any canvas")
            }
        };
        canvases.push(whole);
    }
    let part = |(frame, canvas): (&Frame, &Pixels)| {
        canvas.crop(frame.kept_rect()).expect("a frame's pixels are inside its canvas")
    };
    let pixels = set.frames().iter().zip(&canvases).map(part).collect();
    Layer { suffix: companions.spec.suffix.clone(), canvases, pixels, missing }
}

/// A companion on a canvas that has grown to the right and downwards: what is new says nothing.
fn grown(whole: &Pixels, canvas: Size, neutral: Rgba<u8>) -> Pixels {
    if whole.size() == canvas {
        return whole.clone();
    }
    let mut image = RgbaImage::from_pixel(canvas.width, canvas.height, neutral);
    imageops::replace(&mut image, &whole.to_image(), 0, 0);
    Pixels::from_image(image)
}

impl Layer {
    /// The same layer for frames listed in another order, or twice.
    pub(super) fn listed(self, origin: &[usize]) -> Self {
        let listed = |all: &[Pixels]| origin.iter().map(|&at| all[at].clone()).collect();
        let (canvases, pixels) = (listed(&self.canvases), listed(&self.pixels));
        let missing = (0..origin.len()).filter(|&at| self.missing.contains(&origin[at])).collect();
        Self { canvases, pixels, missing, ..self }
    }
}

fn key(frame: &Frame) -> (String, String) {
    (frame.sprite().to_string(), frame.name().to_string())
}

/// What the base frame of a companion could be called, by sprite and name: `koi-00_n`, `koi_n-00`, or `koi-00` of the
/// sprite `koi_n`. None where the frame isn't a companion.
fn base_names(frame: &Frame, suffix: &str) -> Vec<(String, String)> {
    let (sprite, name) = key(frame);
    let base_sprite = sprite.strip_suffix(suffix).filter(|rest| !rest.is_empty()).map(str::to_owned);
    let mut names = Vec::new();
    let without_suffix = |name: &str| {
        let number = name.trim_end_matches(|c: char| c.is_ascii_digit());
        let stem = number.trim_end_matches(['-', '_', ' ', '.']);
        let tail = &name[stem.len()..];
        let whole = name.strip_suffix(suffix).map(str::to_owned);
        whole.or_else(|| stem.strip_suffix(suffix).map(|stem| format!("{stem}{tail}")))
    };
    let bare = without_suffix(&name).filter(|name| !name.is_empty());
    if let Some(base_sprite) = base_sprite {
        if let Some(tail) = name.strip_prefix(&sprite) {
            names.push((base_sprite.clone(), format!("{base_sprite}{tail}")));
        }
        names.extend(bare.clone().map(|name| (base_sprite.clone(), name)));
        names.push((base_sprite, name));
    }
    names.extend(bare.map(|name| (sprite, name)));
    names
}

#[cfg(test)]
mod tests {
    use super::*;

    fn frame(sprite: &str, name: &str, side: u32) -> Frame {
        let pixels = Pixels::from_image(RgbaImage::new(side, side));
        Frame::new(Name::new(sprite).unwrap(), Name::new(name).unwrap(), pixels).unwrap()
    }

    fn spec(suffix: &str) -> CompanionSpec {
        CompanionSpec { suffix: suffix.into(), neutral: "8080ff".parse().unwrap() }
    }

    #[test]
    fn companions_are_found_by_frame_by_number_and_by_sprite() {
        for (sprite, name) in
            [("koi", "koi-00_n"), ("koi_n", "koi_n-00"), ("koi_n", "koi-00"), ("koi", "koi_n-00")]
        {
            let frames = vec![frame("koi", "koi-00", 4), frame("koi", "koi-01", 4), frame(sprite, name, 4)];
            let set = FrameSet::new(frames, Vec::new()).unwrap();
            let (base, companions) = take_companions(&set, &[spec("_n")]).unwrap();
            assert_eq!(base.frames().len(), 2, "{sprite}:{name}");
            let layer = &fit_companions(&base, &companions)[0];
            assert_eq!(layer.missing, [1], "{sprite}:{name}");
            assert_eq!(layer.pixels[1].get(0, 0), Some(image::Rgba([128, 128, 255, 255])));
        }
    }

    #[test]
    fn what_does_not_belong_together_is_named() {
        let error = |frames: Vec<Frame>| {
            let set = FrameSet::new(frames, Vec::new()).unwrap();
            take_companions(&set, &[spec("_n")]).unwrap_err().to_string()
        };
        let text = error(vec![frame("koi", "koi-00", 4), frame("koi", "koi-00_n", 5)]);
        assert_eq!(text, "'koi-00_n' is 5x5 px, but its base frame 'koi-00' is 4x4 px");
        let text = error(vec![frame("koi", "koi-00", 4), frame("koi", "koi-07_n", 4)]);
        assert_eq!(text, "'koi-07_n' ends in '_n', but has no base frame");
        assert_eq!(error(vec![frame("koi", "koi-00", 4)]), "no frame name ends in '_n'");
    }
}
