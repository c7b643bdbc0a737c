//! A progress bar on stderr: on a terminal only, and only for work over half a second.

use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

const PATIENCE: Duration = Duration::from_millis(500);

pub(crate) struct Progress {
    bar: ProgressBar,
    started: Instant,
    may_show: bool,
    is_shown: AtomicBool,
}

impl Progress {
    pub(crate) fn new(what: &str, steps: usize, may_show: bool) -> Self {
        let bar = ProgressBar::with_draw_target(Some(steps as u64), ProgressDrawTarget::hidden());
        if let Ok(style) = ProgressStyle::with_template("{msg} {bar:32} {pos}/{len}  {eta} left") {
            bar.set_style(style.progress_chars("=> "));
        }
        bar.set_message(what.to_owned());
        Self { bar, started: Instant::now(), may_show, is_shown: AtomicBool::new(false) }
    }

    /// Says something without the bar in the way.
    pub(crate) fn aside(&self, say: impl FnOnce()) {
        self.bar.suspend(say);
    }

    /// One step done; may be called from any thread.
    pub(crate) fn tick(&self) {
        self.bar.inc(1);
        if self.may_show && self.started.elapsed() > PATIENCE && !self.is_shown.swap(true, Ordering::Relaxed)
        {
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
        }
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        self.bar.finish_and_clear();
    }
}
