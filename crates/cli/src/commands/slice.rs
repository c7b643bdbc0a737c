//! `shibori slice`: sheets, strips and animations into frames.

use std::path::Path;

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_core::{FrameSet, Rect, SignedRect};
use shibori_formats::manifest::SET_FILE;
use shibori_pipeline::CommandLine;
use shibori_pipeline::options::{CutOptions, SliceOptions};
use shibori_pipeline::steps::{
    CutMethod, SheetReport, Sliced, default_set, slice, slice_manifests, stage_set,
};

use shibori_pipeline::{Error, Notice, Observer, Source, Task};

use super::frame_report::{CleanResult, clean_results, report_cleaning, report_shaping};
use super::{ClipResult, CommandContext, clip_results, describe_clip};
use crate::args::Slice;
use crate::console::Console;
use crate::failure::{Failure, unsure_grid};
use crate::message::Message;
use crate::wording::{self, ReportPath};
use crate::wording::{abbreviate_list, cells, command_line, count_noun};

#[derive(Default, Serialize)]
struct Report {
    manifests: Vec<ReportPath>,
    sheets: Vec<SheetResult>,
    count: usize,
    clips: Vec<ClipResult>,
    removed: Vec<ReportPath>,
}

/// How one file was cut.
#[derive(Serialize)]
struct SheetResult {
    file: String,
    size: [u32; 2],
    #[serde(skip_serializing_if = "Option::is_none")]
    cell: Option<[u32; 2]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    columns: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    rows: Option<u32>,
    count: usize,
    blank: Vec<String>,
    /// The command that says what was found on its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    command: Option<String>,
    /// Each step of mending and what it changed.
    cleaned: Vec<CleanResult>,
}

/// Completes the commands in notices with everything that was typed.
struct TypedNotices<'a> {
    args: &'a Slice,
    console: &'a Console,
}

impl Observer for TypedNotices<'_> {
    fn notice(&self, notice: Notice) {
        let Notice::MayTouch { file, separate: Some(join), .. } = &notice else {
            return self.console.notice(notice);
        };
        let cut = CutOptions { join: Some(*join), ..self.args.options.cut.clone() };
        let command = repeat_command(file, cut, self.args);
        let (level, message) = wording::notice(&notice);
        let hint = Some(format!("to separate them:\n    {command}"));
        self.console.message(level, &Message { hint, ..message });
    }

    fn progress(&self, task: Task, done: usize, of: usize) {
        self.console.progress(task, done, of);
    }
}

pub(super) fn run(args: &Slice, program: &CommandContext<'_>) -> Result<(), Failure> {
    if args.options.cut.manifest_only.is_on() {
        return run_manifest_only(args, program);
    }
    let notices = TypedNotices { args, console: program.console };
    let cx = program.context_for(&notices);
    let sliced =
        slice(&Source::paths(&args.images), &args.options, &cx).map_err(|error| failure(error, args))?;
    let folder = args.output.clone().unwrap_or_else(|| default_set(&args.images));
    let written = stage_set(sliced.set.clone(), &folder, &cx)?;
    cx.commit()?;
    let sheets = describe(&sliced, args, program);
    let (manifest, count) = (folder.join(SET_FILE), sliced.set.frames().len());
    let images = count_noun(count, "image");
    program.say(&format!("{} {} and {images}", program.write_verb(), manifest.display_slashed()));
    program.say_removed(&written.removed);
    let removed = program.all_shown(&written.removed);
    let clips = clip_results(&sliced.set);
    program.console.result(&Report { manifests: vec![manifest.into()], sheets, count, clips, removed });
    Ok(())
}

/// A manifest for each sheet, and no image.
fn run_manifest_only(args: &Slice, program: &CommandContext<'_>) -> Result<(), Failure> {
    if args.output.is_some() {
        return Err(Failure::usage(
            "--manifest-only writes SHEET.json next to the sheet, so -o has no effect",
        )
        .with_hint("remove one of them"));
    }
    let notices = TypedNotices { args, console: program.console };
    let cx = program.context_for(&notices);
    let all = slice_manifests(&args.images, &args.options, &cx).map_err(|error| failure(error, args))?;
    cx.commit()?;
    let mut report = Report::default();
    for ((sliced, written), path) in all.iter().zip(&args.images) {
        report.sheets.extend(describe(sliced, args, program));
        for file in program.all_shown(&written.files) {
            let (file_shown, sheet) = (file.display_slashed(), path.display_slashed());
            let sheet =
                if all.len() == args.images.len() { sheet.to_string() } else { "everything else".to_owned() };
            program.say(&format!("{} {file_shown}; {sheet} is unchanged", program.write_verb()));
            report.manifests.push(file);
        }
        report.count += sliced.set.frames().len();
        report.clips.extend(clip_results(&sliced.set));
    }
    program.console.result(&report);
    Ok(())
}

/// Says how sheets were cut and what came out.
fn describe(sliced: &Sliced, args: &Slice, program: &CommandContext<'_>) -> Vec<SheetResult> {
    let results = sliced.sheets.iter().map(|sheet| {
        let result = result(sheet, args);
        let blank = match result.blank.as_slice() {
            [] => String::new(),
            blank => format!("; blank cells dropped: {}", abbreviate_list(blank)),
        };
        let frames = count_noun(sheet.frames, "frame");
        program.console.print_heading(&format!("{}: {}: {frames}{blank}", result.file, describe_cut(sheet)));
        if let Some(command) = &result.command {
            program.say(&format!("  to repeat: {command}"));
        }
        report_cleaning(&sheet.mended, program);
        result
    });
    let results = results.collect();
    report_shaping(&sliced.set, &sliced.done.shifts, &sliced.done.covered, &args.options.shape, program);
    say_trimmed(&sliced.set, program);
    for clip in sliced.set.clips() {
        program.say(&format!("clip {} {}", clip.sprite(), describe_clip(clip)));
    }
    results
}

fn result(sheet: &SheetReport, args: &Slice) -> SheetResult {
    let mut result = SheetResult {
        file: sheet.file.display_slashed().to_string(),
        size: [sheet.size.width, sheet.size.height],
        cell: None,
        columns: None,
        rows: None,
        count: sheet.frames,
        blank: Vec::new(),
        command: None,
        cleaned: clean_results(&sheet.mended),
    };
    if let CutMethod::Grid { grid, is_found, dropped } = &sheet.how {
        let size = sheet.within.and_then(SignedRect::to_rect).map_or(sheet.size, Rect::size);
        result.cell = Some([grid.cell_size().width, grid.cell_size().height]);
        (result.columns, result.rows) = (Some(grid.counts().columns), Some(grid.counts().rows));
        result.blank = cells(dropped, grid);
        result.command =
            is_found.then(|| repeat_command(&sheet.file, args.options.cut.with_grid(grid, size), args));
    }
    result
}

/// What was typed, with another cut. Of several images, each may have its own.
fn repeat_command(file: &Path, cut: CutOptions, args: &Slice) -> String {
    let options = Box::new(SliceOptions { cut, ..args.options.clone() });
    let output = args.output.clone().filter(|_| args.images.len() == 1);
    command_line(&CommandLine::Slice { source: file.to_owned(), options, output })
}

/// The same error, with what was typed in the commands to choose from.
fn failure(error: Error, args: &Slice) -> Failure {
    let output = args.output.as_deref().filter(|_| args.images.len() == 1);
    let hint = match &error {
        Error::Sheet(error) => unsure_grid(error, &args.options, output),
        _ => None,
    };
    let failure = Failure::from(error);
    if hint.is_some() { failure.with_any_hint(hint) } else { failure }
}

/// How a sheet was cut, in half a line.
fn describe_cut(sheet: &SheetReport) -> String {
    match &sheet.how {
        CutMethod::Grid { grid, .. } => {
            let even = if grid.is_even() { "" } else { ", within a pixel" };
            format!("{} cells of {} px{even}", grid.counts(), grid.cell_size())
        }
        CutMethod::Islands { join, is_found, least, specks, parted } => {
            let parted = match parted {
                0 => String::new(),
                count => {
                    format!(
                        ", {} of touching drawings split along straight lines",
                        count_noun(*count, "piece")
                    )
                }
            };
            let found = if *is_found { " (detected)" } else { "" };
            let specks = match specks.as_slice() {
                [] => String::new(),
                specks => {
                    let places: Vec<String> =
                        specks.iter().take(6).map(|rect| format!("{},{}", rect.x, rect.y)).collect();
                    let more = if specks.len() > 6 { ", ..." } else { "" };
                    let count = count_noun(specks.len(), "speck");
                    format!(", {count} under {least} px left out at {}{more}", places.join(" "))
                }
            };
            format!("separate drawings, --join {join}{found}{parted}{specks}")
        }
        CutMethod::Rects { list } => format!("rectangles from {}", list.display_slashed()),
        CutMethod::Frames => "frames as they are".to_owned(),
        CutMethod::Animation => format!("{} px animation", sheet.size),
    }
}

fn say_trimmed(set: &FrameSet, program: &CommandContext<'_>) {
    let kept: u64 = set.frames().iter().map(|frame| frame.pixels().size().area()).sum();
    let whole: u64 = set.frames().iter().map(|frame| frame.canvas().area()).sum();
    if kept < whole {
        let saved = 100.0 - kept as f64 * 100.0 / whole as f64;
        program.say(&format!("trimming removed {saved:.0}% of the pixels; canvas and inset restore them"));
    }
}
