//! `shibori adjust`: frames that are cut already, cleaned and lined up.

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_core::FrameSet;
use shibori_core::shape::Shift;
use shibori_formats::manifest::SET_FILE;
use shibori_pipeline::options::ShapeOptions;
use shibori_pipeline::steps::{
    AdjustTarget, ChangedProperty, FrameAdjustment, adjust, open_in_place, stage_adjusted,
};

use super::CommandContext;
use super::frame_report::{CleanResult, clean_results, report_cleaning, report_shaping};
use crate::args::Adjust;
use crate::failure::{Failure, with_renaming};
use crate::wording::ReportPath;
use crate::wording::{abbreviate_list, count_noun, group_digits};

#[derive(Serialize)]
struct Report {
    manifest: ReportPath,
    cleaned: Vec<CleanResult>,
    frames: Vec<FrameResult>,
    removed: Vec<ReportPath>,
}

#[derive(Serialize)]
struct FrameResult {
    sprite: String,
    name: String,
    /// What is not as it was.
    changes: Vec<&'static str>,
    /// Pixels to the right and down.
    #[serde(skip_serializing_if = "Option::is_none")]
    shift: Option<[i64; 2]>,
    /// How well a region matched, up to 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    likeness: Option<f64>,
}

pub(super) fn run(args: &Adjust, program: &CommandContext<'_>) -> Result<(), Failure> {
    let target = args.output.clone().map_or(AdjustTarget::InPlace, AdjustTarget::Set);
    let cx = program.context();
    let source = match target {
        AdjustTarget::Set(_) => args.source.clone().into(),
        AdjustTarget::InPlace => open_in_place(&args.source, &cx)?,
    };
    let adjusted = adjust(&source, &args.options, &cx)?;
    report_cleaning(&adjusted.mended, program);
    if !adjusted.dropped.is_empty() {
        let names: Vec<String> = adjusted.dropped.iter().map(ToString::to_string).collect();
        let count = count_noun(names.len(), "blank frame");
        program.say(&format!("{count} dropped: {}", abbreviate_list(&names)));
    }
    let part = FrameSet::new(adjusted.frames.iter().map(|one| one.frame.clone()).collect(), Vec::new());
    let shifts: Vec<Shift> = adjusted.frames.iter().filter_map(|one| one.shift).collect();
    report_shaping(&part.unwrap_or_default(), &shifts, &adjusted.covered, &args.options.shape, program);
    let all = adjusted.set.frames().len();
    let (folder, written) = stage_adjusted(adjusted.set, &args.source, &target, &cx).map_err(|error| {
        let output = args.output.as_deref().unwrap_or(&args.source);
        let name = output.file_name().unwrap_or_default().to_string_lossy();
        let renamed = output.with_file_name(format!("{name}-renamed"));
        with_renaming(error, &args.source, ShapeOptions::default(), &renamed)
    })?;
    cx.commit()?;
    let manifest = folder.join(SET_FILE);
    let changed = adjusted.frames.iter().filter(|frame| !frame.changes.is_empty()).count();
    let text = format!("{} of {} changed", group_digits(changed as u64), count_noun(all, "frame"));
    program.say(&format!("{text}; {} {}", program.write_verb(), manifest.display_slashed()));
    program.say_removed(&written.removed);
    let frames = adjusted.frames.iter().map(result).collect();
    let removed = program.all_shown(&written.removed);
    program.console.result(&Report {
        manifest: manifest.into(),
        cleaned: clean_results(&adjusted.mended),
        frames,
        removed,
    });
    Ok(())
}

fn result(one: &FrameAdjustment) -> FrameResult {
    let what = |what: &ChangedProperty| match what {
        ChangedProperty::Pixels => "pixels",
        ChangedProperty::Canvas => "canvas",
        ChangedProperty::Inset => "inset",
        ChangedProperty::Pivot => "pivot",
        ChangedProperty::Boxes => "boxes",
        ChangedProperty::Nine => "nine",
        ChangedProperty::Polygon => "polygon",
    };
    FrameResult {
        sprite: one.frame.sprite().to_string(),
        name: one.frame.name().to_string(),
        changes: one.changes.iter().map(what).collect(),
        shift: one.shift.map(|shift| [shift.x, shift.y]),
        likeness: one.shift.and_then(|shift| shift.likeness),
    }
}
