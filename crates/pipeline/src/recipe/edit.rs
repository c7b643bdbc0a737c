//! A recipe's text with other lines in a sprite's table. Comments, order, and the way lines are written stay wherever their
//! values do.

use std::fs;
use std::path::{Path, PathBuf};

use shibori_core::Name;
use toml_edit::{DocumentMut, InlineTable, Item, Table, TableLike, Value};

use super::{Recipe, RecipeError, RecipeErrorKind, include, read};
use crate::recipe::text::RecipeText;

/// A file of a recipe with another text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct EditedRecipe {
    /// The recipe, or the file it includes in which the sprite has its table.
    pub(crate) file: PathBuf,
    /// The text.
    pub(crate) text: String,
    /// The keys of the sprite's table whose values are new.
    pub(crate) keys: Vec<String>,
}

impl Recipe {
    /// The recipe with the keys of `lines`, which are TOML for `[sprite.NAME]`, in that sprite's own table: each replaces
    /// the value of its key, a table as a whole. A sprite of a pattern gets a table of its own.
    ///
    /// # Errors
    /// If the lines aren't TOML for that table, or the recipe would not be one with them.
    pub(crate) fn with_sprite_lines(&self, sprite: &Name, lines: &str) -> Result<EditedRecipe, RecipeError> {
        let sprite = sprite.as_str();
        let bad = |file: &Path, why: String| RecipeError::for_file(file, RecipeErrorKind::Syntax(why));
        let of_lines = |why: &dyn ToString| bad(Path::new("these lines"), why.to_string());
        let given: DocumentMut =
            lines.parse().map_err(|error: toml_edit::TomlError| of_lines(&error.message()))?;
        let is_only = |table: &dyn TableLike, key: &str| table.len() == 1 && table.contains_key(key);
        let given = Some(given.as_table() as &dyn TableLike)
            .filter(|table| is_only(*table, SPRITES))
            .and_then(|table| table.get(SPRITES)?.as_table_like())
            .filter(|table| is_only(*table, sprite))
            .and_then(|table| table.get(sprite)?.as_table_like())
            .ok_or_else(|| of_lines(&format!("only [sprite.{sprite}] is expected")))?;
        // The first file goes over those that it includes.
        let documents = self.text.files().map(|file| Ok((file.to_owned(), Document::read(file)?)));
        let mut documents = documents.collect::<Result<Vec<_>, RecipeError>>()?;
        let own = documents.iter().position(|(_, document)| document.sprite(sprite).is_some());
        let (file, mut document) = documents.swap_remove(own.unwrap_or(0));
        let table = document.sprite_mut(sprite).ok_or_else(|| {
            bad(&file, format!("[sprite] is not a table, so there is no place for [sprite.{sprite}]"))
        })?;
        let mut keys = Vec::new();
        for (key, value) in given.iter() {
            if put(table, key, value) {
                keys.push(key.to_owned());
            }
        }
        let edited = EditedRecipe { text: document.into_text(), file, keys };
        self.check(&edited)?;
        Ok(edited)
    }

    /// A text that a sprite's own table in a recipe's text holds, by the keys that lead to it.
    pub(crate) fn sprite_value(text: &str, sprite: &Name, keys: &[&str]) -> Option<String> {
        let tables: DocumentMut = text.trim_start_matches(MARK).parse().ok()?;
        let sprite = tables.get(SPRITES)?.as_table_like()?.get(sprite.as_str())?;
        let item = keys.iter().try_fold(sprite, |item, key| item.as_table_like()?.get(key))?;
        item.as_str().map(str::to_owned)
    }

    /// Reads the recipe with one of its files replaced, to see whether it still is one.
    fn check(&self, edited: &EditedRecipe) -> Result<(), RecipeError> {
        let main = self.text.file();
        if main != edited.file {
            // The file is part of a whole that is read from disk; a build says what is wrong.
            return Ok(());
        }
        let mut text = RecipeText::new(main, edited.text.clone());
        include(&mut text, 0, &mut vec![main.to_owned()])?;
        Self::parse(text).map(|_| ())
    }
}

const SPRITES: &str = "sprite";

/// A file's tables, and what the parser doesn't keep of its text.
struct Document {
    tables: DocumentMut,
    has_mark: bool,
    has_returns: bool,
}

const MARK: char = '\u{feff}';

impl Document {
    fn read(file: &Path) -> Result<Self, RecipeError> {
        let text = read(file)?;
        let wrong = |error: toml_edit::TomlError| {
            RecipeError::for_file(file, RecipeErrorKind::Syntax(error.message().to_owned()))
        };
        let tables = text.trim_start_matches(MARK).parse().map_err(wrong)?;
        // What reads recipes drops the mark.
        let has_mark = fs::read(file).is_ok_and(|bytes| bytes.starts_with(MARK.to_string().as_bytes()));
        Ok(Self { tables, has_mark, has_returns: text.contains("\r\n") })
    }

    fn sprite(&self, name: &str) -> Option<&dyn TableLike> {
        self.tables.get(SPRITES)?.as_table_like()?.get(name)?.as_table_like()
    }

    /// A sprite's table, made if need be.
    fn sprite_mut(&mut self, name: &str) -> Option<&mut dyn TableLike> {
        let sprites = self.tables.entry(SPRITES).or_insert_with(|| {
            let mut table = Table::new();
            table.set_implicit(true);
            Item::Table(table)
        });
        let sprites = sprites.as_table_like_mut()?;
        if !sprites.contains_key(name) {
            sprites.insert(name, Item::Table(Table::new()));
        }
        sprites.get_mut(name)?.as_table_like_mut()
    }

    fn into_text(self) -> String {
        let text = self.tables.to_string();
        let text = if self.has_returns { text.replace("\r\n", "\n").replace('\n', "\r\n") } else { text };
        if self.has_mark { format!("{MARK}{text}") } else { text }
    }
}

/// Puts a value at a key, unless it is there already; says whether it was put. Of a table that is there, only what differs
/// is written again.
fn put(table: &mut dyn TableLike, key: &str, value: &Item) -> bool {
    let Some(old) = table.get_mut(key).filter(|old| !old.is_none()) else {
        let mut value = value.clone();
        if let Some(value) = value.as_value_mut() {
            value.decor_mut().clear();
        }
        table.insert(key, value);
        return true;
    };
    if let (Some(new), Some(_)) = (value.as_table_like(), old.as_table_like()) {
        let old = old.as_table_like_mut().expect("it is a table");
        let gone: Vec<String> =
            old.iter().map(|(key, _)| key.to_owned()).filter(|key| !new.contains_key(key)).collect();
        let mut is_changed = !gone.is_empty();
        for key in gone {
            old.remove(&key);
        }
        for (key, value) in new.iter() {
            is_changed |= put(old, key, value);
        }
        if is_changed && let Some(inline) = table.get_mut(key).and_then(Item::as_inline_table_mut) {
            space(inline);
        }
        return is_changed;
    }
    if is_same(old, value) {
        return false;
    }
    match (old.as_value_mut(), value.as_value()) {
        (Some(old), Some(new)) => {
            let decor = old.decor().clone();
            *old = new.clone();
            *old.decor_mut() = decor;
        }
        _ => *old = value.clone(),
    }
    true
}

/// Spaces stand before the brace that ends an inline table, not before its commas.
fn space(table: &mut InlineTable) {
    let last = table.len().saturating_sub(1);
    for (at, (_, value)) in table.iter_mut().enumerate() {
        let suffix = value.decor().suffix().and_then(|suffix| suffix.as_str()).unwrap_or_default();
        if suffix.trim().is_empty() {
            value.decor_mut().set_suffix(if at == last { " " } else { "" });
        }
    }
}

fn is_same(one: &Item, other: &Item) -> bool {
    match (one.as_value(), other.as_value()) {
        (Some(one), Some(other)) => is_same_value(one, other),
        _ => false,
    }
}

fn is_same_value(one: &Value, other: &Value) -> bool {
    match (one, other) {
        (Value::String(one), Value::String(other)) => one.value() == other.value(),
        (Value::Integer(one), Value::Integer(other)) => one.value() == other.value(),
        (Value::Float(one), Value::Float(other)) => one.value() == other.value(),
        (Value::Boolean(one), Value::Boolean(other)) => one.value() == other.value(),
        (Value::Array(one), Value::Array(other)) => {
            one.len() == other.len() && one.iter().zip(other).all(|(one, other)| is_same_value(one, other))
        }
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn edited(text: &str, sprite: &str, lines: &str) -> Result<EditedRecipe, RecipeError> {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("shibori.toml");
        fs::write(&file, text).unwrap();
        Recipe::read(&file).unwrap().with_sprite_lines(&sprite.parse().unwrap(), lines)
    }

    const POND: &str = r#"# The pond at night.
[sprite.koi]
from  = "art/koi.png"   # a strip
slice = { grid = "8x1" }
shape = { pivot = 'feet', box = ["body=auto"] } # measured

# How it swims.
[sprite.koi.clips]
swim = "0-7 @12fps"     # the artist's rate
turn = "3,4,5,4 @80ms once"

[sprite."npc-*"]
from = "art/npc/*.png"

[atlas.pond] # all of it
use = ["koi"]
"#;

    #[test]
    fn comments_order_and_quotes_stay_where_values_do() {
        let lines = "[sprite.koi]\nshape = { pivot = \"feet\", box = [\"body=auto\"], per-frame = \"koi.csv\" }\n\
                     clips = { swim = \"0-7 @10fps\", turn = \"3,4,5,4 @80ms once\", dive = \"7-0\" }\n";
        let EditedRecipe { text, keys, .. } = edited(POND, "koi", lines).unwrap();
        let wanted = POND
            .replace("[\"body=auto\"] }", "[\"body=auto\"], per-frame = \"koi.csv\" }")
            .replace("@12fps\"     #", "@10fps\"     #")
            .replace("80ms once\"\n", "80ms once\"\ndive = \"7-0\"\n");
        assert_eq!(text, wanted);
        assert_eq!(keys, ["shape", "clips"]);
        // The same again changes nothing.
        let again = edited(&text, "koi", lines).unwrap();
        assert_eq!((again.text, again.keys), (text, vec![]));
    }

    #[test]
    fn what_lines_no_longer_have_goes_and_a_sprite_of_a_pattern_gets_a_table() {
        let text = edited(POND, "koi", "[sprite.koi]\nclips = { swim = \"0-7 @12fps\" }").unwrap().text;
        assert_eq!(text, POND.replace("turn = \"3,4,5,4 @80ms once\"\n", ""));
        let text =
            edited(POND, "npc-guard", "[sprite.npc-guard]\nshape = { pivot = \"16px,30px\" }").unwrap().text;
        let at = text.find("[sprite.npc-guard]\nshape = { pivot = \"16px,30px\" }\n").unwrap();
        assert!(text.find("art/npc").unwrap() < at && at < text.find("[atlas.pond]").unwrap(), "{text}");
    }

    #[test]
    fn line_endings_and_a_mark_at_the_beginning_stay() {
        let text = format!("\u{feff}{}", POND.replace('\n', "\r\n"));
        let lines = "[sprite.koi]\nclips = { swim = \"0-7 @12fps\" }";
        let edited = edited(&text, "koi", lines).unwrap().text;
        assert_eq!(edited, text.replace("turn = \"3,4,5,4 @80ms once\"\r\n", ""));
    }

    #[test]
    fn lines_for_another_table_or_that_break_the_recipe_are_refused() {
        for lines in [
            "[out]\ndir = \"..\"",
            "[sprite.frog]\nfrom = \"x.png\"",
            "[sprite.koi]\nfrom = \"a.png\"\n[out]\ndir = \"..\"",
            "[sprite.koi]\nclips = { swim = \"0-\" }",
            "[sprite.koi]\nclips = 3",
            "[sprite.koi]\nnonsense = 3",
            "[sprite.koi",
            "",
        ] {
            assert!(edited(POND, "koi", lines).is_err(), "{lines}");
        }
    }
}
