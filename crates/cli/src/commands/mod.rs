//! One file a command: from options to what they decide, the work, and what is said about it.

mod adjust;
mod check;
mod cleaning;
mod clip;
mod cutting;
mod demo;
mod export;
mod gather;
mod guide_sheet;
mod inspect;
mod pack;
mod pack_report;
mod pages;
mod preview;
mod preview_grid;
mod preview_html;
mod shaping;
mod slice;
mod unpack;

use std::path::PathBuf;

use serde::Serialize;
use shibori_core::FrameSet;
use shibori_core::clip::Clip;
use shibori_formats::manifest;
use shibori_formats::write::Policy;

use crate::args::{Command, Everywhere, Preview, SchemaOf};
use crate::console::{Console, counted, millis};
use crate::failure::Failure;

pub(crate) fn run(command: &Command, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    match command {
        Command::Inspect(args) => inspect::run(args, everywhere, console),
        Command::Slice(args) => slice::run(args, everywhere, console),
        Command::Adjust(args) => adjust::run(args, everywhere, console),
        Command::Check(args) => check::run(args, everywhere, console),
        Command::Clip(args) => clip::run(args, everywhere, console),
        Command::Pack(args) => pack::run(args, everywhere, console),
        Command::Unpack(args) => unpack::run(args, everywhere, console),
        Command::Export(args) => export::run(args, everywhere, console),
        Command::Preview(Preview::Contact(args)) => preview::contact(args, everywhere, console),
        Command::Preview(Preview::Motion(args)) => preview::motion(args, everywhere, console),
        Command::Preview(Preview::Pages(args)) => preview::pages(args, everywhere, console),
        Command::Preview(Preview::Html(args)) => preview_html::run(args, everywhere, console),
        Command::Preview(Preview::Onion(args)) => preview::onion(args, everywhere, console),
        Command::Preview(Preview::Drift(args)) => preview::drift(args, everywhere, console),
        Command::Preview(Preview::Grid(args)) => preview_grid::run(args, everywhere, console),
        Command::GuideSheet(args) => guide_sheet::run(args, everywhere, console),
        Command::Demo(args) => demo::run(args, everywhere, console),
        Command::Schema(args) => {
            match args.of {
                SchemaOf::Manifest => print!("{}", manifest::schema()),
            }
            Ok(())
        }
    }
}

/// What a run may replace, given what it reads.
fn policy(everywhere: &Everywhere, sources: Vec<PathBuf>) -> Policy {
    Policy { force: everywhere.force, sources, dry_run: everywhere.dry_run }
}

/// A clip as JSON results tell it.
#[derive(Serialize)]
struct ClipResult {
    sprite: String,
    name: String,
    steps: usize,
    ms: f64,
}

fn clip_results(set: &FrameSet) -> Vec<ClipResult> {
    let result = |clip: &Clip| ClipResult {
        sprite: clip.sprite().to_string(),
        name: clip.name().to_string(),
        steps: clip.steps().len(),
        ms: clip.total_millis(),
    };
    set.clips().iter().map(result).collect()
}

/// `swim: 8 steps, 666.67 ms, loop`.
fn told(clip: &Clip) -> String {
    let count = counted(clip.steps().len(), "step");
    format!("{}: {count}, {}, {}", clip.name(), millis(clip.total_millis()), clip.way())
}

/// "wrote", or what stands for it when nothing is written.
fn wrote(everywhere: &Everywhere) -> &'static str {
    if everywhere.dry_run { "would write" } else { "wrote" }
}
