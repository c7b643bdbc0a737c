//! `shibori export`: an atlas in other formats.

use std::path::Path;

use serde::Serialize;
use shibori_formats::DisplaySlashed;
use shibori_formats::export::{BUILTIN_TEMPLATES, BuiltinTemplate};
use shibori_pipeline::steps::{export, stage_export, starter};

use super::CommandContext;
use crate::args::Export;
use crate::failure::Failure;
use crate::wording::ReportPath;
use crate::wording::{count_noun, format_bytes};

/// Standard output, where one file is meant.
const STDOUT: &str = "-";

#[derive(Serialize)]
struct Report {
    files: Vec<FileReport>,
    count: usize,
    clip_count: usize,
}

#[derive(Serialize)]
struct FileReport {
    file: ReportPath,
    bytes: usize,
}

pub(super) fn run(args: &Export, program: &CommandContext<'_>) -> Result<(), Failure> {
    if args.list {
        list(program);
        return Ok(());
    }
    if let Some(name) = &args.print_template {
        program.console.text(starter(name).ok_or_else(|| unknown(name))?.source);
        return Ok(());
    }
    let manifest = args.manifest.as_deref().unwrap_or(Path::new(""));
    let cx = program.context();
    let exported = export(manifest, &args.options, args.output.as_deref(), &cx)?;
    if args.output.as_deref() == Some(Path::new(STDOUT)) {
        return match exported.files.as_slice() {
            [one] if exported.is_text => {
                program.console.text(&String::from_utf8_lossy(&one.bytes));
                Ok(())
            }
            _ => Err(Failure::usage("only template output can go to standard output")
                .with_hint("give a file with -o, or omit -o to write next to the manifest")),
        };
    }
    stage_export(&exported, &cx)?;
    cx.commit()?;
    let files = exported.files.iter();
    let files = files
        .map(|file| FileReport { file: program.report_path(&file.path), bytes: file.bytes.len() })
        .collect();
    let report = Report { files, count: exported.frames, clip_count: exported.clips };
    for file in &report.files {
        program.say(&format!(
            "{} {}: {}",
            program.write_verb(),
            file.file.display_slashed(),
            format_bytes(file.bytes as u64)
        ));
    }
    program.say(&format!(
        "{} and {}",
        count_noun(report.count, "frame"),
        count_noun(report.clip_count, "clip")
    ));
    program.console.result(&report);
    Ok(())
}

fn unknown(name: &str) -> Failure {
    let names: Vec<&str> = BUILTIN_TEMPLATES.iter().map(|starter| starter.name).collect();
    Failure::usage(format!("there is no template '{name}'"))
        .with_hint(format!("available: {}", names.join(", ")))
}

fn list(program: &CommandContext<'_>) {
    program.console.print_heading("--to");
    for (name, what) in [
        ("csv", "CSV tables: one row per frame, and one row per clip step"),
        ("css", "one class per frame, one class per clip"),
        ("svg", "one image with one view per frame: pond.svg#koi-00"),
        ("gltf", "glTF 2.0 next to its pages: quads and animations"),
        ("glb", "glTF 2.0 in one file"),
    ] {
        program.say(&format!("  {name:<11} {what}"));
    }
    program.console.print_heading("--template");
    for BuiltinTemplate { name, what, .. } in BUILTIN_TEMPLATES {
        program.say(&format!("  {name:<11} {what}"));
    }
    program.say("  FILE        your own: shibori export --print-template lua prints one to start from");
}
