//! The user's own text templates, in MiniJinja.
//!
//! A template sees the whole manifest and what follows from it (`context`), and has filters for names and numbers
//! (`filters`). It reads no file and reaches no network; a name that is not there is an error with its line; the work it may
//! do and the text it may write are bounded.

mod context;
mod filters;
mod starters;

use std::io;

use minijinja::syntax::SyntaxConfig;
use minijinja::value::ValueKind;
use minijinja::{Environment, ErrorKind, UndefinedBehavior, escape_formatter};

use crate::export::ExportSource;
use crate::store::seal;

pub use starters::{BUILTIN_TEMPLATES, BuiltinTemplate};

/// What a template may take before it is stopped.
#[derive(Clone, Copy)]
struct RenderLimits {
    /// Steps of the template engine; a second is about ten million.
    steps: u64,
    /// Bytes of text.
    bytes: usize,
}

impl RenderLimits {
    /// Enough for any loop over frames and steps, however many there are, and for nested ones over a few thousand.
    fn of(subject: &ExportSource) -> Self {
        let steps = subject.clips.iter().map(|clip| clip.playback.len()).sum::<usize>();
        let things = subject.frames.len() + steps;
        Self { steps: 20_000_000 + 500 * things as u64, bytes: 256 << 20 }
    }
}

/// What is wrong with a template.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("line {line}, column {column}: {problem}")]
pub struct TemplateError {
    /// Line from 1.
    pub line: usize,
    /// Column from 1.
    pub column: usize,
    /// What is wrong there.
    pub problem: String,
    /// What a person can do about it, if known.
    pub hint: Option<String>,
}

/// The text that a template makes of a subject.
pub fn render(subject: &ExportSource, source: &str) -> Result<String, TemplateError> {
    render_within(subject, source, RenderLimits::of(subject))
}

fn render_within(
    subject: &ExportSource,
    source: &str,
    bounds: RenderLimits,
) -> Result<String, TemplateError> {
    let mut environment = Environment::new();
    environment.set_undefined_behavior(UndefinedBehavior::Strict);
    let mut syntax = SyntaxConfig::builder();
    syntax.trim_blocks(true).lstrip_blocks(true).keep_trailing_newline(true);
    environment.set_syntax(syntax.build().expect("the usual delimiters do not clash"));
    environment.set_fuel(Some(bounds.steps));
    environment.set_auto_escape_callback(|_| minijinja::AutoEscape::None);
    environment.set_debug(true);
    environment.set_formatter(|out, state, value| match bool::try_from(value.clone()) {
        // As most languages write them.
        Ok(is_true) if value.kind() == ValueKind::Bool => Ok(write!(out, "{is_true}")?),
        _ => escape_formatter(out, state, value),
    });
    filters::add(&mut environment);
    environment.add_template("template", source).map_err(|error| template_error(&error, source))?;
    let context = context::of(subject, source)?;
    let template = environment.get_template("template").map_err(|error| template_error(&error, source))?;
    let mut bounded = LimitedWriter { text: Vec::new(), longest: bounds.bytes, is_full: false };
    let rendered = template.render_captured_to(context, &mut bounded);
    if bounded.is_full {
        let problem = format!("the output would exceed {} MB", bounds.bytes >> 20);
        let hint = Some("look for a loop over the wrong list".to_owned());
        return Err(TemplateError { line: 1, column: 1, problem, hint });
    }
    rendered.map_err(|error| template_error(&error, source))?;
    Ok(String::from_utf8_lossy(&seal::fill(bounded.text)).into_owned())
}

/// A text that ends somewhere.
struct LimitedWriter {
    text: Vec<u8>,
    longest: usize,
    is_full: bool,
}

impl io::Write for LimitedWriter {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        if self.text.len() + bytes.len() > self.longest {
            self.is_full = true;
            return Err(io::Error::other("the text is too long"));
        }
        self.text.extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// An error as people need it: where, and what.
fn template_error(error: &minijinja::Error, source: &str) -> TemplateError {
    let line = error.line().unwrap_or(1);
    let start = error.range().map_or(0, |range| range.start).min(source.len());
    let before = source.get(..start).unwrap_or_default();
    let column = before.chars().rev().take_while(|c| *c != '\n').count() + 1;
    let what =
        error.range().and_then(|range| source.get(range)).map(str::trim).filter(|text| text.len() < 80);
    let detail = error.detail().unwrap_or_default();
    let (problem, hint) = match error.kind() {
        ErrorKind::UndefinedError => {
            let name = what.map_or_else(|| "a name".to_owned(), |text| format!("'{text}'"));
            let hint =
                "docs/templates.md lists every name; ask with 'is defined' for keys that may be missing";
            (format!("{name} is not defined"), Some(hint.to_owned()))
        }
        ErrorKind::OutOfFuel => {
            let hint = Some("look for nested loops over all frames".to_owned());
            ("the template exceeds the step limit".to_owned(), hint)
        }
        ErrorKind::TemplateNotFound => {
            ("a template can't read other files".to_owned(), Some("put everything in one file".to_owned()))
        }
        kind if detail.is_empty() => (kind.to_string(), None),
        kind => (format!("{kind}: {detail}"), None),
    };
    TemplateError { line, column, problem, hint }
}

#[cfg(test)]
mod tests;
