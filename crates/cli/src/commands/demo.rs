//! `shibori demo`: write the demo art and its recipe, run every step on the art, command by command, then build the recipe, change
//! a sheet and build again.
//!
//! Every step is a line of data: it is printed as a person would type it, and run by the same functions as the command.

mod script;

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_formats::DisplaySlashed;
use shibori_formats::decode::{self, DecodedImage};
use shibori_formats::encode;
use shibori_pipeline::recipe::RECIPE_FILE;

use super::CommandContext;
use crate::args::{Build, Command, Demo};
use crate::failure::{Exit, Failure};
use crate::wording::ReportPath;
use crate::wording::pasteable_path;
use script::{OPEN, SCRIPT};

macro_rules! art {
    ($($name:literal),+ $(,)?) => {
        [$((concat!("art/", $name), include_bytes!(concat!("../../demo/art/", $name)) as &[u8])),+]
    };
}

/// The demo art, drawn by `cargo run --example draw-demo`.
const ART: [(&str, &[u8]); 14] = art![
    "koi.png",
    "frog.png",
    "firefly.gif",
    "duckling.png",
    "ripple.png",
    "reeds.png",
    "signboard.png",
    "heron.png",
    "lantern/glow_00.png",
    "lantern/glow_01.png",
    "lantern/glow_02.png",
    "lantern/glow_03.png",
    "lantern/glow_04.png",
    "lantern/glow_05.png",
];

/// The same road as a recipe.
const RECIPE: &str = include_str!("../../demo/shibori.toml");

/// The sheet that is changed before the recipe is built once more.
const CHANGED: &str = "art/koi.png";

#[derive(Serialize)]
struct Report {
    folder: ReportPath,
    commands: Vec<String>,
    open: Vec<ReportPath>,
}

pub(super) fn run(args: &Demo, program: &CommandContext<'_>) -> Result<(), Failure> {
    write_art(&args.folder, program)?;
    let commands: Vec<String> = SCRIPT.iter().map(script::ScriptLine::to_command_line).collect();
    if !program.everywhere.run.dry_run.is_on() {
        // Commands are printed with paths from the demo's folder, so that they can be pasted there.
        program.say(&format!("cd {}", pasteable_path(&args.folder)));
        let console = program.console.mute();
        let inner =
            CommandContext { base: args.folder.clone(), ..CommandContext::new(&console, program.everywhere) };
        for (line, typed) in SCRIPT.iter().zip(&commands) {
            program.say("");
            program.console.print_heading(typed);
            match super::run(&line.command()?, &inner) {
                // The heron sheet has deliberate defects for `check` to find.
                Err(failure) if failure.exit == Exit::Findings => {}
                other => other?,
            }
        }
        build_twice(&args.folder, &inner)?;
    }
    program.say("");
    program.console.print_heading("Open:");
    let open: Vec<PathBuf> = OPEN.iter().map(|(file, _)| args.folder.join(file)).collect();
    for (path, (_, what)) in open.iter().zip(OPEN) {
        program.say(&format!("  {}  {what}", path.display_slashed()));
    }
    program.console.result(&Report {
        folder: args.folder.clone().into(),
        commands,
        open: ReportPath::all(&open),
    });
    Ok(())
}

/// Builds the recipe, turns a sheet blue, and builds what that changes.
fn build_twice(folder: &Path, program: &CommandContext<'_>) -> Result<(), Failure> {
    let build = Command::Build(Build::default());
    program.say("");
    program.say("# The same as a recipe, shibori.toml. First, a full build:");
    program.console.print_heading("shibori build");
    super::run(&build, program)?;
    program.say("");
    program.say(&format!("# Then {CHANGED} is painted blue: only what uses it is rebuilt."));
    paint_blue(folder, program)?;
    program.console.print_heading("shibori build");
    super::run(&build, program)
}

/// Swaps red and blue.
fn paint_blue(folder: &Path, program: &CommandContext<'_>) -> Result<(), Failure> {
    let sheet = folder.join(CHANGED);
    let limits = program.everywhere.run.limits();
    let DecodedImage::Still(pixels) = decode::image(&sheet, &limits)?.picture else { return Ok(()) };
    let mut image = pixels.to_image();
    image.pixels_mut().for_each(|pixel| pixel.0.swap(0, 2));
    let png = encode::png(&image).map_err(|problem| shibori_formats::FileError::write(&sheet, problem))?;
    write_files(folder, &[(CHANGED, &png)], program)
}

/// Writes art with the recipe, which keeps the records: the art has none of its own, so that it isn't taken for output.
fn write_files(folder: &Path, art: &[(&str, &[u8])], program: &CommandContext<'_>) -> Result<(), Failure> {
    let files = art.iter().copied().chain([(RECIPE_FILE, RECIPE.as_bytes())]);
    let files: Vec<(PathBuf, &[u8])> = files.map(|(name, bytes)| (folder.join(name), bytes)).collect();
    let cx = program.context();
    encode::bytes(&files, cx.transaction())?;
    cx.commit()?;
    Ok(())
}

fn write_art(folder: &Path, program: &CommandContext<'_>) -> Result<(), Failure> {
    write_files(folder, &ART, program)?;
    program.say(&format!(
        "wrote {} files of demo art and {RECIPE_FILE} to {}",
        ART.len(),
        folder.display_slashed()
    ));
    Ok(())
}
