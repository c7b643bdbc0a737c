//! What is said of a build while it runs: one line per step, and in the end how it went.

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use std::time::Instant;

use serde::Serialize;
use serde_json::{Value, json};
use shibori_formats::DisplaySlashed;
use shibori_pipeline::Notice;
use shibori_pipeline::build::{BuildEvent, BuildObserver, LedgerProblem, Outcome};
use shibori_pipeline::remedy::Destination;
use shibori_pipeline::steps::CheckReport;

use crate::commands::CommandContext;
use crate::failure::{Exit, Failure};
use crate::message::{Message, MessageLevel};
use crate::progress::Progress;
use crate::wording::ReportPath;
use crate::wording::{self, count_noun, pasteable};

/// Speaks while a build runs.
pub(super) struct BuildReporter<'a> {
    program: &'a CommandContext<'a>,
    /// What changed, where a line for the whole build is enough.
    changed: Option<&'a str>,
    /// Whether nothing is said where nothing was done.
    is_silent: bool,
    state: Mutex<State>,
}

#[derive(Default)]
struct State {
    /// When what was begun.
    began: HashMap<String, Instant>,
    /// How long what took, in milliseconds.
    took: HashMap<String, f64>,
    bar: Option<Progress>,
    /// The exit code of the first step of the recipe that failed.
    failed: Option<(usize, Exit)>,
    failures: usize,
}

#[derive(Serialize)]
struct StepEvent<'a> {
    target: &'a str,
    state: &'static str,
    ms: f64,
    outputs: Vec<ReportPath>,
    #[serde(skip_serializing_if = "Option::is_none")]
    why: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    error: Option<JsonError>,
}

#[derive(Serialize)]
struct JsonError {
    message: String,
    hint: Option<String>,
    exit: u8,
}

#[derive(Serialize)]
struct Summary {
    shibori: &'static str,
    ok: bool,
    done: usize,
    kept: usize,
    failed: usize,
    removed: Vec<ReportPath>,
    ms: f64,
}

impl<'a> BuildReporter<'a> {
    pub(super) fn new(program: &'a CommandContext<'a>) -> Self {
        Self { program, changed: None, is_silent: false, state: Mutex::default() }
    }

    /// Says only how it went, after what changed; and where that isn't part of the recipe, only if something came of it.
    pub(super) fn for_watch(program: &'a CommandContext<'a>, changed: &'a str, is_part: bool) -> Self {
        Self { changed: Some(changed), is_silent: !is_part, ..Self::new(program) }
    }

    pub(super) fn is_quiet(&self) -> bool {
        self.is_silent
    }

    fn state(&self) -> std::sync::MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Says something with the bar out of the way.
    fn say(&self, say: impl FnOnce()) {
        match &self.state().bar {
            Some(bar) => bar.aside(say),
            None => say(),
        }
    }

    /// A step, or a sprite whose frames take long, with its time and what there is to say of it.
    fn line(&self, name: &str, ms: Option<f64>, text: &str) {
        if self.changed.is_some() {
            return;
        }
        let took = ms.map(format_duration).unwrap_or_default();
        self.say(|| self.program.say(&format!("{name:<24} {took:>8}  {text}")));
    }

    fn message(&self, weight: MessageLevel, message: &Message) {
        self.say(|| self.program.console.message(weight, message));
    }

    fn tick(&self) {
        if let Some(bar) = &self.state().bar {
            bar.tick();
        }
    }

    /// Says how it went; the exit code where not all went well.
    pub(super) fn finish(&self, outcome: &Outcome, began: Instant) -> Option<Exit> {
        let (failed, failures) = {
            let mut state = self.state();
            state.bar = None;
            (state.failed.map(|(_, exit)| exit), state.failures)
        };
        let ms = ms_since(began);
        if self.is_silent && !outcome.did_something() {
            return failed;
        }
        let Outcome { done, kept, undone, removed } = outcome;
        let undone = match undone {
            0 => String::new(),
            undone => format!(", {undone} not run"),
        };
        let removed_told = match removed.len() {
            0 => String::new(),
            files => format!(", {} removed", count_noun(files, "file")),
        };
        let changed = self.changed.map(|changed| format!("{changed}: ")).unwrap_or_default();
        let text = match (done, undone.is_empty() && removed.is_empty()) {
            (0, true) => format!("{}: nothing changed, {}", count_noun(*kept, "target"), format_duration(ms)),
            _ => format!(
                "{} done, {kept} up to date{undone}{removed_told}, {}",
                count_noun(*done, "target"),
                format_duration(ms)
            ),
        };
        self.program.say(&(changed + &text));
        self.program.console.event(&Summary {
            shibori: env!("CARGO_PKG_VERSION"),
            ok: failed.is_none(),
            done: *done,
            kept: *kept,
            failed: failures,
            removed: ReportPath::all(removed),
            ms,
        });
        failed
    }
}

impl BuildObserver for BuildReporter<'_> {
    fn event(&self, event: BuildEvent<'_>) {
        let console = self.program.console;
        match event {
            BuildEvent::Waiting => {
                let text = "another build of this recipe is running; waiting for it";
                self.message(MessageLevel::Note, &Message::plain(text));
            }
            BuildEvent::Trouble(trouble) => {
                self.message(MessageLevel::Warning, &describe_ledger_problem(trouble));
            }
            BuildEvent::Begins { stale: stale @ 2.., .. } => {
                self.state().bar = Some(Progress::new("building", stale, console.shows_progress()));
            }
            BuildEvent::Starts { name } => drop(self.state().began.insert(name.to_owned(), Instant::now())),
            BuildEvent::Framed { name } | BuildEvent::Worked { name } => {
                let mut state = self.state();
                let ms = state.began.get(name).map_or(0.0, |began| ms_since(*began));
                state.took.insert(name.to_owned(), ms);
            }
            BuildEvent::Done { name, why, sprites, outputs } => {
                let ms = {
                    let state = self.state();
                    let took = |name: &str| state.took.get(name).copied().unwrap_or(0.0);
                    took(name) + sprites.iter().map(|sprite| took(sprite)).sum::<f64>()
                };
                let why = why.to_string();
                self.line(name, Some(ms), &why);
                console.event(&StepEvent {
                    target: name,
                    state: "done",
                    ms,
                    outputs: ReportPath::all(outputs),
                    why: Some(why),
                    error: None,
                });
                self.tick();
            }
            BuildEvent::Kept { name, outputs } => {
                console.event(&StepEvent {
                    target: name,
                    state: "kept",
                    ms: 0.0,
                    outputs: ReportPath::all(outputs),
                    why: None,
                    error: None,
                });
            }
            BuildEvent::Failed { name, place, error } => {
                let failure = Failure::from(error).for_recipe();
                let exit = failure.exit;
                let ms = self.state().began.get(name).map_or(0.0, |began| ms_since(*began));
                if let Some(message) = &failure.message {
                    let mut named = Message { text: format!("{name}: {}", message.text), ..message.clone() };
                    if let Some(hint) = named.hint.as_mut().filter(|hint| hint.contains("--carry")) {
                        *hint += &format!("; for this target alone: --target {}", pasteable(name));
                    }
                    self.message(MessageLevel::Error, &named);
                    let (message, hint) = (named.text, named.hint);
                    let error = Some(JsonError { message, hint, exit: exit as u8 });
                    console.event(&StepEvent {
                        target: name,
                        state: "failed",
                        ms,
                        outputs: Vec::new(),
                        why: None,
                        error,
                    });
                }
                let mut state = self.state();
                state.failures += 1;
                if state.failed.is_none_or(|(first, _)| place < first) {
                    state.failed = Some((place, exit));
                }
            }
            BuildEvent::Skipped { name, because } => {
                self.line(name, None, &format!("skipped: {because} failed"));
                let why = Some(format!("{because} failed"));
                console.event(&StepEvent {
                    target: name,
                    state: "skipped",
                    ms: 0.0,
                    outputs: Vec::new(),
                    why,
                    error: None,
                });
            }
            BuildEvent::Removed { files, left } => {
                for file in files {
                    self.say(|| {
                        self.program.say(&format!("removed {}: no longer produced", file.display_slashed()));
                    });
                }
                for file in left {
                    let text = format!(
                        "kept {}: it is no longer produced, but was edited by hand",
                        file.display_slashed()
                    );
                    self.message(MessageLevel::Warning, &Message::plain(&text));
                }
            }
            _ => {}
        }
    }

    fn notice(&self, of: &str, notice: Notice) {
        let (weight, message) = wording::notice(&notice);
        if let Notice::KeptByHand { file, work } = &notice {
            let manifest = ReportPath::from(file.clone());
            self.program
                .console
                .event(&json!({ "target": of, "manifest": manifest, "hand_work": work.items() }));
        }
        let Some(message) = Failure::of_message(message).for_recipe().message else { return };
        self.message(weight, &Message { text: format!("{of}: {}", message.text), ..message });
    }

    fn findings(&self, checked: &CheckReport) -> Value {
        let base = &self.program.base;
        let worded = wording::word_findings(checked, &checked.source, Destination::Recipe(None), base);
        serde_json::to_value(worded.groups).unwrap_or(Value::Null)
    }
}

fn describe_ledger_problem(trouble: &LedgerProblem) -> Message {
    let hint = matches!(trouble, LedgerProblem::CannotKeep(_));
    let hint = hint.then(|| "the next build will redo everything".to_owned());
    Message { text: trouble.to_string(), pointer: None, hint }
}

pub(super) fn ms_since(began: Instant) -> f64 {
    (began.elapsed().as_secs_f64() * 1e5).round() / 100.0
}

/// A time for people: `8 ms`, `1.25 s`.
pub(super) fn format_duration(ms: f64) -> String {
    match ms {
        ms if ms >= 1000.0 => format!("{:.2} s", ms / 1000.0),
        ms if ms >= 10.0 => format!("{ms:.0} ms"),
        ms => format!("{ms:.1} ms"),
    }
}
