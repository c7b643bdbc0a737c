//! A cache of sliced frames, in the hidden folder beside the recipe: when one of many sheets of an atlas changes, only that
//! one is sliced again. It can be deleted at any time; entries that the recipe no longer uses are.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use shibori_core::{Budget, FrameSet};
use shibori_formats::frame_cache::{from_bytes, to_bytes};
use shibori_formats::store::Digest;

use crate::build::fingerprints::FingerprintCache;
use crate::build::graph::{Graph, ResolvedSprite, Target};
use crate::build::make::settings_of_figure;
use crate::build::sources::slashed;

/// 1,000 sheets of 16 frames of 48x48 px take 59 MB.
const MAX_BYTES: u64 = 1 << 30;

/// Frames of figures, each under the digest of its [`CacheKey`].
#[derive(Debug)]
pub(super) struct FrameCache {
    folder: PathBuf,
    max_bytes: u64,
    bytes: AtomicU64,
}

/// What the frames of a figure are cut from.
pub(super) struct CacheKey {
    /// Of everything they depend on.
    pub(super) digest: Digest,
    /// Its files, with what they held when the build began.
    pub(super) inputs: Vec<(PathBuf, Digest)>,
}

/// The keys of all figures; none for those that are not cached. Frames of an atlas are: they are needed again when another
/// of its sprites changes. A figure made from outputs of other targets has inputs that are not known yet. If nothing is
/// stale, no key is needed.
pub(super) fn cache_keys(graph: &Graph, is_stale: bool, prints: &FingerprintCache) -> Vec<Option<CacheKey>> {
    let packed: HashSet<usize> = graph.steps.iter().flat_map(Target::packed).copied().collect();
    let key = |(index, figure): (usize, &ResolvedSprite)| {
        let is_cached = is_stale && figure.needs.is_empty() && packed.contains(&index);
        is_cached.then(|| cache_key(graph, index, prints)).flatten()
    };
    graph.figures.iter().enumerate().map(key).collect()
}

fn cache_key(graph: &Graph, figure: usize, prints: &FingerprintCache) -> Option<CacheKey> {
    let mut hasher = blake3::Hasher::new();
    hasher.update(env!("CARGO_PKG_VERSION").as_bytes());
    hasher.update(settings_of_figure(graph, figure).as_bytes());
    let mut inputs = Vec::new();
    for path in &graph.figures[figure].inputs {
        let digest = prints.hash(&graph.base, path).ok()??;
        hasher.update(slashed(path).as_bytes());
        hasher.update(&digest.0);
        inputs.push((path.clone(), digest));
    }
    Some(CacheKey { digest: Digest(*hasher.finalize().as_bytes()), inputs })
}

impl FrameCache {
    /// The cache in a folder, which need not exist.
    pub(super) fn of(folder: PathBuf) -> Self {
        Self::with_limit(folder, MAX_BYTES)
    }

    fn with_limit(folder: PathBuf, max_bytes: u64) -> Self {
        let bytes = files(&folder).iter().filter_map(|(path, _)| Some(fs::metadata(path).ok()?.len())).sum();
        Self { folder, max_bytes, bytes: AtomicU64::new(bytes) }
    }

    pub(super) fn read(&self, key: Digest, memory: &Budget) -> Option<FrameSet> {
        let path = self.path(key);
        let _lease = memory.take(fs::metadata(&path).ok()?.len()).ok()?;
        from_bytes(&fs::read(path).ok()?, memory)
    }

    /// Stores frames, as long as there is room. Failures are ignored: the frames are only cut again.
    pub(super) fn write(&self, key: Digest, set: &FrameSet) {
        let Some(bytes) = to_bytes(set) else { return };
        let length = bytes.len() as u64;
        if self.bytes.fetch_add(length, Ordering::Relaxed).saturating_add(length) > self.max_bytes {
            self.bytes.fetch_sub(length, Ordering::Relaxed);
            return;
        }
        let path = self.path(key);
        let draft = path.with_extension("new");
        let _ = fs::create_dir_all(&self.folder);
        if fs::write(&draft, bytes).and_then(|()| fs::rename(&draft, &path)).is_err() {
            let _ = fs::remove_file(draft);
        }
    }

    /// Removes all other entries.
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
        let frames = FrameCache::of(home.path().join("frames"));
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
        let full = FrameCache::with_limit(home.path().join("full"), 8);
        full.write(one, &set);
        assert!(full.read(one, &memory).is_none(), "beyond the limit nothing is stored");
        frames.retain(&[one]);
        assert!(frames.read(one, &memory).is_some() && !frames.path(other).exists());
        frames.retain(&[]);
        assert!(!home.path().join("frames").exists());
    }
}
