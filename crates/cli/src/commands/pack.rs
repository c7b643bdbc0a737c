//! `shibori pack`: frames onto pages.

use shibori_core::pack::{
    Atlas, CompanionFrames, Keeping, Layout, Ratio, fit_companions, in_steps, pack, step_of, take_companions,
};
use shibori_core::shape::TrimScope;
use shibori_core::{Frame, FrameSet};
use shibori_formats::manifest::old_places;
use shibori_formats::write;

use super::pack_report::{Report, Wasted};
use super::{gather, policy, shaping};
use crate::args::{Everywhere, Pack};
use crate::console::{Console, counted};
use crate::failure::Failure;

pub(super) fn run(args: &Pack, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    if let Some(contradiction) = args.pack.contradiction().or_else(|| args.page.contradiction()) {
        return Err(Failure::usage(contradiction));
    }
    let factors =
        if args.page.page_scales.is_empty() { vec![Ratio::ONE] } else { args.page.page_scales.clone() };
    let step = step_of(&factors);
    let keep = args.pack.keep_places.as_deref().map(old_places).transpose()?;
    let options = args.pack.options(step, keep);
    let (set, sources) = gather::many(&args.sources, &args.only, everywhere, console)?;
    let (set, companions) = with_companions(set, args)?;
    let trim = if options.layout == Layout::Dense { TrimScope::Frame } else { TrimScope::None };
    let set = shaping::shaped(args.clips.apply(set)?, &args.shape, trim, None, console)?.set;
    let before = set.frames().iter().map(|frame| frame.canvas().area()).sum();
    let wasted = Wasted { separate: before, layers: companions.len() };
    let set = stepped(set, step, console)?;
    let layers = fit_companions(&set, &companions);
    for (layer, companions) in layers.iter().zip(&companions) {
        say_missing(&set, &layer.missing, companions, console);
    }
    let atlas = pack(set, layers, &options)?;
    say_keeping(&atlas, console);
    let how = args.shape.resample.how();
    let atlases: Vec<Atlas> =
        factors.iter().map(|&factor| atlas.scaled(factor, how)).collect::<Result<_, _>>()?;
    let page_options = args.page.options();
    let files = write::atlas_files(&args.output, &atlases, &page_options, &policy(everywhere, sources))?;
    let count = atlases.iter().map(|atlas| atlas.pages().len() * (1 + atlas.layers().len())).sum();
    let progress = console.progress("writing pages", count);
    let written = write::atlas(files, &atlases, &page_options, || progress.tick())?;
    drop(progress);
    let report = Report::of(&atlases, &written, wasted);
    report.describe(everywhere, console);
    super::slice::say_removed(&written.written.removed, console);
    console.result(&report);
    Ok(())
}

/// Base frames, and the companions set apart from them before anything is done to either.
fn with_companions(set: FrameSet, args: &Pack) -> Result<(FrameSet, Vec<CompanionFrames>), Failure> {
    if args.page.companion.is_empty() {
        return Ok((set, Vec::new()));
    }
    if args.shape.changes_pixels() {
        let text = "--companion: frames can't be moved or scaled here, since companions would not follow";
        return Err(Failure::usage(text)
            .with_hint("run adjust on the frames and on their companions, then pack both"));
    }
    let specs: Vec<_> = args.page.companion.iter().map(|companion| companion.0.clone()).collect();
    Ok(take_companions(&set, &specs)?)
}

/// Frames on whole steps, so that every factor lands on whole pixels.
fn stepped(set: FrameSet, step: u32, console: &Console) -> Result<FrameSet, Failure> {
    let uneven = |frame: &&Frame| {
        let canvas = frame.canvas();
        !canvas.width.is_multiple_of(step) || !canvas.height.is_multiple_of(step)
    };
    let grown = set.frames().iter().filter(uneven).count();
    if grown > 0 {
        let text = format!(
            "the canvas of {} grows to a multiple of {step} px, to the right and downwards, so that --page-scales lands on whole pixels",
            counted(grown, "frame")
        );
        console.note(&text);
    }
    Ok(in_steps(set, step)?)
}

fn say_missing(set: &FrameSet, missing: &[usize], companions: &CompanionFrames, console: &Console) {
    let Some(&first) = missing.first() else { return };
    let spec = &companions.spec;
    let text = format!(
        "companion {}: {} without one, such as '{}'; filled with {}",
        spec.suffix,
        counted(missing.len(), "frame"),
        set.frames()[first].name(),
        spec.neutral
    );
    console.warn(&text, None);
}

fn say_keeping(atlas: &Atlas, console: &Console) {
    match atlas.keeping() {
        None => {}
        Some(Keeping::Kept { stayed, placed: 0 }) => {
            console.say(&format!("{} kept their places", counted(*stayed, "picture")));
        }
        Some(Keeping::Kept { stayed, placed }) => {
            console.say(&format!(
                "{} kept their places, {placed} new or of another size found room between them",
                counted(*stayed, "picture")
            ));
        }
        Some(Keeping::Anew(why)) => console.warn(&format!("--keep-places: arranged anew: {why}"), None),
    }
}
