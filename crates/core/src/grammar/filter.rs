//! Narrowing any command to a part of a set: a sprite, a clip, or a selection of frames.

use std::collections::HashSet;
use std::fmt;
use std::str::FromStr;

use crate::clip::Clip;
use crate::{FrameSet, Name, SelectError, Selection, closest_name};

/// What a person typed to narrow a command: a sprite, a clip (`swim` or `koi:swim`), several of them, or a selection.
/// Which of them it is shows only with a set.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FrameFilter(String);

/// Why nothing is left.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum FilterError {
    /// Several sprites have a clip of that name.
    #[error("several sprites have a clip '{text}'; write one of: {list}", list = known.join(", "))]
    WhichClip {
        /// What was typed.
        text: String,
        /// The choices.
        known: Vec<String>,
    },
    /// A selection that does not fit.
    #[error(transparent)]
    Select(#[from] SelectError),
    /// No sprite, no clip, no selection.
    #[error("'{text}' is not a sprite, a clip or a selection of frames")]
    Unknown {
        /// What was typed.
        text: String,
        /// The nearest name there is.
        nearest: Option<String>,
        /// All names there are.
        known: Vec<String>,
        /// Whether a frame is called so.
        is_frame: bool,
    },
}

impl FromStr for FrameFilter {
    type Err = std::convert::Infallible;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        Ok(Self(text.trim().to_owned()))
    }
}

impl fmt::Display for FrameFilter {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl FrameFilter {
    /// A whole sprite.
    pub fn sprite(name: &Name) -> Self {
        Self(name.to_string())
    }

    /// A clip and its frames.
    pub fn clip(clip: &Clip) -> Self {
        Self(clip.qualified_name())
    }

    /// The part of a set that is meant. A clip brings its frames and itself, and no other clip.
    pub fn of(&self, set: &FrameSet) -> Result<FrameSet, FilterError> {
        if let Some(sprite) = set.sprites().into_iter().find(|sprite| sprite.as_str() == self.0) {
            return Ok(set.subset(set.frames_of(sprite)));
        }
        let clips = set.find_clips(&self.0);
        match clips.as_slice() {
            [one] => return Ok(set.extract_clip(*one)),
            [] => {}
            several => {
                let known = several.iter().map(|&at| set.clips()[at].qualified_name()).collect();
                return Err(FilterError::WhichClip { text: self.0.clone(), known });
            }
        }
        if let Some(several) = self.resolve_names(set)? {
            return Ok(several);
        }
        match self.0.parse::<Selection>() {
            Ok(selection) => Ok(set.subset(&selection.resolve(set)?)),
            Err(_) => Err(self.unknown(set)),
        }
    }

    /// Whether clips are meant, and not sprites or frames.
    pub fn selects_clips(&self, set: &FrameSet) -> bool {
        let is_clip = |name: &str| {
            !set.sprites().iter().any(|sprite| sprite.as_str() == name) && !set.find_clips(name).is_empty()
        };
        is_clip(&self.0) || self.0.split(',').all(|name| is_clip(name.trim()))
    }

    /// The part that a list of sprites and clips means, if that is what it is.
    fn resolve_names(&self, set: &FrameSet) -> Result<Option<FrameSet>, FilterError> {
        let names: Vec<&str> = self.0.split(',').map(str::trim).collect();
        let is_name = |name: &&str| {
            set.sprites().iter().any(|sprite| sprite.as_str() == *name) || !set.find_clips(name).is_empty()
        };
        if names.len() < 2 || !names.iter().all(is_name) {
            return Ok(None);
        }
        let parts =
            names.iter().map(|name| Self((*name).to_owned()).of(set)).collect::<Result<Vec<_>, _>>()?;
        let frames: HashSet<(&Name, &Name)> =
            parts.iter().flat_map(FrameSet::frames).map(|frame| (frame.sprite(), frame.name())).collect();
        let clips: HashSet<(&Name, &Name)> =
            parts.iter().flat_map(FrameSet::clips).map(|clip| (clip.sprite(), clip.name())).collect();
        let is_in = |at: &usize| {
            let frame = &set.frames()[*at];
            frames.contains(&(frame.sprite(), frame.name()))
        };
        let places: Vec<usize> = (0..set.frames().len()).filter(is_in).collect();
        Ok(Some(set.subset(&places).only_clips(|clip| clips.contains(&(clip.sprite(), clip.name())))))
    }

    fn unknown(&self, set: &FrameSet) -> FilterError {
        let sprites = set.sprites().into_iter().map(ToString::to_string);
        let known: Vec<String> =
            sprites.chain(set.clips().iter().map(|clip| clip.name().to_string())).collect();
        let whole = set.clips().iter().map(Clip::qualified_name).filter(|_| self.0.contains(':'));
        let nearest = closest_name(&self.0, known.iter().cloned().chain(whole));
        let is_frame = set.frames().iter().any(|frame| frame.name().as_str() == self.0);
        FilterError::Unknown { text: self.0.clone(), nearest, known, is_frame }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::set::tests::{rows, with_clips};

    #[test]
    fn a_sprite_a_clip_and_a_selection() {
        let frog = with_clips(rows("frog", &[4]), &["sit = 0-1", "leap = 1-3"]);
        let set =
            FrameSet::merge([frog, with_clips(rows("koi", &[2]), &["swim = 0-1", "leap = 0"])]).unwrap();
        let narrowed = |text: &str| {
            let only: FrameFilter = text.parse().unwrap();
            let set = only.of(&set).map_err(|error| error.to_string())?;
            Ok::<_, String>((set.frames().len(), set.clips().len()))
        };
        assert_eq!(narrowed("koi"), Ok((2, 2)));
        assert_eq!(narrowed("sit"), Ok((2, 1)));
        assert_eq!(narrowed("frog:leap"), Ok((3, 1)));
        assert_eq!(narrowed("frog:0,3"), Ok((2, 0)));
        assert_eq!(narrowed("sit, frog:leap"), Ok((4, 2)));
        assert_eq!(narrowed("sit,koi"), Ok((4, 3)));
        assert_eq!(
            narrowed("leap"),
            Err("several sprites have a clip 'leap'; write one of: frog:leap, koi:leap".into())
        );
        let error = "swin".parse::<FrameFilter>().unwrap().of(&set).unwrap_err();
        assert!(matches!(error, FilterError::Unknown { nearest: Some(name), .. } if name == "swim"));
    }
}
