//! `shibori demo`: write the demo art and run the whole road on it.
//!
//! Every step is a command line as a person would type it, printed before its result and run by the same
//! code.

use std::path::{Path, PathBuf};

use clap::Parser;
use serde::Serialize;
use shibori_formats::write;

use super::policy;
use crate::args::{Cli, Demo, Everywhere};
use crate::console::{Console, pasteable};
use crate::failure::{Exit, Failure};

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

/// The road, a command a line. Double quotes hold a value together, as in every shell.
const ROAD: &str = r#"
inspect art/koi.png art/frog.png art/firefly.gif
slice art/koi.png --grid 8x1 --clip "swim = 0-7 @12fps" --clip "turn = 3,4,5,4 @80ms once" -o sets/koi
slice art/frog.png --pivot feet --clip "sit = r0 @5fps" --clip "croak = r1 @80ms bounce" --clip "leap = r2 @total 0.8s once" --clip "dive = r3 @12fps once" -o sets/frog
slice art/duckling.png --grid 4x8 --pivot feet --name "{sprite}-{row}-{col}" --clip-rows "walk-{dir8}@8fps" -o sets/duckling
slice art/heron.png --grid 6x1 --pivot feet --clip "hunt = 0-2@200ms,3@80ms,4@400ms,5@200ms" -o rough/heron
check rough/heron
adjust rough/heron --align feet --pivot feet --box body=auto:clip --polygon 8 -o sets/heron
adjust art/signboard.png --nine auto -o sets/signboard
slice art/reeds.png --islands --key auto --key-scope everywhere --pivot bottom -o sets/reeds
slice art/firefly.gif art/ripple.png --trim set -o sets/lights
clip sets/frog --event leap@5=splash
pack sets art/lantern -o atlas/pond --page-round 4
pack sets/frog --layout clip-rows --row-order sit,croak,leap,dive -o atlas/frog-rows
unpack atlas/pond.json -o unpacked
export atlas/pond.json --to glb
export atlas/pond.json --to css
export atlas/pond.json --template lua
preview grid art/frog.png -o look/cut.png
preview contact atlas/pond -o look/pond.png
preview pages atlas/pond -o look/pages.png
preview html atlas/pond -o look/pond.html
preview contact sets/frog -o look/frog.png
preview onion sets/heron -o look/onion.png
preview drift rough/heron sets/heron -o look/drift.png
preview motion sets/frog --only leap --zoom 4 -o look/leap.gif
preview motion sets/koi --only swim --zoom 4 --background checker -o look/swim.png
"#;

/// What to look at in the end.
const OPEN: [(&str, &str); 9] = [
    ("look/pond.html", "every clip playing, with frames, pages, times and findings, in any browser"),
    ("look/cut.png", "how the frog's sheet is cut, before it is cut"),
    ("look/pond.png", "every frame of the atlas, by clip"),
    ("look/onion.png", "the heron's frames over each other, after lining up"),
    ("look/drift.png", "where its feet stood before and after"),
    ("look/leap.gif", "the frog's leap, four times as large"),
    ("look/swim.png", "the koi swimming (an animated PNG: a browser plays it)"),
    ("atlas/pond.png", "the packed page"),
    ("atlas/pond.json", "what a game reads"),
];

#[derive(Serialize)]
struct Report {
    folder: PathBuf,
    commands: Vec<String>,
    open: Vec<PathBuf>,
}

pub(super) fn run(args: &Demo, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let art = args.folder.join("art");
    let files: Vec<(PathBuf, &[u8])> = ART.iter().map(|&(name, bytes)| (art.join(name), bytes)).collect();
    write::bytes(&files, &policy(everywhere, Vec::new()))?;
    console.say(&format!("wrote {} files of demo art to {}", files.len(), art.display()));
    let commands = road();
    if !everywhere.dry_run {
        // Commands are printed with paths from here, so that they can be pasted.
        enter(&args.folder)?;
        console.say(&format!("cd {}", pasteable(&args.folder.display().to_string())));
        let inner = console.silenced_for_json();
        for command in &commands {
            console.say("");
            console.head(&format!("shibori {}", command_line(command)));
            run_step(command, everywhere, &inner)?;
        }
    }
    console.say("");
    console.head("Open:");
    let open: Vec<PathBuf> = OPEN.iter().map(|(file, _)| args.folder.join(file)).collect();
    for (path, (_, what)) in open.iter().zip(OPEN) {
        console.say(&format!("  {}  {what}", path.display()));
    }
    let commands = commands.iter().map(|command| format!("shibori {}", command_line(command))).collect();
    console.result(&Report { folder: args.folder.clone(), commands, open });
    Ok(())
}

fn enter(folder: &Path) -> Result<(), Failure> {
    std::env::set_current_dir(folder).map_err(|error| Failure {
        exit: Exit::Output,
        message: format!("{}: {error}", folder.display()),
        pointer: None,
        hint: None,
    })
}

fn run_step(command: &[String], everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let words = ["shibori"].into_iter().chain(command.iter().map(String::as_str));
    let cli = Cli::try_parse_from(words).map_err(|error| Failure::usage(error.to_string()))?;
    match super::run(&cli.command, everywhere, console) {
        // The heron is there to be found fault with.
        Err(failure) if failure.exit == Exit::Findings => Ok(()),
        other => other,
    }
}

fn road() -> Vec<Vec<String>> {
    ROAD.trim().lines().map(words).collect()
}

/// The words of a line; double quotes keep spaces.
fn words(line: &str) -> Vec<String> {
    let mut words = Vec::new();
    for (number, part) in line.split('"').enumerate() {
        match number % 2 {
            0 => words.extend(part.split_whitespace().map(str::to_owned)),
            _ => words.push(part.to_owned()),
        }
    }
    words
}

fn command_line(words: &[String]) -> String {
    words.iter().map(|word| pasteable(word)).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_command_of_the_road_parses_and_prints_back() {
        for (line, words) in ROAD.trim().lines().zip(road()) {
            assert_eq!(command_line(&words), line);
            let all = ["shibori".to_owned()].into_iter().chain(words);
            assert!(Cli::try_parse_from(all).is_ok(), "{line}");
        }
    }
}
