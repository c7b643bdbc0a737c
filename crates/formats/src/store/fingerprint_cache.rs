//! Digests of files, and the shortcut past reading them again.
//!
//! A file whose length, times and identity are as they were holds what it held, unless it was changed again within the grain of the file
//! system's clock. So what was looked at shortly after it was changed is read again the next time; the file system's own clock, read off
//! a file that is just being written, says what "shortly" is.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::PoisonError;

use crate::store::{Digest, FileStamp, Fingerprint};

/// Files as they were, and as they are found to be.
#[derive(Debug, Default)]
pub struct FingerprintCache {
    known: Mutex<HashMap<PathBuf, Fingerprint>>,
    /// The file system's clock.
    now: u64,
    /// Whether anything is known now that was not before.
    is_new: std::sync::atomic::AtomicBool,
}

impl FingerprintCache {
    /// Knows these files already. `now` is the file system's clock.
    pub fn new(known: HashMap<PathBuf, Fingerprint>, now: u64) -> Self {
        Self { known: Mutex::new(known), now, is_new: false.into() }
    }

    /// The digest of a file; none where there is none.
    ///
    /// # Errors
    /// If it is there and can't be read.
    pub fn hash(&self, base: &Path, path: &Path) -> io::Result<Option<Digest>> {
        let whole = base.join(path);
        let meta = match fs::metadata(&whole) {
            Ok(meta) if meta.is_file() => meta,
            Ok(_) => return Ok(None),
            Err(error) if matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory) => {
                return Ok(None);
            }
            Err(error) => return Err(error),
        };
        let stamp = FileStamp::of(&meta);
        let known = self.known.lock().unwrap_or_else(PoisonError::into_inner).get(path).copied();
        if let Some(print) = known.filter(|known| known.matches(stamp)) {
            return Ok(Some(print.digest));
        }
        let digest = Digest::of_file(&whole)?;
        let print = Fingerprint { stamp, at: self.now, digest };
        self.known.lock().unwrap_or_else(PoisonError::into_inner).insert(path.to_owned(), print);
        self.is_new.store(true, std::sync::atomic::Ordering::Relaxed);
        Ok(Some(digest))
    }

    /// Whether anything is known now that was not before.
    pub fn is_dirty(&self) -> bool {
        self.is_new.load(std::sync::atomic::Ordering::Relaxed)
    }

    /// All that is known of these files.
    pub fn of(&self, files: impl Iterator<Item = PathBuf>) -> Vec<(PathBuf, Fingerprint)> {
        let known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        files.filter_map(|path| known.get(&path).map(|print| (path, *print))).collect()
    }
}

#[cfg(test)]
mod tests {
    use std::time::SystemTime;

    use crate::store::nanoseconds as nanos;

    use super::*;

    /// More than the granularity of any file system's clock, in nanoseconds.
    const LATER: u64 = 3_000_000_000;

    #[test]
    fn an_edit_within_the_clocks_grain_is_seen_even_if_length_and_time_stay() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("koi.png");
        let time = SystemTime::now();
        let write = |bytes: &[u8], time: SystemTime| {
            fs::write(&path, bytes).unwrap();
            fs::File::options().write(true).open(&path).unwrap().set_modified(time).unwrap();
        };
        write(b"one", time);
        let prints = FingerprintCache::new(HashMap::new(), nanos(time));
        let first = prints.hash(folder.path(), Path::new("koi.png")).unwrap();
        write(b"two", time);
        let known = prints.of(std::iter::once(PathBuf::from("koi.png"))).into_iter().collect();
        let later = FingerprintCache::new(known, nanos(time) + 10 * LATER);
        assert_ne!(later.hash(folder.path(), Path::new("koi.png")).unwrap(), first);
        assert!(later.is_dirty());
        // Left alone since, it is not read again.
        let known = later.of(std::iter::once(PathBuf::from("koi.png"))).into_iter().collect();
        let last = FingerprintCache::new(known, nanos(time) + 20 * LATER);
        assert!(last.hash(folder.path(), Path::new("koi.png")).unwrap().is_some());
        assert!(!last.is_dirty());
        assert_eq!(last.hash(folder.path(), Path::new("gone.png")).unwrap(), None);
    }
}
