//! A manifest in the place of another: nothing that a person put there is lost without a word.
//!
//! A manifest that shibori writes carries a seal. One whose seal is broken was changed by a person, who may have moved a pivot or
//! a box in it: such values stand as they are where it is carried over, and what holds them is not sealed anew, so that the next run asks again.

use std::fs;
use std::path::Path;

use crate::manifest::{Manifest, hand, parse};
use crate::write::seal::{BLANK, filled, is_whole};
use crate::write::{Policy, Transaction};
use crate::{Error, WriteProblem};

/// A manifest that lies where another is to go.
pub(super) struct Old {
    pub(super) manifest: Manifest,
    /// Whether it is as shibori wrote it.
    pub(super) is_sealed: bool,
}

/// What follows the seal of a manifest that a recipe's build wrote, and no command changed since: all of it comes from the recipe.
const BUILT: &str = " built";

impl Old {
    /// The manifest that lies in a place, if one does.
    pub(super) fn at(path: &Path) -> Option<Self> {
        Self::of(&fs::read(path).ok()?)
    }

    /// Whether a build wrote it, and nobody changed it since: then it holds nobody's work.
    pub(super) fn is_built(&self) -> bool {
        self.is_sealed && self.manifest.seal.as_ref().is_some_and(|seal| seal.ends_with(BUILT))
    }

    /// The manifest of these bytes, if they are one.
    pub(super) fn of(bytes: &[u8]) -> Option<Self> {
        Some(Self { manifest: parse(bytes).ok()?, is_sealed: is_whole(bytes) })
    }
}

/// The text of a manifest; with a seal where all of it is shibori's.
pub(super) fn text(mut manifest: Manifest, is_sealed: bool) -> Vec<u8> {
    manifest.seal = is_sealed.then(|| BLANK.to_owned());
    filled(manifest.to_text().into_bytes())
}

/// The text of a manifest that is to replace the one that lies in its place.
///
/// # Errors
/// Where that is of another kind or of other sprites, was changed by a person, or holds what would be lost; unless it may be lost
/// or is to be taken over.
pub(super) fn over(path: &Path, new: Manifest, run: &Transaction) -> Result<Vec<u8>, Error> {
    let text = text_over(path, new, run.policy())?;
    // Anything but a manifest is somebody else's, or one that was edited until it no longer parses: it goes like any file.
    if Old::at(path).is_some() {
        run.clear(path);
    }
    Ok(text)
}

fn text_over(path: &Path, mut new: Manifest, policy: Policy) -> Result<Vec<u8>, Error> {
    let own = |mut new: Manifest| {
        if !policy.built {
            return text(new, true);
        }
        new.seal = Some(format!("{BLANK}{BUILT}"));
        filled(new.to_text().into_bytes())
    };
    let may_go = |old: &Old| policy.force || policy.built && old.is_built();
    let old = Old::at(path).filter(|old| !may_go(old));
    let Some(Old { manifest: old, is_sealed }) = old else { return Ok(own(new)) };
    if hand::is_other_kind(&old, &new) {
        return Err(Error::write(path, WriteProblem::OtherKind { frames: old.frames.len() }));
    }
    if let Some(sprites) = hand::other_sprites(&old, &new) {
        return Err(Error::write(path, WriteProblem::OtherSprites { sprites }));
    }
    let before = new.clone();
    if policy.carry {
        hand::carry(&old, &mut new);
    }
    let losses = hand::losses(&old, &new);
    if !losses.is_empty() {
        return Err(Error::write(path, WriteProblem::HandWork { losses, is_carried: policy.carry }));
    }
    if is_sealed || says_the_same(&old, &new) {
        // What was carried over is not the recipe's.
        return Ok(if says_the_same(&before, &new) { own(new) } else { text(new, true) });
    }
    if !policy.carry {
        return Err(Error::write(path, WriteProblem::Edited));
    }
    let is_changed = hand::carry_values(&old, &mut new);
    Ok(text(new, !is_changed))
}

/// Whether two manifests differ in nothing but how they are written.
fn says_the_same(old: &Manifest, new: &Manifest) -> bool {
    let plain = |manifest: &Manifest| Manifest { seal: None, ..manifest.clone() }.to_text();
    plain(old) == plain(new)
}
