//! `shibori preview motion`: clips as the game will show them.

use shibori_formats::ShownPath;

use serde::Serialize;
use shibori_pipeline::steps::{Shows, motion, write_film};

use super::{Program, told};
use crate::args::Motion;
use crate::failure::Failure;
use crate::terminal;
use crate::words::ToldPath;
use crate::words::{bytes, counted, millis};

#[derive(Serialize)]
struct Report {
    file: ToldPath,
    size: [u32; 2],
    pictures: usize,
    ms: f64,
    bytes: usize,
}

pub(super) fn run(args: &Motion, program: &Program<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let moving = motion(&args.source, &args.options, &cx)?;
    if args.out.here {
        terminal::play(&moving.film)?;
    }
    let Some(output) = &args.out.output else { return Ok(()) };
    let done = write_film(&moving.film, output, &cx)?;
    cx.commit()?;
    let pictures = &moving.film.pictures;
    let ms = pictures.iter().map(|(_, span)| span.millis()).sum();
    let shows = match &moving.shows {
        Shows::One(clip) => told(clip),
        Shows::Several(clips) => {
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
