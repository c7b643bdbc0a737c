//! The hub: frames in order, and the clips that play them. Every reader ends here, every step takes
//! one and gives one, every writer starts here.

use std::collections::{HashMap, HashSet};
use std::sync::OnceLock;

use crate::index::SetIndex;
use crate::parallel;
use crate::sequence::Clip;
use crate::{ExtraFields, Frame, LONGEST, Name, Size};

/// Frames and clips.
///
/// # Guarantees
/// Frame names are unique within their sprite, clip names too, and every step names a frame that is
/// there. Pivots, boxes and corners are finite and at most [`LONGEST`](crate::LONGEST) pixels from the origin of their
/// canvas, nine-slices leave something to stretch, polygons have three corners or more.
#[derive(Clone, Debug, Default)]
pub struct FrameSet {
    frames: Vec<Frame>,
    clips: Vec<Clip>,
    carried: ExtraFields,
    /// Made when first asked for; a set with other frames or clips begins without.
    index: OnceLock<SetIndex>,
}

/// Why frames and clips do not make a set.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SetError {
    /// Two frames of one sprite have one name.
    #[error("frames {first} and {second} of sprite '{sprite}' would both be called '{name}'")]
    TwoFrames {
        /// The sprite of both.
        sprite: Name,
        /// The name of both.
        name: Name,
        /// Number of the first within its sprite, from 0.
        first: usize,
        /// Number of the second.
        second: usize,
    },
    /// A frame has a number out of range.
    #[error("{what} of frame '{frame}' {why}")]
    Number {
        /// The frame.
        frame: Name,
        /// The part it belongs to: the pivot, a box.
        what: String,
        /// The problem.
        why: String,
    },
    /// Two clips of one sprite have one name.
    #[error("sprite '{sprite}' would have two clips called '{name}'")]
    TwoClips {
        /// The sprite of both.
        sprite: Name,
        /// The name of both.
        name: Name,
    },
    /// A step names a frame that is not there.
    #[error("clip '{clip}' plays frame {frame}, but there are only {count} frames (0 to {last})", last = count.saturating_sub(1))]
    NoFrame {
        /// The clip.
        clip: Name,
        /// The frame it names, counted in the set from 0.
        frame: usize,
        /// How many there are.
        count: usize,
    },
}

impl SetError {
    /// A frame does not go on a canvas of this size.
    pub(crate) fn canvas(frame: &Name, canvas: Size) -> Self {
        let why = format!("would be {canvas} px; sides are at most {LONGEST} px");
        Self::Number { frame: frame.clone(), what: "the canvas".to_owned(), why }
    }
}

impl FrameSet {
    /// Checks and takes frames and clips.
    pub fn new(frames: Vec<Frame>, clips: Vec<Clip>) -> Result<Self, SetError> {
        check_frames(&frames)?;
        check_clips(&frames, &clips)?;
        Ok(Self::unchecked(frames, clips, ExtraFields::new()))
    }

    /// The same set with other carried keys.
    pub fn with_carried(self, carried: ExtraFields) -> Self {
        Self { carried, ..self }
    }

    /// The same frames with other clips.
    pub fn with_clips(self, clips: Vec<Clip>) -> Result<Self, SetError> {
        check_clips(&self.frames, &clips)?;
        Ok(Self::unchecked(self.frames, clips, self.carried))
    }

    /// All frames in order.
    pub fn frames(&self) -> &[Frame] {
        &self.frames
    }

    /// All clips in order.
    pub fn clips(&self) -> &[Clip] {
        &self.clips
    }

    /// Keys of the whole manifest carried along.
    pub fn carried(&self) -> &ExtraFields {
        &self.carried
    }

    /// Tables of what belongs to what, made once a set.
    #[doc(hidden)]
    pub fn index(&self) -> &SetIndex {
        self.index.get_or_init(|| SetIndex::of(&self.frames, &self.clips))
    }

    /// The sprites in the order in which they first appear.
    pub fn sprites(&self) -> Vec<&Name> {
        self.index().sprites().map(|frames| self.frames[frames[0]].sprite()).collect()
    }

    /// The places, in this set, of a sprite's frames.
    pub fn frames_of(&self, sprite: &Name) -> &[usize] {
        self.index().frames_of(sprite)
    }

    /// The number of a frame within its sprite, from 0.
    ///
    /// # Panics
    /// If there is no such frame.
    pub fn number_in_sprite(&self, frame: usize) -> usize {
        self.index().number_in_sprite(frame)
    }

    /// The first clip that plays a frame.
    pub fn first_clip_of(&self, frame: usize) -> Option<&Clip> {
        self.index().first_clip_of(frame).map(|clip| &self.clips[clip])
    }

    /// The places of the clips that a person means by a name, which may be `sprite:clip`.
    pub fn find_clips(&self, name: &str) -> Vec<usize> {
        (0..self.clips.len()).filter(|&at| self.clips[at].is_meant(name)).collect()
    }

    /// Changes every frame, several at once. `change` is given its place in the set. Of several errors the first frame's is
    /// given.
    pub fn map_frames<E: From<SetError> + Send>(
        self,
        change: impl Fn(usize, Frame) -> Result<Frame, E> + Sync,
    ) -> Result<Self, E> {
        let changed: Vec<Result<Frame, E>> = parallel::map_vec(self.frames, change);
        let frames = changed.into_iter().collect::<Result<Vec<_>, E>>()?;
        check_frames(&frames)?;
        Ok(Self::unchecked(frames, self.clips, self.carried))
    }

    /// The frames at these places, and the clips that play only them, each place once, in this order.
    ///
    /// # Panics
    /// If an index is beyond the last frame.
    pub fn subset(&self, places: &[usize]) -> Self {
        let mut new_place = vec![None; self.frames.len()];
        let mut frames = Vec::with_capacity(places.len());
        for &place in places {
            if new_place[place].is_none() {
                new_place[place] = Some(frames.len());
                frames.push(self.frames[place].clone());
            }
        }
        let clips = self.clips.iter().filter_map(|clip| clip.clone().remap_frames(&new_place)).collect();
        Self::unchecked(frames, clips, self.carried.clone())
    }

    /// The frames at these places, in this order, with what is left of the clips. A clip that plays all frames of its
    /// sprite in order plays those taken in the order they were taken. The time of a place in `left_out` goes to the one
    /// that it is mapped to.
    ///
    /// # Panics
    /// If an index is beyond the last frame.
    pub fn take(&self, places: &[usize], left_out: &HashMap<usize, usize>) -> Self {
        let stays: HashSet<usize> = places.iter().copied().collect();
        let taken = |clip: &Clip| {
            let frames = self.frames_of(clip.sprite());
            let plays_all = clip.steps().iter().map(|step| step.frame).eq(frames.iter().copied());
            let left = clip.clone().retain_steps(|frame| stays.contains(&frame), left_out)?;
            Some(if plays_all { left.in_order_of(places) } else { left })
        };
        let clips = self.clips.iter().filter_map(taken).collect();
        Self::unchecked(self.frames.clone(), clips, self.carried.clone()).subset(places)
    }

    /// One clip and the frames it plays, in the set's order.
    ///
    /// # Panics
    /// If there is no such clip.
    pub fn extract_clip(&self, clip: usize) -> Self {
        let clip = &self.clips[clip];
        let mut places: Vec<usize> = clip.steps().iter().map(|step| step.frame).collect();
        places.sort_unstable();
        let narrowed = self.subset(&places);
        let clips = narrowed.clips.into_iter();
        let is_it = |other: &Clip| other.sprite() == clip.sprite() && other.name() == clip.name();
        Self::unchecked(narrowed.frames, clips.filter(is_it).collect(), narrowed.carried)
    }

    /// The same frames with the clips that are wanted.
    pub(crate) fn only_clips(self, is_wanted: impl Fn(&Clip) -> bool) -> Self {
        let clips = self.clips.into_iter().filter(is_wanted).collect();
        Self::unchecked(self.frames, clips, self.carried)
    }

    /// The same frames and clips, all of one sprite of this name.
    ///
    /// # Errors
    /// If two of them had one name in different sprites.
    pub fn with_sprite(self, sprite: &Name) -> Result<Self, SetError> {
        self.rename_sprites(|_| sprite.clone())
    }

    /// The same frames and clips, each sprite under the name that `new` gives it.
    ///
    /// # Errors
    /// If two frames or clips of sprites that become one had one name.
    pub fn rename_sprites(self, new: impl Fn(&Name) -> Name) -> Result<Self, SetError> {
        let frame = |frame: Frame| {
            let sprite = new(frame.sprite());
            frame.with_sprite(sprite)
        };
        let clip = |clip: Clip| {
            let sprite = new(clip.sprite());
            clip.with_sprite(sprite)
        };
        let frames = self.frames.into_iter().map(frame).collect();
        let clips = self.clips.into_iter().map(clip).collect();
        Ok(Self::new(frames, clips)?.with_carried(self.carried))
    }

    /// The same set with the frames of `part` in the places of those with their sprite and name; clips stay.
    pub fn replace_frames(self, part: &FrameSet) -> Result<Self, SetError> {
        let new: HashMap<(&Name, &Name), &Frame> =
            part.frames.iter().map(|frame| ((frame.sprite(), frame.name()), frame)).collect();
        self.map_frames(|_, frame| {
            let replaced = new.get(&(frame.sprite(), frame.name())).map(|&new| new.clone());
            Ok(replaced.unwrap_or(frame))
        })
    }

    /// All sets after one another. Of carried keys that several have, the first stays.
    ///
    /// # Errors
    /// If two of them have frames or clips of one name in one sprite.
    pub fn merge(sets: impl IntoIterator<Item = FrameSet>) -> Result<Self, SetError> {
        let mut all = FrameSet::default();
        for set in sets {
            let before = all.frames.len();
            all.frames.extend(set.frames);
            all.clips.extend(set.clips.into_iter().map(|clip| clip.offset_frames(before)));
            all.carried.insert_missing(set.carried);
        }
        check_frames(&all.frames)?;
        check_clips(&all.frames, &all.clips)?;
        Ok(all)
    }

    fn unchecked(frames: Vec<Frame>, clips: Vec<Clip>, carried: ExtraFields) -> Self {
        Self { frames, clips, carried, index: OnceLock::new() }
    }
}

fn check_frames(frames: &[Frame]) -> Result<(), SetError> {
    let fault = frames.iter().find_map(|frame| Some((frame, frame.fault()?)));
    if let Some((frame, (what, why))) = fault {
        return Err(SetError::Number { frame: frame.name().clone(), what, why });
    }
    let mut seen = HashSet::with_capacity(frames.len());
    for (at, frame) in frames.iter().enumerate() {
        if !seen.insert((frame.sprite(), frame.name())) {
            let (sprite, name) = (frame.sprite().clone(), frame.name().clone());
            let number = |end: usize| frames[..end].iter().filter(|f| *f.sprite() == sprite).count();
            let is_twin = |f: &Frame| *f.sprite() == sprite && *f.name() == name;
            let twin = frames.iter().position(is_twin).unwrap_or(at);
            let (first, second) = (number(twin), number(at));
            return Err(SetError::TwoFrames { sprite, name, first, second });
        }
    }
    Ok(())
}

fn check_clips(frames: &[Frame], clips: &[Clip]) -> Result<(), SetError> {
    let mut seen = HashSet::with_capacity(clips.len());
    for clip in clips {
        if !seen.insert((clip.sprite(), clip.name())) {
            return Err(SetError::TwoClips { sprite: clip.sprite().clone(), name: clip.name().clone() });
        }
        if let Some(step) = clip.steps().iter().find(|step| step.frame >= frames.len()) {
            let (clip, count) = (clip.name().clone(), frames.len());
            return Err(SetError::NoFrame { clip, frame: step.frame, count });
        }
    }
    Ok(())
}

#[cfg(test)]
pub(crate) mod tests {
    use image::{Rgba, RgbaImage};

    use super::*;
    use crate::clip::ClipSpec;
    use crate::{Cell, FrameSource, Pixels};

    /// A set of one sprite whose frames are in rows of the given lengths, each 4x4 with a color of
    /// its own.
    pub(crate) fn rows(sprite: &str, lengths: &[u32]) -> FrameSet {
        let mut frames = Vec::new();
        for (row, &length) in lengths.iter().enumerate() {
            for column in 0..length {
                let cell = Cell { row: row as u32, column };
                let pixels = RgbaImage::from_pixel(4, 4, Rgba([row as u8, column as u8, 7, 255]));
                let name = Name::new(format!("{sprite}-{:02}", frames.len())).unwrap();
                let frame = Frame::new(Name::new(sprite).unwrap(), name, Pixels::from_image(pixels)).unwrap();
                let source = FrameSource { cell: Some(cell), ..FrameSource::default() };
                frames.push(frame.with_source(Some(source)));
            }
        }
        FrameSet::new(frames, Vec::new()).unwrap()
    }

    pub(crate) fn with_clips(set: FrameSet, clips: &[&str]) -> FrameSet {
        let specs: Vec<ClipSpec> = clips.iter().map(|text| text.parse().unwrap()).collect();
        crate::clip::add_clips(set, &specs).unwrap()
    }

    #[test]
    fn one_name_twice_in_a_sprite_is_refused_but_not_in_two_sprites() {
        let koi = rows("koi", &[2]);
        let twice = FrameSet::merge([koi.clone(), koi.clone()]).unwrap_err();
        assert_eq!(twice.to_string(), "frames 0 and 2 of sprite 'koi' would both be called 'koi-00'");
        assert_eq!(FrameSet::merge([koi, rows("frog", &[3])]).unwrap().frames().len(), 5);
    }

    #[test]
    fn numbers_that_no_frame_can_have_are_refused_wherever_they_are_set() {
        use crate::{Annotations, Insets, LONGEST, Point, SignedRect};
        let far = f64::from(LONGEST) + 1.0;
        let with = |change: &(dyn Fn(Frame) -> Frame + Sync)| {
            let changed = rows("koi", &[1]).map_frames::<SetError>(|_, frame| Ok(change(frame)));
            changed.map(|_| ()).map_err(|error| error.to_string())
        };
        for (x, y) in [(f64::NAN, 0.0), (0.0, f64::INFINITY), (-far, 0.0), (0.0, 4_294_967_296.0)] {
            let error = with(&|frame| frame.with_pivot(Point::new(x, y))).unwrap_err();
            assert!(error.starts_with("the pivot of frame 'koi-00' is at "), "{error}");
        }
        let annotated = |annotations: Annotations| {
            with(&move |frame| frame.with_annotations(annotations.clone())).unwrap_err()
        };
        for area in [
            SignedRect { x: i32::MIN, y: 0, width: 4, height: 4 },
            SignedRect { x: 0, y: 0, width: 0, height: 4 },
            SignedRect { x: 0, y: 0, width: 4, height: u32::MAX },
        ] {
            let boxes = [(Name::new("hit").unwrap(), area)].into();
            let error = annotated(Annotations { boxes, ..Annotations::default() });
            assert!(error.starts_with("the box 'hit' of frame 'koi-00' is "), "{error}");
        }
        let nine = Some(Insets { left: 100, top: 0, right: 0, bottom: 0 });
        assert!(annotated(Annotations { nine, ..Annotations::default() }).contains("the nine-slice"));
        let polygon = vec![Point::new(0.0, 0.0), Point::new(4.0, 4.0)];
        let error = annotated(Annotations { polygon, ..Annotations::default() });
        assert_eq!(error, "the polygon of frame 'koi-00' has 2 of at least 3 corners");
        let edge = f64::from(LONGEST);
        assert_eq!(with(&|frame| frame.with_pivot(Point::new(edge, -edge))), Ok(()));
    }

    #[test]
    fn narrowing_keeps_clips_whose_frames_are_all_there() {
        let set = with_clips(rows("frog", &[4]), &["sit = 0-1", "leap = 1-3"]);
        let narrowed = set.subset(&[3, 1, 2, 1]);
        let names: Vec<_> = narrowed.frames().iter().map(|f| f.name().as_str()).collect();
        assert_eq!(names, ["frog-03", "frog-01", "frog-02"]);
        assert_eq!(narrowed.clips().len(), 1);
        let steps: Vec<_> = narrowed.clips()[0].steps().iter().map(|step| step.frame).collect();
        assert_eq!(steps, [1, 2, 0]);
    }

    #[test]
    fn merging_moves_the_steps_along() {
        let both = FrameSet::merge([rows("koi", &[2]), with_clips(rows("frog", &[2]), &["sit = 0-1"])]);
        let steps: Vec<_> = both.unwrap().clips()[0].steps().iter().map(|step| step.frame).collect();
        assert_eq!(steps, [2, 3]);
    }

    #[test]
    fn frames_are_replaced_by_name_and_clips_stay() {
        let set = with_clips(rows("frog", &[3]), &["sit = 0-2"]);
        let changed = set
            .subset(&[1])
            .map_frames(|_, frame| Ok::<_, SetError>(frame.with_pivot(crate::Point::new(9.0, 9.0))));
        let set = set.replace_frames(&changed.unwrap()).unwrap();
        let pivots: Vec<f64> = set.frames().iter().map(|frame| frame.pivot().x).collect();
        assert_eq!(pivots, [2.0, 9.0, 2.0]);
        assert_eq!(set.clips().len(), 1);
    }

    #[test]
    fn of_several_errors_the_first_frame_speaks_on_any_number_of_threads() {
        let set = rows("frog", &[64]);
        for _ in 0..8 {
            let error = set.clone().map_frames(|at, frame| match at {
                3.. => Err(SetError::NoFrame { clip: frame.name().clone(), frame: at, count: 0 }),
                _ => Ok(frame),
            });
            assert!(matches!(error.unwrap_err(), SetError::NoFrame { frame: 3, .. }));
        }
    }
}
