//! The one transaction through which every file of a run goes, over all its steps.
//!
//! A step plans its files as a [`Batch`]: every target is checked before any work is done, against the sources of the run
//! and against the targets of other steps. Its bytes go to temporary files in a folder beside their targets. At the end
//! [`Transaction::commit`] puts all of them in place. A run that fails before that leaves the old files and no trace. Sources are
//! never written over; a file that shibori did not write, or that was changed since, only with leave.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use tempfile::TempDir;

use crate::write::seal;
use crate::{Error, WriteProblem};
use shibori_core::parallel;

/// What may be replaced.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Policy {
    /// Replace files that are not ours.
    pub force: bool,
    /// Only check; write nothing.
    pub dry_run: bool,
}

/// All files that a run writes.
#[derive(Debug, Default)]
pub struct Transaction {
    policy: Policy,
    state: Mutex<State>,
}

#[derive(Debug, Default)]
struct State {
    sources: HashSet<PathBuf>,
    batches: Vec<Arc<Files>>,
    targets: HashSet<PathBuf>,
    /// One temporary folder for each folder written to. Dropped before `made`.
    folders: Vec<(PathBuf, Arc<TempDir>)>,
    made: MadeFolders,
}

/// The files of one step.
#[derive(Debug)]
pub struct Batch {
    files: Arc<Files>,
    is_dry: bool,
}

#[derive(Debug)]
struct Files {
    targets: Vec<Target>,
    /// Our own files of an earlier run that this one has no use for.
    stale: Vec<PathBuf>,
}

#[derive(Debug)]
struct Target {
    path: PathBuf,
    /// Where its bytes wait; none in a dry run.
    staged: Option<PathBuf>,
}

/// What a step writes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Written {
    /// Files, in the order planned.
    pub files: Vec<PathBuf>,
    /// Files of an earlier run that are taken away.
    pub removed: Vec<PathBuf>,
}

impl Transaction {
    /// A transaction without files.
    pub fn new(policy: Policy) -> Self {
        Self { policy, state: Mutex::default() }
    }

    /// What it may replace.
    pub fn policy(&self) -> Policy {
        self.policy
    }

    /// Files that the run reads: they are never written over.
    pub fn add_sources(&self, files: &[PathBuf]) {
        let real = parallel::each(files, |path| path.canonicalize().ok());
        self.state().sources.extend(real.into_iter().flatten());
    }

    fn state(&self) -> MutexGuard<'_, State> {
        // What is inside is whole whenever the lock is free.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Checks that all targets of a step may be written, and makes room for them. The last target says what the others are.
    ///
    /// # Errors
    /// Where one is a folder, a source, not ours, or written by another step; or a folder can't be written to.
    pub fn plan(&self, targets: &[PathBuf], stale: &[PathBuf]) -> Result<Batch, Error> {
        self.plan_with(targets, stale, self.policy.force)
    }

    /// The same for files that are known to be the user's own to change, such as a set changed in place.
    ///
    /// # Errors
    /// As [`Transaction::plan`].
    pub fn plan_over(&self, targets: &[PathBuf], stale: &[PathBuf]) -> Result<Batch, Error> {
        self.plan_with(targets, stale, true)
    }

    fn plan_with(&self, targets: &[PathBuf], stale: &[PathBuf], force: bool) -> Result<Batch, Error> {
        let mut state = self.state();
        let state = &mut *state;
        parallel::fallible(targets.len(), |at| check(&targets[at], &state.sources, force))?;
        let number = state.batches.len();
        let mut planned = Vec::with_capacity(targets.len());
        for (at, target) in targets.iter().enumerate() {
            if !state.targets.insert(target.clone()) {
                return Err(Error::write(target, WriteProblem::TwoSteps));
            }
            let staged = match self.policy.dry_run {
                true => None,
                false => Some(state.folder_of(target)?.path().join(format!("{number}-{at}"))),
            };
            planned.push(Target { path: target.clone(), staged });
        }
        let is_free = |path: &&PathBuf| {
            path.canonicalize().is_ok_and(|real| !state.sources.contains(&real))
                && !state.targets.contains(*path)
                && is_ours(path)
        };
        let stale = stale.iter().filter(is_free).cloned().collect();
        let files = Arc::new(Files { targets: planned, stale });
        state.batches.push(Arc::clone(&files));
        Ok(Batch { files, is_dry: self.policy.dry_run })
    }

    /// Puts all staged files in place, and takes away what is left of earlier runs. In a dry run nothing happens.
    ///
    /// # Errors
    /// Where a file can't be put in its place.
    pub fn commit(self) -> Result<(), Error> {
        let mut state = self.state.into_inner().unwrap_or_else(PoisonError::into_inner);
        if self.policy.dry_run {
            return Ok(());
        }
        let put = |target: &Target| {
            // What holds its bytes already was not staged.
            match &target.staged {
                Some(staged) if staged.exists() => {
                    fs::rename(staged, &target.path).map_err(|error| Error::write(&target.path, error))
                }
                _ => Ok(()),
            }
        };
        for files in &state.batches {
            // The last target, a manifest, says what the others are: until they all lie there, the old one stays.
            let last = files.targets.len().saturating_sub(1);
            parallel::fallible(last, |at| put(&files.targets[at]))?;
            files.targets[last..].iter().try_for_each(put)?;
        }
        state.made.keep();
        let stale = state.batches.iter().flat_map(|files| &files.stale);
        // A later step may have had a use for it.
        for path in stale.filter(|path| !state.targets.contains(*path)) {
            fs::remove_file(path).map_err(|error| Error::write(path, error))?;
        }
        Ok(())
    }
}

impl State {
    /// The temporary folder beside a target, made where it is the first.
    fn folder_of(&mut self, target: &Path) -> Result<Arc<TempDir>, Error> {
        let parent = match target.parent() {
            Some(parent) if !parent.as_os_str().is_empty() => parent,
            _ => Path::new("."),
        };
        if let Some((_, folder)) = self.folders.iter().rev().find(|(folder, _)| folder == parent) {
            return Ok(Arc::clone(folder));
        }
        self.made.make(parent)?;
        let temporary = tempfile::Builder::new().prefix(".shibori-").tempdir_in(parent);
        let temporary = Arc::new(temporary.map_err(|error| Error::write(parent, error))?);
        self.folders.push((parent.to_owned(), Arc::clone(&temporary)));
        Ok(temporary)
    }
}

impl Batch {
    /// Writes the bytes of target `at` to its temporary place. May be called from several threads. A target that holds
    /// these bytes already is left alone, so that nothing that watches it sees a change.
    ///
    /// # Errors
    /// Where the bytes can't be written.
    pub fn stage(&self, at: usize, bytes: &[u8]) -> Result<(), Error> {
        let Target { path, staged } = &self.files.targets[at];
        let holds_them = || {
            let is_as_long = fs::metadata(path).is_ok_and(|old| old.len() == bytes.len() as u64);
            is_as_long && fs::read(path).is_ok_and(|old| old == bytes)
        };
        match staged {
            Some(staged) if !self.is_dry && !holds_them() => {
                fs::write(staged, bytes).map_err(|error| Error::write(path, error))
            }
            _ => Ok(()),
        }
    }

    /// What the step writes once the run is committed.
    pub fn written(&self) -> Written {
        let files = self.files.targets.iter().map(|target| target.path.clone()).collect();
        Written { files, removed: self.files.stale.clone() }
    }
}

fn check(target: &Path, sources: &HashSet<PathBuf>, force: bool) -> Result<(), Error> {
    if target.is_dir() {
        return Err(Error::write(target, WriteProblem::IsFolder));
    }
    if target.canonicalize().is_ok_and(|real| sources.contains(&real)) {
        return Err(Error::write(target, WriteProblem::IsSource));
    }
    if target.exists() && !force && !is_ours(target) {
        return Err(Error::write(target, WriteProblem::NotOurs));
    }
    Ok(())
}

/// Whether shibori wrote a file and nobody changed it: pictures carry a seal, manifests their format.
fn is_ours(path: &Path) -> bool {
    let Ok(bytes) = fs::read(path) else { return false };
    seal::is_whole(&bytes) || crate::manifest::parse(&bytes).is_ok() || crate::tables::is_our_table(&bytes)
}

/// Folders made on the way, taken away again where the run fails.
#[derive(Debug, Default)]
struct MadeFolders {
    folders: Vec<PathBuf>,
}

impl MadeFolders {
    fn make(&mut self, folder: &Path) -> Result<(), Error> {
        let missing: Vec<&Path> =
            folder.ancestors().take_while(|path| !path.as_os_str().is_empty() && !path.exists()).collect();
        for path in missing.into_iter().rev() {
            fs::create_dir(path).map_err(|error| Error::write(path, error))?;
            self.folders.push(path.to_owned());
        }
        Ok(())
    }

    fn keep(&mut self) {
        self.folders.clear();
    }
}

impl Drop for MadeFolders {
    fn drop(&mut self) {
        for folder in self.folders.iter().rev() {
            // Only empty folders go, and one that stays hurts nobody.
            let _ = fs::remove_dir(folder);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::write::png;

    fn folder_with(files: &[(&str, &[u8])]) -> TempDir {
        let folder = tempfile::tempdir().unwrap();
        for (name, bytes) in files {
            fs::write(folder.path().join(name), bytes).unwrap();
        }
        folder
    }

    fn listing(folder: &Path) -> Vec<String> {
        let mut names: Vec<String> =
            fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }

    #[test]
    fn a_run_that_fails_leaves_no_trace() {
        let folder = folder_with(&[("old.png", &png(&image::RgbaImage::new(1, 1)).unwrap())]);
        let targets = [folder.path().join("old.png"), folder.path().join("new/deep/b.png")];
        let run = Transaction::default();
        run.plan(&targets, &[]).unwrap().stage(0, b"half").unwrap();
        drop(run);
        assert_eq!(listing(folder.path()), ["old.png"]);
        assert!(is_ours(&targets[0]));
    }

    #[test]
    fn a_file_that_stays_the_same_is_not_touched() {
        let ours = png(&image::RgbaImage::new(1, 1)).unwrap();
        let folder = folder_with(&[("same.png", &ours)]);
        let path = folder.path().join("same.png");
        let long_ago = std::time::SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(1_000_000);
        fs::File::options().write(true).open(&path).unwrap().set_modified(long_ago).unwrap();
        let write = |bytes: &[u8]| {
            let run = Transaction::default();
            let batch = run.plan(std::slice::from_ref(&path), &[]).unwrap();
            batch.stage(0, bytes).unwrap();
            run.commit().unwrap();
            batch.written().files
        };
        assert_eq!(write(&ours), std::slice::from_ref(&path));
        assert_eq!(fs::metadata(&path).unwrap().modified().unwrap(), long_ago);
        write(b"new");
        assert_eq!(fs::read(&path).unwrap(), b"new");
    }

    #[test]
    fn only_our_own_untouched_files_are_replaced_or_taken_away() {
        let ours = png(&image::RgbaImage::new(1, 1)).unwrap();
        let mut edited = ours.clone();
        edited[40] ^= 1;
        let folder = folder_with(&[("ours.png", &ours), ("edited.png", &edited), ("text.txt", b"hello")]);
        let path = |name: &str| folder.path().join(name);
        let plan = |name: &str, force: bool| {
            let run = Transaction::new(Policy { force, dry_run: false });
            run.plan(&[path(name)], &[path("edited.png"), path("ours.png")])
        };
        assert_eq!(plan("new.png", false).unwrap().written().removed, [path("ours.png")]);
        for name in ["edited.png", "text.txt"] {
            let error = plan(name, false).unwrap_err();
            assert!(matches!(error, Error::Write { problem: WriteProblem::NotOurs, .. }));
            assert!(plan(name, true).is_ok());
        }
        let run = Transaction::new(Policy { force: true, dry_run: false });
        run.add_sources(&[path("ours.png")]);
        let error = run.plan(&[path("ours.png")], &[]).unwrap_err();
        assert!(matches!(error, Error::Write { problem: WriteProblem::IsSource, .. }));
    }

    #[test]
    fn steps_of_one_run_are_put_in_place_together_and_never_write_one_file_twice() {
        let folder = folder_with(&[]);
        let path = |name: &str| folder.path().join(name);
        let run = Transaction::default();
        let first = run.plan(&[path("a.txt")], &[]).unwrap();
        let second = run.plan(&[path("deep/b.txt"), path("c.txt")], &[]).unwrap();
        first.stage(0, b"a").unwrap();
        second.stage(0, b"b").unwrap();
        second.stage(1, b"c").unwrap();
        let error = run.plan(&[path("a.txt")], &[]).unwrap_err();
        assert!(matches!(error, Error::Write { problem: WriteProblem::TwoSteps, .. }));
        assert!(!path("a.txt").exists());
        run.commit().unwrap();
        assert_eq!(listing(folder.path()), ["a.txt", "c.txt", "deep"]);
        assert_eq!(fs::read(path("deep/b.txt")).unwrap(), b"b");
    }
}
