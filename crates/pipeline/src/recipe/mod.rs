//! A recipe, `shibori.toml`: the options of many commands, kept in a file and checked before anything is done.
//!
//! [`Recipe::parse`] reads a text: the tables of options are the structs of [`crate::options`], so a recipe knows exactly
//! the options that a command line knows. Narrower tables go over wider ones (`[defaults]`, a sprite's, a part's or a clip's) key by key,
//! before any option is read, and what nobody says is left to the steps. Whatever is wrong is a [`RecipeError`] with its
//! place in the text.
//!
//! Only [`Recipe::read`] looks at a file, the recipe itself: which sources there are is for [`crate::build`] to find out.

mod atlas;
mod check;
mod edit;
mod error;
mod fields;
mod output;
#[cfg(test)]
mod schema;
mod sprite;
mod table;
#[cfg(test)]
mod tests;
mod text;
mod write;

use std::fs;
use std::path::{Path, PathBuf};

use shibori_core::Name;

pub use atlas::AtlasRecipe;
pub use check::Expectations;
pub use error::{RecipeError, RecipeErrorKind};
pub use output::{Export, Preview};
pub(crate) use shibori_core::closest_name;
pub use sprite::{ClipOverride, FrameRecipe, SpriteRecipe, SpriteSource};
pub use table::{Located, Settings};
pub use text::{Location, RecipeText, Span};
pub use write::{separate_tables, slice_line, sources_in, string_or_list};

use table::Table;

/// The JSON Schema of recipes.
pub fn schema() -> &'static str {
    include_str!("../../schema/recipe.schema.json")
}

/// Whether an option of some command is a key of recipes.
pub fn is_key(option: &str) -> bool {
    use crate::options::*;
    let groups = [
        fields::fields::<CutOptions>(),
        fields::fields::<CleanOptions>(),
        fields::fields::<ShapeOptions>(),
        fields::fields::<ClipOptions>(),
        fields::fields::<ClipEdits>(),
        fields::fields::<ArrangeOptions>(),
        fields::fields::<PageOptions>(),
        fields::fields::<ExportOptions>(),
        fields::fields::<CheckOptions>(),
        fields::fields::<ContactOptions>(),
        fields::fields::<MotionOptions>(),
        &["apart"],
    ];
    groups.iter().any(|group| group.contains(&option))
}

/// What a recipe is called where nothing else is said.
pub const RECIPE_FILE: &str = "shibori.toml";

/// The key that names files whose tables this recipe's go over.
const INCLUDE: &str = "include";

/// The folder of all outputs where nothing else is said.
pub const OUT: &str = "build";

/// A recipe, checked as far as it can be without looking at any source.
#[derive(Clone, Debug)]
pub struct Recipe {
    /// Its text.
    pub text: RecipeText,
    /// The folder of all outputs, from the recipe's.
    pub out: Located<PathBuf>,
    /// Sprites, in order.
    pub sprites: Vec<SpriteRecipe>,
    /// Atlases, in order.
    pub atlases: Vec<AtlasRecipe>,
    /// What is expected of all of them.
    pub check: Expectations,
}

impl Recipe {
    /// Reads a recipe's file; a folder stands for the `shibori.toml` in it.
    ///
    /// # Errors
    /// If it can't be read, or something is wrong in it.
    pub fn read(path: &Path) -> Result<Self, RecipeError> {
        let file = file_of(path)?;
        let mut text = RecipeText::new(&file, read(&file)?);
        include(&mut text, 0, &mut vec![file])?;
        Self::parse(text)
    }

    /// Reads a recipe's text.
    ///
    /// # Errors
    /// If something is wrong in it.
    pub fn parse(text: RecipeText) -> Result<Self, RecipeError> {
        let mut whole = Table::root(&text)?;
        whole.list(INCLUDE)?;
        let mut out = whole.table("out")?.unwrap_or_else(|| Table::empty(&text, 0..0));
        let dir = out.value("dir")?.unwrap_or_else(|| Located { value: PathBuf::from(OUT), span: 0..0 });
        out.finish()?;
        let expected = whole.table("check")?.unwrap_or_else(|| Table::empty(&text, 0..0));
        let defaults = whole.table("defaults")?.unwrap_or_else(|| Table::empty(&text, 0..0));
        let defaults = Defaults::read(defaults, expected.clone())?;
        let mut sprites = Vec::new();
        let entries = whole.table("sprite")?.map(Table::entries).unwrap_or_default();
        let mut tables = Vec::with_capacity(entries.len());
        for entry in entries {
            tables.push((entry.key.clone(), entry.table(&text)?));
        }
        for (name, table) in &tables {
            // A table without sources overrides the pattern's table for one sprite.
            let is_own = name.value.contains('*') || table.has("from") || table.has("part");
            let pattern = tables.iter().find(|(other, _)| !is_own && stands_for(&other.value, &name.value));
            let table = match pattern {
                Some((_, below)) => table.clone().over_deep(below)?,
                None => table.clone(),
            };
            sprites.push(sprite::read(name, pattern.map(|(other, _)| &other.value[..]), table, &defaults)?);
        }
        let mut atlases = Vec::new();
        let mut tables = Vec::new();
        for entry in whole.table("atlas")?.map(Table::entries).unwrap_or_default() {
            tables.push((entry.key.clone(), entry.table(&text)?));
        }
        for (name, table) in &tables {
            // An export or a preview of a mistyped atlas is a table of its own.
            let others = tables.iter().filter(|(_, other)| other.has("use"));
            let meant = closest_name(&name.value, others.map(|(other, _)| &other.value[..]));
            if let Some(nearest) = meant.filter(|_| !table.has("use") && !defaults.atlas.has("use")) {
                let (name, nearest, span) = (name.value.clone(), nearest.to_owned(), &name.span);
                return Err(RecipeError::at(&text, span, RecipeErrorKind::UnknownAtlas { name, nearest }));
            }
            atlases.push(atlas::read(name, table.clone(), &defaults)?);
        }
        let check = check::read(expected)?;
        whole.finish()?;
        if sprites.is_empty() && atlases.is_empty() {
            return Err(RecipeError::for_file(text.file(), RecipeErrorKind::Nothing));
        }
        Ok(Self { out: dir, sprites, atlases, check, text })
    }

    /// Whether its files still hold what was read.
    pub(crate) fn is_current(&self) -> bool {
        self.text.texts().all(|(file, text)| read(file).is_ok_and(|now| now == text))
    }

    /// Something wrong at a place.
    pub(crate) fn error_at(&self, span: &Span, fault: impl Into<RecipeErrorKind>) -> RecipeError {
        RecipeError::at(&self.text, span, fault)
    }
}

/// Reads a recipe's file, or one that it includes.
fn read(file: &Path) -> Result<String, RecipeError> {
    let bytes = fs::read(file).map_err(|error| {
        let fault = match error.kind() {
            std::io::ErrorKind::NotFound => RecipeErrorKind::Missing,
            _ => RecipeErrorKind::Unreadable(error.into()),
        };
        RecipeError::for_file(file, fault)
    })?;
    decode_text(bytes).map_err(|what| RecipeError::for_file(file, RecipeErrorKind::NotText(what)))
}

/// Adds what one of the files includes, and what that includes. `way` are the files that lead there, itself the last.
fn include(text: &mut RecipeText, by: usize, way: &mut Vec<PathBuf>) -> Result<(), RecipeError> {
    let files = Table::alone(text, by)?.list(INCLUDE)?;
    for Located { value, span } in files {
        let folder = text.file_of(&span).parent().unwrap_or(Path::new(""));
        let path =
            file_of(&folder.join(&value)).map_err(|error| RecipeError::at(text, &span, *error.fault))?;
        let Ok(real) = path.canonicalize() else {
            let missing = RecipeErrorKind::NoSource { path: PathBuf::from(value), nearest: None };
            return Err(RecipeError::at(text, &span, missing));
        };
        let is_same = |other: &Path| other.canonicalize().is_ok_and(|other| other == real);
        if let Some(first) = way.iter().position(|other| is_same(other)) {
            let files = way[first..].iter().chain([&path]).cloned().collect();
            return Err(RecipeError::at(text, &span, RecipeErrorKind::IncludeCycle { files }));
        }
        // Of a file that two others include, both go over it.
        if text.files().any(is_same) {
            continue;
        }
        let included = read(&path)?;
        let number = text.include(by, &path, &included);
        way.push(path);
        include(text, number, way)?;
        way.pop();
    }
    Ok(())
}

/// The file that a path means.
fn file_of(path: &Path) -> Result<PathBuf, RecipeError> {
    if !path.is_dir() {
        return Ok(path.to_owned());
    }
    let inside = path.join(RECIPE_FILE);
    match inside.is_file() {
        true => Ok(inside),
        false => Err(RecipeError::for_file(path, RecipeErrorKind::Folder)),
    }
}

/// The text of a file, or what it is instead.
fn decode_text(bytes: Vec<u8>) -> Result<String, &'static str> {
    if bytes.starts_with(&[0xff, 0xfe]) || bytes.starts_with(&[0xfe, 0xff]) {
        return Err("UTF-16 text");
    }
    // Without a mark at its beginning, every second byte of plain text is 0.
    let zeros = bytes.iter().take(64).filter(|&&byte| byte == 0).count();
    if zeros * 3 > bytes.len().min(64) {
        return Err("UTF-16 text");
    }
    let text = String::from_utf8(bytes).map_err(|_| "not UTF-8 text")?;
    Ok(text.strip_prefix('\u{feff}').map(str::to_owned).unwrap_or(text))
}

/// What holds where no sprite and no atlas says otherwise.
struct Defaults<'t> {
    slice: Table<'t>,
    clean: Table<'t>,
    shape: Table<'t>,
    atlas: Table<'t>,
    preview: Table<'t>,
    check: Table<'t>,
}

impl<'t> Defaults<'t> {
    fn read(mut table: Table<'t>, check: Table<'t>) -> Result<Self, RecipeError> {
        let (text, span) = (table.text(), table.span().clone());
        let mut inner = |key: &'static str| -> Result<Table<'t>, RecipeError> {
            Ok(table.table(key)?.unwrap_or_else(|| Table::empty(text, span.clone())))
        };
        let defaults = Self {
            slice: inner("slice")?,
            clean: inner("clean")?,
            shape: inner("shape")?,
            atlas: inner("atlas")?,
            preview: inner("preview")?,
            check,
        };
        table.finish()?;
        // A mistake in a default is reported even if nothing uses it.
        let checked = |table: &Table<'t>, read: fn(&mut Table<'t>) -> Result<(), RecipeError>| {
            let mut table = table.clone();
            read(&mut table)?;
            table.finish()
        };
        checked(&defaults.slice, |table| table.group::<crate::options::CutOptions>().map(drop))?;
        checked(&defaults.clean, |table| table.group::<crate::options::CleanOptions>().map(drop))?;
        checked(&defaults.shape, |table| table.group::<crate::options::ShapeOptions>().map(drop))?;
        Ok(defaults)
    }
}

/// Whether a name with a star matches another name.
fn stands_for(pattern: &str, name: &str) -> bool {
    let matches = |(before, after): (&str, &str)| {
        name.strip_prefix(before).is_some_and(|rest| rest.len() > after.len() && rest.ends_with(after))
    };
    pattern.split_once('*').is_some_and(matches)
}

/// The name that a key gives.
fn name_of(key: &Located<String>, text: &RecipeText) -> Result<Name, RecipeError> {
    let wrong = |error: shibori_core::NameError| {
        let (key_text, why) = (key.value.clone(), error.to_string());
        RecipeError::at(text, &key.span, RecipeErrorKind::Value { key: key_text, why })
    };
    Name::new(key.value.clone()).map_err(wrong)
}

/// A wrong value at its place.
fn wrong_value(text: &RecipeText, span: &Span, key: &str, why: impl Into<String>) -> RecipeError {
    RecipeError::at(text, span, RecipeErrorKind::Value { key: key.to_owned(), why: why.into() })
}
