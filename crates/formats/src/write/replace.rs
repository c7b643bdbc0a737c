//! A manifest in the place of another: nothing that a person put there is lost without a word.

use std::fs;
use std::path::Path;

use crate::manifest::{Manifest, hand, parse};
use crate::write::Policy;
use crate::{Error, WriteProblem};

/// The manifest that lies in a place, if one does.
pub(super) fn old_manifest(path: &Path) -> Option<Manifest> {
    parse(&fs::read(path).ok()?).ok()
}

/// Readies a manifest to replace the one that lies in its place.
///
/// # Errors
/// Where that is of another kind or of other sprites, or holds what would be lost; unless it may be lost or is to be taken
/// over.
pub(super) fn over(path: &Path, new: &mut Manifest, policy: Policy) -> Result<(), Error> {
    let Some(old) = old_manifest(path) else { return Ok(()) };
    if policy.force {
        return Ok(());
    }
    if hand::is_other_kind(&old, new) {
        return Err(Error::write(path, WriteProblem::OtherKind { frames: old.frames.len() }));
    }
    if let Some(sprites) = hand::other_sprites(&old, new) {
        return Err(Error::write(path, WriteProblem::OtherSprites { sprites }));
    }
    if policy.carry {
        hand::carry(&old, new);
    }
    let losses = hand::losses(&old, new);
    match losses.is_empty() {
        true => Ok(()),
        false => Err(Error::write(path, WriteProblem::HandWork { losses, is_carried: policy.carry })),
    }
}
