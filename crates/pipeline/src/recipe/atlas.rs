//! `[atlas.NAME]`: sprites on pages, and their options.

use std::path::PathBuf;

use shibori_core::portability_problem;

use crate::options::{
    ArrangeOptions, ClipOptions, FilterOption, Flag, PackOptions, PageOptions, PickOptions, ShapeOptions,
};
use crate::recipe::error::RecipeError;
use crate::recipe::fields::fields;
use crate::recipe::output::{Export, Preview, exports, previews};
use crate::recipe::sprite::clips;
use crate::recipe::table::{Located, Settings, Table, place_of_conflict};
use crate::recipe::{Defaults, wrong_value};

/// An atlas.
#[derive(Clone, Debug)]
pub struct AtlasRecipe {
    /// Its name.
    pub name: Located<String>,
    /// The sprites in it: names and patterns of them.
    pub sprites: Vec<Located<String>>,
    /// How they are packed.
    pub options: PackOptions,
    /// All that its table, and the defaults it falls back on, say of its pages.
    pub(crate) settings: Settings,
    /// Whether frames stay where they are in the atlas that is there.
    pub keeps_places: bool,
    /// Where it goes, from the folder of outputs, without extension.
    pub file: Located<PathBuf>,
    /// Metadata in other forms.
    pub exports: Vec<Export>,
    /// Pictures of it.
    pub previews: Vec<Preview>,
}

pub(super) fn read<'t>(
    name: &Located<String>,
    table: Table<'t>,
    defaults: &Defaults<'t>,
) -> Result<AtlasRecipe, RecipeError> {
    let text = table.text();
    // With a star, there is one atlas for each sprite.
    if let Some(why) = portability_problem(&name.value.replace('*', "x")) {
        return Err(wrong_value(text, &name.span, &name.value, why));
    }
    let mut table = table.layer_over(&defaults.atlas);
    let sprites = table.list("use")?;
    if sprites.is_empty() {
        return Err(table.needs(format!("atlas '{}'", name.value), "use", &name.span));
    }
    let file = table.value("file")?;
    let file = file.unwrap_or_else(|| Located { value: PathBuf::from(&name.value), span: name.span.clone() });
    let shape_table = table.group_table("shape", fields::<ShapeOptions>())?;
    let all = table.clone();
    let settings = all.settings(&["export", "preview"]).and("shape", shape_table.settings(&[]));
    let keeps_places = keeps_places(&mut table)?;
    /// `only`, which is a group of one.
    #[derive(Default, serde::Deserialize)]
    #[serde(default)]
    struct Narrowed {
        only: FilterOption,
    }
    let Narrowed { only } = table.group()?;
    let pick: PickOptions = table.group()?;
    let arrange: ArrangeOptions = table.group()?;
    let page: PageOptions = table.group()?;
    let (clips, own): (ClipOptions, _) = clips(&mut table)?;
    if let Some(own) = own.first() {
        let why = "clip options belong in the clips of its sprite";
        return Err(wrong_value(text, &own.name.span, &own.name.value, why));
    }
    let mut shape = shape_table.clone();
    let options = PackOptions { only, pick, arrange, page, shape: shape.group()?, clips };
    shape.finish()?;
    let mut validated = options.clone();
    if keeps_places {
        validated.arrange.keep_places = Some(file.value.clone());
    }
    validated.validate().map_err(|wrong| {
        let span = place_of_conflict(&wrong, &[&all, &shape_table]);
        RecipeError::at(text, &span, wrong)
    })?;
    let (exports, previews) = (exports(&mut table)?, previews(&mut table, &defaults.preview)?);
    table.finish()?;
    Ok(AtlasRecipe { name: name.clone(), sprites, options, settings, keeps_places, file, exports, previews })
}

/// `keep-places = true`: those of the atlas that is there. A path stays an option of packing.
fn keeps_places(table: &mut Table<'_>) -> Result<bool, RecipeError> {
    /// The same key, where it is a switch.
    #[derive(Default, serde::Deserialize)]
    #[serde(default, rename_all = "kebab-case")]
    struct Keep {
        keep_places: Flag,
    }
    match table.is_switch("keep-places") {
        true => Ok(table.group::<Keep>()?.keep_places.is_on()),
        false => Ok(false),
    }
}
