//! What acting pages share: one writer at a time, what was done in the words of the command line, and undoing it.
//!
//! Every tab asks for the status again and again: the version, which changes when pages are to load again, and what was said
//! last. An action names the version it was chosen on, so that nobody acts on something that changed meanwhile.

use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::SystemTime;

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use shibori_formats::DisplaySlashed;
use shibori_formats::store::{Undo, UndoLog};

use super::Answer;
use crate::console::{Console, RecordedLine, render_message};
use crate::failure::Failure;
use crate::wording::{abbreviate_list, count_noun};

/// Where pages ask for the status.
pub(crate) const STATUS_PATH: &str = "/.shibori/status";
const APPLY_PATH: &str = "/.shibori/apply";
const UNDO_PATH: &str = "/.shibori/undo";
/// Where a page asks what an action would do.
pub(crate) const TRY_PATH: &str = "/.shibori/try";

/// So many actions can be undone, and at most this much of what they replaced is kept.
const MOST_UNDOS: usize = 32;
const MOST_UNDO_BYTES: usize = 512 << 20;

/// What is known to all pages.
pub(crate) struct Live {
    state: Mutex<State>,
    writer: Mutex<()>,
    trial: Mutex<()>,
    pub(crate) log: UndoLog,
}

#[derive(Default)]
struct State {
    /// When the server began: a page of an earlier one is out of date.
    began: u128,
    version: u64,
    said: u64,
    lines: Vec<RecordedLine>,
    conflict: Option<&'static str>,
    undos: Vec<(String, Undo)>,
}

/// Whether an action changed any file; or the decision that it needs, if it failed for want of one.
type Outcome = Result<bool, Option<&'static str>>;

/// What pages ask for.
#[derive(Serialize)]
pub(crate) struct LiveStatus {
    /// Another one means that the page is to load again.
    version: String,
    /// Another one means that something else was said.
    said: u64,
    lines: Vec<RecordedLine>,
    /// `apply` or `undo`, if that needs a decision about someone's changes.
    #[serde(skip_serializing_if = "Option::is_none")]
    conflict: Option<&'static str>,
    /// The action that would be undone.
    #[serde(skip_serializing_if = "Option::is_none")]
    undo: Option<String>,
}

/// What to do about changes by someone else.
#[derive(Clone, Copy, Debug, Deserialize, PartialEq, Eq)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum OnConflict {
    Keep,
    Replace,
}

/// What a page asks for.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct ApplyRequest {
    /// The version on which it was chosen.
    version: String,
    /// The words of each command behind `shibori`.
    #[serde(default)]
    pub(crate) commands: Vec<Vec<String>>,
    /// Or the sprite of a recipe, and lines for its table.
    #[serde(default)]
    pub(crate) sprite: String,
    #[serde(default)]
    pub(crate) lines: String,
    /// The per-frame file that they name.
    #[serde(default)]
    pub(crate) per_frame: String,
    #[serde(default)]
    pub(crate) on_conflict: Option<OnConflict>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct UndoRequest {
    version: String,
    #[serde(default)]
    on_conflict: Option<OnConflict>,
}

/// Another page of the same table.
#[derive(Serialize)]
pub(crate) struct LiveTab {
    pub(crate) name: &'static str,
    pub(crate) address: String,
    pub(crate) is_here: bool,
}

impl Live {
    pub(crate) fn new() -> Self {
        let began = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH);
        let began = began.map_or(0, |since| since.as_millis());
        let state = Mutex::new(State { began, ..State::default() });
        Self { state, writer: Mutex::default(), trial: Mutex::default(), log: UndoLog::default() }
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(crate) fn version(&self) -> String {
        let state = self.state();
        format!("{}-{}", state.began, state.version)
    }

    /// Lets all pages load again.
    pub(crate) fn reload_pages(&self) {
        self.state().version += 1;
    }

    /// Held while something is written.
    pub(crate) fn writer(&self) -> MutexGuard<'_, ()> {
        self.writer.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Adds to what all pages show.
    pub(crate) fn say_more(&self, lines: Vec<RecordedLine>) {
        let mut state = self.state();
        state.said += 1;
        state.lines.extend(lines);
    }

    /// Shows this on all pages.
    pub(crate) fn say(&self, lines: Vec<RecordedLine>, conflict: Option<&'static str>) {
        let mut state = self.state();
        state.said += 1;
        state.lines = lines;
        state.conflict = conflict;
    }

    pub(crate) fn status(&self) -> LiveStatus {
        let version = self.version();
        let state = self.state();
        LiveStatus {
            version,
            said: state.said,
            lines: state.lines.clone(),
            conflict: state.conflict,
            undo: state.undos.last().map(|(action, _)| action.clone()),
        }
    }

    /// Keeps an action that can be undone.
    fn push(&self, action: String, undo: Undo) {
        if undo.is_empty() {
            return;
        }
        let mut state = self.state();
        state.undos.push((action, undo));
        while state.undos.len() > MOST_UNDOS
            || state.undos.len() > 1
                && state.undos.iter().map(|(_, undo)| undo.bytes()).sum::<usize>() > MOST_UNDO_BYTES
        {
            state.undos.remove(0);
        }
    }

    /// Answers a POST. `apply` does what is asked for, with its files noted in the log, and gives what to call that; `console`
    /// records what it says. `done` is called with whether any file changed, with the writer held.
    pub(crate) fn act(
        &self,
        path: &str,
        body: &[u8],
        console: &Console,
        apply: impl FnOnce(&ApplyRequest) -> Result<String, Failure>,
        done: impl FnOnce(bool),
    ) -> Answer {
        let _writer = self.writer();
        console.take_record();
        let outcome = match path {
            APPLY_PATH => match self.read_request::<ApplyRequest>(body, |request| &request.version) {
                Err(answer) => return answer,
                Ok(request) => self.apply(&request, console, apply),
            },
            UNDO_PATH => match self.read_request::<UndoRequest>(body, |request| &request.version) {
                Err(answer) => return answer,
                Ok(request) => self.undo(request.on_conflict, console),
            },
            _ => return Answer::plain(404, "no such action"),
        };
        done(outcome == Ok(true));
        self.say(console.take_record(), outcome.err().flatten());
        Answer::json(&self.status())
    }

    /// A request that was made on what is shown now.
    fn read_request<R: DeserializeOwned>(
        &self,
        body: &[u8],
        version: impl Fn(&R) -> &String,
    ) -> Result<R, Answer> {
        let request = serde_json::from_slice::<R>(body);
        let request = request.map_err(|error| Answer::plain(400, &format!("not a request: {error}")))?;
        if *version(&request) == self.version() {
            return Ok(request);
        }
        Err(Answer::json(&self.status()).with_status(409))
    }

    /// Answers the question what an action would do. `apply` does it without writing, and says so to `console` alone. One
    /// question at a time: each takes as much work as the action.
    pub(crate) fn answer_trial(
        &self,
        body: &[u8],
        console: &Console,
        apply: impl FnOnce(&ApplyRequest) -> Result<String, Failure>,
    ) -> Answer {
        let _trial = self.trial.lock().unwrap_or_else(PoisonError::into_inner);
        let request = match self.read_request::<ApplyRequest>(body, |request| &request.version) {
            Err(answer) => return answer,
            Ok(request) => request,
        };
        if let Err(failure) = apply(&request) {
            console.failure(&failure);
        }
        Answer::json(&serde_json::json!({ "lines": console.take_record() }))
    }

    fn apply(
        &self,
        request: &ApplyRequest,
        console: &Console,
        apply: impl FnOnce(&ApplyRequest) -> Result<String, Failure>,
    ) -> Outcome {
        self.log.take();
        match apply(request) {
            Ok(action) => {
                let undo = self.log.take();
                let is_changed = !undo.is_empty();
                self.push(action, undo);
                Ok(is_changed)
            }
            Err(failure) => {
                console.failure(&failure);
                // Of several commands all are done or none.
                if let Err(error) = self.log.take().restore() {
                    console.failure(&shibori_pipeline::Error::File(error).into());
                }
                Err(failure.is_conflict.then_some("apply"))
            }
        }
    }

    fn undo(&self, choice: Option<OnConflict>, console: &Console) -> Outcome {
        let Some((action, undo)) = self.state().undos.pop() else {
            console.print_line("nothing to undo");
            return Ok(false);
        };
        let outcome = undo.changed_since().and_then(|changed| match changed.is_empty() || choice.is_some() {
            true => undo.restore().map(Ok),
            false => Ok(Err(changed)),
        });
        let keep = |undo| self.state().undos.push((action.clone(), undo));
        match outcome {
            Ok(Ok((back, removed))) => {
                let parts = [("put back", back.len()), ("removed", removed.len())];
                let parts: Vec<String> = parts
                    .iter()
                    .filter(|(_, count)| *count > 0)
                    .map(|(verb, count)| format!("{verb} {}", count_noun(*count, "file")))
                    .collect();
                let parts =
                    if parts.is_empty() { "nothing had changed".to_owned() } else { parts.join(", ") };
                console.print_line(&format!("undid {action}: {parts}"));
                Ok(true)
            }
            Ok(Err(changed)) => {
                let names: Vec<String> = changed.iter().map(|path| path_name(path)).collect();
                let text = format!("changed since then: {}", abbreviate_list(&names));
                console.failure(&Failure::output(text));
                keep(undo);
                Err(Some("undo"))
            }
            Err(error) => {
                console.failure(&shibori_pipeline::Error::File(error).into());
                keep(undo);
                Err(None)
            }
        }
    }
}

/// A file with its folder: enough to find it.
fn path_name(path: &Path) -> String {
    let folder = path.parent().and_then(Path::file_name).map(PathBuf::from).unwrap_or_default();
    folder.join(path.file_name().unwrap_or_default()).display_slashed().to_string()
}

/// What went wrong, as lines of text.
pub(crate) fn failure_text(failure: &Failure) -> Vec<String> {
    let Some(message) = &failure.message else { return Vec::new() };
    std::iter::once(render_message(message)).chain(message.hint.clone()).collect()
}

/// A light table's page with what makes it act. `root` is the path that its requests begin with.
pub(crate) fn with_live(page: &str, root: &str, version: &str, tabs: &[LiveTab]) -> String {
    let live = serde_json::json!({ "root": root, "version": version, "tabs": tabs });
    // Nothing in a string can then end the element that holds it.
    let live = live.to_string().replace('<', "\\u003c");
    let script = format!("<script type=\"application/json\" id=\"live\">{live}</script>");
    let mark = "<script type=\"application/json\" id=\"data\">";
    page.replacen(mark, &format!("{script}\n{mark}"), 1)
}
