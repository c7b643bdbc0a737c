//! What cleaning and shaping did to frames, as `slice` and `adjust` report it.

use serde::Serialize;
use shibori_core::shape::Shift;
use shibori_core::{Frame, FrameSet, SignedRect};
use shibori_pipeline::options::ShapeOptions;
use shibori_pipeline::plan::{BoxCover, CleanReport, CleanStep};

use super::CommandContext;
use crate::wording::{abbreviate_list, count_noun, group_digits};

/// What one step of cleaning changed.
#[derive(Serialize)]
pub(super) struct CleanResult {
    step: String,
    pixels: u64,
    /// Frames with at least one of them; not said of a step on the whole sheet, before there are frames.
    #[serde(skip_serializing_if = "Option::is_none")]
    count: Option<usize>,
}

pub(super) fn clean_results(cleaned: &[CleanReport]) -> Vec<CleanResult> {
    let result =
        |one: &CleanReport| CleanResult { step: step(&one.step), pixels: one.pixels, count: one.frames };
    cleaned.iter().map(result).collect()
}

pub(super) fn report_cleaning(cleaned: &[CleanReport], program: &CommandContext<'_>) {
    for one in cleaned {
        let pixels = format!("{} pixel{}", group_digits(one.pixels), if one.pixels == 1 { "" } else { "s" });
        let place =
            one.frames.map_or("of the sheet".to_owned(), |n| format!("in {}", count_noun(n, "frame")));
        program.say(&format!("  {}: {pixels} {place}", step(&one.step)));
    }
}

fn step(step: &CleanStep) -> String {
    match step {
        CleanStep::Key(colors) if colors.tolerance > 0 => {
            format!("{colors} made transparent, --tolerance {}", colors.tolerance)
        }
        CleanStep::Key(colors) => format!("{colors} made transparent"),
        CleanStep::Erase(1) => "one area of every canvas erased".to_owned(),
        CleanStep::Erase(parts) => format!("{parts} areas of every canvas erased"),
        CleanStep::ClearEdge(width) => format!("outer {width} px erased"),
        CleanStep::Specks(most) => format!("specks of up to {most} px removed"),
        CleanStep::Defringe(colors) => {
            let colors: Vec<String> = colors.iter().map(ToString::to_string).collect();
            format!("{} removed from edge pixels", colors.join(","))
        }
        CleanStep::Harden(from) => format!("alpha hardened at {from}"),
    }
}

/// What options left to be worked out: the size after scaling, where pivots are, how a panel stretches.
fn report_measures(set: &FrameSet, shape: &ShapeOptions, program: &CommandContext<'_>) {
    let distinct = |of: &dyn Fn(&Frame) -> Option<String>| {
        let mut all: Vec<String> = Vec::new();
        for text in set.frames().iter().filter_map(of) {
            if !all.contains(&text) {
                all.push(text);
            }
        }
        all
    };
    let say = |what: &str, all: Vec<String>| match all.as_slice() {
        [] => {}
        [one] => program.say(&format!("  {what} {one} px")),
        all => program.say(&format!("  {what} {} px ({} different)", abbreviate_list(all), all.len())),
    };
    if shape.scale.is_some() {
        say("scaled; canvas", distinct(&|frame| Some(frame.canvas().to_string())));
    }
    if shape.pivot.is_some() {
        say("pivot", distinct(&|frame| Some(frame.pivot().to_string())));
    }
    if shape.nine.is_some() {
        let sides = |frame: &Frame| frame.annotations().nine.map(|nine| nine.to_string());
        say("nine-slice left,top,right,bottom", distinct(&sides));
    }
}

/// How frames were moved, and what boxes of whole clips cover: the numbers that an artist would have counted by eye.
pub(super) fn report_shaping(
    set: &FrameSet,
    shifts: &[Shift],
    covered: &[BoxCover],
    shape: &ShapeOptions,
    program: &CommandContext<'_>,
) {
    report_measures(set, shape, program);
    let is_plain = |shift: &Shift| shift.is_known && shift.x == 0 && shift.y == 0 && shift.likeness.is_none();
    let shifted = set.frames().iter().zip(shifts).filter(|(_, shift)| !shift.is_lost);
    for (frame, shift) in shifted.clone().filter(|(_, shift)| !is_plain(shift)) {
        let name = format!("{}:{}", frame.sprite(), frame.name());
        let likeness =
            shift.likeness.map(|likeness| format!(", similarity {likeness:.2}")).unwrap_or_default();
        program.say(&match shift {
            Shift { is_known: false, .. } => format!("  {name}: unchanged (nothing to align by)"),
            Shift { x: 0, y: 0, .. } => format!("  {name}: stays{likeness}"),
            Shift { x, y, .. } => format!("  {name}: moved {x:+},{y:+} px{likeness}"),
        });
    }
    match shifted.filter(|(_, shift)| is_plain(shift)).count() {
        0 => {}
        1 => program.say("  1 frame stays in place"),
        staying => program.say(&format!("  {staying} frames stay in place")),
    }
    for BoxCover { name, of, coverage } in covered {
        let SignedRect { width, height, .. } = coverage.area;
        let share = (coverage.share * 1000.0).floor() / 10.0;
        program.say(&format!(
            "  box {name} of {of}: {width}x{height} px covers {share:.1}% of the opaque pixels"
        ));
    }
}
