//! What a template sees: the manifest as it stands, with what follows from it beside each frame and clip.

use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, OnceLock};

use minijinja::Value as TemplateValue;
use minijinja::value::{Enumerator, Object, ObjectRepr, Serde};
use serde::Serialize;
use serde_json::{Map, Value, json};

use shibori_core::{CompanionKind, CompanionSpec};

use crate::export::idents::{Idents, check_full_names, full_name, identifier, idents};
use crate::export::{ClipTimeline, ExportError, ExportSource, FrameGeometry, PlayedStep, TemplateError};
use crate::manifest::{ClipEntry, FrameEntry, Manifest, StepEntry};

/// A value for templates, by way of JSON, in which pairs of numbers are lists as all others are.
fn to_template(value: impl Serialize) -> TemplateValue {
    TemplateValue::from(Serde(serde_json::to_value(value).expect("entries are JSON")))
}

/// What lists are made of.
#[derive(Debug)]
struct Facts {
    manifest: Arc<Manifest>,
    frames: Arc<Vec<FrameGeometry>>,
    clips: Arc<Vec<ClipTimeline>>,
    names: Option<Idents>,
}

/// Of no more frames and steps than this, values are kept once they are made, for templates that go through them again and
/// again; they take about 100 MB.
const KEPT: usize = 16_384;

/// A list whose values are made when a template asks for them: all at once would take gigabytes.
#[derive(Debug)]
struct LazyList {
    facts: Arc<Facts>,
    of: ListKind,
    /// One for each value; empty if none are kept.
    kept: Vec<OnceLock<TemplateValue>>,
}

#[derive(Clone, Copy, Debug)]
enum ListKind {
    Frames,
    Steps { clip: usize },
    Playback { clip: usize },
}

impl LazyList {
    fn value(facts: &Arc<Facts>, of: ListKind) -> TemplateValue {
        let mut list = Self { facts: Arc::clone(facts), of, kept: Vec::new() };
        if facts.len() <= KEPT {
            list.kept.resize_with(list.len(), OnceLock::new);
        }
        TemplateValue::from_object(list)
    }

    fn len(&self) -> usize {
        match self.of {
            ListKind::Frames => self.facts.manifest.frames.len(),
            ListKind::Steps { clip } => self.facts.manifest.clips[clip].steps.len(),
            ListKind::Playback { clip } => self.facts.clips[clip].playback.len(),
        }
    }
}

impl Object for LazyList {
    fn repr(self: &Arc<Self>) -> ObjectRepr {
        ObjectRepr::Seq
    }

    fn get_value(self: &Arc<Self>, key: &TemplateValue) -> Option<TemplateValue> {
        let at = key.as_usize().filter(|at| *at < self.len())?;
        let make = || match self.of {
            ListKind::Frames => self.facts.frame(at),
            ListKind::Steps { clip } => self.facts.step(clip, at),
            ListKind::Playback { clip } => to_template(&self.facts.clips[clip].playback[at]),
        };
        Some(self.kept.get(at).map_or_else(make, |kept| kept.get_or_init(make).clone()))
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        Enumerator::Seq(self.len())
    }
}

/// A frame's variables. Of equal keys the last one counts, at the place of the first.
#[derive(Serialize)]
struct FrameFields<'a> {
    #[serde(flatten)]
    geometry: &'a FrameGeometry,
    #[serde(flatten)]
    entry: &'a FrameEntry,
    #[serde(flatten)]
    defaults: FrameDefaults,
    uv: [f64; 4],
    full_name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    ident: Option<&'a str>,
}

/// Left out of a manifest where they say nothing; a template may always ask.
#[derive(Serialize)]
struct FrameDefaults {
    #[serde(skip_serializing_if = "Option::is_none")]
    rotated: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    boxes: Option<Map<String, Value>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    nine: Option<()>,
    #[serde(skip_serializing_if = "Option::is_none")]
    polygon: Option<[u8; 0]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    extras: Option<Map<String, Value>>,
}

#[derive(Serialize)]
struct StepFields<'a> {
    #[serde(flatten)]
    entry: &'a StepEntry,
    #[serde(flatten)]
    played: &'a PlayedStep,
}

#[derive(Serialize)]
struct ClipFields<'a> {
    #[serde(flatten)]
    entry: ClipEntry,
    #[serde(flatten)]
    timeline: ClipTimeline,
    #[serde(skip_serializing_if = "Option::is_none", rename = "extras")]
    default_extras: Option<Map<String, Value>>,
    index: usize,
    full_name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    ident: Option<&'a str>,
}

impl Facts {
    /// Frames, and steps as they are played.
    fn len(&self) -> usize {
        self.frames.len() + self.clips.iter().map(|clip| clip.playback.len()).sum::<usize>()
    }

    fn frame(&self, at: usize) -> TemplateValue {
        let (entry, geometry) = (&self.manifest.frames[at], &self.frames[at]);
        let defaults = FrameDefaults {
            rotated: (!entry.rotated).then_some(false),
            boxes: entry.boxes.is_empty().then(Map::new),
            nine: entry.nine.is_none().then_some(()),
            polygon: entry.polygon.is_empty().then_some([]),
            extras: entry.extras.is_none().then(Map::new),
        };
        to_template(FrameFields {
            geometry,
            entry,
            defaults,
            uv: geometry.uv,
            full_name: full_name(&entry.sprite, &entry.name),
            ident: self.names.as_ref().map(|names| names.frames[at].as_str()),
        })
    }

    fn step(&self, clip: usize, at: usize) -> TemplateValue {
        let (entry, played) = (&self.manifest.clips[clip].steps[at], &self.clips[clip].playback[at]);
        to_template(StepFields { entry, played })
    }

    fn clip(self: &Arc<Self>, at: usize) -> TemplateValue {
        let (entry, timeline) = (&self.manifest.clips[at], &self.clips[at]);
        let fields = object(&ClipFields {
            entry: ClipEntry {
                name: entry.name.clone(),
                sprite: entry.sprite.clone(),
                steps: Vec::new(),
                extras: entry.extras.clone(),
                other: entry.other.clone(),
                ..*entry
            },
            timeline: ClipTimeline { playback: Vec::new(), ..*timeline },
            default_extras: entry.extras.is_none().then(Map::new),
            index: at,
            full_name: full_name(&entry.sprite, &entry.name),
            ident: self.names.as_ref().map(|names| names.clips[at].as_str()),
        });
        TemplateValue::from_pairs(fields.into_iter().map(|(key, value)| match key.as_str() {
            "steps" => (key, LazyList::value(self, ListKind::Steps { clip: at })),
            "playback" => (key, LazyList::value(self, ListKind::Playback { clip: at })),
            _ => (key, to_template(value)),
        }))
    }
}

/// All variables. Identifiers are made only for a template that uses them, since names may clash.
pub(super) fn of(subject: &ExportSource, source: &str) -> Result<TemplateValue, TemplateError> {
    let clash = |word: &str, error: &ExportError| {
        let at = source.find(word).unwrap_or(0);
        let line = source[..at].matches('\n').count() + 1;
        let column = source[..at].chars().rev().take_while(|c| *c != '\n').count() + 1;
        let hint = Some(
            "rename one of them, or build names with the filters ident, snake or camel from what differs"
                .to_owned(),
        );
        TemplateError { line, column, problem: error.to_string(), hint }
    };
    if source.contains("full_name") {
        check_full_names(subject).map_err(|error| clash("full_name", &error))?;
    }
    let names = match source.contains("ident") {
        true => {
            let made = idents(subject, identifier, false, None, "identifiers");
            Some(made.map_err(|error| clash("ident", &error))?)
        }
        false => None,
    };
    let manifest = &subject.manifest;
    let has_idents = names.is_some();
    let facts = Arc::new(Facts {
        manifest: Arc::clone(manifest),
        frames: Arc::clone(&subject.frames),
        clips: Arc::clone(&subject.clips),
        names,
    });
    let clips: Vec<TemplateValue> = (0..manifest.clips.len()).map(|at| facts.clip(at)).collect();
    let page = |(at, entry): (usize, &crate::manifest::PageEntry)| {
        let mut page = Map::new();
        page.insert("index".to_owned(), json!(at));
        page.extend(
            [("factor", json!(1)), ("alpha", json!("straight")), ("sampling", Value::Null)]
                .map(|(k, v)| (k.to_owned(), v)),
        );
        page.extend(
            [("companions", json!({})), ("uv_origin", json!("top")), ("extras", json!({}))]
                .map(|(k, v)| (k.to_owned(), v)),
        );
        page.extend(object(entry));
        let normals = entry.companions.keys().filter(|suffix| {
            entry.normals.contains(suffix) || CompanionSpec::of_suffix(suffix).kind == CompanionKind::Normals
        });
        page.insert("normals".to_owned(), json!(normals.collect::<Vec<_>>()));
        Value::Object(page)
    };
    let pages: Vec<Value> = manifest.pages.iter().enumerate().map(page).collect();
    let extras = manifest.extras.clone().unwrap_or_default();
    Ok(TemplateValue::from_object(BTreeMap::from([
        ("format", TemplateValue::from(&manifest.format)),
        ("name", TemplateValue::from(&subject.stem)),
        ("seal", TemplateValue::from(crate::store::seal::PLACEHOLDER)),
        ("pages", to_template(pages)),
        ("sprites", to_template(sprites(manifest, has_idents))),
        ("frames", LazyList::value(&facts, ListKind::Frames)),
        ("clips", TemplateValue::from(clips)),
        ("extras", to_template(extras)),
    ])))
}

/// Sprites in the order of their frames, with the places of their frames and clips.
fn sprites(manifest: &Manifest, with_idents: bool) -> Vec<Value> {
    let mut known: HashMap<&str, usize> = HashMap::new();
    let mut sprites: Vec<(&str, Vec<usize>, Vec<usize>)> = Vec::new();
    for (at, frame) in manifest.frames.iter().enumerate() {
        let sprite = *known.entry(&frame.sprite).or_insert_with(|| {
            sprites.push((&frame.sprite, Vec::new(), Vec::new()));
            sprites.len() - 1
        });
        sprites[sprite].1.push(at);
    }
    for (at, clip) in manifest.clips.iter().enumerate() {
        if let Some(&sprite) = known.get(clip.sprite.as_str()) {
            sprites[sprite].2.push(at);
        }
    }
    let sprite = |(at, (name, frames, clips)): (usize, (&str, Vec<usize>, Vec<usize>))| {
        let mut sprite = json!({ "index": at, "name": name, "frames": frames, "clips": clips });
        if with_idents {
            sprite["ident"] = json!(identifier(name));
        }
        sprite
    };
    sprites.into_iter().enumerate().map(sprite).collect()
}

fn object(value: &impl serde::Serialize) -> Map<String, Value> {
    match serde_json::to_value(value) {
        Ok(Value::Object(map)) => map,
        other => unreachable!("entries are objects: {other:?}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::encode::PageEncoding;
    use crate::export::sample;

    #[test]
    fn values_are_kept_once_made_and_are_those_that_are_made_each_time() {
        let (_folder, subject) =
            sample::subject(sample::frames(4), &["swim = 0-3,1"], &PageEncoding::default(), "pond");
        let (manifest, frames, clips) = (&subject.manifest, &subject.frames, &subject.clips);
        let facts = Arc::new(Facts {
            manifest: Arc::clone(manifest),
            frames: Arc::clone(frames),
            clips: Arc::clone(clips),
            names: None,
        });
        for of in [ListKind::Frames, ListKind::Steps { clip: 0 }, ListKind::Playback { clip: 0 }] {
            let made = Arc::new(LazyList { facts: Arc::clone(&facts), of, kept: Vec::new() });
            let mut kept = LazyList { facts: Arc::clone(&facts), of, kept: Vec::new() };
            kept.kept.resize_with(kept.len(), OnceLock::new);
            let kept = Arc::new(kept);
            for at in [0, 1, 1, made.len() - 1] {
                let at = TemplateValue::from(at);
                let value = kept.get_value(&at).unwrap();
                assert_eq!(value, made.get_value(&at).unwrap());
            }
            assert!(kept.kept[1].get().is_some() && kept.kept[2].get().is_none());
            assert!(kept.get_value(&TemplateValue::from(made.len())).is_none());
        }
    }
}
