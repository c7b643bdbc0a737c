//! `shibori clip`: the clips of a set or an atlas, listed and changed. Only the manifest is written.

use std::path::PathBuf;

use serde::Serialize;
use shibori_core::FrameSet;
use shibori_core::clip::{Clip, add_clips, drop_clip, fit, rename_clip, set_event, speed};
use shibori_formats::read::{manifest_of, source};
use shibori_formats::write;

use super::wrote;
use crate::args::{ClipEdit, Everywhere};
use crate::console::{Console, millis};
use crate::failure::Failure;

#[derive(Serialize)]
struct Report {
    manifest: PathBuf,
    /// Whether the manifest was changed.
    changed: bool,
    clips: Vec<ClipReport>,
}

#[derive(Serialize)]
struct ClipReport {
    sprite: String,
    name: String,
    /// Frames, counted within the sprite from 0, in the order shown.
    frames: Vec<usize>,
    ms: f64,
    way: String,
    /// Other clips that show some of the same frames.
    shares_with: Vec<String>,
    events: Vec<String>,
    /// Milliseconds that a step's end is away from where it was, at most.
    #[serde(skip_serializing_if = "Option::is_none")]
    deviation_ms: Option<f64>,
}

pub(super) fn run(args: &ClipEdit, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let Some(path) = manifest_of(&args.manifest) else {
        let text = format!("{}: is no set and no atlas, so it can't keep clips", args.manifest.display());
        return Err(Failure::usage(text).with_hint("slice it first, with --clip"));
    };
    let before = source(&path, &everywhere.limits())?.set;
    let (set, deviations) = changed(before.clone(), args)?;
    let is_changed = set.clips() != before.clips();
    if is_changed {
        write::clips(&path, &set, everywhere.dry_run)?;
    }
    let shown: Vec<usize> = places(&set, args)?;
    let clips: Vec<ClipReport> = shown.iter().map(|&at| told(&set, at, &deviations)).collect();
    list(&set, &clips, console);
    if is_changed {
        console.say(&format!("{} {}", wrote(everywhere), path.display()));
    }
    console.result(&Report { manifest: path, changed: is_changed, clips });
    Ok(())
}

/// Drops, renames, adds, marks, then times: later changes see what earlier ones made.
fn changed(set: FrameSet, args: &ClipEdit) -> Result<(FrameSet, Vec<(usize, f64)>), Failure> {
    let set = args.drop.iter().try_fold(set, |set, name| drop_clip(set, name))?;
    let set = args.rename.iter().try_fold(set, rename_clip)?;
    let rows = match &args.clip_rows {
        Some(list) => list.specs(&set)?,
        None => Vec::new(),
    };
    let set = add_clips(add_clips(set, &rows)?, &args.specs)?;
    let set = args.event.iter().try_fold(set, set_event)?;
    let mut clips = set.clips().to_vec();
    let mut deviations = Vec::new();
    for at in places(&set, args)? {
        if let Some(factor) = args.speed {
            clips[at] = speed(clips[at].clone(), factor)?;
        }
        if let Some(rate) = args.fit {
            let (fitted, deviation) = fit(clips[at].clone(), rate)?;
            clips[at] = fitted;
            deviations.push((at, deviation));
        }
    }
    Ok((set.with_clips(clips)?, deviations))
}

/// The clips that are meant.
fn places(set: &FrameSet, args: &ClipEdit) -> Result<Vec<usize>, Failure> {
    let Some(only) = &args.only else { return Ok((0..set.clips().len()).collect()) };
    let part = only.of(set)?;
    let is_meant = |clip: &Clip| {
        part.clips().iter().any(|other| other.sprite() == clip.sprite() && other.name() == clip.name())
    };
    Ok((0..set.clips().len()).filter(|&at| is_meant(&set.clips()[at])).collect())
}

fn told(set: &FrameSet, at: usize, deviations: &[(usize, f64)]) -> ClipReport {
    let clip = &set.clips()[at];
    let plays =
        |other: &Clip| clip.steps().iter().any(|step| other.steps().iter().any(|s| s.frame == step.frame));
    let others = set.clips().iter().enumerate().filter(|(place, other)| *place != at && plays(other));
    let events = clip.steps().iter().enumerate();
    ClipReport {
        sprite: clip.sprite().to_string(),
        name: clip.name().to_string(),
        frames: clip.steps().iter().map(|step| set.number_in_sprite(step.frame)).collect(),
        ms: clip.total_millis(),
        way: clip.way(),
        shares_with: others.map(|(_, other)| other.name().to_string()).collect(),
        events: events.filter_map(|(step, s)| Some(format!("{step}={}", s.event.as_ref()?))).collect(),
        deviation_ms: deviations.iter().find(|(place, _)| *place == at).map(|(_, ms)| *ms),
    }
}

fn list(set: &FrameSet, clips: &[ClipReport], console: &Console) {
    if clips.is_empty() {
        console.say("there are no clips");
        return;
    }
    let has_sprites = set.sprites().len() > 1;
    let name = |clip: &ClipReport| match has_sprites {
        true => format!("{}:{}", clip.sprite, clip.name),
        false => clip.name.clone(),
    };
    let widest = |texts: &mut dyn Iterator<Item = String>, least: usize| {
        texts.map(|text| text.chars().count()).max().unwrap_or(0).max(least)
    };
    let names = widest(&mut clips.iter().map(name), 4);
    let frames = widest(&mut clips.iter().map(|clip| ranges(&clip.frames)), 6);
    let ways = widest(&mut clips.iter().map(|clip| clip.way.clone()), 4);
    console.head(&format!(
        "{:names$}  {:frames$}  {:>11}  {:ways$}  shares frames with",
        "clip", "frames", "time", "play"
    ));
    for clip in clips {
        let shares = if clip.shares_with.is_empty() { "-".to_owned() } else { clip.shares_with.join(", ") };
        let mut more = String::new();
        if !clip.events.is_empty() {
            more += &format!("; events {}", clip.events.join(", "));
        }
        if let Some(ms) = clip.deviation_ms {
            more += &format!("; at most {} off", millis(ms));
        }
        console.say(&format!(
            "{:names$}  {:frames$}  {:>11}  {:ways$}  {shares}{more}",
            name(clip),
            ranges(&clip.frames),
            millis(clip.ms),
            clip.way
        ));
    }
}

/// `0-3,5,4-2`.
fn ranges(frames: &[usize]) -> String {
    let mut parts: Vec<(usize, usize)> = Vec::new();
    let mut way = 0i64;
    for &frame in frames {
        match parts.last_mut() {
            Some((start, end)) => {
                let step = frame as i64 - *end as i64;
                if step.abs() == 1 && (start == end || step == way) {
                    (way, *end) = (step, frame);
                } else {
                    parts.push((frame, frame));
                }
            }
            None => parts.push((frame, frame)),
        }
    }
    let part = |&(start, end): &(usize, usize)| {
        if start == end { start.to_string() } else { format!("{start}-{end}") }
    };
    parts.iter().map(part).collect::<Vec<_>>().join(",")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn frames_are_told_as_ranges_both_ways() {
        assert_eq!(ranges(&[0, 1, 2, 3]), "0-3");
        assert_eq!(ranges(&[3, 4, 5, 4, 7]), "3-5,4,7");
        assert_eq!(ranges(&[5, 4, 3, 3]), "5-3,3");
    }
}
