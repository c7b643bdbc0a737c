//! A manifest that is written again, merged with what a person changed in it since.
//!
//! Three sides: `base` is what was written last, `theirs` what a person made of it, `new` what the run would write. Frames
//! and clips are matched by sprite and name, and each value on its own: what only the person changed is kept, what only the
//! run changed is written, and what both changed is a conflict. Without a base, every difference is one. A value measured on
//! a frame (a pivot, a box) is a conflict too if the frame was mirrored, scaled or moved on its canvas under it.

use std::collections::{BTreeMap, HashMap, HashSet};

use serde_json::{Map, Value};

use crate::WouldLoseData;
use crate::hand_work::LossKind;
use crate::manifest::{ClipEntry, Coordinate, FrameEntry, Manifest, PageEntry, StepEntry, images_of_page};

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

/// Which side a conflict is decided for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Preference {
    /// Neither: the run stops.
    Neither,
    /// What the person made.
    Theirs,
    /// What the run would write.
    New,
}

/// The outcome of a merge.
#[derive(Debug)]
pub(crate) struct Merged {
    pub(crate) manifest: Manifest,
    /// What the person alone changed, and is still there.
    pub(crate) kept: WouldLoseData,
    /// What both changed.
    pub(crate) conflicts: WouldLoseData,
    /// What can't be kept, since the frame or the page it belongs to is gone.
    pub(crate) lost: WouldLoseData,
    /// Page files that stay as the person painted them.
    pub(crate) painted: HashSet<String>,
}

/// A frame or a clip: its sprite and its name.
type Id = (String, String);

/// Merges manifests. `painted` has the page files whose pixels a person changed, each with whether the run changes them too.
pub(crate) fn merge(
    base: Option<&Manifest>,
    theirs: &Manifest,
    new: &Manifest,
    painted: &HashMap<String, bool>,
    preference: Preference,
) -> Merged {
    let has_sprites = theirs.sprites().len().max(new.sprites().len()) > 1;
    let mut merge = Merge {
        has_base: base.is_some(),
        preference,
        has_sprites,
        painted,
        kept: WouldLoseData::default(),
        conflicts: WouldLoseData::default(),
        lost: WouldLoseData::default(),
        left_alone: HashSet::new(),
        decided: HashSet::new(),
    };
    let mut manifest = new.clone();
    merge.frames(base, theirs, &mut manifest);
    merge.other_paint(theirs, new);
    merge.clips(base, theirs, &mut manifest);
    for page in &mut manifest.pages {
        let find = |side: &Manifest| side.pages.iter().find(|other| other.file == page.file).cloned();
        let Some(other) = find(theirs) else { continue };
        let (name, base) = (page.file.clone(), base.and_then(find));
        let mine = (page.extras.clone(), page.other.clone());
        let keys = |page: &PageEntry| (page.extras.clone(), page.other.clone());
        (page.extras, page.other) = merge.keys(base.as_ref().map(keys).as_ref(), keys(&other), mine, &name);
    }
    let keys = |side: &Manifest| (side.extras.clone(), side.other.clone());
    (manifest.extras, manifest.other) =
        merge.keys(base.map(keys).as_ref(), keys(theirs), keys(new), "the manifest");
    let Merge { kept, conflicts, lost, left_alone, .. } = merge;
    Merged { manifest, kept, conflicts, lost, painted: left_alone }
}

/// Where a frame's pixels are, and where they belong on its canvas: one value, since all of it goes with one picture.
#[derive(Clone, Debug, PartialEq)]
struct Placement {
    file: String,
    page_size: [u32; 2],
    rect: [u32; 4],
    rotated: bool,
    canvas: [u32; 2],
    inset: [u32; 2],
    cell: Option<[Coordinate; 4]>,
}

impl Placement {
    fn of(frame: &FrameEntry, manifest: &Manifest) -> Self {
        let page = manifest.pages.get(frame.page);
        Self {
            file: page.map(|page| page.file.clone()).unwrap_or_default(),
            page_size: page.map_or([0, 0], |page| page.size),
            rect: frame.rect,
            rotated: frame.rotated,
            canvas: frame.canvas,
            inset: frame.inset,
            cell: frame.source.as_ref().and_then(|source| source.at),
        }
    }

    /// What a value measured on the canvas depends on.
    fn geometry(&self) -> ([u32; 2], Option<[Coordinate; 4]>) {
        (self.canvas, self.cell)
    }
}

type Keys = (Option<Map<String, Value>>, Map<String, Value>);

struct Merge<'a> {
    has_base: bool,
    preference: Preference,
    has_sprites: bool,
    painted: &'a HashMap<String, bool>,
    kept: WouldLoseData,
    conflicts: WouldLoseData,
    lost: WouldLoseData,
    left_alone: HashSet<String>,
    /// Painted pictures that a frame has decided about.
    decided: HashSet<String>,
}

impl Merge<'_> {
    fn label(&self, sprite: &str, name: &str) -> String {
        if self.has_sprites { format!("{sprite}:{name}") } else { name.to_owned() }
    }

    /// Whether the person's side of something is taken.
    fn takes_theirs(
        &mut self,
        by_person: bool,
        by_run: bool,
        kind: LossKind,
        name: impl Fn() -> String,
    ) -> bool {
        match (by_person, by_run) {
            (false, _) => false,
            (true, false) => {
                self.kept.add(kind, name());
                true
            }
            (true, true) => {
                self.conflicts.add(kind, name());
                let takes_theirs = self.preference == Preference::Theirs;
                if takes_theirs {
                    self.kept.add(kind, name());
                }
                takes_theirs
            }
        }
    }

    /// The same for values that can be compared.
    fn value<T: PartialEq>(
        &mut self,
        base: Option<&T>,
        theirs: &T,
        new: &T,
        kind: LossKind,
        name: impl Fn() -> String,
    ) -> bool {
        let by_person = theirs != new && base != Some(theirs);
        self.takes_theirs(by_person, base != Some(new), kind, name)
    }

    /// Hand work whose frame, page or steps are gone.
    fn lose(&mut self, kind: LossKind, name: String) {
        self.conflicts.add(kind, name.clone());
        if self.preference != Preference::New {
            self.lost.add(kind, name);
        }
    }

    fn frames(&mut self, base: Option<&Manifest>, theirs: &Manifest, manifest: &mut Manifest) {
        let in_base = base.map(by_id).unwrap_or_default();
        let in_theirs = by_id(theirs);
        let base_frame = |id: &Id| base.zip(in_base.get(id)).map(|(base, &at)| &base.frames[at]);
        let new = manifest.clone();
        self.check_painted_pages(theirs, &in_theirs, &new);
        let mut removed = HashSet::new();
        for (index, frame) in manifest.frames.iter_mut().enumerate() {
            let id = id_of(frame);
            match (in_theirs.get(&id), base_frame(&id)) {
                (Some(&at), before) => {
                    let before = before.zip(base);
                    self.frame(before, (&theirs.frames[at], theirs), frame, &mut manifest.pages, &new);
                }
                (None, Some(before)) => {
                    let is_same =
                        Placement::of(before, base.expect("it has this frame")) == Placement::of(frame, &new);
                    let name = self.label(&id.0, &id.1);
                    if self.takes_theirs(true, !is_same, LossKind::RemovedFrame, || name.clone()) {
                        removed.insert(index);
                    }
                }
                (None, None) => {}
            }
        }
        let in_new = by_id(&new);
        for frame in theirs.frames.iter().filter(|frame| !in_new.contains_key(&id_of(frame))) {
            let id = id_of(frame);
            let placement = Placement::of(frame, theirs);
            let is_touched = base_frame(&id).zip(base).is_none_or(|(before, base)| {
                let plain = |frame: &FrameEntry| FrameEntry { page: 0, source: None, ..frame.clone() };
                Placement::of(before, base) != placement
                    || serde_json::to_value(plain(before)).ok() != serde_json::to_value(plain(frame)).ok()
                    || theirs.pages.get(frame.page).is_some_and(|page| self.is_painted(page))
            });
            let name = self.label(&id.0, &id.1);
            let is_added = self.has_base && base_frame(&id).is_none();
            if !is_touched {
                continue;
            }
            let has_own_page = theirs.frames.iter().filter(|other| other.page == frame.page).count() == 1
                && new.pages.iter().all(|page| page.file != placement.file);
            match theirs.pages.get(frame.page).filter(|_| has_own_page) {
                None => self.lose(LossKind::Frame, name),
                Some(page) => {
                    if self.takes_theirs(true, !is_added, LossKind::Frame, || name.clone()) {
                        self.left_alone.extend(images_of_page(page).cloned());
                        manifest.frames.push(FrameEntry { page: manifest.pages.len(), ..frame.clone() });
                        manifest.pages.push(page.clone());
                    }
                }
            }
        }
        remove_frames(manifest, &removed);
    }

    /// A page that was painted and that the run lays out again can only stay if every frame on it is where it was.
    fn check_painted_pages(&mut self, theirs: &Manifest, in_theirs: &HashMap<Id, usize>, new: &Manifest) {
        for (index, page) in new.pages.iter().enumerate() {
            if self.painted.get(&page.file) != Some(&true) || self.preference != Preference::Theirs {
                continue;
            }
            let is_there = |frame: &FrameEntry| {
                in_theirs
                    .get(&id_of(frame))
                    .is_some_and(|&at| Placement::of(&theirs.frames[at], theirs).file == page.file)
            };
            if !new.frames.iter().filter(|frame| frame.page == index).all(is_there) {
                self.lost.add(LossKind::Paint, page.file.clone());
            }
        }
    }

    fn frame(
        &mut self,
        base: Option<(&FrameEntry, &Manifest)>,
        (theirs, their_manifest): (&FrameEntry, &Manifest),
        frame: &mut FrameEntry,
        pages: &mut [PageEntry],
        new: &Manifest,
    ) {
        let name = self.label(&frame.sprite, &frame.name);
        let before = base.map(|(before, manifest)| Placement::of(before, manifest));
        let their = Placement::of(theirs, their_manifest);
        let mine = Placement::of(frame, new);
        let result = if self.takes_their_picture(before.as_ref(), &their, &mine, &name) {
            let page = &mut pages[frame.page];
            // Companions are laid out like the page.
            if let Some(of_page) =
                their_manifest.pages.get(theirs.page).filter(|_| page.size != their.page_size)
            {
                page.companions.clone_from(&of_page.companions);
                self.left_alone.extend(of_page.companions.values().cloned());
                self.decided.extend(of_page.companions.values().cloned());
            }
            (page.file, page.size) = (their.file.clone(), their.page_size);
            (frame.rect, frame.rotated, frame.canvas, frame.inset) =
                (their.rect, their.rotated, their.canvas, their.inset);
            frame.uv = theirs.uv;
            if let Some(source) = &mut frame.source {
                source.at = their.cell;
            }
            their.geometry()
        } else {
            mine.geometry()
        };
        let base = base.map(|(before, _)| before);
        // A value belongs to the geometry it was measured on.
        let (is_theirs_off, is_mine_off) = (their.geometry() != result, mine.geometry() != result);
        let mut measured =
            |is_changed_by_person: bool, is_changed_by_run: bool, kind: LossKind, name: String| {
                if is_changed_by_person {
                    self.takes_theirs(true, is_changed_by_run || is_theirs_off, kind, || name.clone())
                } else if is_changed_by_run && is_mine_off {
                    self.takes_theirs(true, true, kind, || name.clone())
                } else {
                    false
                }
            };
        macro_rules! merged {
            ($field:ident, $kind:expr) => {
                let by_person =
                    theirs.$field != frame.$field && base.is_none_or(|b| b.$field != theirs.$field);
                let by_run = theirs.$field != frame.$field && base.is_none_or(|b| b.$field != frame.$field);
                if measured(by_person, by_run, $kind, name.clone()) {
                    frame.$field = theirs.$field.clone();
                }
            };
        }
        merged!(pivot, LossKind::Pivot);
        merged!(nine, LossKind::Nine);
        merged!(polygon, LossKind::Polygon);
        let names: Vec<String> = theirs.boxes.keys().chain(frame.boxes.keys()).cloned().collect();
        for key in names.into_iter().collect::<std::collections::BTreeSet<_>>() {
            let (before, their, mine) =
                (base.map(|base| base.boxes.get(&key)), theirs.boxes.get(&key), frame.boxes.get(&key));
            let by_person = their != mine && before != Some(their);
            let by_run = their != mine && before != Some(mine);
            if measured(by_person, by_run, LossKind::Box, format!("{key} of {name}")) {
                match their {
                    Some(area) => drop(frame.boxes.insert(key, *area)),
                    None => drop(frame.boxes.remove(&key)),
                }
            }
        }
        let keys = |frame: &FrameEntry| (frame.extras.clone(), frame.other.clone());
        (frame.extras, frame.other) = self.keys(base.map(keys).as_ref(), keys(theirs), keys(frame), &name);
    }

    /// Whether a frame's picture stays as the person has it: painted, or cut otherwise.
    fn takes_their_picture(
        &mut self,
        base: Option<&Placement>,
        theirs: &Placement,
        new: &Placement,
        name: &str,
    ) -> bool {
        let painted = self.painted.get(&theirs.file).copied();
        let is_moved = base != Some(theirs) && theirs != new;
        let by_run = painted == Some(true) || base != Some(new) && theirs != new;
        if painted.is_some() {
            self.decided.insert(theirs.file.clone());
            if self.lost_paint(&theirs.file) {
                return false;
            }
            let is_kept = self.takes_theirs(true, by_run, LossKind::Paint, || theirs.file.clone());
            if is_kept {
                self.left_alone.insert(theirs.file.clone());
            }
            return is_kept;
        }
        self.takes_theirs(is_moved, by_run, LossKind::Placement, || name.to_owned())
    }

    /// Paint on pictures that no frame has decided about: companions, pages without frames.
    fn other_paint(&mut self, theirs: &Manifest, new: &Manifest) {
        let files = new.pages.iter().flat_map(images_of_page);
        for file in files.collect::<std::collections::BTreeSet<_>>() {
            let is_decided = self.decided.contains(file);
            let Some(&by_run) = self.painted.get(file).filter(|_| !is_decided) else { continue };
            let size = |side: &Manifest| {
                let mut pages = side.pages.iter();
                pages.find(|page| images_of_page(page).any(|one| one == file)).map(|page| page.size)
            };
            if by_run && self.preference == Preference::Theirs && size(theirs) != size(new) {
                self.lose(LossKind::Paint, file.clone());
            } else if self.takes_theirs(true, by_run, LossKind::Paint, || file.clone()) {
                self.left_alone.insert(file.clone());
            }
        }
    }

    fn is_painted(&self, page: &PageEntry) -> bool {
        images_of_page(page).any(|file| self.painted.contains_key(file))
    }

    fn lost_paint(&mut self, file: &str) -> bool {
        let is_lost = self.lost.contains(LossKind::Paint, file);
        if is_lost {
            self.conflicts.add(LossKind::Paint, file.to_owned());
        }
        is_lost
    }

    fn keys(&mut self, base: Option<&Keys>, theirs: Keys, new: Keys, of: &str) -> Keys {
        let (their_extras, their_other) = theirs;
        let (mut extras, mut other) = new;
        let base_extras = base.map(|(extras, _)| extras.clone().unwrap_or_default());
        let merged = extras.get_or_insert_default();
        self.map(base_extras.as_ref(), &their_extras.unwrap_or_default(), merged, LossKind::Extras, of);
        self.map(base.map(|(_, other)| other), &their_other, &mut other, LossKind::Key, of);
        (extras.filter(|extras| !extras.is_empty()), other)
    }

    fn map(
        &mut self,
        base: Option<&Map<String, Value>>,
        theirs: &Map<String, Value>,
        new: &mut Map<String, Value>,
        kind: LossKind,
        of: &str,
    ) {
        let keys: Vec<String> = theirs.keys().chain(new.keys()).cloned().collect();
        for key in keys {
            let before = base.map(|base| base.get(&key));
            let (their, mine) = (theirs.get(&key), new.get(&key));
            if self.value(before.as_ref(), &their, &mine, kind, || format!("{key} of {of}")) {
                match their {
                    Some(value) => drop(new.insert(key, value.clone())),
                    None => drop(new.remove(&key)),
                }
            }
        }
    }

    fn clips(&mut self, base: Option<&Manifest>, theirs: &Manifest, manifest: &mut Manifest) {
        let base_clips = base.map(NamedClip::all).unwrap_or_default();
        let their_clips = NamedClip::all(theirs);
        let new_clips = NamedClip::all(manifest);
        let find =
            |clips: &[NamedClip], clip: &NamedClip| clips.iter().find(|other| other.id == clip.id).cloned();
        let mut merged = Vec::new();
        for clip in &new_clips {
            let label = self.label(&clip.id.0, &clip.id.1);
            match (find(&base_clips, clip), find(&their_clips, clip)) {
                (before, Some(their)) => {
                    merged.push(self.clip(before.as_ref(), &their, clip.clone(), &label));
                }
                (Some(before), None) => {
                    if !self.takes_theirs(true, before != *clip, LossKind::RemovedClip, || label.clone()) {
                        merged.push(clip.clone());
                    }
                }
                // Without a base, it may be new, or one that a person removed.
                (None, None) if !self.has_base => {
                    if !self.takes_theirs(true, true, LossKind::RemovedClip, || label.clone()) {
                        merged.push(clip.clone());
                    }
                }
                (None, None) => merged.push(clip.clone()),
            }
        }
        for clip in their_clips.iter().filter(|clip| find(&new_clips, clip).is_none()) {
            let before = find(&base_clips, clip);
            if before.as_ref() == Some(clip) {
                continue;
            }
            let label = self.label(&clip.id.0, &clip.id.1);
            let is_by_run = before.is_some() || !self.has_base;
            if self.takes_theirs(true, is_by_run, LossKind::Clip, || label.clone()) {
                merged.push(clip.clone());
            }
        }
        let frames = by_id(manifest);
        let mut clips = Vec::new();
        for clip in merged {
            match clip.to_entry(&frames) {
                Some(entry) => clips.push(entry),
                None => {
                    let label = self.label(&clip.id.0, &clip.id.1);
                    // It would show frames that are gone; the run's own clip is what is left.
                    self.lose(LossKind::Clip, label);
                    clips.extend(find(&new_clips, &clip).and_then(|clip| clip.to_entry(&frames)));
                }
            }
        }
        manifest.clips = clips;
    }

    fn clip(
        &mut self,
        base: Option<&NamedClip>,
        theirs: &NamedClip,
        mut clip: NamedClip,
        label: &str,
    ) -> NamedClip {
        let name = || label.to_owned();
        let new = clip.clone();
        let is_as_long = |clip: &NamedClip| clip.frames.len() == new.frames.len();
        let events = |clip: &NamedClip| clip.events.clone();
        if is_as_long(theirs) && base.is_none_or(is_as_long) {
            if self.value(base.map(|base| &base.frames), &theirs.frames, &new.frames, LossKind::Frames, name)
            {
                clip.frames.clone_from(&theirs.frames);
            }
            if self.value(base.map(|base| &base.times), &theirs.times, &new.times, LossKind::Times, name) {
                clip.times.clone_from(&theirs.times);
            }
            for step in 0..new.events.len() {
                let before = base.map(|base| &base.events[step]);
                let (their, mine) = (&theirs.events[step], &new.events[step]);
                let event =
                    || format!("{} of {label}", their.as_ref().or(mine.as_ref()).map_or("", |event| event));
                if self.value(before, their, mine, LossKind::Event, event) {
                    clip.events[step].clone_from(their);
                }
            }
        } else {
            let steps = |clip: &NamedClip| (clip.frames.clone(), clip.times.clone());
            let before = base.map(steps);
            if self.value(before.as_ref(), &steps(theirs), &steps(&new), LossKind::Frames, name) {
                clip = NamedClip { frames: theirs.frames.clone(), times: theirs.times.clone(), ..clip };
                clip.events = events(theirs);
            } else if base.map(events) != Some(events(theirs)) {
                self.move_events(base, theirs, &mut clip, label);
            }
        }
        if self.value(
            base.map(|base| &base.playback),
            &theirs.playback,
            &new.playback,
            LossKind::Playback,
            name,
        ) {
            clip.playback = theirs.playback;
        }
        clip.keys = self.keys(base.map(|base| &base.keys), theirs.keys.clone(), new.keys, label);
        clip
    }

    /// Events that a person put on steps, on a clip whose steps are others now: they go with their frames.
    fn move_events(
        &mut self,
        base: Option<&NamedClip>,
        theirs: &NamedClip,
        clip: &mut NamedClip,
        label: &str,
    ) {
        let is_old =
            |step: usize| base.is_some_and(|base| base.events.get(step) == Some(&theirs.events[step]));
        for (step, event) in theirs.events.iter().enumerate().filter(|(step, _)| !is_old(*step)) {
            let Some(event) = event else { continue };
            let same = clip.frames.iter().position(|(frame, ..)| *frame == theirs.frames[step].0);
            match same {
                Some(index) if clip.events[index].as_ref().is_none_or(|other| other == event) => {
                    clip.events[index] = Some(event.clone());
                    self.kept.add(LossKind::Event, format!("{event} of {label}"));
                }
                _ => self.lose(LossKind::Event, format!("{event} of {label}")),
            }
        }
    }
}

type NamedFrame = (Id, bool, Map<String, Value>);

/// A clip whose steps name their frames.
#[derive(Clone, Debug, PartialEq)]
struct NamedClip {
    id: Id,
    /// The frame of each step, whether it is mirrored, and its other keys.
    frames: Vec<NamedFrame>,
    /// Ticks a second, and the ticks of each step.
    times: (u32, Vec<u32>),
    events: Vec<Option<String>>,
    playback: (shibori_core::clip::PlayMode, u32),
    keys: Keys,
}

impl NamedClip {
    fn all(manifest: &Manifest) -> Vec<Self> {
        let frame = |index: usize| manifest.frames.get(index).map(id_of).unwrap_or_default();
        let named = |clip: &ClipEntry| Self {
            id: (clip.sprite.clone(), clip.name.clone()),
            frames: clip.steps.iter().map(|s| (frame(s.frame), s.mirror, s.other.clone())).collect(),
            times: (clip.timescale, clip.steps.iter().map(|step| step.ticks).collect()),
            events: clip.steps.iter().map(|step| step.event.clone()).collect(),
            playback: (clip.play, clip.plays),
            keys: (clip.extras.clone(), clip.other.clone()),
        };
        manifest.clips.iter().map(named).collect()
    }

    /// The clip on the frames where they are now; none if one is gone.
    fn to_entry(&self, frames: &HashMap<Id, usize>) -> Option<ClipEntry> {
        let step = |(index, (frame, mirror, other)): (usize, &NamedFrame)| {
            let (frame, other) = (*frames.get(frame)?, other.clone());
            let (ticks, event) = (self.times.1[index], self.events[index].clone());
            Some(StepEntry { frame, ticks, mirror: *mirror, event, other })
        };
        let steps = self.frames.iter().enumerate();
        Some(ClipEntry {
            sprite: self.id.0.clone(),
            name: self.id.1.clone(),
            play: self.playback.0,
            plays: self.playback.1,
            timescale: self.times.0,
            steps: steps.map(step).collect::<Option<_>>()?,
            extras: self.keys.0.clone(),
            other: self.keys.1.clone(),
        })
    }
}

/// Removes frames that no clip shows, and pages that only they were on.
fn remove_frames(manifest: &mut Manifest, removed: &HashSet<usize>) {
    if removed.is_empty() {
        return;
    }
    let mut numbers = BTreeMap::new();
    let mut frames = Vec::new();
    for (index, frame) in std::mem::take(&mut manifest.frames).into_iter().enumerate() {
        if !removed.contains(&index) {
            numbers.insert(index, frames.len());
            frames.push(frame);
        }
    }
    manifest.clips.retain_mut(|clip| {
        clip.steps.retain_mut(|step| match numbers.get(&step.frame) {
            Some(&index) => {
                step.frame = index;
                true
            }
            None => false,
        });
        !clip.steps.is_empty()
    });
    let used: HashSet<usize> = frames.iter().map(|frame: &FrameEntry| frame.page).collect();
    let mut pages = Vec::new();
    let mut page_numbers = BTreeMap::new();
    for (index, page) in std::mem::take(&mut manifest.pages).into_iter().enumerate() {
        if used.contains(&index) {
            page_numbers.insert(index, pages.len());
            pages.push(page);
        }
    }
    frames.iter_mut().for_each(|frame| frame.page = page_numbers[&frame.page]);
    (manifest.frames, manifest.pages) = (frames, pages);
}

fn id_of(frame: &FrameEntry) -> Id {
    (frame.sprite.clone(), frame.name.clone())
}

/// Where each frame is.
fn by_id(manifest: &Manifest) -> HashMap<Id, usize> {
    manifest.frames.iter().enumerate().map(|(index, frame)| (id_of(frame), index)).collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use serde_json::json;

    use super::*;

    const FRAMES: usize = 3;
    const CLIPS: usize = 2;
    /// Values that can change without another: four of each frame, three of each clip, one of the whole.
    const SLOTS: usize = FRAMES * 4 + CLIPS * 3 + 1;

    fn base() -> Manifest {
        let frame = |index: usize| {
            json!({
                "name": format!("koi-{index}"), "sprite": "koi", "page": index, "rect": [0, 0, 8, 8],
                "canvas": [8, 8], "pivot": [4, 4], "boxes": { "body": [1, 1, 2, 2] },
                "source": { "file": "koi.png" },
            })
        };
        let page = |index: usize| json!({ "file": format!("koi-{index}.png"), "size": [8, 8] });
        let clip = |index: usize| {
            let steps: Vec<Value> = (0..FRAMES).map(|frame| json!({ "frame": frame, "ticks": 1 })).collect();
            json!({ "name": format!("clip-{index}"), "sprite": "koi", "timescale": 10, "steps": steps })
        };
        let all = json!({
            "format": "shibori/1",
            "pages": (0..FRAMES).map(page).collect::<Vec<_>>(),
            "frames": (0..FRAMES).map(frame).collect::<Vec<_>>(),
            "clips": (0..CLIPS).map(clip).collect::<Vec<_>>(),
        });
        serde_json::from_value(all).unwrap()
    }

    /// Changes the value of a slot; other numbers are other values, and none is that of the base.
    fn change(manifest: &mut Manifest, slot: usize, value: u32) {
        let key = |map: &mut Option<Map<String, Value>>| {
            map.get_or_insert_default().insert("volume".to_owned(), json!(value));
        };
        if slot < FRAMES * 4 {
            let frame = &mut manifest.frames[slot / 4];
            match slot % 4 {
                0 => frame.pivot = [Coordinate(100.0 + f64::from(value)), Coordinate(0.5)],
                1 => drop(frame.boxes.insert("body".to_owned(), [value as i32, 9, 9, 9])),
                2 => frame.nine = Some([value, 0, 0, 0]),
                _ => key(&mut frame.extras),
            }
        } else if slot < FRAMES * 4 + CLIPS * 3 {
            let slot = slot - FRAMES * 4;
            let clip = &mut manifest.clips[slot / 3];
            match slot % 3 {
                0 => clip.steps[1].ticks = 2 + value,
                1 => clip.steps[2].event = Some(format!("splash-{value}")),
                _ => clip.plays = 1 + value,
            }
        } else {
            key(&mut manifest.extras);
        }
    }

    fn merged(base: Option<&Manifest>, theirs: &Manifest, new: &Manifest, preference: Preference) -> Merged {
        merge(base, theirs, new, &HashMap::new(), preference)
    }

    /// What becomes of each slot: by whom it is changed, and to what.
    fn changes() -> impl Strategy<Value = Vec<(bool, bool, u32, u32)>> {
        prop::collection::vec((prop::bool::weighted(0.3), prop::bool::weighted(0.3), 0u32..3, 0u32..3), SLOTS)
    }

    proptest! {
        #[test]
        fn each_value_is_the_persons_the_runs_or_a_conflict(changes in changes()) {
            let base = base();
            let (mut theirs, mut new, mut clean) = (base.clone(), base.clone(), base.clone());
            let (mut with_theirs, mut conflicts, mut kept) = (base.clone(), 0, 0);
            for (slot, &(person, run, theirs_value, new_value)) in changes.iter().enumerate() {
                if person {
                    change(&mut theirs, slot, theirs_value);
                    change(&mut with_theirs, slot, theirs_value);
                    change(&mut clean, slot, theirs_value);
                }
                if run {
                    change(&mut new, slot, new_value);
                    change(&mut clean, slot, new_value);
                    if !person {
                        change(&mut with_theirs, slot, new_value);
                    }
                }
                conflicts += usize::from(person && run && theirs_value != new_value);
                kept += usize::from(person && !run);
            }
            let taken_new = merged(Some(&base), &theirs, &new, Preference::New);
            prop_assert_eq!(taken_new.manifest.to_text(), clean.to_text());
            prop_assert_eq!(taken_new.conflicts.items().len(), conflicts);
            prop_assert_eq!(taken_new.kept.items().len(), kept);
            let taken_theirs = merged(Some(&base), &theirs, &new, Preference::Theirs);
            prop_assert_eq!(taken_theirs.manifest.to_text(), with_theirs.to_text());
            prop_assert!(taken_theirs.lost.is_empty());
            prop_assert_eq!(taken_theirs.kept.items().len(), kept + conflicts);
            // What nobody changed, or only one of them, is never in doubt.
            prop_assert_eq!(merged(Some(&base), &base, &new, Preference::Neither).manifest.to_text(), new.to_text());
            let only_theirs = merged(Some(&base), &theirs, &base, Preference::Neither);
            prop_assert_eq!(only_theirs.manifest.to_text(), theirs.to_text());
            prop_assert!(only_theirs.conflicts.is_empty());
            // Without a base, every difference is in doubt.
            let blind = merged(None, &theirs, &new, Preference::Theirs);
            prop_assert_eq!(blind.manifest.to_text(), theirs.to_text());
            prop_assert_eq!(blind.conflicts.is_empty(), theirs.to_text() == new.to_text());
        }

        #[test]
        fn a_value_on_a_frame_that_moved_under_it_is_a_conflict(
            slot in 0usize..2, value in 0u32..9, mirrored in any::<bool>(),
        ) {
            let base = base();
            let (mut theirs, mut new) = (base.clone(), base.clone());
            change(&mut theirs, slot, value);
            if mirrored {
                let source = new.frames[0].source.as_mut().unwrap();
                source.at = Some([8.0, 0.0, 0.0, 8.0].map(Coordinate));
            } else {
                new.frames[0].canvas = [12, 8];
            }
            prop_assert_eq!(merged(Some(&base), &theirs, &new, Preference::Neither).conflicts.items().len(), 1);
            prop_assert!(merged(Some(&base), &base, &new, Preference::Neither).conflicts.is_empty());
            // A frame that is only trimmed, or cut elsewhere, keeps its geometry.
            let mut trimmed = base.clone();
            trimmed.frames[0].inset = [1, 1];
            trimmed.frames[0].rect = [0, 0, 5, 5];
            trimmed.pages[0].size = [5, 5];
            trimmed.frames[0].source.as_mut().unwrap().rect = Some([9, 9, 8, 8]);
            let merged = merged(Some(&base), &theirs, &trimmed, Preference::Neither);
            prop_assert!(merged.conflicts.is_empty() && merged.kept.items().len() == 1);
        }
    }

    #[test]
    fn frames_and_clips_that_a_person_added_or_removed_stay_so() {
        let base = base();
        let mut theirs = base.clone();
        theirs.pages.push(PageEntry { file: "mine.png".to_owned(), ..base.pages[0].clone() });
        theirs.frames.push(FrameEntry { name: "mine".to_owned(), page: 3, ..base.frames[0].clone() });
        let mut clip = ClipEntry { name: "mine".to_owned(), ..base.clips[0].clone() };
        clip.steps.truncate(1);
        clip.steps[0].frame = 3;
        theirs.clips.push(clip);
        theirs.clips.remove(0);
        let mut new = base.clone();
        new.frames[0].pivot = [Coordinate(1.0), Coordinate(2.0)];
        let all = merged(Some(&base), &theirs, &new, Preference::Neither);
        assert!(all.conflicts.is_empty() && all.lost.is_empty(), "{}", all.conflicts);
        assert_eq!(all.kept.to_string(), "frame mine; clip mine; removed clip clip-0");
        assert_eq!(all.painted, HashSet::from(["mine.png".to_owned()]));
        let names: Vec<&str> = all.manifest.clips.iter().map(|clip| &clip.name[..]).collect();
        assert_eq!(names, ["clip-1", "mine"]);
        assert_eq!(all.manifest.clips[1].steps[0].frame, 3);
        assert_eq!(all.manifest.pages[all.manifest.frames[3].page].file, "mine.png");
        // A frame that a person removed stays away with its page, and clips count on.
        let mut fewer = base.clone();
        remove_frames(&mut fewer, &HashSet::from([0]));
        let without = merged(Some(&base), &fewer, &new, Preference::Neither);
        assert_eq!(without.manifest.to_text(), fewer.to_text());
        // A clip that the run drops goes, unless it was changed.
        let mut dropped = base.clone();
        dropped.clips.remove(0);
        assert!(merged(Some(&base), &base, &dropped, Preference::Neither).conflicts.is_empty());
        change(&mut theirs, FRAMES * 4 + 1, 1);
        let mut changed = base.clone();
        change(&mut changed, FRAMES * 4, 5);
        let clash = merged(Some(&base), &changed, &dropped, Preference::Neither);
        assert_eq!(clash.conflicts.to_string(), "clip clip-0");
    }

    #[test]
    fn paint_stays_if_the_run_draws_what_it_drew() {
        let base = base();
        let painted = |by_run: bool| HashMap::from([("koi-1.png".to_owned(), by_run)]);
        let kept = merge(Some(&base), &base, &base, &painted(false), Preference::Neither);
        assert_eq!((kept.kept.to_string(), kept.painted.len()), ("paint on koi-1.png".to_owned(), 1));
        let clash = merge(Some(&base), &base, &base, &painted(true), Preference::Neither);
        assert_eq!(clash.conflicts.to_string(), "paint on koi-1.png");
        assert!(clash.painted.is_empty());
        let theirs = merge(Some(&base), &base, &base, &painted(true), Preference::Theirs);
        assert!(theirs.painted.contains("koi-1.png") && theirs.lost.is_empty());
        // On an atlas page that gets other frames, paint has no place.
        let mut atlas = base.clone();
        atlas.frames.iter_mut().for_each(|frame| frame.page = 1);
        let mut more = atlas.clone();
        more.frames.push(FrameEntry { name: "new".to_owned(), ..atlas.frames[0].clone() });
        let lost = merge(Some(&atlas), &atlas, &more, &painted(true), Preference::Theirs);
        assert_eq!(lost.lost.to_string(), "paint on koi-1.png");
    }
}
