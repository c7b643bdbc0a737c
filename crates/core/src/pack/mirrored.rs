//! Mirrored steps as pictures of their own, for games that can't mirror, and for layouts where place is index.

use std::collections::{HashMap, HashSet};

use crate::clip::Clip;
use crate::shape::mirrored;
use crate::{FrameSet, Mirror, Name, SetError};

/// Gives every frame that is shown mirrored a mirror image of its own, called like it with `-mirror`, which clips then show as it
/// is. The images come after all other frames.
///
/// # Errors
/// None that a set can have; names are chosen free.
pub fn draw_mirrored(set: FrameSet) -> Result<FrameSet, SetError> {
    let mut place: HashMap<usize, usize> = HashMap::new();
    let mut frames = set.frames().to_vec();
    let mut taken: HashSet<(Name, Name)> =
        frames.iter().map(|frame| (frame.sprite().clone(), frame.name().clone())).collect();
    for step in set.clips().iter().flat_map(Clip::steps).filter(|step| step.mirror) {
        if place.contains_key(&step.frame) {
            continue;
        }
        let frame = &set.frames()[step.frame];
        let (sprite, of) = (frame.sprite().clone(), frame.name().clone());
        // Where the name would be too long a plain number will do.
        let texts = [format!("{of}-mirror")].into_iter().chain((2..).map(|n| format!("mirror-{n}")));
        let is_free = |name: &Name| !taken.contains(&(sprite.clone(), name.clone()));
        let name = texts.filter_map(|text| Name::new(text).ok()).find(is_free).expect("numbers never end");
        taken.insert((sprite.clone(), name.clone()));
        place.insert(step.frame, frames.len());
        frames.push(mirrored(frame.clone(), Mirror::LeftRight).with_name(name));
    }
    if place.is_empty() {
        return Ok(set);
    }
    let clips = set.clips().iter().map(|clip| clip.clone().showing_copies(|frame| place[&frame])).collect();
    let carried = set.carried().clone();
    Ok(FrameSet::new(frames, clips)?.with_carried(carried))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::Step;
    use crate::set::tests::{rows, with_clips};

    #[test]
    fn a_mirrored_clip_shows_pictures_that_are_drawn_so() {
        let set = with_clips(rows("frog", &[3]), &["right = 0-2", "left = 0-2 mirror", "back = 2-0 mirror"]);
        let drawn = draw_mirrored(set.clone()).unwrap();
        assert_eq!(drawn.frames().len(), 6);
        let steps = |at: usize| {
            drawn.clips()[at].steps().iter().map(|step: &Step| (step.frame, step.mirror)).collect::<Vec<_>>()
        };
        assert_eq!(steps(0), [(0, false), (1, false), (2, false)]);
        assert_eq!(steps(1), [(3, false), (4, false), (5, false)]);
        assert_eq!(steps(2), [(5, false), (4, false), (3, false)]);
        let (frame, image) = (&set.frames()[1], &drawn.frames()[4]);
        assert_eq!(image.name().as_str(), format!("{}-mirror", frame.name()));
        let width = frame.canvas().width;
        for (x, y) in [(0, 0), (width - 1, 1), (1, 2)] {
            assert_eq!(image.full_image().get(x, y), frame.full_image().get(width - 1 - x, y));
        }
        // Nothing is mirrored any more.
        assert_eq!(draw_mirrored(drawn).unwrap().frames().len(), 6);
    }
}
