//! A folder beside the targets of a run, where their bytes wait, and where the old files are set aside while the new ones are
//! moved in. What a run that was killed left there is healed by the next one that writes into the same folder.
//!
//! A staging folder is called `.shibori-` and the time it was made; its `lock` is held while its run lives. `N.new` are bytes that wait,
//! `N.old` is what lay in the place of target `N`. Before anything is moved, a `journal` says which is which; from then on,
//! either the mark `done` lies in the first of the run's staging folders, and everything is in place, or all moves are undone:
//! what happened to a target can be read off which of its files are still here.

use std::fs::{self, File, TryLockError};
use std::io;
use std::path::{Component, Path, PathBuf};
use std::process;
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, RwLock, RwLockWriteGuard};
use std::time::SystemTime;

use serde::{Deserialize, Serialize};

use crate::write::disk::{Disk, RealDisk};
use crate::write::os_text::OsText;

const PREFIX: &str = ".shibori-";
const LOCK: &str = "lock";
const JOURNAL: &str = "journal";
const TARGETS: &str = "targets";
const DONE: &str = "done";

/// Staging folders of this process that are still there, for the moment when it is interrupted.
static LIVE: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());
/// Folders that runs of this process made and that may be empty.
static MADE: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());
/// Held while files are moved into place: an interruption waits for that.
static MOVING: Mutex<()> = Mutex::new(());
/// Shared by all that make folders and write files that wait; an interruption closes it, so that nothing new comes while it takes away
/// what is there.
static GATE: RwLock<()> = RwLock::new(());

/// A staging folder of this run.
#[derive(Debug)]
pub(super) struct Staging {
    /// Where the targets lie.
    folder: PathBuf,
    path: PathBuf,
    /// Held as long as the run lives.
    lock: Option<File>,
    disk: Arc<dyn Disk>,
}

/// What is about to be moved, written before the first move.
#[derive(Debug, Default, Deserialize, Serialize)]
struct Journal {
    /// The staging folder in which the mark lies when all is done.
    first: OsText,
    moves: Vec<Move>,
    /// In the first one: all staging folders of the run.
    all: Vec<OsText>,
    /// In the first one: folders that the run made.
    made: Vec<OsText>,
}

/// One target of a staging folder.
#[derive(Clone, Debug, Deserialize, Serialize)]
pub(super) struct Move {
    /// Its number.
    pub(super) at: usize,
    /// Its name.
    pub(super) file: OsText,
    /// Whether something lies there already.
    pub(super) has_old: bool,
    /// Whether something new goes there; else what lies there goes.
    pub(super) has_new: bool,
}

impl Staging {
    /// Makes a staging folder beside targets, after healing what runs that were killed left there.
    pub(super) fn open(folder: &Path, disk: &Arc<dyn Disk>) -> io::Result<Self> {
        static NEXT: AtomicU32 = AtomicU32::new(0);
        let folder = fs::canonicalize(folder)?;
        heal(&folder);
        let number = NEXT.fetch_add(1, Ordering::Relaxed);
        // Names sort by time: of two runs on one file the first goes first.
        let time = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).map_or(0, |time| time.as_nanos());
        let path = folder.join(format!("{PREFIX}{time:024}-{}-{number}", process::id()));
        let mut staging = Self { folder, path, lock: None, disk: Arc::clone(disk) };
        let lock = gated(|| {
            // Known before it is there: other runs of this process leave it alone.
            live().push(staging.path.clone());
            disk.create_folder(&staging.path)?;
            File::create(staging.path.join(LOCK))
        });
        let lock = lock?;
        // A file system without locks can't tell a run that lives from one that was killed; then nothing is healed.
        let _ = lock.lock();
        staging.lock = Some(lock);
        // Another process may have taken it for one that was killed, in the moment before it was locked.
        if !staging.path.join(LOCK).exists() {
            return Err(io::ErrorKind::NotFound.into());
        }
        Ok(staging)
    }

    pub(super) fn path(&self) -> &Path {
        &self.path
    }

    pub(super) fn new_file(&self, at: usize) -> PathBuf {
        self.path.join(format!("{at}.new"))
    }

    /// Says which files are to be written here, so that other runs can wait.
    pub(super) fn announce(&self, files: &[String]) -> io::Result<()> {
        gated(|| self.disk.write(&self.path.join(TARGETS), files.join("\n").as_bytes()))
    }

    /// Another run that lives and is to write one of these files, and came first; its process.
    pub(super) fn rival(&self, files: &[String]) -> Option<u32> {
        let others = staging_folders(&self.folder).into_iter().filter(|path| *path < self.path);
        others.filter(|path| *path != self.path && is_held(path)).find_map(|path| {
            let text = fs::read_to_string(path.join(TARGETS)).ok()?;
            let is_shared = text.lines().any(|line| files.iter().any(|file| file == line));
            let name = path.file_name()?.to_string_lossy().into_owned();
            let process = name.strip_prefix(PREFIX)?.split('-').nth(1)?.parse().ok()?;
            is_shared.then_some(process)
        })
    }

    /// Writes down what is about to be moved.
    pub(super) fn write_journal(
        &self,
        moves: &[Move],
        first: &Path,
        all: &[PathBuf],
        made: &[PathBuf],
    ) -> io::Result<()> {
        let listed = |paths: &[PathBuf]| -> Vec<OsText> {
            let paths = paths.iter().filter(|_| first == self.path);
            paths.map(|path| OsText::from(path.clone())).collect()
        };
        let (all, made) = (listed(all), listed(made));
        let journal = Journal { first: first.to_owned().into(), moves: moves.to_vec(), all, made };
        let text = serde_json::to_vec(&journal).map_err(io::Error::other)?;
        self.disk.write(&self.path.join(JOURNAL), &text)
    }

    /// Sets an old file aside and moves the new one in.
    pub(super) fn make_move(&self, one: &Move) -> io::Result<()> {
        let target = self.folder.join(&one.file.0);
        if one.has_old {
            self.disk.rename(&target, &old_file(&self.path, one.at))?;
        }
        if one.has_new { self.disk.rename(&self.new_file(one.at), &target) } else { Ok(()) }
    }

    /// Marks that everything is in place.
    pub(super) fn mark_done(&self) -> io::Result<()> {
        self.disk.write(&self.path.join(DONE), b"")
    }
}

impl Drop for Staging {
    /// Undoes moves that are not done, and takes the folder away.
    fn drop(&mut self) {
        // An interruption would take it away at the same time.
        let _moving = MOVING.lock().unwrap_or_else(PoisonError::into_inner);
        settle(&self.path);
        self.lock = None;
        take_away(&self.path);
        live().retain(|path| *path != self.path);
    }
}

fn live() -> MutexGuard<'static, Vec<PathBuf>> {
    LIVE.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Folders that runs of this process made, for the moment when it is interrupted.
pub(super) fn made() -> MutexGuard<'static, Vec<PathBuf>> {
    MADE.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Makes folders, or files that wait, so that an interruption knows of all of them. Not within itself.
pub(super) fn gated<T>(make: impl FnOnce() -> T) -> T {
    let _gate = GATE.read().unwrap_or_else(PoisonError::into_inner);
    make()
}

/// Runs `moves` so that no interruption comes in between.
pub(super) fn uninterrupted<T>(moves: impl FnOnce() -> T) -> T {
    let _moving = MOVING.lock().unwrap_or_else(PoisonError::into_inner);
    moves()
}

/// While this is held, no file is prepared or put in place.
#[derive(Debug)]
#[must_use = "other threads go on writing as soon as it is dropped"]
pub struct Abandoned {
    _gate: RwLockWriteGuard<'static, ()>,
    _moving: MutexGuard<'static, ()>,
}

/// Takes away what this process has made ready and not put in place. For the moment when it is interrupted: files that are
/// just being moved are all moved first. A process that ends keeps what this gives until then.
pub fn abandon() -> Abandoned {
    let gate = GATE.write().unwrap_or_else(PoisonError::into_inner);
    let moving = MOVING.lock().unwrap_or_else(PoisonError::into_inner);
    let paths: Vec<PathBuf> = live().drain(..).collect();
    paths.iter().for_each(|path| settle(path));
    // The first one holds the mark that all is done, so it goes last.
    paths.iter().rev().for_each(|path| take_away(path));
    for folder in made().drain(..).rev() {
        // Only empty folders go, and one that stays hurts nobody.
        let _ = RealDisk.remove_folder(&folder);
    }
    Abandoned { _gate: gate, _moving: moving }
}

/// Heals what runs that were killed left in a folder.
pub fn heal(folder: &Path) {
    // Staging folders of this process are known by their real names.
    let Ok(folder) = &fs::canonicalize(folder) else { return };
    for path in staging_folders(folder) {
        let is_own = live().contains(&path);
        if !is_own && is_left(&path) {
            settle(&path);
            take_away(&path);
        }
    }
}

fn staging_folders(folder: &Path) -> Vec<PathBuf> {
    let Ok(entries) = fs::read_dir(folder) else { return Vec::new() };
    let is_ours = |path: &PathBuf| {
        path.file_name().is_some_and(|name| name.to_string_lossy().starts_with(PREFIX)) && path.is_dir()
    };
    let mut found: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).filter(is_ours).collect();
    found.sort();
    found
}

/// Whether the run of a staging folder is gone. Then its lock goes at once, while it is held: a run that was just about to take it sees
/// that, and makes itself another folder.
fn is_left(path: &Path) -> bool {
    let file = path.join(LOCK);
    match File::open(&file) {
        Ok(lock) if lock.try_lock().is_ok() => {
            let _ = RealDisk.remove_file(&file);
            true
        }
        _ => !is_held(path),
    }
}

/// Whether the run of a staging folder lives. One that is just being made has no lock yet and counts as living.
fn is_held(path: &Path) -> bool {
    match File::open(path.join(LOCK)) {
        Ok(lock) => matches!(lock.try_lock(), Err(TryLockError::WouldBlock)),
        Err(_) => path.read_dir().is_ok_and(|mut entries| entries.next().is_none()) && is_young(path),
    }
}

fn is_young(path: &Path) -> bool {
    let age = fs::metadata(path).and_then(|meta| meta.modified()).ok().and_then(|made| made.elapsed().ok());
    age.is_none_or(|age| age.as_secs() < 60)
}

/// Undoes the moves of a staging folder unless its run was done; those of the run's other folders, too.
fn settle(path: &Path) {
    let Some(journal) = journal_of(path) else { return };
    let first = Path::new(&journal.first.0);
    if first.join(DONE).exists() {
        return;
    }
    if first != path && first.is_dir() && !is_held(first) {
        // The first one knows all the others.
        settle(first);
        return;
    }
    for other in journal.all.iter().map(|other| Path::new(&other.0)).filter(|other| *other != path) {
        if let Some(journal) = journal_of(other) {
            undo(other, &journal.moves);
        }
    }
    undo(path, &journal.moves);
    for folder in journal.made.iter().rev() {
        // Only empty folders go, and one that stays hurts nobody.
        let _ = RealDisk.remove_folder(Path::new(&folder.0));
    }
}

/// The journal of a staging folder. One that names anything but files beside the folder is none of ours: what it says is not done.
fn journal_of(path: &Path) -> Option<Journal> {
    let journal: Journal = serde_json::from_slice(&fs::read(path.join(JOURNAL)).ok()?).ok()?;
    let is_plain = |one: &Move| {
        let mut parts = Path::new(&one.file.0).components();
        matches!((parts.next(), parts.next()), (Some(Component::Normal(name)), None) if name == one.file.0)
    };
    journal.moves.iter().all(is_plain).then_some(journal)
}

fn undo(path: &Path, moves: &[Move]) {
    let Some(folder) = path.parent() else { return };
    for one in moves.iter().rev() {
        let (target, old) = (folder.join(&one.file.0), old_file(path, one.at));
        let was_moved_in = one.has_new && !path.join(format!("{}.new", one.at)).exists();
        if old.exists() {
            // What can't be put back stays beside, where its owner finds it.
            let _ = RealDisk.rename(&old, &target);
        } else if was_moved_in && !one.has_old {
            let _ = RealDisk.remove_file(&target);
        }
    }
    // The moves are undone: what is left here means nothing any more.
    let _ = RealDisk.remove_file(&path.join(JOURNAL));
}

fn old_file(path: &Path, at: usize) -> PathBuf {
    path.join(format!("{at}.old"))
}

/// Takes a staging folder away, unless files that were set aside could not be put back.
fn take_away(path: &Path) {
    let is_done = path.join(DONE).exists()
        || journal_of(path).is_some_and(|j| Path::new(&j.first.0).join(DONE).exists());
    let Ok(entries) = fs::read_dir(path) else { return };
    for entry in entries.flatten() {
        let file = entry.path();
        match entry.file_name().to_string_lossy().as_ref() {
            // While these lie here, what is left can still be understood.
            DONE | JOURNAL => {}
            name if name.ends_with(".old") && !is_done => {}
            _ => drop(RealDisk.remove_file(&file)),
        }
    }
    // A journal without the mark would be taken for moves to undo.
    for name in [JOURNAL, DONE] {
        let _ = RealDisk.remove_file(&path.join(name));
    }
    let _ = RealDisk.remove_folder(path);
}
