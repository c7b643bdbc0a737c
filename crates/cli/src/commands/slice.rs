//! `shibori slice`: sheets, strips and animations into frames.

use std::path::PathBuf;

use serde::Serialize;
use shibori_core::shape::{CanvasRule, TrimScope};
use shibori_core::{FrameSet, NameTemplate};
use shibori_formats::write::{self, SetFiles};

use super::cutting::{SheetReport, Sliced, cut_file};
use super::{ClipResult, clip_results, policy, shaping, told, wrote};
use crate::args::{Everywhere, Slice};
use crate::console::{Console, counted};
use crate::failure::Failure;

#[derive(Serialize)]
struct Report {
    manifests: Vec<PathBuf>,
    sheets: Vec<SheetReport>,
    frames: usize,
    clips: Vec<ClipResult>,
    removed: Vec<PathBuf>,
}

pub(super) fn run(args: &Slice, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    if args.cut.manifest_only && args.output.is_some() {
        return Err(Failure::usage("--manifest-only writes SHEET.json beside the sheet, so -o has no use")
            .with_hint("leave out one of the two"));
    }
    if args.cut.manifest_only
        && (args.clean.changes_pixels() || args.cut.islands || args.shape.changes_pixels())
    {
        return Err(Failure::usage(
            "--manifest-only leaves the sheet as it is, so nothing may change its pixels, or where they lie",
        )
        .with_hint("leave out --manifest-only, or the options of Clean, --islands, --mirror, --scale, --align and --canvas"));
    }
    let sliced = args.images.iter().map(|path| cut_file(path, &args.cut, &args.clean, everywhere, console));
    let sliced = sliced.collect::<Result<Vec<_>, _>>()?;
    if args.cut.manifest_only {
        return only_manifests(sliced, args, everywhere, console);
    }
    let is_loose = sliced.iter().any(|one| one.is_loose);
    let (sets, sheets): (Vec<_>, Vec<_>) = sliced.into_iter().map(|one| (one.set, one.report)).unzip();
    let set = finish(FrameSet::merge(sets)?, args, is_loose, console)?;
    let folder = args.output.clone().unwrap_or_else(|| default_folder(&args.images));
    let files = write::set_files(set.clone(), &folder, &policy(everywhere, args.images.clone()))?;
    let written = write_set(files, set.frames().len(), console)?;
    let manifest = folder.join(shibori_formats::manifest::SET_FILE);
    let images = counted(set.frames().len(), "image");
    sheets.iter().for_each(|sheet| say_sheet(sheet, console));
    conclude(&set, console);
    console.say(&format!("{} {} and {images}", wrote(everywhere), manifest.display()));
    say_removed(&written.removed, console);
    let (frames, clips, removed) = (set.frames().len(), clip_results(&set), written.removed);
    console.result(&Report { manifests: vec![manifest], sheets, frames, clips, removed });
    Ok(())
}

/// Writes a set with a progress bar.
pub(super) fn write_set(files: SetFiles, count: usize, console: &Console) -> Result<write::Written, Failure> {
    let progress = console.progress("writing frames", count);
    Ok(write::set(files, || progress.tick())?)
}

pub(super) fn say_removed(removed: &[PathBuf], console: &Console) {
    if !removed.is_empty() {
        console.say(&format!("took away {} of an earlier run", counted(removed.len(), "file")));
    }
}

/// `koi-frames` for one image, `frames` for several.
fn default_folder(images: &[PathBuf]) -> PathBuf {
    match images {
        [one] => PathBuf::from(format!("{}-frames", one.file_stem().unwrap_or_default().to_string_lossy())),
        _ => PathBuf::from("frames"),
    }
}

/// A manifest for each sheet, and no image.
fn only_manifests(
    sliced: Vec<Sliced>,
    args: &Slice,
    everywhere: &Everywhere,
    console: &Console,
) -> Result<(), Failure> {
    let mut report = Report { manifests: vec![], sheets: vec![], frames: 0, clips: vec![], removed: vec![] };
    for (one, path) in sliced.into_iter().zip(&args.images) {
        let set = finish(one.set, args, false, console)?;
        let policy = policy(everywhere, args.images.clone());
        let written = write::sheet_manifest(path, one.size, &set, &policy)?;
        say_sheet(&one.report, console);
        conclude(&set, console);
        for file in written.files {
            console.say(&format!(
                "{} {}; {} stays as it is",
                wrote(everywhere),
                file.display(),
                path.display()
            ));
            report.manifests.push(file);
        }
        report.frames += set.frames().len();
        report.clips.extend(clip_results(&set));
        report.sheets.push(one.report);
    }
    console.result(&report);
    Ok(())
}

/// Names, clips, trimming and pivots, in their fixed order: names that depend on clips come after them.
fn finish(set: FrameSet, args: &Slice, is_loose: bool, console: &Console) -> Result<FrameSet, Failure> {
    let first = args.cut.number_from;
    let set = match &args.cut.name {
        Some(template) if template.uses_clips() => template.rename(args.clips.apply(set)?, first)?,
        Some(template) => args.clips.apply(template.rename(set, first)?)?,
        // A list of places brings its own names.
        None if args.cut.rects.is_some() => args.clips.apply(set)?,
        None => {
            let longest = set.sprites().into_iter().map(|sprite| set.frames_of(sprite).len()).max();
            let count = longest.unwrap_or(0) + first as usize;
            args.clips.apply(NameTemplate::for_count(count).rename(set, first)?)?
        }
    };
    // Separate drawings meet on one canvas; cells of a grid have one already.
    let canvas = is_loose.then_some(CanvasRule::Common);
    Ok(shaping::shaped(set, &args.shape, TrimScope::None, canvas, console)?.set)
}

fn say_sheet(sheet: &SheetReport, console: &Console) {
    let lines = sheet.lines();
    console.head(&lines[0]);
    lines[1..].iter().for_each(|line| console.say(line));
}

fn conclude(set: &FrameSet, console: &Console) {
    for frame in set.frames() {
        let cell = frame.cell().map(|cell| format!(" {cell}")).unwrap_or_default();
        let (name, canvas, kept, pivot) = (frame.name(), frame.canvas(), frame.kept(), frame.pivot());
        console.detail(&format!("{name}{cell}: canvas {canvas} px, keeps {kept}, pivot {pivot}"));
    }
    let kept: u64 = set.frames().iter().map(|frame| frame.pixels().size().area()).sum();
    let whole: u64 = set.frames().iter().map(|frame| frame.canvas().area()).sum();
    if kept < whole {
        let saved = 100.0 - kept as f64 * 100.0 / whole as f64;
        console.say(&format!("trimmed away {saved:.0} % of the pixels; canvas and inset restore them"));
    }
    for clip in set.clips() {
        console.say(&format!("clip {} {}", clip.sprite(), told(clip)));
    }
}
