//! What a transaction does to a disk: a thin layer, so that tests can let any of it fail.

use std::fmt::Debug;
use std::fs;
use std::io;
use std::path::Path;

/// The few things that change a disk.
pub(super) trait Disk: Debug + Send + Sync {
    fn create_folder(&self, path: &Path) -> io::Result<()>;
    fn write(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;
    /// Replaces what lies there.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()>;
    fn remove_file(&self, path: &Path) -> io::Result<()>;
    fn remove_folder(&self, path: &Path) -> io::Result<()>;
}

/// The disk as it is.
#[derive(Debug)]
pub(super) struct RealDisk;

impl Disk for RealDisk {
    fn create_folder(&self, path: &Path) -> io::Result<()> {
        fs::create_dir(path)
    }

    fn write(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        fs::write(path, bytes)
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
}
