//! What will look wrong in the game, in words.
//!
//! ```text
//! wrong lantern-03: the figure slides 6 px right during 'glow' and jumps back when it loops
//! ```

use std::error::Error;

use shibori_pipeline::options::{CheckOptions, ClipOptions, SliceOptions};
use shibori_pipeline::steps::{check, slice};
use shibori_pipeline::{Context, NoopObserver, Source};

fn main() -> Result<(), Box<dyn Error>> {
    let cx = Context::new(&NoopObserver);
    let sheet = Source::sheet("lantern.png", shibori_examples::lantern());
    let clips = ClipOptions { clip: vec!["glow = 0-3 @8fps".parse()?], ..Default::default() };
    let sliced = slice(&[sheet], &SliceOptions { clips, ..Default::default() }, &cx)?;
    for report in check(&[Source::frames("lantern", sliced.set)], &CheckOptions::default(), &cx)? {
        for finding in &report.findings {
            let frame = &report.set.frames()[finding.frame];
            println!("{} {}: {}", finding.level().id(), frame.name(), finding.describe(&report.set));
        }
    }
    Ok(())
}
