//! Undoing runs: what their files held before, and putting that back.
//!
//! A transaction with an [`UndoLog`] notes what each file held before it is replaced. [`UndoLog::take`] gives all that was
//! noted since as one change, and [`Undo::restore`] puts it back as a run of its own, records included, so that a
//! later run finds what it would have found without the change.

use std::collections::{BTreeSet, HashMap};
use std::ffi::OsStr;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use crate::FileError;
use crate::store::file_system::{FileSystem, OsFileSystem, read_if_there};
use crate::store::journal::Move;
use crate::store::staging::{Staging, with_interrupt_gate};
use crate::store::{Digest, HIDDEN_FOLDER, OsText};

/// Notes what files held before runs replaced or removed them. Clones note into the same log.
#[derive(Clone, Debug, Default)]
pub struct UndoLog(Arc<Mutex<Undo>>);

/// Files of one or several runs, as they were before.
#[derive(Debug, Default)]
pub struct Undo {
    files: Vec<Change>,
    known: HashMap<PathBuf, usize>,
    /// Folders that the runs made.
    made: BTreeSet<PathBuf>,
}

#[derive(Clone, Debug)]
struct Change {
    file: PathBuf,
    before: Option<Vec<u8>>,
    after: Option<Digest>,
}

impl UndoLog {
    /// All that was noted since the last call.
    pub fn take(&self) -> Undo {
        std::mem::take(&mut *self.lock())
    }

    fn lock(&self) -> MutexGuard<'_, Undo> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Notes a run that is put in place. Of a file of an earlier run, what it held before that one counts.
    pub(super) fn note(&self, run: Undo) {
        let mut all = self.lock();
        all.made.extend(run.made);
        for change in run.files {
            match all.known.get(&change.file).copied() {
                Some(at) => all.files[at].after = change.after,
                None => {
                    let at = all.files.len();
                    all.known.insert(change.file.clone(), at);
                    all.files.push(change);
                }
            }
        }
    }
}

impl Undo {
    /// What is there before a run moves these files.
    pub(super) fn of_moves(moves: &[Move], staging: &Staging, disk: &dyn FileSystem) -> io::Result<Self> {
        let mut undo = Self::default();
        for one in moves {
            let folder = staging.real_folder(one.folder);
            let file = folder.join(&one.file.0);
            if is_new(folder) {
                // Those above it that hold nothing else were made for it.
                let above = folder.ancestors().zip(folder.ancestors().skip(1));
                let above = above.take_while(|(below, above)| holds_only(above, below.file_name()));
                undo.made.extend(above.map(|(_, above)| above.to_owned()));
                undo.made.insert(folder.to_owned());
            }
            undo.files.push(Change { before: read_if_there(disk, &file)?, after: one.after, file });
        }
        Ok(undo)
    }

    /// Whether there is nothing to put back.
    pub fn is_empty(&self) -> bool {
        self.files.is_empty()
    }

    /// Bytes of memory it takes.
    pub fn bytes(&self) -> usize {
        self.files.iter().map(|change| change.before.as_ref().map_or(0, Vec::len)).sum()
    }

    /// Files that somebody changed after the runs; putting back what was there would lose that.
    ///
    /// # Errors
    /// If one can't be read.
    pub fn changed_since(&self) -> Result<Vec<PathBuf>, FileError> {
        let mut changed = Vec::new();
        for Change { file, after, .. } in self.files.iter().filter(|change| !is_record(&change.file)) {
            let current =
                read_if_there(&OsFileSystem, file).map_err(|error| FileError::write(file, error))?;
            if current.map(|bytes| Digest::of(&bytes)) != *after {
                changed.push(file.clone());
            }
        }
        Ok(changed)
    }

    /// Puts every file back as it was: all of them or, if any of it fails, none. Gives the files put back and those
    /// removed, in order.
    ///
    /// # Errors
    /// If a file can't be put in its place.
    pub fn restore(&self) -> Result<(Vec<PathBuf>, Vec<PathBuf>), FileError> {
        self.restore_on(&(Arc::new(OsFileSystem) as Arc<dyn FileSystem>))
    }

    pub(super) fn restore_on(
        &self,
        disk: &Arc<dyn FileSystem>,
    ) -> Result<(Vec<PathBuf>, Vec<PathBuf>), FileError> {
        let mut staging = Staging::new(Arc::clone(disk));
        let mut moves = Vec::new();
        let (mut back, mut removed) = (Vec::new(), Vec::new());
        for (number, Change { file, before, .. }) in self.files.iter().enumerate() {
            let fault = |error| FileError::write(file, error);
            let current = read_if_there(&**disk, file).map_err(fault)?;
            if current == *before {
                continue;
            }
            let name = OsText(file.file_name().unwrap_or_default().to_owned());
            let parent = file.parent().unwrap_or(Path::new(""));
            let (folder, file) = match is_record(file) {
                true => {
                    (parent.parent().unwrap_or(Path::new("")), Path::new(HIDDEN_FOLDER).join(&name.0).into())
                }
                false => (parent, name),
            };
            let folder = staging.open(folder).map_err(fault)?;
            if let Some(bytes) = before {
                let staged = staging.staged_file(folder, number);
                with_interrupt_gate(|| disk.write(&staged, bytes)).map_err(fault)?;
                disk.sync(&staged).map_err(fault)?;
            }
            let digest = |bytes: &Option<Vec<u8>>| bytes.as_ref().map(|bytes| Digest::of(bytes));
            moves.push(Move { folder, number, file, before: digest(&current), after: digest(before) });
        }
        for Change { file, before, .. } in self.files.iter().filter(|change| !is_record(&change.file)) {
            if before.is_some() { &mut back } else { &mut removed }.push(file.clone());
        }
        if !moves.is_empty() {
            staging.commit(moves).map_err(|problem| problem.into_error(&self.files[0].file))?;
        }
        drop(staging);
        // The deepest first. One in which somebody put something stays.
        for folder in self.made.iter().rev().filter(|folder| is_new(folder)) {
            let hidden = folder.join(HIDDEN_FOLDER);
            let _ = disk.remove_file(&hidden.join(".gitignore"));
            let _ = disk.remove_folder(&hidden);
            let _ = disk.remove_folder(folder);
        }
        Ok((back, removed))
    }
}

/// Whether a file is a ledger, in the hidden folder.
fn is_record(file: &Path) -> bool {
    file.parent().and_then(Path::file_name).is_some_and(|name| name == HIDDEN_FOLDER)
}

/// Whether nothing but the hidden folder is in a folder, and no record in that.
fn is_new(folder: &Path) -> bool {
    let is_of_run = |name: &OsStr| name == ".gitignore" || name.to_string_lossy().starts_with("run-");
    has_only(folder, |name| name == HIDDEN_FOLDER) && has_only(&folder.join(HIDDEN_FOLDER), is_of_run)
}

fn holds_only(folder: &Path, name: Option<&OsStr>) -> bool {
    has_only(folder, |other| Some(other) == name)
}

fn has_only(folder: &Path, is_known: impl Fn(&OsStr) -> bool) -> bool {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries.map(|entry| entry.file_name()).all(|name| is_known(&name))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::store::{Policy, Transaction};

    fn write(log: &UndoLog, files: &[(&Path, &[u8])], orphans: &[PathBuf]) {
        let run = Transaction::new(Policy { force: true, ..Policy::default() }).with_undo(log.clone());
        let targets: Vec<PathBuf> = files.iter().map(|(path, _)| path.to_path_buf()).collect();
        let batch = run.plan(&targets, orphans).unwrap();
        for (at, (_, bytes)) in files.iter().enumerate() {
            batch.stage(at, bytes).unwrap();
        }
        drop(batch);
        run.commit().unwrap();
    }

    fn everything(folder: &Path) -> Vec<(PathBuf, Vec<u8>)> {
        let mut paths: Vec<PathBuf> =
            fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
        paths.sort();
        let files = paths.into_iter().flat_map(|path| match path.is_dir() {
            true => everything(&path),
            false => vec![(path.clone(), fs::read(path).unwrap())],
        });
        files.filter(|(path, _)| !path.ends_with(".gitignore")).collect()
    }

    #[test]
    fn several_runs_are_taken_back_as_one_with_their_records_and_folders() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().canonicalize().unwrap();
        let path = |name: &str| root.join(name);
        let log = UndoLog::default();
        write(&log, &[(&path("old.txt"), b"1"), (&path("a.txt"), b"1")], &[]);
        log.take();
        let before = everything(&root);
        write(&log, &[(&path("a.txt"), b"2"), (&path("new/deep/b.txt"), b"2")], &[path("old.txt")]);
        write(&log, &[(&path("a.txt"), b"3"), (&path("new/c.txt"), b"3")], &[]);
        let undo = log.take();
        assert!(log.take().is_empty() && undo.bytes() > 1);
        assert_eq!(undo.changed_since().unwrap(), [] as [PathBuf; 0]);
        let (back, removed) = undo.restore().unwrap();
        assert_eq!((back.len(), removed.len()), (2, 2), "{back:?} {removed:?}");
        assert_eq!(everything(&root), before);
        assert!(!path("new").exists());
    }

    #[test]
    fn files_changed_since_are_named_and_a_folder_with_something_else_stays() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().canonicalize().unwrap();
        let path = |name: &str| root.join(name);
        let log = UndoLog::default();
        write(&log, &[(&path("set/a.txt"), b"1"), (&path("set/b.txt"), b"1")], &[]);
        fs::write(path("set/a.txt"), b"paint").unwrap();
        fs::write(path("set/mine.txt"), b"x").unwrap();
        let undo = log.take();
        assert_eq!(undo.changed_since().unwrap(), [path("set/a.txt")]);
        undo.restore().unwrap();
        assert!(!path("set/a.txt").exists() && path("set/mine.txt").exists());
    }
}
