//! Frames that were cut, kept in the hidden folder beside the recipe: when one of many sources of an atlas changes, only that
//! one is cut again. They can be deleted at any time, and those that the recipe has no use for are.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use shibori_core::{Budget, FrameSet};
use shibori_formats::kept;
use shibori_formats::store::Digest;

/// No more is kept than this, in bytes: enough for some ten thousand sheets.
const MOST: u64 = 1 << 30;

/// Frames that are kept, each under the digest of all that they are made of.
#[derive(Debug)]
pub(super) struct KeptFrames {
    folder: PathBuf,
    length: AtomicU64,
}

impl KeptFrames {
    /// The frames in a folder, which need not be there.
    pub(super) fn of(folder: PathBuf) -> Self {
        let length = files(&folder).iter().filter_map(|(path, _)| Some(fs::metadata(path).ok()?.len())).sum();
        Self { folder, length: AtomicU64::new(length) }
    }

    pub(super) fn read(&self, key: Digest, memory: &Budget) -> Option<FrameSet> {
        let path = self.path(key);
        let _lease = memory.take(fs::metadata(&path).ok()?.len()).ok()?;
        kept::from_bytes(&fs::read(path).ok()?, memory)
    }

    /// Keeps frames. What is not kept is only made again.
    pub(super) fn write(&self, key: Digest, set: &FrameSet) {
        let Some(bytes) = kept::to_bytes(set) else { return };
        let length = bytes.len() as u64;
        if self.length.fetch_add(length, Ordering::Relaxed).saturating_add(length) > MOST {
            self.length.fetch_sub(length, Ordering::Relaxed);
            return;
        }
        let path = self.path(key);
        let draft = path.with_extension("new");
        let _ = fs::create_dir_all(&self.folder);
        if fs::write(&draft, bytes).and_then(|()| fs::rename(&draft, &path)).is_err() {
            let _ = fs::remove_file(draft);
        }
    }

    /// Removes all others.
    pub(super) fn retain(&self, keys: &[Digest]) {
        let wanted: HashSet<String> = keys.iter().map(Digest::to_string).collect();
        for (path, name) in files(&self.folder) {
            if !wanted.contains(&name) {
                let _ = fs::remove_file(path);
            }
        }
        if keys.is_empty() {
            let _ = fs::remove_dir(&self.folder);
        }
    }

    fn path(&self, key: Digest) -> PathBuf {
        self.folder.join(key.to_string())
    }
}

fn files(folder: &Path) -> Vec<(PathBuf, String)> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries.map(|entry| (entry.path(), entry.file_name().to_string_lossy().into_owned())).collect()
}

#[cfg(test)]
mod tests {
    use shibori_core::{Frame, Name, Pixels};

    use super::*;

    #[test]
    fn frames_are_kept_until_nothing_wants_them() {
        let home = tempfile::tempdir().unwrap();
        let frames = KeptFrames::of(home.path().join("frames"));
        let picture = Pixels::whole(image::RgbaImage::from_pixel(4, 4, image::Rgba([9, 8, 7, 255])));
        let name = || Name::new("koi").unwrap();
        let set = FrameSet::new(vec![Frame::new(name(), name(), picture).unwrap()], Vec::new()).unwrap();
        let (one, other) = (Digest::of(b"one"), Digest::of(b"other"));
        frames.write(one, &set);
        frames.write(other, &set);
        let memory = Budget::default();
        assert_eq!(frames.read(one, &memory).unwrap().frames().len(), 1);
        fs::write(frames.path(other), b"spoiled").unwrap();
        assert!(frames.read(other, &memory).is_none());
        frames.retain(&[one]);
        assert!(frames.read(one, &memory).is_some() && !frames.path(other).exists());
        frames.retain(&[]);
        assert!(!home.path().join("frames").exists());
    }
}
