//! `shibori check`: what will look wrong in the game, and the command that mends it.

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_core::check::{Finding, Limits, Remedy, check};
use shibori_core::clip::Clip;
use shibori_core::{FrameSet, Size};
use shibori_formats::manifest::SET_FILE;

use super::gather;
use crate::args::{Check, Everywhere};
use crate::console::{Console, counted, pasteable};
use crate::failure::Failure;

#[derive(Serialize)]
struct Report {
    findings: Vec<FindingReport>,
    /// Findings of rules that were allowed.
    allowed: usize,
}

/// What a set's default limits find, as results tell it.
pub(super) fn findings(set: &FrameSet, path: &Path) -> Vec<FindingReport> {
    check(set, &Limits::default()).into_iter().map(|finding| told(set, path, finding)).collect()
}

#[derive(Serialize)]
pub(super) struct FindingReport {
    rule: &'static str,
    source: PathBuf,
    sprite: String,
    frame: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    clip: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    at: Option<[u32; 2]>,
    value: f64,
    limit: f64,
    message: String,
    remedy: String,
}

pub(super) fn run(args: &Check, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let limits = Limits { drift: args.drift_limit, size: args.size_limit / 100.0, specks: args.speck_limit };
    let mut report = Report { findings: Vec::new(), allowed: 0 };
    let mut frames = 0;
    for path in &args.sources {
        let (set, _) = gather::one(path, &args.only, everywhere, console)?;
        frames += set.frames().len();
        for finding in check(&set, &limits) {
            if args.allow.contains(&finding.rule) {
                report.allowed += 1;
            } else {
                report.findings.push(told(&set, path, finding));
            }
        }
    }
    for finding in &report.findings {
        let place = finding.at.map(|[x, y]| format!(" at {x},{y}")).unwrap_or_default();
        let clip = finding.clip.as_ref().map(|clip| format!(" ({clip})")).unwrap_or_default();
        console.head(&format!("{}  {}:{}{clip}{place}", finding.rule, finding.sprite, finding.frame));
        console.say(&format!("  {}", finding.message));
        console.say(&format!("  {}", finding.remedy));
    }
    let allowed = match report.allowed {
        0 => String::new(),
        count => {
            format!(", and {} that {} allowed", counted(count, "more"), if count == 1 { "is" } else { "are" })
        }
    };
    let count = report.findings.len();
    console.result(&report);
    if count == 0 {
        console.say(&format!(
            "{}: nothing will look wrong{}",
            counted(frames, "frame"),
            allowed.replace("more", "finding")
        ));
        return Ok(());
    }
    let text = format!("{} in {}{allowed}", counted(count, "finding"), counted(frames, "frame"));
    console.say(&format!("{text}; --allow RULE lets a rule be broken"));
    Err(Failure::findings())
}

fn told(set: &FrameSet, path: &Path, finding: Finding) -> FindingReport {
    let remedy = remedy(set, path, &finding);
    FindingReport {
        rule: finding.rule.id(),
        source: path.to_owned(),
        sprite: finding.sprite.to_string(),
        frame: set.frames()[finding.frame].name().to_string(),
        clip: finding.clip.map(|clip| clip.to_string()),
        at: finding.at.map(|at| [at.x, at.y]),
        value: finding.value,
        limit: finding.limit,
        message: finding.message,
        remedy,
    }
}

/// A command to paste.
fn remedy(set: &FrameSet, path: &Path, finding: &Finding) -> String {
    let source = pasteable(&path.display().to_string());
    let frame = &set.frames()[finding.frame];
    let adjust = |options: &str, only: Option<String>| {
        let only = only.map(|only| format!(" --only {}", pasteable(&only))).unwrap_or_default();
        format!("shibori adjust {source} {} {options}{only}", target(path))
    };
    let this = || Some(format!("{}:{}", finding.sprite, set.number_in_sprite(finding.frame)));
    let clip = || finding.clip.as_ref().map(|clip| format!("{}:{clip}", finding.sprite));
    match finding.remedy {
        Remedy::MoreRoom => match frame.source() {
            Some(source) if source.cell.is_some() => {
                let sheet = nearby(&source.file, path).unwrap_or_else(|| PathBuf::from(&source.file));
                format!("shibori preview grid {} -o cut.png", pasteable(&sheet.display().to_string()))
            }
            _ => {
                let Size { width, height } = frame.canvas();
                adjust(&format!("--canvas {}x{}", width + 2, height + 2), None)
            }
        },
        Remedy::RemoveGroups(pixels) => adjust(&format!("--specks {pixels}"), this()),
        Remedy::LineUp => adjust("--align feet", clip()),
        Remedy::Scale(factor) => adjust(&format!("--scale {factor:.3} --resample smooth"), this()),
        Remedy::HardenAlpha => adjust("--harden-alpha 128", this()),
        Remedy::TakeOut(color) => adjust(&format!("--key {color} --key-scope everywhere"), None),
        Remedy::Canvas(size) => adjust(&format!("--canvas {size}"), Some(finding.sprite.to_string())),
        Remedy::Hold(clip) => {
            let spec = held(set, &set.clips()[clip], finding.frame);
            format!("shibori clip {source} {}", pasteable(&spec))
        }
    }
}

/// Where a sheet lies that a manifest knows by its name only: here, beside the set or the folder it is in, or in a folder
/// of this one.
fn nearby(file: &str, set: &Path) -> Option<PathBuf> {
    let around = set.ancestors().skip(1).take(2).map(|folder| folder.join(file));
    let inside = std::fs::read_dir(".").into_iter().flatten().flatten();
    let mut inside: Vec<PathBuf> = inside.map(|entry| PathBuf::from(entry.file_name()).join(file)).collect();
    inside.sort();
    [PathBuf::from(file)].into_iter().chain(around).chain(inside).find(|path| path.is_file())
}

/// Where a mended set goes: into itself, or a folder named after what it comes from.
fn target(path: &Path) -> String {
    if path.join(SET_FILE).is_file() || path.file_name().is_some_and(|name| name == SET_FILE) {
        return "--in-place".to_owned();
    }
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    format!("-o {}", pasteable(&format!("{stem}-mended")))
}

/// A clip in which the frame before `twin` is held for both.
fn held(set: &FrameSet, clip: &Clip, twin: usize) -> String {
    let mut steps: Vec<(usize, f64)> = Vec::new();
    let mut before = None;
    for step in clip.steps() {
        let ms = clip.span(step).millis();
        match steps.last_mut() {
            Some(last) if step.frame == twin && before != Some(twin) => last.1 += ms,
            _ => steps.push((step.frame, ms)),
        }
        before = Some(step.frame);
    }
    let number = |frame: usize| set.number_in_sprite(frame);
    let told =
        steps.iter().map(|&(frame, ms)| format!("{}@{}ms", number(frame), (ms * 1000.0).round() / 1000.0));
    let list: Vec<String> = told.collect();
    format!("{}:{} = {} {}", clip.sprite(), clip.name(), list.join(","), clip.way())
}
