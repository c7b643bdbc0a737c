//! A sprite of a recipe, made again with other options, to try a remedy.

use std::path::PathBuf;

use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::Value;
use shibori_core::clip::ClipSpec;
use shibori_core::{FrameSet, Name};

use crate::build::execution::frames_of;
use crate::build::graph::Graph;
use crate::options::{AdjustOptions, ClipEdits, FilterOption, recipe_tables, toml_key, toml_string};
use crate::recipe::{ClipOverride, Located, SpriteRecipe};
use crate::remedy::RecipeKeys;
use crate::{Context, Error, NoopObserver};

/// A sprite of a recipe, and its sources.
#[derive(Clone, Debug)]
pub struct RecipeSprite {
    name: Name,
    sprite: SpriteRecipe,
    parts: Vec<Vec<PathBuf>>,
    base: PathBuf,
}

impl RecipeSprite {
    pub(super) fn new(graph: &Graph, figure: usize) -> Self {
        let resolved = &graph.figures[figure];
        Self {
            name: resolved.name.clone(),
            sprite: graph.sprite(figure).clone(),
            parts: resolved.parts.clone(),
            base: graph.base.clone(),
        }
    }

    /// Its frames.
    ///
    /// # Errors
    /// If its options don't go together, or a source can't be read.
    pub(crate) fn frames(&self) -> Result<FrameSet, Error> {
        let mut cx = Context::new(&NoopObserver);
        cx.base.clone_from(&self.base);
        frames_of(&self.sprite, &self.name, &self.parts, &cx)
    }

    /// The sprite with these options added, and the keys that say so: of one clip, or of all frames. `None` where other
    /// tables of the sprite would override them.
    pub(crate) fn with_options(
        &self,
        options: &AdjustOptions,
        clip: Option<&Name>,
    ) -> Option<(Self, Vec<RecipeKeys>)> {
        let mut new = self.clone();
        let options = AdjustOptions { only: FilterOption::default(), ..options.clone() };
        let Some(clip) = clip else {
            let sprite = &mut new.sprite;
            let (true, [part]) =
                (sprite.own.iter().all(|own| own.making.is_none()), &mut *sprite.making.parts)
            else {
                return None;
            };
            part.options.clean = merged(&part.options.clean, &options.clean)?;
            sprite.making.shape = merged(&sprite.making.shape, &options.shape)?;
            let all = AdjustOptions {
                clean: part.options.clean.clone(),
                shape: sprite.making.shape.clone(),
                ..AdjustOptions::default()
            };
            let changed: Vec<String> = recipe_tables(&options).into_iter().map(|(group, _)| group).collect();
            let tables = recipe_tables(&all).into_iter().filter(|(group, _)| changed.contains(group));
            let table = self.table(&[]);
            let keys = tables.map(|(group, keys)| RecipeKeys { table: table.clone(), group, keys });
            return Some((new, keys.collect()));
        };
        if self.sprite.own.iter().any(|own| own.name.value == clip.as_str()) {
            return None;
        }
        let mut making = self.sprite.making.clone();
        for part in &mut making.parts {
            part.options.clean = merged(&part.options.clean, &options.clean)?;
        }
        making.shape = merged(&making.shape, &options.shape)?;
        let mut values: Vec<String> =
            self.steps_of(clip).into_iter().map(|steps| format!("steps = {steps}")).collect();
        let groups = recipe_tables(&options).into_iter();
        values.extend(groups.map(|(group, keys)| format!("{group} = {{ {} }}", keys.join(", "))));
        let key = format!("{} = {{ {} }}", toml_key(clip.as_str()), values.join(", "));
        new.sprite.own.push(ClipOverride {
            name: Located { value: clip.to_string(), span: self.sprite.name.span.clone() },
            making: Some(making),
            is_apart: false,
            edits: ClipEdits::default(),
        });
        Some((new, vec![RecipeKeys { table: self.table(&["clips"]), group: String::new(), keys: vec![key] }]))
    }

    /// The sprite with these clips in the place of those of their names, and the keys that say so. `None` where its clips
    /// are changed after they are read.
    pub(crate) fn with_clips(&self, clips: &[ClipSpec]) -> Option<(Self, Vec<RecipeKeys>)> {
        let mut new = self.clone();
        let sprite = &mut new.sprite;
        let is_edited = |edits: &ClipEdits| *edits != ClipEdits::default();
        if is_edited(&sprite.edits) || sprite.own.iter().any(|own| is_edited(&own.edits)) {
            return None;
        }
        let all = sprite.own.iter_mut().filter_map(|own| own.making.as_mut()).chain([&mut sprite.making]);
        for making in all {
            for spec in clips {
                match making.clips.clip.iter_mut().find(|old| old.name() == spec.name()) {
                    Some(old) => *old = spec.clone(),
                    None => making.clips.clip.push(spec.clone()),
                }
            }
        }
        let mut keys: Vec<RecipeKeys> = Vec::new();
        for spec in clips {
            let name = spec.name().as_str();
            let steps = steps_text(spec);
            let (table, key) = match self.sprite.own.iter().any(|own| own.name.value == name) {
                true => (self.table(&["clips", name]), format!("steps = {steps}")),
                false => (self.table(&["clips"]), format!("{} = {steps}", toml_key(name))),
            };
            match keys.iter_mut().find(|keys| keys.table == table) {
                Some(keys) => keys.keys.push(key),
                None => keys.push(RecipeKeys { table, group: String::new(), keys: vec![key] }),
            }
        }
        Some((new, keys))
    }

    fn steps_of(&self, clip: &Name) -> Option<String> {
        let mut specs = self.sprite.making.clips.clip.iter();
        specs.find(|spec| spec.name() == clip).map(steps_text)
    }

    fn table(&self, inner: &[&str]) -> Vec<String> {
        ["sprite", self.name.as_str()].iter().chain(inner).map(|&name| name.to_owned()).collect()
    }
}

fn steps_text(spec: &ClipSpec) -> String {
    let text = spec.to_string();
    toml_string(text.split_once(" = ").map_or(text.as_str(), |(_, steps)| steps))
}

/// Options with others over them; lists are joined.
fn merged<T: Serialize + DeserializeOwned>(old: &T, new: &T) -> Option<T> {
    let (mut all, new) = (serde_json::to_value(old).ok()?, serde_json::to_value(new).ok()?);
    for (key, value) in new.as_object()? {
        match (&mut all[key], value) {
            (_, Value::Null | Value::Bool(false)) => {}
            (Value::Array(old), Value::Array(more)) => old.extend(more.iter().cloned()),
            (old, value) => *old = value.clone(),
        }
    }
    // What isn't said isn't a value.
    all.as_object_mut()?.retain(|_, value| !value.is_null());
    serde_json::from_value(all).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::options::{CleanOptions, ShapeOptions};

    #[test]
    fn options_go_over_others_and_lists_are_joined() {
        let options = |text: &str| serde_json::from_str::<CleanOptions>(text).unwrap();
        let old = options(r#"{ "specks": 3, "key": "ff00ff", "erase": ["0,0,1,1"] }"#);
        let new = options(r#"{ "specks": 9, "erase": ["2,2,1,1"] }"#);
        let both = options(r#"{ "specks": 9, "key": "ff00ff", "erase": ["0,0,1,1", "2,2,1,1"] }"#);
        assert_eq!(merged(&old, &new), Some(both));
        assert_eq!(merged(&ShapeOptions::default(), &ShapeOptions::default()), Some(ShapeOptions::default()));
    }
}
