//! `shibori preview html`: a page that plays every clip, in one file.

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_pipeline::steps::{CheckReport, html};

use super::CommandContext;
use crate::args::Html;
use crate::failure::Failure;
use crate::words::ReportPath;
use crate::words::{self, bytes, counted};

#[derive(Serialize)]
struct Report {
    file: ReportPath,
    count: usize,
    clip_count: usize,
    finding_count: usize,
    bytes: usize,
}

pub(super) fn run(args: &Html, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let tell = |checked: &CheckReport| {
        serde_json::to_value(words::finding_groups(checked, &program.base)).unwrap_or_default()
    };
    let page = html(&args.source, &args.options, &args.output, tell, &cx)?;
    cx.commit()?;
    let (name, shown) = (args.output.shown(), counted(page.frames, "frame"));
    let text = format!("{} {name}: {shown}, {}", program.wrote(), counted(page.clips, "clip"));
    program.say(&format!("{text}, {}; {}", counted(page.findings, "finding"), bytes(page.bytes as u64)));
    let (file, frames, clips) = (args.output.clone(), page.frames, page.clips);
    program.console.result(&Report {
        file: file.into(),
        count: frames,
        clip_count: clips,
        finding_count: page.findings,
        bytes: page.bytes,
    });
    Ok(())
}
