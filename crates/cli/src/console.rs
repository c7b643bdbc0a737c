//! Everything the program says: results on stdout, the rest on stderr.
//!
//! Whether there are colors, and whether the result is text or JSON, is decided once, here. Control
//! characters in names are shown as escapes, so that a file name can't paint the terminal.

use std::io::{self, IsTerminal, Write};

use serde::Serialize;

use crate::args::{Everywhere, When};
use crate::failure::Failure;
use crate::progress::Progress;

pub(crate) struct Console {
    json: bool,
    quiet: bool,
    verbose: bool,
    paint_out: bool,
    paint_err: bool,
}

const RED: &str = "\u{1b}[1;31m";
const YELLOW: &str = "\u{1b}[1;33m";
const CYAN: &str = "\u{1b}[36m";
const BOLD: &str = "\u{1b}[1m";
const PLAIN: &str = "\u{1b}[0m";

impl Console {
    pub(crate) fn new(everywhere: &Everywhere) -> Self {
        let wanted = |is_terminal: bool| match everywhere.color {
            When::Always => true,
            When::Never => false,
            When::Auto => is_terminal && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty()),
        };
        Self {
            json: everywhere.json,
            quiet: everywhere.quiet,
            verbose: everywhere.verbose,
            paint_out: wanted(io::stdout().is_terminal()),
            paint_err: wanted(io::stderr().is_terminal()),
        }
    }

    /// A console for a command line that could not be read, so that nothing is known of its wishes.
    pub(crate) fn for_errors() -> Self {
        let has_colors = std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty());
        let paint_err = has_colors && io::stderr().is_terminal();
        Self { json: false, quiet: false, verbose: false, paint_out: false, paint_err }
    }

    /// A console for steps inside a command whose own result is JSON: they say nothing.
    pub(crate) fn silenced_for_json(&self) -> Self {
        Self { json: false, quiet: self.quiet || self.json, ..*self }
    }

    /// A line of the result, for people.
    pub(crate) fn say(&self, line: &str) {
        if !self.json && !self.quiet {
            print_out(&harmless(line));
        }
    }

    /// A heading of the result.
    pub(crate) fn head(&self, line: &str) {
        let line = harmless(line);
        if !self.json && !self.quiet {
            print_out(&if self.paint_out { format!("{BOLD}{line}{PLAIN}") } else { line });
        }
    }

    /// The result, for programs. Printed even when quiet: it was asked for.
    pub(crate) fn result(&self, value: &impl Serialize) {
        if self.json {
            print_out(&serde_json::to_string_pretty(value).expect("results are plain data"));
        }
    }

    /// What the result's text alone asks for, such as a warning that does not change the exit code.
    pub(crate) fn warn(&self, line: &str, hint: Option<&str>) {
        if !self.quiet {
            self.labeled("warning", YELLOW, line);
            if let Some(hint) = hint {
                self.labeled("  hint", CYAN, hint);
            }
        }
    }

    /// Something to know, on stderr.
    pub(crate) fn note(&self, line: &str) {
        if !self.quiet {
            self.labeled("note", CYAN, line);
        }
    }

    /// Something only the curious want to know.
    pub(crate) fn detail(&self, line: &str) {
        if self.verbose && !self.quiet {
            print_err(&harmless(line));
        }
    }

    pub(crate) fn fail(&self, failure: &Failure) {
        if failure.message.is_empty() {
            return;
        }
        self.labeled("error", RED, &failure.message);
        if let Some(pointer) = &failure.pointer {
            print_err(&harmless(&format!("    {}", pointer.replace('\n', "\n    "))));
        }
        if let Some(hint) = &failure.hint {
            self.labeled("  hint", CYAN, hint);
        }
    }

    /// A progress bar for so many steps; shows on a terminal only, and only if they take long.
    pub(crate) fn progress(&self, what: &str, steps: usize) -> Progress {
        Progress::new(what, steps, !self.quiet && io::stderr().is_terminal())
    }

    fn labeled(&self, label: &str, color: &str, text: &str) {
        let text = harmless(text);
        print_err(&match self.paint_err {
            true => format!("{color}{label}:{PLAIN} {text}"),
            false => format!("{label}: {text}"),
        });
    }
}

/// A reader that went away (a closed pipe) is no mistake of ours.
fn print_out(text: &str) {
    let _ = writeln!(io::stdout(), "{text}");
}

fn print_err(text: &str) {
    let _ = writeln!(io::stderr(), "{text}");
}

fn harmless(text: &str) -> String {
    let show = |c: char| match c {
        '\n' => "\n".to_owned(),
        c if c.is_control() => c.escape_default().to_string(),
        c => c.to_string(),
    };
    text.chars().map(show).collect()
}

/// A word of a command line as it can be pasted into any shell: in double quotes where it needs them.
pub(crate) fn pasteable(word: &str) -> String {
    let is_plain = |c: char| c.is_alphanumeric() || "-_./:=@+".contains(c);
    // A comma separates lists in one shell and nothing in the others, inside a word without spaces.
    let is_plain_word = !word.is_empty() && word.chars().all(|c| is_plain(c) || c == ',');
    if is_plain_word { word.to_owned() } else { format!("\"{word}\"") }
}

/// `1 frame`, `2 frames`.
pub(crate) fn counted(count: usize, noun: &str) -> String {
    let plural = if count == 1 { "" } else { "s" };
    format!("{} {noun}{plural}", grouped(count as u64))
}

/// `12,345`.
pub(crate) fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut text = String::with_capacity(digits.len() * 4 / 3);
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            text.push(',');
        }
        text.push(digit);
    }
    text
}

/// Bytes in the unit that leaves one to three digits before the point; 1 kB is 1000 bytes.
pub(crate) fn bytes(count: u64) -> String {
    let (divisor, unit) = match count {
        0..1_000 => return format!("{count} B"),
        1_000..1_000_000 => (1e3, "kB"),
        1_000_000..1_000_000_000 => (1e6, "MB"),
        _ => (1e9, "GB"),
    };
    format!("{:.1} {unit}", count as f64 / divisor)
}

/// Milliseconds with at most two decimals: `100 ms`, `83.33 ms`.
pub(crate) fn millis(value: f64) -> String {
    let text = format!("{value:.2}");
    format!("{} ms", text.trim_end_matches('0').trim_end_matches('.'))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_read_easily() {
        assert_eq!([0, 999, 1000, 1_234_567].map(grouped), ["0", "999", "1,000", "1,234,567"]);
        assert_eq!([999, 1000, 12_345_678].map(bytes), ["999 B", "1.0 kB", "12.3 MB"]);
        assert_eq!([100.0, 1000.0 / 12.0, 0.5].map(millis), ["100 ms", "83.33 ms", "0.5 ms"]);
    }

    #[test]
    fn control_characters_are_shown_not_obeyed() {
        assert_eq!(harmless("a\u{1b}[31mb\nc\u{7}"), "a\\u{1b}[31mb\nc\\u{7}");
    }
}
