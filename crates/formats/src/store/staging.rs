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

use crate::store::file_system::{FileSystem, OsFileSystem, or_missing, read_if_there};
use crate::store::journal::{self, Journal, Move, Unfinished};
use crate::store::{HIDDEN_FOLDER, OsText};
use crate::{DisplaySlashed, FileError, WriteProblem};

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
/// The pause before the second try; it doubles each time.
const FIRST_PAUSE: Duration = Duration::from_millis(1);
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

    /// A folder of the run, without links.
    pub(super) fn real_folder(&self, folder: usize) -> &Path {
        &self.folders[folder].folder
    }

    /// Opens a folder, after finishing what runs that were killed left there. It is made if need be.
    pub(super) fn open(&mut self, named: &Path) -> io::Result<usize> {
        if let Some(index) = self.position(named) {
            return Ok(index);
        }
        recover(named, &*self.disk)?;
        let mut pause = FIRST_PAUSE;
        for _ in 1..TRIES {
            match self.try_open(named) {
                // Another run that made the folder has just removed it.
                Err(error) if error.kind() == ErrorKind::NotFound => self.disk.pause(pause),
                opened => return opened,
            }
            pause *= 2;
        }
        self.try_open(named)
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

impl CommitError {
    /// As an error of the run; `unit` is its main file.
    pub(super) fn into_error(self, unit: &Path) -> FileError {
        match self {
            Self::Before(error) => FileError::write(unit, error),
            Self::After(Unfinished { left, error }) => {
                let first = left.first().cloned().unwrap_or_default();
                FileError::write(&first, WriteProblem::Unfinished { left: left.len(), error: error.into() })
            }
        }
    }
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
pub fn discard() -> Abandoned {
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
    // Runs of this process are known by their paths without links.
    let Ok(hidden) = folder.join(HIDDEN_FOLDER).canonicalize() else { return Ok(()) };
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
    if head.canonicalize().is_ok_and(|head| live_heads().contains(&head)) {
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
        // Its run is over, or only just beginning: then what is found next may be there only now.
        Err(error) if matches!(error.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => {
            let names = disk.list(run)?;
            if head != run || !names.is_empty() && !names.iter().any(|name| is_mark(name)) {
                remove_staging(run, disk);
            } else {
                // Fails if it isn't empty by now.
                let _ = disk.remove_folder(run);
            }
            Ok(())
        }
        Err(error) => Err(unlockable(error)),
    }
}

/// A lock that can't be had isn't a sign that nobody holds it.
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
    let file = left.first().map(|file| file.display_slashed().to_string()).unwrap_or_default();
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

/// Whether a file in a staging folder says which run it belongs to. It is the first to be there and the last to go.
fn is_mark(name: &OsStr) -> bool {
    name == LOCK || name == HEAD
}

/// The head that a staging folder points at; none if it is a head itself, or is only just being made.
fn head_of(run: &Path, disk: &dyn FileSystem) -> io::Result<Option<PathBuf>> {
    let Some(bytes) = read_if_there(disk, &run.join(HEAD))? else { return Ok(None) };
    let Some((folder, id)) = run.parent().and_then(Path::parent).zip(run.file_name()) else {
        return Ok(None);
    };
    // One that is cut off is being written, or belongs to a run that did not count.
    let head: Option<OsText> = serde_json::from_slice(&bytes).ok();
    Ok(head.map(|head| folder.join(head.0).join(HIDDEN_FOLDER).join(id)))
}

/// Removes the staging folders of a run, and folders that it made and that are empty. What can't be removed is garbage
/// that the next run removes.
fn remove_run(head: &Path, lock: Option<File>, disk: &dyn FileSystem) {
    let Some(one) = RunFolder::at(head) else { return };
    // The head alone knows of all others: as long as one of them may be left, it stays.
    let Ok(lines) = read_if_there(disk, &head.join(FOLDERS)) else { return };
    let lines = lines.unwrap_or_default();
    let lines: Vec<FolderLine> =
        lines.split(|&byte| byte == b'\n').filter_map(|line| serde_json::from_slice(line).ok()).collect();
    for line in lines.iter().rev() {
        let folder = one.folder.join(&line.folder.0);
        let run = folder.join(HIDDEN_FOLDER).join(one.id());
        if line.folder.0.is_empty() {
            continue;
        }
        // Only what belongs to this run, or was never given to anyone, is removed.
        let is_new = || -> io::Result<bool> {
            Ok(disk.list(&run)?.iter().all(|name| name == HEAD) && head_of(&run, disk)?.is_none())
        };
        match one.owns(&folder, disk).and_then(|is_own| Ok(is_own || is_new()?)) {
            Ok(true) => {
                remove_staging(&run, disk);
                remove_made(&folder, line.made, disk);
            }
            Ok(false) => continue,
            Err(_) => {}
        }
        if run.exists() {
            return;
        }
    }
    // With its lock held: whoever gets that afterwards sees that it is gone.
    remove_staging(head, disk);
    drop(lock);
    let made = lines.iter().find(|line| line.folder.0.is_empty()).map_or(0, |line| line.made);
    remove_made(&one.folder, made, disk);
}

/// Removes one staging folder, and the hidden folder if nothing else is in it.
fn remove_staging(run: &Path, disk: &dyn FileSystem) {
    let (marks, others): (Vec<_>, Vec<_>) =
        disk.list(run).unwrap_or_default().into_iter().partition(|name| is_mark(name));
    for name in others.iter().chain(&marks) {
        // What can't be removed now stays with its mark, for the next run.
        if or_missing(disk.remove_file(&run.join(name))).is_err() {
            return;
        }
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
            // Another run made it at the same time, or an earlier try did; unless another has just removed it.
            Err(error) if error.kind() == ErrorKind::AlreadyExists => {
                if !fs::metadata(path)?.is_dir() {
                    return Err(error);
                }
            }
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
