//! Frames that are cut already, cleaned and lined up.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use shibori_core::clip::Clip;
use shibori_core::cut::BlankCells;
use shibori_core::shape::Shift;
use shibori_core::{Frame, FrameSet, Name, clips_sharing_frames, unshare_frames};
use shibori_formats::encode;
use shibori_formats::store::Written;
use tracing::info_span;

use crate::options::AdjustOptions;
use crate::plan::{BoxCover, CleanReport, Plan};
use crate::steps::loading::{folder_of_set, load_with_companions};
use crate::steps::lowering::{Defaults, lower_clean_frames, lower_marks, lower_shape};
use crate::{ClipsError, Context, Error, Source, Task};

/// Where adjusted frames go.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum AdjustTarget {
    /// A set in this folder.
    Set(PathBuf),
    /// The set itself.
    InPlace,
}

/// Adjusted frames, and what is not as it was.
#[derive(Clone, Debug)]
#[must_use = "a step returns what it made and changes nothing else"]
pub struct Adjusted {
    /// All frames, those that were not meant too.
    pub set: FrameSet,
    /// What each step of mending changed.
    pub mended: Vec<CleanReport>,
    /// The frames that were meant, in their order.
    pub frames: Vec<FrameAdjustment>,
    /// What boxes of whole clips cover.
    pub covered: Vec<BoxCover>,
    /// Blank frames that were left out.
    pub dropped: Vec<Name>,
}

/// What became of one frame.
#[derive(Clone, Debug)]
pub struct FrameAdjustment {
    /// The frame as it is now.
    pub frame: Frame,
    /// What is not as it was.
    pub changes: Vec<ChangedProperty>,
    /// How it was moved where frames were lined up.
    pub shift: Option<Shift>,
}

/// Something of a frame.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ChangedProperty {
    /// The pixels kept.
    Pixels,
    /// The canvas.
    Canvas,
    /// Where the pixels are on it.
    Inset,
    /// The pivot.
    Pivot,
    /// Named boxes.
    Boxes,
    /// Where a panel stretches.
    Nine,
    /// The polygon.
    Polygon,
}

/// Cleans and lines up the frames of a source. Writes nothing.
///
/// # Errors
/// If the source can't be read, or a change can't be made.
pub fn adjust(source: &Source, options: &AdjustOptions, cx: &Context<'_>) -> Result<Adjusted, Error> {
    let set = load_with_companions(source, cx)?;
    let _span = info_span!("adjust", frames = set.frames().len()).entered();
    options.validate()?;
    let mut set = set;
    let mut part = options.only.of(set.clone())?;
    let changes_pixels = options.clean.changes_pixels() || options.shape.changes_pixels();
    // Who names frames means them wherever they show.
    let names_clips = options.only.only.as_ref().is_some_and(|only| only.selects_clips(&set));
    let beyond = if changes_pixels && names_clips { clips_sharing_frames(&set, &part) } else { Vec::new() };
    if !beyond.is_empty() {
        if !options.apart.is_on() {
            let whole = |clips: &[&Clip]| clips.iter().map(|clip| clip.qualified_name()).collect();
            let own: Vec<&Clip> = part.clips().iter().collect();
            return Err(Error::Clips(ClipsError::SharedFrames { clips: whole(&beyond), own: whole(&own) }));
        }
        set = unshare_frames(&set, &part)?;
        part = options.only.of(set.clone())?;
    }
    let mut changes = lower_marks(&options.shape);
    changes.extend(lower_clean_frames(&part, &options.clean)?);
    let (mut mended, mut dropped) = (Vec::new(), Vec::new());
    if options.blank == Some(BlankCells::Drop) {
        // What is blank shows only once it is clean.
        let cleaned = Plan::new(std::mem::take(&mut changes)).run(part, cx)?;
        mended = cleaned.mended;
        let (blank, shown): (Vec<usize>, Vec<usize>) =
            (0..cleaned.set.frames().len()).partition(|&at| cleaned.set.frames()[at].extent(0).is_none());
        if shown.is_empty() {
            return Err(Error::AllBlank);
        }
        let id = |frame: &Frame| (frame.sprite().clone(), frame.name().clone());
        let blank: HashSet<(Name, Name)> =
            blank.into_iter().map(|at| id(&cleaned.set.frames()[at])).collect();
        let stays = |at: &usize| !blank.contains(&id(&set.frames()[*at]));
        let (places, gone): (Vec<usize>, Vec<usize>) = (0..set.frames().len()).partition(stays);
        dropped = gone.into_iter().map(|at| set.frames()[at].name().clone()).collect();
        set = set.replace_frames(&cleaned.set)?.take(&places, &HashMap::new());
        part = cleaned.set.take(&shown, &HashMap::new());
    }
    let before = part.clone();
    changes.extend(lower_shape(&options.shape, Defaults::PLAIN, cx)?);
    let done = Plan::new(changes).run(part, cx)?;
    let frames = frame_changes(&before, &done.set, &done.shifts);
    let set = set.replace_frames(&done.set)?;
    mended.extend(done.mended);
    Ok(Adjusted { set, mended, frames, covered: done.covered, dropped })
}

/// Stages the files of adjusted frames where they go; they are in place after [`Context::commit`]. Returns the folder, as the user would name it.
///
/// # Errors
/// If what was named isn't a set that could be changed in place, or a file can't be written.
pub fn stage_adjusted(
    set: FrameSet,
    source: &Path,
    target: &AdjustTarget,
    cx: &Context<'_>,
) -> Result<(PathBuf, Written), Error> {
    let _span = info_span!("write", frames = set.frames().len()).entered();
    let tick = cx.progress_counter(Task::Frames, set.frames().len());
    Ok(match target {
        AdjustTarget::Set(folder) => {
            (folder.clone(), encode::set(set, &cx.resolve(folder), cx.transaction(), tick)?)
        }
        AdjustTarget::InPlace => {
            let folder = folder_of_set(source, cx)?;
            let written = encode::set_in_place(set, &cx.resolve(&folder), cx.transaction(), tick)?;
            (folder, written)
        }
    })
}

fn frame_changes(before: &FrameSet, after: &FrameSet, shifts: &[Shift]) -> Vec<FrameAdjustment> {
    let pairs = before.frames().iter().zip(after.frames()).enumerate();
    pairs
        .map(|(at, (old, new))| FrameAdjustment {
            frame: new.clone(),
            changes: changes(old, new),
            shift: shifts.get(at).copied(),
        })
        .collect()
}

fn changes(old: &Frame, new: &Frame) -> Vec<ChangedProperty> {
    let (a, b) = (old.annotations(), new.annotations());
    let all = [
        (ChangedProperty::Pixels, !old.pixels().is_same_image(new.pixels())),
        (ChangedProperty::Canvas, old.canvas() != new.canvas()),
        (ChangedProperty::Inset, old.inset() != new.inset()),
        (ChangedProperty::Pivot, old.pivot() != new.pivot()),
        (ChangedProperty::Boxes, a.boxes != b.boxes),
        (ChangedProperty::Nine, a.nine != b.nine),
        (ChangedProperty::Polygon, a.polygon != b.polygon),
    ];
    all.into_iter().filter(|(_, is_new)| *is_new).map(|(what, _)| what).collect()
}
