//! `shibori preview changes`: what differs between two versions, as a list, a picture or a page.

use std::borrow::Cow;
use std::collections::HashMap;

use serde::Serialize;
use shibori_core::Name;
use shibori_core::changes::{ChangeGroup, ClipChange, FrameChange};
use shibori_formats::{DisplaySlashed, encode};
use shibori_pipeline::Source;
use shibori_pipeline::steps::Comparison;

use super::CommandContext;
use crate::args::Changes;
use crate::failure::Failure;
use crate::wording::{ReportPath, count_noun};

/// More frames of a clip, and more lines of a sprite, are only counted.
const MOST_LISTED: usize = 8;
const MOST_LINES: usize = 40;

#[derive(Serialize)]
struct Report {
    files: Vec<ReportPath>,
    same: bool,
    frames: Vec<FrameReport>,
    clips: Vec<ClipReport>,
}

#[derive(Serialize)]
struct FrameReport {
    sprite: String,
    name: String,
    /// `added`, `removed` or `changed`.
    state: &'static str,
    /// Its sprite and name before, if they were others.
    #[serde(skip_serializing_if = "Option::is_none")]
    was: Option<[String; 2]>,
    /// The clip that shows it first.
    #[serde(skip_serializing_if = "Option::is_none")]
    clip: Option<String>,
    /// Pixels that differ, and their share of those that show, 0 to 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    pixels: Option<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    share: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    moved: Option<(i64, i64)>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pivot_moved: Option<(f64, f64)>,
    /// Before and now.
    #[serde(skip_serializing_if = "Option::is_none")]
    canvas: Option<[[u32; 2]; 2]>,
    boxes: Vec<String>,
}

#[derive(Serialize)]
struct ClipReport {
    sprite: String,
    name: String,
    state: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    was: Option<[String; 2]>,
    /// Of `frames`, `times`, `playback`, `events`.
    differs: Vec<&'static str>,
    /// Before and now.
    #[serde(skip_serializing_if = "Option::is_none")]
    ms: Option<[f64; 2]>,
}

pub(super) fn run(args: &Changes, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let ending = args
        .output
        .as_ref()
        .map(|file| file.extension().unwrap_or_default().to_string_lossy().to_lowercase());
    if let Some(ending) = ending.as_deref().filter(|ending| !["png", "html", "htm"].contains(ending)) {
        return Err(Failure::usage(format!("-o: changes are written as .png or .html, not '.{ending}'"))
            .with_hint("without -o, they are listed; --json lists them for programs"));
    }
    let [old, new] = [&args.old, &args.new].map(|path| Source::from(path.clone()));
    let compared = Comparison::of(&old, &new, &args.options.only, &cx)?;
    let sprites = sprite_lines(&compared);
    let mut files = args.output.clone().into_iter().collect::<Vec<_>>();
    if let (Some(file), Some(ending)) = (&args.output, &ending) {
        if ending == "png" {
            let images = compared.draw(&args.options, &cx)?;
            let written = encode::pictures(
                &cx.resolve(file),
                images.len(),
                |at| Cow::Borrowed(&images[at]),
                cx.transaction(),
            );
            files = written.map_err(shibori_pipeline::Error::from)?.files;
        } else {
            let [old, new] = [&args.old, &args.new].map(|path| path.display_slashed().to_string());
            let summary: Vec<String> = sprites.iter().map(|(line, _)| line.clone()).collect();
            let summary = if summary.is_empty() { "no differences".to_owned() } else { summary.join(" · ") };
            compared.page(format!("{old} and {new}"), summary)?.stage(file, &cx)?;
        }
    }
    cx.commit()?;
    for (line, details) in &sprites {
        program.console.print_heading(line);
        details.iter().for_each(|detail| program.say(&format!("  {detail}")));
    }
    if sprites.is_empty() {
        let frames = count_noun(compared.new.frames().len(), "frame");
        program
            .say(&format!("no differences in {frames}, {}", count_noun(compared.new.clips().len(), "clip")));
    }
    for file in &files {
        program.say(&format!("{} {}", program.write_verb(), program.report_path(file).display_slashed()));
    }
    let is_same = compared.changes.is_empty();
    program.console.result(&Report { files: program.all_shown(&files), ..report(&compared) });
    if args.strict && !is_same { Err(Failure::findings()) } else { Ok(()) }
}

/// A line for each sprite with differences, and lines for what is below it.
fn sprite_lines(compared: &Comparison) -> Vec<(String, Vec<String>)> {
    let Comparison { old, new, changes } = compared;
    let groups = changes.by_clip(old, new);
    let mut lines: Vec<(String, Vec<String>)> = Vec::new();
    for groups in groups.chunk_by(|a, b| a.sprite == b.sprite) {
        let frames: Vec<&FrameChange> =
            groups.iter().flat_map(|group| &group.frames).map(|&at| &changes.frames[at]).collect();
        let clips = groups.iter().filter_map(|group| group.change).map(|at| &changes.clips[at]);
        let clips: Vec<&'static str> = clips.map(|change| state_of(change.old, change.new)).collect();
        let frames: Vec<&'static str> =
            frames.iter().map(|change| state_of(change.old, change.new)).collect();
        let sprite = &groups[0].sprite;
        let whole = new.frames_of(sprite).len().max(old.frames_of(sprite).len());
        let mut parts = count_states(&frames, "frame", whole);
        parts.extend(count_states(&clips, "clip", clips.len()));
        let mut details: Vec<String> = groups.iter().flat_map(|group| group_lines(compared, group)).collect();
        if details.len() > MOST_LINES {
            let rest = details.split_off(MOST_LINES).len();
            details.push(format!("{rest} more lines; -o FILE.html and --json have them all"));
        }
        lines.push((format!("{sprite}: {}", parts.join(", ")), details));
    }
    lines
}

/// `3 of 8 frames changed`, `2 added`: how many of a kind are in each state.
fn count_states(states: &[&str], noun: &str, whole: usize) -> Vec<String> {
    let mut parts: Vec<String> = Vec::new();
    for state in ["changed", "added", "removed"] {
        let count = states.iter().filter(|&&one| one == state).count();
        let all = count_noun(count, noun);
        match (count, parts.is_empty()) {
            (0, _) => {}
            (_, true) if state == "changed" && whole > count => {
                parts.push(format!("{count} of {} {state}", count_noun(whole, noun)));
            }
            (_, true) => parts.push(format!("{all} {state}")),
            (_, false) => parts.push(format!("{count} {state}")),
        }
    }
    parts
}

fn group_lines(compared: &Comparison, group: &ChangeGroup) -> Vec<String> {
    let Comparison { old, new, changes } = compared;
    let title = group.clip.as_ref().map_or("in no clip".to_owned(), ToString::to_string);
    let mut lines = Vec::new();
    if let Some(at) = group.change {
        lines.push(format!("clip {title}: {}", changes.clips[at].describe(old, new)));
    }
    let name = |change: &FrameChange| {
        let (set, at) = change.place(old, new);
        set.frames()[at].name().to_string()
    };
    let listed = group.frames.iter().take(MOST_LISTED).map(|&at| {
        let change = &changes.frames[at];
        format!("{title}: {} {}", name(change), change.describe(old, new))
    });
    lines.extend(listed);
    if group.frames.len() > MOST_LISTED {
        lines.push(format!("{title}: {} more", group.frames.len() - MOST_LISTED));
    }
    lines
}

fn state_of(old: Option<usize>, new: Option<usize>) -> &'static str {
    match (old, new) {
        (None, _) => "added",
        (_, None) => "removed",
        _ => "changed",
    }
}

fn report(compared: &Comparison) -> Report {
    let Comparison { old, new, changes } = compared;
    let groups = changes.by_clip(old, new);
    let of_group =
        |group: &'_ ChangeGroup| group.frames.iter().map(|&at| (at, group.clip.clone())).collect::<Vec<_>>();
    let clips: HashMap<usize, Option<Name>> = groups.iter().flat_map(of_group).collect();
    let frame = |(number, change): (usize, &FrameChange)| {
        let (set, at) = change.place(old, new);
        let frame = &set.frames()[at];
        let before = change.old.map(|at| &old.frames()[at]).filter(|_| change.is_renamed);
        FrameReport {
            sprite: frame.sprite().to_string(),
            name: frame.name().to_string(),
            state: state_of(change.old, change.new),
            was: before.map(|frame| [frame.sprite().to_string(), frame.name().to_string()]),
            clip: clips.get(&number).and_then(|clip| Some(clip.as_ref()?.to_string())),
            pixels: change.picture.map(|picture| picture.pixels),
            share: change.picture.map(|picture| (picture.share() * 1e4).round() / 1e4),
            moved: change.moved,
            pivot_moved: change.pivot,
            canvas: change
                .canvas
                .map(|canvas| [canvas, frame.canvas()].map(|size| [size.width, size.height])),
            boxes: change.boxes.iter().map(ToString::to_string).collect(),
        }
    };
    let clip = |change: &ClipChange| {
        let (before, after) = (change.old.map(|at| &old.clips()[at]), change.new.map(|at| &new.clips()[at]));
        let shown = after.or(before).expect("a change is of a clip");
        let kinds = [
            ("frames", change.frames),
            ("times", change.times),
            ("playback", change.playback),
            ("events", change.events),
        ];
        ClipReport {
            sprite: shown.sprite().to_string(),
            name: shown.name().to_string(),
            state: state_of(change.old, change.new),
            was: before
                .filter(|_| change.is_renamed)
                .map(|clip| [clip.sprite().to_string(), clip.name().to_string()]),
            differs: kinds.into_iter().filter(|(_, is)| *is).map(|(kind, _)| kind).collect(),
            ms: before.zip(after).filter(|_| change.times).map(|(a, b)| [a.total_millis(), b.total_millis()]),
        }
    };
    Report {
        files: Vec::new(),
        same: changes.is_empty(),
        frames: changes.frames.iter().enumerate().map(frame).collect(),
        clips: changes.clips.iter().map(clip).collect(),
    }
}
