//! When what is shown.

use crate::export::{ClipTimeline, ExportError};

/// When something is shown and when not: from each time on, until the next.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Switching {
    pub(super) times: Vec<f32>,
    pub(super) on: Vec<bool>,
}

/// When each step begins, and last when the clip ends, in seconds. Times are whole ticks until they are divided, in 64 bits,
/// and rounded once.
///
/// # Errors
/// If two steps begin at one time after rounding.
pub(super) fn starts(clip: &ClipTimeline, timescale: u32, name: &str) -> Result<Vec<f32>, ExportError> {
    let end = clip.playback.last().map_or(0, |step| step.start_ticks + u64::from(step.ticks));
    let ticks = clip.playback.iter().map(|step| step.start_ticks).chain([end]);
    let times: Vec<f32> = ticks.map(|ticks| (ticks as f64 / f64::from(timescale)) as f32).collect();
    match times.windows(2).position(|pair| pair[0] >= pair[1]) {
        None => Ok(times),
        Some(step) => Err(ExportError::SameTime { clip: name.to_owned(), step, next: step + 1 }),
    }
}

/// Keys where something changes, at the start, and at the end: without that one the last step would take no time. `shown` are
/// the steps in which it shows, ascending; `starts` are those of all steps, and the end.
pub(super) fn switching(starts: &[f32], shown: &[usize]) -> Switching {
    let end = starts.len() - 1;
    let is_on_first = shown.first() == Some(&0);
    let mut switching = Switching { times: vec![starts[0]], on: vec![is_on_first] };
    for run in shown.chunk_by(|step, next| step + 1 == *next) {
        let (first, after) = (run[0], run[run.len() - 1] + 1);
        let changes = [(first, true), (after, false)];
        for (step, on) in changes.into_iter().filter(|(step, _)| (1..end).contains(step)) {
            switching.times.push(starts[step]);
            switching.on.push(on);
        }
    }
    switching.times.push(starts[end]);
    switching.on.push(switching.on[switching.on.len() - 1]);
    switching
}

#[cfg(test)]
mod tests {
    use super::*;
    use shibori_core::clip::PlayMode;

    use crate::manifest::{ClipEntry, StepEntry};

    fn clip(ticks: &[u32], timescale: u32, play: PlayMode) -> ClipTimeline {
        let step = |(at, &ticks): (usize, &u32)| StepEntry {
            frame: at,
            ticks,
            mirror: false,
            event: None,
            other: serde_json::Map::new(),
        };
        ClipTimeline::of(
            &ClipEntry {
                name: "swim".into(),
                sprite: "koi".into(),
                play,
                plays: 0,
                timescale,
                steps: ticks.iter().enumerate().map(step).collect(),
                extras: None,
                other: serde_json::Map::new(),
            },
            &[],
        )
    }

    #[test]
    fn keys_stand_where_something_changes_and_at_both_ends() {
        let clip = clip(&[1, 2, 1], 4, PlayMode::Bounce);
        let starts = starts(&clip, 4, "swim").unwrap();
        // There and back: 0 1 2 1.
        assert_eq!(starts, [0.0, 0.25, 0.75, 1.0, 1.5]);
        let middle = switching(&starts, &[1, 3]);
        let wanted =
            Switching { times: vec![0.0, 0.25, 0.75, 1.0, 1.5], on: vec![false, true, false, true, true] };
        assert_eq!(middle, wanted);
        let first = switching(&starts, &[0]);
        assert_eq!((first.times, first.on), (vec![0.0, 0.25, 1.5], vec![true, false, false]));
    }

    #[test]
    fn steps_that_meet_after_rounding_are_an_error() {
        let clip = clip(&[1_000_000_000, 1, 1], 1_000, PlayMode::Forward);
        let error = starts(&clip, 1_000, "koi-swim").unwrap_err().to_string();
        assert_eq!(error, "clip 'koi-swim': steps 1 and 2 start at the same time when rounded to 32 bits");
    }
}
