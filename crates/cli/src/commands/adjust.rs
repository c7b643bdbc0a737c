//! `shibori adjust`: frames that are cut already, cleaned and lined up.

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_core::shape::Shift;
use shibori_core::{Area, FrameSet};
use shibori_formats::manifest::SET_FILE;
use shibori_pipeline::order::BoxCover;
use shibori_pipeline::steps::{FrameChange, Target, What, adjust, write_adjusted};

use super::CommandContext;
use super::slice::{MendResult, mend_results, print_cleaning};
use crate::args::Adjust;
use crate::failure::Failure;
use crate::words::ReportPath;
use crate::words::{counted, grouped};

#[derive(Serialize)]
struct Report {
    manifest: ReportPath,
    cleaned: Vec<MendResult>,
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
    let target = args.output.clone().map_or(Target::InPlace, Target::Set);
    let cx = program.context();
    let adjusted = adjust(&args.source, &args.options, &target, &cx)?;
    print_cleaning(&adjusted.mended, program);
    let part = FrameSet::new(adjusted.frames.iter().map(|one| one.frame.clone()).collect(), Vec::new());
    let shifts: Vec<Shift> = adjusted.frames.iter().filter_map(|one| one.shift).collect();
    say_shaped(&part.unwrap_or_default(), &shifts, &adjusted.covered, program);
    let all = adjusted.set.frames().len();
    let (folder, written) = write_adjusted(adjusted.set, &args.source, &target, &cx)?;
    cx.commit()?;
    let manifest = folder.join(SET_FILE);
    let changed = adjusted.frames.iter().filter(|frame| !frame.changes.is_empty()).count();
    let text = format!("{} of {} changed", grouped(changed as u64), counted(all, "frame"));
    program.say(&format!("{text}; {} {}", program.wrote(), manifest.shown()));
    program.say_removed(&written.removed);
    let frames = adjusted.frames.iter().map(result).collect();
    let removed = program.all_shown(&written.removed);
    program.console.result(&Report {
        manifest: manifest.into(),
        cleaned: mend_results(&adjusted.mended),
        frames,
        removed,
    });
    Ok(())
}

fn result(one: &FrameChange) -> FrameResult {
    let what = |what: &What| match what {
        What::Pixels => "pixels",
        What::Canvas => "canvas",
        What::Inset => "inset",
        What::Pivot => "pivot",
        What::Boxes => "boxes",
        What::Nine => "nine",
        What::Polygon => "polygon",
    };
    FrameResult {
        sprite: one.frame.sprite().to_string(),
        name: one.frame.name().to_string(),
        changes: one.changes.iter().map(what).collect(),
        shift: one.shift.map(|shift| [shift.x, shift.y]),
        likeness: one.shift.and_then(|shift| shift.likeness),
    }
}

/// How frames were moved, and what boxes of whole clips cover: the numbers that an artist would have counted by eye.
pub(super) fn say_shaped(
    set: &FrameSet,
    shifts: &[Shift],
    covered: &[BoxCover],
    program: &CommandContext<'_>,
) {
    for (frame, shift) in set.frames().iter().zip(shifts).filter(|(_, shift)| !shift.is_lost) {
        let name = format!("{}:{}", frame.sprite(), frame.name());
        let likeness =
            shift.likeness.map(|likeness| format!(", similarity {likeness:.2}")).unwrap_or_default();
        program.say(&match shift {
            Shift { is_known: false, .. } => format!("  {name}: unchanged (nothing to align by)"),
            Shift { x: 0, y: 0, .. } => format!("  {name}: stays{likeness}"),
            Shift { x, y, .. } => format!("  {name}: moved {x:+},{y:+} px{likeness}"),
        });
    }
    for BoxCover { name, of, coverage } in covered {
        let Area { width, height, .. } = coverage.area;
        let share = (coverage.share * 1000.0).floor() / 10.0;
        program.say(&format!(
            "  box {name} of {of}: {width}x{height} px covers {share:.1}% of the opaque pixels"
        ));
    }
}
