//! Where a recipe says what only a build finds to be wrong: a frame that is not there, a grid that does not fit.

use shibori_core::Name;
use shibori_core::clip::{ApplyError, EditError};
use shibori_core::cut::CutError;
use shibori_core::pack::PackError;

use crate::recipe::{Recipe, Settings, Span};
use crate::{ClipsError, Error, GuideError, SheetError};

/// The same error with its place, if the recipe has one: that of a key or, of how a sheet is cut, that of the table.
pub(super) fn located(error: Error, settings: &Settings, table: &Span, recipe: &Recipe) -> Error {
    let Some((keys, about)) = keys(&error) else { return error };
    let span = keys.iter().find_map(|key| settings.place(key, &about)).unwrap_or(table);
    Error::InRecipe { mark: Box::new(recipe.text.mark(span)), error: Box::new(error) }
}

/// The keys that may be to blame, the likeliest first, and what their values are about.
fn keys(error: &Error) -> Option<(Vec<String>, String)> {
    let keys = |keys: &[&str]| keys.iter().map(|key| (*key).to_owned()).collect::<Vec<_>>();
    let of_clip = |clip: &Name| (vec![format!("clips.{clip}"), "clip".to_owned()], clip.to_string());
    let (found, about) = match error {
        Error::Apply(ApplyError::Frames { clip, .. }) => of_clip(clip),
        Error::Clips(ClipsError::NoSuchClip { clip, .. }) | Error::Clips(ClipsError::OtherCut { clip }) => {
            (vec![format!("clips.{clip}")], clip.clone())
        }
        Error::Clips(ClipsError::SharedFrames { own, .. }) => {
            let own = own.first().cloned().unwrap_or_default();
            (vec![format!("clips.{own}")], own)
        }
        Error::Edit(EditError::Unknown { name, .. } | EditError::Several { name, .. }) => {
            (keys(&["event", "drop", "rename", "speed", "snap"]), name.clone())
        }
        Error::Edit(EditError::NoStep { clip, step, .. }) => (keys(&["event"]), format!("{clip}@{step}")),
        Error::Pack(PackError::NoClip { name, .. }) => (keys(&["row-order"]), name.clone()),
        Error::Pack(PackError::WhichClip { name, .. }) => (keys(&["row-order"]), name.to_string()),
        other => (keys(plain_keys(other)?), String::new()),
    };
    Some((found, about))
}

fn plain_keys(error: &Error) -> Option<&'static [&'static str]> {
    Some(match error {
        Error::Sheet(SheetError::Cut {
            error: CutError::LeftOver { .. } | CutError::CellTooLarge { .. },
            ..
        }) => &["slice.cell", "slice.grid", "slice.offset"],
        Error::Sheet(SheetError::Cut { .. }) => &["slice.grid", "slice.cell"],
        Error::Sheet(SheetError::UnsureGrid { .. })
        | Error::Sheet(SheetError::BlankSheet { .. })
        | Error::Sheet(SheetError::AllBlank { .. }) => &["slice.blank"],
        Error::Sheet(SheetError::Within { .. }) => &["slice.within"],
        Error::Sheet(SheetError::Rects { .. }) => &["slice.rects"],
        Error::Sheet(SheetError::NoDrawing { .. }) => &["slice.min-area", "slice.islands"],
        Error::Sheet(SheetError::NothingBetween { .. }) | Error::Sheet(SheetError::IsAnimation { .. }) => {
            &["slice.islands"]
        }
        Error::Sheet(SheetError::NoBackground { .. })
        | Error::Sheet(SheetError::NoFlatFrame)
        | Error::Sheet(SheetError::KeyNowhere { .. }) => &["clean.key"],
        Error::Sheet(SheetError::NoKey) => &["clean.defringe"],
        Error::Select(_) => &["slice.take", "take", "only"],
        Error::Naming(_) => &["slice.name", "name"],
        Error::Only(_) => &["only"],
        Error::Rows(_) | Error::Guide(GuideError::RowNames { .. }) => &["clip-rows"],
        Error::Mark(_) | Error::Guide(GuideError::Unmeasurable { .. }) => &["shape.pivot"],
        Error::Align(_) => &["shape.align"],
        Error::RegionOutside { .. } => &["shape.region"],
        Error::Scale(_) => &["shape.scale"],
        Error::Canvas(_) => &["shape.canvas"],
        Error::Nine(_) => &["shape.nine"],
        Error::Polygon(_) => &["shape.polygon"],
        Error::Places(_) => &["shape.per-frame"],
        Error::Pack(PackError::FrameTooLarge { .. }) => &["page-max", "page-size"],
        Error::Pack(PackError::NotSquare { .. } | PackError::NothingToRoundTo { .. }) => {
            &["page-round", "page-size"]
        }
        Error::Pack(PackError::RowTooLong { .. }) => &["page-max", "page-size", "layout"],
        Error::Companion(_) => &["companion"],
        _ => return None,
    })
}
