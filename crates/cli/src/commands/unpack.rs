//! `shibori unpack`: frames back out of an atlas.

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_core::shape::TrimScope;
use shibori_formats::manifest::SET_FILE;
use shibori_pipeline::options::ShapeOptions;
use shibori_pipeline::steps::{unpack, write_set};

use super::CommandContext;
use crate::args::Unpack;
use crate::failure::{Failure, with_renaming};
use crate::wording::ReportPath;
use crate::wording::count_noun;

#[derive(Serialize)]
struct Report {
    manifest: ReportPath,
    count: usize,
    removed: Vec<ReportPath>,
}

pub(super) fn run(args: &Unpack, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let set = unpack(&args.manifest, &args.options, &cx)?;
    let frames = set.frames().len();
    let images: usize = set.frames().iter().map(|frame| 1 + frame.companions().len()).sum();
    let whole = if args.options.trimmed.is_on() { None } else { Some(TrimScope::None) };
    let shape = ShapeOptions { trim: whole, ..ShapeOptions::default() };
    let written = write_set(set, &args.output, &cx)
        .map_err(|error| with_renaming(error, &args.manifest, shape, &args.output))?;
    cx.commit()?;
    let manifest = args.output.join(SET_FILE);
    let images = count_noun(images, "image");
    program.say(&format!("{} {} and {images}", program.write_verb(), manifest.display_slashed()));
    program.say_removed(&written.removed);
    let removed = program.all_shown(&written.removed);
    program.console.result(&Report { manifest: manifest.into(), count: frames, removed });
    Ok(())
}
