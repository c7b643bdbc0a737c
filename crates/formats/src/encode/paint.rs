//! Which pictures of a set or an atlas a person painted over.

use std::collections::HashMap;
use std::path::Path;

use image::RgbaImage;

use crate::FileError;
use crate::decode::{DecodedImage, ReadOptions, image as read_image};
use crate::manifest::images_of_page;
use crate::store::{Digest, Ledger, Transaction};

/// Pages that can't carry a seal.
const UNSEALED: &str = ".qoi";

/// A digest of a picture's size and pixels. The color of fully transparent pixels, which paint programs change as they like,
/// doesn't count.
pub(super) fn digest_of_pixels(image: &RgbaImage) -> Digest {
    let mut hasher = blake3::Hasher::new();
    hasher.update(&image.width().to_le_bytes());
    hasher.update(&image.height().to_le_bytes());
    let mut row = Vec::with_capacity(image.width() as usize * 4);
    for pixels in image.rows() {
        row.clear();
        pixels.for_each(|pixel| row.extend(if pixel[3] == 0 { [0; 4] } else { pixel.0 }));
        hasher.update(&row);
    }
    Digest(*hasher.finalize().as_bytes())
}

/// The same of a picture in a file; none if it isn't one.
pub(super) fn pixel_digest(path: &Path) -> Option<Digest> {
    match read_image(path, &ReadOptions::default()).ok()?.picture {
        DecodedImage::Still(pixels) => Some(digest_of_pixels(&pixels.to_image())),
        DecodedImage::Moving(_) | DecodedImage::Layers(_) => None,
    }
}

/// The pictures that a person painted over, each with whether the run changes them too. One that was only saved again
/// isn't painted. `picture` draws what the run would write.
pub(super) fn find_painted(
    folder: &Path,
    files: &[String],
    picture: impl Fn(usize) -> Option<RgbaImage>,
    unit: &Path,
    ledger: Option<&Ledger>,
    run: &Transaction,
) -> Result<HashMap<String, bool>, FileError> {
    let is_unit_intact = run.existing(unit, unit, ledger)?.is_some_and(|existing| existing.is_sealed);
    let is_declared = |file: &str| {
        file.ends_with(UNSEALED) && ledger.is_none() && is_unit_intact && run.policy().recipe.is_some()
    };
    let in_manifest: Vec<String> = super::replacement::ExistingManifest::read(unit, run)
        .map(|old| old.manifest.pages.iter().flat_map(images_of_page).cloned().collect())
        .unwrap_or_default();
    let mut painted = HashMap::new();
    for (index, file) in files.iter().enumerate() {
        let path = folder.join(file);
        if run.existing(&path, unit, ledger)?.is_none_or(|existing| existing.is_ours) {
            continue;
        }
        let entry = ledger.and_then(|ledger| ledger.entry(Path::new(file)));
        // A file that is none of the set's is refused later.
        if entry.is_none() && !in_manifest.contains(file) {
            continue;
        }
        // Without a ledger, an intact manifest vouches for pages that can't carry a seal.
        if is_declared(file) {
            run.approve(&path);
            continue;
        }
        // What isn't a picture was not painted.
        let Some(theirs) = pixel_digest(&path) else { continue };
        let new = picture(index).map(|image| digest_of_pixels(&image));
        let base = entry.and_then(|entry| entry.pixels);
        if Some(theirs) == new || Some(theirs) == base {
            run.approve(&path);
        } else {
            painted.insert(file.clone(), base.is_none() || base != new);
        }
    }
    // What was painted and is no longer cut is changed by both.
    for file in in_manifest.iter().filter(|file| !files.contains(file) && is_plain(file)) {
        let path = folder.join(file);
        let is_ours = run.existing(&path, unit, ledger)?.is_none_or(|existing| existing.is_ours);
        let base = ledger.and_then(|ledger| ledger.entry(Path::new(file))).and_then(|entry| entry.pixels);
        if !is_ours && (base.is_none() || base != pixel_digest(&path)) {
            painted.insert(file.clone(), true);
        }
    }
    Ok(painted)
}

/// Whether a page of a manifest is in its folder.
pub(super) fn is_plain(file: &str) -> bool {
    !file.contains("..") && !file.starts_with('/') && !file.contains(['\\', ':'])
}
