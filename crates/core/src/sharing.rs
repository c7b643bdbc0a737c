//! Clips that share frames with others, and frames of their own for them.

use std::collections::{HashMap, HashSet};

use crate::clip::Clip;
use crate::{Frame, FrameSet, Name, SetError};

/// What a frame is known by.
fn key(frame: &Frame) -> (&Name, &Name) {
    (frame.sprite(), frame.name())
}

/// The clips of a set that are not in a part of it and share frames with it, directly or through each other: whoever
/// changes one of them has to change all.
pub fn clips_sharing_frames<'a>(set: &'a FrameSet, part: &FrameSet) -> Vec<&'a Clip> {
    let own: HashSet<(&Name, &Name)> = part.clips().iter().map(|clip| (clip.sprite(), clip.name())).collect();
    let mut reached: HashSet<(&Name, &Name)> = part.frames().iter().map(key).collect();
    let mut is_shared = vec![false; set.clips().len()];
    loop {
        let shares =
            |clip: &Clip| clip.steps().iter().any(|step| reached.contains(&key(&set.frames()[step.frame])));
        let is_new = |at: &usize| {
            let clip = &set.clips()[*at];
            !is_shared[*at] && !own.contains(&(clip.sprite(), clip.name())) && shares(clip)
        };
        let new: Vec<usize> = (0..set.clips().len()).filter(is_new).collect();
        if new.is_empty() {
            let shared = set.clips().iter().zip(&is_shared).filter(|(_, is_shared)| **is_shared);
            return shared.map(|(clip, _)| clip).collect();
        }
        for at in new {
            is_shared[at] = true;
            reached.extend(set.clips()[at].steps().iter().map(|step| key(&set.frames()[step.frame])));
        }
    }
}

/// Copies every frame that the subset's clips share with other clips, and makes the subset use the copies. Copies are
/// named after the first clip that uses them and appended to the set.
///
/// # Errors
/// None that a set can have; names are chosen free.
pub fn unshare_frames(set: &FrameSet, part: &FrameSet) -> Result<FrameSet, SetError> {
    let own: HashSet<(&Name, &Name)> = part.clips().iter().map(|clip| (clip.sprite(), clip.name())).collect();
    let is_own = |clip: &Clip| own.contains(&(clip.sprite(), clip.name()));
    let shown: HashSet<usize> =
        clips_sharing_frames(set, part).iter().flat_map(|clip| clip.steps()).map(|step| step.frame).collect();
    let mut frames = set.frames().to_vec();
    let mut taken: HashSet<(Name, Name)> =
        frames.iter().map(|frame| (frame.sprite().clone(), frame.name().clone())).collect();
    let mut copy: HashMap<usize, usize> = HashMap::new();
    for clip in set.clips().iter().filter(|clip| is_own(clip)) {
        for at in clip.steps().iter().map(|step| step.frame).filter(|at| shown.contains(at)) {
            if copy.contains_key(&at) {
                continue;
            }
            let frame = &set.frames()[at];
            let texts = [format!("{}-{}", frame.name(), clip.name())].into_iter();
            let texts = texts.chain((2..).map(|n| format!("own-{n}")));
            let is_free = |name: &Name| !taken.contains(&(frame.sprite().clone(), name.clone()));
            let name =
                texts.filter_map(|text| Name::new(text).ok()).find(is_free).expect("numbers never end");
            taken.insert((frame.sprite().clone(), name.clone()));
            copy.insert(at, frames.len());
            frames.push(frame.clone().with_name(name));
        }
    }
    let moved = |clip: &Clip| match is_own(clip) {
        true => clip.clone().with_frames(|_, frame| copy.get(&frame).copied().unwrap_or(frame)),
        false => clip.clone(),
    };
    let clips = set.clips().iter().map(moved).collect();
    Ok(FrameSet::new(frames, clips)?.with_carried(set.carried().clone()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::set::tests::{rows, with_clips};

    #[test]
    fn a_clip_gets_frames_of_its_own_and_no_other_clip_changes() {
        let set = with_clips(rows("koi", &[5]), &["swim = 0-3", "turn = 2-4", "rest = 4"]);
        let clip_names =
            |clips: Vec<&Clip>| clips.iter().map(|clip| clip.name().to_string()).collect::<Vec<_>>();
        let part = set.extract_clip(1);
        assert_eq!(clip_names(clips_sharing_frames(&set, &part)), ["swim", "rest"]);
        let own = unshare_frames(&set, &part).unwrap();
        let steps = |at: usize| own.clips()[at].steps().iter().map(|step| step.frame).collect::<Vec<_>>();
        assert_eq!((steps(0), steps(1), steps(2)), (vec![0, 1, 2, 3], vec![5, 6, 7], vec![4]));
        let names: Vec<String> = own.frames()[5..].iter().map(|frame| frame.name().to_string()).collect();
        assert_eq!(names, [2, 3, 4].map(|at| format!("{}-turn", set.frames()[at].name())));
        assert!(clips_sharing_frames(&own, &own.extract_clip(1)).is_empty());
        assert!(clips_sharing_frames(&set, &set).is_empty());
        // Through 'turn', 'swim' shares frames with 'rest'.
        assert_eq!(clip_names(clips_sharing_frames(&set, &set.extract_clip(0))), ["turn", "rest"]);
    }
}
