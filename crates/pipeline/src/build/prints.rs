//! What files hold, as hashes (BLAKE3), and the short cut past reading them again.
//!
//! A file whose length, times and identity are as they were holds what it held, unless it was changed again within the grain of the file
//! system's clock. So what was looked at shortly after it was changed is read again the next time; the file system's own clock, read off
//! a file that is just being written, says what "shortly" is.

use std::collections::HashMap;
use std::fs::{self, Metadata};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::PoisonError;
use std::time::SystemTime;

use serde::{Deserialize, Serialize};

/// The coarsest clock of a file system in use ticks every two seconds.
const GRAIN: u64 = 2_000_000_000;

/// What a file holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Hash(pub [u8; 32]);

/// By what a file is known to be as it was.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Stat {
    length: u64,
    /// When it was written, in nanoseconds.
    modified: u64,
    /// When anything of it was changed, or when it was made.
    changed: u64,
    /// Which file it is, where the system says so.
    file: (u64, u64),
}

/// A file as it was when it was looked at.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub(super) struct Print {
    stat: Stat,
    /// When, by the file system's clock.
    at: u64,
    pub(super) hash: Hash,
}

/// Files as they were, and as they are found to be.
#[derive(Debug, Default)]
pub(super) struct Prints {
    known: Mutex<HashMap<PathBuf, Print>>,
    /// The file system's clock.
    now: u64,
    /// Whether anything is known now that was not before.
    is_new: std::sync::atomic::AtomicBool,
}

impl Prints {
    pub(super) fn new(known: HashMap<PathBuf, Print>, now: u64) -> Self {
        Self { known: Mutex::new(known), now, is_new: false.into() }
    }

    /// What a file holds; none where it is not there.
    ///
    /// # Errors
    /// Where it is there and can't be read.
    pub(super) fn hash(&self, base: &Path, path: &Path) -> io::Result<Option<Hash>> {
        let whole = base.join(path);
        let meta = match fs::metadata(&whole) {
            Ok(meta) if meta.is_file() => meta,
            Ok(_) => return Ok(None),
            Err(error) if matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory) => {
                return Ok(None);
            }
            Err(error) => return Err(error),
        };
        let stat = Stat::of(&meta);
        let known = self.known.lock().unwrap_or_else(PoisonError::into_inner).get(path).copied();
        if let Some(print) = known.filter(|print| print.stat == stat && print.is_settled()) {
            return Ok(Some(print.hash));
        }
        let hash = Hash(*blake3::hash(&fs::read(&whole)?).as_bytes());
        let print = Print { stat, at: self.now, hash };
        self.known.lock().unwrap_or_else(PoisonError::into_inner).insert(path.to_owned(), print);
        self.is_new.store(true, std::sync::atomic::Ordering::Relaxed);
        Ok(Some(hash))
    }

    /// Whether anything is known now that was not before.
    pub(super) fn is_new(&self) -> bool {
        self.is_new.load(std::sync::atomic::Ordering::Relaxed)
    }

    /// All that is known of these files.
    pub(super) fn of(&self, files: impl Iterator<Item = PathBuf>) -> Vec<(PathBuf, Print)> {
        let known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        files.filter_map(|path| known.get(&path).map(|print| (path, *print))).collect()
    }
}

impl Print {
    /// Whether the file was left alone long enough when it was looked at.
    fn is_settled(&self) -> bool {
        self.stat.modified.max(self.stat.changed).saturating_add(GRAIN) < self.at
    }
}

impl Stat {
    fn of(meta: &Metadata) -> Self {
        let (changed, file) = identity(meta);
        Self { length: meta.len(), modified: meta.modified().map_or(0, nanos), changed, file }
    }
}

/// A time as nanoseconds.
pub(super) fn nanos(time: SystemTime) -> u64 {
    time.duration_since(SystemTime::UNIX_EPOCH).map_or(0, |since| since.as_nanos() as u64)
}

#[cfg(unix)]
fn identity(meta: &Metadata) -> (u64, (u64, u64)) {
    use std::os::unix::fs::MetadataExt;
    let changed =
        (meta.ctime() as u64).saturating_mul(1_000_000_000).saturating_add(meta.ctime_nsec() as u64);
    (changed, (meta.dev(), meta.ino()))
}

#[cfg(not(unix))]
fn identity(meta: &Metadata) -> (u64, (u64, u64)) {
    (meta.created().map_or(0, nanos), (0, 0))
}

impl std::fmt::Display for Hash {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&blake3::Hash::from_bytes(self.0).to_hex())
    }
}

impl Serialize for Hash {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Hash {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        blake3::Hash::from_hex(text).map(|hash| Self(*hash.as_bytes())).map_err(serde::de::Error::custom)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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
        let prints = Prints::new(HashMap::new(), nanos(time));
        let first = prints.hash(folder.path(), Path::new("koi.png")).unwrap();
        write(b"two", time);
        let known = prints.of(std::iter::once(PathBuf::from("koi.png"))).into_iter().collect();
        let later = Prints::new(known, nanos(time) + 10 * GRAIN);
        assert_ne!(later.hash(folder.path(), Path::new("koi.png")).unwrap(), first);
        assert!(later.is_new());
        // Left alone since, it is not read again.
        let known = later.of(std::iter::once(PathBuf::from("koi.png"))).into_iter().collect();
        let last = Prints::new(known, nanos(time) + 20 * GRAIN);
        assert!(last.hash(folder.path(), Path::new("koi.png")).unwrap().is_some());
        assert!(!last.is_new());
        assert_eq!(last.hash(folder.path(), Path::new("gone.png")).unwrap(), None);
    }
}
