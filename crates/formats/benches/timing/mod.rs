//! Times for benchmarks that print ratios.

use std::time::Instant;

/// Seconds that some work takes.
pub(crate) fn timed(work: impl FnOnce()) -> f64 {
    let start = Instant::now();
    work();
    start.elapsed().as_secs_f64()
}

/// The middle of some times.
pub(crate) fn median(mut times: Vec<f64>) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}

/// The most memory the process has had, in bytes.
pub(crate) fn peak_memory() -> Option<f64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"))?;
    Some(line.split_whitespace().nth(1)?.parse::<f64>().ok()? * 1024.0)
}
