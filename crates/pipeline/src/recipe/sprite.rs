//! `[sprite.NAME]`: where a sprite's frames come from, and what is done with them.
//!
//! A sprite has one source, or several parts with a source each, which come after one another. A clip may have a
//! table with options of its own: its frames are then as if the whole sprite had been made with them.

use std::path::PathBuf;

use shibori_core::clip::ClipSpec;

use crate::options::{
    CheckOptions, CleanOptions, ClipEdits, ClipOptions, CutOptions, Flag, ShapeOptions, SliceOptions,
};
use crate::recipe::check::{Expectations, of_sprite};
use crate::recipe::error::{RecipeError, RecipeErrorKind};
use crate::recipe::fields::fields;
use crate::recipe::output::{Export, Preview, exports, previews};
use crate::recipe::table::{Located, Settings, Table, place_of_conflict};
use crate::recipe::text::RecipeText;
use crate::recipe::{Defaults, name_of, wrong_value};

/// A sprite, or several that are made alike.
#[derive(Clone, Debug)]
pub struct SpriteRecipe {
    /// Its name; a `*` in it stands for what a `*` of its source stands for, once for each file.
    pub name: Located<String>,
    /// The name of the pattern's table that this one overrides, if it does.
    pub pattern: Option<String>,
    /// Files that `from` would find and that are left out: paths and patterns of them.
    pub except: Vec<Located<String>>,
    /// All that its table, and those it falls back on, say of its frames.
    pub(crate) settings: Settings,
    /// How its frames are made.
    pub making: FrameRecipe,
    /// Clips with options of their own.
    pub own: Vec<ClipOverride>,
    /// Changes of its clips, once all are there.
    pub edits: ClipEdits,
    /// The folder for a set of its frames, from the folder of outputs; `*` as in the name.
    pub set: Option<Located<PathBuf>>,
    /// Exports of that set.
    pub exports: Vec<Export>,
    /// Pictures of it.
    pub previews: Vec<Preview>,
    /// What may be wrong with it.
    pub check: Expectations,
}

/// How a sprite's frames are made.
#[derive(Clone, Debug, PartialEq)]
pub struct FrameRecipe {
    /// Its sources; at least one.
    pub parts: Vec<SpriteSource>,
    /// What is done with all frames together.
    pub shape: ShapeOptions,
    /// Clips of all frames together.
    pub clips: ClipOptions,
}

/// A source, and how it is cut.
#[derive(Clone, Debug, PartialEq)]
pub struct SpriteSource {
    /// Files, folders and patterns of them, from the recipe's folder.
    pub from: Vec<Located<String>>,
    /// How they are cut and cleaned, and what is done with these frames alone.
    pub options: SliceOptions,
}

/// A clip with options of its own.
#[derive(Clone, Debug)]
pub struct ClipOverride {
    /// Its name.
    pub name: Located<String>,
    /// How its frames are made, if not like those of the sprite.
    pub making: Option<FrameRecipe>,
    /// Whether it gets copies of frames that other clips show too.
    pub is_apart: bool,
    /// Changes of its times.
    pub edits: ClipEdits,
}

pub(super) fn read<'t>(
    name: &Located<String>,
    pattern: Option<&str>,
    mut table: Table<'t>,
    defaults: &Defaults<'t>,
) -> Result<SpriteRecipe, RecipeError> {
    let text = table.text();
    name_of(&Located { value: name.value.replace('*', "x"), span: name.span.clone() }, text)?;
    let slice = table.group_table("slice", fields::<CutOptions>())?.layer_over(&defaults.slice);
    let clean = table.group_table("clean", fields::<CleanOptions>())?.layer_over(&defaults.clean);
    let shape = table.group_table("shape", fields::<ShapeOptions>())?.layer_over(&defaults.shape);
    let elsewhere = ["set", "export", "preview", "check", "except"];
    let settings = table.settings(&elsewhere).and("slice", slice.settings(&[]));
    let settings = settings.and("clean", clean.settings(&[])).and("shape", shape.settings(&[]));
    let from_at = table.place_of("from");
    let from = table.list("from")?;
    let except = table.list("except")?;
    let parts = table.tables("part")?;
    if !from.is_empty() && !parts.is_empty() {
        let both =
            RecipeErrorKind::Both { first: "from", second: "part", what: "where the frames come from" };
        return Err(RecipeError::at(text, &from_at, both));
    }
    let (clips, own) = clips(&mut table)?;
    let parts: Vec<PartTables<'_>> = match parts.is_empty() {
        true if from.is_empty() => {
            return Err(table.needs(format!("sprite '{}'", name.value), "from", &name.span));
        }
        true => vec![PartTables::alone(from, slice, clean)],
        false => parts
            .into_iter()
            .map(|part| PartTables::read(part, &slice, &clean, &name.value))
            .collect::<Result<_, _>>()?,
    };
    let tables = SpriteTables { text, parts, shape, clips };
    let making = tables.making(None)?;
    let own = own.into_iter().map(|clip| tables.read_override(clip)).collect::<Result<_, _>>()?;
    let edits = table.group()?;
    let set = set_of(&mut table, name, text)?;
    let (exports, previews) = (exports(&mut table)?, previews(&mut table, &defaults.preview)?);
    if let Some(export) = exports.first().filter(|_| set.is_none()) {
        let needs = RecipeErrorKind::Needs { of: "an export of a sprite".to_owned(), key: "set" };
        return Err(RecipeError::at(text, &export.span, needs));
    }
    let check = of_sprite(table.group_table("check", fields::<CheckOptions>())?, &defaults.check)?;
    table.finish()?;
    let (name, pattern) = (name.clone(), pattern.map(str::to_owned));
    Ok(SpriteRecipe { name, pattern, except, settings, making, own, edits, set, exports, previews, check })
}

/// `set = "sets/koi"`, or `set = true` for a folder of the sprite's name.
fn set_of(
    table: &mut Table<'_>,
    name: &Located<String>,
    text: &RecipeText,
) -> Result<Option<Located<PathBuf>>, RecipeError> {
    #[derive(serde::Deserialize)]
    #[serde(untagged, expecting = "true, or a folder such as sets/koi")]
    enum Set {
        Settings(bool),
        Folder(PathBuf),
    }
    let Some(Located { value, span }) = table.value::<Set>("set")? else { return Ok(None) };
    match value {
        Set::Settings(false) => Ok(None),
        // Of several sprites each has its own.
        Set::Settings(true) => {
            let folder = if name.value.contains('*') { "*" } else { &name.value };
            Ok(Some(Located { value: PathBuf::from(folder), span }))
        }
        Set::Folder(folder) if folder.as_os_str().is_empty() => {
            Err(wrong_value(text, &span, "set", "a folder has a name"))
        }
        Set::Folder(folder) => Ok(Some(Located { value: folder, span })),
    }
}

/// The tables that a sprite is made by, before a clip's own go over them.
struct SpriteTables<'t> {
    text: &'t RecipeText,
    parts: Vec<PartTables<'t>>,
    shape: Table<'t>,
    clips: ClipOptions,
}

struct PartTables<'t> {
    from: Vec<Located<String>>,
    slice: Table<'t>,
    clean: Table<'t>,
    shape: Table<'t>,
    clips: ClipOptions,
}

impl<'t> PartTables<'t> {
    fn alone(from: Vec<Located<String>>, slice: Table<'t>, clean: Table<'t>) -> Self {
        let shape = Table::empty(slice.text(), slice.span().clone());
        Self { from, slice, clean, shape, clips: ClipOptions::default() }
    }

    fn read(
        mut table: Table<'t>,
        slice: &Table<'t>,
        clean: &Table<'t>,
        of: &str,
    ) -> Result<Self, RecipeError> {
        let from = table.list("from")?;
        if from.is_empty() {
            return Err(table.needs(format!("a part of sprite '{of}'"), "from", table.span()));
        }
        let slice = table.group_table("slice", fields::<CutOptions>())?.layer_over(slice);
        let clean = table.group_table("clean", fields::<CleanOptions>())?.layer_over(clean);
        let shape = table.group_table("shape", fields::<ShapeOptions>())?;
        let (clips, own) = clips(&mut table)?;
        if let Some(own) = own.into_iter().next() {
            let why = "clip options belong in the sprite's clips, next to its parts";
            return Err(wrong_value(table.text(), &own.name.span, &own.name.value, why));
        }
        table.finish()?;
        Ok(Self { from, slice, clean, shape, clips })
    }
}

impl<'t> SpriteTables<'t> {
    /// What the tables say together, with those of a clip over them.
    fn making(&self, own: Option<(&Table<'t>, &Table<'t>)>) -> Result<FrameRecipe, RecipeError> {
        let over = |own: Option<&Table<'t>>, table: &Table<'t>| match own {
            Some(own) => own.clone().layer_over(table),
            None => table.clone(),
        };
        let mut all = Vec::with_capacity(self.parts.len());
        let shape_table = over(own.map(|(_, shape)| shape), &self.shape);
        for part in &self.parts {
            let clean_table = over(own.map(|(clean, _)| clean), &part.clean);
            let options = SliceOptions {
                cut: whole(part.slice.clone())?,
                clean: whole(clean_table.clone())?,
                shape: whole(part.shape.clone())?,
                clips: part.clips.clone(),
            };
            options.validate().map_err(|wrong| {
                let span = place_of_conflict(&wrong, &[&part.slice, &clean_table, &part.shape]);
                RecipeError::at(self.text, &span, wrong)
            })?;
            all.push(SpriteSource { from: part.from.clone(), options });
        }
        let shape: ShapeOptions = whole(shape_table.clone())?;
        shape.validate(false, false).map_err(|wrong| {
            let span = place_of_conflict(&wrong, &[&shape_table]);
            RecipeError::at(self.text, &span, wrong)
        })?;
        if let Some(part) = all.iter().position(|part| part.options.cut.manifest_only.is_on()) {
            let span = self.parts[part].slice.place_of("manifest-only");
            let is_changed = shape.changes_pixels() || all[part].options.clean.changes_pixels();
            if is_changed || all.len() > 1 {
                return Err(RecipeError::at(self.text, &span, crate::options::OptionConflict::ManifestOnly));
            }
        }
        Ok(FrameRecipe { parts: all, shape, clips: self.clips.clone() })
    }

    fn read_override(&self, clip: OwnTables<'t>) -> Result<ClipOverride, RecipeError> {
        let OwnTables { name, clean, shape, is_apart, edits } = clip;
        let is_plain = clean.is_empty() && shape.is_empty();
        if is_apart && is_plain {
            let needs = RecipeErrorKind::Needs { of: "apart".to_owned(), key: "clean or shape" };
            return Err(RecipeError::at(self.text, &name.span, needs));
        }
        let making = if is_plain { None } else { Some(self.making(Some((&clean, &shape)))?) };
        Ok(ClipOverride { name, making, is_apart, edits })
    }
}

/// A table that holds one group and nothing else.
fn whole<T: serde::de::DeserializeOwned>(mut table: Table<'_>) -> Result<T, RecipeError> {
    let group = table.group()?;
    table.finish()?;
    Ok(group)
}

/// The tables of a clip with options of its own.
pub(super) struct OwnTables<'t> {
    pub(super) name: Located<String>,
    clean: Table<'t>,
    shape: Table<'t>,
    is_apart: bool,
    edits: ClipEdits,
}

/// The clips of a table: `clips = { swim = "0-7 @12fps" }`, and the options `clip`, `clip-rows` and `event`.
pub(super) fn clips<'t>(table: &mut Table<'t>) -> Result<(ClipOptions, Vec<OwnTables<'t>>), RecipeError> {
    let mut options: ClipOptions = table.group()?;
    let mut own = Vec::new();
    let Some(named) = table.table("clips")? else { return Ok((options, own)) };
    let text = named.text();
    for entry in named.entries() {
        let name = entry.key.clone();
        if entry.is_default() {
            continue;
        }
        let steps = match entry.is_table() {
            false => Some(entry.read::<String>(text)?),
            true => {
                let (steps, tables) = own_tables(name.clone(), entry.table(text)?)?;
                own.push(tables);
                steps
            }
        };
        if let Some(steps) = steps {
            let spec = format!("{} = {}", name.value, steps.value).parse::<ClipSpec>();
            let spec = spec.map_err(|error| {
                let place = match error.at.checked_sub(name.value.chars().count() + 3) {
                    // Inside the quotes.
                    Some(at) => steps.span.start + 1 + at..(steps.span.start + 2 + at).min(steps.span.end),
                    None => name.span.clone(),
                };
                wrong_value(text, &place, &name.value, error.problem)
            })?;
            options.clip.push(spec);
        }
    }
    Ok((options, own))
}

fn own_tables<'t>(
    name: Located<String>,
    mut table: Table<'t>,
) -> Result<(Option<Located<String>>, OwnTables<'t>), RecipeError> {
    /// What of a clip's edits is a clip's own.
    #[derive(Default, serde::Deserialize)]
    #[serde(default, rename_all = "kebab-case")]
    struct Apart {
        apart: Flag,
    }
    let steps = table.value("steps")?;
    let clean = table.group_table("clean", fields::<CleanOptions>())?;
    let shape = table.group_table("shape", fields::<ShapeOptions>())?;
    let Apart { apart } = table.group()?;
    let edits_at = ["drop", "rename"].into_iter().find(|key| table.has(key)).map(|key| table.place_of(key));
    let edits: ClipEdits = table.group()?;
    if let Some(span) = edits_at {
        let why = "belongs in the sprite's table";
        return Err(wrong_value(table.text(), &span, "drop and rename", why));
    }
    table.finish()?;
    Ok((steps, OwnTables { name, clean, shape, is_apart: apart.is_on(), edits }))
}
