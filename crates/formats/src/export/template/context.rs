//! What a template sees: the manifest as it stands, with what follows from it beside each frame and clip.

use std::collections::BTreeMap;

use minijinja::Value as TemplateValue;
use minijinja::value::Serde;
use serde_json::{Map, Value, json};

use shibori_core::{CompanionKind, CompanionSpec};

use crate::export::idents::{check_full_names, full_name, identifier, idents};
use crate::export::{ExportError, ExportSource, TemplateError};

/// A value for templates. Entries are converted one at a time; holding all of them in both forms would double the memory.
fn to_template(value: Value) -> TemplateValue {
    TemplateValue::from(Serde(value))
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
    let mut frames = Vec::with_capacity(manifest.frames.len());
    for (at, entry) in manifest.frames.iter().enumerate() {
        let mut frame = object(&subject.frames[at]);
        frame.extend(object(entry));
        // Left out of a manifest where they say nothing; a template may always ask.
        for (key, value) in
            [("rotated", json!(false)), ("boxes", json!({})), ("nine", Value::Null), ("polygon", json!([]))]
        {
            frame.entry(key).or_insert(value);
        }
        frame.entry("extras").or_insert(json!({}));
        frame.insert("uv".to_owned(), json!(subject.frames[at].uv));
        frame.insert("full_name".to_owned(), json!(full_name(&entry.sprite, &entry.name)));
        if let Some(names) = &names {
            frame.insert("ident".to_owned(), json!(names.frames[at]));
        }
        frames.push(to_template(Value::Object(frame)));
    }
    let mut clips = Vec::with_capacity(manifest.clips.len());
    for (at, entry) in manifest.clips.iter().enumerate() {
        let mut clip = object(entry);
        clip.extend(object(&subject.clips[at]));
        clip.entry("extras").or_insert(json!({}));
        clip.insert("index".to_owned(), json!(at));
        clip.insert("full_name".to_owned(), json!(full_name(&entry.sprite, &entry.name)));
        let step = |(number, step): (usize, &crate::manifest::StepEntry)| {
            let mut value = object(step);
            value.extend(object(&subject.clips[at].playback[number]));
            Value::Object(value)
        };
        clip.insert("steps".to_owned(), entry.steps.iter().enumerate().map(step).collect());
        if let Some(names) = &names {
            clip.insert("ident".to_owned(), json!(names.clips[at]));
        }
        clips.push(to_template(Value::Object(clip)));
    }
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
        ("pages", to_template(pages.into())),
        ("sprites", to_template(sprites(subject, names.is_some()).into())),
        ("frames", TemplateValue::from(frames)),
        ("clips", TemplateValue::from(clips)),
        ("extras", to_template(extras.into())),
    ])))
}

/// Sprites in the order of their frames, with the places of their frames and clips.
fn sprites(subject: &ExportSource, with_idents: bool) -> Vec<Value> {
    let manifest = &subject.manifest;
    let mut names: Vec<&str> = Vec::new();
    for frame in &manifest.frames {
        if !names.contains(&frame.sprite.as_str()) {
            names.push(&frame.sprite);
        }
    }
    let sprite = |(at, name): (usize, &str)| {
        let frames = manifest.frames.iter().enumerate().filter(|(_, frame)| frame.sprite == name);
        let clips = manifest.clips.iter().enumerate().filter(|(_, clip)| clip.sprite == name);
        let mut sprite = json!({
            "index": at, "name": name,
            "frames": frames.map(|(at, _)| at).collect::<Vec<_>>(),
            "clips": clips.map(|(at, _)| at).collect::<Vec<_>>(),
        });
        if with_idents {
            sprite["ident"] = json!(identifier(name));
        }
        sprite
    };
    names.into_iter().enumerate().map(sprite).collect()
}

fn object(value: &impl serde::Serialize) -> Map<String, Value> {
    match serde_json::to_value(value) {
        Ok(Value::Object(map)) => map,
        other => unreachable!("entries are objects: {other:?}"),
    }
}
