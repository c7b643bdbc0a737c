//! `[check]`: what is expected of all sprites and atlases.

use crate::options::CheckOptions;
use crate::recipe::error::RecipeError;
use crate::recipe::table::{Located, Table};
use crate::recipe::wrong_value;

/// What is expected.
#[derive(Clone, Debug, Default)]
pub struct Expectations {
    /// What may be wrong, and from where on it is.
    pub options: CheckOptions,
    /// Clips that must be there: `swim`, or `koi:swim`.
    pub clips: Vec<Located<String>>,
    /// Clips that must have the same number of steps, a list each.
    pub equal: Vec<Vec<Located<String>>>,
    /// The most pages an atlas may have.
    pub pages: Option<Located<usize>>,
}

/// What is expected of one sprite; its options go over those for all.
pub(super) fn of_sprite<'t>(mut table: Table<'t>, all: &Table<'t>) -> Result<Expectations, RecipeError> {
    let clips = table.list("clips")?;
    let options = table.merge_group(all)?;
    table.finish()?;
    Ok(Expectations { options, clips, ..Expectations::default() })
}

pub(super) fn read(mut table: Table<'_>) -> Result<Expectations, RecipeError> {
    let clips = table.list("clips")?;
    let text = table.text();
    let equal: Vec<Vec<Located<String>>> = match table.value::<Vec<Vec<String>>>("equal")? {
        None => Vec::new(),
        Some(Located { value, span }) => {
            let located = |name: String| Located { value: name, span: span.clone() };
            if value.iter().any(|names| names.len() < 2) {
                let why =
                    "a list of lists with two clips or more each, such as [[\"walk-left\", \"walk-right\"]]";
                return Err(wrong_value(text, &span, "equal", why));
            }
            value.into_iter().map(|names| names.into_iter().map(located).collect()).collect()
        }
    };
    let pages = table.value("pages")?;
    let options = table.group()?;
    table.finish()?;
    Ok(Expectations { options, clips, equal, pages })
}
