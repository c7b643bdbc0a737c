//! An empty sheet to draw on.

use std::path::Path;

use shibori_core::cut::Spacing;
use shibori_core::shape::Anchor;
use shibori_core::{Point, Size};
use shibori_draw::{Guide, draw_guide, guide_svg};
use shibori_formats::{WriteProblem, encode};

use crate::options::GuideOptions;
use crate::{Context, Error, GuideError, SizeCause};

/// Pictures of a sheet's size that are in memory at once: the guide, the empty layer, and both as they are encoded.
const LAYERS: u64 = 5;

/// Plans a guide sheet, and gives its size.
///
/// # Errors
/// If there are more names than rows, the pivot needs a drawing, or the sheet can't be written.
pub fn guide_sheet(options: &GuideOptions, output: &Path, cx: &Context<'_>) -> Result<Size, Error> {
    if options.rows.len() > options.grid.rows as usize {
        return Err(Error::Guide(GuideError::RowNames {
            names: options.rows.len(),
            rows: options.grid.rows,
        }));
    }
    let spacing =
        Spacing { offset: options.offset.unwrap_or_default(), gutter: options.gutter.unwrap_or_default() };
    let guide = Guide {
        counts: options.grid,
        cell: options.cell,
        spacing,
        pivot: pivot(options)?,
        rows: options.rows.clone(),
    };
    // What has no size is refused by the drawing.
    let pixels = guide.size().unwrap_or_default().area();
    drop(cx.check_image_size(SizeCause::Cells, pixels)?);
    let _room = cx.check_memory(SizeCause::Cells, pixels.saturating_mul(LAYERS))?;
    let path = cx.resolve(output);
    let too_large =
        || shibori_formats::FileError::write(&path, WriteProblem::TooLong { longest: Guide::LONGEST });
    let size = guide.size().ok_or_else(too_large)?;
    let drawn = || draw_guide(&guide).unwrap_or_default();
    encode::guide_sheet(&path, drawn, || guide_svg(&guide).unwrap_or_default(), cx.transaction())?;
    Ok(size)
}

/// The pivot in fractions of a cell: nothing is drawn yet that could have feet.
fn pivot(options: &GuideOptions) -> Result<Point, Error> {
    let (width, height) = (f64::from(options.cell.width), f64::from(options.cell.height));
    match options.pivot {
        None => Ok(Point::new(0.5, 1.0)),
        Some(Anchor::Fraction(point)) => Ok(point),
        Some(Anchor::Pixels(point)) => Ok(Point::new(point.x / width, point.y / height)),
        Some(anchor @ (Anchor::Feet | Anchor::Mark(_))) => {
            Err(Error::Guide(GuideError::Unmeasurable { anchor }))
        }
    }
}
