//! `shibori pack`: frames onto pages.

use shibori_core::pack::ReuseOutcome;
use shibori_pipeline::Source;
use shibori_pipeline::steps::{Packed, pack, stage_atlases};

use super::CommandContext;
use super::pack_report::Report;
use crate::args::Pack;
use crate::failure::Failure;
use crate::wording::count_noun;

pub(super) fn run(args: &Pack, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let packed = pack(&Source::paths(&args.sources), &args.options, &cx)?;
    let written = stage_atlases(&packed, &args.output, &args.options, &cx)?;
    cx.commit()?;
    say_kept(&packed, program);
    let report = Report::of(&packed, &written, program);
    report.describe(program);
    program.say_removed(&written.written.removed);
    program.console.result(&report);
    Ok(())
}

fn say_kept(packed: &Packed, program: &CommandContext<'_>) {
    let Some(ReuseOutcome::Kept { stayed, placed, .. }) = packed.atlases[0].keeping() else { return };
    let kept = format!("{} kept their places", count_noun(*stayed, "image"));
    match placed {
        0 => program.say(&kept),
        placed => {
            program.say(&format!("{kept}; {placed} new or resized ones were added"));
        }
    }
}
