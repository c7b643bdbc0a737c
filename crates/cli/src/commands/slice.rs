//! `shibori slice`: sheets, strips and animations into frames.

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_core::cut::{Grid, cut_cells};
use shibori_core::shape::TrimScope;
use shibori_core::{Cell, FrameSet, NameTemplate, Pixels, Size};
use shibori_formats::read::{Limits, Loaded, Picture, animation_frames, image, sprite_name};
use shibori_formats::write::{self, SetFiles};
use shibori_formats::{Error, ReadProblem};

use super::{ClipResult, clip_results, gather, policy, told, wrote};
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

/// How one file was cut.
#[derive(Serialize)]
struct SheetReport {
    file: String,
    size: [u32; 2],
    #[serde(skip_serializing_if = "Option::is_none")]
    cell: Option<[u32; 2]>,
    columns: u32,
    rows: u32,
    /// Whether a remainder was shared out, so that cells differ by a pixel.
    uneven: bool,
    frames: usize,
    blank: Vec<String>,
}

/// One file's frames, and how they came about.
struct Sliced {
    set: FrameSet,
    report: SheetReport,
    size: Size,
}

pub(super) fn run(args: &Slice, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    if args.cut.manifest_only && args.output.is_some() {
        return Err(Failure::usage("--manifest-only writes SHEET.json beside the sheet, so -o has no use")
            .with_hint("leave out one of the two"));
    }
    let sliced = args.images.iter().map(|path| slice(path, args, console)).collect::<Result<Vec<_>, _>>()?;
    if args.cut.manifest_only {
        return only_manifests(sliced, args, everywhere, console);
    }
    let (sets, sheets): (Vec<_>, Vec<_>) = sliced.into_iter().map(|one| (one.set, one.report)).unzip();
    let set = finish(FrameSet::merge(sets)?, args)?;
    let folder = args.output.clone().unwrap_or_else(|| default_folder(&args.images));
    let files = write::set_files(set.clone(), &folder, &policy(everywhere, args.images.clone()))?;
    let written = write_set(files, set.frames().len(), console)?;
    let manifest = folder.join(shibori_formats::manifest::SET_FILE);
    let images = counted(set.frames().len(), "image");
    sheets.iter().for_each(|sheet| console.head(&summary(sheet)));
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
        let set = finish(one.set, args)?;
        let policy = policy(everywhere, args.images.clone());
        let written = write::sheet_manifest(path, one.size, &set, &policy)?;
        console.head(&summary(&one.report));
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
fn finish(set: FrameSet, args: &Slice) -> Result<FrameSet, Failure> {
    let first = args.cut.number_from;
    let set = match &args.cut.name {
        Some(template) if template.uses_clips() => template.rename(args.clips.apply(set)?, first)?,
        Some(template) => args.clips.apply(template.rename(set, first)?)?,
        None => {
            let longest = set.sprites().into_iter().map(|sprite| set.frames_of(sprite).len()).max();
            let count = longest.unwrap_or(0) + first as usize;
            args.clips.apply(NameTemplate::for_count(count).rename(set, first)?)?
        }
    };
    Ok(args.shape.apply(set, TrimScope::None)?)
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

fn slice(path: &Path, args: &Slice, console: &Console) -> Result<Sliced, Failure> {
    let Loaded { info, picture } = image(path, &Limits::default())?;
    match picture {
        Picture::Still(pixels) => slice_sheet(path, &pixels, args),
        Picture::Moving(animation) if args.cut.says_where() || args.cut.manifest_only => {
            let count = counted(animation.moments.len(), "frame");
            let text = format!("{}: is an animation of {count}, not a sheet", path.display());
            Err(Failure::usage(text).with_hint(
                "slice it without --grid, --cell and --manifest-only: its frames are there already",
            ))
        }
        Picture::Moving(animation) => {
            let sprite = sprite_name(path)?;
            let file = file_name(path);
            let made = animation_frames(animation, &sprite, &sprite, &file);
            let (set, remarks) = made.map_err(|problem| wrong(path, problem))?;
            for remark in &remarks {
                gather::tell(remark, console);
            }
            let report = SheetReport {
                file: path.display().to_string(),
                size: [info.size.width, info.size.height],
                cell: None,
                columns: 1,
                rows: 1,
                uneven: false,
                frames: set.frames().len(),
                blank: Vec::new(),
            };
            Ok(Sliced { set, report, size: info.size })
        }
    }
}

fn slice_sheet(path: &Path, pixels: &Pixels, args: &Slice) -> Result<Sliced, Failure> {
    let size = pixels.size();
    let grid = args.cut.grid_for(size).map_err(|error| Failure::cut(path, &error))?;
    let grid = grid.ok_or_else(|| no_grid(path, size))?;
    let cut = cut_cells(pixels, &grid, &args.cut.choice()).map_err(|error| Failure::cut(path, &error))?;
    if cut.cells.is_empty() {
        let text = format!("{}: all {} cells are blank", path.display(), grid.len());
        return Err(Failure::usage(text).with_hint("add --blank keep if blank frames are wanted"));
    }
    let counts = grid.counts();
    let cell = grid.cell_size();
    let report = SheetReport {
        file: path.display().to_string(),
        size: [size.width, size.height],
        cell: Some([cell.width, cell.height]),
        columns: counts.columns,
        rows: counts.rows,
        uneven: !grid.is_even(),
        frames: cut.cells.len(),
        blank: ranges(&cut.dropped, &grid),
    };
    let frames = cut.into_frames(&sprite_name(path)?, &file_name(path));
    let frames = frames.map_err(|error| wrong(path, ReadProblem::Frame { frame: file_name(path), error }))?;
    Ok(Sliced { set: FrameSet::new(frames, Vec::new())?, report, size })
}

fn no_grid(path: &Path, size: Size) -> Failure {
    let failure =
        Failure::usage(format!("{}: nothing says how its {size} px are cut into cells", path.display()));
    let inspect = format!("shibori inspect {} shows the cell sizes that fit", path.display());
    failure.with_hint(format!("add --grid COLUMNSxROWS or --cell WIDTHxHEIGHT; {inspect}"))
}

fn summary(report: &SheetReport) -> String {
    let [width, height] = report.size;
    let frames = counted(report.frames, "frame");
    let Some([cell_width, cell_height]) = report.cell else {
        return format!("{}: {width}x{height} px animation: {frames}", report.file);
    };
    let SheetReport { file, columns, rows, .. } = report;
    let size = match report.uneven {
        true => format!("about {cell_width}x{cell_height} px, a remainder shared out"),
        false => format!("{cell_width}x{cell_height} px"),
    };
    let blank = match report.blank.as_slice() {
        [] => String::new(),
        blank => format!("; blank cells dropped: {}", blank.join(", ")),
    };
    format!("{file}: {columns}x{rows} cells of {size}: {frames}{blank}")
}

/// Cells as short ranges: `r0c4-7`.
fn ranges(cells: &[Cell], grid: &Grid) -> Vec<String> {
    let mut sorted = cells.to_vec();
    sorted.sort_unstable();
    let mut ranges: Vec<(Cell, u32)> = Vec::new();
    for cell in sorted {
        match ranges.last_mut() {
            Some((start, last)) if start.row == cell.row && *last + 1 == cell.column => *last = cell.column,
            _ => ranges.push((cell, cell.column)),
        }
    }
    let last_column = grid.counts().columns - 1;
    let text = |&(start, last): &(Cell, u32)| match (start.column, last) {
        (0, last) if last == last_column => format!("r{}", start.row),
        (first, last) if first == last => start.to_string(),
        (_, last) => format!("{start}-{last}"),
    };
    ranges.iter().map(text).collect()
}

fn wrong(path: &Path, problem: ReadProblem) -> Failure {
    Error::Read { path: path.to_owned(), problem }.into()
}

fn file_name(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}
