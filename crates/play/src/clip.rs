//! Clips as a game plays them.

use core::ops::Range;

use crate::clock::{Beginnings, Clock, Moment, PlayMode, Timed};
use crate::{List, Text};

/// A named sequence of steps.
///
/// A clip of an [`Atlas`](crate::Atlas) has at least one step, and every step lasts at least one tick.
#[derive(Clone, Debug, PartialEq)]
pub struct Clip {
    /// The sprite it belongs to.
    pub sprite: Text,
    /// Its name, unique within the sprite.
    pub name: Text,
    /// The order in which the steps play.
    pub play: PlayMode,
    /// How many times to play; 0 means forever.
    pub plays: u32,
    /// Ticks per second: a step lasts `ticks / timescale` seconds.
    pub timescale: u32,
    /// The steps in order, without the way back of a bounce.
    pub steps: List<Step>,
}

/// One step of a clip.
#[derive(Clone, Debug, PartialEq)]
pub struct Step {
    /// Its frame, counted in the atlas from 0.
    pub frame: usize,
    /// How long it is shown, in ticks.
    pub ticks: u32,
    /// Whether it is drawn mirrored left-right about the pivot.
    pub mirror: bool,
    /// The event the game receives when the step begins.
    pub event: Option<Text>,
}

impl Timed for Step {
    fn ticks(&self) -> u32 {
        self.ticks
    }
}

/// What to draw at one time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Shown {
    /// The frame, counted in the atlas from 0.
    pub frame: usize,
    /// Whether to draw it mirrored left-right about its pivot.
    pub mirror: bool,
    /// The step, how long it has been shown, and whether the clip is over.
    pub moment: Moment,
}

impl Clip {
    /// The clock of its steps.
    pub fn clock(&self) -> Clock<'_, Step> {
        Clock::new(&self.steps, self.timescale, self.play, self.plays)
    }

    /// What to draw this many seconds after the clip began. It is pure and allocates nothing. Before the beginning that is the
    /// first step, after the end the final one.
    pub fn at(&self, seconds: f64) -> Shown {
        self.at_tick(self.clock().tick(seconds))
    }

    /// The same, by tick.
    pub fn at_tick(&self, tick: u64) -> Shown {
        let moment = self.clock().at(tick);
        let step = self.steps.get(moment.step);
        Shown {
            frame: step.map_or(0, |step| step.frame),
            mirror: step.is_some_and(|step| step.mirror),
            moment,
        }
    }

    /// The events in a range of ticks (see [`Clock::tick`]), in order, computed one at a time.
    pub fn events(&self, ticks: Range<u64>) -> Events<'_> {
        Events { steps: &self.steps, beginnings: self.clock().beginnings(ticks) }
    }
}

/// An event of a clip.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Event<'a> {
    /// Its name.
    pub name: &'a str,
    /// The step it belongs to.
    pub step: usize,
    /// When, in ticks since the clip began.
    pub tick: u64,
}

/// What [`Clip::events`] gives.
#[derive(Debug)]
#[must_use = "events are handed out once"]
pub struct Events<'a> {
    steps: &'a [Step],
    beginnings: Beginnings<'a, Step>,
}

impl<'a> Iterator for Events<'a> {
    type Item = Event<'a>;

    fn next(&mut self) -> Option<Event<'a>> {
        let steps = self.steps;
        self.beginnings.find_map(|(tick, step)| {
            let name = steps[step].event.as_deref()?;
            Some(Event { name, step, tick })
        })
    }
}
