//! What only the curious want to know: with `-v` each step with its time and sizes, with `-vv` what it decided, too. Lines
//! go to stderr; nothing is collected, filtered by patterns, or kept.

use std::collections::HashMap;
use std::fmt::{self, Write as _};
use std::io::Write as _;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Instant;

use tracing::field::{Field, Visit};
use tracing::span::{Attributes, Id, Record};
use tracing::{Event, Level, Metadata, Subscriber};

use crate::console::escape_controls;

/// Longer values are cut short: a list of thousands says no more than its beginning.
const LONGEST: usize = 160;

/// Prints spans when they end, and events as they come.
struct Trace {
    level: Level,
    open: Mutex<HashMap<u64, OpenSpan>>,
    next: AtomicU64,
}

/// A span that has not ended.
struct OpenSpan {
    name: &'static str,
    fields: Fields,
    began: Instant,
}

/// Listens from now on, unless nothing is wanted.
pub(crate) fn install(verbosity: u8) {
    let level = match verbosity {
        0 => return,
        1 => Level::INFO,
        _ => Level::DEBUG,
    };
    let trace = Trace { level, open: Mutex::default(), next: AtomicU64::new(1) };
    // Fails only where somebody listens already, and nobody does.
    let _ = tracing::subscriber::set_global_default(trace);
}

impl Subscriber for Trace {
    fn enabled(&self, metadata: &Metadata<'_>) -> bool {
        *metadata.level() <= self.level
    }

    fn new_span(&self, span: &Attributes<'_>) -> Id {
        let id = self.next.fetch_add(1, Ordering::Relaxed);
        let mut fields = Fields::default();
        span.record(&mut fields);
        let open = OpenSpan { name: span.metadata().name(), fields, began: Instant::now() };
        if let Ok(mut spans) = self.open.lock() {
            spans.insert(id, open);
        }
        Id::from_u64(id)
    }

    fn record(&self, span: &Id, values: &Record<'_>) {
        if let Ok(mut spans) = self.open.lock()
            && let Some(open) = spans.get_mut(&span.into_u64())
        {
            values.record(&mut open.fields);
        }
    }

    fn record_follows_from(&self, _: &Id, _: &Id) {}

    fn event(&self, event: &Event<'_>) {
        let mut fields = Fields::default();
        event.record(&mut fields);
        print(&format!("    {}", fields.0.trim()));
    }

    fn enter(&self, _: &Id) {}

    fn exit(&self, _: &Id) {}

    fn try_close(&self, id: Id) -> bool {
        let Some(open) = self.open.lock().ok().and_then(|mut spans| spans.remove(&id.into_u64())) else {
            return false;
        };
        let millis = open.began.elapsed().as_secs_f64() * 1000.0;
        print(&format!("  {:<10} {millis:>9.1} ms {}", open.name, open.fields.0));
        true
    }
}

/// Reports the run's peak memory, if anyone is listening.
pub(crate) fn finish(verbosity: u8) {
    if let Some(peak) = shibori_pipeline::peak_memory().filter(|_| verbosity > 0) {
        print(&format!("  peak memory {peak}"));
    }
}

fn print(line: &str) {
    // A reader that went away isn't a mistake of ours.
    let _ = writeln!(std::io::stderr(), "{}", escape_controls(line));
}

/// Fields as `name=value`, a message on its own.
#[derive(Default)]
struct Fields(String);

impl Visit for Fields {
    fn record_debug(&mut self, field: &Field, value: &dyn fmt::Debug) {
        let text = format!("{value:?}");
        let short: String = text.chars().take(LONGEST).collect();
        let more = if short.len() < text.len() { "..." } else { "" };
        // Writing to a string can't fail.
        let _ = match field.name() {
            "message" => write!(self.0, " {short}{more}"),
            name => write!(self.0, " {name}={short}{more}"),
        };
    }
}
