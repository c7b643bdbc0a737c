//! Companions that come as frames of their own, named after their base frames: a folder `koi_n` beside `koi`.
//!
//! [`take_companions`] gives them to their base frames before anything else is done; [`missing_companions`] are neutral on the
//! pages, where each frame has all that any has.

use std::collections::HashMap;

use crate::{
    Color, Companion, CompanionKind, CompanionSpec, Frame, FrameSet, Name, Pixels, Rect, SetError, Size,
};
use image::{Rgba, RgbaImage};

/// Why companions can't be laid out.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
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
    /// No companion has the suffix.
    #[error("no frame name ends in '{suffix}'")]
    None {
        /// The suffix.
        suffix: String,
    },
}

/// The base frames of a set with their companions, and the clips that play them. Companions that frames have already are kept.
///
/// # Errors
/// If a companion has no base frame or another size, or there is none of a suffix.
pub fn take_companions(set: &FrameSet, specs: &[CompanionSpec]) -> Result<FrameSet, CompanionError> {
    let mut is_base = vec![true; set.frames().len()];
    let named: HashMap<(String, String), usize> =
        set.frames().iter().enumerate().map(|(at, frame)| (key(frame), at)).collect();
    let mut companions: Vec<Vec<(&str, &Frame)>> = vec![Vec::new(); set.frames().len()];
    for spec in specs {
        let mut is_found = set.frames().iter().any(|frame| frame.companion(&spec.suffix).is_some());
        for (at, frame) in set.frames().iter().enumerate() {
            let names = base_names(frame, &spec.suffix);
            if names.is_empty() {
                continue;
            }
            let Some(&base_at) = names.iter().find_map(|name| named.get(name)) else {
                let (companion, suffix) = (frame.name().clone(), spec.suffix.clone());
                return Err(CompanionError::NoBase { companion, suffix });
            };
            let base = &set.frames()[base_at];
            if frame.canvas() != base.canvas() {
                let (companion, found) = (frame.name().clone(), frame.canvas());
                let (base, wanted) = (base.name().clone(), base.canvas());
                return Err(CompanionError::OtherSize { companion, found, base, wanted });
            }
            is_base[at] = false;
            is_found = true;
            companions[base_at].push((&spec.suffix, frame));
        }
        if !is_found {
            return Err(CompanionError::None { suffix: spec.suffix.clone() });
        }
    }
    let specs: Vec<CompanionSpec> = specs.iter().map(|spec| with_background(spec, &companions)).collect();
    let spec_of = |suffix: &str| specs.iter().find(|spec| spec.suffix == suffix);
    let base: Vec<usize> = (0..is_base.len()).filter(|&at| is_base[at]).collect();
    let with_own = |at: usize, frame: Frame| -> Result<Frame, SetError> {
        let own =
            companions[base[at]].iter().filter_map(|(suffix, picture)| Some((spec_of(suffix)?, picture)));
        let frame = own.fold(frame, |frame, (spec, picture)| {
            frame.with_companion(spec.clone(), picture).expect("both have one canvas")
        });
        Ok(frame.respecify_companions(&specs))
    };
    Ok(set.subset(&base).map_frames(with_own).expect("names stay"))
}

/// Height and glow are often painted on black: if all companions of a suffix have one opaque color in all corners, that is
/// neutral, unless another color was asked for.
fn with_background(spec: &CompanionSpec, companions: &[Vec<(&str, &Frame)>]) -> CompanionSpec {
    let all = companions.iter().flatten().filter(|(suffix, _)| *suffix == spec.suffix);
    let corners = all.flat_map(|(_, picture)| {
        let Size { width, height } = picture.canvas();
        let (right, bottom) = (width - 1, height - 1);
        [(0, 0), (right, 0), (0, bottom), (right, bottom)].map(|(x, y)| picture.color_at(x, y))
    });
    let mut colors: Vec<Rgba<u8>> = corners.collect();
    colors.dedup();
    match (&colors[..], spec.kind) {
        (&[one], CompanionKind::Color) if one[3] == u8::MAX && spec.neutral == spec.kind.neutral() => {
            CompanionSpec { neutral: Color(one), ..spec.clone() }
        }
        _ => spec.clone(),
    }
}

/// The companions that any frame of a set has, in the order of the suffixes, each with the frames that lack it.
pub fn missing_companions(set: &FrameSet) -> Vec<(CompanionSpec, Vec<usize>)> {
    let mut specs: Vec<&CompanionSpec> = Vec::new();
    for companion in set.frames().iter().flat_map(Frame::companions) {
        if !specs.iter().any(|spec| spec.suffix == companion.spec.suffix) {
            specs.push(&companion.spec);
        }
    }
    specs.sort_by_key(|spec| &spec.suffix);
    let lacking = |spec: &CompanionSpec| {
        let frames = set.frames().iter().enumerate();
        frames.filter(|(_, frame)| frame.companion(&spec.suffix).is_none()).map(|(at, _)| at).collect()
    };
    specs.into_iter().map(|spec| (spec.clone(), lacking(spec))).collect()
}

/// The same frames, each with all these companions in this order; those that are missing are neutral.
pub(super) fn complete_companions(set: FrameSet, specs: &[CompanionSpec]) -> Result<FrameSet, SetError> {
    if specs.is_empty() {
        return Ok(set);
    }
    // One picture stands for all that are missing.
    let size = set.frames().iter().fold(Size::default(), |size, frame| size.union(frame.pixels().size()));
    let plain = |spec: &CompanionSpec| {
        Pixels::from_image(RgbaImage::from_pixel(size.width, size.height, spec.neutral.0))
    };
    let stand_ins: Vec<std::sync::OnceLock<Pixels>> = specs.iter().map(|_| Default::default()).collect();
    set.map_frames(|_, frame| {
        let one = |(spec, stand_in): (&CompanionSpec, &std::sync::OnceLock<Pixels>)| {
            frame.companion(&spec.suffix).cloned().unwrap_or_else(|| Companion {
                spec: spec.clone(),
                pixels: stand_in
                    .get_or_init(|| plain(spec))
                    .crop(Rect::of(frame.pixels().size()))
                    .expect("it is as large as any frame"),
            })
        };
        let companions = specs.iter().zip(&stand_ins).map(one).collect();
        Ok(frame.with_companions(companions))
    })
}

/// Frames whose name, or whose sprite's, ends in `suffix`, each with the frame it is a companion of.
pub(crate) fn base_of_each(set: &FrameSet, suffix: &str) -> Vec<(usize, usize)> {
    let named: HashMap<(String, String), usize> =
        set.frames().iter().enumerate().map(|(at, frame)| (key(frame), at)).collect();
    let base = |frame: &Frame| base_names(frame, suffix).iter().find_map(|name| named.get(name).copied());
    set.frames().iter().enumerate().filter_map(|(at, frame)| Some((at, base(frame)?))).collect()
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
        CompanionSpec::of_suffix(suffix)
    }

    #[test]
    fn companions_are_found_by_frame_by_number_and_by_sprite() {
        for (sprite, name) in
            [("koi", "koi-00_n"), ("koi_n", "koi_n-00"), ("koi_n", "koi-00"), ("koi", "koi_n-00")]
        {
            let frames = vec![frame("koi", "koi-00", 4), frame("koi", "koi-01", 4), frame(sprite, name, 4)];
            let set = FrameSet::new(frames, Vec::new()).unwrap();
            let base = take_companions(&set, &[spec("_n")]).unwrap();
            assert_eq!(base.frames().len(), 2, "{sprite}:{name}");
            assert_eq!(missing_companions(&base), [(spec("_n"), vec![1])], "{sprite}:{name}");
            let complete = complete_companions(base, &[spec("_n")]).unwrap();
            let filled = complete.frames()[1].companion("_n").unwrap();
            assert_eq!(filled.pixels.get(3, 3), Some(image::Rgba([128, 128, 255, 255])));
        }
    }

    #[test]
    fn a_glow_on_black_widens_a_frame_only_as_far_as_it_glows() {
        let glow = |background: [u8; 4]| {
            let mut image = RgbaImage::from_pixel(9, 9, Rgba(background));
            image.put_pixel(6, 2, Rgba([255, 220, 90, 255]));
            Frame::new(
                Name::new("lamp_e").unwrap(),
                Name::new("lamp_e-0").unwrap(),
                Pixels::from_image(image),
            )
        };
        let mut lamp = RgbaImage::new(9, 9);
        lamp.put_pixel(4, 4, Rgba([60, 50, 40, 255]));
        let lamp =
            Frame::new(Name::new("lamp").unwrap(), Name::new("lamp-0").unwrap(), Pixels::from_image(lamp));
        let lamp = lamp.unwrap();
        for (background, neutral) in [([0, 0, 0, 255], "000000"), ([0; 4], "00000000")] {
            let set = FrameSet::new(vec![lamp.clone(), glow(background).unwrap()], vec![]).unwrap();
            let set = take_companions(&set, &[spec("_e")]).unwrap();
            let frame = &set.frames()[0];
            assert_eq!(frame.extent(0), Some(Rect::new(4, 2, 3, 3)));
            assert_eq!(frame.companion("_e").unwrap().spec.neutral, neutral.parse().unwrap());
            let trimmed = frame.clone().trim_to_content();
            assert_eq!(trimmed.extent(0), Some(trimmed.kept_rect()));
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
