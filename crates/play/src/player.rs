//! One playing of a clip.

use core::time::Duration;

use crate::clip::{Clip, Events, Shown};

/// Billionths of a tick, so that nanoseconds are never rounded.
const PARTS: u128 = 1_000_000_000;

/// How far a clip has been played. It adds up whole nanoseconds and never rounds, so it is exact even after days.
///
/// ```
/// # use core::time::Duration;
/// # fn show(clip: &shibori_play::Clip) {
/// let mut player = shibori_play::Player::new();
/// // Every frame of the game:
/// for event in player.advance(clip, Duration::from_secs_f32(1.0 / 60.0)) {
///     assert_eq!(event.name, "splash");
/// }
/// let shown = player.shown(clip);
/// # let _ = shown;
/// # }
/// ```
///
/// A player belongs to one clip; use a new one for another clip.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Player {
    tick: u64,
    /// Billionths of the tick.
    part: u32,
    /// The first tick whose events haven't been handed out.
    due: u64,
}

impl Player {
    /// A player at the beginning.
    pub const fn new() -> Self {
        Self { tick: 0, part: 0, due: 0 }
    }

    /// Advances by this much time and returns the events that are due: each exactly once, including those of steps that began and
    /// ended in between. The first call returns the first step's event, even if no time passes. Events you don't read are gone.
    pub fn advance<'a>(&mut self, clip: &'a Clip, time: Duration) -> Events<'a> {
        let parts = time.as_nanos() * u128::from(clip.timescale) + u128::from(self.part);
        let ticks = u64::try_from(parts / PARTS).unwrap_or(u64::MAX);
        self.tick = self.tick.saturating_add(ticks);
        self.part = (parts % PARTS) as u32;
        let from = self.due;
        self.due = self.tick.saturating_add(1);
        clip.events(from..self.due)
    }

    /// Jumps to a tick, forward or back. Events before it are skipped; one that begins at it is still to come.
    pub const fn seek(&mut self, tick: u64) {
        *self = Self { tick, part: 0, due: tick };
    }

    /// What is shown now.
    pub fn shown(&self, clip: &Clip) -> Shown {
        clip.at_tick(self.tick)
    }

    /// The tick it is at.
    pub const fn tick(&self) -> u64 {
        self.tick
    }

    /// Whether the clip is over.
    pub fn is_finished(&self, clip: &Clip) -> bool {
        clip.clock().at(self.tick).is_finished
    }
}
