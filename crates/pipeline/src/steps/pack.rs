//! Frames onto pages.

use std::collections::HashSet;
use std::path::{Path, PathBuf};

use shibori_core::clip::Clip;
use shibori_core::pack::{
    Atlas, PageScale, ReuseOutcome, RowName, RowOrder, draw_mirrored, kernel_margin, missing_companions,
    pack as arrange, snap_for, snap_frames, take_companions,
};
use shibori_core::shape::{Resample, TrimScope};
use shibori_core::{Frame, FrameSet, Lease, Name, Size};
use shibori_formats::decode::previous_placements;
use shibori_formats::encode::{self, AtlasReport};
use tracing::{debug, info_span};

use crate::options::{ClipOptions, LayoutName, PackOptions};
use crate::plan::{Change, Naming, Plan, check_frame_size};
use crate::steps::loading::load_all;
use crate::steps::lowering::{Defaults, lower_marks, lower_shape, naming};
use crate::steps::namesakes::{load_apart, name_shared};
use crate::{Context, Error, Notice, SizeCause, Source, Task};

/// An atlas in each of its sizes.
#[derive(Clone, Debug)]
#[must_use = "a step returns what it made and changes nothing else"]
pub struct Packed {
    /// One for each factor, the first as it was asked for first.
    pub atlases: Vec<Atlas>,
    /// Pixels of all canvases, were each a picture of its own.
    pub canvas_pixels: u64,
    /// Whether mirrored steps got pictures of their own.
    pub draws_mirrored: bool,
}

/// Arranges the frames of sources on pages. Writes nothing.
///
/// # Errors
/// If a source can't be read, or frames can't be packed.
pub fn pack(sources: &[Source], options: &PackOptions, cx: &Context<'_>) -> Result<Packed, Error> {
    options.validate()?;
    let is_trimmed = trim_scope(options) != TrimScope::None;
    let set = match &options.pick.name {
        Some(name) if name.uses_folders() => load_apart(sources, is_trimmed, cx)?,
        _ => load_all(sources, is_trimmed, cx).map_err(|error| name_shared(error, sources, cx))?,
    };
    let _span = info_span!("pack", frames = set.frames().len()).entered();
    let factors = options.page.factors();
    let step = snap_for(&factors);
    let keep =
        options.arrange.keep_places.as_ref().map(|old| previous_placements(&cx.resolve(old))).transpose()?;
    let rules = options.arrange.options(factors.clone(), keep);
    // Numbers count base frames, and who names some of them means their companions too.
    let set = match &*options.page.companion {
        [] => set,
        specs => take_companions(&set, specs)?,
    };
    let set = options.only.of(set)?;
    let set = match &options.pick.take {
        Some(take) => set.take(&take.resolve(&set)?, &take.left_out(&set)?),
        None => set,
    };
    let (trim, clips) = (trim_scope(options), &options.clips);
    let mut changes = lower_marks(&options.shape);
    if *clips != ClipOptions::default() || options.pick.name.is_some() {
        changes.push(Change::Name(Naming { template: options.pick.name.clone(), ..naming(clips) }));
    }
    changes.extend(lower_shape(
        &options.shape,
        Defaults { trim, is_whole: trim == TrimScope::None, ..Defaults::PLAIN },
        cx,
    )?);
    let set = Plan::new(changes).run(set, cx)?.set;
    let set = match options.arrange.draws_mirrored() {
        true => {
            let set = draw_mirrored(set)?;
            cx.charge(&set);
            set
        }
        false => set,
    };
    let canvas_pixels = set.frames().iter().map(|frame| frame.canvas().area()).sum();
    let set = stepped(set, step, kernel_margin(&factors, options.shape.resample.unwrap_or_default()), cx)?;
    for (spec, missing) in missing_companions(&set) {
        if let Some(&first) = missing.first() {
            let first = set.frames()[first].name().clone();
            cx.notify(Notice::CompanionsMissing { spec, frames: missing.len(), first });
        }
    }
    if let Some(RowOrder(rows)) = &options.arrange.row_order {
        let is_named = |clip: &&Clip| {
            rows.iter().any(|row| match row {
                RowName::Blank => false,
                RowName::Clip { sprite, name } => {
                    name == clip.name() && sprite.as_ref().is_none_or(|sprite| sprite == clip.sprite())
                }
            })
        };
        let clips: Vec<String> =
            set.clips().iter().filter(|clip| !is_named(clip)).map(|clip| clip.name().to_string()).collect();
        if !clips.is_empty() {
            cx.notify(Notice::RowsLeftOut { clips });
        }
    }
    if options.arrange.layout() == LayoutName::ClipRows && !set.clips().is_empty() {
        let played: HashSet<usize> =
            set.clips().iter().flat_map(Clip::steps).map(|step| step.frame).collect();
        let mut unclipped = (0..set.frames().len()).filter(|at| !played.contains(at));
        if let Some(first) = unclipped.next() {
            let (frames, first) = (1 + unclipped.count(), set.frames()[first].name().clone());
            cx.notify(Notice::Unclipped { frames, first });
        }
    }
    let atlas = arrange(set, &rules)?;
    debug!(pages = atlas.pages().len(), least = ?atlas.lower_bound(), "arranged");
    if let Some(outcome) = atlas.keeping().filter(|outcome| is_worth_saying(outcome)) {
        let most_waste = options.arrange.repack_over.map(|percent| f64::from(percent.get()) / 100.0);
        cx.notify(Notice::PlacesKept { outcome: outcome.clone(), most_waste });
    }
    hold_pages(&atlas, cx)?;
    let how = options.shape.resample.unwrap_or_default();
    let scaled = |&factor: &PageScale| {
        let _room = hold_scale(&atlas, factor, cx)?;
        let scaled = atlas.scaled(factor, how)?;
        hold_pages(&scaled, cx)?;
        cx.charge(scaled.set());
        let frames = vanished(atlas.set(), scaled.set(), factor);
        if !frames.is_empty() {
            let smooth = atlas.scaled(factor, Resample::Smooth)?;
            let smooth_helps = vanished(atlas.set(), smooth.set(), factor).is_empty();
            let of = atlas.set().frames().len();
            cx.notify(Notice::VanishedAtScale { scale: factor, frames, of, smooth_helps });
        }
        Ok::<Atlas, Error>(scaled)
    };
    let atlases = factors.iter().map(scaled).collect::<Result<_, _>>()?;
    Ok(Packed { atlases, canvas_pixels, draws_mirrored: options.arrange.draws_mirrored() })
}

/// From this share on, it is said how much smaller packing from scratch would be.
const NOTABLE_WASTE: f64 = 0.1;

fn is_worth_saying(outcome: &ReuseOutcome) -> bool {
    match outcome {
        ReuseOutcome::Kept { moved, wasted, .. } => *moved > 0 || *wasted >= NOTABLE_WASTE,
        ReuseOutcome::Repacked(_) | ReuseOutcome::Anew(_) => true,
    }
}

/// Less than this share of the area that a scaled frame should show has gone missing in between pixels.
const LEAST_LEFT: f64 = 0.5;

/// Frames of which a smaller scale shows nothing, or less than half of what it should.
fn vanished(before: &FrameSet, after: &FrameSet, factor: PageScale) -> Vec<Name> {
    let shown = |frame: &Frame| {
        let rows = frame.pixels().rows();
        rows.flat_map(|row| row.chunks_exact(4)).filter(|pixel| pixel[3] > 0).count() as f64
    };
    let area = factor.ratio().value() * factor.ratio().value();
    if area >= 1.0 {
        return Vec::new();
    }
    let is_lost = |at: usize| {
        let wanted = shown(&before.frames()[at]) * area;
        shown(&after.frames()[at]) < wanted * LEAST_LEFT
    };
    let lost = shibori_core::parallel::map(before.frames().len(), is_lost);
    let frames = before.frames().iter().zip(lost).filter(|(_, is_lost)| *is_lost);
    frames.map(|(frame, _)| frame.name().clone()).collect()
}

/// Holds each page to what a picture may have.
fn hold_pages(atlas: &Atlas, cx: &Context<'_>) -> Result<(), Error> {
    atlas
        .pages()
        .iter()
        .try_for_each(|page| cx.check_image_size(SizeCause::Pages, page.size.area()).map(drop))
}

/// Holds the pages of a scaled atlas to what a picture may have, and its frames to the memory that is left.
fn hold_scale(atlas: &Atlas, factor: PageScale, cx: &Context<'_>) -> Result<Option<Lease>, Error> {
    if factor == PageScale::ONE {
        return Ok(None);
    }
    // A share of a pixel more or less makes no difference here.
    let grown = |pixels: u64| (pixels as f64 * factor.ratio().value() * factor.ratio().value()) as u64;
    for page in atlas.pages() {
        drop(cx.check_image_size(SizeCause::PageScales, grown(page.size.area()))?);
    }
    let frames: u64 = atlas.set().frames().iter().map(|frame| frame.canvas().area()).sum();
    let pictures = 1 + atlas.companions().len() as u64;
    cx.check_memory(SizeCause::PageScales, grown(frames.saturating_mul(pictures))).map(Some)
}

/// What shares one box where frames are trimmed: on its own each frame has its own, but only where place is not index.
fn trim_scope(options: &PackOptions) -> TrimScope {
    let is_dense = options.arrange.layout() == LayoutName::Dense;
    let default = if is_dense { TrimScope::Frame } else { TrimScope::None };
    options.shape.trim.unwrap_or(default)
}

/// Stages the files of atlases at a path without extension; they are in place after [`Context::commit`].
///
/// # Errors
/// If a page can't be encoded or written.
pub fn stage_atlases(
    packed: &Packed,
    path: &Path,
    options: &PackOptions,
    cx: &Context<'_>,
) -> Result<AtlasReport, Error> {
    let pages = packed.atlases.iter().map(|atlas| atlas.pages().len() * (1 + atlas.companions().len())).sum();
    let _span = info_span!("write", pages).entered();
    let tick = cx.progress_counter(Task::Pages, pages);
    let path = cx.resolve(path);
    let report = encode::atlas(&path, &packed.atlases, &options.page.encoding(), cx.transaction(), tick)?;
    let manifests = encode::stale_scales(&path, &report.manifests);
    if !manifests.is_empty() {
        let shown = |file: PathBuf| file.strip_prefix(&cx.base).map_or_else(|_| file.clone(), Path::to_owned);
        cx.notify(Notice::StaleScales { manifests: manifests.into_iter().map(shown).collect() });
    }
    Ok(report)
}

/// Frames on whole steps, so that every factor falls on whole pixels.
fn stepped(set: FrameSet, step: u32, rim: u32, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let uneven = |frame: &&Frame| {
        let canvas = frame.canvas();
        !canvas.width.is_multiple_of(step) || !canvas.height.is_multiple_of(step)
    };
    let mut pixels = 0u64;
    for frame in set.frames() {
        let up = |length: u32| length.saturating_add(step - 1) / step * step;
        let canvas = Size::new(up(frame.canvas().width), up(frame.canvas().height));
        check_frame_size(frame, canvas, SizeCause::PageScales, cx)?;
        let around = |length: u32, most: u32| length.saturating_add(2 * (step + rim)).min(most);
        let kept = frame.pixels().size();
        let kept = Size::new(around(kept.width, canvas.width), around(kept.height, canvas.height));
        pixels = pixels.saturating_add(kept.area());
    }
    let grows = step > 1 || rim > 0;
    let _room = cx.check_memory(SizeCause::PageScales, if grows { pixels } else { 0 })?;
    let frames = set.frames().iter().filter(uneven).count();
    if frames > 0 {
        cx.notify(Notice::CanvasesGrow { frames, step });
    }
    Ok(snap_frames(set, step, rim)?)
}
