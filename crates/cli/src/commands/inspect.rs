//! `shibori inspect`: what images hold.

use std::path::Path;

use serde::Serialize;
use shibori_core::clean::{Ground, ground};
use shibori_core::cut::{Certainty, Choice, GridCandidate, cut_cells, find_grid};
use shibori_core::{Color, Pair, Pixels, Size};
use shibori_formats::read::{Animation, Loaded, Picture, image};

use super::cutting::{WORTH_SAYING, command_for, ranges};
use crate::args::{Everywhere, Inspect};
use crate::console::{Console, counted, millis};
use crate::failure::Failure;

/// Cells are rarely smaller, and listing 4-pixel cells would bury the likely ones.
const SMALLEST_CELL: u32 = 8;

#[derive(Serialize)]
struct Report {
    sheets: Vec<Sheet>,
}

#[derive(Serialize)]
struct Sheet {
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
    animation: Option<Timing>,
    findings: Vec<String>,
    /// Square cells that divide the sheet evenly, largest first.
    square_cells: Vec<Fit>,
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
    /// 0 is for ever.
    plays: u32,
}

#[derive(Serialize)]
struct GridReport {
    cell: [u32; 2],
    offset: [u32; 2],
    gutter: [u32; 2],
    columns: u32,
    rows: u32,
    /// Cells with a drawing.
    count: usize,
    /// Cells without one.
    blank: Vec<String>,
    /// Drawings of each row.
    per_row: Vec<usize>,
    /// 0 to 1: the chance that it is right, were the next one the only other.
    confidence: f64,
    /// Whether `slice` would act upon it by itself.
    sure: bool,
    /// Places where its lines cross a drawing.
    cut_places: u32,
    command: String,
}

#[derive(Serialize)]
struct Fit {
    cell: [u32; 2],
    columns: u32,
    rows: u32,
}

pub(super) fn run(args: &Inspect, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let mut report = Report { sheets: Vec::new() };
    for path in &args.images {
        let sheet = look(path, everywhere)?;
        describe(&sheet, console);
        report.sheets.push(sheet);
    }
    console.result(&report);
    Ok(())
}

fn look(path: &Path, everywhere: &Everywhere) -> Result<Sheet, Failure> {
    let Loaded { info, picture, .. } = image(path, &everywhere.limits())?;
    let (pictures, animation) = match picture {
        Picture::Still(pixels) => (vec![pixels], None),
        Picture::Moving(animation) => {
            let timing = timing(&animation);
            (animation.moments.into_iter().map(|m| Pixels::whole(m.picture)).collect(), Some(timing))
        }
    };
    let is_still = animation.is_none();
    let Size { width, height } = info.size;
    let ground = if is_still { ground(&pictures[0]) } else { Ground::Clear };
    let background = match ground {
        Ground::Flat { color, .. } => Some(Color(color).to_string()),
        _ => None,
    };
    let (mut grids, findings) = if is_still { grids(path, &pictures[0]) } else { (Vec::new(), Vec::new()) };
    let others = if grids.is_empty() { Vec::new() } else { grids.split_off(1) };
    Ok(Sheet {
        file: path.display().to_string(),
        format: info.format.name(),
        size: [width, height],
        color: info.color,
        transparency: transparency(&pictures),
        empty: empty_share(&pictures),
        background,
        grid: grids.pop(),
        others,
        animation,
        findings,
        square_cells: if is_still { square_cells(info.size) } else { Vec::new() },
        columns: if is_still { counts(width) } else { Vec::new() },
        rows: if is_still { counts(height) } else { Vec::new() },
    })
}

/// The grids that could explain a sheet, the best first, and what is odd about them.
fn grids(path: &Path, sheet: &Pixels) -> (Vec<GridReport>, Vec<String>) {
    let found = find_grid(sheet);
    let mut findings = Vec::new();
    if found.certainty == Certainty::Blank {
        findings.push("the picture is wholly blank".to_owned());
        return (Vec::new(), findings);
    }
    let is_sure = matches!(found.certainty, Certainty::Sure(_));
    let confidence = found.certainty.confidence();
    let report = |(place, candidate): (usize, &GridCandidate)| {
        let rest = if place == 0 { confidence } else { 1.0 - confidence };
        grid_report(path, sheet, found.ground, candidate, rest, is_sure && place == 0)
    };
    let candidates = found.candidates.iter().filter(|c| c.grid.len() > 1 && c.evidence > WORTH_SAYING);
    let grids: Vec<GridReport> = candidates.enumerate().map(report).collect();
    match grids.first() {
        Some(grid) if grid.cut_places > 0 => {
            findings.push(format!(
                "lines of the grid cross drawings in {}",
                counted(grid.cut_places as usize, "place")
            ));
        }
        None => findings
            .push("no grid was found: it may be one picture, or loose drawings (--islands)".to_owned()),
        _ => {}
    }
    (grids, findings)
}

fn grid_report(
    path: &Path,
    sheet: &Pixels,
    ground: Ground,
    candidate: &GridCandidate,
    confidence: f64,
    sure: bool,
) -> GridReport {
    let grid = &candidate.grid;
    let choice = Choice { ground, ..Choice::default() };
    let cut = cut_cells(sheet, grid, &choice).expect("without a count nothing is missing");
    let mut per_row = vec![0; grid.counts().rows as usize];
    cut.cells.iter().for_each(|cell| per_row[cell.cell.row as usize] += 1);
    let pair = |pair: Pair| [pair.x, pair.y];
    GridReport {
        cell: [grid.cell_size().width, grid.cell_size().height],
        offset: pair(grid.spacing().offset),
        gutter: pair(grid.spacing().gutter),
        columns: grid.counts().columns,
        rows: grid.counts().rows,
        count: cut.cells.len(),
        blank: ranges(&cut.dropped, grid),
        per_row,
        confidence: (confidence * 1000.0).round() / 1000.0,
        sure,
        cut_places: candidate.cut_places,
        command: command_for(path, grid),
    }
}

fn timing(animation: &Animation) -> Timing {
    let ms: Vec<f64> = animation.moments.iter().map(|moment| moment.span.millis()).collect();
    Timing { count: ms.len(), total_ms: ms.iter().sum(), ms, plays: animation.plays }
}

/// `none`: every pixel is solid; `hard`: some are fully transparent; `soft`: some are in between.
fn transparency(pictures: &[Pixels]) -> &'static str {
    let alphas = || pictures.iter().flat_map(Pixels::rows).flat_map(|row| row.iter().skip(3).step_by(4));
    if alphas().any(|&alpha| alpha != 0 && alpha != 255) {
        "soft"
    } else if alphas().any(|&alpha| alpha == 0) {
        "hard"
    } else {
        "none"
    }
}

fn empty_share(pictures: &[Pixels]) -> f64 {
    let total: u64 = pictures.iter().map(|picture| picture.size().area()).sum();
    let alphas = pictures.iter().flat_map(Pixels::rows).flat_map(|row| row.iter().skip(3).step_by(4));
    alphas.filter(|&&alpha| alpha == 0).count() as f64 / total.max(1) as f64
}

fn square_cells(size: Size) -> Vec<Fit> {
    let divides = |side: &u32| size.width.is_multiple_of(*side) && size.height.is_multiple_of(*side);
    let sides = (SMALLEST_CELL..=size.width.min(size.height)).rev().filter(divides);
    let fit = |side: u32| Fit { cell: [side; 2], columns: size.width / side, rows: size.height / side };
    // A sheet of one cell is a picture, not a grid.
    sides.map(fit).filter(|fit| fit.columns * fit.rows > 1).collect()
}

fn counts(length: u32) -> Vec<u32> {
    (1..=length / SMALLEST_CELL).filter(|&count| length.is_multiple_of(count)).collect()
}

fn describe(sheet: &Sheet, console: &Console) {
    let [width, height] = sheet.size;
    console.head(&format!("{}  {width}x{height} px", sheet.file));
    let alpha = match sheet.transparency {
        "none" => "no transparency".to_owned(),
        kind => format!("{kind} transparency, {:.0} % of pixels empty", sheet.empty * 100.0),
    };
    console.say(&format!("  {}, {}; {alpha}", sheet.format, sheet.color));
    if let Some(color) = &sheet.background {
        console.say(&format!("  the background is flat {color}; --key auto makes it transparent"));
    }
    match &sheet.animation {
        Some(animation) => describe_animation(animation, console),
        None => {
            describe_grids(sheet, console);
            // Where the grid is sure, sums that also fit only distract.
            if !sheet.grid.as_ref().is_some_and(|grid| grid.sure) {
                describe_cells(sheet, console);
            }
        }
    }
    for finding in &sheet.findings {
        console.say(&format!("  {finding}"));
    }
}

fn describe_grids(sheet: &Sheet, console: &Console) {
    let Some(grid) = &sheet.grid else { return };
    let told = |grid: &GridReport| {
        let [width, height] = grid.cell;
        let spacing = match (grid.offset, grid.gutter) {
            ([0, 0], [0, 0]) => String::new(),
            ([0, 0], [x, y]) => format!(", gutter {x},{y} px"),
            ([x, y], [0, 0]) => format!(", offset {x},{y} px"),
            ([x, y], [gx, gy]) => format!(", offset {x},{y} px, gutter {gx},{gy} px"),
        };
        format!("{}x{} cells of {width}x{height} px{spacing}", grid.columns, grid.rows)
    };
    let drawings = counted(grid.count, "drawing");
    if grid.sure {
        console.say(&format!("  grid: {}; {drawings}", told(grid)));
        let all_full = grid.per_row.iter().all(|count| *count == grid.columns as usize);
        if !all_full {
            let per_row: Vec<String> = grid.per_row.iter().map(ToString::to_string).collect();
            console.say(&format!(
                "  drawings in each row: {}; blank cells: {}",
                per_row.join(", "),
                grid.blank.join(", ")
            ));
        }
        console.say(&format!("  {}", grid.command));
        return;
    }
    console.say("  the grid is not certain; it could be");
    for grid in std::iter::once(grid).chain(&sheet.others).take(3) {
        console.say(&format!("    {}: {}", told(grid), grid.command));
    }
}

fn describe_animation(animation: &Timing, console: &Console) {
    let plays = match animation.plays {
        0 => "for ever".to_owned(),
        1 => "once".to_owned(),
        plays => format!("{plays} times"),
    };
    let frames = counted(animation.count, "frame");
    console.say(&format!("  {frames} in {}, plays {plays}", millis(animation.total_ms)));
    let first = animation.ms[0];
    if animation.ms.iter().all(|ms| *ms == first) {
        console.say(&format!("  each {}", millis(first)));
    } else {
        let each: Vec<String> =
            animation.ms.iter().map(|ms| millis(*ms).trim_end_matches(" ms").to_owned()).collect();
        console.say(&format!("  delays in ms: {}", each.join(", ")));
    }
}

fn describe_cells(sheet: &Sheet, console: &Console) {
    let [width, height] = sheet.size;
    let square = |fit: &Fit| format!("{0}x{0} px (--grid {1}x{2})", fit.cell[0], fit.columns, fit.rows);
    let squares: Vec<String> = sheet.square_cells.iter().take(6).map(square).collect();
    if !squares.is_empty() {
        console.say(&format!("  square cells that fit: {}", squares.join(", ")));
    }
    let axis = |counts: &[u32], length: u32| -> String {
        let cells: Vec<String> =
            counts.iter().take(12).map(|count| format!("{count} of {}", length / count)).collect();
        if cells.is_empty() { "none".to_owned() } else { cells.join(", ") }
    };
    console.say(&format!("  columns that fit {width} px: {}", axis(&sheet.columns, width)));
    console.say(&format!("  rows that fit {height} px: {}", axis(&sheet.rows, height)));
}
