//! One file a command: the pipeline's step, and what is said about its outcome. Nothing is computed here.

mod adjust;
mod build;
mod changes;
mod check;
mod clip;
mod completions;
mod demo;
mod export;
mod frame_report;
mod guide_sheet;
mod init;
mod inspect;
mod light_table;
mod man;
mod pack;
mod pack_report;
mod preview;
mod slice;
mod unpack;

use std::path::{Path, PathBuf};

use serde::Serialize;
use shibori_core::FrameSet;
use shibori_core::clip::Clip;
use shibori_formats::decode::ReadOptions;
use shibori_formats::manifest;
use shibori_formats::store::UndoLog;
use shibori_pipeline::{Context, Observer, recipe};

use crate::args::{Command, GlobalArgs, SchemaOf};
use crate::console::Console;
use crate::failure::Failure;
use crate::wording::ReportPath;
use crate::wording::{count_noun, format_millis};

/// What every command gets: where it speaks, and what was said for all.
pub(crate) struct CommandContext<'a> {
    pub(crate) console: &'a Console,
    pub(crate) everywhere: &'a GlobalArgs,
    /// The folder in which paths begin; empty for the current one.
    pub(crate) base: PathBuf,
    /// Where is noted what files held before, if that can be undone.
    pub(crate) undo: Option<UndoLog>,
}

impl<'a> CommandContext<'a> {
    pub(crate) fn new(console: &'a Console, everywhere: &'a GlobalArgs) -> Self {
        Self { console, everywhere, base: PathBuf::new(), undo: None }
    }

    /// A run of its own: its files are in place once it is committed.
    fn context(&self) -> Context<'a> {
        self.context_for(self.console)
    }

    /// The same, with notices and progress going to another observer.
    fn context_for<'b>(&self, observer: &'b dyn Observer) -> Context<'b> {
        let run = &self.everywhere.run;
        let limits = ReadOptions { standard_input: true, ..run.limits() };
        let mut cx = Context::with_policy(observer, run.policy()).with_read_options(limits);
        cx.base.clone_from(&self.base);
        match &self.undo {
            Some(log) => cx.with_undo(log.clone()),
            None => cx,
        }
    }

    /// "wrote", or what stands for it when nothing is written.
    fn write_verb(&self) -> &'static str {
        if self.everywhere.run.dry_run.is_on() { "would write" } else { "wrote" }
    }

    /// Says what went wrong, where that does not end the program.
    fn fail(&self, failure: &Failure) {
        if let Some(message) = &failure.message {
            let error = serde_json::json!({ "message": message.text, "hint": message.hint, "exit": failure.exit as u8 });
            self.console.event(&serde_json::json!({ "ok": false, "error": error }));
            self.console.failure(failure);
        }
    }

    fn say(&self, line: &str) {
        self.console.print_line(line);
    }

    /// Paths of results begin where those of the command line do.
    fn report_path(&self, path: &Path) -> ReportPath {
        path.strip_prefix(&self.base).unwrap_or(path).to_owned().into()
    }

    fn all_shown(&self, paths: &[PathBuf]) -> Vec<ReportPath> {
        paths.iter().map(|path| self.report_path(path)).collect()
    }

    fn say_removed(&self, removed: &[PathBuf]) {
        if !removed.is_empty() {
            self.say(&format!("removed {} of an earlier run", count_noun(removed.len(), "file")));
        }
    }
}

pub(crate) fn run(command: &Command, program: &CommandContext<'_>) -> Result<(), Failure> {
    match command {
        Command::Inspect(args) => inspect::run(args, program),
        Command::Slice(args) => slice::run(args, program),
        Command::Adjust(args) => adjust::run(args, program),
        Command::Check(args) => check::run(args, program),
        Command::Clip(args) => clip::run(args, program),
        Command::Pack(args) => pack::run(args, program),
        Command::Unpack(args) => unpack::run(args, program),
        Command::Export(args) => export::run(args, program),
        Command::Preview(args) => preview::run(args, program),
        Command::GuideSheet(args) => guide_sheet::run(args, program),
        Command::Init(args) => init::run(args, program),
        Command::Build(args) => build::run(args, program),
        Command::Demo(args) => demo::run(args, program),
        Command::Completions(args) => completions::run(args, program),
        Command::Man(args) => man::run(args, program),
        Command::Schema(args) => {
            match args.of {
                SchemaOf::Manifest => program.console.text(manifest::schema()),
                SchemaOf::Recipe => program.console.text(recipe::schema()),
            }
            Ok(())
        }
    }
}

/// A clip as JSON results tell it.
#[derive(Serialize)]
struct ClipResult {
    sprite: String,
    name: String,
    step_count: usize,
    ms: f64,
}

fn clip_results(set: &FrameSet) -> Vec<ClipResult> {
    let result = |clip: &Clip| ClipResult {
        sprite: clip.sprite().to_string(),
        name: clip.name().to_string(),
        step_count: clip.steps().len(),
        ms: clip.total_millis(),
    };
    set.clips().iter().map(result).collect()
}

/// `swim: 8 steps, 666.67 ms, loop`.
fn describe_clip(clip: &Clip) -> String {
    let count = count_noun(clip.steps().len(), "step");
    format!("{}: {count}, {}, {}", clip.name(), format_millis(clip.total_millis()), clip.playback())
}
