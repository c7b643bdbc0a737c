//! `shibori preview light-table`: a page on which a cut or frames are tried by hand.

use shibori_formats::DisplaySlashed;

use serde::Serialize;
use shibori_pipeline::steps::light_table;

use super::CommandContext;
use crate::args::LightTable;
use crate::failure::Failure;
use crate::words::ReportPath;
use crate::words::{bytes, counted, pasteable_path};

#[derive(Serialize)]
struct Report {
    file: ReportPath,
    #[serde(skip_serializing_if = "Option::is_none")]
    count: Option<usize>,
    clip_count: usize,
    bytes: usize,
}

pub(super) fn run(args: &LightTable, program: &CommandContext<'_>) -> Result<(), Failure> {
    let cx = program.context();
    let page = light_table(&args.source, &args.output, &|path| pasteable_path(path), &cx)?;
    cx.commit()?;
    let shown = match page.frames {
        None => "a sheet to slice".to_owned(),
        Some(frames) => format!("{}, {}", counted(frames, "frame"), counted(page.clips, "clip")),
    };
    let (name, size) = (args.output.shown(), bytes(page.bytes as u64));
    program.say(&format!("{} {name}: {shown}; {size}; open it in a browser", program.wrote()));
    let report = Report {
        file: args.output.clone().into(),
        count: page.frames,
        clip_count: page.clips,
        bytes: page.bytes,
    };
    program.console.result(&report);
    Ok(())
}
