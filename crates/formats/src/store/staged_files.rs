//! Files of a run: those it has staged and not committed, for later steps of the same run that read them, and those it
//! has read, so that nothing that changed since is replaced.

use std::borrow::Cow;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::SystemTime;

use crate::store::{Digest, FileStamp, Fingerprint, nanoseconds};

/// Where staged bytes are, and what was read. Clones share one list.
#[derive(Clone, Debug, Default)]
pub struct StagedFiles(Arc<Mutex<Files>>);

#[derive(Debug, Default)]
struct Files {
    staged: HashMap<PathBuf, PathBuf>,
    read: HashMap<PathBuf, Fingerprint>,
}

impl StagedFiles {
    fn files(&self) -> MutexGuard<'_, Files> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(crate) fn add(&self, file: &Path, bytes: &Path) {
        self.files().staged.insert(file.to_owned(), bytes.to_owned());
    }

    /// The path to read a file from: where its bytes are staged, or its own.
    pub(crate) fn resolve<'a>(&self, file: &'a Path) -> Cow<'a, Path> {
        self.files().staged.get(file).map_or(Cow::Borrowed(file), |bytes| Cow::Owned(bytes.clone()))
    }

    /// Whether a file is there or staged.
    pub fn exists(&self, file: &Path) -> bool {
        self.resolve(file).exists()
    }

    /// The length of a file that is there or staged, in bytes.
    pub fn length(&self, file: &Path) -> Option<u64> {
        std::fs::metadata(self.resolve(file)).ok().map(|metadata| metadata.len())
    }

    /// The bytes of a file that is there or staged.
    ///
    /// # Errors
    /// If it can't be read.
    pub fn read(&self, file: &Path) -> std::io::Result<Vec<u8>> {
        if let Some(staged) = self.files().staged.get(file).cloned() {
            return std::fs::read(staged);
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
