//! `shibori clip`: the clips of a set or an atlas, listed and changed. Only the manifest is written.

use std::collections::BTreeSet;

use serde::Serialize;
use shibori_core::FrameSet;
use shibori_formats::DisplaySlashed;
use shibori_pipeline::steps::{ClipOutcome, clip};

use super::CommandContext;
use crate::args::ClipEdit;
use crate::failure::Failure;
use crate::wording::ReportPath;
use crate::wording::{format_millis, numbers_as_ranges, table};

#[derive(Serialize)]
struct Report {
    manifest: ReportPath,
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

pub(super) fn run(args: &ClipEdit, program: &CommandContext<'_>) -> Result<(), Failure> {
    let mut options = args.options.clone();
    options.clips.clip.extend(args.specs.iter().cloned());
    let cx = program.context();
    let clipped = clip(&args.manifest, &options, &cx)?;
    cx.commit()?;
    let mut clips_of = vec![BTreeSet::new(); clipped.set.frames().len()];
    for (at, clip) in clipped.set.clips().iter().enumerate() {
        for step in clip.steps() {
            clips_of[step.frame].insert(at);
        }
    }
    let clips: Vec<ClipReport> =
        clipped.shown.iter().map(|&at| clip_report(&clipped, at, &clips_of)).collect();
    list(&clipped.set, &clips, program);
    if clipped.is_changed {
        program.say(&format!("{} {}", program.write_verb(), clipped.manifest.display_slashed()));
    }
    program.console.result(&Report { manifest: clipped.manifest.into(), changed: clipped.is_changed, clips });
    Ok(())
}

fn clip_report(clipped: &ClipOutcome, at: usize, clips_of: &[BTreeSet<usize>]) -> ClipReport {
    let (set, clip) = (&clipped.set, &clipped.set.clips()[at]);
    let others: BTreeSet<usize> =
        clip.steps().iter().flat_map(|step| &clips_of[step.frame]).copied().collect();
    let others = others.into_iter().filter(|&other| other != at).map(|other| &set.clips()[other]);
    let events = clip.steps().iter().enumerate();
    ClipReport {
        sprite: clip.sprite().to_string(),
        name: clip.name().to_string(),
        frames: clip.steps().iter().map(|step| set.number_in_sprite(step.frame)).collect(),
        ms: clip.total_millis(),
        way: clip.playback(),
        shares_with: others.map(|other| other.name().to_string()).collect(),
        events: events.filter_map(|(step, s)| Some(format!("{step}={}", s.event.as_ref()?))).collect(),
        deviation_ms: clipped.deviations.iter().find(|(place, _)| *place == at).map(|(_, ms)| *ms),
    }
}

/// A heading, and what is below it.
type Column = (&'static str, fn(&ClipReport) -> String);

fn list(set: &FrameSet, clips: &[ClipReport], program: &CommandContext<'_>) {
    if clips.is_empty() {
        program.say("there are no clips");
        return;
    }
    let has_sprites = set.sprites().len() > 1;
    let name = |clip: &ClipReport| match has_sprites {
        true => format!("{}:{}", clip.sprite, clip.name),
        false => clip.name.clone(),
    };
    // Of the last three, only columns that say something.
    let more: [Column; 3] = [
        ("events", |clip| clip.events.join(", ")),
        ("off by at most", |clip| clip.deviation_ms.map(format_millis).unwrap_or_default()),
        ("shares frames with", |clip| clip.shares_with.join(", ")),
    ];
    let more: Vec<_> =
        more.into_iter().filter(|(_, of)| clips.iter().any(|clip| !of(clip).is_empty())).collect();
    let headings: Vec<&str> = ["clip", "frames", "time", "play"]
        .into_iter()
        .chain(more.iter().map(|(heading, _)| *heading))
        .collect();
    let row = |clip: &ClipReport| {
        let first = [name(clip), numbers_as_ranges(&clip.frames), format_millis(clip.ms), clip.way.clone()];
        let dash = |text: String| if text.is_empty() { "-".to_owned() } else { text };
        first.into_iter().chain(more.iter().map(|(_, of)| dash(of(clip)))).collect()
    };
    let rows: Vec<Vec<String>> = clips.iter().map(row).collect();
    let (heading, lines) = table(&headings, &rows, &[2]);
    program.console.print_heading(&heading);
    lines.iter().for_each(|line| program.say(line));
}
