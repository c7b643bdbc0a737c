//! From options to the changes of a plan. Defaults are filled in here; their order is the plan's.

use shibori_core::clean::{Key, KeyColors};
use shibori_core::shape::{AlignOptions, AlignTo, Anchor, CanvasRule, Trim, TrimScope};
use shibori_core::{Background, Color, FrameSet, find_background};
use shibori_formats::decode::overrides;

use crate::options::{BoundedInt, CleanOptions, ClipOptions, ShapeOptions};
use crate::plan::{Change, Naming};
use crate::{Context, Error, SheetError};

/// What happens where nothing is said.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Defaults {
    pub(crate) trim: TrimScope,
    /// Frames are drawings that never shared a canvas, as separate drawings of a loose sheet are.
    pub(crate) is_loose: bool,
    /// Frames are whole canvases unless they are trimmed: where position equals index, insets are lost.
    pub(crate) is_whole: bool,
}

impl Defaults {
    /// Frames that stay as they are.
    pub(crate) const PLAIN: Self = Self { trim: TrimScope::None, is_loose: false, is_whole: false };
}

/// The steps of mending after the key was taken out; `key` is its background, if there is one.
pub(crate) fn lower_clean(clean: &CleanOptions, key: Option<&KeyColors>) -> Result<Vec<Change>, Error> {
    let mut changes = Vec::new();
    if !clean.erase.is_empty() {
        changes.push(Change::Erase(clean.erase.clone()));
    }
    changes.extend(clean.clear_edge.map(Change::ClearEdge));
    changes.extend(clean.specks.map(Change::Specks));
    if clean.defringe.is_on() {
        let said = match clean.key() {
            Key::Colors(colors) => Some(colors.clone()),
            Key::Auto | Key::None => None,
        };
        changes.push(Change::Defringe(
            key.map(|key| key.colors.clone()).or(said).ok_or(Error::Sheet(SheetError::NoKey))?,
        ));
    }
    changes.extend(clean.harden_alpha.map(|from| Change::Harden(from.get_u8())));
    Ok(changes)
}

/// All of mending frames that are cut already, each with its own background.
pub(crate) fn lower_clean_frames(set: &FrameSet, clean: &CleanOptions) -> Result<Vec<Change>, Error> {
    let key = key_of(set, clean)?;
    let mut changes = lower_clean(clean, key.as_ref())?;
    changes.extend(key.map(|colors| Change::Key { colors, scope: clean.key_scope.unwrap_or_default() }));
    Ok(changes)
}

/// The background to take out; on its own, the flat one that most frames stand on.
fn key_of(set: &FrameSet, clean: &CleanOptions) -> Result<Option<KeyColors>, Error> {
    let keys =
        |colors: Vec<Color>, found: u8| KeyColors { colors, tolerance: clean.tolerance.unwrap_or(found) };
    match clean.key() {
        Key::None => Ok(None),
        Key::Colors(colors) => Ok(Some(keys(colors.clone(), 0))),
        Key::Auto => {
            let mut found: Vec<(Color, u8, usize)> = Vec::new();
            for frame in set.frames().iter().filter(|frame| frame.is_untrimmed()) {
                let Background::Flat { color, tolerance } = find_background(frame.pixels()) else { continue };
                match found.iter_mut().find(|(other, ..)| other.0 == color) {
                    Some(one) => (one.1, one.2) = (one.1.max(tolerance), one.2 + 1),
                    None => found.push((Color(color), tolerance, 1)),
                }
            }
            let most = found.into_iter().rev().max_by_key(|(.., count)| *count);
            most.map(|(color, tolerance, _)| Some(keys(vec![color], tolerance)))
                .ok_or(Error::Sheet(SheetError::NoFlatFrame))
        }
    }
}

/// Clips and events of these options, and no names for frames.
pub(crate) fn naming(clips: &ClipOptions) -> Naming {
    Naming {
        rows: clips.clip_rows.clone(),
        clips: clips.clip.clone(),
        events: clips.event.clone(),
        ..Naming::default()
    }
}

/// The registration marks that shaping needs, taken before anything else.
pub(crate) fn lower_marks(shape: &ShapeOptions) -> Vec<Change> {
    let for_align = match shape.align {
        Some(AlignTo::Mark(color)) => Some(color),
        _ => None,
    };
    let for_pivot = match shape.pivot {
        Some(Anchor::Mark(color)) => Some(color),
        _ => None,
    };
    let for_pivot = for_pivot.filter(|color| for_align != Some(*color));
    for_align.into_iter().chain(for_pivot).map(Change::TakeMarks).collect()
}

/// All of shaping, once marks are taken.
pub(crate) fn lower_shape(
    shape: &ShapeOptions,
    defaults: Defaults,
    cx: &Context<'_>,
) -> Result<Vec<Change>, Error> {
    let mut changes = Vec::new();
    changes.extend(shape.mirror.map(Change::Mirror));
    changes.extend(shape.scale.map(|rule| Change::Scale(rule, shape.resample.unwrap_or_default())));
    if let Some(to) = shape.align {
        let region = match shape.region {
            None => None,
            Some(region) => Some(region.to_rect().ok_or(Error::RegionOutside { region })?),
        };
        let reach = shape.align_reach.map(BoundedInt::get);
        let (with, axis, per) = (
            shape.align_with.unwrap_or_default(),
            shape.align_axis.unwrap_or(to.usual_axis()),
            shape.align_per.unwrap_or_default(),
        );
        changes.push(Change::Align(AlignOptions { to, region, with, reach, axis, per }));
    }
    if defaults.is_loose {
        changes.push(Change::Coregister(shape.pivot));
    }
    let per = shape.pivot_per.unwrap_or_default();
    changes.extend(shape.pivot.map(|anchor| Change::Pivot(anchor, per)));
    changes.extend(lower_canvas(shape, defaults));
    changes.extend(shape.boxes.iter().map(|spec| Change::Box(spec.clone(), shape.box_share())));
    changes.extend(shape.nine.map(Change::Nine));
    changes.extend(shape.polygon.map(|corners| Change::Polygon(corners.get(), shape.trim_alpha())));
    if let Some(list) = &shape.per_frame {
        cx.transaction().add_sources(&[cx.resolve(list)]);
        let overrides = overrides(&cx.resolve(list), cx.limits())?;
        if overrides.lines.iter().any(|line| line.kind.shift().is_some()) {
            changes.push(Change::Shift(overrides.lines.clone()));
        }
        changes.push(Change::Override(list.clone(), overrides));
    }
    if !lower_marks(shape).is_empty() {
        changes.push(Change::ForgetMarks);
    }
    Ok(changes)
}

/// Canvas and trim, and the pivot that is a place of the canvas they leave.
fn lower_canvas(shape: &ShapeOptions, defaults: Defaults) -> Vec<Change> {
    let scope = shape.trim.unwrap_or(defaults.trim);
    let trim = Trim { scope, alpha: shape.trim_alpha(), border: shape.trim_border.unwrap_or(0) };
    let mut changes = Vec::new();
    let has_size =
        matches!(shape.canvas, Some(CanvasRule::Size(_) | CanvasRule::At(..) | CanvasRule::Common));
    if has_size {
        changes.extend(shape.canvas.map(Change::Canvas));
    }
    // On another canvas, what was trimmed before is a margin like any other; and who asks for no trimming gets none.
    let is_restored = shape.trim.is_some() || has_size || defaults.is_loose || defaults.is_whole;
    // Fitted canvases are what was trimmed.
    if scope != TrimScope::None
        || is_restored && (shape.trim.is_some() || shape.canvas != Some(CanvasRule::Fit))
    {
        changes.push(Change::Trim(trim));
    }
    if shape.canvas == Some(CanvasRule::Fit) {
        changes.push(Change::FitCanvas);
    }
    let is_place = matches!(shape.pivot, Some(Anchor::Fraction(_)));
    if is_place && (shape.canvas.is_some() || defaults.is_loose) {
        changes.extend(
            shape.pivot.map(|anchor| Change::PlacePivot(anchor, shape.pivot_per.unwrap_or_default())),
        );
    }
    changes
}
