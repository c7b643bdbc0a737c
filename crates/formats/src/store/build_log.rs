//! The log of builds by one recipe, in the hidden folder beside it: lines that are appended as soon as something is done, so
//! that a build that is killed loses nothing. One build at a time holds its lock.

use std::fs::{self, File, TryLockError};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use crate::store::{HIDDEN_FOLDER, nanoseconds};

/// The log of builds while one of them runs.
#[derive(Debug)]
pub struct BuildLog {
    file: PathBuf,
    /// Where lines are appended; none where nothing can be kept.
    lines: Mutex<Option<File>>,
    /// Held as long as the build runs.
    lock: Option<File>,
    opened_at: u64,
    was_interrupted: bool,
}

/// A file of a recipe's builds, such as `.shibori/shibori.toml.frames`.
pub fn log_file(recipe: &Path, extension: &str) -> PathBuf {
    let folder = recipe.parent().unwrap_or(Path::new("")).join(HIDDEN_FOLDER);
    folder.join(Path::new(recipe.file_name().unwrap_or_default()).with_added_extension(extension))
}

/// Whether another process builds by a recipe just now.
pub fn is_log_locked(recipe: &Path) -> bool {
    let lock = File::options().write(true).open(log_file(recipe, "lock"));
    lock.is_ok_and(|lock| matches!(lock.try_lock(), Err(TryLockError::WouldBlock)))
}

impl BuildLog {
    /// The lines of a recipe's log, without waiting for a build that runs; `None` if there are none.
    pub fn read(recipe: &Path) -> Option<Vec<u8>> {
        fs::read(log_file(recipe, "record")).ok()
    }

    /// Opens the log of a recipe, waiting for other builds by it, and gives its lines so far. Where nothing can be kept, says
    /// why and keeps nothing.
    pub fn open(recipe: &Path) -> (Self, Option<Vec<u8>>, Option<io::Error>) {
        match Self::open_locked(recipe) {
            Ok((log, lines)) => (log, lines, None),
            // Where nothing is kept, nothing is known of the build before.
            Err(error) => {
                let (file, lines) = (log_file(recipe, "record"), Mutex::new(None));
                let log = Self { file, lines, lock: None, opened_at: 0, was_interrupted: true };
                (log, Self::read(recipe), Some(error))
            }
        }
    }

    fn open_locked(recipe: &Path) -> io::Result<(Self, Option<Vec<u8>>)> {
        let path = log_file(recipe, "lock");
        if let Some(folder) = path.parent() {
            if !folder.is_dir() {
                fs::create_dir_all(folder)?;
            }
            let ignore = folder.join(".gitignore");
            if !ignore.exists() {
                // Version control has no use for it.
                let _ = fs::write(ignore, "*\n");
            }
        }
        let mut lock = File::options().write(true).create(true).truncate(false).open(&path)?;
        // On a file system without locks nobody waits.
        let _ = lock.lock();
        // A build writes this when it begins, and removes it when it ends.
        let was_interrupted = lock.metadata()?.len() > 0;
        lock.set_len(0)?;
        writeln!(lock, "{}", std::process::id())?;
        lock.flush()?;
        let opened_at = lock.metadata()?.modified().map_or(0, nanoseconds);
        let (file, before) = (log_file(recipe, "record"), Self::read(recipe));
        let lines = Mutex::new(Some(File::options().append(true).create(true).open(&file)?));
        Ok((Self { file, lines, lock: Some(lock), opened_at, was_interrupted }, before))
    }

    /// The file system's clock when the log was opened, in nanoseconds since 1970.
    pub fn opened_at(&self) -> u64 {
        self.opened_at
    }

    /// Whether the build before this one did not [finish](Self::finish).
    pub fn was_interrupted(&self) -> bool {
        self.was_interrupted
    }

    /// Notes that the build came to its end.
    pub fn finish(&self) {
        if let Some(lock) = &self.lock {
            // If it can't be noted, the next build looks for leftovers once more.
            let _ = lock.set_len(0);
        }
    }

    /// Appends a line. A line that can't be kept is ignored: its target is only built again.
    pub fn append(&self, line: &[u8]) {
        if let Some(file) = self.lines.lock().unwrap_or_else(PoisonError::into_inner).as_mut() {
            let _ = file.write_all(line);
        }
    }

    /// Replaces all lines, or none.
    ///
    /// # Errors
    /// If they can't be written.
    pub fn rewrite(&self, text: &[u8]) -> io::Result<()> {
        let mut lines = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        if lines.is_none() {
            return Ok(());
        }
        let new = self.file.with_extension("new");
        fs::write(&new, text)?;
        // Some systems don't replace a file that is open.
        *lines = None;
        let replaced = fs::rename(&new, &self.file);
        *lines = Some(File::options().append(true).open(&self.file)?);
        replaced
    }
}
