//! What will look wrong in the game.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use serde_json::{Value, json};
use shibori_core::check::{Finding, Fix, Severity, check as check_set, companion_page};
use shibori_core::{Frame, FrameSet, Name};
use shibori_formats::DisplaySlashed;
use shibori_formats::decode::{CompanionFault, companion_problems, manifest_of};
use tracing::info_span;

use crate::options::CheckOptions;
use crate::steps::loading::load_whole;
use crate::{Context, Error, Source};

/// What was found in one source.
#[derive(Clone, Debug)]
#[must_use = "a step returns what it made and changes nothing else"]
pub struct CheckReport {
    /// The source, as it was named.
    pub source: PathBuf,
    /// The frames that were checked.
    pub set: FrameSet,
    /// All frames of the source.
    pub whole: FrameSet,
    /// How they were checked.
    pub options: CheckOptions,
    /// What looks wrong.
    pub findings: Vec<Finding>,
    /// How many findings there are of rules that are ignored.
    pub allowed: usize,
}

/// Checks sources.
///
/// # Errors
/// If a source can't be read.
pub fn check(
    sources: &[Source],
    options: &CheckOptions,
    cx: &Context<'_>,
) -> Result<Vec<CheckReport>, Error> {
    let one = |source: &Source| {
        let _span = info_span!("check", source = %source.name().display_slashed()).entered();
        let whole = load_whole(source, cx)?;
        let set = options.only.of(whole.clone())?;
        let faults = match source.path().and_then(|path| manifest_of(&cx.resolve(path))) {
            Some(manifest) => companion_problems(&manifest, cx.limits())?,
            None => Vec::new(),
        };
        let faults = faults.iter().filter_map(|fault| companion_finding(&set, fault)).collect();
        Ok(apply_allowances(set, whole, source.name(), options, faults))
    };
    sources.iter().map(one).collect()
}

fn apply_allowances(
    set: FrameSet,
    whole: FrameSet,
    source: &Path,
    options: &CheckOptions,
    more: Vec<Finding>,
) -> CheckReport {
    let is_allowed = |found: &Finding| {
        let clip = found.clip.as_ref().map(Name::as_str);
        options.allows(found.rule, found.sprite.as_str(), set.frames()[found.frame].name().as_str(), clip)
    };
    let found = more.into_iter().chain(check_set(&set, &options.limits()));
    let (allowed, findings): (Vec<_>, Vec<_>) = found.partition(is_allowed);
    let (source, options) = (source.to_owned(), options.clone());
    CheckReport { source, set, whole, options, findings, allowed: allowed.len() }
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

/// What looks wrong in frames by the usual limits.
pub(crate) fn check_usual(set: &FrameSet, source: &Path) -> CheckReport {
    apply_allowances(set.clone(), set.clone(), source, &CheckOptions::default(), Vec::new())
}

/// Findings with one cause: those of a rule in a sprite, or in a clip of it.
#[derive(Clone, Debug)]
pub struct FindingGroup {
    /// The findings, in the order of their frames; at least one.
    pub findings: Vec<Finding>,
    /// The same of the same frames in other clips, such as one that plays backward.
    pub repeats: Vec<Finding>,
}

impl FindingGroup {
    /// The most severe level of any of them.
    pub fn level(&self) -> Severity {
        self.findings.iter().map(Finding::level).min().unwrap_or(Severity::Look)
    }

    /// The one that is farthest off, of the most severe.
    pub fn worst(&self) -> &Finding {
        let severe = self.findings.iter().filter(|finding| finding.level() == self.level());
        severe.max_by(|a, b| a.value.total_cmp(&b.value)).unwrap_or(&self.findings[0])
    }

    /// The clip that all of them are about, if it is one.
    pub fn clip(&self) -> Option<&Name> {
        let first = &self.findings[0].clip;
        self.findings.iter().all(|finding| finding.clip == *first).then_some(first.as_ref()).flatten()
    }

    /// The frames, each once, in order.
    pub fn frames(&self) -> Vec<usize> {
        let mut frames: Vec<usize> = self.findings.iter().map(|finding| finding.frame).collect();
        frames.sort_unstable();
        frames.dedup();
        frames
    }

    fn belongs(&self, finding: &Finding) -> bool {
        let first = &self.findings[0];
        let is_of_clip = matches!(
            finding.fix,
            Fix::LineUp { .. } | Fix::Hold(_) | Fix::LeaveOut | Fix::Slower(_) | Fix::PlayOnce(_)
        );
        first.rule == finding.rule
            && first.sprite == finding.sprite
            && std::mem::discriminant(&first.seen) == std::mem::discriminant(&finding.seen)
            && (!matches!(finding.fix, Fix::Scale(_)) || first.frame == finding.frame)
            && (!is_of_clip || first.clip == finding.clip)
    }
}

impl CheckReport {
    /// The findings by cause in plain words, as pages show them, without remedies.
    pub fn describe(&self) -> Value {
        let name = |frame: usize| self.set.frames()[frame].name().to_string();
        let group = |group: &FindingGroup| {
            let (worst, frames) = (group.worst(), group.frames());
            let of = group.clip().map_or(worst.sprite.to_string(), |clip| format!("{}:{clip}", worst.sprite));
            let message = match frames.len() {
                1 => worst.describe(&self.set),
                _ => format!("{}: {}", name(worst.frame), worst.describe(&self.set)),
            };
            let frames: Vec<String> = frames.into_iter().map(name).collect();
            json!({
                "rule": worst.rule, "level": group.level(), "of": of, "frames": frames, "message": message,
                "remedy": "",
            })
        };
        self.groups().iter().map(group).collect()
    }

    /// The findings by their cause, so that one remedy is given for all that it mends.
    pub fn groups(&self) -> Vec<FindingGroup> {
        let mut groups: Vec<FindingGroup> = Vec::new();
        let mut clips = BTreeMap::new();
        for finding in &self.findings {
            // Two clips that show one frame, one the reverse of the other, share the cause.
            let cause = (finding.rule, finding.frame, finding.level());
            if *clips.entry(cause).or_insert(&finding.clip) != &finding.clip {
                let is_of = |group: &&mut FindingGroup| {
                    group.findings.iter().any(|one| (one.rule, one.frame, one.level()) == cause)
                };
                if let Some(group) = groups.iter_mut().find(is_of) {
                    group.repeats.push(finding.clone());
                }
                continue;
            }
            match groups.iter_mut().find(|group| group.belongs(finding)) {
                Some(group) => group.findings.push(finding.clone()),
                None => groups.push(FindingGroup { findings: vec![finding.clone()], repeats: Vec::new() }),
            }
        }
        groups
    }
}
