//! Which target writes a file that a source may name: sets and atlases, known before anything is built.

use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};

use shibori_formats::manifest::SET_FILE;

use crate::build::graph::Graph;
use crate::build::sources::{slashed, wildcard_match};
use crate::paths::normal;

/// Outputs that sources may name: by where they are, the step that writes them.
#[derive(Debug, Default)]
pub(super) struct Producers {
    steps: BTreeMap<PathBuf, String>,
    /// Outputs that have another name as sources: an atlas without its extension.
    short: HashMap<PathBuf, String>,
    /// Atlases of one sprite each: how their manifests and their steps are called, with a star.
    spread: Vec<(String, String)>,
}

impl Producers {
    pub(super) fn of(graph: &Graph) -> Self {
        let mut producers = Self::default();
        for atlas in &graph.recipe.atlases {
            let target = normal(&graph.atlas_target(atlas));
            let name = format!("atlas.{}", atlas.name.value);
            if atlas.name.value.contains('*') {
                producers.spread.push((slashed(&target), name));
                continue;
            }
            producers.steps.insert(target.with_added_extension("json"), name.clone());
            producers.short.insert(target, name);
        }
        // The names of others are not known yet.
        for sprite in graph.recipe.sprites.iter().filter(|sprite| !sprite.name.value.contains('*')) {
            if let Some(set) = graph.set_of(sprite, &sprite.name.value) {
                producers.add_set(&set, &sprite.name.value);
            }
        }
        producers
    }

    pub(super) fn add_set(&mut self, folder: &Path, sprite: &str) {
        let (folder, name) = (normal(folder), format!("sprite.{sprite}"));
        self.short.insert(folder.join(SET_FILE), name.clone());
        self.steps.insert(folder, name);
    }

    /// The step that writes what is at a path.
    pub(super) fn get(&self, path: &Path) -> Option<String> {
        let known = self.steps.get(path).or_else(|| self.short.get(path)).cloned();
        let text = slashed(path);
        let text = text.strip_suffix(".json").unwrap_or(&text);
        let spread =
            |(target, name): &(String, String)| Some(name.replace('*', &wildcard_match(target, text)?));
        known.or_else(|| self.spread.iter().find_map(spread))
    }

    /// Sets and manifests.
    pub(super) fn paths(&self) -> impl Iterator<Item = &PathBuf> {
        self.steps.keys()
    }
}
