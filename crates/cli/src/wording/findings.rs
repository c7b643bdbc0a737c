//! What looks wrong, in words, and the command that fixes it.

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_core::check::{Finding, Observation, Remedy, Severity, Sides};
use shibori_core::clip::Clip;
use shibori_core::{Cell, Frame, FrameSet, Rect, Size, UVec2, clips_sharing_frames};
use shibori_formats::manifest::SET_FILE;
use shibori_pipeline::steps::{CheckReport, FindingGroup};

use crate::wording::ReportPath;
use crate::wording::{pasteable, pasteable_path, spacing_options};

/// How long a screen of 60 pictures a second shows each, in milliseconds, rounded up.
const PICTURE: f64 = 16.667;

const MAKE_AGAIN: &str = "restore the file, or repack the frames with --companion";

/// A finding as results tell it.
#[derive(Serialize)]
pub(crate) struct FindingReport {
    pub(crate) rule: &'static str,
    pub(crate) level: &'static str,
    pub(crate) source: ReportPath,
    pub(crate) sprite: String,
    pub(crate) frame: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) clip: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) at: Option<[u32; 2]>,
    value: f64,
    limit: f64,
    pub(crate) message: String,
    pub(crate) remedy: String,
}

/// Findings that have one cause: those of a rule in a sprite, or in a clip of it.
#[derive(Serialize)]
pub(crate) struct WordedGroup {
    pub(crate) rule: &'static str,
    #[serde(serialize_with = "by_id")]
    pub(crate) level: Severity,
    /// The sprite or the clip.
    pub(crate) of: String,
    /// The frames, and where to look in the first.
    pub(crate) frames: Vec<String>,
    #[serde(skip)]
    pub(crate) at: Option<UVec2>,
    /// What was seen, in the frame where it is worst.
    pub(crate) message: String,
    pub(crate) remedy: String,
}

fn by_id<S: serde::Serializer>(level: &Severity, to: S) -> Result<S::Ok, S::Error> {
    to.serialize_str(level.id())
}

/// All findings of a source. `here` is the folder in which its path begins.
pub(crate) fn findings(checked: &CheckReport, here: &Path) -> Vec<FindingReport> {
    checked
        .findings
        .iter()
        .map(|finding| finding_report(&checked.set, &checked.source, here, finding))
        .collect()
}

/// The same of a sprite of a recipe: what fixes it is a line there.
pub(crate) fn findings_in_recipe(checked: &CheckReport, recipe: &Path) -> Vec<FindingReport> {
    let one = |finding: &Finding| FindingReport {
        source: recipe.to_owned().into(),
        remedy: recipe_remedy(&checked.set, &[finding]),
        ..finding_report(&checked.set, &checked.source, Path::new(""), finding)
    };
    checked.findings.iter().map(one).collect()
}

/// The findings of a source by their cause, with one remedy for all.
pub(crate) fn finding_groups(checked: &CheckReport, here: &Path) -> Vec<WordedGroup> {
    grouped(checked, |findings| remedy(&checked.set, &checked.source, here, findings))
}

/// The same for a sprite of a recipe.
pub(crate) fn finding_groups_in_recipe(checked: &CheckReport) -> Vec<WordedGroup> {
    grouped(checked, |findings| recipe_remedy(&checked.set, findings))
}

fn grouped(checked: &CheckReport, remedy: impl Fn(&[&Finding]) -> String) -> Vec<WordedGroup> {
    let name = |frame: usize| checked.set.frames()[frame].name().to_string();
    let worded = |group: &FindingGroup| {
        let (first, worst) = (&group.findings[0], group.worst());
        let mut frames: Vec<String> = group.findings.iter().map(|finding| name(finding.frame)).collect();
        frames.dedup();
        let message = match frames.len() {
            1 => message(&checked.set, worst),
            _ => format!("{}: {}", name(worst.frame), message(&checked.set, worst)),
        };
        WordedGroup {
            rule: first.rule.id(),
            level: group.level(),
            of: group.clip().map_or(first.sprite.to_string(), |clip| format!("{}:{clip}", first.sprite)),
            frames,
            at: first.at,
            message,
            remedy: remedy(&group.findings.iter().collect::<Vec<_>>()),
        }
    };
    checked.groups().iter().map(worded).collect()
}

/// The most that removing groups of findings takes.
fn most(findings: &[&Finding]) -> u32 {
    let pixels = |finding: &&Finding| match finding.remedy {
        Remedy::RemoveGroups(pixels) | Remedy::ClearEdge(pixels) => pixels,
        _ => 0,
    };
    findings.iter().map(pixels).max().unwrap_or(0)
}

/// Whether a clip whose figure jumps keeps its height when it is lined up: where none of the findings says otherwise.
fn keep_height(findings: &[&Finding]) -> bool {
    findings.iter().all(|finding| finding.remedy == Remedy::LineUp { keeps_height: true })
}

/// What a recipe is to say so that something no longer looks wrong.
fn recipe_remedy(set: &FrameSet, findings: &[&Finding]) -> String {
    let finding = findings[0];
    let sprite = finding.sprite.as_str();
    let clip = finding.clip.as_ref().map(ToString::to_string);
    // What only one clip has is mended in that clip's own table.
    let own = |group: &str, options: &str| match &clip {
        Some(clip) => format!("in [sprite.{sprite}.clips.{clip}]: {group} = {{ {options} }}"),
        None => format!("in [sprite.{sprite}]: {group} = {{ {options} }}"),
    };
    let whole = |group: &str, options: &str| format!("in [sprite.{sprite}]: {group} = {{ {options} }}");
    let steps = |clip: &Clip, spec: String| {
        let steps = spec.split_once(" = ").map_or(spec.clone(), |(_, steps)| steps.to_owned());
        format!("in [sprite.{sprite}.clips]: {} = \"{steps}\"", clip.name())
    };
    let place = || {
        let mut clips = set.clips().iter();
        clips.find(|clip| Some(clip.name()) == finding.clip.as_ref() && clip.sprite() == &finding.sprite)
    };
    match finding.remedy {
        Remedy::MoreRoom => {
            let Size { width, height } = set.frames()[finding.frame].canvas();
            format!(
                "check the grid with [[sprite.{sprite}.preview]] as = \"grid\", or add room: shape = {{ canvas = \"{}x{}\" }}",
                width + 2,
                height + 2
            )
        }
        Remedy::RemoveGroups(_) => whole("clean", &format!("specks = {}", most(findings))),
        Remedy::LineUp { .. } => own(
            "shape",
            if keep_height(findings) { "align = \"match\", align-axis = \"x\"" } else { "align = \"match\"" },
        ),
        Remedy::Scale(_) => {
            "redraw it at the size of the others; a recipe can't scale a single frame".to_owned()
        }
        Remedy::HardenAlpha => whole("clean", "harden-alpha = 128"),
        Remedy::ClearEdge(_) => whole("clean", &format!("clear-edge = {}", most(findings))),
        Remedy::TakeOut(color) => whole("clean", &format!("key = \"{color}\", key-scope = \"everywhere\"")),
        Remedy::Canvas(size) => whole("shape", &format!("canvas = \"{size}\"")),
        Remedy::FillCompanion(suffix) => {
            format!("in the atlas: page = {{ companion = [\"{suffix}\"] }} fills in missing ones")
        }
        Remedy::Fit(size) => format!("redraw it at {size} px, like its base frame"),
        Remedy::MakeAgain => MAKE_AGAIN.to_owned(),
        Remedy::LeaveOut => place().map_or_else(String::new, |clip| steps(clip, without_blanks(set, clip))),
        Remedy::Hold(at) => {
            let clip = &set.clips()[at];
            steps(clip, with_merged_steps(set, clip, &frames_of(findings)))
        }
        Remedy::Slower(at) => {
            let clip = &set.clips()[at];
            steps(clip, with_min_durations(set, clip))
        }
    }
}

/// The frames of findings, each once, in order.
fn frames_of(findings: &[&Finding]) -> Vec<usize> {
    let mut frames: Vec<usize> = findings.iter().map(|finding| finding.frame).collect();
    frames.sort_unstable();
    frames.dedup();
    frames
}

fn finding_report(set: &FrameSet, path: &Path, here: &Path, finding: &Finding) -> FindingReport {
    FindingReport {
        rule: finding.rule.id(),
        level: finding.level().id(),
        source: path.to_owned().into(),
        sprite: finding.sprite.to_string(),
        frame: set.frames()[finding.frame].name().to_string(),
        clip: finding.clip.as_ref().map(ToString::to_string),
        at: finding.at.map(|at| [at.x, at.y]),
        value: finding.value,
        limit: finding.limit,
        message: message(set, finding),
        remedy: remedy(set, path, here, &[finding]),
    }
}

fn message(set: &FrameSet, finding: &Finding) -> String {
    let clip = finding.clip.as_ref().map(ToString::to_string).unwrap_or_default();
    match finding.seen {
        Observation::Touches { pixels, sides } => {
            format!(
                "is flat along {pixels} px of the {} edge of its canvas: it may be cut off there",
                list_sides(sides)
            )
        }
        Observation::Neighbor { area, sides } => {
            format!(
                "{area} px at the {} edge are not part of the drawing; they belong to a neighbor",
                list_sides(sides)
            )
        }
        Observation::Stray { area, drawing } => format!("{area} stray px next to a drawing of {drawing} px"),
        Observation::Forgotten { area } => {
            format!("contains only {area} px: a blank frame with leftover pixels")
        }
        Observation::Moved { right, down } => {
            let ways: Vec<String> =
                [describe_offset(right, "right", "left"), describe_offset(down, "down", "up")]
                    .into_iter()
                    .flatten()
                    .collect();
            let is_up_only = right == 0.0 && down < 0.0;
            format!(
                "the figure jumps {} off its path in '{clip}' (limit {} px){}",
                ways.join(" and "),
                plain(finding.limit),
                if is_up_only { "; fine if it is a hop" } else { "" }
            )
        }
        Observation::Slides { right, down } => {
            let ways: Vec<String> =
                [describe_offset(right, "right", "left"), describe_offset(down, "down", "up")]
                    .into_iter()
                    .flatten()
                    .collect();
            format!("the figure slides {} during '{clip}' and jumps back when it loops", ways.join(" and "))
        }
        Observation::Size { factor } => format!(
            "the figure is {:.0}% the size it has in the other frames of '{clip}'",
            (factor * 100.0).round(),
        ),
        Observation::Border { color, pixels } => {
            format!("has a border of {color}, {pixels} px wide, on all four sides")
        }
        Observation::Short { step, millis } => format!(
            "step {step} of '{clip}' lasts {} ms, less than a 60 Hz screen refresh (16.7 ms), so it is skipped at times",
            plain(millis)
        ),
        Observation::Soft { pixels } => format!("{pixels} semitransparent px in art with hard edges"),
        Observation::FlatBackground(color) => format!("has a flat background of {color}"),
        Observation::KeyPixels { pixels, color } => format!("{pixels} px of the key color {color} remain"),
        Observation::OtherCanvas { than } => {
            let (canvas, other) = (set.frames()[finding.frame].canvas(), &set.frames()[than]);
            format!(
                "has a {canvas} px canvas, but '{}' in the same clip has {} px",
                other.name(),
                other.canvas()
            )
        }
        Observation::NoCompanion { like, example } => {
            let name = |at: usize| set.frames()[at].name();
            format!("has no companion, but '{}' has '{}'", name(like), name(example))
        }
        Observation::OtherCompanion { base } => {
            let base = &set.frames()[base];
            format!(
                "is {} px, but its base frame '{}' is {} px",
                set.frames()[finding.frame].canvas(),
                base.name(),
                base.canvas()
            )
        }
        Observation::CompanionPage { ref file, found: None, .. } => {
            format!("its page's companion '{file}' is missing")
        }
        Observation::CompanionPage { ref file, found: Some(found), wanted } => {
            format!("its page's companion '{file}' is {found} px, but the page is {wanted} px")
        }
        Observation::Nothing => format!("is blank, so the figure blinks in '{clip}'"),
        Observation::Repeats { before } => {
            format!("is identical to '{}', the frame before it", set.frames()[before].name())
        }
    }
}

/// So far one way or the other; nothing where it is 0.
fn describe_offset(pixels: f64, more: &str, less: &str) -> Option<String> {
    match pixels {
        p if p > 0.0 => Some(format!("{} px {more}", plain(p))),
        p if p < 0.0 => Some(format!("{} px {less}", plain(-p))),
        _ => None,
    }
}

fn list_sides(Sides(sides): Sides) -> String {
    let names = ["left", "right", "top", "bottom"].into_iter().zip(sides);
    names.filter(|(_, is)| *is).map(|(name, _)| name).collect::<Vec<_>>().join(" and ")
}

/// At most one decimal.
fn plain(number: f64) -> String {
    let text = format!("{number:.1}");
    text.strip_suffix(".0").map(str::to_owned).unwrap_or(text)
}

/// A command to paste.
fn remedy(set: &FrameSet, path: &Path, here: &Path, findings: &[&Finding]) -> String {
    let finding = findings[0];
    let source = pasteable_path(path);
    let frame = &set.frames()[finding.frame];
    let adjust = |options: &str, only: Option<String>| {
        let only = only.map(|only| format!(" --only {}", pasteable(&only))).unwrap_or_default();
        format!("shibori adjust {source} {} {options}{only}", target(path, here))
    };
    let these = || {
        let numbers = frames_of(findings).into_iter().map(|at| set.number_in_sprite(at).to_string());
        let numbers: Vec<String> = numbers.collect();
        let is_all = numbers.len() == set.frames_of(&finding.sprite).len();
        Some(if is_all {
            finding.sprite.to_string()
        } else {
            format!("{}:{}", finding.sprite, numbers.join(","))
        })
    };
    let place = || {
        let mut clips = set.clips().iter();
        clips.position(|clip| Some(clip.name()) == finding.clip.as_ref() && clip.sprite() == &finding.sprite)
    };
    // Clips that share frames are moved together, or not at all.
    let clips = || {
        let own = place()?;
        let shared = clips_sharing_frames(set, &set.extract_clip(own));
        let names = [&set.clips()[own]].into_iter().chain(shared).map(Clip::qualified_name);
        Some(names.collect::<Vec<_>>().join(","))
    };
    match finding.remedy {
        Remedy::MoreRoom => match frame.source() {
            Some(source) if source.cell.is_some() => {
                let sheet = nearby(&source.file, path, here).unwrap_or_else(|| PathBuf::from(&source.file));
                let cut = cut_of(set, &source.file).unwrap_or_default();
                format!("shibori preview grid {}{cut} -o cut.png", pasteable_path(&sheet))
            }
            _ => {
                let Size { width, height } = frame.canvas();
                adjust(&format!("--canvas {}x{}", width + 2, height + 2), None)
            }
        },
        Remedy::RemoveGroups(_) => adjust(&format!("--specks {}", most(findings)), these()),
        Remedy::ClearEdge(_) => adjust(&format!("--clear-edge {}", most(findings)), these()),
        Remedy::LineUp { .. } => adjust(
            if keep_height(findings) { "--align match --align-axis x" } else { "--align match" },
            clips(),
        ),
        Remedy::Scale(factor) => {
            // The canvas stays, with the pivot where it is.
            let (canvas, pivot) = (frame.canvas(), frame.pivot());
            let place = format!("{:.0},{:.0}", pivot.x.floor(), pivot.y.floor());
            adjust(&format!("--scale {factor:.3} --resample smooth --canvas {canvas}@{place}"), these())
        }
        Remedy::HardenAlpha => adjust("--harden-alpha 128", these()),
        Remedy::TakeOut(color) => adjust(&format!("--key {color} --key-scope everywhere"), None),
        Remedy::Canvas(size) => adjust(&format!("--canvas {size}"), Some(finding.sprite.to_string())),
        Remedy::FillCompanion(suffix) => {
            let stem = path.file_stem().unwrap_or_default().to_string_lossy();
            let atlas = pasteable(&format!("{stem}-atlas"));
            format!("shibori pack {source} --companion {suffix} -o {atlas}")
        }
        Remedy::Fit(size) => adjust(&format!("--scale fit:{size} --canvas {size}"), these()),
        Remedy::MakeAgain => MAKE_AGAIN.to_owned(),
        Remedy::LeaveOut => {
            let spec = place().map(|clip| without_blanks(set, &set.clips()[clip])).unwrap_or_default();
            format!("shibori clip {source} {}", pasteable(&spec))
        }
        Remedy::Hold(clip) => {
            let spec = with_merged_steps(set, &set.clips()[clip], &frames_of(findings));
            format!("shibori clip {source} {}", pasteable(&spec))
        }
        Remedy::Slower(clip) => {
            format!("shibori clip {source} {}", pasteable(&with_min_durations(set, &set.clips()[clip])))
        }
    }
}

/// The options by which a sheet was cut, read off the frames that came from it; `None` where its cells are not even.
fn cut_of(set: &FrameSet, file: &str) -> Option<String> {
    let from_here = set.frames().iter().filter_map(Frame::source).filter(|source| source.file == file);
    let cells: Vec<(Cell, Rect)> =
        from_here.filter_map(|source| Some((source.cell?, source.rect?))).collect();
    let &(first, rect) = cells.first()?;
    let size = rect.size();
    // From cell to cell, as far as two of them tell.
    let pitch = |at: fn(&(Cell, Rect)) -> (u32, u32), least: u32| {
        let (number, start) = at(&cells[0]);
        let other = cells.iter().map(at).find(|(other, _)| *other > number);
        other.map_or(Some(least), |(other, place)| Some((place.checked_sub(start)?) / (other - number)))
    };
    let across = pitch(|(cell, rect)| (cell.column, rect.x), size.width)?;
    let down = pitch(|(cell, rect)| (cell.row, rect.y), size.height)?;
    let offset = UVec2 {
        x: rect.x.checked_sub(first.column.checked_mul(across)?)?,
        y: rect.y.checked_sub(first.row.checked_mul(down)?)?,
    };
    let gutter = UVec2 { x: across.checked_sub(size.width)?, y: down.checked_sub(size.height)? };
    let is_even = cells.iter().all(|(cell, rect)| {
        let (x, y) = (offset.x + cell.column * across, offset.y + cell.row * down);
        *rect == Rect::at(x, y, size)
    });
    let columns = cells.iter().map(|(cell, _)| cell.column).max()? + 1;
    let rows = cells.iter().map(|(cell, _)| cell.row).max()? + 1;
    is_even.then(|| format!(" --grid {columns}x{rows} --cell {size}{}", spacing_options(offset, gutter)))
}

/// Where a sheet lies that a manifest knows by its name only: here, beside the set or the folder it is in, or in a folder
/// of this one.
fn nearby(file: &str, set: &Path, here: &Path) -> Option<PathBuf> {
    let around = set.ancestors().skip(1).take(2).map(|folder| folder.join(file));
    let folder = if here.as_os_str().is_empty() { Path::new(".") } else { here };
    let inside = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut inside: Vec<PathBuf> = inside.map(|entry| PathBuf::from(entry.file_name()).join(file)).collect();
    inside.sort();
    let mut places = [PathBuf::from(file)].into_iter().chain(around).chain(inside);
    places.find(|path| here.join(path).is_file())
}

/// Where a mended set goes: into itself, or a folder named after what it comes from.
fn target(path: &Path, here: &Path) -> String {
    if here.join(path).join(SET_FILE).is_file() || path.file_name().is_some_and(|name| name == SET_FILE) {
        return "--in-place".to_owned();
    }
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    format!("-o {}", pasteable(&format!("{stem}-fixed")))
}

/// A clip none of whose steps is shorter than a screen of 60 pictures a second shows one.
fn with_min_durations(set: &FrameSet, clip: &Clip) -> String {
    let time = |ms: f64| if ms < PICTURE { PICTURE } else { ms };
    let steps: Vec<(usize, f64)> =
        clip.steps().iter().map(|step| (step.frame, time(clip.span(step).millis()))).collect();
    spec(set, clip, &steps)
}

/// A clip in which the frames before `twins` are held for both.
fn with_merged_steps(set: &FrameSet, clip: &Clip, twins: &[usize]) -> String {
    let mut steps: Vec<(usize, f64)> = Vec::new();
    let mut before = None;
    for step in clip.steps() {
        let ms = clip.span(step).millis();
        match steps.last_mut() {
            Some(last) if twins.contains(&step.frame) && before != Some(step.frame) => last.1 += ms,
            _ => steps.push((step.frame, ms)),
        }
        before = Some(step.frame);
    }
    spec(set, clip, &steps)
}

/// A clip without the frames that show nothing.
fn without_blanks(set: &FrameSet, clip: &Clip) -> String {
    let shown = clip.steps().iter().filter(|step| !set.frames()[step.frame].is_blank());
    let steps: Vec<(usize, f64)> = shown.map(|step| (step.frame, clip.span(step).millis())).collect();
    spec(set, clip, &steps)
}

/// A clip of these frames and times, as it is typed.
fn spec(set: &FrameSet, clip: &Clip, steps: &[(usize, f64)]) -> String {
    let number = |frame: usize| set.number_in_sprite(frame);
    let told =
        steps.iter().map(|&(frame, ms)| format!("{}@{}ms", number(frame), (ms * 1000.0).round() / 1000.0));
    let list: Vec<String> = told.collect();
    format!("{}:{} = {} {}", clip.sprite(), clip.name(), list.join(","), clip.playback())
}
