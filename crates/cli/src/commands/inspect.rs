//! `shibori inspect`: what images contain.

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_core::cut::Grid;
use shibori_core::{Color, Size, UVec2};
use shibori_formats::DisplaySlashed;
use shibori_pipeline::CommandLine;
use shibori_pipeline::options::{CleanOptions, CutOptions, SliceOptions};
use shibori_pipeline::steps::{
    GridAnalysis, ImageContent, ImageReport, Inspected, IslandReading, SequenceReport, Transparency, inspect,
};

use super::CommandContext;
use crate::args::Inspect;
use crate::failure::Failure;
use crate::message::MessageLevel;
use crate::wording::{abbreviate_list, cells, command_line, count_noun, format_millis, rest_of};

#[derive(Serialize)]
struct Report {
    sheets: Vec<ImageSummary>,
    /// Numbered images of a folder.
    sequences: Vec<SequenceSummary>,
}

#[derive(Serialize)]
struct SequenceSummary {
    first: String,
    last: String,
    count: usize,
    size: [u32; 2],
    /// What makes a set of the folder, if it has no other images.
    command: Option<String>,
}

#[derive(Serialize)]
struct ImageSummary {
    file: String,
    format: &'static str,
    size: [u32; 2],
    color: String,
    transparency: &'static str,
    /// Share of pixels that show nothing, 0 to 1.
    empty: f64,
    /// The flat color behind the drawings, if there is one.
    background: Option<String>,
    /// The grid that explains the sheet, sure or not.
    grid: Option<GridReport>,
    /// Other grids that could explain it.
    others: Vec<GridReport>,
    /// Its separate drawings, where no grid is sure.
    drawings: Option<DrawingsReport>,
    animation: Option<Timing>,
    #[serde(skip_serializing_if = "Option::is_none")]
    layers: Option<LayersReport>,
    findings: Vec<String>,
    /// Square cells that divide the sheet evenly, largest first.
    square_cells: Vec<CellFit>,
    /// Counts of columns that divide the width, and of rows that divide the height.
    columns: Vec<u32>,
    rows: Vec<u32>,
}

#[derive(Serialize)]
struct Timing {
    count: usize,
    /// How long each frame is shown, in milliseconds.
    ms: Vec<f64>,
    total_ms: f64,
    /// 0 is forever.
    plays: u32,
}

#[derive(Serialize)]
struct LayersReport {
    count: usize,
    /// The groups they are in; each is a clip.
    groups: Vec<String>,
    command: String,
}

#[derive(Serialize)]
struct GridReport {
    cell: [u32; 2],
    offset: [u32; 2],
    gutter: [u32; 2],
    columns: u32,
    rows: u32,
    /// Pixels at the right and at the bottom that belong to no cell.
    rest: [u32; 2],
    /// Cells with a drawing.
    count: usize,
    /// Cells without one.
    blank: Vec<String>,
    /// Drawings of each row.
    per_row: Vec<usize>,
    /// 0 to 1: the chance that it is right, were the next one the only other.
    confidence: f64,
    /// Whether `slice` would act upon it on its own.
    sure: bool,
    /// Places where its lines cross a drawing.
    cut_places: usize,
    command: String,
}

#[derive(Serialize)]
struct DrawingsReport {
    /// How many there are.
    count: usize,
    /// Whether they explain the sheet better than any grid.
    likelier: bool,
    command: String,
}

#[derive(Serialize)]
struct CellFit {
    cell: [u32; 2],
    columns: u32,
    rows: u32,
}

pub(super) fn run(args: &Inspect, program: &CommandContext<'_>) -> Result<(), Failure> {
    let mut report = Report { sheets: Vec::new(), sequences: Vec::new() };
    let mut failures: Vec<Failure> = Vec::new();
    for inspected in inspect(&args.images, &program.context())? {
        match inspected {
            Inspected::Image(image) => {
                let sheet = sheet(&image);
                describe(&sheet, program);
                report.sheets.push(sheet);
            }
            Inspected::Sequence(found) => {
                let found = sequence(&found);
                describe_sequence(&found, program);
                report.sequences.push(found);
            }
            Inspected::Unreadable(error) => failures.push(error.into()),
        }
    }
    program.console.result(&report);
    // The rest is there to be read; the last failure is the command's own.
    let last = failures.pop();
    for message in failures.into_iter().filter_map(|failure| failure.message) {
        program.console.message(MessageLevel::Error, &message);
    }
    last.map_or(Ok(()), Err)
}

fn sequence(found: &SequenceReport) -> SequenceSummary {
    let file =
        |path: Option<&PathBuf>| path.map(|path| path.display_slashed().to_string()).unwrap_or_default();
    let folder = found.files.first().and_then(|first| first.parent()).unwrap_or(Path::new("."));
    let options = Box::new(SliceOptions::default());
    SequenceSummary {
        first: file(found.files.first()),
        last: file(found.files.last()),
        count: found.files.len(),
        size: [found.size.width, found.size.height],
        command: found
            .is_alone
            .then(|| command_line(&CommandLine::Slice { source: folder.to_owned(), options, output: None })),
    }
}

fn describe_sequence(found: &SequenceSummary, program: &CommandContext<'_>) {
    let [width, height] = found.size;
    let count = count_noun(found.count, "numbered image");
    program.console.print_heading(&format!("{} to {}  {width}x{height} px", found.first, found.last));
    program.say(&format!("  {count}: the frames of a clip"));
    if let Some(command) = &found.command {
        program.say(&format!("  {command}"));
    }
}

fn sheet(image: &ImageReport) -> ImageSummary {
    let size = image.info.size;
    let mut sheet = ImageSummary {
        file: image.file.display_slashed().to_string(),
        format: image.info.format.name(),
        size: [size.width, size.height],
        color: image.info.color.clone(),
        transparency: match image.transparency {
            Transparency::None => "none",
            Transparency::Hard => "hard",
            Transparency::Soft => "soft",
        },
        empty: image.empty,
        background: None,
        grid: None,
        others: Vec::new(),
        drawings: None,
        animation: None,
        layers: None,
        findings: Vec::new(),
        square_cells: Vec::new(),
        columns: Vec::new(),
        rows: Vec::new(),
    };
    match &image.holds {
        ImageContent::Animation { millis, plays } => {
            let (count, total_ms) = (millis.len(), millis.iter().sum());
            sheet.animation = Some(Timing { count, ms: millis.clone(), total_ms, plays: *plays });
        }
        ImageContent::Layers { layers, groups } => {
            let command = slice_command(&image.file, CutOptions::default(), None);
            sheet.layers = Some(LayersReport { count: *layers, groups: groups.clone(), command });
        }
        ImageContent::Sheet { background, is_blank, grids, loose, square_cells, counts } => {
            sheet.background = background.map(|color| color.to_string());
            sheet.findings.extend(findings(*is_blank, grids, loose.is_some()));
            sheet.findings.extend(
                grids
                    .first()
                    .filter(|best| best.is_sure)
                    .and_then(|best| describe_remainder(&best.candidate.grid, size)),
            );
            sheet.drawings = loose.map(|IslandReading { drawings, is_likelier }| DrawingsReport {
                count: drawings,
                likelier: is_likelier,
                command: slice_command(&image.file, CutOptions::default().with_islands(), *background),
            });
            let mut grids = grids.iter().map(|grid| grid_report(image, grid));
            sheet.grid = grids.next();
            sheet.others = grids.collect();
            let fit = |&side: &u32| CellFit {
                cell: [side; 2],
                columns: size.width / side,
                rows: size.height / side,
            };
            sheet.square_cells = square_cells.iter().map(fit).collect();
            (sheet.columns, sheet.rows) = counts.clone();
        }
    }
    sheet
}

/// The command that cuts a sheet this way, and removes its background.
fn slice_command(file: &Path, cut: CutOptions, background: Option<Color>) -> String {
    let key = background.and_then(|color| color.to_string().parse().ok());
    let clean = CleanOptions { key, ..CleanOptions::default() };
    let options = Box::new(SliceOptions { cut, clean, ..SliceOptions::default() });
    command_line(&CommandLine::Slice { source: file.to_owned(), options, output: None })
}

fn findings(is_blank: bool, grids: &[GridAnalysis], is_loose: bool) -> Option<String> {
    match grids.first() {
        _ if is_blank => Some("the image is completely blank".to_owned()),
        None if is_loose => None,
        None => Some("no grid was found: it may be a single image".to_owned()),
        Some(best) => {
            let places = best.crossings;
            (places > 0).then(|| format!("the grid cuts through drawings in {}", count_noun(places, "place")))
        }
    }
}

/// What a grid leaves over, if anything.
fn describe_remainder(grid: &Grid, size: Size) -> Option<String> {
    let rest = grid.remainder(size);
    (rest != UVec2::default()).then(|| format!("the grid leaves out {}, all blank", rest_of(rest)))
}

fn grid_report(image: &ImageReport, reading: &GridAnalysis) -> GridReport {
    let grid = &reading.candidate.grid;
    let pair = |pair: UVec2| [pair.x, pair.y];
    GridReport {
        cell: [grid.cell_size().width, grid.cell_size().height],
        offset: pair(grid.spacing().offset),
        gutter: pair(grid.spacing().gutter),
        columns: grid.counts().columns,
        rows: grid.counts().rows,
        rest: pair(grid.remainder(image.info.size)),
        count: reading.cut.cells.len(),
        blank: cells(&reading.cut.dropped, grid),
        per_row: reading.per_row.clone(),
        confidence: (reading.confidence * 1000.0).round() / 1000.0,
        sure: reading.is_sure,
        cut_places: reading.crossings,
        command: slice_command(&image.file, CutOptions::default().with_grid(grid, image.info.size), None),
    }
}

fn describe(sheet: &ImageSummary, program: &CommandContext<'_>) {
    let [width, height] = sheet.size;
    program.console.print_heading(&format!("{}  {width}x{height} px", sheet.file));
    let alpha = match sheet.transparency {
        "none" => "no transparency".to_owned(),
        kind => format!("{kind}-edged transparency, {:.0}% of pixels empty", sheet.empty * 100.0),
    };
    program.say(&format!("  {}, {}; {alpha}", sheet.format, sheet.color));
    if let Some(color) = &sheet.background {
        program.say(&format!("  the background is flat {color}; --key auto makes it transparent"));
    }
    match (&sheet.animation, &sheet.layers) {
        (Some(animation), _) => describe_animation(animation, program),
        (None, Some(layers)) => describe_layers(layers, program),
        (None, None) => {
            describe_grids(sheet, program);
            // Where the grid is sure, sums that also fit only distract.
            if !sheet.grid.as_ref().is_some_and(|grid| grid.sure) {
                describe_cells(sheet, program);
            }
        }
    }
    for finding in &sheet.findings {
        program.say(&format!("  {finding}"));
    }
}

fn describe_layers(layers: &LayersReport, program: &CommandContext<'_>) {
    let groups = match layers.groups.as_slice() {
        [] => "no groups".to_owned(),
        groups => format!("{}: {}", count_noun(groups.len(), "group"), abbreviate_list(groups)),
    };
    program.say(&format!("  {}, {groups}", count_noun(layers.count, "layer")));
    program.say(&format!("  {}", layers.command));
}

fn describe_loose(loose: &DrawingsReport, program: &CommandContext<'_>) {
    program.say(&format!("    {}: {}", count_noun(loose.count, "separate drawing"), loose.command));
}

fn describe_grids(sheet: &ImageSummary, program: &CommandContext<'_>) {
    let Some(grid) = &sheet.grid else {
        if let Some(loose) = &sheet.drawings {
            program.say("  no grid was found; it looks like loose drawings");
            describe_loose(loose, program);
        }
        return;
    };
    let grid_text = |grid: &GridReport| {
        let [width, height] = grid.cell;
        let spacing = match (grid.offset, grid.gutter) {
            ([0, 0], [0, 0]) => String::new(),
            ([0, 0], [x, y]) => format!(", gutter {x},{y} px"),
            ([x, y], [0, 0]) => format!(", offset {x},{y} px"),
            ([x, y], [gx, gy]) => format!(", offset {x},{y} px, gutter {gx},{gy} px"),
        };
        format!("{}x{} cells of {width}x{height} px{spacing}", grid.columns, grid.rows)
    };
    let drawings = count_noun(grid.count, "drawing");
    if grid.sure {
        program.say(&format!("  grid: {}; {drawings}", grid_text(grid)));
        let all_full = grid.per_row.iter().all(|count| *count == grid.columns as usize);
        if !all_full {
            let per_row: Vec<String> = grid.per_row.iter().map(ToString::to_string).collect();
            program.say(&format!(
                "  drawings in each row: {}; blank cells: {}",
                abbreviate_list(&per_row),
                abbreviate_list(&grid.blank)
            ));
        }
        program.say(&format!("  {}", grid.command));
        return;
    }
    let likelier = sheet.drawings.as_ref().filter(|loose| loose.likelier);
    match likelier {
        Some(loose) => {
            program.say("  it looks like loose drawings");
            describe_loose(loose, program);
            program.say("  a grid is also possible, but would not separate them");
        }
        None => program.say("  the grid is uncertain; candidates:"),
    }
    for grid in std::iter::once(grid).chain(&sheet.others).take(3) {
        program.say(&format!("    {}: {}", grid_text(grid), grid.command));
    }
    if let (None, Some(loose)) = (likelier, &sheet.drawings) {
        describe_loose(loose, program);
    }
}

fn describe_animation(animation: &Timing, program: &CommandContext<'_>) {
    let plays = match animation.plays {
        0 => "forever".to_owned(),
        1 => "once".to_owned(),
        plays => format!("{plays} times"),
    };
    let frames = count_noun(animation.count, "frame");
    program.say(&format!("  {frames} in {}, plays {plays}", format_millis(animation.total_ms)));
    let first = animation.ms[0];
    if animation.ms.iter().all(|ms| *ms == first) {
        program.say(&format!("  each {}", format_millis(first)));
    } else {
        let each: Vec<String> =
            animation.ms.iter().map(|ms| format_millis(*ms).trim_end_matches(" ms").to_owned()).collect();
        program.say(&format!("  delays in ms: {}", abbreviate_list(&each)));
    }
}

fn describe_cells(sheet: &ImageSummary, program: &CommandContext<'_>) {
    let [width, height] = sheet.size;
    let square = |fit: &CellFit| format!("{0}x{0} px (--grid {1}x{2})", fit.cell[0], fit.columns, fit.rows);
    let squares: Vec<String> = sheet.square_cells.iter().take(6).map(square).collect();
    if !squares.is_empty() {
        program.say(&format!("  square cells that fit: {}", squares.join(", ")));
    }
    let axis = |counts: &[u32], length: u32| -> String {
        let cells: Vec<String> =
            counts.iter().take(12).map(|count| format!("{count} of {}", length / count)).collect();
        if cells.is_empty() { "none".to_owned() } else { cells.join(", ") }
    };
    program.say(&format!("  columns that fit {width} px: {}", axis(&sheet.columns, width)));
    program.say(&format!("  rows that fit {height} px: {}", axis(&sheet.rows, height)));
}
