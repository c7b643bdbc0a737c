//! Frames that can lie in one place because they show the same picture.

use std::collections::HashMap;
use std::hash::{DefaultHasher, Hash, Hasher};

use crate::{Frame, Pixels};

/// Which frames show which picture.
pub(super) struct Shared {
    /// For each frame its picture; `None` for a blank frame, which needs no place.
    pub(super) picture_of: Vec<Option<usize>>,
    /// For each picture the first frame that shows it.
    pub(super) distinct: Vec<usize>,
}

/// Finds frames whose kept pixels look the same. Without `share` only blank frames are found.
pub(super) fn find(frames: &[Frame], share: bool) -> Shared {
    let mut shared = Shared { picture_of: Vec::with_capacity(frames.len()), distinct: Vec::new() };
    let mut by_sum: HashMap<u64, Vec<usize>> = HashMap::new();
    for (at, frame) in frames.iter().enumerate() {
        if frame.is_blank() {
            shared.picture_of.push(None);
            continue;
        }
        let twins = by_sum.entry(if share { sum(frame.pixels()) } else { at as u64 }).or_default();
        let looks_same =
            |picture: &&usize| frames[shared.distinct[**picture]].pixels().looks_like(frame.pixels());
        let picture = match twins.iter().find(looks_same) {
            Some(&picture) => picture,
            None => {
                let picture = shared.distinct.len();
                shared.distinct.push(at);
                twins.push(picture);
                picture
            }
        };
        shared.picture_of.push(Some(picture));
    }
    shared
}

/// A sum that is equal for pictures that look the same. Only ever compared within one run.
fn sum(pixels: &Pixels) -> u64 {
    let mut hasher = DefaultHasher::new();
    pixels.size().hash(&mut hasher);
    for row in pixels.rows() {
        for pixel in row.chunks_exact(4) {
            let seen = if pixel[3] == 0 { [0; 4] } else { [pixel[0], pixel[1], pixel[2], pixel[3]] };
            hasher.write_u32(u32::from_le_bytes(seen));
        }
    }
    hasher.finish()
}
