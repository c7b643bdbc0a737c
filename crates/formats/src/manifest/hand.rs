//! What a manifest that is about to be replaced holds and the new one would not: clips, boxes, extras and the like, whoever put
//! them there. It is told, or taken over by sprite and frame name; a value that was measured anew is no loss.

use std::collections::HashMap;

use serde_json::{Map, Value};

use crate::losses::{Kind, Losses};
use crate::manifest::{ClipEntry, FrameEntry, Manifest};

/// Whether one manifest is a set and the other has pages that frames share.
pub(crate) fn is_other_kind(old: &Manifest, new: &Manifest) -> bool {
    let is_set = |manifest: &Manifest| {
        manifest.pages.len() == manifest.frames.len()
            && manifest.frames.iter().all(|frame| {
                let page = manifest.pages.get(frame.page).map(|page| page.size);
                page.is_some_and(|size| frame.rect == [0, 0, size[0], size[1]])
            })
    };
    old.frames.len() > 1 && new.frames.len() > 1 && is_set(old) != is_set(new)
}

/// The sprites of a manifest none of which is in the other.
pub(crate) fn other_sprites(old: &Manifest, new: &Manifest) -> Option<Vec<String>> {
    let (old, new) = (old.sprites(), new.sprites());
    let is_other = !old.is_empty() && !new.is_empty() && !old.iter().any(|sprite| new.contains(sprite));
    is_other.then_some(old)
}

/// What `old` holds and `new` does not.
pub(crate) fn losses(old: &Manifest, new: &Manifest) -> Losses {
    let mut losses = Losses::default();
    let frames = by_name(new);
    for frame in &old.frames {
        let name = || format!("{}:{}", frame.sprite, frame.name);
        let after = frames.get(&key(frame)).map(|&at| &new.frames[at]);
        let extras = after.and_then(|after| after.extras.as_ref());
        lost_keys(frame.extras.as_ref(), extras, &mut losses, Kind::Extras, name);
        lost_keys(Some(&frame.other), after.map(|after| &after.other), &mut losses, Kind::Key, name);
        // What was measured on a drawing that is gone is gone with it.
        let Some(after) = after else { continue };
        for boxed in frame.boxes.keys().filter(|boxed| !after.boxes.contains_key(*boxed)) {
            losses.add(Kind::Box, format!("{boxed} of {}", name()));
        }
        if frame.nine.is_some() && after.nine.is_none() {
            losses.add(Kind::Nine, name());
        }
        if !frame.polygon.is_empty() && after.polygon.is_empty() {
            losses.add(Kind::Polygon, name());
        }
    }
    for clip in &old.clips {
        let name = || format!("{}:{}", clip.sprite, clip.name);
        let Some(after) = clip_of(new, clip) else {
            losses.add(Kind::Clip, name());
            continue;
        };
        lost_keys(clip.extras.as_ref(), after.extras.as_ref(), &mut losses, Kind::Extras, name);
        lost_keys(Some(&clip.other), Some(&after.other), &mut losses, Kind::Key, name);
        let events = clip.steps.iter().filter_map(|step| step.event.as_ref());
        for event in events.filter(|event| !after.steps.iter().any(|step| step.event.as_ref() == Some(event)))
        {
            losses.add(Kind::Event, format!("{event} of {}", name()));
        }
    }
    for page in &old.pages {
        let after = new.pages.iter().find(|after| after.file == page.file);
        let name = || page.file.clone();
        if let Some(after) = after {
            lost_keys(page.extras.as_ref(), after.extras.as_ref(), &mut losses, Kind::Extras, name);
            lost_keys(Some(&page.other), Some(&after.other), &mut losses, Kind::Key, name);
        }
    }
    let whole = || "the whole".to_owned();
    lost_keys(old.extras.as_ref(), new.extras.as_ref(), &mut losses, Kind::Extras, whole);
    lost_keys(Some(&old.other), Some(&new.other), &mut losses, Kind::Key, whole);
    losses
}

/// Takes over from `old` what `new` lacks. What can't be, since its frame is gone or has another canvas, stays a loss.
pub(crate) fn carry(old: &Manifest, new: &mut Manifest) {
    let places = places(new);
    let place = |frame: &FrameEntry| places.get(&(frame.sprite.clone(), frame.name.clone())).copied();
    for frame in &old.frames {
        let Some(after) = place(frame).map(|at| &mut new.frames[at]) else { continue };
        carry_keys(frame.extras.as_ref(), &mut after.extras);
        add_missing(&frame.other, &mut after.other);
        if frame.canvas != after.canvas {
            continue;
        }
        for (name, area) in &frame.boxes {
            after.boxes.entry(name.clone()).or_insert(*area);
        }
        after.nine = after.nine.or(frame.nine);
        if after.polygon.is_empty() {
            after.polygon.clone_from(&frame.polygon);
        }
    }
    for clip in &old.clips {
        match new.clips.iter_mut().find(|after| is_same_clip(after, clip)) {
            Some(after) => {
                carry_keys(clip.extras.as_ref(), &mut after.extras);
                add_missing(&clip.other, &mut after.other);
                if after.steps.len() == clip.steps.len() {
                    for (step, old) in after.steps.iter_mut().zip(&clip.steps) {
                        step.event = step.event.take().or_else(|| old.event.clone());
                    }
                }
            }
            None => new.clips.extend(moved(clip, old, place)),
        }
    }
    for page in &old.pages {
        if let Some(after) = new.pages.iter_mut().find(|after| after.file == page.file) {
            carry_keys(page.extras.as_ref(), &mut after.extras);
            add_missing(&page.other, &mut after.other);
        }
    }
    carry_keys(old.extras.as_ref(), &mut new.extras);
    add_missing(&old.other, &mut new.other);
}

/// Takes over values that both have where they differ: pivots, boxes, nine-slices and polygons of frames whose canvas is the same, and
/// how clips of the same frames play. Whether there was any.
pub(crate) fn carry_values(old: &Manifest, new: &mut Manifest) -> bool {
    let before = new.to_text();
    let places = places(new);
    let place = |frame: &FrameEntry| places.get(&(frame.sprite.clone(), frame.name.clone())).copied();
    for frame in &old.frames {
        let Some(after) = place(frame).map(|at| &mut new.frames[at]) else { continue };
        carry_changed(frame.extras.as_ref(), &mut after.extras);
        carry_other(&frame.other, &mut after.other);
        if frame.canvas == after.canvas {
            after.pivot = frame.pivot;
            after.boxes.clone_from(&frame.boxes);
            after.nine = frame.nine;
            after.polygon.clone_from(&frame.polygon);
        }
    }
    for clip in &old.clips {
        let Some(changed) = moved(clip, old, place) else { continue };
        if let Some(after) = new.clips.iter_mut().find(|after| is_same_clip(after, clip)) {
            *after = changed;
        }
    }
    carry_changed(old.extras.as_ref(), &mut new.extras);
    carry_other(&old.other, &mut new.other);
    new.to_text() != before
}

/// Takes over what the user wrote to pages of the same file.
pub(crate) fn carry_pages(old: &Manifest, new: &mut Manifest) {
    let pages =
        Manifest { frames: Vec::new(), clips: Vec::new(), extras: None, other: Map::new(), ..old.clone() };
    carry(&pages, new);
}

/// A clip on the frames where they are now; none where one is gone.
fn moved(
    clip: &ClipEntry,
    old: &Manifest,
    place: impl Fn(&FrameEntry) -> Option<usize>,
) -> Option<ClipEntry> {
    let mut clip = clip.clone();
    for step in &mut clip.steps {
        step.frame = place(old.frames.get(step.frame)?)?;
    }
    Some(clip)
}

fn by_name(manifest: &Manifest) -> HashMap<(&str, &str), usize> {
    manifest.frames.iter().enumerate().map(|(at, frame)| (key(frame), at)).collect()
}

/// Where each frame is, whatever becomes of the manifest meanwhile.
fn places(manifest: &Manifest) -> HashMap<(String, String), usize> {
    let places = manifest.frames.iter().enumerate();
    places.map(|(at, frame)| ((frame.sprite.clone(), frame.name.clone()), at)).collect()
}

fn key(frame: &FrameEntry) -> (&str, &str) {
    (&frame.sprite, &frame.name)
}

fn clip_of<'a>(manifest: &'a Manifest, clip: &ClipEntry) -> Option<&'a ClipEntry> {
    manifest.clips.iter().find(|other| is_same_clip(other, clip))
}

fn is_same_clip(one: &ClipEntry, other: &ClipEntry) -> bool {
    one.sprite == other.sprite && one.name == other.name
}

fn lost_keys(
    old: Option<&Map<String, Value>>,
    new: Option<&Map<String, Value>>,
    losses: &mut Losses,
    kind: Kind,
    of: impl Fn() -> String,
) {
    for key in old.into_iter().flat_map(Map::keys) {
        if !new.is_some_and(|new| new.contains_key(key)) {
            losses.add(kind, format!("{key} of {}", of()));
        }
    }
}

fn carry_keys(old: Option<&Map<String, Value>>, new: &mut Option<Map<String, Value>>) {
    if let Some(old) = old {
        add_missing(old, new.get_or_insert_default());
    }
}

fn carry_changed(old: Option<&Map<String, Value>>, new: &mut Option<Map<String, Value>>) {
    if let Some(old) = old {
        carry_other(old, new.get_or_insert_default());
    }
}

fn carry_other(old: &Map<String, Value>, new: &mut Map<String, Value>) {
    new.extend(old.iter().map(|(key, value)| (key.clone(), value.clone())));
}

fn add_missing(old: &Map<String, Value>, new: &mut Map<String, Value>) {
    for (key, value) in old {
        new.entry(key.clone()).or_insert_with(|| value.clone());
    }
}
