//! Changing the recipe of a build as its light tables ask: lines in a sprite's table, and the per-frame file that they name.

use std::fs;
use std::path::{Component, Path, PathBuf};

use shibori_core::Name;
use shibori_formats::decode::{ReadOptions, overrides};
use shibori_formats::{DisplaySlashed, WriteProblem};

use crate::build::Build;
use crate::recipe::{Recipe, RecipeError, RecipeErrorKind};
use crate::{Context, Error};

/// What was changed in a recipe.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RecipeEdit {
    /// The recipe, or the file it includes that has the sprite's table.
    pub recipe: PathBuf,
    /// The keys of the sprite's table that have other values now.
    pub keys: Vec<String>,
    /// The per-frame file that was written.
    pub per_frame: Option<PathBuf>,
}

impl Build {
    /// Changes a sprite's table in the recipe's file, through the context's transaction. `lines` are TOML; `per_frame` is
    /// the text of the per-frame file that they name, or empty. Paths begin in the recipe's folder, as the context's do.
    ///
    /// # Errors
    /// If the lines aren't for that table, the recipe would not be one with them, the per-frame file isn't one or is outside
    /// the recipe's folder, or a file can't be written.
    pub fn edit_sprite(
        &self,
        sprite: &Name,
        lines: &str,
        per_frame: &str,
        cx: &Context<'_>,
    ) -> Result<RecipeEdit, Error> {
        let edited = self.graph.recipe.with_sprite_lines(sprite, lines).map_err(Box::new)?;
        let list = match per_frame {
            "" => None,
            _ => Some(self.per_frame_file(sprite, &edited.text, cx)?),
        };
        let mut targets: Vec<PathBuf> = list.iter().map(|list| cx.resolve(list)).collect();
        targets.push(edited.file.clone());
        let batch = cx.transaction().plan_hand_work(&targets, &[])?;
        // From here on the files are held against what they were; until here nobody may have changed the recipe.
        if !self.is_current() {
            let (path, problem) = (edited.file, WriteProblem::ChangedMeanwhile);
            return Err(Error::File(shibori_formats::FileError::Write { path, problem }));
        }
        if list.is_some() {
            batch.stage(0, per_frame.as_bytes())?;
        }
        batch.stage(targets.len() - 1, edited.text.as_bytes())?;
        Ok(RecipeEdit { recipe: edited.file, keys: edited.keys, per_frame: list })
    }

    /// The per-frame file that an edited recipe names for a sprite, from the recipe's folder.
    fn per_frame_file(&self, sprite: &Name, text: &str, cx: &Context<'_>) -> Result<PathBuf, Error> {
        let wrong = |why: String| {
            let fault = RecipeErrorKind::Value { key: "shape.per-frame".to_owned(), why };
            Error::Recipe(Box::new(RecipeError::for_file(self.recipe_file(), fault)))
        };
        let named = Recipe::sprite_value(text, sprite, &["shape", "per-frame"]);
        let file = PathBuf::from(named.ok_or_else(|| wrong(format!("sprite {sprite} has none")))?);
        let is_inside = file.components().all(|part| matches!(part, Component::Normal(_)));
        if !is_inside || file.extension().is_none_or(|ending| ending != "csv") {
            return Err(wrong(format!(
                "{} must be a .csv file in the recipe's folder",
                file.display_slashed()
            )));
        }
        let path = cx.resolve(&file);
        let here =
            |folder: &Path| Path::new(".").join(folder).canonicalize().ok().filter(|folder| folder.is_dir());
        let folders = here(&cx.base).zip(path.parent().and_then(here));
        if !folders.is_some_and(|(recipe, folder)| folder.starts_with(recipe)) {
            return Err(wrong(format!("{} must be in a folder that is there", file.display_slashed())));
        }
        // Another list that happens to have the name is never replaced.
        if fs::symlink_metadata(&path).is_ok()
            && (path.is_symlink() || overrides(&path, &ReadOptions::default()).is_err())
        {
            return Err(wrong(format!("{} is there, and isn't a per-frame file", file.display_slashed())));
        }
        Ok(file)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::NoopObserver;
    use crate::options::RunOptions;

    const RECIPE: &str = "[sprite.koi] # fish\nfrom = \"koi.png\"\n";
    const LIST: &str = "frame,kind,name,values\nkoi-0,shift,,1 0\n";

    fn edit(folder: &Path, lines: &str) -> Result<RecipeEdit, Error> {
        let build = Build::open(&folder.join("shibori.toml"), &RunOptions::default()).unwrap();
        let mut cx = Context::new(&NoopObserver);
        folder.clone_into(&mut cx.base);
        let edit = build.edit_sprite(&"koi".parse().unwrap(), lines, LIST, &cx)?;
        cx.commit()?;
        Ok(edit)
    }

    #[test]
    fn the_recipe_and_its_list_are_written_and_nothing_else_can_be() {
        let root = tempfile::tempdir().unwrap();
        let folder = root.path().join("game");
        fs::create_dir(&folder).unwrap();
        fs::write(folder.join("shibori.toml"), RECIPE).unwrap();
        fs::write(folder.join("koi.png"), b"").unwrap();
        fs::write(folder.join("prices.csv"), b"item,price\nworm,3\n").unwrap();
        fs::write(root.path().join("out.csv"), LIST).unwrap();
        let lines = |file: &str| format!("[sprite.koi]\nshape = {{ per-frame = {file:?} }}");
        for file in ["prices.csv", "../out.csv", "/tmp/out.csv", "koi.png", "shibori.toml", "gone/a.csv", ""]
        {
            assert!(edit(&folder, &lines(file)).is_err(), "{file}");
        }
        assert!(edit(&folder, "[sprite.koi]\nshape = { pivot = \"feet\" }").is_err());
        assert_eq!(fs::read_to_string(folder.join("shibori.toml")).unwrap(), RECIPE);
        let done = edit(&folder, &lines("koi.csv")).unwrap();
        assert_eq!((done.keys, done.per_frame), (vec!["shape".to_owned()], Some("koi.csv".into())));
        assert_eq!(fs::read_to_string(folder.join("koi.csv")).unwrap(), LIST);
        let text = fs::read_to_string(folder.join("shibori.toml")).unwrap();
        assert_eq!(text, format!("{RECIPE}shape = {{ per-frame = \"koi.csv\" }}\n"));
        // Again, over the list that is there.
        edit(&folder, &lines("koi.csv")).unwrap();
    }
}
