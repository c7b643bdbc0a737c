//! A manifest in the place of another: what a person changed in it is merged into the new one, and nothing of it is lost
//! silently.

use std::collections::{HashMap, HashSet};
use std::path::Path;

use crate::manifest::merge::{Merged, Preference, is_other_kind, merge, other_sprites};
use crate::manifest::{Manifest, parse};
use crate::store::seal::{PLACEHOLDER, fill, is_intact};
use crate::store::{Batch, Existing, Ledger, Policy, Transaction};
use crate::{FileError, WriteProblem};

/// A manifest that is there.
pub(super) struct ExistingManifest {
    pub(super) manifest: Manifest,
    /// Its bytes.
    pub(super) text: Vec<u8>,
    /// Whether it is as shibori wrote it.
    pub(super) is_sealed: bool,
}

impl ExistingManifest {
    /// The manifest at a path, if one is there.
    pub(super) fn read(path: &Path, run: &Transaction) -> Option<Self> {
        let text = run.staged().read(path).ok()?;
        Some(Self { manifest: parse(&text).ok()?, is_sealed: is_intact(&text), text })
    }

    /// The text of a manifest that a person changes in its place: its seal stays, so that the change shows.
    pub(super) fn rewritten(&self, manifest: Manifest) -> Vec<u8> {
        Manifest { seal: self.manifest.seal.clone(), ..manifest }.to_text().into_bytes()
    }
}

/// A manifest that is about to be written.
pub(super) struct Replacement {
    /// Its text.
    text: Vec<u8>,
    /// The text that it would have without hand work.
    base: Vec<u8>,
    /// Page files that stay as a person painted them.
    pub(super) painted: HashSet<String>,
    /// Its pages.
    pub(super) manifest: Manifest,
}

impl Replacement {
    pub(super) fn stage(&self, index: usize, batch: &Batch) -> Result<(), FileError> {
        batch.stage_manifest(index, &self.text, &self.base)
    }
}

/// Merges a manifest that is to be written with the one that is there. `painted` has the page files whose pixels a person
/// changed, each with whether the run changes them too.
///
/// # Errors
/// If the one that is there is of another kind or of other sprites, or both a person and the run changed the same, and the
/// policy prefers neither.
pub(super) fn replacement(
    path: &Path,
    new: &Manifest,
    painted: &HashMap<String, bool>,
    ledger: Option<&Ledger>,
    run: &Transaction,
) -> Result<Replacement, FileError> {
    let policy = run.policy();
    let base_text = sealed(new.clone());
    let known = |text: &str| parse(text.as_bytes()).ok();
    let base = ledger.and_then(Ledger::base).and_then(known);
    let found = run.existing(path, path, ledger)?;
    let found = found.and_then(|found| Some((ExistingManifest::read(path, run)?, found)));
    let Some((old, existing)) = found else {
        // A manifest that doesn't parse is a file like any other.
        let theirs = base.as_ref().unwrap_or(new);
        let merged = merge(Some(theirs), theirs, new, painted, preference(policy));
        return finished(path, merged, new, base_text, base.is_some(), run);
    };
    let is_own = policy.recipe.is_some()
        && policy.recipe.as_deref().map(resolve_links)
            == ledger.and_then(Ledger::recipe).map(|recipe| resolve_links(&folder_of(path).join(recipe)));
    let may_differ = policy.force || is_own && existing.is_ours;
    if !may_differ {
        if is_other_kind(&old.manifest, new) {
            return Err(FileError::write(
                path,
                WriteProblem::OtherKind { frames: old.manifest.frames.len() },
            ));
        }
        if let Some(sprites) = other_sprites(&old.manifest, new) {
            return Err(FileError::write(path, WriteProblem::OtherSprites { sprites }));
        }
    }
    run.approve(path);
    let base = base_of(&old, existing, base);
    let merged = merge(base.as_ref(), &old.manifest, new, painted, preference(policy));
    finished(path, merged, new, base_text, base.is_some(), run)
}

/// What a manifest was before a person changed it, if that is known.
fn base_of(old: &ExistingManifest, existing: Existing, base: Option<Manifest>) -> Option<Manifest> {
    if existing.is_ours {
        return Some(old.manifest.clone());
    }
    // Version control may have put one of another branch there: its seal says what it was made from.
    base.filter(|base| old.manifest.seal.is_none() || old.manifest.seal == base.seal)
}

fn finished(
    path: &Path,
    merged: Merged,
    new: &Manifest,
    base: Vec<u8>,
    has_base: bool,
    run: &Transaction,
) -> Result<Replacement, FileError> {
    let Merged { manifest, kept, conflicts, lost, painted } = merged;
    let preference = preference(run.policy());
    if preference == Preference::Neither && !conflicts.is_empty() {
        return Err(FileError::write(path, WriteProblem::Conflict { conflicts, has_base }));
    }
    if preference == Preference::Theirs && !lost.is_empty() {
        return Err(FileError::write(path, WriteProblem::CannotKeep { lost }));
    }
    run.keep(path, kept);
    let is_new = manifest.to_text() == new.to_text();
    let text = match is_new {
        true => base.clone(),
        // The seal is that of the text without hand work: so it says, even without a ledger, that there is some.
        false => {
            let seal = parse(&base).ok().and_then(|base| base.seal);
            Manifest { seal, ..manifest.clone() }.to_text().into_bytes()
        }
    };
    Ok(Replacement { text, base, painted, manifest })
}

fn preference(policy: &Policy) -> Preference {
    match (policy.force, policy.carry) {
        (true, _) => Preference::New,
        (_, true) => Preference::Theirs,
        _ => Preference::Neither,
    }
}

/// The text of a manifest with its seal.
fn sealed(mut manifest: Manifest) -> Vec<u8> {
    manifest.seal = Some(PLACEHOLDER.to_owned());
    fill(manifest.to_text().into_bytes())
}

fn folder_of(path: &Path) -> &Path {
    path.parent().unwrap_or(Path::new(""))
}

fn resolve_links(path: &Path) -> std::path::PathBuf {
    path.canonicalize().unwrap_or_else(|_| path.to_owned())
}

/// What is wrong with a manifest that a person edited until it no longer is one; none if it never was.
pub(crate) fn fault_of_manifest(path: &Path) -> Option<String> {
    let bytes = std::fs::read(path).ok()?;
    let is_meant = bytes.windows(MEANT.len()).any(|window| window == MEANT);
    is_meant.then(|| parse(&bytes).err()).flatten().map(|problem| problem.to_string())
}

/// What every manifest says of itself.
const MEANT: &[u8] = b"\"shibori/";

/// The sprites of a manifest, if one is at a path.
pub(crate) fn sprites_of_manifest(path: &Path) -> Option<Vec<String>> {
    Some(parse(&std::fs::read(path).ok()?).ok()?.sprites())
}
