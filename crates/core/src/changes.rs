//! What differs between two versions of a set: frames, clips, pivots and boxes, with numbers.
//!
//! Frames and clips are the same if their sprite and name are; of those without a counterpart, frames of the same picture and
//! clips of the same steps were renamed. Pictures are compared where a drawing covers most of itself: canvases on each other,
//! pivots on each other, or drawings corner on corner; so a drawing that was moved is not one that was painted over.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::hash::{DefaultHasher, Hash, Hasher};

use crate::clip::{Clip, FrameDuration};
use crate::parallel;
use crate::{Frame, FrameSet, Name, Rect, Size};

/// All differences between two sets.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SetChanges {
    /// Frames, in the order of the new set; removed ones last.
    pub frames: Vec<FrameChange>,
    /// Clips, in the order of the new set; removed ones last.
    pub clips: Vec<ClipChange>,
}

/// A frame that differs. At least one of the places is there.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct FrameChange {
    /// Its place in the old set; none if it was added.
    pub old: Option<usize>,
    /// Its place in the new set; none if it was removed.
    pub new: Option<usize>,
    /// Whether it has another sprite or name.
    pub is_renamed: bool,
    /// Pixels that differ.
    pub picture: Option<PictureChange>,
    /// How far the drawing moved on its canvas, right and down.
    pub moved: Option<(i64, i64)>,
    /// The old canvas, if it has another size.
    pub canvas: Option<Size>,
    /// How far the pivot moved on its canvas, right and down.
    pub pivot: Option<(f64, f64)>,
    /// Boxes that were added, removed, moved or resized.
    pub boxes: BTreeSet<Name>,
}

/// How a picture differs from the one before, the drawings lying where they match best.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PictureChange {
    /// Pixels that differ.
    pub pixels: u64,
    /// Pixels that either shows.
    pub of: u64,
}

impl PictureChange {
    /// The share of pixels that differ, 0 to 1.
    pub fn share(&self) -> f64 {
        if self.of == 0 { 0.0 } else { self.pixels as f64 / self.of as f64 }
    }
}

/// A clip that differs. At least one of the places is there.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ClipChange {
    /// Its place in the old set; none if it was added.
    pub old: Option<usize>,
    /// Its place in the new set; none if it was removed.
    pub new: Option<usize>,
    /// Whether it has another sprite or name.
    pub is_renamed: bool,
    /// Whether it shows other frames, or the same in another order, or mirrored.
    pub frames: bool,
    /// Whether a step takes another time.
    pub times: bool,
    /// Whether it plays another way, or another number of times.
    pub playback: bool,
    /// Whether events differ.
    pub events: bool,
}

impl SetChanges {
    /// The differences of `new` from `old`.
    pub fn between(old: &FrameSet, new: &FrameSet) -> Self {
        let pairs = pair_frames(old, new);
        let compared = parallel::map_slice(&pairs, |&(before, after)| {
            compare(before, after, old.frames(), new.frames())
        });
        let frames = compared.into_iter().flatten().collect();
        Self { frames, clips: clip_changes(old, new, &pairs) }
    }

    /// Whether nothing differs.
    pub fn is_empty(&self) -> bool {
        self.frames.is_empty() && self.clips.is_empty()
    }

    /// The differences by sprite and clip: each frame is with the clip that shows it first.
    pub fn by_clip(&self, old: &FrameSet, new: &FrameSet) -> Vec<ChangeGroup> {
        let mut groups: Vec<ChangeGroup> = Vec::new();
        let mut group = |sprite: &Name, clip: Option<&Name>| -> usize {
            let is_it = |group: &ChangeGroup| &group.sprite == sprite && group.clip.as_ref() == clip;
            groups.iter().position(is_it).unwrap_or_else(|| {
                let (sprite, clip) = (sprite.clone(), clip.cloned());
                groups.push(ChangeGroup { sprite, clip, frames: Vec::new(), change: None });
                groups.len() - 1
            })
        };
        // In the order of the sets: of each sprite its clips, then what no clip shows.
        let mut order: Vec<(Name, Option<Name>)> = Vec::new();
        for set in [new, old] {
            for sprite in set.sprites() {
                let clips = set.clips().iter().filter(|clip| clip.sprite() == sprite);
                order.extend(clips.map(|clip| (sprite.clone(), Some(clip.name().clone()))));
                order.push((sprite.clone(), None));
            }
        }
        let mut placed: Vec<(usize, Result<usize, usize>)> = Vec::new();
        for (number, change) in self.frames.iter().enumerate() {
            let (set, at) = change.place(old, new);
            let frame = &set.frames()[at];
            let clip = set.first_clip_of(at).filter(|clip| clip.sprite() == frame.sprite());
            placed.push((group(frame.sprite(), clip.map(Clip::name)), Ok(number)));
        }
        for (number, change) in self.clips.iter().enumerate() {
            let clip = change.clip(old, new);
            placed.push((group(clip.sprite(), Some(clip.name())), Err(number)));
        }
        for (at, one) in placed {
            match one {
                Ok(frame) => groups[at].frames.push(frame),
                Err(clip) => groups[at].change = Some(clip),
            }
        }
        let sprites: Vec<&Name> = {
            let mut seen = HashSet::new();
            order.iter().map(|(sprite, _)| sprite).filter(|sprite| seen.insert(*sprite)).collect()
        };
        groups.sort_by_key(|group| {
            let sprite = sprites.iter().position(|sprite| **sprite == group.sprite);
            let is_it =
                |(sprite, clip): &(Name, Option<Name>)| (sprite, clip) == (&group.sprite, &group.clip);
            (sprite, group.clip.is_none(), order.iter().position(is_it))
        });
        groups
    }
}

/// Differences of one clip, or of the frames of a sprite that no clip shows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ChangeGroup {
    /// The sprite.
    pub sprite: Name,
    /// The clip; none for frames that no clip shows.
    pub clip: Option<Name>,
    /// Places in [`SetChanges::frames`].
    pub frames: Vec<usize>,
    /// The place in [`SetChanges::clips`], if the clip itself differs.
    pub change: Option<usize>,
}

impl FrameChange {
    /// The set that has the frame, the new one if both do, and its place there.
    pub fn place<'a>(&self, old: &'a FrameSet, new: &'a FrameSet) -> (&'a FrameSet, usize) {
        match (self.old, self.new) {
            (_, Some(at)) => (new, at),
            (Some(at), None) => (old, at),
            (None, None) => unreachable!("a change is of a frame"),
        }
    }

    /// What differs, with numbers: `12 px differ (4%), moved +3,+2 px`.
    pub fn describe(&self, old: &FrameSet, new: &FrameSet) -> String {
        let (Some(before), Some(after)) = (self.old, self.new) else {
            return if self.old.is_none() { "added" } else { "removed" }.to_owned();
        };
        let (before, after) = (&old.frames()[before], &new.frames()[after]);
        let mut parts = Vec::new();
        if self.is_renamed {
            let sprite = if before.sprite() == after.sprite() {
                String::new()
            } else {
                format!("{}:", before.sprite())
            };
            parts.push(format!("was {sprite}{}", before.name()));
        }
        if let Some(picture) = self.picture {
            let percent = (picture.share() * 1000.0).ceil() / 10.0;
            parts.push(format!("{} of {} px differ ({percent}%)", picture.pixels, picture.of));
        }
        let way = |name: &str, x: f64, y: f64| format!("{name} {x:+},{y:+} px");
        if let Some((x, y)) = self.moved {
            parts.push(way("moved", x as f64, y as f64));
        }
        if let Some((x, y)) = self.pivot {
            parts.push(way("pivot moved", x, y));
        }
        if let Some(canvas) = self.canvas {
            parts.push(format!("canvas {canvas} to {} px", after.canvas()));
        }
        if !self.boxes.is_empty() {
            let names: Vec<&str> = self.boxes.iter().map(Name::as_str).collect();
            let noun = if names.len() == 1 { "box" } else { "boxes" };
            parts.push(format!("{noun} {} changed", names.join(", ")));
        }
        parts.join(", ")
    }
}

impl ClipChange {
    fn clip<'a>(&self, old: &'a FrameSet, new: &'a FrameSet) -> &'a Clip {
        match (self.old, self.new) {
            (_, Some(at)) => &new.clips()[at],
            (Some(at), None) => &old.clips()[at],
            (None, None) => unreachable!("a change is of a clip"),
        }
    }

    /// What differs, with numbers: `8 to 7 steps, 800 to 640 ms`.
    pub fn describe(&self, old: &FrameSet, new: &FrameSet) -> String {
        let (Some(before), Some(after)) = (self.old, self.new) else {
            return if self.old.is_none() { "added" } else { "removed" }.to_owned();
        };
        let (before, after) = (&old.clips()[before], &new.clips()[after]);
        let mut parts = Vec::new();
        if self.is_renamed {
            parts.push(format!("was {}", before.qualified_name()));
        }
        if self.frames {
            let steps = |clip: &Clip| clip.steps().len();
            parts.push(match (steps(before), steps(after)) {
                (from, to) if from == to => "frames changed".to_owned(),
                (from, to) => format!("{from} to {to} steps"),
            });
        }
        if self.times {
            let ms = |clip: &Clip| (clip.total_millis() * 100.0).round() / 100.0;
            parts.push(match (ms(before), ms(after)) {
                (from, to) if from == to => "times changed, same total".to_owned(),
                (from, to) => format!("{from} to {to} ms"),
            });
        }
        if self.playback {
            parts.push(format!("plays {} (was {})", after.playback(), before.playback()));
        }
        if self.events {
            parts.push("events changed".to_owned());
        }
        parts.join(", ")
    }
}

type Pair = (Option<usize>, Option<usize>);

/// Which frame was which: by name, then by picture.
fn pair_frames(old: &FrameSet, new: &FrameSet) -> Vec<Pair> {
    let key = |frame: &Frame| (frame.sprite().clone(), frame.name().clone());
    // A layout may list a frame again: the first counts.
    let mut places: HashMap<(Name, Name), usize> = HashMap::new();
    for (at, frame) in old.frames().iter().enumerate() {
        places.entry(key(frame)).or_insert(at);
    }
    let mut seen = HashSet::new();
    let wanted: Vec<usize> =
        (0..new.frames().len()).filter(|&at| seen.insert(key(&new.frames()[at]))).collect();
    let mut pairs: Vec<Pair> =
        wanted.iter().map(|&at| (places.remove(&key(&new.frames()[at])), Some(at))).collect();
    let mut gone: Vec<usize> = places.into_values().collect();
    gone.sort_unstable();
    // Renamed frames: the same picture, in order. Blank ones say nothing.
    let mut alike: HashMap<u64, Vec<usize>> = HashMap::new();
    let prints = parallel::map_slice(&gone, |&at| fingerprint(&old.frames()[at]));
    for (at, print) in gone.iter().zip(prints).filter_map(|(at, print)| Some((*at, print?))) {
        alike.entry(print).or_default().push(at);
    }
    let is_same = |before: usize, after: usize| {
        let (before, after) = (&old.frames()[before], &new.frames()[after]);
        before.canvas() == after.canvas() && before.full_image().is_same_image(&after.full_image())
    };
    for (before, after) in pairs.iter_mut().filter(|(before, _)| before.is_none()) {
        let Some(after) = *after else { continue };
        let Some(same) = fingerprint(&new.frames()[after]).and_then(|print| alike.get_mut(&print)) else {
            continue;
        };
        if let Some(found) = same.iter().position(|&one| is_same(one, after)) {
            *before = Some(same.remove(found));
        }
    }
    let renamed: HashSet<usize> = pairs.iter().filter_map(|(before, _)| *before).collect();
    gone.retain(|before| !renamed.contains(before));
    pairs.extend(gone.into_iter().map(|before| (Some(before), None)));
    pairs
}

/// A number that frames of the same picture share; none for a blank one.
fn fingerprint(frame: &Frame) -> Option<u64> {
    let shown = frame.extent(0)?;
    let mut hasher = DefaultHasher::new();
    (frame.canvas(), shown).hash(&mut hasher);
    for row in frame.crop(shown).rows() {
        row.chunks_exact(4)
            .map(|pixel| if pixel[3] == 0 { &[0; 4] } else { pixel })
            .for_each(|pixel| pixel.hash(&mut hasher));
    }
    Some(hasher.finish())
}

/// The change of a pair; none if nothing differs.
fn compare(before: Option<usize>, after: Option<usize>, old: &[Frame], new: &[Frame]) -> Option<FrameChange> {
    let plain = FrameChange { old: before, new: after, ..FrameChange::default() };
    let (Some(before), Some(after)) = (before, after) else { return Some(plain) };
    let (before, after) = (&old[before], &new[after]);
    let (picture, moved) = compare_pictures(before, after);
    let (from, to) = (before.pivot(), after.pivot());
    let pivot = ((to.x - from.x), (to.y - from.y));
    let boxes = |frame: &Frame| frame.annotations().boxes.clone();
    let (old_boxes, new_boxes): (BTreeMap<_, _>, BTreeMap<_, _>) = (boxes(before), boxes(after));
    let differs = |name: &&Name| old_boxes.get(*name) != new_boxes.get(*name);
    let change = FrameChange {
        is_renamed: (before.sprite(), before.name()) != (after.sprite(), after.name()),
        picture,
        moved,
        canvas: (before.canvas() != after.canvas()).then(|| before.canvas()),
        pivot: (pivot != (0.0, 0.0)).then_some(pivot),
        boxes: old_boxes.keys().chain(new_boxes.keys()).filter(differs).cloned().collect(),
        ..plain.clone()
    };
    (change != plain).then_some(change)
}

/// What was painted, and how far the drawing moved.
fn compare_pictures(before: &Frame, after: &Frame) -> (Option<PictureChange>, Option<(i64, i64)>) {
    let (Some(a), Some(b)) = (before.extent(0), after.extent(0)) else {
        let shown = |frame: &Frame| frame.extent(0).map_or(0, |rect| count(frame, rect));
        let pixels = shown(before) + shown(after);
        let change = PictureChange { pixels, of: pixels };
        return ((pixels > 0).then_some(change), None);
    };
    let corner = |rect: Rect, right: bool, bottom: bool| {
        let x = rect.x + if right { rect.width } else { 0 };
        let y = rect.y + if bottom { rect.height } else { 0 };
        (i64::from(x), i64::from(y))
    };
    let mut ways: Vec<(i64, i64)> = vec![(0, 0)];
    let pivots = (after.pivot().x - before.pivot().x, after.pivot().y - before.pivot().y);
    let pivots = (pivots.0.round() as i64, pivots.1.round() as i64);
    if pivots != (0, 0) {
        ways.push(pivots);
    }
    for (right, bottom) in [(false, false), (true, true), (false, true), (true, false)] {
        let (from, to) = (corner(a, right, bottom), corner(b, right, bottom));
        let way = (to.0 - from.0, to.1 - from.1);
        if !ways.contains(&way) {
            ways.push(way);
        }
    }
    let mut best: Option<(PictureChange, (i64, i64))> = None;
    for way in ways {
        let change = differing(before, a, after, b, way);
        // Of equals the first: what stays, stays.
        if best.is_none_or(|(least, _)| change.pixels < least.pixels) {
            best = Some((change, way));
        }
        if change.pixels == 0 {
            break;
        }
    }
    let (change, way) = best.expect("there are several ways");
    ((change.pixels > 0).then_some(change), (way != (0, 0)).then_some(way))
}

fn count(frame: &Frame, rect: Rect) -> u64 {
    let places =
        (rect.y..rect.y + rect.height).flat_map(|y| (rect.x..rect.x + rect.width).map(move |x| (x, y)));
    places.filter(|&(x, y)| frame.color_at(x, y)[3] > 0).count() as u64
}

/// Pixels that differ once the old drawing is moved.
fn differing(before: &Frame, a: Rect, after: &Frame, b: Rect, (dx, dy): (i64, i64)) -> PictureChange {
    let span = |from: u32, length: u32, by: i64, other: u32, long: u32| {
        let (start, end) = (i64::from(from) + by, i64::from(from + length) + by);
        start.min(i64::from(other))..end.max(i64::from(other + long))
    };
    let color = |frame: &Frame, x: i64, y: i64| {
        let canvas = frame.canvas();
        let inside = u32::try_from(x).ok().zip(u32::try_from(y).ok());
        let inside = inside.filter(|&(x, y)| x < canvas.width && y < canvas.height);
        inside.map(|(x, y)| frame.color_at(x, y)).filter(|color| color[3] > 0)
    };
    let mut change = PictureChange { pixels: 0, of: 0 };
    for y in span(a.y, a.height, dy, b.y, b.height) {
        for x in span(a.x, a.width, dx, b.x, b.width) {
            let (old, new) = (color(before, x - dx, y - dy), color(after, x, y));
            change.of += u64::from(old.is_some() || new.is_some());
            change.pixels += u64::from(old != new);
        }
    }
    change
}

fn clip_changes(old: &FrameSet, new: &FrameSet, pairs: &[Pair]) -> Vec<ClipChange> {
    // The old frames in the new set's numbers. A frame that is listed again is the same.
    let key = |set: &FrameSet, at: usize| {
        let frame = &set.frames()[at];
        (frame.sprite().clone(), frame.name().clone())
    };
    let now: HashMap<(Name, Name), (Name, Name)> =
        pairs.iter().filter_map(|&(before, after)| Some((key(old, before?), key(new, after?)))).collect();
    let shown = |set: &FrameSet, clip: &Clip, is_old: bool| -> Vec<(Option<(Name, Name)>, bool)> {
        let name = |at: usize| match is_old {
            true => now.get(&key(set, at)).cloned(),
            false => Some(key(set, at)),
        };
        clip.steps().iter().map(|step| (name(step.frame), step.mirror)).collect()
    };
    let times = |clip: &Clip| -> Vec<FrameDuration> {
        clip.steps().iter().map(|step| clip.span(step).reduced()).collect()
    };
    let events = |clip: &Clip| -> Vec<(usize, String)> {
        let steps = clip.steps().iter().enumerate();
        steps.filter_map(|(at, step)| Some((at, step.event.clone()?))).collect()
    };
    let change = |before: usize, after: usize| {
        let (a, b) = (&old.clips()[before], &new.clips()[after]);
        ClipChange {
            old: Some(before),
            new: Some(after),
            is_renamed: (a.sprite(), a.name()) != (b.sprite(), b.name()),
            frames: shown(old, a, true) != shown(new, b, false),
            times: times(a) != times(b),
            playback: a.playback() != b.playback(),
            events: events(a) != events(b),
        }
    };
    let mut gone: Vec<usize> = (0..old.clips().len()).collect();
    let mut all: Vec<ClipChange> = Vec::new();
    for (after, clip) in new.clips().iter().enumerate() {
        let is_it = |&before: &usize| {
            let other = &old.clips()[before];
            (other.sprite(), other.name()) == (clip.sprite(), clip.name())
        };
        let before = gone.iter().position(is_it).map(|found| gone.remove(found));
        all.push(match before {
            Some(before) => change(before, after),
            None => ClipChange { new: Some(after), ..ClipChange::default() },
        });
    }
    for one in all.iter_mut().filter(|one| one.old.is_none()) {
        let Some(after) = one.new else { continue };
        let is_same = |&before: &usize| {
            let change = change(before, after);
            !(change.frames || change.times || change.playback || change.events)
        };
        if let Some(found) = gone.iter().position(is_same) {
            *one = change(gone.remove(found), after);
        }
    }
    let removed = gone.into_iter().map(|before| ClipChange { old: Some(before), ..ClipChange::default() });
    let same = |one: &ClipChange| {
        let plain = ClipChange { old: one.old, new: one.new, ..ClipChange::default() };
        one.old.is_some() && one.new.is_some() && *one == plain
    };
    all.retain(|one| !same(one));
    all.extend(removed);
    all
}

#[cfg(test)]
mod tests {
    use image::{Rgba, RgbaImage};
    use proptest::prelude::*;

    use super::*;
    use crate::clip::Step;
    use crate::{Annotations, Pixels, Point, SignedRect};

    fn name(text: &str) -> Name {
        Name::new(text).unwrap()
    }

    /// A block of 3x2 px at a place on a canvas of 12x10.
    fn frame(called: &str, x: u32, y: u32, shade: u8) -> Frame {
        let image = RgbaImage::from_fn(12, 10, |px, py| {
            let is_in = (x..x + 3).contains(&px) && (y..y + 2).contains(&py);
            if is_in { Rgba([shade, px.wrapping_sub(x) as u8, 0, 255]) } else { Rgba([0; 4]) }
        });
        Frame::new(name("frog"), name(called), Pixels::from_image(image)).unwrap()
    }

    fn set(frames: Vec<Frame>, clips: &[(&str, &[usize], u32)]) -> FrameSet {
        let clip = |(called, steps, timescale): &(&str, &[usize], u32)| {
            let steps = steps.iter().map(|&frame| Step { frame, ticks: 1, ..Step::default() });
            Clip::new(name("frog"), name(called), *timescale, steps.collect()).unwrap()
        };
        FrameSet::new(frames, clips.iter().map(clip).collect()).unwrap()
    }

    #[test]
    fn each_kind_of_change_is_told_from_the_others() {
        let boxed = |frame: Frame, x: i32| {
            let boxes = BTreeMap::from([(name("body"), SignedRect { x, y: 0, width: 3, height: 3 })]);
            frame.with_annotations(Annotations { boxes, ..Annotations::default() })
        };
        let old = set(
            vec![
                frame("same", 1, 1, 9),
                frame("painted", 1, 1, 20),
                frame("moved", 1, 1, 30),
                frame("old-name", 2, 2, 40),
                frame("gone", 3, 3, 50),
                frame("pivoted", 1, 1, 60),
                boxed(frame("boxed", 1, 1, 70), 0),
            ],
            &[("sit", &[0, 3], 12), ("walk", &[1, 2], 12), ("out", &[4], 12), ("was", &[5, 6], 8)],
        );
        let mut painted = frame("painted", 1, 1, 20).full_image().to_image();
        painted.put_pixel(2, 2, Rgba([200, 0, 0, 255]));
        let painted = Frame::new(name("frog"), name("painted"), Pixels::from_image(painted)).unwrap();
        let new = set(
            vec![
                frame("same", 1, 1, 9).trim_to_content(),
                painted,
                frame("moved", 4, 3, 30),
                frame("new-name", 2, 2, 40),
                frame("pivoted", 1, 1, 60).with_pivot(Point::new(6.0, 9.5)),
                boxed(frame("boxed", 1, 1, 70), 1),
                frame("added", 5, 5, 80),
            ],
            &[("sit", &[0, 3], 12), ("walk", &[2, 1], 10), ("in", &[6], 12), ("is", &[4, 5], 8)],
        );
        let changes = SetChanges::between(&old, &new);
        let pair = |old, new| FrameChange { old, new, ..FrameChange::default() };
        assert_eq!(
            changes.frames,
            [
                FrameChange { picture: Some(PictureChange { pixels: 1, of: 6 }), ..pair(Some(1), Some(1)) },
                FrameChange { moved: Some((3, 2)), ..pair(Some(2), Some(2)) },
                FrameChange { is_renamed: true, ..pair(Some(3), Some(3)) },
                FrameChange { pivot: Some((0.0, 4.5)), ..pair(Some(5), Some(4)) },
                FrameChange { boxes: BTreeSet::from([name("body")]), ..pair(Some(6), Some(5)) },
                pair(None, Some(6)),
                pair(Some(4), None),
            ]
        );
        let clip = |old, new| ClipChange { old, new, ..ClipChange::default() };
        assert_eq!(
            changes.clips,
            [
                ClipChange { frames: true, times: true, ..clip(Some(1), Some(1)) },
                clip(None, Some(2)),
                ClipChange { is_renamed: true, ..clip(Some(3), Some(3)) },
                clip(Some(2), None),
            ]
        );
    }

    #[test]
    fn a_canvas_that_grew_around_a_drawing_moved_it_and_its_pivot() {
        let before = frame("a", 1, 1, 9);
        let after = before.clone().translate_onto(Size::new(20, 20), 4, 5).unwrap();
        let changes = SetChanges::between(&set(vec![before], &[]), &set(vec![after], &[]));
        let [change] = &changes.frames[..] else { panic!("{changes:?}") };
        assert_eq!((change.moved, change.pivot, change.picture), (Some((4, 5)), Some((4.0, 5.0)), None));
        assert_eq!(change.canvas, Some(Size::new(12, 10)));
    }

    proptest! {
        #[test]
        fn nothing_differs_from_itself_and_differences_go_both_ways(
            old in prop::collection::vec((0u32..6, 0u32..6, 0u8..3), 1..6),
            new in prop::collection::vec((0u32..6, 0u32..6, 0u8..3), 1..6),
        ) {
            let made = |frames: &[(u32, u32, u8)]| {
                let frames = frames.iter().enumerate();
                let frames: Vec<Frame> =
                    frames.map(|(at, &(x, y, shade))| frame(&format!("{at}"), x, y, shade)).collect();
                let all: Vec<usize> = (0..frames.len()).collect();
                set(frames, &[("all", &all, 12)])
            };
            let (old, new) = (made(&old), made(&new));
            prop_assert!(SetChanges::between(&old, &old.clone()).is_empty());
            let (there, back) = (SetChanges::between(&old, &new), SetChanges::between(&new, &old));
            prop_assert_eq!(there.frames.len(), back.frames.len());
            for change in &there.frames {
                let other = back.frames.iter().find(|other| (other.new, other.old) == (change.old, change.new));
                let other = other.unwrap();
                prop_assert_eq!(change.picture, other.picture);
                prop_assert_eq!(change.moved, other.moved.map(|(x, y)| (-x, -y)));
            }
        }
    }
}
