//! `[[atlas.NAME.export]]` and `[[atlas.NAME.preview]]`: metadata in other forms, and pictures to look at.

use std::path::PathBuf;

use serde::Deserialize;

use crate::options::value::keyword;
use crate::options::{ExportFormat, ExportOptions, GridPreviewOptions, ZoomOption};
use crate::recipe::error::{RecipeError, RecipeErrorKind};
use crate::recipe::table::{Located, Settings, Table, place_of_conflict};
use crate::recipe::text::Span;
use crate::steps::View;

/// Metadata in another form.
#[derive(Clone, Debug)]
pub struct Export {
    /// What is wanted.
    pub options: ExportOptions,
    /// The file, from the folder of the manifest; none beside it under its name.
    pub file: Option<Located<PathBuf>>,
    /// All that its table says.
    pub(crate) settings: Settings,
    /// Its place in the recipe.
    pub span: Span,
}

/// A picture to look at.
#[derive(Clone, Debug)]
pub struct Preview {
    /// What is drawn.
    pub view: View,
    /// A sprite that is drawn beside it, as it was before.
    pub before: Option<Located<String>>,
    /// The file, from the folder of outputs; none is `NAME-contact.png` and the like.
    pub file: Option<Located<PathBuf>>,
    /// All that its table, and the defaults it falls back on, say.
    pub(crate) settings: Settings,
    /// Its place in the recipe.
    pub span: Span,
}

/// The options of a picture of a cut.
#[derive(Default, Deserialize)]
#[serde(default)]
struct CutPreviewOptions {
    zoom: ZoomOption,
}

/// What a preview is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum PreviewKeyword {
    Contact,
    Grid,
    Motion,
    Pages,
    Html,
    LightTable,
    Onion,
    Drift,
}

impl Export {
    /// How its file ends where nothing else is said; a template's own ending is its own.
    pub fn ending(&self) -> Option<&'static str> {
        self.options.to.map(ExportFormat::ending)
    }
}

pub(super) fn exports(table: &mut Table<'_>) -> Result<Vec<Export>, RecipeError> {
    let one = |mut table: Table<'_>| {
        let span = table.span().clone();
        let all = table.clone();
        let file = table.value("file")?;
        let options: ExportOptions = table.group()?;
        let text = table.text();
        options.validate().map_err(|wrong| {
            let place = place_of_conflict(&wrong, &[&all]);
            RecipeError::at(text, &place, wrong)
        })?;
        if options.to.is_none() && options.template.is_none() {
            let needs = RecipeErrorKind::Needs { of: "an export".to_owned(), key: "to or template" };
            return Err(RecipeError::at(text, &span, needs));
        }
        table.finish()?;
        Ok(Export { options, file, settings: all.settings(&[]), span })
    };
    table.tables("export")?.into_iter().map(one).collect()
}

pub(super) fn previews<'t>(table: &mut Table<'t>, defaults: &Table<'t>) -> Result<Vec<Preview>, RecipeError> {
    table.tables("preview")?.into_iter().map(|table| preview(table, defaults)).collect()
}

fn preview<'t>(mut table: Table<'t>, defaults: &Table<'t>) -> Result<Preview, RecipeError> {
    let (span, text, all) = (table.span().clone(), table.text(), table.clone());
    /// `as`, which is a group of one.
    #[derive(Default, Deserialize)]
    #[serde(default)]
    struct Kind {
        #[serde(rename = "as", with = "keyword")]
        kind: Option<PreviewKeyword>,
    }
    let Some(kind) = table.group::<Kind>()?.kind else {
        let needs = RecipeErrorKind::Needs { of: "a preview".to_owned(), key: "as" };
        return Err(RecipeError::at(text, &span, needs));
    };
    let file = table.value("file")?;
    let mut before = None;
    let view = match kind {
        PreviewKeyword::Contact => View::Contact(table.merge_group(defaults)?),
        PreviewKeyword::Motion => View::Motion(table.merge_group(defaults)?),
        PreviewKeyword::Pages => View::Pages(table.merge_group(defaults)?),
        PreviewKeyword::Html => View::Html(table.merge_group(defaults)?),
        PreviewKeyword::LightTable => View::LightTable(None),
        PreviewKeyword::Onion => View::Onion(table.merge_group(defaults)?),
        // The cut is the sprite's own.
        PreviewKeyword::Grid => {
            let CutPreviewOptions { zoom } = table.merge_group(defaults)?;
            View::Grid(Box::new(GridPreviewOptions { zoom, ..GridPreviewOptions::default() }))
        }
        PreviewKeyword::Drift => {
            before = table.value("before")?;
            View::Drift(table.merge_group(defaults)?)
        }
    };
    let settings = all.layer_over(defaults).settings_read_by(&table);
    table.finish()?;
    Ok(Preview { view, before, file, settings, span })
}
