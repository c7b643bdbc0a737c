//! Where the figure of each clip stands, found by registering its frames once for all rules that ask.

use std::collections::HashMap;

use crate::clip::Clip;
use crate::parallel;
use crate::register::{MIN_AGREEMENT, Registration, distinctness, register};
use crate::shape::points::mass;
use crate::{Frame, FrameSet, Point};

/// A frame that agrees less than this share of what is usual in its clip shows another drawing: a flash, a turn.
const OF_USUAL: f64 = 0.5;
/// Others that a single frame is held against.
const OTHERS: usize = 48;
/// Longer clips are not registered.
const LONGEST: usize = 4000;

/// The figure of a clip.
pub(super) struct Trajectory<'a> {
    pub(super) clip: &'a Clip,
    /// The frames it shows, each once, in the set's order.
    own: Vec<usize>,
    /// The frames it shows, without repeats one after another.
    pub(super) frames: Vec<usize>,
    /// Where the figure is in each, from the pivot: right and down of where it is in the first.
    pub(super) stands: Vec<Option<(f64, f64)>>,
    /// Whether the first frame follows the last.
    pub(super) loops: bool,
    /// Where the frames were registered, by frame, also those that agree too little to have a stand.
    pub(super) places: HashMap<usize, Registration>,
}

impl Trajectory<'_> {
    /// Returns a sample of the clip's frames that includes `frame`, their registrations, and the index of `frame` in
    /// the sample.
    pub(super) fn with_peers<'s>(
        &self,
        set: &'s FrameSet,
        frame: usize,
    ) -> (Vec<&'s Frame>, Vec<Option<Registration>>, usize) {
        let mut own = super::sample_evenly(&self.own, OTHERS);
        let number = own.binary_search(&frame).unwrap_or_else(|number| {
            own.insert(number, frame);
            number
        });
        let frames = own.iter().map(|&at| &set.frames()[at]).collect();
        let places = own.iter().map(|at| self.places.get(at).copied()).collect();
        (frames, places, number)
    }

    /// The center of mass of each frame it shows, from the pivot.
    pub(super) fn masses(&self, set: &FrameSet) -> Vec<Option<Point>> {
        parallel::map_slice(&self.frames, |&at| {
            let frame = &set.frames()[at];
            let (mass, pivot) = (mass(frame)?, frame.pivot());
            Some(Point::new(mass.x - pivot.x, mass.y - pivot.y))
        })
    }

    /// Whether the frame matches its peers at least `times` better at its registered position than at that position
    /// moved by `offset`.
    pub(super) fn is_distinct(&self, set: &FrameSet, frame: usize, off: (i64, i64), times: f64) -> bool {
        let (frames, places, number) = self.with_peers(set, frame);
        distinctness(&frames, &places, number, off).is_some_and(|clear| clear >= times)
    }
}

/// The figures of all clips of three frames or more whose frames agree.
pub(super) fn of(set: &FrameSet) -> Vec<Trajectory<'_>> {
    let mut known: HashMap<Vec<usize>, HashMap<usize, Registration>> = HashMap::new();
    let mut figures = Vec::new();
    for clip in set.clips() {
        let own = super::frames_of(clip);
        if own.len() < 3 || own.len() > LONGEST {
            continue;
        }
        let places = known.entry(own.clone()).or_insert_with_key(|own| registered(set, own)).clone();
        let usual = super::median(places.values().map(|place| place.agreement).collect());
        if usual < MIN_AGREEMENT {
            continue;
        }
        let mut frames: Vec<usize> = clip.steps().iter().map(|step| step.frame).collect();
        frames.dedup();
        let stand = |at: &usize| {
            let Registration { offset: (x, y), agreement } = *places.get(at)?;
            let pivot = set.frames()[*at].pivot();
            (agreement >= OF_USUAL * usual).then(|| (-(x as f64) - pivot.x, -(y as f64) - pivot.y))
        };
        let stands = frames.iter().map(stand).collect();
        let loops = clip.loops();
        figures.push(Trajectory { clip, own, frames, stands, loops, places });
    }
    figures
}

fn registered(set: &FrameSet, own: &[usize]) -> HashMap<usize, Registration> {
    let frames: Vec<&Frame> = own.iter().map(|&at| &set.frames()[at]).collect();
    let places = register(&frames, &[(0..frames.len()).collect()], None);
    own.iter().zip(places).filter_map(|(&at, place)| Some((at, place?))).collect()
}
