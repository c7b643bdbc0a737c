//! A cut drawn over its sheet, before anything is cut.

use std::path::Path;

use image::RgbaImage;
use shibori_core::Pixels;
use shibori_core::cut::{cut_rects, find_crossings};
use shibori_draw::{CutPlan, draw_cut};
use shibori_formats::decode::{DecodedFile, DecodedImage, image, rects};

use crate::options::GridPreviewOptions;
use crate::steps::preview::by_zoom;
use crate::steps::sheet::{find_islands, flattened, grid_of, prepare_sheet, within};
use crate::{Context, Error, Notice, SheetError, Source};

/// A cut drawn over its sheet.
#[derive(Clone, Debug)]
pub struct CutImage {
    /// The picture.
    pub image: RgbaImage,
    /// Where the frames are.
    pub plan: CutPlan,
    /// Pixels of drawings that a line crosses, or that are in no cell.
    pub crossed: usize,
    /// Cells without a drawing.
    pub blank: usize,
}

pub(super) fn draw(
    source: &Source,
    options: &GridPreviewOptions,
    cx: &Context<'_>,
) -> Result<CutImage, Error> {
    options.cut.validate()?;
    let path = source.name();
    let (pixels, _) = within(path, &pixels_of(source, cx)?, options.cut.within)?;
    let sheet = prepare_sheet(path, &pixels, &options.cut, &options.clean, cx)?;
    let plan = if let Some(list) = &options.cut.rects {
        cx.transaction().add_sources(&[cx.resolve(list)]);
        let places = cut_rects(sheet.analysis.pixels(), &rects(&cx.resolve(list), cx.limits())?);
        let places = places.map_err(|error| Error::Sheet(SheetError::Rects { list: list.clone(), error }))?;
        CutPlan::Rects(places.into_iter().map(|(named, _)| (named.rect, named.name.to_string())).collect())
    } else if options.cut.islands.is_on() {
        let found = find_islands(&sheet.analysis, options.cut.island_options(), cx)?;
        let places = found.drawings.into_iter().enumerate();
        CutPlan::Rects(places.map(|(number, one)| (one.rect, number.to_string())).collect())
    } else {
        CutPlan::Grid(grid_of(path, &sheet, &options.cut, cx)?.0)
    };
    let zoom = options.zoom.get();
    let drawn = draw_cut(
        sheet.analysis.pixels(),
        sheet.analysis.background(),
        &plan,
        zoom.unwrap_or(0),
        cx.pixel_limits(),
    );
    let drawn = cx.map_limit_error(drawn, by_zoom(zoom))?;
    let places = match &plan {
        CutPlan::Grid(grid) => {
            find_crossings(sheet.analysis.pixels(), sheet.analysis.background(), grid).len()
        }
        CutPlan::Rects(_) => 0,
    };
    if places > 0 || drawn.marked > 0 {
        cx.notify(Notice::Crossed { places, pixels: drawn.marked });
    }
    Ok(CutImage { image: drawn.image, plan, crossed: drawn.marked, blank: drawn.blank })
}

/// The sheet of a source. Frames that are cut already can't be cut again.
fn pixels_of(source: &Source, cx: &Context<'_>) -> Result<Pixels, Error> {
    let path: &Path = match source {
        Source::Sheet { pixels, .. } => return Ok(pixels.clone()),
        Source::Frames { name, .. } => {
            return Err(Error::Sheet(SheetError::CutAlready { source_path: name.into() }));
        }
        Source::Path(path) => path,
    };
    let file = cx.resolve(path);
    let DecodedFile { picture, .. } = image(&file, cx.limits())?;
    cx.transaction().add_sources(&[file]);
    match picture {
        DecodedImage::Still(pixels) => Ok(pixels),
        DecodedImage::Layers(layered) => flattened(path, &layered, cx),
        DecodedImage::Moving(animation) => Err(Error::Sheet(SheetError::IsAnimation {
            file: path.to_owned(),
            frames: animation.moments.len(),
        })),
    }
}
