//! What a person types for a clip: `NAME = FRAMES [@TIME] [PLAY]`.
//!
//! ```text
//! swim = 0-7 @12fps                 loops (the default), 12 frames a second
//! turn = 3,4,5,4 @80ms once         80 ms a frame, played once
//! leap = r2 @total 0.8s loop 3      row 2 in 0.8 s, three times
//! idle = 0-3@80ms,4x2@240ms bounce  times of their own; 4x2 holds frame 4 twice as long
//! turn = 0-2,3m,4x2m                frames 3 and 4 mirrored
//! koi:swim = 0-7                    in a set of several sprites
//! ```
//!
//! `total` is the time of one play, the way back of a bounce included. A time written directly after
//! frames is theirs alone; one after a space is for all that have none of their own.

use std::collections::{HashMap, HashSet};
use std::str::FromStr;

use crate::clip::{Clip, ClipError, Clock, FrameDuration, PlayMode, Timed};
use crate::grammar::cursor::Cursor;
use crate::grammar::selection::{Pick, SelectError};
use crate::sequence::TimeError;
use crate::{FrameSet, Name, SetError, SyntaxError, portability_problem};

/// The words that [`parse_playback`] knows.
const PLAY_WORDS: [&str; 5] = ["loop", "once", "bounce", "mirrored", "mirror"];

/// A clip as typed, not yet tied to a set.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ClipSpec {
    text: String,
    sprite: Option<Name>,
    name: Name,
    items: Vec<Item>,
    time: Option<Time>,
    way: Playback,
}

#[derive(Clone, Debug, PartialEq, Eq)]
struct Item {
    pick: Pick,
    hold: u32,
    mirror: bool,
    time: Option<Time>,
}

/// A frame with the hold and time of its item.
#[derive(Clone, Copy)]
struct Shown {
    frame: usize,
    /// The number of its item.
    item: usize,
    hold: u32,
    time: Option<Time>,
}

impl Timed for Shown {
    fn ticks(&self) -> u32 {
        self.hold
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Time {
    Each(FrameDuration),
    /// Seconds as a fraction.
    Total(u64, u64),
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Playback {
    play: PlayMode,
    plays: u32,
    mirror: bool,
}

/// Why a typed clip does not fit a set.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ApplyError {
    /// Its frames are not there.
    #[error("clip '{clip}': {error}")]
    Frames {
        /// The clip.
        clip: Name,
        /// What is missing.
        #[source]
        error: SelectError,
    },
    /// Its times can't be kept exactly.
    #[error(transparent)]
    Clip(#[from] ClipError),
    /// Typed twice.
    #[error(transparent)]
    Set(#[from] SetError),
}

impl FromStr for ClipSpec {
    type Err = SyntaxError;

    fn from_str(text: &str) -> Result<Self, SyntaxError> {
        let mut cursor = Cursor::new(text);
        let (sprite, name) = read_names(&mut cursor)?;
        let items = read_items(&mut cursor)?;
        let time = if cursor.eat("@") { Some(read_time(&mut cursor)?) } else { None };
        let way = parse_playback(&mut cursor)?;
        Ok(Self { text: text.trim().to_owned(), sprite, name, items, time, way })
    }
}

impl std::fmt::Display for ClipSpec {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.text)
    }
}

fn read_names(cursor: &mut Cursor<'_>) -> Result<(Option<Name>, Name), SyntaxError> {
    let start = cursor.place();
    let typed = cursor.take_while(|c| c != '=');
    if cursor.is_at_end() {
        return Err(cursor.expected("'=' and frames, as in walk = 0-5 @12fps,"));
    }
    let name = |part: &str| Name::new(part.trim()).map_err(|e| cursor.error_at(start, e.to_string()));
    let names = match typed.split_once(':') {
        Some((sprite, clip)) => (Some(name(sprite)?), name(clip)?),
        None => (None, name(typed)?),
    };
    // Files and folders are named after clips.
    if let Some(why) = portability_problem(names.1.as_str()) {
        let text = format!("'{}' can't be part of a file name: {why}", names.1);
        return Err(cursor.error_at(start, text));
    }
    cursor.eat("=");
    Ok(names)
}

fn read_items(cursor: &mut Cursor<'_>) -> Result<Vec<Item>, SyntaxError> {
    let mut items: Vec<Item> = Vec::new();
    loop {
        cursor.skip_spaces();
        let pick = Pick::read(cursor, items.last().map(|item| &item.pick))?;
        let place = cursor.place();
        let hold = if cursor.eat("x") { cursor.number("how often the frame is held")? } else { 1 };
        if hold == 0 {
            return Err(cursor.error_at(place, "a frame held 0 times would not be shown; remove it"));
        }
        let mirror = cursor.eat("m");
        let time = if cursor.eat("@") { Some(read_time(cursor)?) } else { None };
        items.push(Item { pick, hold, mirror, time });
        cursor.skip_spaces();
        let comma = cursor.place();
        if !cursor.eat(",") {
            return Ok(items);
        }
        cursor.skip_spaces();
        if let Some(word) = PLAY_WORDS.iter().find(|word| cursor.rest().starts_with(**word)) {
            return Err(cursor.error_at(comma, no_comma(word)));
        }
    }
}

fn no_comma(word: &str) -> String {
    format!("no comma before '{word}': write 0-3 @12fps {word}")
}

fn read_time(cursor: &mut Cursor<'_>) -> Result<Time, SyntaxError> {
    let place = cursor.place();
    let total = cursor.eat("total");
    cursor.skip_spaces();
    let (digits, decimals) = read_decimal(cursor)?;
    if cursor.rest().trim_start().starts_with(|c: char| c.is_ascii_alphabetic()) {
        cursor.skip_spaces();
    }
    let unit_place = cursor.place();
    let unit = cursor.take_while(|c| c.is_ascii_alphabetic());
    let time = match (unit, total) {
        ("fps", false) => FrameDuration::rate(digits, decimals).map(Time::Each),
        ("ms", false) => FrameDuration::seconds(digits, decimals * 1000).map(Time::Each),
        ("s", false) => FrameDuration::seconds(digits, decimals).map(Time::Each),
        (_, true) if digits == 0 => Err(TimeError::Zero),
        ("ms", true) => Ok(Time::Total(digits, decimals * 1000)),
        ("s", true) => Ok(Time::Total(digits, decimals)),
        ("fps", true) => {
            return Err(cursor.error_at(unit_place, "a total is a time: write total 0.8s or total 800ms"));
        }
        _ => return Err(cursor.error_at(unit_place, "expected a unit: 12fps, 80ms, 0.08s or total 0.8s")),
    };
    time.map_err(|error| cursor.error_at(place, error.to_string()))
}

/// A number such as `12` or `12.5`, as digits over a power of ten.
fn read_decimal(cursor: &mut Cursor<'_>) -> Result<(u64, u64), SyntaxError> {
    let place = cursor.place();
    if cursor.peek() == Some('-') {
        return Err(cursor.error_at(place, TimeError::Zero.to_string()));
    }
    let number = cursor.take_while(|c| c.is_ascii_digit() || c == '.');
    let (whole, part) = number.split_once('.').unwrap_or((number, ""));
    if whole.is_empty() && part.is_empty() {
        return Err(cursor.expected("a time: 12fps, 80ms, 0.08s or total 0.8s"));
    }
    let digits = format!("{whole}{part}");
    let value = digits.parse::<u64>().ok().filter(|&v| v <= 1_000_000_000_000 && part.len() <= 6);
    let value =
        value.ok_or_else(|| cursor.error_at(place, format!("'{number}' is not a number that fits here")))?;
    Ok((value, 10u64.pow(part.len() as u32)))
}

fn parse_playback(cursor: &mut Cursor<'_>) -> Result<Playback, SyntaxError> {
    let mut way = Playback::default();
    let mut said_how = false;
    loop {
        cursor.skip_spaces();
        if cursor.is_at_end() {
            return Ok(way);
        }
        let place = cursor.place();
        let word = cursor.take_while(|c| !c.is_whitespace());
        match word {
            // The older word is still taken.
            "mirrored" | "mirror" if !way.mirror => way.mirror = true,
            "loop" | "once" | "bounce" if said_how => {
                return Err(cursor.error_at(place, "use only one of loop, once and bounce"));
            }
            "once" => (way.plays, said_how) = (1, true),
            "loop" | "bounce" => {
                way.play = if word == "bounce" { PlayMode::Bounce } else { PlayMode::Forward };
                (way.plays, said_how) = (read_count(cursor)?, true);
            }
            _ if PLAY_WORDS.contains(&word.trim_start_matches(',')) => {
                return Err(cursor.error_at(place, no_comma(word.trim_start_matches(','))));
            }
            _ if word.starts_with(|c: char| c == '@' || c.is_ascii_digit()) => {
                let text = match said_how || way.mirror {
                    true => "the time comes before the play mode, as in 0-3 @12fps bounce".to_owned(),
                    false => format!("write the time as @{word}"),
                };
                return Err(cursor.error_at(place, text));
            }
            _ => {
                let text = format!("'{word}' is not loop, loop 3, once, bounce or mirrored");
                return Err(cursor.error_at(place, text));
            }
        }
    }
}

/// The count after `loop` or `bounce`; 0, forever, where none follows.
fn read_count(cursor: &mut Cursor<'_>) -> Result<u32, SyntaxError> {
    cursor.skip_spaces();
    if !cursor.peek().is_some_and(|c| c.is_ascii_digit()) {
        return Ok(0);
    }
    let place = cursor.place();
    match cursor.number("how often")? {
        0 => Err(cursor.error_at(place, "0 plays would show nothing; omit the number to play forever")),
        plays => Ok(plays),
    }
}

impl ClipSpec {
    /// Its sprite, if it was named.
    pub fn sprite(&self) -> Option<&Name> {
        self.sprite.as_ref()
    }

    /// The way through its steps.
    pub fn play(&self) -> PlayMode {
        self.way.play
    }

    /// How often it plays; 0 is forever.
    pub fn plays(&self) -> u32 {
        self.way.plays
    }

    /// The clip's name.
    pub fn name(&self) -> &Name {
        &self.name
    }

    /// Ties the clip to the frames of a set.
    pub fn resolve(&self, set: &FrameSet) -> Result<Clip, ApplyError> {
        let wrong_frames = |error| ApplyError::Frames { clip: self.name.clone(), error };
        let wrong_time = |error| ClipError::Time { clip: self.name.clone(), error };
        let mut shown: Vec<Shown> = Vec::new();
        for (number, &Item { ref pick, hold, time, .. }) in self.items.iter().enumerate() {
            let places = pick.resolve(set, self.sprite.as_ref()).map_err(wrong_frames)?;
            shown.extend(places.into_iter().map(|frame| Shown { frame, item: number, hold, time }));
        }
        let mut holds_of_item = vec![0u64; self.items.len()];
        shown.iter().for_each(|one| holds_of_item[one.item] += u64::from(one.hold));
        let of_one_play = Clock::new(&shown, 1, self.way.play, 1).round_ticks();
        let mut spans = Vec::with_capacity(shown.len());
        for &Shown { frame: place, item, hold, time } in &shown {
            let span = match (time, self.time) {
                (Some(Time::Each(span)), _) | (None, Some(Time::Each(span))) => Ok(span),
                // A total of one item is shared by that item's holds, one of the whole clip by all.
                (Some(Time::Total(n, d)), _) => split_total(n, d, holds_of_item[item]),
                (None, Some(Time::Total(n, d))) => split_total(n, d, of_one_play),
                (None, None) => Ok(own_delay(set, place)),
            };
            spans.push((place, span.and_then(|span| span.times(hold)).map_err(wrong_time)?));
        }
        let sprite = match (&self.sprite, spans.first()) {
            (Some(sprite), _) => sprite.clone(),
            (None, Some(&(place, _))) => set.frames()[place].sprite().clone(),
            (None, None) => return Err(ClipError::Empty(self.name.clone()).into()),
        };
        let clip =
            Clip::from_durations(sprite, self.name.clone(), &spans)?.playing(self.way.play, self.way.plays);
        Ok(clip.mirrored_where(|step| self.way.mirror || self.items[shown[step].item].mirror))
    }
}

fn split_total(numerator: u64, denominator: u64, parts: u64) -> Result<FrameDuration, TimeError> {
    FrameDuration::seconds(numerator, denominator.checked_mul(parts).ok_or(TimeError::Range)?)
}

/// How long a frame is shown in the clip it first appears in, such as an animation file's own.
fn own_delay(set: &FrameSet, place: usize) -> FrameDuration {
    let step = |clip: &Clip| clip.steps().iter().find(|s| s.frame == place).map(|step| clip.span(step));
    set.first_clip_of(place).and_then(step).unwrap_or(FrameDuration::DEFAULT)
}

/// Adds typed clips to a set. A clip that the set already has gets new frames and times: events and own
/// keys of steps that stay, and what belongs to the clip, are kept.
///
/// # Errors
/// If frames are missing, times can't be kept, or two of `specs` are one clip.
pub fn add_clips(set: FrameSet, specs: &[ClipSpec]) -> Result<FrameSet, ApplyError> {
    let mut clips = set.clips().to_vec();
    let mut known: HashMap<(Name, Name), usize> = HashMap::with_capacity(clips.len() + specs.len());
    for (at, clip) in clips.iter().enumerate() {
        known.insert((clip.sprite().clone(), clip.name().clone()), at);
    }
    let mut added = HashSet::with_capacity(specs.len());
    for spec in specs {
        let clip = spec.resolve(&set)?;
        let (sprite, name) = (clip.sprite().clone(), clip.name().clone());
        if !added.insert((sprite.clone(), name.clone())) {
            return Err(SetError::TwoClips { sprite, name }.into());
        }
        match known.get(&(sprite.clone(), name.clone())) {
            Some(&old) => clips[old] = clip.in_place_of(&clips[old]),
            None => {
                known.insert((sprite, name), clips.len());
                clips.push(clip);
            }
        }
    }
    Ok(set.with_clips(clips)?)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::clip::set_events;
    use crate::set::tests::rows;

    fn resolve(text: &str) -> Result<Clip, String> {
        let spec: ClipSpec = text.parse().map_err(|e: SyntaxError| e.to_string())?;
        spec.resolve(&rows("frog", &[4, 2, 3])).map_err(|e| e.to_string())
    }

    /// Frames with their times in ms, and how it plays.
    fn resolved(text: &str) -> (Vec<(usize, f64)>, PlayMode, u32) {
        let clip = resolve(text).unwrap();
        let steps = clip.steps().iter().map(|step| (step.frame, clip.span(step).millis()));
        (steps.collect(), clip.play(), clip.plays())
    }

    #[test]
    fn every_form_of_time_and_play() {
        use PlayMode::{Bounce, Forward};
        let each = |frames: &[usize], ms: f64| frames.iter().map(|&f| (f, ms)).collect::<Vec<_>>();
        for (text, frames, play, plays) in [
            ("sit = 0-2", each(&[0, 1, 2], 100.0), Forward, 0),
            ("sit=2-0@80ms once", each(&[2, 1, 0], 80.0), Forward, 1),
            ("sit = 0, 1 @ 0.25 s loop 3", each(&[0, 1], 250.0), Forward, 3),
            ("sit = r2 @total 0.6s", each(&[6, 7, 8], 200.0), Forward, 0),
            ("sit = 0-2 @total 0.8s bounce", each(&[0, 1, 2], 200.0), Bounce, 0),
            ("sit = 0-1 @12.5fps bounce 2", each(&[0, 1], 80.0), Bounce, 2),
            ("sit = 0-1@80ms,2@240ms", vec![(0, 80.0), (1, 80.0), (2, 240.0)], Forward, 0),
            ("sit = 0,1x3 @50ms", vec![(0, 50.0), (1, 150.0)], Forward, 0),
            ("sit = 0@total 0.1s,1x2 @50ms", vec![(0, 100.0), (1, 100.0)], Forward, 0),
        ] {
            assert_eq!(resolved(text), (frames, play, plays), "{text}");
        }
        let mirrored = |text: &str| -> Vec<bool> {
            resolve(text).unwrap().steps().iter().map(|step| step.mirror).collect()
        };
        assert_eq!(mirrored("sit = 0-2 mirror once"), [true; 3]);
        assert_eq!(mirrored("sit = 0,1m,0-1m@80ms,2x3m bounce"), [false, true, true, true, true]);
        assert_eq!(mirrored("sit = r1m,0"), [true, true, false]);
    }

    #[test]
    fn a_rate_is_kept_exactly() {
        let clip = resolve("sit = 0-2 @12fps").unwrap();
        assert_eq!((clip.timescale(), clip.total_ticks()), (12, 3));
        let mixed = resolve("sit = 0@12fps,1@80ms").unwrap();
        assert_eq!(mixed.timescale(), 3000);
        assert_eq!(mixed.steps().iter().map(|s| s.ticks).collect::<Vec<_>>(), [250, 240]);
    }

    #[test]
    fn mistakes_point_at_their_character() {
        for (text, at) in [
            ("sit", 3),
            ("= 0", 0),
            ("sit =", 5),
            ("sit = 0 @", 9),
            ("sit = 0 @12", 11),
            ("sit = 0 @12fpz", 11),
            ("sit = 0 @0ms", 9),
            ("sit = 0 @-5ms", 9),
            ("sit = 0 @2000fps", 9),
            ("sit = 0 @total 12fps", 17),
            ("sit = 0x0", 7),
            ("sit = 0 twice", 8),
            ("sit = 0 loop once", 13),
            ("sit = 0 loop 0", 13),
            ("sit = 0-3 12fps", 10),
        ] {
            assert_eq!(text.parse::<ClipSpec>().unwrap_err().at, at, "{text:?}");
        }
    }

    #[test]
    fn parts_in_the_wrong_place_say_where_they_belong() {
        for (text, wanted) in [
            ("sit", "it ends where '=' and frames, as in walk = 0-5 @12fps, should follow"),
            ("sit = 0-3, loop", "no comma before 'loop': write 0-3 @12fps loop"),
            ("sit = 0-3 @80ms,once", "no comma before 'once': write 0-3 @12fps once"),
            ("sit = 0-3 bounce @80ms", "the time comes before the play mode, as in 0-3 @12fps bounce"),
            ("sit = 0-3 12fps", "write the time as @12fps"),
            ("sit = 0-3 once 80ms", "the time comes before the play mode, as in 0-3 @12fps bounce"),
        ] {
            assert_eq!(text.parse::<ClipSpec>().unwrap_err().problem, wanted, "{text:?}");
        }
    }

    #[test]
    fn a_frame_that_is_not_there_says_how_many_there_are() {
        let wanted = "clip 'sit': there is no frame 9: sprite 'frog' has 9 frames (0 to 8)";
        assert_eq!(resolve("sit = 0-9"), Err(wanted.to_owned()));
    }

    #[test]
    fn without_a_time_a_frame_keeps_its_delay() {
        let set = add_clips(rows("frog", &[3]), &["own = 0@30ms,1@70ms".parse().unwrap()]).unwrap();
        let set = add_clips(set, &["back = 2-0".parse().unwrap()]).unwrap();
        let back = &set.clips()[1];
        let times: Vec<f64> = back.steps().iter().map(|step| back.span(step).millis()).collect();
        assert_eq!(times, [100.0, 70.0, 30.0]);
    }

    #[test]
    fn adding_replaces_what_is_there_and_refuses_a_twin() {
        let sit: ClipSpec = "sit = 0".parse().unwrap();
        let marked = |set: FrameSet, event: &str| set_events(set, &[event.parse().unwrap()]).unwrap();
        let set = add_clips(rows("frog", &[3]), &["sit = 0,1,0,2".parse().unwrap()]).unwrap();
        let set = marked(marked(set, "sit@2=blink"), "sit@1=croak");
        let events = |set: &FrameSet, spec: &str| {
            let set = add_clips(set.clone(), &[spec.parse().unwrap()]).unwrap();
            set.clips()[0]
                .steps()
                .iter()
                .map(|step| step.event.clone().unwrap_or_default())
                .collect::<Vec<_>>()
        };
        // The second time that frame 0 is shown stays so.
        assert_eq!(events(&set, "sit = 1,0,0 @12fps"), ["croak", "", "blink"]);
        assert_eq!(events(&set, "sit = 2,0"), ["", ""]);
        let set = add_clips(rows("frog", &[3]), std::slice::from_ref(&sit)).unwrap();
        assert_eq!(add_clips(set.clone(), &["sit = 1-2".parse().unwrap()]).unwrap().clips().len(), 1);
        assert!(matches!(add_clips(set, &[sit.clone(), sit]), Err(ApplyError::Set(_))));
    }

    proptest! {
        #[test]
        fn a_total_is_the_total_whatever_is_held_and_however_it_plays(
            holds in prop::collection::vec(1u32..4, 1..9), millis in 1u32..5000, bounce: bool,
        ) {
            let frames: Vec<String> = holds.iter().enumerate().map(|(at, hold)| format!("{at}x{hold}")).collect();
            let play = if bounce { "bounce" } else { "once" };
            let clip = resolve(&format!("sit = {} @total {millis}ms {play}", frames.join(","))).unwrap();
            let total = clip.total_ticks() * 1000;
            prop_assert_eq!(total, u64::from(millis) * u64::from(clip.timescale()), "exactly {} ms", millis);
        }

        #[test]
        fn no_text_makes_the_reader_panic(text in "[a-z0-9r:@x,/= .-]{0,24}") {
            if let Ok(spec) = text.parse::<ClipSpec>() {
                let _ = spec.resolve(&rows("frog", &[4, 2, 3]));
            }
        }
    }
}
