//! Pictures and pages of frames: one [`View`] for each, for commands and recipes alike. Drawing writes nothing; what was
//! drawn is written by [`RenderedPreview::write`], or shown by the program itself.

mod changes;
mod grid;
mod html;
mod light_table;
mod motion;
mod pages;

use std::borrow::Cow;
use std::path::{Path, PathBuf};

use image::RgbaImage;
use shibori_draw::{ContactSheets, ContactStyle, OnionStyle, draw_drift, draw_onion, draw_pages};
use shibori_formats::encode::{self, AnimationReport};
use tracing::info_span;

use crate::options::{
    ContactOptions, DriftOptions, GridPreviewOptions, HtmlOptions, MotionOptions, OnionOptions, PagesOptions,
};
use crate::steps::loading::{load, load_whole};
use crate::{Context, Error, Notice, SizeCause, Source, Task};

pub use changes::Comparison;
pub use grid::CutImage;
pub use html::HtmlPage;
pub use light_table::TableTarget;
pub use motion::{Motion, MotionContent};

/// What is drawn of a source.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum View {
    /// Every frame, by clip, with numbers, cells and times.
    Contact(ContactOptions),
    /// A cut drawn over its sheet, before cutting.
    Grid(Box<GridPreviewOptions>),
    /// The one clip there is, all of them side by side, or without clips all frames.
    Motion(MotionOptions),
    /// The pages of an atlas, each frame with its border and name; anything without pages is packed for the picture.
    Pages(PagesOptions),
    /// A page that plays every clip.
    Html(HtmlOptions),
    /// A page for cutting a sheet or adjusting frames by hand; for a sprite of a recipe, with its table's settings.
    LightTable(Option<Box<serde_json::Map<String, serde_json::Value>>>),
    /// The frames of each clip over each other, pivots on one point.
    Onion(OnionOptions),
    /// Where feet and center are from step to step.
    Drift(DriftOptions),
}

/// What was drawn.
#[derive(Clone, Debug)]
pub enum RenderedPreview {
    /// Contact sheets, each drawn when it is needed.
    Contact(Box<ContactSheets>),
    /// One image.
    Image {
        /// The image.
        image: RgbaImage,
        /// How many frames are in it.
        frames: usize,
    },
    /// A cut over its sheet.
    Cut(CutImage),
    /// Clips in motion.
    Motion(Motion),
    /// A page.
    Page(Box<HtmlPage>),
}

/// Files that were written.
#[derive(Clone, Debug)]
pub struct WrittenView {
    /// Where they are.
    pub files: Vec<PathBuf>,
    /// Bytes of an animation or a page; 0 of images.
    pub bytes: usize,
}

impl View {
    /// Draws a source. `after` is the same source later, for a comparison; only [`View::Drift`] shows it.
    ///
    /// # Errors
    /// If a source can't be read or cut, or the picture would be too large.
    pub fn draw(
        &self,
        source: &Source,
        after: Option<&Source>,
        cx: &Context<'_>,
    ) -> Result<RenderedPreview, Error> {
        let _span = info_span!("draw", view = self.file_name().0).entered();
        match self {
            Self::Contact(options) => contact(source, options, cx),
            Self::Onion(options) => onion(source, options, cx),
            Self::Drift(options) => drift(source, after, options, cx),
            Self::Pages(options) => pages(source, options, cx),
            Self::Grid(options) => grid::draw(source, options, cx).map(RenderedPreview::Cut),
            Self::Motion(options) => motion::draw(source, options, cx).map(RenderedPreview::Motion),
            Self::Html(options) => {
                html::draw(source, options, cx).map(|page| RenderedPreview::Page(Box::new(page)))
            }
            Self::LightTable(recipe) => light_table::draw(source, recipe.as_deref(), cx)
                .map(|page| RenderedPreview::Page(Box::new(page))),
        }
    }

    /// How its file is called where nothing else is said: a word for it, and the extension.
    pub fn file_name(&self) -> (&'static str, &'static str) {
        match self {
            Self::Contact(_) => ("contact", "png"),
            Self::Grid(_) => ("grid", "png"),
            Self::Motion(_) => ("motion", "gif"),
            Self::Pages(_) => ("pages", "png"),
            Self::Html(_) => ("", "html"),
            Self::LightTable(_) => ("light-table", "html"),
            Self::Onion(_) => ("onion", "png"),
            Self::Drift(_) => ("drift", "png"),
        }
    }
}

impl RenderedPreview {
    /// Stages its files: images and a cut as PNG (`koi.png`, then `koi-1.png`), motion as GIF or APNG, a page as HTML.
    ///
    /// # Errors
    /// If a file can't be written, or its name doesn't have the extension of its kind.
    pub fn stage(&self, path: &Path, cx: &Context<'_>) -> Result<WrittenView, Error> {
        let path_there = cx.resolve(path);
        let image = |image: &RgbaImage| -> Result<WrittenView, Error> {
            let written = encode::pictures(&path_there, 1, |_| Cow::Borrowed(image), cx.transaction())?;
            Ok(WrittenView { files: written.files, bytes: 0 })
        };
        let one = |bytes: usize| WrittenView { files: vec![path_there.clone()], bytes };
        match self {
            Self::Contact(sheets) => {
                let draw = |at: usize| Cow::Owned(sheets.draw(at));
                let written = encode::pictures(&path_there, sheets.sizes().len(), draw, cx.transaction())?;
                Ok(WrittenView { files: written.files, bytes: 0 })
            }
            Self::Image { image: one, .. } => image(one),
            Self::Cut(cut) => image(&cut.image),
            Self::Motion(motion) => Ok(one(write_motion(motion, path, cx)?.bytes)),
            Self::Page(page) => Ok(one(page.stage(path, cx)?)),
        }
    }
}

fn contact(source: &Source, options: &ContactOptions, cx: &Context<'_>) -> Result<RenderedPreview, Error> {
    let set = load(source, &options.only, cx)?;
    let zoom = options.zoom.get();
    let how = ContactStyle {
        width: options.width.get(),
        height: options.height.get(),
        zoom,
        overlay: options.show.get(),
        limits: cx.pixel_limits(),
    };
    let sheets = cx.map_limit_error(ContactSheets::new(set, how), by_zoom(zoom))?;
    Ok(RenderedPreview::Contact(Box::new(sheets)))
}

fn onion(source: &Source, options: &OnionOptions, cx: &Context<'_>) -> Result<RenderedPreview, Error> {
    let set = load(source, &options.only, cx)?;
    let zoom = options.zoom.get();
    let how = OnionStyle { width: options.width.get(), zoom, boxes: true, limits: cx.pixel_limits() };
    let image = cx.map_limit_error(draw_onion(&set, how), by_zoom(zoom))?;
    Ok(RenderedPreview::Image { image, frames: set.frames().len() })
}

fn drift(
    source: &Source,
    after: Option<&Source>,
    options: &DriftOptions,
    cx: &Context<'_>,
) -> Result<RenderedPreview, Error> {
    let set = load(source, &options.only, cx)?;
    let after = after.map(|after| load(after, &options.only, cx)).transpose()?;
    let image =
        cx.map_limit_error(draw_drift(&set, after.as_ref(), cx.pixel_limits()), SizeCause::Picture)?;
    Ok(RenderedPreview::Image { image, frames: set.frames().len() })
}

fn pages(source: &Source, options: &PagesOptions, cx: &Context<'_>) -> Result<RenderedPreview, Error> {
    let set = load_whole(source, cx)?;
    let set = options.only.of(set)?;
    let (manifest, pages) = pages::pages_of(source, options.only.only.is_some(), &set, cx)?;
    let zoom = options.zoom.get();
    let plans = pages::plans(&manifest, &pages);
    let image = cx.map_limit_error(draw_pages(&plans, zoom, cx.pixel_limits()), by_zoom(zoom))?;
    Ok(RenderedPreview::Image { image, frames: set.frames().len() })
}

fn write_motion(motion: &Motion, path: &Path, cx: &Context<'_>) -> Result<AnimationReport, Error> {
    let images = motion.animation.images.len();
    let tick = cx.progress_counter(Task::Pictures, images);
    let report = encode::animation(&cx.resolve(path), &motion.animation, cx.transaction(), tick)?;
    if report.dropped > 0 {
        cx.notify(Notice::TooFast { dropped: report.dropped, of: images });
    }
    if report.hardened > 0 {
        cx.notify(Notice::Hardened { pixels: report.hardened });
    }
    if let Some(colors) = report.reduced_from {
        cx.notify(Notice::Reduced { colors });
    }
    Ok(report)
}

/// What makes a picture large: a zoom that was asked for, or how much there is to see.
fn by_zoom(zoom: Option<u32>) -> SizeCause {
    if zoom.is_some() { SizeCause::Zoom } else { SizeCause::Picture }
}
