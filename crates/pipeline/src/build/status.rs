//! Which steps are stale, and why: what each is made of, against what was kept of the last time.

use std::collections::{HashMap, HashSet};
use std::fmt;
use std::path::{Path, PathBuf};

use shibori_core::parallel;
use shibori_formats::DisplaySlashed;
use shibori_formats::store::Digest;

use crate::Error;
use crate::build::execution::settings_key;
use crate::build::graph::Graph;
use crate::build::ledger::{BuildLedger, LedgerEntry};
use crate::build::sources::slashed;
use crate::build::{Build, BuildObserver};
use shibori_formats::store::FingerprintCache;

/// Why a step is stale.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum StaleReason {
    /// It was never done, or nothing was kept of it.
    New,
    /// Its options are others.
    Settings,
    /// An input holds something else.
    Input(PathBuf),
    /// An input is new.
    InputNew(PathBuf),
    /// An input is gone.
    InputGone(PathBuf),
    /// An output is not there.
    OutputGone(PathBuf),
    /// An output holds something else than was written.
    OutputChanged(PathBuf),
    /// A step whose outputs it reads is stale.
    Target(String),
    /// Another version of shibori did it.
    Version(String),
    /// It was asked for by name.
    Asked,
}

impl fmt::Display for StaleReason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::New => f.write_str("new"),
            Self::Settings => f.write_str("its options changed"),
            Self::Input(path) => write!(f, "{} changed", path.display_slashed()),
            Self::InputNew(path) => write!(f, "{} is new", path.display_slashed()),
            Self::InputGone(path) => write!(f, "{} is gone", path.display_slashed()),
            Self::OutputGone(path) => write!(f, "{} was missing", path.display_slashed()),
            Self::OutputChanged(path) => write!(f, "{} was edited by hand", path.display_slashed()),
            Self::Target(target) => write!(f, "{target} changed"),
            Self::Version(version) => write!(f, "last built by shibori {version}"),
            Self::Asked => f.write_str("requested"),
        }
    }
}

/// How a step stands.
#[derive(Clone, Debug)]
pub struct TargetStatus {
    /// The step.
    pub name: String,
    /// Why it is stale, if it is.
    pub why: Option<StaleReason>,
    /// Its outputs as far as they are known, from the recipe's folder.
    pub outputs: Vec<PathBuf>,
}

/// What each step is made of, as it is now.
pub(super) struct TargetDigests {
    pub(super) steps: Vec<TargetDigest>,
}

pub(super) struct TargetDigest {
    /// Of everything that is read, up to the first sources.
    pub(super) digest: Digest,
    /// Of its options and its own inputs.
    own: Digest,
    pub(super) settings: Digest,
    pub(super) inputs: Vec<(PathBuf, Digest)>,
}

/// In the place of the hash of a file that is not there.
const NOTHING: Digest = Digest([0; 32]);

impl TargetDigests {
    /// Looks at all inputs.
    ///
    /// # Errors
    /// If one is there and can't be read.
    pub(super) fn of(graph: &Graph, prints: &FingerprintCache) -> Result<Self, Error> {
        let mut seen = HashSet::new();
        let files: Vec<&PathBuf> =
            graph.steps.iter().flat_map(|step| &step.inputs).filter(|path| seen.insert(*path)).collect();
        let found = parallel::try_map(files.len(), |at| {
            prints.hash(&graph.base, files[at]).map_err(|error| unreadable(files[at], error))
        })?;
        let hashes: HashMap<&PathBuf, Digest> =
            files.iter().copied().zip(found.into_iter().map(|hash| hash.unwrap_or(NOTHING))).collect();
        let mut done: Vec<Option<TargetDigest>> = graph.steps.iter().map(|_| None).collect();
        (0..graph.steps.len()).for_each(|at| digest(graph, at, &hashes, &mut done));
        Ok(Self { steps: done.into_iter().flatten().collect() })
    }

    /// Why each step is stale, if it is.
    ///
    /// # Errors
    /// If an output is there and can't be read.
    pub(super) fn whys(
        &self,
        graph: &Graph,
        record: &BuildLedger,
        prints: &FingerprintCache,
    ) -> Result<Vec<Option<StaleReason>>, Error> {
        let mut whys: Vec<Option<Option<StaleReason>>> = vec![None; graph.steps.len()];
        (0..graph.steps.len()).try_for_each(|at| self.stale_reason(graph, at, record, prints, &mut whys))?;
        Ok(whys.into_iter().flatten().collect())
    }

    fn stale_reason(
        &self,
        graph: &Graph,
        at: usize,
        record: &BuildLedger,
        prints: &FingerprintCache,
        whys: &mut Vec<Option<Option<StaleReason>>>,
    ) -> Result<(), Error> {
        if whys[at].is_some() {
            return Ok(());
        }
        let step = &graph.steps[at];
        // The graph has no cycles.
        step.needs.iter().try_for_each(|&need| self.stale_reason(graph, need, record, prints, whys))?;
        let stale_need = step.needs.iter().find(|&&need| matches!(whys[need], Some(Some(_))));
        let by_need = stale_need.map(|&need| StaleReason::Target(graph.steps[need].name.clone()));
        let own = self.own_why(graph, at, record, prints)?;
        whys[at] = Some(own.or(by_need));
        Ok(())
    }

    /// Why a step is stale if all that it needs is up to date.
    fn own_why(
        &self,
        graph: &Graph,
        at: usize,
        record: &BuildLedger,
        prints: &FingerprintCache,
    ) -> Result<Option<StaleReason>, Error> {
        let step = &graph.steps[at];
        let Some(before) = record.steps.get(&step.name) else { return Ok(Some(StaleReason::New)) };
        if !record.is_same_version() {
            return Ok(Some(StaleReason::Version(record.version.clone())));
        }
        let outputs = |need: usize| record.steps.get(&graph.steps[need].name).map(|step| &step.outputs[..]);
        if before.digest != Some(self.made_of(graph, at, outputs)) {
            return Ok(Some(self.difference(graph, at, before)));
        }
        for (path, hash) in &before.outputs {
            match prints.hash(&graph.base, path) {
                Ok(Some(found)) if found == *hash => {}
                Ok(Some(_)) => return Ok(Some(StaleReason::OutputChanged(path.clone()))),
                Ok(None) => return Ok(Some(StaleReason::OutputGone(path.clone()))),
                Err(error) => return Err(unreadable(path, error)),
            }
        }
        Ok(None)
    }

    /// What a step is made of: its options, its inputs, and the current outputs of the steps before it.
    pub(super) fn made_of<'a>(
        &self,
        graph: &Graph,
        at: usize,
        outputs: impl Fn(usize) -> Option<&'a [(PathBuf, Digest)]>,
    ) -> Digest {
        let step = &self.steps[at];
        let mut hasher = blake3::Hasher::new();
        hasher.update(&step.own.0);
        for &need in &graph.steps[at].needs {
            for (path, digest) in outputs(need).unwrap_or_default() {
                hasher.update(slashed(path).as_bytes());
                hasher.update(&digest.0);
            }
        }
        Digest(*hasher.finalize().as_bytes())
    }

    fn difference(&self, graph: &Graph, at: usize, before: &LedgerEntry) -> StaleReason {
        let now = &self.steps[at];
        let old: HashMap<&Path, Digest> =
            before.inputs.iter().map(|(path, hash)| (path.as_path(), *hash)).collect();
        for (path, hash) in &now.inputs {
            match old.get(path.as_path()) {
                Some(before) if before == hash => {}
                _ if *hash == NOTHING => return StaleReason::InputGone(path.clone()),
                Some(_) => return StaleReason::Input(path.clone()),
                None => return StaleReason::InputNew(path.clone()),
            }
        }
        let still: HashSet<&PathBuf> = now.inputs.iter().map(|(path, _)| path).collect();
        if let Some((gone, _)) = before.inputs.iter().find(|(path, _)| !still.contains(path)) {
            return StaleReason::InputGone(gone.clone());
        }
        match graph.steps[at].needs.first() {
            Some(&need) if before.settings == Some(now.settings) => {
                StaleReason::Target(graph.steps[need].name.clone())
            }
            _ => StaleReason::Settings,
        }
    }
}

fn digest(graph: &Graph, at: usize, hashes: &HashMap<&PathBuf, Digest>, done: &mut [Option<TargetDigest>]) {
    if done[at].is_some() {
        return;
    }
    let step = &graph.steps[at];
    // The graph has no cycles.
    step.needs.iter().for_each(|&need| digest(graph, need, hashes, done));
    let settings = Digest::of(settings_key(graph, at).as_bytes());
    let inputs: Vec<(PathBuf, Digest)> =
        step.inputs.iter().map(|path| (path.clone(), hashes[path])).collect();
    let mut hasher = blake3::Hasher::new();
    let mut part = |bytes: &[u8]| {
        hasher.update(&(bytes.len() as u64).to_le_bytes());
        hasher.update(bytes);
    };
    part(env!("CARGO_PKG_VERSION").as_bytes());
    part(step.name.as_bytes());
    part(&settings.0);
    for (path, hash) in &inputs {
        part(slashed(path).as_bytes());
        part(&hash.0);
    }
    let own = Digest(*hasher.finalize().as_bytes());
    for &need in &step.needs {
        hasher.update(&done[need].as_ref().map_or(NOTHING, |need| need.digest).0);
    }
    let digest = Digest(*hasher.finalize().as_bytes());
    done[at] = Some(TargetDigest { digest, own, settings, inputs });
}

fn unreadable(path: &Path, error: std::io::Error) -> Error {
    let problem = shibori_formats::ReadProblem::Io(error.into());
    Error::File(shibori_formats::FileError::Read { path: path.to_owned(), problem })
}

impl Build {
    /// Whether each target is stale, and why. Builds and records nothing; the observer words the findings on pages.
    ///
    /// # Errors
    /// If an input can't be read.
    pub fn status(&self, observer: &dyn BuildObserver) -> Result<Vec<TargetStatus>, Error> {
        let (record, _) = super::ledger::read_only(&self.records);
        let prints = FingerprintCache::new(record.files.clone(), 0);
        let digests = TargetDigests::of(&self.graph, &prints)?;
        let mut whys = digests.whys(&self.graph, &record, &prints)?;
        let mut as_built: HashMap<usize, Vec<PathBuf>> = HashMap::new();
        // Without a record of builds, outputs are compared by content: they may have come with a clone.
        for root in (0..whys.len()).filter(|&at| self.graph.steps[at].root == at) {
            let together: Vec<usize> =
                (root..whys.len()).filter(|&at| self.graph.steps[at].root == root).collect();
            let is_new = together.iter().all(|&at| whys[at] == Some(StaleReason::New));
            let outputs = if is_new { self.outputs_as_built(&together, observer) } else { None };
            if let Some(outputs) = outputs {
                together.iter().for_each(|&at| whys[at] = None);
                as_built.extend(together.into_iter().zip(outputs));
            }
        }
        let mut one = |(at, why): (usize, Option<StaleReason>)| {
            let name = self.graph.steps[at].name.clone();
            let outputs = match record.steps.get(&name) {
                Some(before) => before.outputs.iter().map(|(path, _)| path.clone()).collect(),
                None => as_built.remove(&at).unwrap_or_else(|| self.graph.known_outputs(at)),
            };
            TargetStatus { why, name, outputs }
        };
        Ok(whys.into_iter().enumerate().map(&mut one).collect())
    }

    /// Outputs of targets that are gone, and are still there. `standing` is what [`Build::status`] gives.
    pub fn orphaned_outputs(&self, standing: &[TargetStatus]) -> Vec<PathBuf> {
        let (record, _) = super::ledger::read_only(&self.records);
        let wanted: HashSet<&PathBuf> = standing.iter().flat_map(|one| &one.outputs).collect();
        let names: HashSet<&str> = self.graph.steps.iter().map(|step| step.name.as_str()).collect();
        let gone = record.steps.iter().filter(|(name, _)| !names.contains(name.as_str()));
        let files = gone.flat_map(|(_, step)| step.outputs.iter().map(|(path, _)| path.clone()));
        // Of a stale target, nobody knows what it wrote.
        let is_known = standing.iter().all(|one| one.why.is_none());
        let unknown = if is_known { self.outputs_without_record(&record) } else { Vec::new() };
        let is_left = |path: &PathBuf| !wanted.contains(path) && self.graph.base.join(path).exists();
        files.chain(unknown).filter(is_left).collect()
    }
}
