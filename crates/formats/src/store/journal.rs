//! The journal: what a run is about to move into place. Once it is written, the run counts, and whoever finds it
//! finishes the moves.
//!
//! It is kept in one of the run's folders, the head. It can only name files in folders that hold a staging folder of the
//! same run that points back at the head, so that a journal from elsewhere moves nothing.

use std::io;
use std::path::{Component, Path, PathBuf};
use std::time::Duration;

use serde::{Deserialize, Serialize};

use crate::store::file_system::{FileSystem, or_missing, read_if_there};
use crate::store::ledger;
use crate::store::staging::{self, RunFolder};
use crate::store::{Digest, HIDDEN_FOLDER, OsText};

pub(super) const FILE: &str = "journal";
/// It is written under this name first.
pub(super) const DRAFT: &str = "journal.new";
/// How often a move is tried: a virus scanner or an importer may have the file open for a moment.
const TRIES: u32 = 8;
/// The pause before the second try; it doubles each time, to 2.5 seconds in all.
const FIRST_PAUSE: Duration = Duration::from_millis(20);

/// What a run moves.
#[derive(Debug, Deserialize, Serialize)]
pub(super) struct Journal {
    /// The run's folders, from the head.
    folders: Vec<OsText>,
    moves: Vec<Move>,
}

/// One file.
#[derive(Clone, Debug, Deserialize, Serialize)]
pub(super) struct Move {
    /// Its folder.
    pub(super) folder: usize,
    /// The number of its staged bytes.
    pub(super) number: usize,
    /// Its path from the folder: a name, or a ledger in the hidden folder.
    pub(super) file: OsText,
    /// What it held; none if it was not there.
    pub(super) before: Option<Digest>,
    /// What it is to hold; none if it is removed.
    pub(super) after: Option<Digest>,
}

/// A move that failed, with every file that is not in place yet.
#[derive(Debug)]
pub(super) struct Unfinished {
    pub(super) left: Vec<PathBuf>,
    pub(super) error: io::Error,
}

impl Journal {
    pub(super) fn new(head: &Path, folders: &[&Path], moves: Vec<Move>) -> Self {
        let folders = folders.iter().map(|folder| OsText::from(staging::relative(head, folder))).collect();
        Self { folders, moves }
    }

    /// Writes it, so that a power cut can't take it back. From then on the run counts.
    pub(super) fn write(&self, head: &RunFolder, disk: &dyn FileSystem) -> io::Result<()> {
        let draft = head.path().join(DRAFT);
        let text = serde_json::to_vec(self).map_err(io::Error::other)?;
        disk.write(&draft, &text)?;
        // Where nothing is replaced or removed, a power cut can't mix old files with new ones.
        if self.moves.iter().any(|one| one.before.is_some()) {
            disk.sync(&draft)?;
        }
        // File systems keep the order of renames: if a later one survives a power cut, so does this one.
        disk.rename(&draft, &head.path().join(FILE))
    }

    /// The journal in a staging folder; none if there is none, or one that no run of shibori wrote.
    pub(super) fn read(run: &Path, disk: &dyn FileSystem) -> io::Result<Option<Self>> {
        let bytes = read_if_there(disk, &run.join(FILE))?;
        let journal: Option<Self> = bytes.and_then(|bytes| serde_json::from_slice(&bytes).ok());
        Ok(journal.filter(|journal| {
            journal.moves.iter().all(|one| one.folder < journal.folders.len() && is_inside(&one.file))
        }))
    }

    /// Moves everything into place, what is removed last. With `is_recovery`, what is done already is skipped, and so is
    /// a file that somebody changed since.
    pub(super) fn replay(
        &self,
        head: &RunFolder,
        is_recovery: bool,
        disk: &dyn FileSystem,
    ) -> Result<(), Unfinished> {
        let folder = |one: &Move| head.folder().join(&self.folders[one.folder].0);
        let (new, removed): (Vec<&Move>, Vec<&Move>) = self.moves.iter().partition(|one| one.after.is_some());
        let ordered: Vec<&Move> = new.into_iter().chain(removed).collect();
        for (done, one) in ordered.iter().enumerate() {
            let (folder, target) = (folder(one), folder(one).join(&one.file.0));
            let staged = folder.join(HIDDEN_FOLDER).join(head.id()).join(staging::staged_name(one.number));
            let result = || -> io::Result<()> {
                if is_recovery && !(head.owns(&folder, disk)? && is_due(one, &staged, &target, disk)?) {
                    return Ok(());
                }
                match one.after {
                    Some(_) => patiently(disk, || disk.rename(&staged, &target)),
                    None => or_missing(patiently(disk, || disk.remove_file(&target))),
                }
            };
            result().map_err(|error| {
                let left = ordered[done..].iter().filter(|one| !is_ledger(&one.file));
                let left = left.map(|one| head.folder().join(&self.folders[one.folder].0).join(&one.file.0));
                Unfinished { left: left.collect(), error }
            })?;
        }
        Ok(())
    }
}

/// Whether a move that an interrupted run planned is still to be done.
fn is_due(one: &Move, staged: &Path, target: &Path, disk: &dyn FileSystem) -> io::Result<bool> {
    let current = read_if_there(disk, target)?.map(|bytes| Digest::of(&bytes));
    let Some(after) = one.after else { return Ok(current.is_some() && current == one.before) };
    // A power cut may have left staged bytes unwritten. They are never better than what is there.
    let is_intact = read_if_there(disk, staged)?.is_some_and(|bytes| Digest::of(&bytes) == after);
    Ok(is_intact && (current.is_none() || current == one.before || current == Some(after)))
}

/// Whether a path is a name, or a ledger in the hidden folder.
fn is_inside(file: &OsText) -> bool {
    let mut parts = Path::new(&file.0).components();
    match (parts.next(), parts.next(), parts.next()) {
        (Some(Component::Normal(name)), None, None) => name == file.0,
        _ => is_ledger(file),
    }
}

fn is_ledger(file: &OsText) -> bool {
    let mut parts = Path::new(&file.0).components();
    let (hidden, name, end) = (parts.next(), parts.next(), parts.next());
    let is_ledger = |name: Component<'_>| matches!(name, Component::Normal(name) if name.to_string_lossy().ends_with(ledger::EXTENSION));
    hidden == Some(Component::Normal(HIDDEN_FOLDER.as_ref())) && name.is_some_and(is_ledger) && end.is_none()
}

/// Tries a move for a while.
fn patiently(disk: &dyn FileSystem, call: impl Fn() -> io::Result<()>) -> io::Result<()> {
    let mut pause = FIRST_PAUSE;
    for _ in 1..TRIES {
        match call() {
            Err(error) if error.kind() != io::ErrorKind::NotFound => disk.pause(pause),
            result => return result,
        }
        pause *= 2;
    }
    call()
}
