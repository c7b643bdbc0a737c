//! A clip as a set holds it. Never looks at pixels.

use std::collections::{HashMap, HashSet, VecDeque};

use shibori_play::{Clock, PlayMode, Timed};

use crate::sequence::FrameDuration;
use crate::sequence::{TimeError, common_clock};
use crate::{ExtraFields, Name};

/// A named sequence of steps.
///
/// # Guarantees
/// At least one step; every step lasts at least one tick of a clock of at least one tick a second.
#[derive(Clone, Debug, PartialEq)]
pub struct Clip {
    sprite: Name,
    name: Name,
    play: PlayMode,
    plays: u32,
    timescale: u32,
    steps: Vec<Step>,
    carried: ExtraFields,
}

/// One step: a frame, for how long, and what goes with it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Step {
    /// The frame's place in the set, from 0.
    pub frame: usize,
    /// How long, in ticks of the clip's clock; at least 1.
    pub ticks: u32,
    /// Drawn mirrored left-right about the pivot.
    pub mirror: bool,
    /// The event that the game gets when the step begins.
    pub event: Option<String>,
    /// Keys carried along.
    pub carried: ExtraFields,
}

impl Timed for Step {
    fn ticks(&self) -> u32 {
        self.ticks
    }
}

/// Why steps are no clip.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ClipError {
    /// Nothing to play.
    #[error("clip '{0}' has no frames")]
    Empty(Name),
    /// A step that lasts no time, or a clock that does not run.
    #[error("clip '{clip}': {error}")]
    Time {
        /// The clip.
        clip: Name,
        /// What is wrong with its time.
        #[source]
        error: TimeError,
    },
}

impl Clip {
    /// Its name with its sprite's: `koi:swim`.
    pub fn qualified_name(&self) -> String {
        format!("{}:{}", self.sprite, self.name)
    }

    /// Whether a person means it by a name, which may be `sprite:clip`.
    pub fn is_meant(&self, name: &str) -> bool {
        let whole = name.strip_prefix(self.sprite.as_str()).and_then(|rest| rest.strip_prefix(':'));
        self.name.as_str() == name || whole == Some(self.name.as_str())
    }

    /// Checks and takes a clip; it plays forward and forever.
    pub fn new(sprite: Name, name: Name, timescale: u32, steps: Vec<Step>) -> Result<Self, ClipError> {
        if steps.is_empty() {
            return Err(ClipError::Empty(name));
        }
        if timescale == 0 || steps.iter().any(|step| step.ticks == 0) {
            return Err(ClipError::Time { clip: name, error: TimeError::Zero });
        }
        let (play, plays) = (PlayMode::default(), 0);
        Ok(Self { sprite, name, play, plays, timescale, steps, carried: ExtraFields::new() })
    }

    /// A clip of frames with a time each, on the coarsest clock that keeps all of them exact.
    pub fn from_durations(
        sprite: Name,
        name: Name,
        spans: &[(usize, FrameDuration)],
    ) -> Result<Self, ClipError> {
        let only_spans: Vec<FrameDuration> = spans.iter().map(|&(_, span)| span).collect();
        let clocked = common_clock(&only_spans);
        let (timescale, ticks) = clocked.map_err(|error| ClipError::Time { clip: name.clone(), error })?;
        let step = |(&(frame, _), ticks)| Step { frame, ticks, ..Step::default() };
        Self::new(sprite, name, timescale, spans.iter().zip(ticks).map(step).collect())
    }

    /// The same clip played another way, `plays` times; 0 is forever.
    pub fn playing(self, play: PlayMode, plays: u32) -> Self {
        Self { play, plays, ..self }
    }

    /// The same clip with every step drawn mirrored.
    pub fn mirrored(self) -> Self {
        self.mirrored_where(|_| true)
    }

    /// The same clip with these steps, by number, drawn mirrored, and no others.
    pub fn mirrored_where(mut self, is_mirrored: impl Fn(usize) -> bool) -> Self {
        for (number, step) in self.steps.iter_mut().enumerate() {
            step.mirror = is_mirrored(number);
        }
        self
    }

    /// The same clip with copies that are drawn mirrored in the place of steps that were to be mirrored.
    pub(crate) fn showing_copies(mut self, copy: impl Fn(usize) -> usize) -> Self {
        for step in self.steps.iter_mut().filter(|step| step.mirror) {
            (step.frame, step.mirror) = (copy(step.frame), false);
        }
        self
    }

    /// The same clip as one of another sprite.
    pub(crate) fn with_sprite(self, sprite: Name) -> Self {
        Self { sprite, ..self }
    }

    /// The same clip in the place of an old one: what belongs to the old clip, and the events and own keys of its steps,
    /// stay. A step stays if its frame is shown as often before it.
    pub(crate) fn in_place_of(mut self, old: &Self) -> Self {
        let mut steps: HashMap<usize, VecDeque<&Step>> = HashMap::new();
        old.steps.iter().for_each(|step| steps.entry(step.frame).or_default().push_back(step));
        for step in &mut self.steps {
            if let Some(before) = steps.get_mut(&step.frame).and_then(VecDeque::pop_front) {
                step.event = step.event.take().or_else(|| before.event.clone());
                step.carried = before.carried.clone();
            }
        }
        Self { carried: old.carried.clone(), ..self }
    }

    /// The same clip with other carried keys.
    pub fn with_carried(self, carried: ExtraFields) -> Self {
        Self { carried, ..self }
    }

    /// The same steps on another clock; `ticks` in the steps' order.
    ///
    /// # Errors
    /// As [`Clip::new`].
    pub(crate) fn retimed(mut self, timescale: u32, ticks: &[u32]) -> Result<Self, ClipError> {
        for (step, &ticks) in self.steps.iter_mut().zip(ticks) {
            step.ticks = ticks;
        }
        let (play, plays, carried) = (self.play, self.plays, self.carried);
        Ok(Self::new(self.sprite, self.name, timescale, self.steps)?
            .playing(play, plays)
            .with_carried(carried))
    }

    /// The same clip under another name.
    pub(crate) fn with_name(self, name: Name) -> Self {
        Self { name, ..self }
    }

    /// The same clip with an event on a step, or without the one it has.
    pub(crate) fn with_event(mut self, step: usize, event: Option<String>) -> Self {
        if let Some(step) = self.steps.get_mut(step) {
            step.event = event;
        }
        self
    }

    /// The same clip with only the steps whose frame stays; `None` where none does. The time and the event of a step
    /// whose frame is in `left_out` go to the nearest step of the frame it is mapped to.
    pub(crate) fn retain_steps(
        mut self,
        stays: impl Fn(usize) -> bool,
        left_out: &HashMap<usize, usize>,
    ) -> Option<Self> {
        if self.steps.iter().all(|step| stays(step.frame)) {
            return Some(self);
        }
        // Expand a bounce first: a frame left out is also missing on the way back, and the total duration must not change.
        if self.play == PlayMode::Bounce && self.steps.iter().any(|step| left_out.contains_key(&step.frame)) {
            self.steps = self.played_steps().into_iter().cloned().collect();
            self.play = PlayMode::Forward;
        }
        let (mut kept, gone): (Vec<_>, Vec<_>) =
            self.steps.into_iter().enumerate().partition(|(_, step)| stays(step.frame));
        for (at, step) in gone {
            let Some(&heir) = left_out.get(&step.frame) else { continue };
            let of_heir = kept.iter_mut().filter(|(_, kept)| kept.frame == heir);
            if let Some((_, heir)) = of_heir.min_by_key(|(place, _)| place.abs_diff(at)) {
                heir.ticks = heir.ticks.saturating_add(step.ticks);
                heir.event = heir.event.take().or(step.event);
            }
        }
        self.steps = kept.into_iter().map(|(_, step)| step).collect();
        (!self.steps.is_empty()).then_some(self)
    }

    /// The same clip with its steps in the order in which frames are listed, as often as they are; unchanged if it shows a
    /// frame more than once.
    pub(crate) fn in_order_of(mut self, frames: &[usize]) -> Self {
        let mut shown = HashSet::new();
        if !self.steps.iter().all(|step| shown.insert(step.frame)) {
            return self;
        }
        let step = |frame: &usize| self.steps.iter().find(|step| step.frame == *frame).cloned();
        let steps: Vec<Step> = frames.iter().filter_map(step).collect();
        self.steps = steps;
        self
    }

    /// The same clip in a set where its frames lie elsewhere; `None` where one of them is gone.
    pub(crate) fn remap_frames(mut self, new_place: &[Option<usize>]) -> Option<Self> {
        for step in &mut self.steps {
            step.frame = new_place[step.frame]?;
        }
        Some(self)
    }

    /// The same clip with its frames `count` places further on.
    pub(crate) fn offset_frames(mut self, count: usize) -> Self {
        for step in &mut self.steps {
            step.frame += count;
        }
        self
    }

    /// The same clip with the frame of each step replaced, given the step's number and its frame.
    pub(crate) fn with_frames(mut self, frame: impl Fn(usize, usize) -> usize) -> Self {
        for (at, step) in self.steps.iter_mut().enumerate() {
            step.frame = frame(at, step.frame);
        }
        self
    }

    /// The sprite it belongs to.
    pub fn sprite(&self) -> &Name {
        &self.sprite
    }

    /// Its name, unique within the sprite.
    pub fn name(&self) -> &Name {
        &self.name
    }

    /// The way through the steps.
    pub fn play(&self) -> PlayMode {
        self.play
    }

    /// Whether the first step follows the last.
    pub fn loops(&self) -> bool {
        self.play == PlayMode::Forward && self.plays != 1
    }

    /// How often; 0 is forever.
    pub fn plays(&self) -> u32 {
        self.plays
    }

    /// How it plays, in the words it is typed with: `loop`, `once`, `loop 3`, `bounce`, `bounce 2`.
    pub fn playback(&self) -> String {
        let way = playback_text(self.play, self.plays);
        if self.steps.iter().all(|step| step.mirror) { format!("{way} mirrored") } else { way }
    }

    /// Ticks a second.
    pub fn timescale(&self) -> u32 {
        self.timescale
    }

    /// The steps as listed, before any way back.
    pub fn steps(&self) -> &[Step] {
        &self.steps
    }

    /// Keys carried along for the user.
    pub fn carried(&self) -> &ExtraFields {
        &self.carried
    }

    /// How long a step is shown.
    pub fn span(&self, step: &Step) -> FrameDuration {
        // Both are at least 1: see the guarantees.
        FrameDuration::new(step.ticks, self.timescale).unwrap_or(FrameDuration::DEFAULT)
    }

    /// Which step is shown when.
    pub fn clock(&self) -> Clock<'_, Step> {
        Clock::new(&self.steps, self.timescale, self.play, self.plays)
    }

    /// The steps of one play in the order shown, the way back of a bounce written out.
    pub fn played_steps(&self) -> Vec<&Step> {
        self.clock().order().map(|at| &self.steps[at]).collect()
    }

    /// Ticks of one play, the way back of a bounce included.
    pub fn total_ticks(&self) -> u64 {
        self.clock().round_ticks()
    }

    /// Milliseconds of one play.
    pub fn total_millis(&self) -> f64 {
        self.total_ticks() as f64 * 1000.0 / f64::from(self.timescale)
    }
}

/// `loop`, `once`, `loop 3`, `bounce`, `bounce 2`.
pub(crate) fn playback_text(play: PlayMode, plays: u32) -> String {
    match (play, plays) {
        (PlayMode::Forward, 0) => "loop".to_owned(),
        (PlayMode::Forward, 1) => "once".to_owned(),
        (PlayMode::Forward, plays) => format!("loop {plays}"),
        (PlayMode::Bounce, 0) => "bounce".to_owned(),
        (PlayMode::Bounce, plays) => format!("bounce {plays}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn clip(ticks: &[u32]) -> Result<Clip, ClipError> {
        let steps = ticks.iter().enumerate().map(|(frame, &ticks)| Step { frame, ticks, ..Step::default() });
        Clip::new(Name::new("frog").unwrap(), Name::new("leap").unwrap(), 1000, steps.collect())
    }

    #[test]
    fn six_frames_of_100_ms_last_600_ms() {
        assert_eq!(clip(&[100; 6]).unwrap().total_millis(), 600.0);
    }

    #[test]
    fn a_bounce_shows_its_ends_once() {
        for (count, wanted) in
            [(1, vec![0]), (2, vec![0, 1]), (3, vec![0, 1, 2, 1]), (4, vec![0, 1, 2, 3, 2, 1])]
        {
            let clip = clip(&vec![10; count]).unwrap().playing(PlayMode::Bounce, 0);
            assert_eq!(clip.played_steps().iter().map(|step| step.frame).collect::<Vec<_>>(), wanted);
            assert_eq!(clip.total_ticks(), 10 * wanted.len() as u64);
        }
    }

    #[test]
    fn thinning_out_keeps_the_time() {
        let even = HashMap::from([(1, 0), (3, 2)]);
        for (play, plays) in
            [(PlayMode::Forward, 0), (PlayMode::Forward, 1), (PlayMode::Bounce, 0), (PlayMode::Bounce, 2)]
        {
            let whole = clip(&[10, 20, 30, 40, 50]).unwrap().playing(play, plays);
            let thin = whole.clone().retain_steps(|frame| frame % 2 == 0, &even).unwrap();
            assert_eq!(thin.total_ticks(), whole.total_ticks(), "{play:?} {plays}");
            let first: Vec<_> = thin.steps().iter().map(|step| (step.frame, step.ticks)).take(2).collect();
            assert_eq!(first[1], (2, 70));
        }
        assert!(clip(&[10]).unwrap().retain_steps(|_| false, &even).is_none());
    }

    #[test]
    fn frames_that_are_taken_keep_their_times_and_their_order() {
        let taken = |places: &[usize]| {
            let clip = clip(&[50, 80, 100, 200, 300]).unwrap();
            let left = clip.retain_steps(|frame| places.contains(&frame), &HashMap::new()).unwrap();
            let steps = left.in_order_of(places);
            steps.steps().iter().map(|step| (step.frame, step.ticks)).collect::<Vec<_>>()
        };
        assert_eq!(taken(&[0, 1, 2]), [(0, 50), (1, 80), (2, 100)]);
        assert_eq!(taken(&[3, 2, 1]), [(3, 200), (2, 100), (1, 80)]);
        assert_eq!(taken(&[4, 0, 4]), [(4, 300), (0, 50), (4, 300)]);
    }

    #[test]
    fn nothing_to_play_and_no_time_are_refused() {
        assert!(matches!(clip(&[]), Err(ClipError::Empty(_))));
        assert!(matches!(clip(&[1, 0]), Err(ClipError::Time { error: TimeError::Zero, .. })));
    }
}
