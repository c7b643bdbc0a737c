//! Putting files in place, all or nothing.
//!
//! First every target is checked, before any work is done; then bytes go to temporary files in a folder
//! beside their targets; last, all are renamed. A run that fails before that leaves the old files and no
//! trace. Sources are never written over; a file that shibori did not write, or that was changed since, only
//! with leave.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};

use tempfile::TempDir;

use crate::write::seal;
use crate::{Error, WriteProblem};
use shibori_core::parallel;

/// What may be replaced.
#[derive(Clone, Debug, Default)]
pub struct Policy {
    /// Replace files that are not ours.
    pub force: bool,
    /// Files this run reads.
    pub sources: Vec<PathBuf>,
    /// Only check; write nothing.
    pub dry_run: bool,
}

/// Files about to be written.
#[derive(Debug)]
pub struct Outputs {
    targets: Vec<Target>,
    /// Our own files of an earlier run that this one has no use for.
    stale: Vec<PathBuf>,
    /// One temporary folder for each folder written to. Dropped before `made`.
    folders: Vec<(PathBuf, TempDir)>,
    made: MadeFolders,
    dry_run: bool,
}

#[derive(Debug)]
struct Target {
    path: PathBuf,
    /// Which of `folders` its temporary file lies in.
    folder: usize,
}

/// What was written.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Written {
    /// Files, in the order planned.
    pub files: Vec<PathBuf>,
    /// Files of an earlier run that were taken away.
    pub removed: Vec<PathBuf>,
}

impl Outputs {
    /// Checks that all targets may be written, and makes room for them.
    ///
    /// # Errors
    /// Where one is a folder, a source, or not ours; or a folder can't be written to.
    pub fn plan(targets: &[PathBuf], stale: &[PathBuf], policy: &Policy) -> Result<Self, Error> {
        let sources: HashSet<PathBuf> =
            parallel::each(&policy.sources, |path| path.canonicalize().ok()).into_iter().flatten().collect();
        parallel::fallible(targets.len(), |at| check(&targets[at], &sources, policy.force))?;
        let is_free =
            |path: &&PathBuf| path.canonicalize().is_ok_and(|real| !sources.contains(&real)) && is_ours(path);
        let stale = stale.iter().filter(is_free).cloned().collect();
        let mut outputs = Self {
            targets: Vec::new(),
            stale,
            folders: Vec::new(),
            made: MadeFolders::default(),
            dry_run: policy.dry_run,
        };
        for target in targets {
            let folder = if policy.dry_run { 0 } else { outputs.folder_of(target)? };
            outputs.targets.push(Target { path: target.clone(), folder });
        }
        Ok(outputs)
    }

    /// The temporary folder beside a target, made where it is the first.
    fn folder_of(&mut self, target: &Path) -> Result<usize, Error> {
        let parent = match target.parent() {
            Some(parent) if !parent.as_os_str().is_empty() => parent,
            _ => Path::new("."),
        };
        if let Some(at) = self.folders.iter().position(|(folder, _)| folder == parent) {
            return Ok(at);
        }
        self.made.make(parent)?;
        let temporary = tempfile::Builder::new().prefix(".shibori-").tempdir_in(parent);
        self.folders.push((parent.to_owned(), temporary.map_err(|error| Error::write(parent, error))?));
        Ok(self.folders.len() - 1)
    }

    /// Writes the bytes of target `at` to its temporary place. May be called from several threads. A target that holds
    /// these bytes already is left alone, so that nothing that watches it sees a change.
    pub fn stage(&self, at: usize, bytes: &[u8]) -> Result<(), Error> {
        let holds_them = |path: &Path| {
            let is_as_long = fs::metadata(path).is_ok_and(|old| old.len() == bytes.len() as u64);
            is_as_long && fs::read(path).is_ok_and(|old| old == bytes)
        };
        if self.dry_run || holds_them(&self.targets[at].path) {
            return Ok(());
        }
        fs::write(self.staged(at), bytes).map_err(|error| Error::write(&self.targets[at].path, error))
    }

    fn staged(&self, at: usize) -> PathBuf {
        self.folders[self.targets[at].folder].1.path().join(at.to_string())
    }

    /// Puts all staged files in place.
    pub fn commit(mut self) -> Result<Written, Error> {
        let files = self.targets.iter().map(|target| target.path.clone()).collect();
        if self.dry_run {
            return Ok(Written { files, removed: std::mem::take(&mut self.stale) });
        }
        let put = |at: usize| {
            let target = &self.targets[at];
            let staged = self.staged(at);
            // What holds its bytes already was not staged.
            if !staged.exists() {
                return Ok(());
            }
            fs::rename(staged, &target.path).map_err(|error| Error::write(&target.path, error))
        };
        // The last target, a manifest, says what the others are: until they all lie there, the old one stays.
        let last = self.targets.len().saturating_sub(1);
        parallel::fallible(last, put)?;
        (last..self.targets.len()).try_for_each(put)?;
        self.made.keep();
        for path in &self.stale {
            fs::remove_file(path).map_err(|error| Error::write(path, error))?;
        }
        Ok(Written { files, removed: std::mem::take(&mut self.stale) })
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
    seal::is_whole(&bytes) || crate::manifest::parse(&bytes).is_ok() || crate::export::is_our_table(&bytes)
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
        let outputs = Outputs::plan(&targets, &[], &Policy::default()).unwrap();
        outputs.stage(0, b"half").unwrap();
        drop(outputs);
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
        let outputs = Outputs::plan(std::slice::from_ref(&path), &[], &Policy::default()).unwrap();
        outputs.stage(0, &ours).unwrap();
        assert_eq!(outputs.commit().unwrap().files, std::slice::from_ref(&path));
        assert_eq!(fs::metadata(&path).unwrap().modified().unwrap(), long_ago);
        let outputs = Outputs::plan(std::slice::from_ref(&path), &[], &Policy::default()).unwrap();
        outputs.stage(0, b"new").unwrap();
        outputs.commit().unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"new");
    }

    #[test]
    fn only_our_own_untouched_files_are_replaced_or_taken_away() {
        let ours = png(&image::RgbaImage::new(1, 1)).unwrap();
        let mut edited = ours.clone();
        edited[40] ^= 1;
        let folder = folder_with(&[("ours.png", &ours), ("edited.png", &edited), ("text.txt", b"hello")]);
        let path = |name: &str| folder.path().join(name);
        let plan = |name: &str, policy: &Policy| {
            Outputs::plan(&[path(name)], &[path("edited.png"), path("ours.png")], policy)
        };
        let policy = Policy::default();
        assert_eq!(plan("new.png", &policy).unwrap().stale, [path("ours.png")]);
        for name in ["edited.png", "text.txt"] {
            let error = plan(name, &policy).unwrap_err();
            assert!(matches!(error, Error::Write { problem: WriteProblem::NotOurs, .. }));
            assert!(plan(name, &Policy { force: true, ..Policy::default() }).is_ok());
        }
        let source = Policy { force: true, sources: vec![path("ours.png")], dry_run: false };
        let error = plan("ours.png", &source).unwrap_err();
        assert!(matches!(error, Error::Write { problem: WriteProblem::IsSource, .. }));
    }
}
