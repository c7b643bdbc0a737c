//! Frames whose companion is not there, or has another size: a normal map of one frame too few is seen in the game as a flash.
//!
//! Companions are recognized by their names (`koi-00_n`, a sprite `koi_normal`), and only where most frames beside it have one.
//! Companions aren't drawings: other rules leave them alone. Files of an atlas are not known here.

use std::collections::HashSet;

use crate::check::{Finding, Fix, Observation, Rule, frame_finding};
use crate::pack::base_of_each;
use crate::{FrameSet, Name};

/// What names of companions end in, as the trade has it: normals, light, gloss, shade, height, masks.
const SUFFIXES: [&str; 18] = [
    "_n",
    "_normal",
    "_normals",
    "_nrm",
    "_e",
    "_emission",
    "_emissive",
    "_glow",
    "_spec",
    "_specular",
    "_rough",
    "_roughness",
    "_ao",
    "_occlusion",
    "_height",
    "_depth",
    "_mask",
    "_masks",
];

/// Beside these, `_n` and `_e` are north and east.
const WEST: &str = "_w";
const COMPASS: [&str; 2] = ["_n", "_e"];

/// The frames that are companions of others, and what is wrong with them.
pub(super) fn find(set: &FrameSet) -> (HashSet<usize>, Vec<Finding>) {
    let (mut companions, mut findings) = (HashSet::new(), Vec::new());
    let has_directions = !base_of_each(set, WEST).is_empty();
    for suffix in SUFFIXES.into_iter().filter(|suffix| !(has_directions && COMPASS.contains(suffix))) {
        let pairs = base_of_each(set, suffix);
        let sprites: HashSet<&Name> = pairs.iter().map(|&(_, base)| set.frames()[base].sprite()).collect();
        let own: HashSet<usize> = pairs.iter().map(|&(companion, _)| companion).collect();
        let has: HashSet<usize> = pairs.iter().map(|&(_, base)| base).collect();
        let bases: Vec<usize> = (0..set.frames().len())
            .filter(|at| sprites.contains(set.frames()[*at].sprite()) && !own.contains(at))
            .filter(|at| !companions.contains(at))
            .collect();
        if has.len() * 2 < bases.len() || has.is_empty() {
            continue;
        }
        let Some(&(example, like)) = pairs.first() else { continue };
        for at in bases.into_iter().filter(|at| !has.contains(at)) {
            let seen = Observation::NoCompanion { like, example };
            findings.push(frame_finding(set, at, Rule::Companion, seen, Fix::FillCompanion(suffix)));
        }
        for &(companion, base) in &pairs {
            let (found, wanted) = (set.frames()[companion].canvas(), set.frames()[base].canvas());
            if found != wanted {
                let seen = Observation::OtherCompanion { base };
                findings.push(frame_finding(set, companion, Rule::Companion, seen, Fix::Fit(wanted)));
            }
        }
        companions.extend(own);
    }
    (companions, findings)
}

#[cfg(test)]
mod tests {
    use image::RgbaImage;

    use super::*;
    use crate::{Frame, Pixels};

    fn found(names: &[&str]) -> (usize, Vec<String>) {
        let frame = |name: &&str| {
            let pixels = Pixels::from_image(RgbaImage::new(4, 4));
            Frame::new(Name::new("koi").unwrap(), Name::new(*name).unwrap(), pixels).unwrap()
        };
        let set = FrameSet::new(names.iter().map(frame).collect(), Vec::new()).unwrap();
        let (companions, findings) = find(&set);
        (companions.len(), findings.iter().map(|one| set.frames()[one.frame].name().to_string()).collect())
    }

    #[test]
    fn only_what_most_have_is_missed_and_points_of_the_compass_are_none() {
        assert_eq!(found(&["a", "a_n", "b", "b_n", "c"]), (2, vec!["c".to_owned()]));
        assert_eq!(found(&["a", "a_n", "b", "c"]), (0, Vec::new()));
        assert_eq!(found(&["walk", "walk_n", "walk_e", "walk_w", "swim"]), (0, Vec::new()));
    }
}
