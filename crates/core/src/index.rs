//! Which frame belongs to which sprite and clip: tables made once, so that asking for each of many frames costs no search
//! through all the others.

use std::collections::HashMap;

use crate::sequence::Clip;
use crate::{Frame, Name};

/// Sprites are numbered in the order in which they first appear.
#[derive(Clone, Debug, Default)]
pub struct SetIndex {
    /// The places of each sprite's frames.
    sprites: Vec<Vec<usize>>,
    by_name: HashMap<Name, usize>,
    /// Of each frame.
    sprite_of: Vec<usize>,
    number_in_sprite: Vec<usize>,
    first_clip: Vec<Option<usize>>,
    /// The places of each sprite's clips.
    clips: Vec<Vec<usize>>,
}

impl SetIndex {
    pub(crate) fn of(frames: &[Frame], clips: &[Clip]) -> Self {
        let mut index = Self { first_clip: vec![None; frames.len()], ..Self::default() };
        for (at, frame) in frames.iter().enumerate() {
            let known = match index.by_name.get(frame.sprite()) {
                Some(&known) => known,
                None => {
                    index.by_name.insert(frame.sprite().clone(), index.sprites.len());
                    index.sprites.push(Vec::new());
                    index.sprites.len() - 1
                }
            };
            index.sprite_of.push(known);
            index.number_in_sprite.push(index.sprites[known].len());
            index.sprites[known].push(at);
        }
        index.clips = vec![Vec::new(); index.sprites.len()];
        for (at, clip) in clips.iter().enumerate() {
            if let Some(&sprite) = index.by_name.get(clip.sprite()) {
                index.clips[sprite].push(at);
            }
            for step in clip.steps() {
                index.first_clip[step.frame].get_or_insert(at);
            }
        }
        index
    }

    /// The places of each sprite's frames; none is empty.
    pub fn sprites(&self) -> impl ExactSizeIterator<Item = &[usize]> {
        self.sprites.iter().map(Vec::as_slice)
    }

    /// The number of a frame's sprite.
    ///
    /// # Panics
    /// If there is no such frame.
    pub fn sprite_of(&self, frame: usize) -> usize {
        self.sprite_of[frame]
    }

    /// The places of a sprite's frames.
    pub fn frames_of(&self, sprite: &Name) -> &[usize] {
        self.by_name.get(sprite).map_or(&[], |&sprite| &self.sprites[sprite])
    }

    /// The places of a sprite's clips.
    pub fn clips_of(&self, sprite: &Name) -> &[usize] {
        self.by_name.get(sprite).map_or(&[], |&sprite| &self.clips[sprite])
    }

    /// The number of a frame within its sprite, from 0.
    ///
    /// # Panics
    /// If there is no such frame.
    pub fn number_in_sprite(&self, frame: usize) -> usize {
        self.number_in_sprite[frame]
    }

    /// The place of the first clip that plays a frame.
    pub fn first_clip_of(&self, frame: usize) -> Option<usize> {
        self.first_clip.get(frame).copied().flatten()
    }
}
