//! A clip that is made with options of its own.

use shibori_core::clip::Clip;
use shibori_core::{Frame, FrameSet, clips_sharing_frames, unshare_frames};

use crate::{ClipsError, Error};

/// The set with the frames of one clip as they are in `other`, which is the same sprite made with options of that clip. With
/// `is_apart`, frames that other clips show too are copied first.
///
/// # Errors
/// If there is no such clip, it is not the same in both, or another clip shows its frames.
pub(crate) fn replace_clip_frames(
    set: FrameSet,
    other: &FrameSet,
    name: &str,
    is_apart: bool,
) -> Result<FrameSet, Error> {
    let at = find_clip(&set, name)?;
    let part = set.extract_clip(at);
    let beyond = clips_sharing_frames(&set, &part);
    let set = match (beyond.is_empty(), is_apart) {
        (true, _) => set,
        (false, true) => unshare_frames(&set, &part)?,
        (false, false) => {
            let clips = beyond.iter().map(|clip| clip.qualified_name()).collect();
            return Err(Error::Clips(ClipsError::SharedFrames {
                clips,
                own: vec![set.clips()[at].qualified_name()],
            }));
        }
    };
    let theirs = &other.clips()[find_clip(other, name)?];
    let ours = &set.clips()[at];
    let differs = || Error::Clips(ClipsError::OtherCut { clip: name.to_owned() });
    if ours.steps().len() != theirs.steps().len() {
        return Err(differs());
    }
    let frame_of = |set: &FrameSet, clip: &Clip, step: usize| set.frames()[clip.steps()[step].frame].clone();
    let mut new: Vec<Frame> = Vec::new();
    for step in 0..ours.steps().len() {
        let (our, their) = (frame_of(&set, ours, step), frame_of(other, theirs, step));
        if our.source() != their.source() {
            return Err(differs());
        }
        if new.iter().all(|frame| frame.name() != our.name()) {
            new.push(their.with_name(our.name().clone()));
        }
    }
    Ok(set.replace_frames(&FrameSet::new(new, Vec::new())?)?)
}

fn find_clip(set: &FrameSet, name: &str) -> Result<usize, Error> {
    match set.find_clips(name).as_slice() {
        [one] => Ok(*one),
        _ => {
            let known = set.clips().iter().map(|clip| clip.name().to_string()).collect();
            Err(Error::Clips(ClipsError::NoSuchClip { clip: name.to_owned(), known }))
        }
    }
}
