//! What all benchmarks share: times, memory, and the figures that each is held to.
//!
//! Every benchmark prints ratios from one run, never times to compare with another machine's; [`Figures`] puts a verdict
//! beside each, from `expected.toml`. Verdicts on times are only printed: a busy machine fails no build. Figures that are the
//! same on every machine, such as bytes and density, fail the run if they get worse.

use std::cell::Cell;
use std::collections::BTreeMap;
use std::process::ExitCode;
use std::time::Instant;

/// Seconds that some work takes.
pub fn timed<T>(work: impl FnOnce() -> T) -> f64 {
    let start = Instant::now();
    std::hint::black_box(work());
    start.elapsed().as_secs_f64()
}

/// The middle of some times.
///
/// # Panics
/// If there are none.
pub fn median(mut times: Vec<f64>) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}

/// The most memory the process has had, in bytes.
pub fn peak_memory() -> Option<f64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"))?;
    Some(line.split_whitespace().nth(1)?.parse::<f64>().ok()? * 1024.0)
}

/// What follows a word on the command line: `--sheets 40`.
pub fn argument(name: &str) -> Option<String> {
    std::env::args().skip_while(|argument| argument != name).nth(1)
}

/// Whether a word stands on the command line.
pub fn has_argument(name: &str) -> bool {
    std::env::args().any(|argument| argument == name)
}

/// A figure as it was when it was last looked at, and what it is to be.
#[derive(Clone, Copy, Debug, serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct Expected {
    /// What was measured.
    kept: f64,
    /// What is wanted, where more or less than that is known to be possible.
    aim: Option<f64>,
    /// Whether more is better; else less is.
    #[serde(default)]
    more: bool,
    /// What part of the figure differs from run to run; 0.15 where not said, which is what times do.
    within: Option<f64>,
    /// Whether it is the same on every machine, so that a loss fails the run.
    #[serde(default)]
    fixed: bool,
}

impl Expected {
    /// How much better than kept, in rooms: less than -1 is worse, more than 1 is better.
    fn gain(self, value: f64) -> f64 {
        let Self { kept, more, within, .. } = self;
        (if more { value - kept } else { kept - value })
            / (kept.abs() * within.unwrap_or(0.15)).max(f64::MIN_POSITIVE)
    }

    fn verdict(self, value: f64) -> String {
        let Self { kept, aim, more, .. } = self;
        let held = match self.gain(value) {
            gain if gain < -1.0 => format!("WORSE than the {kept} kept"),
            gain if gain > 1.0 => format!("better than the {kept} kept"),
            _ => format!("as kept ({kept})"),
        };
        match aim {
            Some(aim) if (more && value < aim) || (!more && value > aim) => format!("{held}, short of {aim}"),
            Some(aim) => format!("{held}, aim {aim} met"),
            None => held,
        }
    }
}

/// The figures that one benchmark is held to.
#[derive(Debug)]
pub struct Figures {
    expected: BTreeMap<String, Expected>,
    /// How many fixed figures got worse.
    losses: Cell<usize>,
}

impl Figures {
    /// Those of a benchmark.
    ///
    /// # Panics
    /// If `expected.toml` has no such table.
    pub fn of(bench: &str) -> Self {
        let mut all: BTreeMap<String, BTreeMap<String, Expected>> =
            toml::from_str(include_str!("../expected.toml")).expect("expected.toml can be read");
        let expected = all.remove(bench).unwrap_or_else(|| panic!("expected.toml has no table '{bench}'"));
        Self { expected, losses: Cell::new(0) }
    }

    /// What a figure is, beside what it was and should be.
    pub fn verdict(&self, what: &str, value: f64) -> String {
        let Some(expected) = self.expected.get(what) else { return "not kept".to_owned() };
        if expected.fixed && expected.gain(value) < -1.0 {
            self.losses.set(self.losses.get() + 1);
        }
        expected.verdict(value)
    }

    /// How the run ends: in failure if a fixed figure got worse.
    pub fn finish(&self) -> ExitCode {
        match self.losses.get() {
            0 => ExitCode::SUCCESS,
            losses => {
                println!("{losses} of the figures that no machine changes got worse");
                ExitCode::FAILURE
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_loss_is_told_whichever_way_is_better() {
        let less = Expected { kept: 1.0, aim: Some(1.3), more: false, within: None, fixed: false };
        assert_eq!(less.verdict(1.1), "as kept (1), aim 1.3 met");
        assert_eq!(less.verdict(1.2), "WORSE than the 1 kept, aim 1.3 met");
        assert_eq!(less.verdict(1.4), "WORSE than the 1 kept, short of 1.3");
        assert_eq!(less.verdict(0.5), "better than the 1 kept, aim 1.3 met");
        let more = Expected { kept: 95.0, aim: None, more: true, within: Some(0.01), fixed: false };
        assert_eq!(more.verdict(93.0), "WORSE than the 95 kept");
        assert_eq!(more.verdict(97.0), "better than the 95 kept");
    }

    #[test]
    fn a_loss_fails_the_run_only_if_no_machine_changes_the_figure() {
        let expected = |fixed| Expected { kept: 1.0, aim: None, more: false, within: Some(0.1), fixed };
        let expected =
            BTreeMap::from([("bytes".to_owned(), expected(true)), ("time".to_owned(), expected(false))]);
        let figures = Figures { expected, losses: Cell::new(0) };
        figures.verdict("time", 3.0);
        figures.verdict("bytes", 1.05);
        assert_eq!(figures.losses.get(), 0);
        figures.verdict("bytes", 1.2);
        assert_eq!(figures.losses.get(), 1);
    }

    #[test]
    fn every_benchmark_has_figures() {
        for bench in [
            "adjust_floor",
            "density",
            "find_grid",
            "growth",
            "pack_floor",
            "rebuild",
            "register_floor",
            "slice_floor",
        ] {
            assert!(!Figures::of(bench).expected.is_empty(), "{bench}");
        }
    }
}
