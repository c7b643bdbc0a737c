//! `shibori inspect`: what images hold.

use std::path::Path;

use serde::Serialize;
use shibori_core::{Pixels, Size};
use shibori_formats::read::{Animation, Limits, Loaded, Picture, image};

use crate::args::Inspect;
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
    animation: Option<Timing>,
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
struct Fit {
    cell: [u32; 2],
    columns: u32,
    rows: u32,
}

pub(super) fn run(args: &Inspect, console: &Console) -> Result<(), Failure> {
    let mut report = Report { sheets: Vec::new() };
    for path in &args.images {
        let sheet = look(path)?;
        describe(&sheet, console);
        report.sheets.push(sheet);
    }
    console.result(&report);
    Ok(())
}

fn look(path: &Path) -> Result<Sheet, Failure> {
    let Loaded { info, picture } = image(path, &Limits::default())?;
    let (pictures, animation) = match picture {
        Picture::Still(pixels) => (vec![pixels], None),
        Picture::Moving(animation) => {
            let timing = timing(&animation);
            (animation.moments.into_iter().map(|m| Pixels::whole(m.picture)).collect(), Some(timing))
        }
    };
    let is_still = animation.is_none();
    let Size { width, height } = info.size;
    Ok(Sheet {
        file: path.display().to_string(),
        format: info.format.name(),
        size: [width, height],
        color: info.color,
        transparency: transparency(&pictures),
        empty: empty_share(&pictures),
        animation,
        square_cells: if is_still { square_cells(info.size) } else { Vec::new() },
        columns: if is_still { counts(width) } else { Vec::new() },
        rows: if is_still { counts(height) } else { Vec::new() },
    })
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
    match &sheet.animation {
        Some(animation) => describe_animation(animation, console),
        None => describe_cells(sheet, console),
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
