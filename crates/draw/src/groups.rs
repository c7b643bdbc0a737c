//! What pictures show side by side.

use shibori_core::FrameSet;
use shibori_core::clip::Clip;

/// The frames of each clip in the order of its steps, under the clip's name; of a set
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
