//! Which step of a clip is shown when, in whole ticks. It knows nothing of frames.

use core::ops::Range;

/// The order in which a clip's steps play.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "kebab-case"))]
pub enum PlayMode {
    /// First to last.
    #[default]
    Forward,
    /// There and back (ping-pong), with the first and last steps shown once: 0 1 2 1.
    Bounce,
}

/// What a clock needs to know of a step.
pub trait Timed {
    /// How long it is shown, in ticks.
    fn ticks(&self) -> u32;
}

/// The clock of a clip: which of its steps is shown at a tick. A tick is `1 / timescale` seconds; tick 0 is when the clip begins.
///
/// Every method is pure and allocates nothing. Finding a step takes time in proportion to the number of steps. Steps of 0 ticks are
/// never shown.
#[derive(Debug)]
pub struct Clock<'a, S> {
    steps: &'a [S],
    timescale: u32,
    play: PlayMode,
    plays: u32,
}

/// What is shown at one time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Moment {
    /// The step, counted in the clip from 0.
    pub step: usize,
    /// The round it is in, from 0.
    pub round: u64,
    /// For how many ticks it has been shown.
    pub since: u64,
    /// Whether the clip is over; it keeps showing its final step.
    pub is_finished: bool,
}

// Not derived: that would ask for steps that can be copied.
impl<S> Copy for Clock<'_, S> {}
impl<S> Clone for Clock<'_, S> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<'a, S: Timed> Clock<'a, S> {
    /// The clock of these steps: `timescale` ticks a second, played `plays` times, or forever if that is 0.
    pub const fn new(steps: &'a [S], timescale: u32, play: PlayMode, plays: u32) -> Self {
        Self { steps, timescale, play, plays }
    }

    /// How many steps one round shows.
    fn places(self) -> usize {
        let count = self.steps.len();
        match self.play {
            PlayMode::Forward => count,
            PlayMode::Bounce => count.max((2 * count).saturating_sub(2)),
        }
    }

    fn step_of(self, place: usize) -> usize {
        let count = self.steps.len();
        if place < count { place } else { 2 * (count - 1) - place }
    }

    /// The steps of one round in the order shown, including the way back of a bounce.
    pub fn order(self) -> impl DoubleEndedIterator<Item = usize> + ExactSizeIterator + Clone {
        (0..self.places()).map(move |place| self.step_of(place))
    }

    fn ticks_of(self, step: usize) -> u64 {
        self.steps.get(step).map_or(0, |step| u64::from(step.ticks()))
    }

    /// Ticks of one round.
    pub fn round_ticks(self) -> u64 {
        self.order().map(|step| self.ticks_of(step)).sum()
    }

    /// The tick at which the clip is over; `None` if it plays forever.
    pub fn end(self) -> Option<u64> {
        (self.plays > 0).then(|| self.round_ticks().saturating_mul(u64::from(self.plays)))
    }

    /// What is shown at a tick.
    pub fn at(self, tick: u64) -> Moment {
        let round_ticks = self.round_ticks();
        let last = match self.end() {
            Some(end) if tick >= end => end.saturating_sub(1),
            _ => tick,
        };
        let round = last.checked_div(round_ticks).unwrap_or(0);
        let mut left = last - round * round_ticks;
        let is_finished = last != tick || round_ticks == 0;
        for step in self.order() {
            match left.checked_sub(self.ticks_of(step)) {
                Some(rest) => left = rest,
                None => return Moment { step, round, since: left + (tick - last), is_finished },
            }
        }
        // No step takes any time.
        Moment { step: 0, round: 0, since: tick, is_finished: true }
    }

    /// The tick that a time in seconds falls into. Negative times and NaN give tick 0. The `f64` nearest
    /// to the start of a tick falls into that tick, even where multiplying would round it down.
    pub fn tick(self, seconds: f64) -> u64 {
        let near = (seconds * f64::from(self.timescale)) as u64;
        if self.seconds(near.saturating_add(1)) <= seconds {
            near.saturating_add(1)
        } else if self.seconds(near) > seconds {
            near.saturating_sub(1)
        } else {
            near
        }
    }

    /// The time in seconds at which a tick begins.
    pub fn seconds(self, tick: u64) -> f64 {
        tick as f64 / f64::from(self.timescale.max(1))
    }

    /// The steps that begin within a range of ticks, each with its tick, in order; none after the clip's end.
    pub fn beginnings(self, range: Range<u64>) -> Beginnings<'a, S> {
        let mut all = Beginnings {
            clock: self,
            next: 0,
            place: 0,
            until: range.end.min(self.end().unwrap_or(u64::MAX)),
        };
        let round_ticks = self.round_ticks();
        if round_ticks == 0 {
            all.until = 0;
            return all;
        }
        all.next = range.start - range.start % round_ticks;
        // At most one round.
        while all.next < range.start && all.next < all.until {
            all.pass();
        }
        all
    }
}

/// What [`Clock::beginnings`] gives.
#[derive(Debug)]
pub struct Beginnings<'a, S> {
    clock: Clock<'a, S>,
    /// When the step at `place` in the order of a round begins.
    next: u64,
    place: usize,
    until: u64,
}

impl<S: Timed> Beginnings<'_, S> {
    /// Goes on to the next step and gives this one.
    fn pass(&mut self) -> usize {
        let step = self.clock.step_of(self.place);
        self.next = self.next.saturating_add(self.clock.ticks_of(step));
        self.place = (self.place + 1) % self.clock.places();
        step
    }
}

impl<S: Timed> Iterator for Beginnings<'_, S> {
    type Item = (u64, usize);

    fn next(&mut self) -> Option<Self::Item> {
        while self.next < self.until {
            let tick = self.next;
            let step = self.pass();
            if self.clock.ticks_of(step) > 0 {
                return Some((tick, step));
            }
        }
        None
    }
}
