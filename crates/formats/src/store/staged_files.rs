//! Files of a run: those it has staged and not committed, for later steps of the same run that read them, and those it
//! has read, so that nothing that changed since is replaced.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::SystemTime;

use crate::store::{Digest, FileStamp, Fingerprint, nanoseconds};

/// Where staged bytes are, and what was read. Clones share one list.
#[derive(Clone, Debug, Default)]
pub struct StagedFiles(Arc<Mutex<Files>>);

/// Bytes that a run is to write.
#[derive(Clone, Debug)]
enum Staged {
    /// In a file beside the target.
    On(PathBuf),
    /// In memory, where nothing may be written.
    Held(Arc<[u8]>),
}

#[derive(Debug, Default)]
struct Files {
    staged: HashMap<PathBuf, Staged>,
    read: HashMap<PathBuf, Fingerprint>,
}

impl StagedFiles {
    fn files(&self) -> MutexGuard<'_, Files> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(crate) fn add(&self, file: &Path, bytes: &Path) {
        self.files().staged.insert(file.to_owned(), Staged::On(bytes.to_owned()));
    }

    /// Keeps bytes that are not to be written at all.
    pub(crate) fn hold(&self, file: &Path, bytes: &[u8]) {
        self.files().staged.insert(file.to_owned(), Staged::Held(bytes.into()));
    }

    /// Whether a file is there or staged.
    pub fn exists(&self, file: &Path) -> bool {
        self.length(file).is_some()
    }

    /// The length of a file that is there or staged, in bytes.
    pub fn length(&self, file: &Path) -> Option<u64> {
        let length = |path: &Path| std::fs::metadata(path).ok().map(|metadata| metadata.len());
        match self.files().staged.get(file) {
            Some(Staged::Held(bytes)) => Some(bytes.len() as u64),
            Some(Staged::On(path)) => length(path),
            None => length(file),
        }
    }

    /// The bytes of a file that is there or staged.
    ///
    /// # Errors
    /// If it can't be read.
    pub fn read(&self, file: &Path) -> std::io::Result<Vec<u8>> {
        let staged = self.files().staged.get(file).cloned();
        match staged {
            Some(Staged::Held(bytes)) => return Ok(bytes.to_vec()),
            Some(Staged::On(path)) => return std::fs::read(path),
            None => {}
        }
        // The stamp is taken first: a change while it is read shows later.
        let (stamp, at) = (FileStamp::read(file)?, nanoseconds(SystemTime::now()));
        let bytes = std::fs::read(file)?;
        if let Some(stamp) = stamp {
            let read = Fingerprint { stamp, at, digest: Digest::of(&bytes) };
            self.files().read.entry(file.to_owned()).or_insert(read);
        }
        Ok(bytes)
    }

    /// What a file was when the run first read it.
    pub fn fingerprint(&self, file: &Path) -> Option<Fingerprint> {
        self.files().read.get(file).copied()
    }
}
