//! Pictures of frames: drawn, and planned as files. Showing them elsewhere is the program's business.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use image::RgbaImage;
use shibori_core::clip::{Clip, Span};
use shibori_core::cut::{cut_rects, islands};
use shibori_core::{FrameSet, Name, Rect, RenderedAnimation};
use shibori_draw::{
    AnimationOptions, ContactOptions as Contact, CutPlan, OnionOptions as Onion, PagePlan, PlannedFrame,
    draw_contact, draw_cut, draw_drift, draw_onion, draw_pages, render_clip, render_clips,
};
use shibori_formats::decode::{Loaded, Picture, image, rects};
use shibori_formats::encode::{self, AnimationReport};
use shibori_formats::manifest::Manifest;
use tracing::info_span;

use crate::options::{
    ContactOptions, DriftOptions, GridPreviewOptions, MotionOptions, OnionOptions, PagesOptions, Whole,
};
use crate::steps::gather;
use crate::steps::pages::{Page, packed, pages_of};
use crate::steps::sheet::{ISLANDS, grid_of, prepared, within};
use crate::{Context, Error, Growth, Notice, Task};

/// What was drawn, and how many frames it shows.
#[derive(Clone, Debug)]
pub struct Drawn {
    /// The picture; several where it would be too tall.
    pub pictures: Vec<RgbaImage>,
    /// How many frames they show.
    pub frames: usize,
}

/// Every frame, by clip, with numbers, cells and times.
///
/// # Errors
/// Where the source can't be read.
pub fn contact(source: &Path, options: &ContactOptions, cx: &Context<'_>) -> Result<Drawn, Error> {
    let _span = info_span!("contact").entered();
    contact_of(gather::whole(source, cx)?, options, cx)
}

/// The same of frames that are there already.
///
/// # Errors
/// Where the picture would be too large.
pub fn contact_of(set: FrameSet, options: &ContactOptions, cx: &Context<'_>) -> Result<Drawn, Error> {
    let set = options.only.of(set)?;
    let (width, zoom, overlay, limits) =
        (options.width.get(), options.zoom.get(), options.show.get(), cx.pixel_limits());
    let how = Contact { width, height: options.height.get(), zoom, overlay, limits };
    let pictures = cx.drawn(draw_contact(&set, how), by_zoom(zoom))?;
    Ok(Drawn { pictures, frames: set.frames().len() })
}

/// The frames of each clip over each other, pivots on one point.
///
/// # Errors
/// Where the source can't be read.
pub fn onion(source: &Path, options: &OnionOptions, cx: &Context<'_>) -> Result<Drawn, Error> {
    let _span = info_span!("onion").entered();
    onion_of(gather::whole(source, cx)?, options, cx)
}

/// The same of frames that are there already.
///
/// # Errors
/// Where the picture would be too large.
pub fn onion_of(set: FrameSet, options: &OnionOptions, cx: &Context<'_>) -> Result<Drawn, Error> {
    let set = options.only.of(set)?;
    let zoom = options.zoom.get();
    let how = Onion { width: options.width.get(), zoom, boxes: true, limits: cx.pixel_limits() };
    let image = cx.drawn(draw_onion(&set, how), by_zoom(zoom))?;
    Ok(Drawn { pictures: vec![image], frames: set.frames().len() })
}

/// Where feet and center stand from step to step, and where they stand in `after`.
///
/// # Errors
/// Where a source can't be read.
pub fn drift(
    source: &Path,
    after: Option<&Path>,
    options: &DriftOptions,
    cx: &Context<'_>,
) -> Result<Drawn, Error> {
    let _span = info_span!("drift").entered();
    let set = gather::whole(source, cx)?;
    drift_of(set, after.map(|after| gather::whole(after, cx)).transpose()?, options, cx)
}

/// The same of frames that are there already.
///
/// # Errors
/// Where the picture would be too large.
pub fn drift_of(
    set: FrameSet,
    after: Option<FrameSet>,
    options: &DriftOptions,
    cx: &Context<'_>,
) -> Result<Drawn, Error> {
    let set = options.only.of(set)?;
    let after = after.map(|after| options.only.of(after)).transpose()?;
    let image = cx.drawn(draw_drift(&set, after.as_ref(), cx.pixel_limits()), Growth::Picture)?;
    Ok(Drawn { pictures: vec![image], frames: set.frames().len() })
}

/// The pages of an atlas, each frame with its border and name; what has no pages is packed for the picture.
///
/// # Errors
/// Where the source or a page can't be read.
pub fn pages(source: &Path, options: &PagesOptions, cx: &Context<'_>) -> Result<Drawn, Error> {
    let _span = info_span!("pages").entered();
    let set = gather::one(source, &options.only, cx)?;
    let found = pages_of(source, options.only.only.is_some(), &set, cx)?;
    pages_drawn(&set, &found, options, cx)
}

/// The same of frames that are there already; they are packed for the picture.
///
/// # Errors
/// Where the picture would be too large.
pub fn pages_of_set(set: FrameSet, options: &PagesOptions, cx: &Context<'_>) -> Result<Drawn, Error> {
    let set = options.only.of(set)?;
    let found = packed(&set, cx)?;
    pages_drawn(&set, &found, options, cx)
}

fn pages_drawn(
    set: &FrameSet,
    (manifest, pages): &(Manifest, Vec<Page>),
    options: &PagesOptions,
    cx: &Context<'_>,
) -> Result<Drawn, Error> {
    let zoom = options.zoom.get();
    let image = cx.drawn(draw_pages(&plans(manifest, pages), zoom, cx.pixel_limits()), by_zoom(zoom))?;
    Ok(Drawn { pictures: vec![image], frames: set.frames().len() })
}

/// What makes a picture large: a zoom that was asked for, or how much there is to see.
fn by_zoom(zoom: Option<u32>) -> Growth {
    if zoom.is_some() { Growth::Zoom } else { Growth::Picture }
}

/// What lies where on each page. Frames that share a place are one with a mark for each further one.
fn plans(manifest: &Manifest, pages: &[Page]) -> Vec<PagePlan> {
    let mut plans: Vec<PagePlan> = pages
        .iter()
        .map(|page| PagePlan { name: page.name.clone(), pixels: page.pixels.clone(), frames: Vec::new() })
        .collect();
    let mut known: HashMap<(usize, [u32; 4]), usize> = HashMap::new();
    for entry in &manifest.frames {
        let [x, y, width, height] = entry.rect;
        let rect = Rect::new(x, y, width, height);
        let Some(plan) = plans.get_mut(entry.page).filter(|_| !rect.is_empty()) else { continue };
        match known.get(&(entry.page, entry.rect)) {
            Some(&first) => plan.frames[first].name += "+",
            None => {
                known.insert((entry.page, entry.rect), plan.frames.len());
                plan.frames.push(PlannedFrame { rect, name: entry.name.clone(), rotated: entry.rotated });
            }
        }
    }
    plans
}

/// A cut drawn over its sheet.
#[derive(Clone, Debug)]
pub struct RenderedCut {
    /// The picture.
    pub image: RgbaImage,
    /// Where the frames are.
    pub plan: CutPlan,
    /// Pixels of drawings that a line crosses, or that lie in no cell.
    pub crossed: usize,
    /// Cells without a drawing.
    pub blank: usize,
}

/// The cut drawn over a sheet, before cutting.
///
/// # Errors
/// Where the sheet can't be read, or can't be cut so.
pub fn grid(path: &Path, options: &GridPreviewOptions, cx: &Context<'_>) -> Result<RenderedCut, Error> {
    let _span = info_span!("grid").entered();
    options.cut.validate()?;
    let file = cx.at(path);
    let Loaded { picture, .. } = image(&file, cx.limits())?;
    cx.run().add_sources(std::slice::from_ref(&file));
    let pixels = match picture {
        Picture::Still(pixels) => pixels,
        Picture::Moving(animation) => {
            return Err(Error::PlannedShifts { file: path.to_owned(), frames: animation.moments.len() });
        }
    };
    let (pixels, _) = within(path, &pixels, options.cut.within)?;
    let sheet = prepared(path, &pixels, &options.clean, cx)?;
    let plan = if let Some(list) = &options.cut.rects {
        cx.run().add_sources(&[cx.at(list)]);
        let places = cut_rects(&sheet.pixels, &rects(&cx.at(list))?);
        let places = places.map_err(|error| Error::Rects { list: list.clone(), error })?;
        CutPlan::Rects(places.into_iter().map(|(named, _)| (named.rect, named.name.to_string())).collect())
    } else if options.cut.islands.is_on() {
        let _room = cx.check_memory(Growth::Search, sheet.pixels.size().area().saturating_mul(ISLANDS))?;
        let found = islands(&sheet.pixels, sheet.background, options.cut.island_options());
        let places = found.drawings.into_iter().enumerate();
        CutPlan::Rects(places.map(|(number, one)| (one.rect, number.to_string())).collect())
    } else {
        CutPlan::Grid(grid_of(path, &sheet, &options.cut, cx)?.0)
    };
    let zoom = options.zoom.get();
    let drawn = draw_cut(&sheet.pixels, sheet.background, &plan, zoom.unwrap_or(0), cx.pixel_limits());
    let drawn = cx.drawn(drawn, by_zoom(zoom))?;
    if drawn.marked > 0 {
        cx.tell(Notice::Crossed { pixels: drawn.marked });
    }
    Ok(RenderedCut { image: drawn.image, plan, crossed: drawn.marked, blank: drawn.blank })
}

/// Clips in motion.
#[derive(Clone, Debug)]
pub struct RenderedMotion {
    /// The pictures.
    pub animation: RenderedAnimation,
    /// What they show.
    pub shows: MotionContent,
}

/// What an animation shows.
#[derive(Clone, Debug)]
pub enum MotionContent {
    /// One clip; of a set without clips all frames, at 100 ms each.
    One(Clip),
    /// So many clips side by side.
    Several(usize),
}

/// The one clip there is, all of them side by side, or where there is none all frames.
///
/// # Errors
/// Where the source can't be read, or has no frames.
pub fn motion(source: &Path, options: &MotionOptions, cx: &Context<'_>) -> Result<RenderedMotion, Error> {
    let _span = info_span!("motion").entered();
    motion_of(gather::whole(source, cx)?, options, cx)
}

/// The same of frames that are there already.
///
/// # Errors
/// Where there are no frames, or the animation would be too large.
pub fn motion_of(set: FrameSet, options: &MotionOptions, cx: &Context<'_>) -> Result<RenderedMotion, Error> {
    let set = options.only.of(set)?;
    let how = AnimationOptions {
        zoom: options.zoom.map_or(1, Whole::get),
        backdrop: options.background.unwrap_or_default(),
        overlay: options.show.get(),
        limits: cx.pixel_limits(),
    };
    let drawn = |result| cx.drawn(result, if how.zoom > 1 { Growth::Zoom } else { Growth::Animation });
    Ok(match set.clips() {
        [one] => RenderedMotion {
            animation: drawn(render_clip(&set, one, how))?,
            shows: MotionContent::One(one.clone()),
        },
        [] => {
            let clip = all_frames(&set)?;
            RenderedMotion {
                animation: drawn(render_clip(&set, &clip, how))?,
                shows: MotionContent::One(clip),
            }
        }
        several => {
            let clips: Vec<&Clip> = several.iter().collect();
            RenderedMotion {
                animation: drawn(render_clips(&set, &clips, how))?,
                shows: MotionContent::Several(clips.len()),
            }
        }
    })
}

fn all_frames(set: &FrameSet) -> Result<Clip, Error> {
    let spans: Vec<(usize, Span)> = (0..set.frames().len()).map(|at| (at, Span::DEFAULT)).collect();
    let sprite = set.frames().first().map(|frame| frame.sprite().clone()).ok_or(Error::NoFrames)?;
    let name = Name::new("all frames").expect("not empty");
    Ok(Clip::from_durations(sprite, name, &spans)?)
}

/// Plans pictures as PNG: `koi.png`, and where there are more, `koi-1.png` and so on. Gives where they will lie.
///
/// # Errors
/// Where one can't be written, or its name does not end in .png.
pub fn write_pictures(pictures: &[RgbaImage], path: &Path, cx: &Context<'_>) -> Result<Vec<PathBuf>, Error> {
    Ok(encode::pictures(&cx.at(path), pictures, cx.run())?.files)
}

/// Plans an animation in the format its extension asks for.
///
/// # Errors
/// Where it can't be encoded or written.
pub fn write_animation(
    animation: &RenderedAnimation,
    path: &Path,
    cx: &Context<'_>,
) -> Result<AnimationReport, Error> {
    let tick = cx.counter(Task::Pictures, animation.images.len());
    let report = encode::animation(&cx.at(path), animation, cx.run(), tick)?;
    if report.dropped > 0 {
        cx.tell(Notice::TooFast { dropped: report.dropped, of: animation.images.len() });
    }
    if report.hardened > 0 {
        cx.tell(Notice::Hardened { pixels: report.hardened });
    }
    if let Some(colors) = report.reduced_from {
        cx.tell(Notice::Reduced { colors });
    }
    Ok(report)
}
