//! `[[atlas.NAME.export]]` and `[[atlas.NAME.preview]]`: metadata in other forms, and pictures to look at.

use std::path::PathBuf;

use serde::Deserialize;

use crate::options::{
    ContactOptions, DriftOptions, ExportChoice, ExportOptions, GridPreviewOptions, HtmlOptions,
    MotionOptions, OnionOptions, PagesOptions, ZoomOption,
};
use crate::recipe::error::{Fault, RecipeError};
use crate::recipe::sprite::place_of;
use crate::recipe::table::{Located, Settings, Table};
use crate::recipe::text::Span;

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
    pub look: Look,
    /// The file, from the folder of outputs; none is `NAME-contact.png` and the like.
    pub file: Option<Located<PathBuf>>,
    /// All that its table, and the defaults it falls back on, say.
    pub(crate) settings: Settings,
    /// Its place in the recipe.
    pub span: Span,
}

/// What is drawn.
#[derive(Clone, Debug)]
pub enum Look {
    /// Every frame at once.
    Contact(ContactOptions),
    /// The cut over the sheet.
    Grid(Box<GridPreviewOptions>),
    /// Clips in motion.
    Motion(MotionOptions),
    /// Pages with names.
    Pages(PagesOptions),
    /// A page that plays every clip.
    Html(HtmlOptions),
    /// A page to try frames by hand.
    LightTable,
    /// Frames over each other.
    Onion(OnionOptions),
    /// Where feet and center stand.
    Drift {
        /// What is shown.
        options: DriftOptions,
        /// A sprite that is drawn beside it, as it was before.
        before: Option<Located<String>>,
    },
}

/// What a picture of a cut can be told.
#[derive(Default, Deserialize)]
#[serde(default)]
struct CutPreviewOptions {
    zoom: ZoomOption,
}

/// What a preview is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum As {
    Contact,
    Grid,
    Motion,
    Pages,
    Html,
    LightTable,
    Onion,
    Drift,
}

impl Look {
    /// What a preview is called where its file is not said: the word for it, and the file's ending.
    pub fn file(&self) -> (&'static str, &'static str) {
        match self {
            Self::Contact(_) => ("contact", "png"),
            Self::Grid(_) => ("grid", "png"),
            Self::Motion(_) => ("motion", "gif"),
            Self::Pages(_) => ("pages", "png"),
            Self::Html(_) => ("", "html"),
            Self::LightTable => ("light-table", "html"),
            Self::Onion(_) => ("onion", "png"),
            Self::Drift { .. } => ("drift", "png"),
        }
    }
}

impl Export {
    /// How its file ends where nothing else is said; a template's own ending is its own.
    pub fn ending(&self) -> Option<&'static str> {
        self.options.to.map(ExportChoice::ending)
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
            let place = place_of(&wrong, &[&all]);
            RecipeError::at(text, &place, wrong)
        })?;
        if options.to.is_none() && options.template.is_none() {
            let needs = Fault::Needs { of: "an export".to_owned(), key: "to or template" };
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
    let Some(Located { value: kind, .. }) = table.value::<As>("as")? else {
        let needs = Fault::Needs { of: "a preview".to_owned(), key: "as" };
        return Err(RecipeError::at(text, &span, needs));
    };
    let file = table.value("file")?;
    let look = match kind {
        As::Contact => Look::Contact(table.merge_group(defaults)?),
        As::Motion => Look::Motion(table.merge_group(defaults)?),
        As::Pages => Look::Pages(table.merge_group(defaults)?),
        As::Html => Look::Html(table.merge_group(defaults)?),
        As::LightTable => Look::LightTable,
        As::Onion => Look::Onion(table.merge_group(defaults)?),
        // The cut is the sprite's own.
        As::Grid => {
            let CutPreviewOptions { zoom } = table.merge_group(defaults)?;
            Look::Grid(Box::new(GridPreviewOptions { zoom, ..GridPreviewOptions::default() }))
        }
        As::Drift => Look::Drift { options: table.merge_group(defaults)?, before: table.value("before")? },
    };
    let settings = all.over(defaults).settings_read_by(&table);
    table.finish()?;
    Ok(Preview { look, file, settings, span })
}
