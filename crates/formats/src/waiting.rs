//! Files that a run has made and not yet put in place, for later steps of the same run that read them: an export is made of
//! the atlas that is just being written, and both are in place together or not at all.

use std::borrow::Cow;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// Where the bytes of files are that are not in place yet. Clones share one list.
#[derive(Clone, Debug, Default)]
pub struct Waiting(Arc<Mutex<HashMap<PathBuf, PathBuf>>>);

impl Waiting {
    pub(crate) fn add(&self, file: &Path, bytes: &Path) {
        let mut files = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        files.insert(file.to_owned(), bytes.to_owned());
    }

    /// Where a file's bytes are: beside it as long as they wait, else in its own place.
    pub(crate) fn real<'a>(&self, file: &'a Path) -> Cow<'a, Path> {
        let files = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        files.get(file).map_or(Cow::Borrowed(file), |bytes| Cow::Owned(bytes.clone()))
    }

    /// Whether a file is there or waits.
    pub fn exists(&self, file: &Path) -> bool {
        self.real(file).exists()
    }

    /// The length of a file that is there or waits, in bytes.
    pub fn length(&self, file: &Path) -> Option<u64> {
        std::fs::metadata(self.real(file)).ok().map(|meta| meta.len())
    }

    /// The bytes of a file that is there or waits.
    ///
    /// # Errors
    /// Where it can't be read.
    pub fn read(&self, file: &Path) -> std::io::Result<Vec<u8>> {
        std::fs::read(self.real(file))
    }
}
