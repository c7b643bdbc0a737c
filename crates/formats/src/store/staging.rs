//! Staging: the folders in which the bytes of a run wait until all of them are there.
//!
//! A run has a folder `.shibori/run-…` in each folder that it writes to. The first is the head: it holds the `lock`, held
//! while the run lives, the list of the others, and later the journal. Each of the others points at the head. So whoever
//! finds one of them, in whichever folder, knows whether the run lives, whether it counts, and what belongs to it.
//! A run that is gone is finished if it has a journal and removed without a trace if it has none.

use std::ffi::{OsStr, OsString};
use std::fs::{self, File};
use std::hash::{BuildHasher, Hasher, RandomState};
use std::io::{self, ErrorKind};
use std::path::{Component, Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, RwLock, RwLockWriteGuard};
use std::time::{Duration, SystemTime};

use serde::{Deserialize, Serialize};

use crate::ShownPath;
use crate::store::file_system::{FileSystem, OsFileSystem, or_missing, read_if_there};
use crate::store::journal::{self, Journal, Move, Unfinished};
use crate::store::{HIDDEN_FOLDER, OsText};

const PREFIX: &str = "run-";
const LOCK: &str = "lock";
/// In the head: all folders of the run, one line each.
const FOLDERS: &str = "folders";
/// In the others: the path to the head.
const HEAD: &str = "head";
/// Main files that the run is to write in this folder, one line each.
const CLAIMS: &str = "claims";
const IGNORE: &str = ".gitignore";
/// How often a folder is made that another run, which just ended, removes again.
const TRIES: u32 = 8;
/// Far longer than a look at a lock takes.
const LOOK: Duration = Duration::from_millis(20);

/// Heads of this process's runs, for the moment when it is interrupted.
static LIVE_HEADS: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());
/// Held while files are moved into place: an interruption waits for that.
static COMMIT_LOCK: Mutex<()> = Mutex::new(());
/// Shared by all that create folders and staged files; an interruption closes it, so that nothing new appears while it
/// removes what is there.
static INTERRUPT_GATE: RwLock<()> = RwLock::new(());

/// The staging folders of a run.
#[derive(Debug)]
pub(super) struct Staging {
    disk: Arc<dyn FileSystem>,
    id: OsString,
    folders: Vec<RunFolder>,
    /// Held as long as the run lives.
    lock: Option<File>,
    /// Whether the journal is written: then nothing is taken back.
    counts: bool,
}

/// The staging folder of a run in one folder.
#[derive(Clone, Debug)]
pub(super) struct RunFolder {
    /// As the run names the folder.
    named: PathBuf,
    /// Without links.
    folder: PathBuf,
    path: PathBuf,
}

/// One line of the head's list.
#[derive(Debug, Deserialize, Serialize)]
struct FolderLine {
    /// From the head.
    folder: OsText,
    /// How many folders the run made for it: itself and those above it.
    made: usize,
}

impl RunFolder {
    /// The staging folder of a run, by its path.
    fn at(path: &Path) -> Option<Self> {
        let folder = path.parent()?.parent()?.to_owned();
        Some(Self { named: folder.clone(), folder, path: path.to_owned() })
    }

    /// The folder in which its files belong.
    pub(super) fn folder(&self) -> &Path {
        &self.folder
    }

    pub(super) fn path(&self) -> &Path {
        &self.path
    }

    pub(super) fn id(&self) -> &OsStr {
        self.path.file_name().unwrap_or_default()
    }

    /// Whether the staging folder of this run in another folder points back at this head.
    pub(super) fn owns(&self, folder: &Path, disk: &dyn FileSystem) -> io::Result<bool> {
        let run = folder.join(HIDDEN_FOLDER).join(self.id());
        let is_same =
            |path: &Path| matches!((path.canonicalize(), self.path.canonicalize()), (Ok(a), Ok(b)) if a == b);
        Ok(is_same(&run) || head_of(&run, disk)?.is_some_and(|head| is_same(&head)))
    }
}

/// The name of a run. Names sort by time: of two runs on one file, the one that began first goes first.
fn new_id() -> OsString {
    let time = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).map_or(0, |time| time.as_nanos());
    // Two machines may share a folder: neither time nor process number is unique.
    let random = RandomState::new().build_hasher().finish();
    format!("{PREFIX}{time:024}-{random:016x}").into()
}

/// The name of staged bytes.
pub(super) fn staged_name(number: usize) -> String {
    format!("{number}.new")
}

impl Staging {
    pub(super) fn new(disk: Arc<dyn FileSystem>) -> Self {
        Self { disk, id: OsString::new(), folders: Vec::new(), lock: None, counts: false }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.folders.is_empty()
    }

    /// The folder of staged files for a folder as the run names it, if it is open.
    pub(super) fn position(&self, named: &Path) -> Option<usize> {
        self.folders.iter().position(|folder| folder.named == named)
    }

    /// Where staged bytes of a number go.
    pub(super) fn staged_file(&self, folder: usize, number: usize) -> PathBuf {
        self.folders[folder].path.join(staged_name(number))
    }

    /// Opens a folder, after finishing what runs that were killed left there. It is made if need be.
    pub(super) fn open(&mut self, named: &Path) -> io::Result<usize> {
        if let Some(index) = self.position(named) {
            return Ok(index);
        }
        recover(named, &*self.disk)?;
        let mut tries = 1;
        loop {
            match self.try_open(named) {
                // Another run that made the folder has just removed it.
                Err(error) if error.kind() == ErrorKind::NotFound && tries < TRIES => tries += 1,
                opened => return opened,
            }
        }
    }

    fn try_open(&mut self, named: &Path) -> io::Result<usize> {
        let folder = real_path(named)?;
        if self.folders.is_empty() {
            self.id = new_id();
        }
        if let Some(index) = self.folders.iter().position(|one| one.folder == folder) {
            let path = self.folders[index].path.clone();
            self.folders.push(RunFolder { named: named.to_owned(), folder, path });
            return Ok(self.folders.len() - 1);
        }
        let made = folder.ancestors().take_while(|path| !path.exists()).count();
        let path = folder.join(HIDDEN_FOLDER).join(&self.id);
        let one = RunFolder { named: named.to_owned(), folder, path };
        let opened = match self.folders.first() {
            Some(head) => self.open_beside(head, &one, made),
            None => self.open_head(&one, made).map(|lock| self.lock = Some(lock)),
        };
        if let Err(error) = opened {
            live_heads().retain(|path| *path != one.path);
            remove_staging(&one.path, &*self.disk);
            remove_made(&one.folder, made, &*self.disk);
            return Err(error);
        }
        self.folders.push(one);
        Ok(self.folders.len() - 1)
    }

    fn open_head(&self, one: &RunFolder, made: usize) -> io::Result<File> {
        let (disk, lock) = (&*self.disk, one.path.join(LOCK));
        with_interrupt_gate(|| {
            live_heads().push(one.path.clone());
            create_folders(disk, one, made)?;
            disk.write(&lock, b"")
        })?;
        // Another run that took it for a killed one may hold it, and has removed it then.
        let held =
            disk.lock(&lock).map_err(unlockable)?.filter(|_| lock.exists()).ok_or(ErrorKind::NotFound)?;
        with_interrupt_gate(|| append_line(disk, one, one, made))?;
        Ok(held)
    }

    fn open_beside(&self, head: &RunFolder, one: &RunFolder, made: usize) -> io::Result<()> {
        let disk = &*self.disk;
        with_interrupt_gate(|| {
            append_line(disk, head, one, made)?;
            create_folders(disk, one, made)?;
            disk.write(&one.path.join(HEAD), &line(&OsText::from(relative(&one.folder, &head.folder))))
        })
    }

    /// Notes that the run is to write a main file, and says whether another run that lives, and began earlier, is to
    /// write it too.
    pub(super) fn claim(&self, folder: usize, name: &OsStr) -> io::Result<()> {
        let claim = line(&OsText(name.to_owned()));
        with_interrupt_gate(|| self.disk.append(&self.folders[folder].path.join(CLAIMS), &claim))
    }

    /// Whether another run that lives, and began earlier, is to write a main file too.
    pub(super) fn has_rival(&self, folder: usize, name: &OsStr) -> io::Result<bool> {
        let hidden = self.folders[folder].folder.join(HIDDEN_FOLDER);
        for other in run_names(&hidden, &*self.disk)?.into_iter().filter(|other| *other < self.id) {
            let run = hidden.join(other);
            let claims = read_if_there(&*self.disk, &run.join(CLAIMS))?.unwrap_or_default();
            let claims = claims.split(|&byte| byte == b'\n');
            let is_claimed = claims
                .filter_map(|line| serde_json::from_slice::<OsText>(line).ok())
                .any(|claim| claim.0 == name);
            if is_claimed && is_live(&run, &*self.disk)? {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// Moves all staged files into place, and removes others: all of them or, if anything fails before the journal is
    /// written, none. Then the staging folders are gone.
    pub(super) fn commit(&mut self, moves: Vec<Move>) -> Result<(), CommitError> {
        let _commit = COMMIT_LOCK.lock().unwrap_or_else(PoisonError::into_inner);
        let head = &self.folders[0];
        let folders: Vec<&Path> = self.folders.iter().map(|one| one.folder.as_path()).collect();
        let journal = Journal::new(&head.folder, &folders, moves);
        for folder in &folders {
            ignore_hidden_folder(&*self.disk, &folder.join(HIDDEN_FOLDER));
        }
        journal.write(head, &*self.disk).map_err(CommitError::Before)?;
        self.counts = true;
        journal.replay(head, false, &*self.disk).map_err(CommitError::After)?;
        // If it stays, the next run finds that everything is done.
        let _ = or_missing(self.disk.remove_file(&head.path.join(journal::FILE)));
        self.counts = false;
        Ok(())
    }
}

/// Why a run could not put its files in place.
pub(super) enum CommitError {
    /// Nothing was moved.
    Before(io::Error),
    /// The run counts; the next one finishes it.
    After(Unfinished),
}

impl Drop for Staging {
    /// Removes what is staged, unless the run counts and is not finished.
    fn drop(&mut self) {
        // An interruption would remove it at the same time.
        let _commit = COMMIT_LOCK.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(head) = self.folders.first() else {
            return;
        };
        if !self.counts {
            remove_run(&head.path, self.lock.take(), &*self.disk);
        }
        live_heads().retain(|path| *path != head.path);
    }
}

fn live_heads() -> MutexGuard<'static, Vec<PathBuf>> {
    LIVE_HEADS.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Creates folders or staged files so that an interruption sees all of them. Not reentrant.
pub(super) fn with_interrupt_gate<T>(create: impl FnOnce() -> T) -> T {
    let _gate = INTERRUPT_GATE.read().unwrap_or_else(PoisonError::into_inner);
    create()
}

/// While this is held, no file is staged or moved into place.
#[derive(Debug)]
#[must_use = "other threads go on writing as soon as it is dropped"]
pub struct Abandoned {
    _gate: RwLockWriteGuard<'static, ()>,
    _commit: MutexGuard<'static, ()>,
}

/// Removes everything this process has staged and not committed, for the moment when it is interrupted. A commit under
/// way is finished first. A process that ends keeps the result until then.
pub fn abandon() -> Abandoned {
    let gate = INTERRUPT_GATE.write().unwrap_or_else(PoisonError::into_inner);
    let commit = COMMIT_LOCK.lock().unwrap_or_else(PoisonError::into_inner);
    for head in live_heads().drain(..) {
        if !head.join(journal::FILE).exists() {
            remove_run(&head, None, &OsFileSystem);
        }
    }
    Abandoned { _gate: gate, _commit: commit }
}

/// Finishes what runs that were killed left in a folder: what counts is put in place, the rest is removed.
///
/// # Errors
/// If that can't be done.
pub(super) fn recover(folder: &Path, disk: &dyn FileSystem) -> io::Result<()> {
    let hidden = folder.join(HIDDEN_FOLDER);
    for name in run_names(&hidden, disk)? {
        recover_run(&hidden.join(name), disk)?;
    }
    Ok(())
}

/// The same on the real disk. A folder without leftovers costs one look at it.
///
/// # Errors
/// If an earlier run can't be finished.
pub fn finish_interrupted(folder: &Path) -> io::Result<()> {
    recover(folder, &OsFileSystem)
}

fn run_names(hidden: &Path, disk: &dyn FileSystem) -> io::Result<Vec<OsString>> {
    let names = disk.list(hidden)?;
    Ok(names.into_iter().filter(|name| name.to_string_lossy().starts_with(PREFIX)).collect())
}

fn recover_run(run: &Path, disk: &dyn FileSystem) -> io::Result<()> {
    let head = head_of(run, disk)?.unwrap_or_else(|| run.to_owned());
    if live_heads().contains(&head) {
        return Ok(());
    }
    let lock = match disk.lock(&head.join(LOCK)) {
        // Perhaps another run only looked whether this one lives.
        Ok(None) => {
            disk.pause(LOOK);
            disk.lock(&head.join(LOCK))
        }
        lock => lock,
    };
    match lock {
        // Its run lives.
        Ok(None) => Ok(()),
        Ok(Some(lock)) => {
            if let (Some(journal), Some(folder)) = (Journal::read(&head, disk)?, RunFolder::at(&head)) {
                journal.replay(&folder, true, disk).map_err(unfinished)?;
                or_missing(disk.remove_file(&head.join(journal::FILE)))?;
            }
            remove_run(&head, Some(lock), disk);
            Ok(())
        }
        // Its run is over, or is only just beginning and will try again.
        Err(error) if matches!(error.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => {
            let names = disk.list(run)?;
            if !names.iter().any(|name| name == LOCK) {
                remove_staging(run, disk);
            }
            Ok(())
        }
        Err(error) => Err(unlockable(error)),
    }
}

/// A lock that can't be had is no sign that nobody holds it.
fn unlockable(error: io::Error) -> io::Error {
    match error.kind() {
        ErrorKind::NotFound | ErrorKind::NotADirectory => error,
        kind => io::Error::new(
            kind,
            format!("this folder can't be locked, so another run could write here too: {error}"),
        ),
    }
}

fn unfinished(problem: Unfinished) -> io::Error {
    let Unfinished { left, error } = problem;
    let file = left.first().map(|file| file.shown().to_string()).unwrap_or_default();
    io::Error::new(error.kind(), format!("an interrupted run can't be finished: {file}: {error}"))
}

/// Whether the run of a staging folder lives.
fn is_live(run: &Path, disk: &dyn FileSystem) -> io::Result<bool> {
    let head = head_of(run, disk)?.unwrap_or_else(|| run.to_owned());
    match disk.lock(&head.join(LOCK)) {
        Ok(lock) => Ok(lock.is_none()),
        Err(error) if matches!(error.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => Ok(false),
        Err(error) => Err(error),
    }
}

/// The head that a staging folder points at; none if it is a head itself.
fn head_of(run: &Path, disk: &dyn FileSystem) -> io::Result<Option<PathBuf>> {
    let Some(bytes) = read_if_there(disk, &run.join(HEAD))? else { return Ok(None) };
    let Some((folder, id)) = run.parent().and_then(Path::parent).zip(run.file_name()) else {
        return Ok(None);
    };
    let head: Option<OsText> = serde_json::from_slice(&bytes).ok();
    // One that was cut off while it was written belongs to a run that did not count.
    Ok(Some(folder.join(head.unwrap_or_default().0).join(HIDDEN_FOLDER).join(id)))
}

/// Removes the staging folders of a run, and folders that it made and that are empty. What can't be removed is garbage
/// that the next run removes.
fn remove_run(head: &Path, lock: Option<File>, disk: &dyn FileSystem) {
    let Some(one) = RunFolder::at(head) else { return };
    let lines = disk.read(&head.join(FOLDERS)).unwrap_or_default();
    let lines: Vec<FolderLine> =
        lines.split(|&byte| byte == b'\n').filter_map(|line| serde_json::from_slice(line).ok()).collect();
    for line in lines.iter().rev() {
        let folder = one.folder.join(&line.folder.0);
        let run = folder.join(HIDDEN_FOLDER).join(one.id());
        if line.folder.0.is_empty() {
            continue;
        }
        // Only what belongs to this run, or has no owner yet, is removed.
        if one.owns(&folder, disk).unwrap_or(false) || disk.list(&run).is_ok_and(|names| names.is_empty()) {
            remove_staging(&run, disk);
            remove_made(&folder, line.made, disk);
        }
    }
    let names = disk.list(head).unwrap_or_default();
    for name in names.iter().filter(|name| *name != LOCK) {
        let _ = disk.remove_file(&head.join(name));
    }
    // Some systems remove no file that is open.
    drop(lock);
    let _ = disk.remove_file(&head.join(LOCK));
    remove_staging(head, disk);
    let made = lines.iter().find(|line| line.folder.0.is_empty()).map_or(0, |line| line.made);
    remove_made(&one.folder, made, disk);
}

/// Removes one staging folder, and the hidden folder if nothing else is in it.
fn remove_staging(run: &Path, disk: &dyn FileSystem) {
    for name in disk.list(run).unwrap_or_default() {
        let _ = disk.remove_file(&run.join(name));
    }
    let _ = disk.remove_folder(run);
    let Some(hidden) = run.parent() else { return };
    if disk.list(hidden).is_ok_and(|names| names.iter().all(|name| name == IGNORE)) {
        let _ = disk.remove_file(&hidden.join(IGNORE));
        let _ = disk.remove_folder(hidden);
    }
}

/// Removes a folder and those above it that the run made, as far as they are empty.
fn remove_made(folder: &Path, made: usize, disk: &dyn FileSystem) {
    for path in folder.ancestors().take(made) {
        if disk.remove_folder(path).is_err() {
            return;
        }
    }
}

fn create_folders(disk: &dyn FileSystem, one: &RunFolder, made: usize) -> io::Result<()> {
    let missing: Vec<&Path> = one.folder.ancestors().take(made).collect();
    let hidden = one.folder.join(HIDDEN_FOLDER);
    for path in missing.into_iter().rev().chain([hidden.as_path(), &one.path]) {
        match disk.create_folder(path) {
            // Another run made it at the same time, or an earlier try did.
            Err(_) if path.is_dir() => {}
            created => created?,
        }
    }
    ignore_hidden_folder(disk, &hidden);
    Ok(())
}

/// Makes version control ignore the hidden folder. If it can't be, nothing else depends on it.
fn ignore_hidden_folder(disk: &dyn FileSystem, hidden: &Path) {
    const TEXT: &[u8] = b"# Records of shibori; this folder can be deleted.\n*\n";
    let file = hidden.join(IGNORE);
    // One that a person changed stays; one that was cut off while it was written is written again.
    if disk.read(&file).is_ok_and(|bytes| bytes == TEXT || !TEXT.starts_with(&bytes)) {
        return;
    }
    let _ = disk.write(&file, TEXT);
}

fn append_line(disk: &dyn FileSystem, head: &RunFolder, one: &RunFolder, made: usize) -> io::Result<()> {
    let folder = OsText::from(relative(&head.folder, &one.folder));
    disk.append(&head.path.join(FOLDERS), &line(&FolderLine { folder, made }))
}

fn line(value: &impl Serialize) -> Vec<u8> {
    let mut bytes = serde_json::to_vec(value).expect("names are plain data");
    bytes.push(b'\n');
    bytes
}

/// A folder without links, whether or not it is there.
fn real_path(folder: &Path) -> io::Result<PathBuf> {
    let (existing, missing) = split_missing(folder, true)?;
    Ok(missing.iter().fold(existing, |path, name| path.join(name)))
}

/// The part of a path that is there, without links, and the names below it that are not. The last name is looked at only
/// with `with_last`.
pub(super) fn split_missing(path: &Path, with_last: bool) -> io::Result<(PathBuf, Vec<OsString>)> {
    let full = std::path::absolute(path)?;
    let mut missing: Vec<OsString> = Vec::new();
    // What `..` after a missing folder means is spelled out; after one that is there, the system knows.
    let mut above = 0;
    for (depth, ancestor) in full.ancestors().enumerate() {
        let last = ancestor.components().next_back();
        if (depth > 0 || with_last) && above == 0 {
            match fs::canonicalize(ancestor) {
                Ok(real) => {
                    missing.reverse();
                    return Ok((real, missing));
                }
                Err(error) if error.kind() == ErrorKind::NotFound => {}
                Err(error) => return Err(error),
            }
        }
        match last {
            Some(Component::ParentDir) => above += 1,
            Some(Component::Normal(_)) if above > 0 => above -= 1,
            Some(Component::Normal(name)) => missing.push(name.to_owned()),
            _ => {}
        }
    }
    Ok((full, Vec::new()))
}

/// The path from one folder to another, both without links.
pub(super) fn relative(from: &Path, to: &Path) -> PathBuf {
    let shared = from.components().zip(to.components()).take_while(|(a, b)| a == b).count();
    if shared == 0 {
        return to.to_owned();
    }
    let up = from.components().skip(shared).map(|_| Component::ParentDir);
    up.chain(to.components().skip(shared)).collect()
}
