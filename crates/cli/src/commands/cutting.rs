//! One file into frames: key, where the frames are, cut. `slice` finishes them, `preview grid` draws the cut.

use std::path::Path;

use serde::Serialize;
use shibori_core::clean::{Ground, ground, key};
use shibori_core::cut::{
    Certainty, Found, Grid, GridCandidate, IslandOptions, RectError, Spacing, cut_cells, cut_rects,
    find_grid, islands, part_frame,
};
use shibori_core::{Cell, Color, Frame, FrameSet, Name, Pixels, Size};
use shibori_formats::read::{Loaded, Picture, animation_frames, image, rects, sprite_name};
use shibori_formats::{Error, ReadProblem};

use super::cleaning::{CleanReport, mended};
use super::gather;
use crate::args::{CleanArgs, CutArgs, Everywhere, KeyArg};
use crate::console::{Console, counted, pasteable};
use crate::failure::Failure;

/// Groups of fewer pixels are specks where nothing is said.
const SPECK: u32 = 16;
/// Evidence in nats from which a grid is worth proposing.
pub(super) const WORTH_SAYING: f64 = 3.0;

/// One file's frames, and how they came about.
pub(super) struct Sliced {
    pub(super) set: FrameSet,
    pub(super) report: SheetReport,
    pub(super) size: Size,
    /// Drawings of a loose sheet have no canvas in common yet.
    pub(super) is_loose: bool,
}

/// How one file was cut.
#[derive(Serialize)]
pub(super) struct SheetReport {
    pub(super) file: String,
    size: [u32; 2],
    /// How it was cut, for people.
    #[serde(skip)]
    how: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    cell: Option<[u32; 2]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    columns: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    rows: Option<u32>,
    pub(super) frames: usize,
    blank: Vec<String>,
    /// The command that says what was found by itself.
    #[serde(skip_serializing_if = "Option::is_none")]
    command: Option<String>,
    /// Each step of mending and what it changed.
    cleaned: Vec<CleanReport>,
}

impl SheetReport {
    fn new(path: &Path, size: Size, how: String) -> Self {
        Self {
            file: path.display().to_string(),
            size: [size.width, size.height],
            how,
            cell: None,
            columns: None,
            rows: None,
            frames: 0,
            blank: Vec::new(),
            command: None,
            cleaned: Vec::new(),
        }
    }

    /// What to say about the file, a line each.
    pub(super) fn lines(&self) -> Vec<String> {
        let blank = match self.blank.as_slice() {
            [] => String::new(),
            blank => format!("; blank cells dropped: {}", blank.join(", ")),
        };
        let mut lines =
            vec![format!("{}: {}: {}{blank}", self.file, self.how, counted(self.frames, "frame"))];
        lines.extend(self.command.iter().map(|command| format!("  the same again: {command}")));
        lines.extend(self.cleaned.iter().map(CleanReport::line));
        lines
    }
}

/// A sheet ready to be cut: its background made transparent where that was asked for.
pub(super) struct Sheet {
    pub(super) pixels: Pixels,
    pub(super) ground: Ground,
    /// The color that was made transparent, and how many pixels went.
    keyed: Option<(Color, u64)>,
}

/// Reads and cuts one file.
pub(super) fn cut_file(
    path: &Path,
    cut: &CutArgs,
    clean: &CleanArgs,
    everywhere: &Everywhere,
    console: &Console,
) -> Result<Sliced, Failure> {
    if let [first, second, ..] = cut.said_where()[..] {
        return Err(Failure::usage(format!("{first} and {second} both say where the frames are"))
            .with_hint("leave out one of the two"));
    }
    let Loaded { info, picture, is_truncated } = image(path, &everywhere.limits())?;
    match picture {
        Picture::Still(pixels) => {
            let sheet = prepared(path, &pixels, clean, console)?;
            cut_sheet(path, &sheet, cut, clean)
        }
        Picture::Moving(animation) if !cut.said_where().is_empty() || cut.manifest_only => {
            let count = counted(animation.moments.len(), "frame");
            let text = format!("{}: is an animation of {count}, not a sheet", path.display());
            let options = "--grid, --cell, --islands, --rects and --manifest-only";
            Err(Failure::usage(text)
                .with_hint(format!("slice it without {options}: its frames are there already")))
        }
        Picture::Moving(animation) => {
            let sprite = sprite_name(path)?;
            let made = animation_frames(animation, &sprite, &sprite, &file_name(path), is_truncated);
            let (set, remarks) = made.map_err(|problem| wrong(path, problem))?;
            for remark in &remarks {
                gather::tell(remark, console);
            }
            let how = format!("{} px animation", info.size);
            finished(SheetReport::new(path, info.size, how), set, info.size, false, cut, clean, None)
        }
    }
}

/// Makes the background transparent where that was asked for, and says so where it was not but could be.
pub(super) fn prepared(
    path: &Path,
    pixels: &Pixels,
    clean: &CleanArgs,
    console: &Console,
) -> Result<Sheet, Failure> {
    let found = ground(pixels);
    let (color, tolerance) = match (clean.key, found) {
        (None, Ground::Flat { color, .. }) => {
            let color = Color(color);
            console.note(&format!(
                "{}: the background is flat {color}; --key auto makes it transparent",
                path.display()
            ));
            return Ok(Sheet { pixels: pixels.clone(), ground: found, keyed: None });
        }
        (None | Some(KeyArg::None), _) => {
            return Ok(Sheet { pixels: pixels.clone(), ground: found, keyed: None });
        }
        (Some(KeyArg::Auto), Ground::Flat { color, tolerance }) => (color, tolerance),
        (Some(KeyArg::Auto), Ground::Clear) => {
            console
                .note(&format!("{}: is transparent already, so no background is taken out", path.display()));
            return Ok(Sheet { pixels: pixels.clone(), ground: found, keyed: None });
        }
        (Some(KeyArg::Auto), Ground::None) => {
            let text = format!("{}: no flat background was found along its border", path.display());
            return Err(Failure::usage(text)
                .with_hint("name the color, such as --key ff00ff, with --tolerance if it varies"));
        }
        (Some(KeyArg::Color(color)), _) => (color.0, 0),
    };
    let tolerance = clean.tolerance.unwrap_or(tolerance);
    let keyed = key(pixels, color, tolerance, clean.scope());
    if keyed.pixels == 0 {
        let text = format!("{}: the color {} is nowhere to take out", path.display(), Color(color));
        let hint = match found {
            Ground::Flat { color, .. } => {
                format!("its background is {}; --key auto takes that", Color(color))
            }
            _ => {
                "raise --tolerance, or use --key-scope everywhere if it does not touch the border".to_owned()
            }
        };
        return Err(Failure::usage(text).with_hint(hint));
    }
    if keyed.left > 0 {
        let left = counted(keyed.left as usize, "pixel");
        let text = format!("{}: {left} of {} are left inside drawings", path.display(), Color(color));
        console.note(&format!("{text}; --key-scope everywhere takes them too"));
    }
    let pixels = Pixels::whole(keyed.image);
    Ok(Sheet { pixels, ground: Ground::Clear, keyed: Some((Color(color), keyed.pixels)) })
}

fn cut_sheet(path: &Path, sheet: &Sheet, cut: &CutArgs, clean: &CleanArgs) -> Result<Sliced, Failure> {
    let size = sheet.pixels.size();
    if let Some(list) = &cut.rects {
        let list_rects = rects(list)?;
        let parts = cut_rects(&sheet.pixels, &list_rects).map_err(|error| rect_failure(list, &error))?;
        let report = SheetReport::new(path, size, format!("places of {}", list.display()));
        let sprite = sprite_name(path)?;
        let frame = |(named, pixels): (shibori_core::cut::NamedRect, Pixels)| {
            part_frame(&sprite, named.name, pixels, &file_name(path), named.rect)
        };
        let frames = parts.into_iter().map(frame).collect::<Result<Vec<_>, _>>();
        return finished(report, frame_set(path, frames)?, size, false, cut, clean, Some(sheet));
    }
    if cut.islands {
        return cut_islands(path, sheet, cut, clean);
    }
    let (grid, command) = match cut.grid_for(size).map_err(|error| Failure::cut(path, &error))? {
        Some(grid) => (grid, None),
        None => {
            let grid = found_grid(path, &sheet.pixels)?;
            (grid, Some(command_for(path, &grid)))
        }
    };
    let done = cut_cells(&sheet.pixels, &grid, &cut.choice(sheet.ground))
        .map_err(|error| Failure::cut(path, &error))?;
    if done.cells.is_empty() {
        let text = format!("{}: all {} cells are blank", path.display(), grid.len());
        return Err(Failure::usage(text).with_hint("add --blank keep if blank frames are wanted"));
    }
    let (counts, cell) = (grid.counts(), grid.cell_size());
    let even = if grid.is_even() { "" } else { ", give or take a pixel" };
    let mut report = SheetReport::new(path, size, format!("{counts} cells of {cell} px{even}"));
    report.cell = Some([cell.width, cell.height]);
    (report.columns, report.rows) = (Some(counts.columns), Some(counts.rows));
    report.blank = ranges(&done.dropped, &grid);
    report.command = command;
    let frames = done.into_frames(&sprite_name(path)?, &file_name(path));
    finished(report, frame_set(path, frames)?, size, false, cut, clean, Some(sheet))
}

pub(super) fn island_options(cut: &CutArgs) -> IslandOptions {
    IslandOptions { join: cut.join, min_area: cut.min_area.unwrap_or(SPECK) }
}

fn cut_islands(path: &Path, sheet: &Sheet, cut: &CutArgs, clean: &CleanArgs) -> Result<Sliced, Failure> {
    let size = sheet.pixels.size();
    let options = island_options(cut);
    if sheet.ground == Ground::None {
        let text = format!("{}: nothing lies between the drawings that tells them apart", path.display());
        return Err(Failure::usage(text)
            .with_hint("take the background out with --key COLOR, or cut with --grid or --rects"));
    }
    let found = islands(&sheet.pixels, sheet.ground, options);
    if found.drawings.is_empty() {
        let text = format!("{}: no drawing of {} pixels or more was found", path.display(), options.min_area);
        return Err(Failure::usage(text).with_hint("lower --min-area, or take the background out with --key"));
    }
    let found_join = if cut.join.is_none() { " (found)" } else { "" };
    let specks = match found.specks.as_slice() {
        [] => String::new(),
        specks => {
            let places: Vec<String> =
                specks.iter().take(6).map(|rect| format!("{},{}", rect.x, rect.y)).collect();
            let more = if specks.len() > 6 { ", ..." } else { "" };
            let count = counted(specks.len(), "speck");
            format!(", {count} under {} px left out at {}{more}", options.min_area, places.join(" "))
        }
    };
    let how = format!("separate drawings, --join {}{found_join}{specks}", found.join);
    let report = SheetReport::new(path, size, how);
    let sprite = sprite_name(path)?;
    let frame = |(number, (rect, pixels)): (usize, (shibori_core::Rect, Pixels))| {
        let name = Name::new(number.to_string()).expect("a number is a name");
        part_frame(&sprite, name, pixels, &file_name(path), rect)
    };
    let frames = found.drawings.into_iter().enumerate().map(frame).collect::<Result<Vec<_>, _>>();
    finished(report, frame_set(path, frames)?, size, true, cut, clean, Some(sheet))
}

/// Takes the selection and mends the frames.
fn finished(
    mut report: SheetReport,
    set: FrameSet,
    size: Size,
    is_loose: bool,
    cut: &CutArgs,
    clean: &CleanArgs,
    sheet: Option<&Sheet>,
) -> Result<Sliced, Failure> {
    let set = match &cut.take {
        None => set,
        Some(take) => {
            let places = take.resolve(&set).map_err(|error| Failure::usage(format!("--take: {error}")))?;
            set.thinned(&places)
        }
    };
    let keyed = sheet.and_then(|sheet| sheet.keyed);
    if let Some((color, pixels)) = keyed {
        let frames = None;
        report.cleaned.push(CleanReport { step: format!("{color} made transparent"), pixels, frames });
    }
    let (set, cleaned) = mended(set, clean, keyed.map(|(color, _)| color))?;
    report.cleaned.extend(cleaned);
    report.frames = set.frames().len();
    Ok(Sliced { set, report, size, is_loose })
}

/// The grid that explains a sheet, if it is sure.
pub(super) fn found_grid(path: &Path, pixels: &Pixels) -> Result<Grid, Failure> {
    let Found { candidates, certainty, ground } = find_grid(pixels);
    match certainty {
        Certainty::Sure(_) => Ok(candidates[0].grid),
        Certainty::Blank => {
            let text = format!("{}: is wholly blank, so there is nothing to cut by", path.display());
            Err(Failure::usage(text)
                .with_hint("add --grid COLUMNSxROWS and --blank keep if blank frames are wanted"))
        }
        Certainty::Unsure(_) => Err(not_sure(path, &candidates, ground)),
    }
}

fn not_sure(path: &Path, candidates: &[GridCandidate], ground: Ground) -> Failure {
    // Grids of the same counts differ by empty borders only; two of them are enough to choose from.
    let likely = candidates.iter().filter(|c| c.grid.len() > 1 && c.evidence > WORTH_SAYING);
    let grids: Vec<&Grid> = likely.map(|candidate| &candidate.grid).take(3).collect();
    let file = pasteable(&path.display().to_string());
    let mut commands: Vec<String> = grids.iter().map(|grid| command_for(path, grid)).collect();
    if ground != Ground::None {
        commands.push(format!("shibori slice {file} --islands"));
    }
    let listed: String = commands.iter().map(|command| format!("\n    {command}")).collect();
    let told: Vec<String> =
        grids.iter().map(|grid| format!("{} of {} px", grid.counts(), grid.cell_size())).collect();
    match told.as_slice() {
        [] => {
            let text =
                format!("{}: no grid was found; it may be one picture, or loose drawings", path.display());
            Failure::usage(text)
                .with_hint(format!("say what it is:\n    shibori slice {file} --grid COLUMNSxROWS{listed}"))
        }
        told => {
            Failure::usage(format!("{}: the grid is not certain: {}", path.display(), told.join(", or ")))
                .with_hint(format!("choose one; --islands takes each separate drawing:{listed}"))
        }
    }
}

/// The command that cuts a sheet by a grid.
pub(super) fn command_for(path: &Path, grid: &Grid) -> String {
    format!("shibori slice {} {}", pasteable(&path.display().to_string()), grid_options(grid))
}

fn grid_options(grid: &Grid) -> String {
    let Spacing { offset, gutter } = grid.spacing();
    if (offset, gutter) == Default::default() {
        return format!("--grid {}", grid.counts());
    }
    let mut options = format!("--cell {}", grid.cell_size());
    for (option, pair) in [("--offset", offset), ("--gutter", gutter)] {
        if (pair.x, pair.y) != (0, 0) {
            options += &format!(" {option} {pair}");
        }
    }
    options
}

pub(super) fn rect_failure(list: &Path, error: &RectError) -> Failure {
    let failure = Failure::usage(format!("{}: {error}", list.display()));
    failure.with_hint("a place is x,y,w,h in pixels of the sheet, from its top left")
}

fn frame_set(path: &Path, frames: Result<Vec<Frame>, shibori_core::FrameError>) -> Result<FrameSet, Failure> {
    let frames = frames.map_err(|error| wrong(path, ReadProblem::Frame { frame: file_name(path), error }))?;
    Ok(FrameSet::new(frames, Vec::new())?)
}

/// Cells as short ranges: `r0c4-7`.
pub(super) fn ranges(cells: &[Cell], grid: &Grid) -> Vec<String> {
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
