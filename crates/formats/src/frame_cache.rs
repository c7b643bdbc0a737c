//! A cache of sliced frames, in the hidden folder beside a recipe: sources that did not change need not be cut again. It can
//! be deleted at any time.
//!
//! An entry is the manifest of a set, and the pixels of its frames one after another, compressed, under a digest. Only this
//! version of shibori reads it.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use image::RgbaImage;
use shibori_core::{Budget, Frame, FrameSet, Pixels};

use crate::decode::set::frames_of;
use crate::manifest::{self, Manifest};
use crate::store::Digest;

/// 1,000 sheets of 16 frames of 48x48 px take 59 MB.
const MAX_BYTES: u64 = 1 << 30;

/// Frames in a folder, each set under a digest of everything that it is made from.
#[derive(Debug)]
pub struct FrameCache {
    folder: PathBuf,
    max_bytes: u64,
    bytes: AtomicU64,
}

impl FrameCache {
    /// The cache in a folder, which need not exist.
    pub fn of(folder: PathBuf) -> Self {
        Self::with_limit(folder, MAX_BYTES)
    }

    fn with_limit(folder: PathBuf, max_bytes: u64) -> Self {
        let bytes = files(&folder).iter().filter_map(|(path, _)| Some(fs::metadata(path).ok()?.len())).sum();
        Self { folder, max_bytes, bytes: AtomicU64::new(bytes) }
    }

    /// The frames under a key; `None` if there are none, or there is no memory for them.
    pub fn read(&self, key: Digest, memory: &Budget) -> Option<FrameSet> {
        let path = self.path(key);
        let _lease = memory.lease(fs::metadata(&path).ok()?.len()).ok()?;
        from_bytes(&fs::read(path).ok()?, memory)
    }

    /// Stores frames, as long as there is room. Failures are ignored: the frames are only cut again.
    pub fn write(&self, key: Digest, set: &FrameSet) {
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
    pub fn retain(&self, keys: &[Digest]) {
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

/// Frames as bytes; `None` if they would not come back exactly as they are, or have companions, which no sheet gives.
fn to_bytes(set: &FrameSet) -> Option<Vec<u8>> {
    if set.frames().iter().any(|frame| !frame.companions().is_empty()) {
        return None;
    }
    let manifest =
        serde_json::to_vec(&manifest::of_set(set, &vec![String::new(); set.frames().len()])).ok()?;
    let mut bytes = (manifest.len() as u64).to_le_bytes().to_vec();
    bytes.extend(manifest);
    for frame in set.frames() {
        frame.pixels().rows().for_each(|row| bytes.extend(row));
    }
    is_same(&unpacked(&bytes)?, set).then(|| {
        let digest = Digest::of(&bytes);
        let packed = fdeflate::compress_to_vec(&bytes);
        [&digest.0[..], &(bytes.len() as u64).to_le_bytes(), &packed].concat()
    })
}

/// The frames that these bytes are of; `None` if they are anything else, or there is no memory for them.
fn from_bytes(bytes: &[u8], memory: &Budget) -> Option<FrameSet> {
    let (digest, rest) = bytes.split_first_chunk::<32>()?;
    let (length, packed) = rest.split_first_chunk::<8>()?;
    let length = u64::from_le_bytes(*length);
    // For the bytes, and for the pictures made of them.
    let _lease = memory.lease(length.checked_mul(2)?).ok()?;
    let bytes = fdeflate::decompress_to_vec_bounded(packed, usize::try_from(length).ok()?).ok()?;
    let set = (Digest::of(&bytes).0 == *digest).then(|| unpacked(&bytes)).flatten()?;
    set.frames().iter().for_each(|frame| frame.pixels().charge_to(memory));
    Some(set)
}

fn unpacked(bytes: &[u8]) -> Option<FrameSet> {
    let (length, rest) = bytes.split_first_chunk::<8>()?;
    let length = usize::try_from(u64::from_le_bytes(*length)).ok()?;
    let (manifest, mut pixels) = rest.split_at_checked(length)?;
    let manifest: Manifest = serde_json::from_slice(manifest).ok()?;
    let mut pictures = Vec::with_capacity(manifest.pages.len());
    for page in &manifest.pages {
        let [width, height] = page.size;
        let length =
            usize::try_from(u64::from(width).checked_mul(u64::from(height))?.checked_mul(4)?).ok()?;
        let (own, rest) = pixels.split_at_checked(length)?;
        pixels = rest;
        let is_empty = own.is_empty();
        let image = || RgbaImage::from_raw(width, height, own.to_vec()).map(Pixels::from_image);
        pictures.push(if is_empty { Pixels::empty() } else { image()? });
    }
    frames_of(manifest, pictures).ok()
}

fn is_same(one: &FrameSet, other: &FrameSet) -> bool {
    let is_frame = |(one, other): (&Frame, &Frame)| {
        (one.sprite(), one.name(), one.canvas(), one.inset(), one.pivot())
            == (other.sprite(), other.name(), other.canvas(), other.inset(), other.pivot())
            && (one.annotations(), one.source(), one.carried())
                == (other.annotations(), other.source(), other.carried())
            && one.pixels().size() == other.pixels().size()
            && one.pixels().rows().eq(other.pixels().rows())
    };
    one.frames().len() == other.frames().len()
        && one.frames().iter().zip(other.frames()).all(is_frame)
        && one.clips() == other.clips()
        && one.carried() == other.carried()
}

#[cfg(test)]
mod tests {
    use shibori_core::clip::ClipSpec;
    use shibori_core::{Annotations, Name, Point, Size, UVec2};

    use super::*;

    fn set() -> FrameSet {
        let name = |text: &str| Name::new(text).unwrap();
        let picture = RgbaImage::from_fn(3, 2, |x, y| image::Rgba([x as u8, y as u8, 9, (x * y * 90) as u8]));
        let frame = Frame::trimmed(
            name("koi"),
            name("a"),
            Pixels::from_image(picture),
            Size::new(9, 9),
            UVec2 { x: 2, y: 1 },
        );
        let blank =
            Frame::trimmed(name("koi"), name("b"), Pixels::empty(), Size::new(9, 9), UVec2::default());
        let frames = vec![frame.unwrap().with_pivot(Point::new(11.9, -0.1)), blank.unwrap()];
        let set = FrameSet::new(frames, Vec::new()).unwrap();
        let clip: ClipSpec = "swim = 0,1,0 @12fps bounce".parse().unwrap();
        shibori_core::clip::add_clips(set, &[clip]).unwrap()
    }

    #[test]
    fn frames_come_back_as_they_were_and_what_is_spoiled_does_not() {
        let (set, memory) = (set(), Budget::with_limit(1 << 20));
        let bytes = to_bytes(&set).unwrap();
        assert!(is_same(&from_bytes(&bytes, &memory).unwrap(), &set));
        for at in 0..bytes.len() {
            let mut spoiled = bytes.clone();
            spoiled[at] ^= 1;
            assert!(from_bytes(&spoiled, &memory).is_none_or(|found| is_same(&found, &set)), "byte {at}");
            assert!(from_bytes(&bytes[..at], &memory).is_none(), "the first {at} bytes");
        }
        assert!(from_bytes(&bytes, &Budget::with_limit(16)).is_none());
    }

    #[test]
    fn what_would_not_come_back_is_not_kept() {
        let marked = set().map_frames(|_, frame| {
            let marks = vec![("ff00ff".parse().unwrap(), Point::new(1.0, 1.0))];
            Ok::<_, shibori_core::SetError>(
                frame.with_annotations(Annotations { marks, ..Annotations::default() }),
            )
        });
        assert!(to_bytes(&marked.unwrap()).is_none());
    }

    #[test]
    fn frames_are_kept_until_nothing_wants_them() {
        let home = tempfile::tempdir().unwrap();
        let frames = FrameCache::of(home.path().join("frames"));
        let picture = Pixels::from_image(image::RgbaImage::from_pixel(4, 4, image::Rgba([9, 8, 7, 255])));
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
