//! Everything the program says: results on stdout, the rest on stderr.
//!
//! Whether there are colors, and whether the result is text or JSON, is decided once, here; how a terminal takes colors is
//! `anstream`'s business (`NO_COLOR`, `TERM=dumb`, old consoles of Windows). Control characters in names are shown as escapes,
//! so that a file name can't paint the terminal.

use std::io::{self, IsTerminal, Write};
use std::path::Path;
use std::sync::{Mutex, PoisonError};

use anstream::{AutoStream, ColorChoice};
use anstyle::{AnsiColor, Style};
use serde::Serialize;
use serde_json::{Map, Value, json};
use shibori_pipeline::remedy::Destination;
use shibori_pipeline::steps::CheckReport;
use shibori_pipeline::{Notice, Observer, Task};

use crate::args::{GlobalArgs, When};
use crate::failure::Failure;
use crate::message::{Message, MessageLevel};
use crate::progress::Progress;
use crate::wording::{self, ReportPath};

pub(crate) struct Console {
    json: bool,
    quiet: bool,
    paint_out: ColorChoice,
    paint_err: ColorChoice,
    progress: Mutex<Option<(Task, Progress)>>,
    /// What is printed at the end, for programs.
    json_output: Mutex<JsonOutput>,
    /// Why a result could not be written, if it could not.
    broken: Mutex<Option<io::Error>>,
    /// Everything that is said, for a page; none if there is no page.
    record: Option<Mutex<Vec<RecordedLine>>>,
    /// Whether a page alone gets it.
    is_hidden: bool,
}

/// A line that was said.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub(crate) struct RecordedLine {
    /// `result`, `error`, `warning`, `note` or `hint`.
    pub(crate) kind: &'static str,
    pub(crate) text: String,
}

/// What a run has to tell programs.
#[derive(Default)]
struct JsonOutput {
    result: Map<String, Value>,
    warnings: Vec<Value>,
    /// Hand work that stays: the manifest and what it is.
    hand_work: Vec<Value>,
    /// Whether lines of their own, or a text, are the result, so that no object is due at the end.
    has_own: bool,
}

const RED: Style = AnsiColor::Red.on_default().bold();
const YELLOW: Style = AnsiColor::Yellow.on_default().bold();
const CYAN: Style = AnsiColor::Cyan.on_default();
const BOLD: Style = Style::new().bold();

impl Console {
    pub(crate) fn new(everywhere: &GlobalArgs) -> Self {
        let wanted = |found: ColorChoice| match everywhere.color {
            When::Always => ColorChoice::Always,
            When::Never => ColorChoice::Never,
            When::Auto => found,
        };
        Self {
            json: everywhere.json,
            quiet: everywhere.quiet,
            paint_out: wanted(AutoStream::choice(&io::stdout())),
            paint_err: wanted(AutoStream::choice(&io::stderr())),
            progress: Mutex::new(None),
            json_output: Mutex::default(),
            broken: Mutex::new(None),
            record: None,
            is_hidden: false,
        }
    }

    /// A console that also keeps what is said, until [`Console::take_record`] takes it.
    pub(crate) fn recording(everywhere: &GlobalArgs) -> Self {
        Self { record: Some(Mutex::default()), ..Self::new(everywhere) }
    }

    /// A console that only keeps what is said.
    pub(crate) fn hidden(everywhere: &GlobalArgs) -> Self {
        Self { is_hidden: true, ..Self::recording(everywhere) }
    }

    /// What was said since the last call.
    pub(crate) fn take_record(&self) -> Vec<RecordedLine> {
        let lock = |record: &Mutex<Vec<RecordedLine>>| {
            std::mem::take(&mut *record.lock().unwrap_or_else(PoisonError::into_inner))
        };
        self.record.as_ref().map(lock).unwrap_or_default()
    }

    fn record(&self, kind: &'static str, text: &str) {
        if let Some(record) = &self.record {
            let line = RecordedLine { kind, text: text.to_owned() };
            record.lock().unwrap_or_else(PoisonError::into_inner).push(line);
        }
    }

    /// A console for a command line that could not be read, so that little is known of its wishes.
    pub(crate) fn for_errors(json: bool) -> Self {
        Self {
            json,
            quiet: false,
            paint_out: ColorChoice::Never,
            paint_err: AutoStream::choice(&io::stderr()),
            progress: Mutex::new(None),
            json_output: Mutex::default(),
            broken: Mutex::new(None),
            record: None,
            is_hidden: false,
        }
    }

    /// A console for steps inside a command whose own result is JSON: they say nothing.
    pub(crate) fn mute(&self) -> Self {
        Self {
            json: false,
            quiet: self.quiet || self.json,
            progress: Mutex::new(None),
            json_output: Mutex::default(),
            broken: Mutex::new(None),
            record: None,
            ..*self
        }
    }

    /// A line of the result, for people.
    pub(crate) fn print_line(&self, line: &str) {
        self.record("result", line);
        if !self.json && !self.quiet {
            self.print_out(&escape_controls(line));
        }
    }

    /// A heading of the result.
    pub(crate) fn print_heading(&self, line: &str) {
        self.record("result", line);
        let line = escape_controls(line);
        if !self.json && !self.quiet {
            self.print_out(&format!("{BOLD}{line}{BOLD:#}"));
        }
    }

    /// The result, for programs. Printed at the end, even when quiet: it was asked for.
    pub(crate) fn result(&self, value: &impl Serialize) {
        let value = serde_json::to_value(value).expect("results are plain data");
        if let (Value::Object(result), Ok(mut json_output)) = (value, self.json_output.lock()) {
            json_output.result = result;
        }
    }

    /// Prints what there is for programs: one object with the version, whether all went well, the result, what was warned
    /// of, and what went wrong if anything did.
    pub(crate) fn finish(&self, failure: Option<&Failure>) {
        let Ok(mut json_output) = self.json_output.lock() else { return };
        let message = failure.and_then(|failure| Some((failure.message.as_ref()?, failure.exit)));
        if !self.json || json_output.has_own && message.is_none() {
            return;
        }
        let mut all = Map::new();
        all.insert("shibori".to_owned(), env!("CARGO_PKG_VERSION").into());
        all.insert("ok".to_owned(), failure.is_none().into());
        all.append(&mut json_output.result);
        if !json_output.hand_work.is_empty() {
            all.insert("hand_work".to_owned(), std::mem::take(&mut json_output.hand_work).into());
        }
        all.insert("warnings".to_owned(), std::mem::take(&mut json_output.warnings).into());
        if let Some((message, exit)) = message {
            let error =
                json!({ "message": render_message(message), "hint": message.hint, "exit": exit as u8 });
            all.insert("error".to_owned(), error);
        }
        // Beside lines of their own, a line as well.
        let text = if json_output.has_own {
            serde_json::to_string(&all)
        } else {
            serde_json::to_string_pretty(&all)
        };
        drop(json_output);
        self.print_out(&text.expect("results are plain data"));
    }

    /// A result that is for programs, asked for as JSON or not.
    pub(crate) fn result_always(&self, value: &impl Serialize) {
        match self.json {
            true => self.result(value),
            false => self.print_out(&serde_json::to_string_pretty(value).expect("results are plain data")),
        }
    }

    /// One of several results for programs: a line of its own.
    pub(crate) fn event(&self, value: &impl Serialize) {
        if self.json {
            if let Ok(mut json_output) = self.json_output.lock() {
                json_output.has_own = true;
            }
            self.print_out(&serde_json::to_string(value).expect("results are plain data"));
        }
    }

    /// Whether a bar would be seen.
    pub(crate) fn shows_progress(&self) -> bool {
        !self.quiet && !self.is_hidden && io::stderr().is_terminal()
    }

    /// A text that is the whole result, as it is.
    pub(crate) fn text(&self, text: &str) {
        if let Ok(mut json_output) = self.json_output.lock() {
            json_output.has_own = true;
        }
        self.record_error(io::stdout().write_all(text.as_bytes()));
    }

    fn print_out(&self, text: &str) {
        if self.is_hidden {
            return;
        }
        self.record_error(writeln!(AutoStream::new(io::stdout(), self.paint_out), "{text}"));
    }

    /// Remembers the first thing that went wrong. A reader that went away (a closed pipe) isn't a mistake of ours.
    fn record_error(&self, written: io::Result<()>) {
        let Err(error) = written else { return };
        if error.kind() != io::ErrorKind::BrokenPipe
            && let Ok(mut broken) = self.broken.lock()
        {
            broken.get_or_insert(error);
        }
    }

    /// Why results could not be written, such as a full device.
    pub(crate) fn write_error(&self) -> Option<io::Error> {
        self.record_error(io::stdout().flush());
        self.broken.lock().ok()?.take()
    }

    /// Says what went wrong, unless that was said already.
    pub(crate) fn failure(&self, failure: &Failure) {
        if let Some(message) = &failure.message {
            self.message(MessageLevel::Error, message);
        }
    }

    /// Something to know, on stderr. Errors are said even when quiet.
    pub(crate) fn message(&self, weight: MessageLevel, message: &Message) {
        if let (MessageLevel::Warning, Ok(mut json_output)) = (weight, self.json_output.lock()) {
            json_output.warnings.push(json!({ "message": render_message(message), "hint": message.hint }));
        }
        let (label, color) = match weight {
            MessageLevel::Error => ("error", RED),
            MessageLevel::Warning => ("warning", YELLOW),
            MessageLevel::Note => ("note", CYAN),
        };
        self.record(label, &render_message(message));
        if let Some(hint) = &message.hint {
            self.record("hint", hint);
        }
        if self.quiet && weight != MessageLevel::Error {
            return;
        }
        self.labeled(label, color, &message.text);
        if let Some(pointer) = &message.pointer {
            self.print_err(&escape_controls(&format!("    {}", pointer.replace('\n', "\n    "))));
        }
        if let Some(hint) = &message.hint {
            self.labeled("  hint", CYAN, hint);
        }
    }

    fn labeled(&self, label: &str, style: Style, text: &str) {
        self.print_err(&format!("{style}{label}:{style:#} {}", escape_controls(text)));
    }

    fn print_err(&self, text: &str) {
        if self.is_hidden {
            return;
        }
        let _ = writeln!(AutoStream::new(io::stderr(), self.paint_err), "{text}");
    }
}

/// What the pipeline tells on the way.
impl Observer for Console {
    fn describe_findings(&self, checked: &CheckReport, here: &Path) -> Value {
        let worded = wording::word_findings(checked, &checked.source, Destination::Files, here);
        serde_json::to_value(worded.groups).unwrap_or_default()
    }

    fn notice(&self, notice: Notice) {
        let (weight, message) = wording::notice(&notice);
        if let (Notice::KeptByHand { file, work }, Ok(mut json_output)) = (&notice, self.json_output.lock()) {
            json_output
                .hand_work
                .push(json!({ "manifest": ReportPath::from(file.clone()), "items": work.items() }));
        }
        self.message(weight, &message);
    }

    /// A progress bar; shows on a terminal only, and only if the work takes long.
    fn progress(&self, task: Task, done: usize, of: usize) {
        let Ok(mut progress) = self.progress.lock() else { return };
        let (_, bar) = match progress.take() {
            Some((same, bar)) if same == task => progress.insert((same, bar)),
            _ => progress.insert((task, Progress::new(wording::task_label(task), of, self.shows_progress()))),
        };
        bar.tick();
        if done >= of {
            *progress = None;
        }
    }
}

/// A message with what it points to.
pub(crate) fn render_message(message: &Message) -> String {
    match &message.pointer {
        Some(pointer) => format!("{}\n{pointer}", message.text),
        None => message.text.clone(),
    }
}

/// A text with its control characters made visible.
pub(crate) fn escape_controls(text: &str) -> String {
    let show = |c: char| match c {
        '\n' => "\n".to_owned(),
        c if c.is_control() => c.escape_default().to_string(),
        c => c.to_string(),
    };
    text.chars().map(show).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn control_characters_are_shown_not_obeyed() {
        assert_eq!(escape_controls("a\u{1b}[31mb\nc\u{7}"), "a\\u{1b}[31mb\nc\\u{7}");
    }
}
