//! What all benchmarks share: times, memory, and the figures that each is held to.
//!
//! Every benchmark prints ratios from one run, never times to compare with another machine's; [`Figures`] puts a verdict
//! beside each, from `expected.toml`. A verdict is printed, nothing more: a busy machine fails no build.

use std::collections::BTreeMap;
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
/// Where there are none.
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
}

impl Expected {
    fn verdict(self, value: f64) -> String {
        let Self { kept, aim, more, within } = self;
        let room = kept.abs() * within.unwrap_or(0.15);
        let gain = if more { value - kept } else { kept - value };
        let held = match gain {
            gain if gain < -room => format!("WORSE than the {kept} kept"),
            gain if gain > room => format!("better than the {kept} kept"),
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
pub struct Figures(BTreeMap<String, Expected>);

impl Figures {
    /// Those of a benchmark.
    ///
    /// # Panics
    /// Where `expected.toml` has no such table.
    pub fn of(bench: &str) -> Self {
        let mut all: BTreeMap<String, BTreeMap<String, Expected>> =
            toml::from_str(include_str!("../expected.toml")).expect("expected.toml can be read");
        Self(all.remove(bench).unwrap_or_else(|| panic!("expected.toml has no table '{bench}'")))
    }

    /// What a figure is, beside what it was and should be.
    pub fn verdict(&self, what: &str, value: f64) -> String {
        self.0.get(what).map_or_else(|| "not kept".to_owned(), |expected| expected.verdict(value))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_loss_is_told_whichever_way_is_better() {
        let less = Expected { kept: 1.0, aim: Some(1.3), more: false, within: None };
        assert_eq!(less.verdict(1.1), "as kept (1), aim 1.3 met");
        assert_eq!(less.verdict(1.2), "WORSE than the 1 kept, aim 1.3 met");
        assert_eq!(less.verdict(1.4), "WORSE than the 1 kept, short of 1.3");
        assert_eq!(less.verdict(0.5), "better than the 1 kept, aim 1.3 met");
        let more = Expected { kept: 95.0, aim: None, more: true, within: Some(0.01) };
        assert_eq!(more.verdict(93.0), "WORSE than the 95 kept");
        assert_eq!(more.verdict(97.0), "better than the 95 kept");
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
            assert!(!Figures::of(bench).0.is_empty(), "{bench}");
        }
    }
}
