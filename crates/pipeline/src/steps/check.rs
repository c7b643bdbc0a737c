//! What will look wrong in the game.

use std::path::{Path, PathBuf};

use shibori_core::check::{Finding, Limits, check as check_set, companion_page};
use shibori_core::{Frame, FrameSet, Name};
use shibori_formats::DisplaySlashed;
use shibori_formats::decode::{CompanionFault, companion_problems, manifest_of};
use tracing::info_span;

use crate::options::CheckOptions;
use crate::steps::gather;
use crate::{Context, Error};

/// What was found in one source.
#[derive(Clone, Debug)]
pub struct CheckReport {
    /// The source, as it was named.
    pub source: PathBuf,
    /// Its frames.
    pub set: FrameSet,
    /// What looks wrong.
    pub findings: Vec<Finding>,
    /// How many findings there are of rules that are ignored.
    pub allowed: usize,
}

/// Checks sources.
///
/// # Errors
/// Where a source can't be read.
pub fn check(
    sources: &[PathBuf],
    options: &CheckOptions,
    cx: &Context<'_>,
) -> Result<Vec<CheckReport>, Error> {
    let one = |source: &PathBuf| {
        let _span = info_span!("check", source = %source.shown()).entered();
        let set = gather::one(source, &options.only, cx)?;
        let faults = match manifest_of(&cx.at(source)) {
            Some(manifest) => companion_problems(&manifest, cx.limits())?,
            None => Vec::new(),
        };
        let faults = faults.iter().filter_map(|fault| companion_finding(&set, fault)).collect();
        Ok(weighed(set, source, options, faults))
    };
    sources.iter().map(one).collect()
}

/// What looks wrong in frames that are there already, by the options' own limits.
pub(crate) fn checked(set: FrameSet, source: &Path, options: &CheckOptions) -> CheckReport {
    weighed(set, source, options, Vec::new())
}

fn weighed(set: FrameSet, source: &Path, options: &CheckOptions, more: Vec<Finding>) -> CheckReport {
    let is_allowed = |found: &Finding| {
        let clip = found.clip.as_ref().map(Name::as_str);
        options.allows(found.rule, found.sprite.as_str(), set.frames()[found.frame].name().as_str(), clip)
    };
    let found = more.into_iter().chain(check_set(&set, &options.limits()));
    let (allowed, findings): (Vec<_>, Vec<_>) = found.partition(is_allowed);
    CheckReport { source: source.to_owned(), set, findings, allowed: allowed.len() }
}

/// `None` where the set was narrowed to frames that are on other pages.
fn companion_finding(set: &FrameSet, fault: &CompanionFault) -> Option<Finding> {
    let is_first = |frame: &Frame| {
        let (sprite, name) = &fault.first;
        frame.sprite().as_str() == sprite && frame.name().as_str() == name
    };
    let at = set.frames().iter().position(is_first)?;
    Some(companion_page(set, at, &fault.file, fault.found, fault.wanted))
}

/// What looks wrong in frames that are there already, by the usual limits.
pub(crate) fn findings(set: &FrameSet, source: &Path) -> CheckReport {
    let findings = check_set(set, &Limits::default());
    CheckReport { source: source.to_owned(), set: set.clone(), findings, allowed: 0 }
}
