//! Changing clips that are there: drop, rename, speed, another frame clock, events. Frames never change.

use std::collections::HashMap;
use std::fmt;

use crate::clip::{Clip, ClipError};
use num_integer::gcd;

use crate::sequence::TimeError;
use crate::{FrameSet, Name, Ratio, SetError, closest_name};

/// Why clips can't be changed so.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum EditError {
    /// No clip of that name.
    #[error("there is no clip '{name}'")]
    Unknown {
        /// What was asked for.
        name: String,
        /// The clip that may be meant.
        nearest: Option<String>,
        /// The clips there are.
        known: Vec<String>,
    },
    /// Several sprites have one.
    #[error("several sprites have a clip '{name}'; write one of: {list}", list = known.join(", "))]
    Several {
        /// What was asked for.
        name: String,
        /// The clips that are meant.
        known: Vec<String>,
    },
    /// A step that is not there.
    #[error("clip '{clip}' has no step {step}: it has {count} (0 to {last})", last = count.saturating_sub(1))]
    NoStep {
        /// The clip.
        clip: Name,
        /// What was asked for.
        step: usize,
        /// How many steps there are.
        count: usize,
    },
    /// Two events on a step, which holds one.
    #[error("two events for step {step} of clip '{clip}': '{first}' and '{second}'")]
    TwoEvents {
        /// The clip.
        clip: Name,
        /// The step.
        step: usize,
        /// The event named first.
        first: String,
        /// The other.
        second: String,
    },
    /// Two new names for a clip.
    #[error("two new names for clip '{clip}': '{first}' and '{second}'")]
    TwoNames {
        /// The clip.
        clip: Name,
        /// The name given first.
        first: Name,
        /// The other.
        second: Name,
    },
    /// A time that can't be kept.
    #[error(transparent)]
    Clip(#[from] ClipError),
    /// Names that clash.
    #[error(transparent)]
    Set(#[from] SetError),
}

/// The place of the clip of a name, which may be `sprite:clip`.
fn find_clip(set: &FrameSet, name: &str) -> Result<usize, EditError> {
    let found = set.find_clips(name);
    match found[..] {
        [one] => Ok(one),
        [] => {
            let known: Vec<String> = set.clips().iter().map(|clip| clip.name().to_string()).collect();
            let whole = set.clips().iter().map(Clip::qualified_name).filter(|_| name.contains(':'));
            let nearest = closest_name(name, known.iter().cloned().chain(whole));
            Err(EditError::Unknown { name: name.to_owned(), nearest, known })
        }
        _ => {
            let known = found.iter().map(|&at| set.clips()[at].qualified_name()).collect();
            Err(EditError::Several { name: name.to_owned(), known })
        }
    }
}

/// Takes a clip away; its frames stay.
pub fn drop_clip(set: FrameSet, name: &str) -> Result<FrameSet, EditError> {
    let place = find_clip(&set, name)?;
    let mut clips = set.clips().to_vec();
    clips.remove(place);
    Ok(set.with_clips(clips)?)
}

/// An old name and a new one: `walk=stroll`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Renaming {
    pub(crate) old: String,
    pub(crate) new: Name,
}

impl Renaming {
    /// Another name for a clip, which may be named with its sprite: `koi:swim`.
    pub fn new(old: impl Into<String>, new: Name) -> Self {
        Self { old: old.into(), new }
    }

    /// The clip, as named.
    pub fn old_name(&self) -> &str {
        &self.old
    }

    /// Its new name.
    pub fn new_name(&self) -> &Name {
        &self.new
    }
}

/// Renames clips, all at once: old names are the names before any renaming, so two clips can swap names.
///
/// # Errors
/// If there is no such clip, a clip gets two names, or two clips get one.
pub fn rename_clips(set: FrameSet, renamings: &[Renaming]) -> Result<FrameSet, EditError> {
    let mut clips = set.clips().to_vec();
    let mut renamed: HashMap<usize, &Name> = HashMap::new();
    for renaming in renamings {
        let place = find_clip(&set, &renaming.old)?;
        if let Some(first) = renamed.insert(place, &renaming.new).filter(|first| **first != renaming.new) {
            let (clip, first) = (set.clips()[place].name().clone(), first.clone());
            return Err(EditError::TwoNames { clip, first, second: renaming.new.clone() });
        }
        clips[place] = clips[place].clone().with_name(renaming.new.clone());
    }
    Ok(set.with_clips(clips)?)
}

/// Frames a second, kept exactly: `24fps`, `23.976fps`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FrameRate(pub(crate) Ratio);

impl FrameRate {
    /// A clock of this many ticks a second.
    ///
    /// # Errors
    /// If it is above 1000.
    pub fn new(rate: Ratio) -> Result<Self, TimeError> {
        let is_too_fast = u64::from(rate.numerator()) > 1000 * u64::from(rate.denominator());
        if is_too_fast { Err(TimeError::Fast) } else { Ok(Self(rate)) }
    }

    /// Ticks a second.
    pub fn rate(self) -> Ratio {
        self.0
    }
}

impl fmt::Display for FrameRate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}fps", self.0.value())
    }
}

/// A clip that plays `factor` times as fast: 0.5 is half the speed and twice the time, exactly.
pub fn speed(clip: Clip, factor: Ratio) -> Result<Clip, ClipError> {
    let out_of_range = |clip: &Clip| ClipError::Time { clip: clip.name().clone(), error: TimeError::Range };
    let ticks: Vec<u64> =
        clip.steps().iter().map(|step| u64::from(step.ticks) * u64::from(factor.denominator())).collect();
    let timescale = u64::from(clip.timescale()) * u64::from(factor.numerator());
    let shared = ticks.iter().fold(timescale, |all, &ticks| gcd(all, ticks));
    let fit = |number: u64| u32::try_from(number / shared).map_err(|_| out_of_range(&clip));
    let ticks = ticks.into_iter().map(fit).collect::<Result<Vec<u32>, _>>()?;
    let timescale = fit(timescale)?;
    clip.retimed(timescale, &ticks)
}

/// A clip on another frame clock: each step ends at the tick nearest to its true end, and lasts a tick at least. With it
/// the largest time, in milliseconds, that a step's end is away from where it was.
pub fn quantize(clip: Clip, rate: FrameRate) -> Result<(Clip, f64), ClipError> {
    let FrameRate(ratio) = rate;
    let seconds = |ticks: u64| ticks as f64 / f64::from(clip.timescale());
    let clock = ratio.value();
    let (mut end, mut shown, mut farthest) = (0u64, 0u64, 0f64);
    let mut ticks = Vec::with_capacity(clip.steps().len());
    for step in clip.steps() {
        end += u64::from(step.ticks);
        let nearest = (seconds(end) * clock).round() as u64;
        let next = nearest.max(shown + 1);
        farthest = farthest.max((next as f64 / clock - seconds(end)).abs() * 1000.0);
        let range = || ClipError::Time { clip: clip.name().clone(), error: TimeError::Range };
        ticks.push(u32::try_from((next - shown) * u64::from(ratio.denominator())).map_err(|_| range())?);
        shown = next;
    }
    Ok((clip.retimed(ratio.numerator(), &ticks)?, farthest))
}

/// A mark on a step: `leap@3=splash`; without a name the mark goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct EventSpec {
    pub(crate) text: String,
    pub(crate) clip: String,
    pub(crate) step: usize,
    pub(crate) event: Option<String>,
}

impl EventSpec {
    /// An event on a step of a clip, counted from 0; `None` removes the existing one.
    pub fn new(clip: &str, step: usize, event: Option<&Name>) -> Self {
        let text = format!("{clip}@{step}={}", event.map_or("", Name::as_str));
        Self { text, clip: clip.to_owned(), step, event: event.map(ToString::to_string) }
    }

    /// The clip, as named.
    pub fn clip(&self) -> &str {
        &self.clip
    }

    /// The step, from 0.
    pub fn step(&self) -> usize {
        self.step
    }

    /// The event; `None` removes the existing one.
    pub fn event(&self) -> Option<&str> {
        self.event.as_deref()
    }
}

impl fmt::Display for EventSpec {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// Adds events to steps of clips, or takes them away.
pub fn set_events(set: FrameSet, specs: &[EventSpec]) -> Result<FrameSet, EditError> {
    if specs.is_empty() {
        return Ok(set);
    }
    let mut clips = set.clips().to_vec();
    let mut marked: HashMap<(usize, usize), &str> = HashMap::new();
    for spec in specs {
        let place = find_clip(&set, &spec.clip)?;
        let clip = &clips[place];
        let count = clip.steps().len();
        if spec.step >= count {
            return Err(EditError::NoStep { clip: clip.name().clone(), step: spec.step, count });
        }
        let event = spec.event.as_deref().unwrap_or_default();
        if let Some(first) = marked.insert((place, spec.step), event).filter(|first| *first != event) {
            return Err(EditError::TwoEvents {
                clip: clip.name().clone(),
                step: spec.step,
                first: first.to_owned(),
                second: event.to_owned(),
            });
        }
        clips[place] = clip.clone().with_event(spec.step, spec.event.clone());
    }
    Ok(set.with_clips(clips)?)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::set::tests::{rows, with_clips};

    fn frog() -> FrameSet {
        with_clips(rows("frog", &[4]), &["sit = 0-1 @12fps", "leap = 0@80ms,1@40ms,2@100ms once"])
    }

    #[test]
    fn half_the_speed_is_twice_the_time_exactly() {
        let slow = speed(frog().clips()[0].clone(), "0.5".parse().unwrap()).unwrap();
        assert_eq!((slow.timescale(), slow.total_ticks()), (6, 2));
        let fast = speed(frog().clips()[1].clone(), "1.25".parse().unwrap()).unwrap();
        assert_eq!(fast.total_millis(), 176.0);
        for wrong in ["0", "-1", "fast", "", "1e3"] {
            assert!(wrong.parse::<Ratio>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn another_clock_says_how_far_off_it_is() {
        let (fitted, farthest) = quantize(frog().clips()[1].clone(), "24fps".parse().unwrap()).unwrap();
        assert_eq!(fitted.steps().iter().map(|step| step.ticks).collect::<Vec<_>>(), [2, 1, 2]);
        // 2/24 s against 80 ms; then 125 against 120, 208.3 against 220.
        assert!((farthest - 11.666).abs() < 0.01, "{farthest}");
    }

    #[test]
    fn dropping_renaming_and_events() {
        let rename = |set: FrameSet, texts: &[&str]| {
            let all: Vec<Renaming> = texts.iter().map(|text| text.parse().unwrap()).collect();
            rename_clips(set, &all)
        };
        let swapped = rename(frog(), &["sit=leap", "leap=sit"]).unwrap();
        let names: Vec<&str> = swapped.clips().iter().map(|clip| clip.name().as_str()).collect();
        assert_eq!(names, ["leap", "sit"], "old names are those before any renaming");
        let chain = rename(frog(), &["sit=leap", "leap=jump"]).unwrap();
        assert_eq!(chain.clips()[1].name().as_str(), "jump");
        let twice = rename(frog(), &["sit=rest", "frog:sit=doze"]).unwrap_err();
        assert_eq!(twice.to_string(), "two new names for clip 'sit': 'rest' and 'doze'");
        let set = rename(frog(), &["sit=rest"]).unwrap();
        let twice = ["leap@2=splash".parse().unwrap(), "leap@2=croak".parse().unwrap()];
        assert!(matches!(set_events(set.clone(), &twice), Err(EditError::TwoEvents { step: 2, .. })));
        let set = set_events(set, &["leap@2=splash".parse().unwrap()]).unwrap();
        assert_eq!(set.clips()[1].steps()[2].event.as_deref(), Some("splash"));
        let gone = set_events(set.clone(), &["leap@2=".parse().unwrap()]).unwrap();
        assert_eq!(gone.clips()[1].steps()[2].event, None);
        assert_eq!(drop_clip(set.clone(), "frog:rest").unwrap().clips().len(), 1);
        let unknown = drop_clip(set.clone(), "laep").unwrap_err();
        assert!(matches!(unknown, EditError::Unknown { nearest: Some(name), .. } if name == "leap"));
        let step = set_events(set.clone(), &["leap@3=splash".parse().unwrap()]).unwrap_err();
        assert_eq!(step.to_string(), "clip 'leap' has no step 3: it has 3 (0 to 2)");
        assert!(rename(set, &["rest=leap"]).is_err());
    }

    proptest! {
        #[test]
        fn on_any_clock_the_end_is_at_most_half_a_tick_off(fps in 1u32..240, millis in prop::collection::vec(50u32..400, 1..9)) {
            let list: Vec<String> = millis.iter().map(|ms| format!("0@{ms}ms")).collect();
            let set = with_clips(rows("frog", &[1]), &[&format!("sit = {}", list.join(","))]);
            prop_assume!(fps >= 20);
            let (fitted, farthest) = quantize(set.clips()[0].clone(), format!("{fps}fps").parse().unwrap()).unwrap();
            let half = 500.0 / f64::from(fps) + 1e-6;
            prop_assert!(farthest <= half);
            let total: u32 = millis.iter().sum();
            prop_assert!((fitted.total_millis() - f64::from(total)).abs() <= half);
        }
    }
}
