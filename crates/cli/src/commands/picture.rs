//! `shibori preview contact|onion|drift|pages|grid`: pictures of frames.

use std::path::{Path, PathBuf};

use image::RgbaImage;
use serde::Serialize;
use shibori_draw::CutPlan;
use shibori_formats::DisplaySlashed;
use shibori_pipeline::Context;
use shibori_pipeline::steps::{self, Drawn, write_pictures};

use super::CommandContext;
use crate::args::{Contact, Drift, GridPreview, ImageOutput, Onion, Pages};
use crate::failure::Failure;
use crate::terminal;
use crate::words::ReportPath;
use crate::words::counted;

#[derive(Serialize)]
struct Report {
    files: Vec<FileReport>,
    count: usize,
}

#[derive(Serialize)]
struct FileReport {
    file: ReportPath,
    size: [u32; 2],
}

#[derive(Serialize)]
struct GridReport {
    #[serde(skip_serializing_if = "Option::is_none")]
    file: Option<ReportPath>,
    size: [u32; 2],
    /// Pixels of drawings that a line crosses, or that lie in no cell.
    crossed: usize,
    /// Cells without a drawing.
    blank: usize,
}

pub(super) fn contact(args: &Contact, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    finish(&steps::contact(&args.source, &args.options, &cx)?, &args.out, cx, program)
}

pub(super) fn onion(args: &Onion, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    finish(&steps::onion(&args.source, &args.options, &cx)?, &args.out, cx, program)
}

pub(super) fn pages(args: &Pages, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    finish(&steps::pages(&args.source, &args.options, &cx)?, &args.out, cx, program)
}

pub(super) fn drift(args: &Drift, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let drawn = steps::drift(&args.source, args.after.as_deref(), &args.options, &cx)?;
    written(&drawn, &args.output, cx, program)
}

/// Shows a picture here, or writes it and says so.
fn finish(
    drawn: &Drawn,
    out: &ImageOutput,
    cx: Context<'_>,
    program: &CommandContext<'_>,
) -> Result<(), Failure> {
    if out.here {
        drawn.pictures.iter().try_for_each(terminal::show)?;
    }
    match &out.output {
        Some(output) => written(drawn, output, cx, program),
        None => Ok(()),
    }
}

/// Writes a picture and says so.
fn written(
    drawn: &Drawn,
    output: &Path,
    cx: Context<'_>,
    program: &CommandContext<'_>,
) -> Result<(), Failure> {
    let files = write_pictures(&drawn.pictures, output, &cx)?;
    cx.commit()?;
    let (shown, [width, height]) = (counted(drawn.frames, "frame"), size(&drawn.pictures[0]));
    let told = match files.len() {
        1 => format!("{}: {shown} on {width}x{height} px", output.shown()),
        count => {
            let last = program.shown(&files[count - 1]);
            format!(
                "{} to {}: {shown} in {count} images of up to {width}x{height} px",
                output.shown(),
                last.shown()
            )
        }
    };
    program.say(&format!("{} {told}", program.wrote()));
    let file = |(file, picture): (&PathBuf, _)| FileReport { file: program.shown(file), size: size(picture) };
    let files = files.iter().zip(&drawn.pictures).map(file).collect();
    program.console.result(&Report { files, count: drawn.frames });
    Ok(())
}

pub(super) fn grid(args: &GridPreview, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let drawn = steps::grid(&args.image, &args.options, &cx)?;
    if args.out.here {
        terminal::show(&drawn.image)?;
    }
    let what = match &drawn.plan {
        CutPlan::Grid(grid) => format!("{} cells of {} px", grid.counts(), grid.cell_size()),
        CutPlan::Rects(places) => counted(places.len(), "place"),
    };
    let blank = if drawn.blank > 0 { format!(", {} blank", drawn.blank) } else { String::new() };
    if let Some(output) = &args.out.output {
        write_pictures(std::slice::from_ref(&drawn.image), output, &cx)?;
        cx.commit()?;
        program.say(&format!("{} {}: {what}{blank}", program.wrote(), output.shown()));
    } else {
        program.say(&format!("{what}{blank}"));
    }
    let (file, crossed, blank) = (args.out.output.clone(), drawn.crossed, drawn.blank);
    program.console.result(&GridReport {
        file: file.map(ReportPath::from),
        size: size(&drawn.image),
        crossed,
        blank,
    });
    Ok(())
}

fn size(image: &RgbaImage) -> [u32; 2] {
    [image.width(), image.height()]
}
