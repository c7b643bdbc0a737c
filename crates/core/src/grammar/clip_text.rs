//! A clip as a person would type it: `swim = 0-3,5x2 @12fps once`.

use std::collections::HashMap;

use crate::clip::{Clip, ClipSpec, FrameDuration, PlayMode};
use crate::sequence::playback_text;
use crate::{FrameSet, Name, Selection, SyntaxError};

/// Runs of at least this many numbers are written as a range.
const MIN_RUN: usize = 3;

impl ClipSpec {
    /// A clip whose frames all last equally long; without a time, each keeps its own delay. It plays `plays` times; 0 means forever.
    ///
    /// # Errors
    /// If the name can't be part of a file name or contains a character that the grammar uses, or the time can't be written exactly.
    pub fn new(
        name: &Name,
        frames: &Selection,
        each: Option<FrameDuration>,
        play: PlayMode,
        plays: u32,
    ) -> Result<Self, SyntaxError> {
        let inexact = || {
            let problem = "the time can't be written exactly".to_owned();
            SyntaxError { text: name.to_string(), at: 0, problem }
        };
        let time = match each {
            Some(span) => format!(" @{}", base_text(span).ok_or_else(inexact)?),
            None => String::new(),
        };
        let way = match playback_text(play, plays) {
            text if text == "loop" => String::new(),
            text => format!(" {text}"),
        };
        let spec: Self = format!("{name} = {frames}{time}{way}").parse()?;
        match spec.name() == name && spec.sprite().is_none() {
            true => Ok(spec),
            false => {
                let problem = "the name contains a character that has a meaning in clips".to_owned();
                Err(SyntaxError { text: spec.to_string(), at: 0, problem })
            }
        }
    }

    /// What makes this clip of a set's frames, times to the tick; `None` if the grammar can't say it: if a time has no
    /// exact text. Events are not part of it.
    pub fn for_clip(set: &FrameSet, clip: &Clip) -> Option<Self> {
        let steps: Vec<(usize, FrameDuration)> =
            clip.steps().iter().map(|step| (step.frame, clip.span(step))).collect();
        let is_mirrored = clip.steps().iter().all(|step| step.mirror);
        // If only some are mirrored, each is marked.
        let marks: Vec<&str> =
            clip.steps().iter().map(|step| if step.mirror && !is_mirrored { "m" } else { "" }).collect();
        let playback = match clip.playback() {
            text if text == "loop" => String::new(),
            text => format!(" {text}"),
        };
        let (sprite, name) = (clip.sprite(), clip.name());
        let text = format!("{sprite}:{name} = {}{playback}", frames_and_times(set, sprite, &steps, &marks)?);
        let spec: Self = text.parse().ok()?;
        // Names may hold signs of the grammar.
        let same = spec.resolve(set).ok()?;
        let is_same = same.steps().len() == steps.len()
            && same.steps().iter().zip(&steps).all(|(step, (frame, span))| {
                step.frame == *frame && same.span(step).reduced() == span.reduced()
            })
            && same.steps().iter().zip(clip.steps()).all(|(same, step)| same.mirror == step.mirror);
        (is_same && same.playback() == clip.playback()).then_some(spec)
    }
}

/// `0-3,5x2 @12fps`: the commonest time once, others with their frames.
fn frames_and_times(
    set: &FrameSet,
    sprite: &Name,
    steps: &[(usize, FrameDuration)],
    marks: &[&str],
) -> Option<String> {
    let base = base_time(steps);
    let item = |(&(frame, span), mark): (&(usize, FrameDuration), &&str)| {
        let is_own = set.frames()[frame].sprite() == sprite;
        let (hold, time) = match base.and_then(|base| multiple(span, base)) {
            Some(1) => (1, String::new()),
            Some(count) => (count, String::new()),
            None => exact_time(span)?,
        };
        let hold = if hold == 1 { String::new() } else { format!("x{hold}") };
        is_own.then(|| (set.number_in_sprite(frame), format!("{hold}{mark}{time}")))
    };
    let items = steps.iter().zip(marks).map(item).collect::<Option<Vec<_>>>()?;
    let base = base.and_then(base_text).map(|text| format!(" @{text}")).unwrap_or_default();
    Some(format!("{}{base}", join_runs(&items)))
}

/// The time that most steps have; of several, the shortest.
fn base_time(steps: &[(usize, FrameDuration)]) -> Option<FrameDuration> {
    let mut counts: HashMap<FrameDuration, usize> = HashMap::new();
    steps.iter().filter(|(_, span)| base_text(*span).is_some()).for_each(|(_, span)| {
        *counts.entry(span.reduced()).or_default() += 1;
    });
    let order = |(span, count): &(FrameDuration, usize)| {
        (
            *count,
            std::cmp::Reverse(u128::from(span.ticks()) * u128::from(u32::MAX) / u128::from(span.timescale())),
        )
    };
    counts.into_iter().max_by_key(order).map(|(span, _)| span)
}

/// How many times as long as `base`, if it is a whole number of times.
fn multiple(span: FrameDuration, base: FrameDuration) -> Option<u64> {
    let product = |a: FrameDuration, b: FrameDuration| u64::from(a.ticks()) * u64::from(b.timescale());
    let (long, short) = (product(span, base), product(base, span));
    long.is_multiple_of(short).then(|| long / short)
}

/// `80ms`, or `12fps`.
fn base_text(span: FrameDuration) -> Option<String> {
    let (ticks, timescale) = (u64::from(span.reduced().ticks()), u64::from(span.reduced().timescale()));
    if (ticks * 1000).is_multiple_of(timescale) {
        return Some(format!("{}ms", ticks * 1000 / timescale));
    }
    if ticks == 1 && timescale <= 1000 {
        return Some(format!("{timescale}fps"));
    }
    // Six decimals are the most that is read.
    let micros =
        (ticks * 1_000_000_000).is_multiple_of(timescale).then(|| ticks * 1_000_000_000 / timescale)?;
    Some(format!("{}.{:06}ms", micros / 1_000_000, micros % 1_000_000))
}

/// A step's own time: how many holds, and the time of one: 1 and `@80ms`, or 3 and `@60fps`.
fn exact_time(span: FrameDuration) -> Option<(u64, String)> {
    if let Some(text) = base_text(span) {
        return Some((1, format!("@{text}")));
    }
    let span = span.reduced();
    (span.timescale() <= 1000).then(|| (u64::from(span.ticks()), format!("@{}fps", span.timescale())))
}

/// Numbers with what is behind them, runs as ranges: `0-3,7-4x2`.
fn join_runs(items: &[(usize, String)]) -> String {
    let mut texts = Vec::new();
    let mut rest = items;
    while let [(first, suffix), ..] = rest {
        let run = |step: i64| {
            let follows = |(at, (number, own)): &(usize, &(usize, String))| {
                *number as i64 == *first as i64 + step * *at as i64 && own == suffix
            };
            rest.iter().enumerate().take_while(follows).count()
        };
        let (up, down) = (run(1), run(-1));
        let length = up.max(down);
        if length >= MIN_RUN {
            let last = if up >= down { first + length - 1 } else { first + 1 - length };
            texts.push(format!("{first}-{last}{suffix}"));
            rest = &rest[length..];
        } else {
            texts.push(format!("{first}{suffix}"));
            rest = &rest[1..];
        }
    }
    texts.join(",")
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::clip::PlayMode;
    use crate::set::tests::rows;

    fn clip(steps: &[(usize, u32, u32)]) -> Clip {
        let spans: Vec<_> = steps
            .iter()
            .map(|&(frame, ticks, timescale)| (frame, FrameDuration::new(ticks, timescale).unwrap()))
            .collect();
        Clip::from_durations(Name::new("koi").unwrap(), Name::new("swim").unwrap(), &spans).unwrap()
    }

    #[test]
    fn a_long_clip_is_a_short_text() {
        let set = rows("koi", &[20]);
        let text = |clip: &Clip| ClipSpec::for_clip(&set, clip).unwrap().to_string();
        let mut steps: Vec<(usize, u32, u32)> = (0..16).map(|frame| (frame, 1, 12)).collect();
        steps.push((16, 2, 12));
        steps.extend((2..=5).rev().map(|frame| (frame, 1, 12)));
        assert_eq!(text(&clip(&steps)), "koi:swim = 0-15,16x2,5-2 @12fps");
        let times = [(0, 80, 1000), (1, 80, 1000), (2, 250, 1000)];
        assert_eq!(text(&clip(&times).playing(PlayMode::Bounce, 2)), "koi:swim = 0,1,2@250ms @80ms bounce 2");
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_as_the_same_clip(
            steps in prop::collection::vec((0usize..20, 1u32..40, prop::sample::select(vec![1000, 12, 24, 60, 7])), 1..24),
            plays in 0u32..4, bounce: bool, mirror in prop::sample::select(vec![0u32, u32::MAX, 0b1011_0110]),
        ) {
            let set = rows("koi", &[20]);
            let play = if bounce { PlayMode::Bounce } else { PlayMode::Forward };
            let clip = clip(&steps).playing(play, plays);
            let clip = clip.mirrored_where(|step| mirror >> step & 1 == 1);
            // Holding two frames alike is one step, so nothing is written that is read otherwise.
            if let Some(spec) = ClipSpec::for_clip(&set, &clip) {
                let again: ClipSpec = spec.to_string().parse().unwrap();
                let same = again.resolve(&set).unwrap();
                prop_assert_eq!(same.total_millis(), clip.total_millis());
                prop_assert_eq!(same.steps().len(), clip.steps().len());
                let mirrored = |clip: &Clip| clip.steps().iter().map(|step| step.mirror).collect::<Vec<_>>();
                prop_assert_eq!(mirrored(&same), mirrored(&clip), "{}", spec);
            } else {
                prop_assert!(false, "can't write {:?}", clip);
            }
        }
    }
}
