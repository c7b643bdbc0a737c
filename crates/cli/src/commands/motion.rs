//! `shibori preview motion`: clips as the game will show them.

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_pipeline::steps::{MotionContent, motion, write_animation};

use super::{CommandContext, told};
use crate::args::Motion;
use crate::failure::Failure;
use crate::terminal;
use crate::words::ReportPath;
use crate::words::{bytes, counted, millis};

#[derive(Serialize)]
struct Report {
    file: ReportPath,
    size: [u32; 2],
    pictures: usize,
    ms: f64,
    bytes: usize,
}

pub(super) fn run(args: &Motion, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let moving = motion(&args.source, &args.options, &cx)?;
    if args.out.here {
        terminal::play(&moving.animation)?;
    }
    let Some(output) = &args.out.output else { return Ok(()) };
    let done = write_animation(&moving.animation, output, &cx)?;
    cx.commit()?;
    let pictures = &moving.animation.images;
    let ms = pictures.iter().map(|(_, span)| span.millis()).sum();
    let shows = match &moving.shows {
        MotionContent::One(clip) => told(clip),
        MotionContent::Several(clips) => {
            format!("{} side by side, {} (the longest)", counted(*clips, "clip"), millis(ms))
        }
    };
    let (width, height) = pictures[0].0.dimensions();
    program.say(&format!(
        "{} {}: {shows}; {width}x{height} px, {}",
        program.wrote(),
        output.shown(),
        bytes(done.bytes as u64)
    ));
    let (file, size) = (output.clone(), [width, height]);
    program.console.result(&Report {
        file: file.into(),
        size,
        pictures: pictures.len(),
        ms,
        bytes: done.bytes,
    });
    Ok(())
}
