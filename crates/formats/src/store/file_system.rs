//! The few calls that read and change the disk, behind a trait, so that tests can let each of them fail.

use std::ffi::OsString;
use std::fmt::Debug;
use std::fs::{self, File, TryLockError};
use std::io::{self, ErrorKind, Write};
use std::path::Path;
use std::time::Duration;

/// Calls to the disk.
pub(crate) trait FileSystem: Debug + Send + Sync {
    /// The names in a folder; none if there is no such folder.
    fn list(&self, folder: &Path) -> io::Result<Vec<OsString>>;
    fn read(&self, path: &Path) -> io::Result<Vec<u8>>;
    fn create_folder(&self, path: &Path) -> io::Result<()>;
    fn write(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;
    fn append(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;
    /// Waits until what a file holds would survive a power cut.
    fn sync(&self, path: &Path) -> io::Result<()>;
    /// Replaces what is there.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()>;
    fn remove_file(&self, path: &Path) -> io::Result<()>;
    /// Removes an empty folder.
    fn remove_folder(&self, path: &Path) -> io::Result<()>;
    /// Locks a file that exists; `None` if another process or run holds it.
    fn lock(&self, path: &Path) -> io::Result<Option<File>>;
    /// Waits before a call is tried again.
    fn pause(&self, time: Duration) {
        std::thread::sleep(time);
    }
}

/// The disk as the system shows it.
#[derive(Debug)]
pub(crate) struct OsFileSystem;

impl FileSystem for OsFileSystem {
    fn list(&self, folder: &Path) -> io::Result<Vec<OsString>> {
        let entries = match fs::read_dir(folder) {
            Err(error) if matches!(error.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => {
                return Ok(Vec::new());
            }
            entries => entries?,
        };
        let mut names = entries.map(|entry| Ok(entry?.file_name())).collect::<io::Result<Vec<_>>>()?;
        names.sort();
        Ok(names)
    }

    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        fs::read(path)
    }

    fn create_folder(&self, path: &Path) -> io::Result<()> {
        fs::create_dir(path)
    }

    fn write(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        fs::write(path, bytes)
    }

    fn append(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        File::options().append(true).create(true).open(path)?.write_all(bytes)
    }

    fn sync(&self, path: &Path) -> io::Result<()> {
        File::options().write(true).open(path)?.sync_all()
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::rename(from, to)
    }

    fn remove_file(&self, path: &Path) -> io::Result<()> {
        fs::remove_file(path)
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        fs::remove_dir(path)
    }

    fn lock(&self, path: &Path) -> io::Result<Option<File>> {
        let file = File::options().write(true).open(path)?;
        match file.try_lock() {
            Ok(()) => Ok(Some(file)),
            Err(TryLockError::WouldBlock) => Ok(None),
            Err(TryLockError::Error(error)) => Err(error),
        }
    }
}

/// The same result where a file that is missing already counts as removed.
pub(super) fn or_missing(result: io::Result<()>) -> io::Result<()> {
    match result {
        Err(error) if error.kind() == ErrorKind::NotFound => Ok(()),
        result => result,
    }
}

/// The bytes of a file, if it is there.
pub(super) fn read_if_there(disk: &dyn FileSystem, path: &Path) -> io::Result<Option<Vec<u8>>> {
    match disk.read(path) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(error) if matches!(error.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => Ok(None),
        Err(error) => Err(error),
    }
}
