//! `shibori unpack`: frames back out of an atlas.

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_core::FrameSet;
use shibori_core::shape::TrimScope;
use shibori_formats::manifest::SET_FILE;
use shibori_pipeline::Context;
use shibori_pipeline::options::ShapeOptions;
use shibori_pipeline::steps::{stage_painting, stage_set, unpack};

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

/// Frames as layers to paint on.
fn write_layers(
    args: &Unpack,
    set: &FrameSet,
    cx: Context<'_>,
    program: &CommandContext<'_>,
) -> Result<(), Failure> {
    if args.options.trimmed.is_on() {
        return Err(Failure::usage("--trimmed has no effect on layers: each is placed on its canvas")
            .with_hint("drop --trimmed"));
    }
    stage_painting(set, &args.output, &cx)?;
    cx.commit()?;
    let (layers, groups) = (set.frames().len(), set.clips().len());
    let file = args.output.display_slashed();
    let (layers_text, groups) = (count_noun(layers, "layer"), count_noun(groups, "clip"));
    program.say(&format!("{} {file}: {layers_text}, {groups}", program.write_verb()));
    let (manifest, removed) = (args.output.clone().into(), Vec::new());
    program.console.result(&Report { manifest, count: layers, removed });
    Ok(())
}

pub(super) fn run(args: &Unpack, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let set = unpack(&args.manifest, &args.options, &cx)?;
    let frames = set.frames().len();
    if args.output.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("ora")) {
        return write_layers(args, &set, cx, program);
    }
    let images: usize = set.frames().iter().map(|frame| 1 + frame.companions().len()).sum();
    let whole = if args.options.trimmed.is_on() { None } else { Some(TrimScope::None) };
    let shape = ShapeOptions { trim: whole, ..ShapeOptions::default() };
    let written = stage_set(set, &args.output, &cx)
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
