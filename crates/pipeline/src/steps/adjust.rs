//! Frames that are cut already, cleaned and lined up.

use std::path::{Path, PathBuf};

use shibori_core::clip::Clip;
use shibori_core::shape::Shift;
use shibori_core::{Frame, FrameSet, apart, clips_sharing_frames};
use shibori_formats::encode;
use shibori_formats::store::Written;
use tracing::info_span;

use crate::options::AdjustOptions;
use crate::order::{BoxCover, CleanReport, Plan};
use crate::steps::changes::{Defaults, cleaning, marks, shaping};
use crate::steps::loading::{folder_of_set, load_whole};
use crate::{ClipsError, Context, Error, Source, Task};

/// Where adjusted frames go.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Target {
    /// A set in this folder.
    Set(PathBuf),
    /// The set itself.
    InPlace,
}

/// Adjusted frames, and what is not as it was.
#[derive(Clone, Debug)]
pub struct Adjusted {
    /// All frames, those that were not meant too.
    pub set: FrameSet,
    /// What each step of mending changed.
    pub mended: Vec<CleanReport>,
    /// The frames that were meant, in their order.
    pub frames: Vec<FrameChange>,
    /// What boxes of whole clips cover.
    pub covered: Vec<BoxCover>,
}

/// What became of one frame.
#[derive(Clone, Debug)]
pub struct FrameChange {
    /// The frame as it is now.
    pub frame: Frame,
    /// What is not as it was.
    pub changes: Vec<What>,
    /// How it was moved where frames were lined up.
    pub shift: Option<Shift>,
}

/// Something of a frame.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum What {
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
/// Where the source can't be read, or a change can't be made.
pub fn adjust(source: &Source, options: &AdjustOptions, cx: &Context<'_>) -> Result<Adjusted, Error> {
    let set = load_whole(source, cx)?;
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
        set = apart(&set, &part)?;
        part = options.only.of(set.clone())?;
    }
    let before = part.clone();
    let mut changes = marks(&options.shape);
    changes.extend(cleaning(&part, &options.clean)?);
    changes.extend(shaping(&options.shape, Defaults::PLAIN, cx)?);
    let done = Plan::new(changes).run(part, cx)?;
    let frames = reports(&before, &done.set, &done.shifts);
    let set = set.replacing(&done.set)?;
    Ok(Adjusted { set, mended: done.mended, frames, covered: done.covered })
}

/// Writes adjusted frames where they go; gives the folder, as the user would name it.
///
/// # Errors
/// Where what was named isn't a set that could be changed in place, or a file can't be written.
pub fn write_adjusted(
    set: FrameSet,
    source: &Path,
    target: &Target,
    cx: &Context<'_>,
) -> Result<(PathBuf, Written), Error> {
    let _span = info_span!("write", frames = set.frames().len()).entered();
    let tick = cx.counter(Task::Frames, set.frames().len());
    Ok(match target {
        Target::Set(folder) => (folder.clone(), encode::set(set, &cx.at(folder), cx.run(), tick)?),
        Target::InPlace => {
            let folder = folder_of_set(source, cx)?;
            let written = encode::set_in_place(set, &cx.at(&folder), cx.run(), tick)?;
            (folder, written)
        }
    })
}

fn reports(before: &FrameSet, after: &FrameSet, shifts: &[Shift]) -> Vec<FrameChange> {
    let pairs = before.frames().iter().zip(after.frames()).enumerate();
    pairs
        .map(|(at, (old, new))| FrameChange {
            frame: new.clone(),
            changes: changes(old, new),
            shift: shifts.get(at).copied(),
        })
        .collect()
}

fn changes(old: &Frame, new: &Frame) -> Vec<What> {
    let (a, b) = (old.annotations(), new.annotations());
    let all = [
        (What::Pixels, !old.pixels().looks_like(new.pixels())),
        (What::Canvas, old.canvas() != new.canvas()),
        (What::Inset, old.inset() != new.inset()),
        (What::Pivot, old.pivot() != new.pivot()),
        (What::Boxes, a.boxes != b.boxes),
        (What::Nine, a.nine != b.nine),
        (What::Polygon, a.polygon != b.polygon),
    ];
    all.into_iter().filter(|(_, is_new)| *is_new).map(|(what, _)| what).collect()
}
