//! Which frames of a set go together, by clip or by sprite.

use crate::FrameSet;

/// The frames of each clip, each frame once, then one group per sprite of those in no clip.
pub(crate) fn frames_by_clip(set: &FrameSet) -> Vec<Vec<usize>> {
    let mut taken = vec![false; set.frames().len()];
    let mut fresh = |places: &mut dyn Iterator<Item = usize>| -> Vec<usize> {
        places.filter(|&at| !std::mem::replace(&mut taken[at], true)).collect()
    };
    let mut groups: Vec<Vec<usize>> =
        set.clips().iter().map(|clip| fresh(&mut clip.steps().iter().map(|step| step.frame))).collect();
    for sprite in set.sprites() {
        groups.push(fresh(&mut set.frames_of(sprite).iter().copied()));
    }
    groups
}
