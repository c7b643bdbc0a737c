//! What a file holds, as a digest (BLAKE3), and what shows without reading it that it is still the same.
//!
//! A file with the same length, times and identity is unchanged, unless it changed twice within the granularity of the
//! file system's clock. [`FileStamp::is_settled`] says whether that can be ruled out.

use std::fs::{self, Metadata};
use std::io::{self, ErrorKind};
use std::path::Path;
use std::time::SystemTime;

use serde::{Deserialize, Serialize};

/// Nanoseconds: the coarsest clock of a file system in use ticks every two seconds.
const GRANULARITY: u64 = 2_000_000_000;

/// A hash of what a file holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Digest(pub [u8; 32]);

impl Digest {
    /// The digest of bytes.
    pub fn of(bytes: &[u8]) -> Self {
        Self(*blake3::hash(bytes).as_bytes())
    }

    /// The digest of a file's contents, which are not kept in memory.
    ///
    /// # Errors
    /// If it can't be read.
    pub fn of_file(path: &Path) -> io::Result<Self> {
        let mut hasher = blake3::Hasher::new();
        hasher.update_reader(fs::File::open(path)?)?;
        Ok(Self(*hasher.finalize().as_bytes()))
    }
}

impl std::fmt::Display for Digest {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&blake3::Hash::from_bytes(self.0).to_hex())
    }
}

impl Serialize for Digest {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Digest {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        blake3::Hash::from_hex(text).map(|hash| Self(*hash.as_bytes())).map_err(serde::de::Error::custom)
    }
}

/// What changes when a file is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileStamp {
    length: u64,
    /// When it was written, in nanoseconds since 1970.
    modified: u64,
    /// When any of its metadata changed, or when it was created.
    changed: u64,
    /// Which file it is, where the system says so.
    file: (u64, u64),
}

impl FileStamp {
    /// The stamp of what is at a path, links followed; `None` if nothing is there.
    ///
    /// # Errors
    /// If the system doesn't say.
    pub fn read(path: &Path) -> io::Result<Option<Self>> {
        match fs::metadata(path) {
            Ok(metadata) => Ok(Some(Self::of(&metadata))),
            Err(error) if matches!(error.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => Ok(None),
            Err(error) => Err(error),
        }
    }

    /// The stamp in a file's metadata.
    pub fn of(metadata: &Metadata) -> Self {
        let (changed, file) = identity(metadata);
        Self { length: metadata.len(), modified: metadata.modified().map_or(0, nanoseconds), changed, file }
    }

    /// Whether a file with this stamp, seen at `now` (by the file system's clock), can't have changed since without its
    /// stamp changing too.
    pub fn is_reliable(&self, now: u64) -> bool {
        self.modified.max(self.changed).saturating_add(GRANULARITY) < now
    }
}

/// A file as it was when it was read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Fingerprint {
    /// Its stamp just before.
    pub stamp: FileStamp,
    /// When, by the file system's clock.
    pub at: u64,
    /// What it held.
    pub digest: Digest,
}

impl Fingerprint {
    /// Whether a file with this stamp certainly holds what it held.
    pub fn matches(&self, stamp: FileStamp) -> bool {
        self.stamp == stamp && stamp.is_reliable(self.at)
    }
}

/// A time as nanoseconds since 1970.
pub fn nanoseconds(time: SystemTime) -> u64 {
    time.duration_since(SystemTime::UNIX_EPOCH).map_or(0, |since| since.as_nanos() as u64)
}

#[cfg(unix)]
fn identity(metadata: &Metadata) -> (u64, (u64, u64)) {
    use std::os::unix::fs::MetadataExt;
    let changed =
        (metadata.ctime() as u64).saturating_mul(1_000_000_000).saturating_add(metadata.ctime_nsec() as u64);
    (changed, (metadata.dev(), metadata.ino()))
}

#[cfg(not(unix))]
fn identity(metadata: &Metadata) -> (u64, (u64, u64)) {
    (metadata.created().map_or(0, nanoseconds), (0, 0))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_stamp_proves_nothing_if_the_file_was_just_written_when_it_was_read() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("koi.png");
        fs::write(&path, b"one").unwrap();
        let stamp = FileStamp::read(&path).unwrap().unwrap();
        let read = |seconds_later: u64| Fingerprint {
            stamp,
            at: stamp.modified.max(stamp.changed) + seconds_later * 1_000_000_000,
            digest: Digest::of(b"one"),
        };
        // However long ago that is by now: a coarse clock may have given the same time to a change since.
        assert!(!read(0).matches(stamp) && !read(1).matches(stamp) && read(3).matches(stamp));
        assert!(!read(3).matches(FileStamp { length: 4, ..stamp }));
    }
}
