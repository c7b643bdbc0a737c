//! Which frames of a set go together, by clip or by sprite.

use crate::FrameSet;
use crate::clip::Clip;

/// The frames of each clip, each frame once, then one group per sprite of those in no clip.
pub(crate) fn by_clip(set: &FrameSet) -> Vec<Vec<usize>> {
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

/// What pictures show side by side: the frames of each clip in the order of its steps, under the clip's name; of a set
/// without clips those of each sprite.
pub(crate) fn display_groups(set: &FrameSet) -> Vec<(String, Vec<usize>)> {
    let of_clip = |clip: &Clip| {
        let places = clip.steps().iter().map(|step| step.frame).collect();
        (format!("{} {}", clip.sprite(), clip.name()), places)
    };
    if set.clips().is_empty() {
        let sprites = set.index().sprites();
        return sprites
            .map(|places| (set.frames()[places[0]].sprite().to_string(), places.to_vec()))
            .collect();
    }
    set.clips().iter().map(of_clip).collect()
}
