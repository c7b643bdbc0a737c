//! `shibori demo`: write the demo art and run the whole road on it.
//!
//! Every step is a line of data: it is printed as a person would type it, and run by the same functions as the command.

mod road;

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_formats::write;

use super::Program;
use crate::args::Demo;
use crate::failure::{Exit, Failure};
use crate::words::pasteable_path;
use road::{OPEN, ROAD};

macro_rules! art {
    ($($name:literal),+ $(,)?) => {
        [$(($name, include_bytes!(concat!("../../../../demo/art/", $name)) as &[u8])),+]
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

#[derive(Serialize)]
struct Report {
    folder: PathBuf,
    commands: Vec<String>,
    open: Vec<PathBuf>,
}

pub(super) fn run(args: &Demo, program: &Program<'_>) -> Result<(), Failure> {
    write_art(&args.folder.join("art"), program)?;
    let commands: Vec<String> = ROAD.iter().map(road::Line::typed).collect();
    if !program.everywhere.run.dry_run.is_on() {
        // Commands are printed with paths from the demo's folder, so that they can be pasted there.
        program.say(&format!("cd {}", pasteable_path(&args.folder)));
        let console = program.console.silenced_for_json();
        let inner = Program { console: &console, base: args.folder.clone(), ..*program };
        for (line, typed) in ROAD.iter().zip(&commands) {
            program.say("");
            program.console.head(typed);
            match super::run(&line.command()?, &inner) {
                // The heron is there to be found fault with.
                Err(failure) if failure.exit == Exit::Findings => {}
                other => other?,
            }
        }
    }
    program.say("");
    program.console.head("Open:");
    let open: Vec<PathBuf> = OPEN.iter().map(|(file, _)| args.folder.join(file)).collect();
    for (path, (_, what)) in open.iter().zip(OPEN) {
        program.say(&format!("  {}  {what}", path.display()));
    }
    program.console.result(&Report { folder: args.folder.clone(), commands, open });
    Ok(())
}

fn write_art(folder: &Path, program: &Program<'_>) -> Result<(), Failure> {
    let files: Vec<(PathBuf, &[u8])> = ART.iter().map(|&(name, bytes)| (folder.join(name), bytes)).collect();
    let cx = program.context();
    write::bytes(&files, cx.run())?;
    cx.commit()?;
    program.say(&format!("wrote {} files of demo art to {}", files.len(), folder.display()));
    Ok(())
}
