//! What will look wrong in the game.

use std::path::{Path, PathBuf};

use shibori_core::FrameSet;
use shibori_core::check::{Finding, Limits, check as check_set};
use tracing::info_span;

use crate::options::CheckOptions;
use crate::steps::gather;
use crate::{Context, Error};

/// What was found in one source.
#[derive(Clone, Debug)]
pub struct Checked {
    /// The source, as it was named.
    pub source: PathBuf,
    /// Its frames.
    pub set: FrameSet,
    /// What looks wrong.
    pub findings: Vec<Finding>,
    /// How many findings there are of rules that may be broken.
    pub allowed: usize,
}

/// Checks sources.
///
/// # Errors
/// Where a source can't be read.
pub fn check(sources: &[PathBuf], options: &CheckOptions, cx: &Context<'_>) -> Result<Vec<Checked>, Error> {
    let limits = options.limits();
    let one = |source: &PathBuf| {
        let _span = info_span!("check", source = %source.display()).entered();
        let set = gather::one(source, &options.only, cx)?;
        let (findings, allowed): (Vec<_>, Vec<_>) =
            check_set(&set, &limits).into_iter().partition(|found| !options.allow.contains(&found.rule));
        Ok(Checked { source: source.clone(), set, findings, allowed: allowed.len() })
    };
    sources.iter().map(one).collect()
}

/// What looks wrong in frames that are there already, by the usual limits.
pub(crate) fn findings(set: &FrameSet, source: &Path) -> Checked {
    let findings = check_set(set, &Limits::default());
    Checked { source: source.to_owned(), set: set.clone(), findings, allowed: 0 }
}
