//! The one transaction through which every file of a run goes, over all its steps.
//!
//! A step plans its files as a [`Batch`]: every target is checked before any work is done, against the sources of the run
//! and against the targets of other steps. Its bytes go into a staging folder beside their targets. At the end
//! [`Transaction::commit`] looks once more whether anybody changed a target meanwhile, and moves all files into place: the old ones
//! are set aside first, and put back where any move fails. A run that is killed half way is healed by the next one that
//! writes into the same folder. Sources are never written over; a file that shibori did not
//! write, or that was changed since, only with --force.

use std::collections::{HashMap, HashSet};
use std::fs;
use std::path::{Component, Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant, SystemTime};

use crate::ShownPath;
use crate::write::disk::{Disk, RealDisk};
use crate::write::names::check_new;
use crate::write::os_text::OsText;
use crate::write::replace::Old;
use crate::write::seal;
use crate::write::staging::{self, Move, Staging};
use crate::{Error, Waiting, WriteProblem};
use shibori_core::{Budget, parallel};

/// What may be replaced.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Policy {
    /// Replace files that are not ours.
    pub force: bool,
    /// Only check; write nothing.
    pub dry_run: bool,
    /// Take over from a manifest that is replaced what the new one lacks.
    pub carry: bool,
    /// A recipe's build writes: manifests say so, and what is as a build wrote it may be replaced by anything the recipe says.
    pub built: bool,
}

/// All files that a run writes.
#[derive(Debug)]
pub struct Transaction {
    policy: Policy,
    /// What pictures that are encoded may take, together with all others of the run.
    memory: Budget,
    disk: Arc<dyn Disk>,
    waiting: Waiting,
    /// Files that are known to be shibori's though nothing in them says so, by the hashes of what they may hold.
    trusted: HashMap<PathBuf, Vec<blake3::Hash>>,
    state: Mutex<State>,
}

#[derive(Debug, Default)]
struct State {
    sources: HashSet<PathBuf>,
    /// Manifests whose content was looked at and may go.
    cleared: HashSet<PathBuf>,
    batches: Vec<Arc<Files>>,
    /// What each target is known by, and how it was named.
    targets: HashMap<PathBuf, PathBuf>,
    /// One staging folder for each folder written to. Dropped before `made`.
    folders: Vec<(PathBuf, Staging)>,
    made: MadeFolders,
}

/// The files of one step.
#[derive(Debug)]
pub struct Batch {
    files: Arc<Files>,
    disk: Arc<dyn Disk>,
    waiting: Waiting,
}

#[derive(Debug)]
struct Files {
    targets: Vec<Target>,
    /// Our own files of an earlier run that this one has no use for.
    stale: Vec<Target>,
}

#[derive(Debug)]
struct Target {
    path: PathBuf,
    /// Its staging folder, and where its bytes wait there; none in a dry run.
    staged: Option<(usize, PathBuf)>,
    /// What lay there when it was planned.
    before: Option<Print>,
}

/// By what a file is known to be the same as before.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Print {
    length: u64,
    modified: Option<SystemTime>,
}

/// What a step writes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Written {
    /// Files, in the order planned.
    pub files: Vec<PathBuf>,
    /// Files of an earlier run that are taken away.
    pub removed: Vec<PathBuf>,
}

impl Default for Transaction {
    fn default() -> Self {
        Self::new(Policy::default())
    }
}

impl Transaction {
    /// A transaction without files.
    pub fn new(policy: Policy) -> Self {
        Self::on(Arc::new(RealDisk), policy)
    }

    pub(super) fn on(disk: Arc<dyn Disk>, policy: Policy) -> Self {
        let (memory, waiting, trusted) = (Budget::default(), Waiting::default(), HashMap::new());
        Self { policy, memory, disk, waiting, trusted, state: Mutex::default() }
    }

    /// The same with files that an earlier run wrote, by the hash (BLAKE3) of what it wrote: as long as they hold just that,
    /// they may be replaced and taken away.
    pub fn trusting(self, files: impl IntoIterator<Item = (PathBuf, [u8; 32])>) -> Self {
        let mut trusted: HashMap<PathBuf, Vec<blake3::Hash>> = HashMap::new();
        for (path, hash) in files {
            trusted.entry(identity(&path)).or_default().push(blake3::Hash::from_bytes(hash));
        }
        Self { trusted, ..self }
    }

    /// Where files of this run wait until they are put in place.
    pub fn waiting(&self) -> &Waiting {
        &self.waiting
    }

    /// Whether a file holds what an earlier run is known to have written.
    fn is_trusted(&self, path: &Path, bytes: &[u8]) -> bool {
        let hashes = || self.trusted.get(&identity(path));
        !self.trusted.is_empty() && hashes().is_some_and(|known| known.contains(&blake3::hash(bytes)))
    }

    /// Whether shibori wrote a file and nobody changed it since.
    fn is_ours(&self, path: &Path) -> bool {
        fs::read(path).is_ok_and(|bytes| seal::is_whole(&bytes) || self.is_trusted(path, &bytes))
    }

    /// The same with a limit on memory.
    pub fn within(self, memory: Budget) -> Self {
        Self { memory, ..self }
    }

    /// What pictures that are encoded may take.
    pub(super) fn memory(&self) -> &Budget {
        &self.memory
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

    /// Lets a file be "replaced" that holds just these bytes already: whoever wrote it loses nothing.
    pub(crate) fn clear_same(&self, path: &Path, bytes: &[u8]) {
        let is_as_long = fs::metadata(path).is_ok_and(|old| old.len() == bytes.len() as u64);
        if is_as_long && fs::read(path).is_ok_and(|old| old == bytes) {
            self.clear(path);
        }
    }

    /// Lets a manifest be replaced: what is in it was looked at, and nothing of it is lost.
    pub(super) fn clear(&self, manifest: &Path) {
        self.state().cleared.insert(manifest.to_owned());
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
        check_new(targets)?;
        let mut own: HashMap<PathBuf, PathBuf> = HashMap::with_capacity(targets.len());
        for (target, identity) in targets.iter().zip(parallel::each(targets, |path| identity(path))) {
            if state.targets.contains_key(&identity) {
                return Err(Error::write(target, WriteProblem::TwoSteps));
            }
            if let Some(first) = own.insert(identity, target.clone()) {
                let (first, second) = (first.shown().to_string(), target.shown().to_string());
                return Err(Error::write(target, WriteProblem::Twice { first, second }));
            }
        }
        if !self.policy.dry_run {
            state.make_room(targets, &self.disk)?;
        }
        let may_go = |target: &Path| force || state.cleared.contains(target);
        parallel::fallible(targets.len(), |at| {
            self.check(&targets[at], &state.sources, may_go(&targets[at]))
        })?;
        state.targets.extend(own);
        let number: usize = state.batches.iter().map(|files| files.targets.len() + files.stale.len()).sum();
        let planned = |(at, path): (usize, &PathBuf)| {
            let staged =
                state.staging_of(path).map(|(folder, staging)| (folder, staging.new_file(number + at)));
            Target { path: path.clone(), staged, before: print(path) }
        };
        let is_free = |path: &&PathBuf| {
            path.canonicalize().is_ok_and(|real| !state.sources.contains(&real))
                && !state.targets.contains_key(&identity(path))
                && self.is_ours(path)
        };
        let stale: Vec<PathBuf> = stale.iter().filter(is_free).cloned().collect();
        let files = Files {
            targets: targets.iter().enumerate().map(planned).collect(),
            stale: stale
                .into_iter()
                .map(|path| Target { before: print(&path), path, staged: None })
                .collect(),
        };
        let files = Arc::new(files);
        state.batches.push(Arc::clone(&files));
        Ok(Batch { files, disk: Arc::clone(&self.disk), waiting: self.waiting.clone() })
    }

    fn check(&self, target: &Path, sources: &HashSet<PathBuf>, may_go: bool) -> Result<(), Error> {
        if target.is_dir() {
            return Err(Error::write(target, WriteProblem::IsFolder));
        }
        if target.canonicalize().is_ok_and(|real| sources.contains(&real)) {
            return Err(Error::write(target, WriteProblem::IsSource));
        }
        if may_go || !target.exists() {
            return Ok(());
        }
        let bytes = fs::read(target).unwrap_or_default();
        if self.is_trusted(target, &bytes) {
            return Ok(());
        }
        let is_sealed = seal::is_whole(&bytes);
        match Old::of(&bytes).filter(|old| !self.policy.built || !old.is_built()) {
            Some(old) => {
                Err(Error::write(target, WriteProblem::OtherSprites { sprites: old.manifest.sprites() }))
            }
            None if is_sealed => Ok(()),
            None => Err(Error::write(target, WriteProblem::NotOurs)),
        }
    }

    /// Puts all staged files in place, and takes away what is left of earlier runs: all of it, or, where any of it fails,
    /// nothing. In a dry run nothing happens.
    ///
    /// # Errors
    /// Where a target was changed since it was planned, or a file can't be put in its place.
    pub fn commit(self) -> Result<(), Error> {
        let mut state = self.state.into_inner().unwrap_or_else(PoisonError::into_inner);
        if self.policy.dry_run {
            return Ok(());
        }
        let moves = state.moves(&self.disk)?;
        if state.folders.is_empty() {
            return Ok(());
        }
        staging::uninterrupted(|| state.move_all(&moves))?;
        // The first folder holds the mark that all is done, so it goes last.
        while state.folders.pop().is_some() {}
        state.made.keep();
        Ok(())
    }
}

/// The moves of each staging folder, and the target of each.
type Moves = Vec<Vec<(Move, PathBuf)>>;

impl State {
    /// Makes folders, and staging folders in them, and waits for other runs that are to write the same files.
    fn make_room(&mut self, targets: &[PathBuf], disk: &Arc<dyn Disk>) -> Result<(), Error> {
        let mut names: HashMap<PathBuf, Vec<String>> = HashMap::new();
        for target in targets {
            names.entry(folder_of(target).to_owned()).or_default().push(name_of(target));
        }
        let mut parents: Vec<PathBuf> = names.keys().cloned().collect();
        parents.sort();
        for parent in parents {
            let mut files = names.remove(&parent).unwrap_or_default();
            self.open_folder(&parent, disk)?;
            let staging = &self.staging_at(&parent).expect("it was made").1;
            // A staging folder may serve several steps.
            files.extend(
                self.batches
                    .iter()
                    .flat_map(|batch| &batch.targets)
                    .filter(|target| folder_of(&target.path) == parent)
                    .map(|target| name_of(&target.path)),
            );
            staging.announce(&files).map_err(|error| Error::write(&parent, error))?;
            wait_for_rivals(staging, &files, &parent)?;
        }
        Ok(())
    }

    fn open_folder(&mut self, parent: &Path, disk: &Arc<dyn Disk>) -> Result<(), Error> {
        if self.staging_at(parent).is_some() {
            return Ok(());
        }
        let mut tries = 0;
        let staging = loop {
            self.made.make(parent, disk)?;
            tries += 1;
            match Staging::open(parent, disk) {
                Ok(staging) => break staging,
                // Another run that made the folder took it away again in the same moment.
                Err(error) if error.kind() == std::io::ErrorKind::NotFound && tries < TRIES => {}
                Err(error) => return Err(Error::write(parent, error)),
            }
        };
        self.folders.push((parent.to_owned(), staging));
        Ok(())
    }

    fn staging_at(&self, parent: &Path) -> Option<(usize, &Staging)> {
        let mut all = self.folders.iter().enumerate();
        all.find(|(_, (folder, _))| folder == parent).map(|(at, (_, staging))| (at, staging))
    }

    fn staging_of(&self, target: &Path) -> Option<(usize, &Staging)> {
        self.staging_at(folder_of(target))
    }

    /// What is to be moved, after a last look whether anybody changed a target meanwhile.
    fn moves(&mut self, disk: &Arc<dyn Disk>) -> Result<Moves, Error> {
        let batches = self.batches.clone();
        for stale in batches.iter().flat_map(|files| &files.stale) {
            self.open_folder(folder_of(&stale.path), disk)?;
        }
        let mut moves: Moves = self.folders.iter().map(|_| Vec::new()).collect();
        let mut number = 0;
        for files in &batches {
            let targets = files.targets.iter().map(|target| (target, true));
            for (target, has_new) in targets.chain(files.stale.iter().map(|stale| (stale, false))) {
                let at = number;
                number += 1;
                // What holds its bytes already was not staged; and a later step may have had a use for what was left behind.
                let is_moved = match &target.staged {
                    Some((_, staged)) => staged.exists(),
                    None => !has_new && !self.targets.contains_key(&identity(&target.path)),
                };
                if !is_moved {
                    continue;
                }
                if print(&target.path) != target.before {
                    return Err(Error::write(&target.path, WriteProblem::ChangedMeanwhile));
                }
                let (folder, _) = self.staging_of(&target.path).expect("it was made");
                let file = OsText(target.path.file_name().unwrap_or_default().to_owned());
                let has_old = target.before.is_some();
                moves[folder].push((Move { at, file, has_old, has_new }, target.path.clone()));
            }
        }
        Ok(moves)
    }

    /// Moves everything; what was moved before something fails is put back when the staging folders are dropped.
    fn move_all(&self, moves: &Moves) -> Result<(), Error> {
        let first = self.folders[0].1.path();
        let all: Vec<PathBuf> = self.folders.iter().map(|(_, staging)| staging.path().to_owned()).collect();
        for ((folder, staging), moves) in self.folders.iter().zip(moves) {
            let moves: Vec<Move> = moves.iter().map(|(one, _)| one.clone()).collect();
            let written = staging.write_journal(&moves, first, &all, &self.made.folders);
            written.map_err(|error| Error::write(folder, error))?;
        }
        // In the order planned, so that a manifest comes after what it speaks of.
        let mut in_order: Vec<(usize, &Move, &PathBuf)> = Vec::new();
        for (folder, moves) in moves.iter().enumerate() {
            in_order.extend(moves.iter().map(|(one, target)| (folder, one, target)));
        }
        in_order.sort_by_key(|(_, one, _)| one.at);
        for (folder, one, target) in in_order {
            self.folders[folder].1.make_move(one).map_err(|error| Error::write(target, error))?;
        }
        self.folders[0].1.mark_done().map_err(|error| Error::write(&self.folders[0].0, error))
    }
}

/// How often a folder is made that other runs take away.
const TRIES: u32 = 8;

/// How long a run waits for another that writes the same files.
const PATIENCE: Duration = Duration::from_secs(10);

fn wait_for_rivals(staging: &Staging, files: &[String], parent: &Path) -> Result<(), Error> {
    let began = Instant::now();
    while let Some(process) = staging.rival(files) {
        if began.elapsed() > PATIENCE {
            return Err(Error::write(parent, WriteProblem::Busy { process }));
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    Ok(())
}

impl Batch {
    /// Writes the bytes of target `at` to its temporary place. May be called from several threads. A target that holds
    /// these bytes already is left alone, so that nothing that watches it sees a change.
    ///
    /// # Errors
    /// Where the bytes can't be written.
    pub fn stage(&self, at: usize, bytes: &[u8]) -> Result<(), Error> {
        let Target { path, staged, .. } = &self.files.targets[at];
        let holds_them = || {
            let is_as_long = fs::metadata(path).is_ok_and(|old| old.len() == bytes.len() as u64);
            is_as_long && fs::read(path).is_ok_and(|old| old == bytes)
        };
        match staged {
            Some((_, staged)) if !holds_them() => {
                let written = staging::gated(|| self.disk.write(staged, bytes));
                written.map_err(|error| Error::write(path, error))?;
                self.waiting.add(path, staged);
                Ok(())
            }
            _ => Ok(()),
        }
    }

    /// What the step writes once the run is committed.
    pub fn written(&self) -> Written {
        let paths = |targets: &[Target]| targets.iter().map(|target| target.path.clone()).collect();
        Written { files: paths(&self.files.targets), removed: paths(&self.files.stale) }
    }
}

fn folder_of(target: &Path) -> &Path {
    match target.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    }
}

fn name_of(target: &Path) -> String {
    target.file_name().unwrap_or_default().to_string_lossy().into_owned()
}

/// What a target is known by, however it is spelled: its folder without links, and its name without capitals, so that what is one
/// file on some systems is one on all.
fn identity(target: &Path) -> PathBuf {
    let whole = std::path::absolute(target).unwrap_or_else(|_| target.to_owned());
    // A folder that is there is what the system says; what is not there yet goes by its name.
    let (mut real, mut missing) = (PathBuf::new(), Vec::new());
    let mut parts = whole.components().peekable();
    while let Some(part) = parts.next() {
        match part {
            Component::Prefix(_) | Component::RootDir => real.push(part),
            Component::CurDir => {}
            Component::ParentDir => {
                if missing.pop().is_none() {
                    real.pop();
                }
            }
            Component::Normal(name) => {
                let inner = real.join(name);
                let is_folder = missing.is_empty() && parts.peek().is_some();
                match is_folder.then(|| inner.canonicalize().ok()).flatten() {
                    Some(inner) => real = inner,
                    None => missing.push(name.to_string_lossy().to_lowercase()),
                }
            }
        }
    }
    missing.into_iter().fold(real, |path, name| path.join(name))
}

fn print(path: &Path) -> Option<Print> {
    let meta = fs::symlink_metadata(path).ok()?;
    Some(Print { length: meta.len(), modified: meta.modified().ok() })
}

/// Folders made on the way, taken away again where the run fails.
#[derive(Debug, Default)]
struct MadeFolders {
    folders: Vec<PathBuf>,
}

impl MadeFolders {
    fn make(&mut self, folder: &Path, disk: &Arc<dyn Disk>) -> Result<(), Error> {
        let missing: Vec<&Path> =
            folder.ancestors().take_while(|path| !path.as_os_str().is_empty() && !path.exists()).collect();
        for path in missing.into_iter().rev() {
            let made = staging::gated(|| match disk.create_folder(path) {
                // Another run made it in the same moment; then it is not this one's to take away.
                Err(_) if path.is_dir() => Ok(false),
                made => made.map(|()| {
                    staging::made().push(path.to_owned());
                    true
                }),
            });
            if made.map_err(|error: std::io::Error| Error::write(path, error))? {
                self.folders.push(path.to_owned());
            }
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

    fn folder_with(files: &[(&str, &[u8])]) -> tempfile::TempDir {
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
        assert!(Transaction::default().is_ours(&targets[0]));
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
            let run = Transaction::new(Policy { force, ..Policy::default() });
            run.plan(&[path(name)], &[path("edited.png"), path("ours.png")])
        };
        assert_eq!(plan("new.png", false).unwrap().written().removed, [path("ours.png")]);
        for name in ["edited.png", "text.txt"] {
            let error = plan(name, false).unwrap_err();
            assert!(matches!(error, Error::Write { problem: WriteProblem::NotOurs, .. }));
            assert!(plan(name, true).is_ok());
        }
        let run = Transaction::new(Policy { force: true, ..Policy::default() });
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
