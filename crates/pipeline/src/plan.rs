//! Everything that changes frames, in the one order in which it is done, whatever the order of options.
//!
//! A [`Plan`] is filled from options by a step and run on a set; nothing else decides an order. Whatever is measured on a
//! drawing (pivot, boxes, nine-slice, polygon, registration marks) follows every later change, so that options given together do what
//! they do one after the other.

use std::collections::HashMap;
use std::path::PathBuf;

use shibori_core::clean::{
    CanvasView, CleanResult, KeyColors, KeyScope, clean_frames, clear_edge, defringe, erase, harden, key,
    specks,
};
use shibori_core::clip::{ClipSpec, EventSpec, RowList, add_clips, set_events};
use shibori_core::shape::{
    AlignOptions, AlignTo, Anchor, BoxRule, BoxSpec, CanvasRule, Coverage, FrameOverride, FrameOverrides,
    NineRule, OverrideKind, PivotPer, PlannedShifts, Resample, ScaleRule, Shift, Trim, TrimScope, align,
    apply_overrides, coregister_pivots, fit_factors, forget_marks, mirror, placement_checksum, plan_shifts,
    restore, scale_each, set_box, set_canvas, set_nine, set_pivot, set_polygons, take_marks, trim,
};
use shibori_core::{
    Color, Frame, FrameSet, Lease, Mirror, Name, NameTemplate, Point, Ratio, Rect, SignedRect, Size, parallel,
};
use tracing::debug;

use crate::{Context, Error, LimitError, Notice, SheetError, SizeCause};

/// One change of frames. They are listed in the order in which they are done.
#[derive(Clone, Debug)]
pub enum Change {
    /// Make a background transparent, in each canvas on its own. On a sheet this is done before it is cut.
    Key {
        /// The colors.
        colors: KeyColors,
        /// Where they go.
        scope: KeyScope,
    },
    /// Find and erase registration marks of a color, and note where they were.
    TakeMarks(Color),
    /// Empty parts of every canvas.
    Erase(Vec<SignedRect>),
    /// Empty the outermost pixels of every canvas.
    ClearEdge(u32),
    /// Remove stray groups of up to this many pixels.
    Specks(u32),
    /// Take the share of a background of these colors out of edge pixels.
    Defringe(Vec<Color>),
    /// Make pixels from this alpha on solid, all others clear.
    Harden(u8),
    /// Name frames, and add clips to them.
    Name(Naming),
    /// Mirror each frame in place.
    Mirror(Mirror),
    /// Make all frames larger or smaller by one factor.
    Scale(ScaleRule, Resample),
    /// Hold a point of the drawing still through each clip.
    Align(AlignOptions),
    /// Put frames that never shared a canvas on one, by this point of each.
    Coregister(Option<Anchor>),
    /// Move drawings frame by frame, as a list says.
    Shift(Vec<FrameOverride>),
    /// Set the pivot.
    Pivot(Anchor, PivotPer),
    /// Put frames on a canvas of this size, held together by their pivots.
    Canvas(CanvasRule),
    /// Keep only what shows.
    Trim(Trim),
    /// Make each canvas what its frame keeps.
    FitCanvas,
    /// Set a pivot that is a place of the canvas again, since the canvas is another one.
    PlacePivot(Anchor, PivotPer),
    /// Set a box; one for a clip covers at least this share of its solid pixels.
    Box(BoxSpec, f64),
    /// Set where panels stretch.
    Nine(NineRule),
    /// Cover drawings with a polygon of at most this many corners, taking pixels up to an alpha as empty.
    Polygon(u32, u8),
    /// Move finished drawings and set pivots, boxes and nine-slices frame by frame, as this file says.
    Override(PathBuf, FrameOverrides),
    /// Take the notes of registration marks away.
    ForgetMarks,
}

/// Pixels of memory for each of a canvas that is registered: votes and planes of numbers, transformed.
pub(crate) const REGISTERING: u64 = 6;

/// Pixels of memory for each that is scaled across by weights: four numbers of 32 bits.
const SMOOTHING: u64 = 4;

/// The pivot where nothing is said.
const CENTER: Anchor = Anchor::Fraction(Point { x: 0.5, y: 0.5 });

/// How frames are named, and the clips that are added.
#[derive(Clone, Debug, Default)]
pub struct Naming {
    /// The template; none leaves the names.
    pub template: Option<NameTemplate>,
    /// The number of the first frame.
    pub first: u32,
    /// Clips that are the sheet's rows.
    pub rows: Option<RowList>,
    /// How many rows a sprite's sheet has, where that is known.
    pub sheet_rows: HashMap<Name, u32>,
    /// Clips.
    pub clips: Vec<ClipSpec>,
    /// Marks on their steps.
    pub events: Vec<EventSpec>,
}

impl Change {
    /// Its place in the order.
    fn rank(&self) -> u8 {
        match self {
            Self::Key { .. } => 0,
            Self::TakeMarks(_) => 1,
            Self::Erase(_) => 2,
            Self::ClearEdge(_) => 3,
            Self::Specks(_) => 4,
            Self::Defringe(_) => 5,
            Self::Harden(_) => 6,
            Self::Name(_) => 7,
            Self::Mirror(_) => 8,
            Self::Scale(..) => 9,
            Self::Align(_) => 10,
            Self::Coregister(_) => 11,
            Self::Shift(_) => 12,
            Self::Pivot(..) => 13,
            Self::Canvas(_) => 14,
            Self::Trim(_) => 15,
            Self::FitCanvas => 16,
            Self::PlacePivot(..) => 17,
            Self::Box(..) => 18,
            Self::Nine(_) => 19,
            Self::Polygon(..) => 20,
            Self::Override(..) => 21,
            Self::ForgetMarks => 22,
        }
    }
}

/// Changes in their order.
#[derive(Clone, Debug, Default)]
pub struct Plan {
    changes: Vec<Change>,
}

/// What a plan did.
#[derive(Clone, Debug, Default)]
pub struct PlanOutcome {
    /// The frames now.
    pub set: FrameSet,
    /// What each step of mending changed.
    pub mended: Vec<CleanReport>,
    /// How each frame was moved where frames were lined up; else empty.
    pub shifts: Vec<Shift>,
    /// What boxes of whole clips cover.
    pub covered: Vec<BoxCover>,
}

/// What one step of mending changed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CleanReport {
    /// Which step.
    pub step: CleanStep,
    /// Pixels.
    pub pixels: u64,
    /// Frames with at least one of them; not said of a step on a whole sheet, before there are frames.
    pub frames: Option<usize>,
}

/// A step of mending, with its number.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum CleanStep {
    /// A background was made transparent.
    Key(KeyColors),
    /// So many parts of every canvas were emptied.
    Erase(usize),
    /// The edge of every canvas was emptied.
    ClearEdge(u32),
    /// Stray groups were removed.
    Specks(u32),
    /// The share of these colors was taken out of the edges.
    Defringe(Vec<Color>),
    /// Alpha was made all or nothing.
    Harden(u8),
}

/// What a box of a whole clip covers.
#[derive(Clone, Debug, PartialEq)]
pub struct BoxCover {
    /// The box.
    pub name: Name,
    /// The clip, or the sprite of frames that are in none.
    pub of: Name,
    /// The box, and the share of solid pixels in it.
    pub coverage: Coverage,
}

impl Plan {
    /// A plan of these changes, put in their order. Changes of one kind stay as they were given.
    pub fn new(mut changes: Vec<Change>) -> Self {
        changes.sort_by_key(Change::rank);
        Self { changes }
    }

    /// Makes all changes.
    ///
    /// # Errors
    /// If one can't be made; then nothing was.
    pub fn run(self, set: FrameSet, cx: &Context<'_>) -> Result<PlanOutcome, Error> {
        let mut done = PlanOutcome { set, ..PlanOutcome::default() };
        let mut may_be_outside = false;
        for change in self.changes {
            debug!(?change, frames = done.set.frames().len());
            may_be_outside |= matches!(change, Change::Pivot(..) | Change::Override(..));
            apply(&mut done, change, cx)?;
        }
        if may_be_outside {
            tell_of_pivots_outside(&done.set, cx);
        }
        Ok(done)
    }
}

/// Moves drawings, if there is room for the canvases that grow with them.
fn apply_shifts(
    done: &mut PlanOutcome,
    set: FrameSet,
    planned: PlannedShifts,
    cx: &Context<'_>,
) -> Result<FrameSet, Error> {
    let mut pixels = 0u64;
    for (frame, canvas) in set.frames().iter().zip(&planned.canvases) {
        check_frame_size(frame, *canvas, SizeCause::Shift, cx)?;
        pixels = pixels.saturating_add(canvas.area());
    }
    let _room = cx.check_memory(SizeCause::Shift, pixels)?;
    let before = canvases(&set);
    let (moved, shifts) = planned.apply(set)?;
    note_grown(&before, &moved, cx);
    done.shifts = match &done.shifts[..] {
        [] => shifts,
        before => before.iter().zip(shifts).map(|(before, shift)| before.and(shift)).collect(),
    };
    Ok(moved)
}

fn apply(done: &mut PlanOutcome, change: Change, cx: &Context<'_>) -> Result<(), Error> {
    let set = std::mem::take(&mut done.set);
    let _room = check_change_memory(&set, &change, cx)?;
    done.set = match change {
        Change::Key { colors, scope } => apply_key(done, set, &colors, scope)?,
        Change::TakeMarks(color) => take_marks(set, color)?,
        Change::Erase(areas) => {
            run_clean_step(done, set, CleanStep::Erase(areas.len()), |part| erase(part, &areas))?
        }
        Change::ClearEdge(width) => {
            run_clean_step(done, set, CleanStep::ClearEdge(width), |part| clear_edge(part, width))?
        }
        Change::Specks(most) => {
            run_clean_step(done, set, CleanStep::Specks(most), |part| specks(part.pixels, most))?
        }
        Change::Defringe(colors) => {
            let step = CleanStep::Defringe(colors.clone());
            run_clean_step(done, set, step, |part| defringe(part.pixels, &colors))?
        }
        Change::Harden(from) => {
            run_clean_step(done, set, CleanStep::Harden(from), |part| harden(part.pixels, from))?
        }
        Change::Name(naming) => named(set, &naming, cx)?,
        Change::Mirror(how) => mirror(set, how)?,
        Change::Scale(rule, how) => scaled(set, rule, how, cx)?,
        Change::Align(options) => {
            let before = canvases(&set);
            let (moved, shifts) = align(set, &options)?;
            note_grown(&before, &moved, cx);
            warn_unmatched(&moved, &shifts, cx);
            done.shifts = shifts;
            moved
        }
        Change::Shift(lines) => {
            let shifts = plan_shifts(&set, &lines, OverrideKind::shift)?;
            apply_shifts(done, set, shifts, cx)?
        }
        Change::Coregister(anchor) => {
            let pivoted = match anchor {
                None | Some(Anchor::Feet) => {
                    let (standing, together) = coregister_pivots(set)?;
                    cx.notify(Notice::Coregistration(together));
                    standing
                }
                Some(anchor) => set_pivot(set, anchor, PivotPer::Frame)?,
            };
            let common = set_canvas(pivoted, CanvasRule::Common)?;
            check_frame_sizes(&common, SizeCause::Gather, cx)?;
            match anchor {
                // What is not said is the middle of the canvas, here as elsewhere.
                None => set_pivot(common, CENTER, PivotPer::Frame)?,
                Some(_) => common,
            }
        }
        Change::Pivot(anchor, per) | Change::PlacePivot(anchor, per) => set_pivot(set, anchor, per)?,
        Change::Canvas(rule) => {
            let placed = set_canvas(set, rule)?;
            check_frame_sizes(&placed, SizeCause::Canvas, cx)?;
            placed
        }
        Change::Trim(how) if how.scope == TrimScope::None => restore(set)?,
        Change::Trim(how) => trim(set, how)?,
        Change::FitCanvas => set_canvas(set, CanvasRule::Fit)?,
        Change::Box(spec, share) => apply_box(done, set, &spec, share)?,
        Change::Nine(rule) => set_nine(set, rule)?,
        Change::Polygon(corners, alpha) => set_polygons(set, corners, alpha)?,
        Change::Override(file, list) if list.done == Some(placement_checksum(&set)) => {
            cx.notify(Notice::AlreadyApplied { file });
            set
        }
        Change::Override(_, FrameOverrides { lines, .. }) => {
            let moved = match lines.iter().any(|line| line.kind.movement().is_some()) {
                true => {
                    let shifts = plan_shifts(&set, &lines, OverrideKind::movement)?;
                    apply_shifts(done, set, shifts, cx)?
                }
                false => set,
            };
            apply_overrides(moved, &lines)?
        }
        Change::ForgetMarks => forget_marks(set)?,
    };
    cx.charge(&done.set);
    Ok(())
}

/// Takes memory for what a change makes of the frames, as long as it takes.
fn check_change_memory(set: &FrameSet, change: &Change, cx: &Context<'_>) -> Result<Option<Lease>, Error> {
    let kept = |frame: &Frame| frame.pixels().size().area();
    let canvas = |frame: &Frame| frame.canvas().area();
    let all = |pixels: &dyn Fn(&Frame) -> u64| set.frames().iter().map(pixels).fold(0, u64::saturating_add);
    let largest = || set.frames().iter().map(canvas).max().unwrap_or(0);
    let held = match change {
        Change::Align(options) if options.to == AlignTo::Match => {
            cx.check_memory(SizeCause::Change, largest().saturating_mul(REGISTERING))
        }
        Change::Key { .. }
        | Change::TakeMarks(_)
        | Change::Erase(_)
        | Change::ClearEdge(_)
        | Change::Specks(_)
        | Change::Defringe(_)
        | Change::Harden(_)
        | Change::Mirror(_) => cx.check_memory(SizeCause::Change, all(&kept)),
        Change::Trim(how) if how.scope == TrimScope::None => {
            cx.check_memory(SizeCause::Restore, all(&canvas))
        }
        Change::Trim(how) if how.scope != TrimScope::Frame => {
            cx.check_memory(SizeCause::Change, all(&canvas))
        }
        _ => return Ok(None),
    };
    held.map(Some)
}

/// Scales frames, after holding what they become to the limits.
fn scaled(set: FrameSet, rule: ScaleRule, how: Resample, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let factors: Vec<(Name, Ratio)> = match rule {
        ScaleRule::By(factor) => set.sprites().into_iter().map(|sprite| (sprite.clone(), factor)).collect(),
        ScaleRule::Fit(room) => fit_factors(&set, room, how),
    };
    if let ScaleRule::Fit(_) = rule {
        for (sprite, factor) in &factors {
            cx.notify(Notice::FittedScale { sprite: sprite.clone(), factor: *factor });
        }
    }
    if let Some((_, factor)) =
        factors.iter().find(|(_, factor)| how == Resample::Nearest && !factor.is_integer_or_inverse())
    {
        cx.notify(Notice::UnevenScale { factor: *factor });
    }
    let mut pixels = 0u64;
    let of: HashMap<&Name, Ratio> = factors.iter().map(|(sprite, factor)| (sprite, *factor)).collect();
    for frame in set.frames() {
        let factor = of.get(frame.sprite()).copied().unwrap_or(Ratio::ONE);
        let size =
            Size::new(factor.scale_length(frame.canvas().width), factor.scale_length(frame.canvas().height));
        check_frame_size(frame, size, SizeCause::Scale, cx)?;
        pixels = pixels.saturating_add(size.area());
    }
    if how == Resample::Smooth {
        // Rows that are scaled across and not yet down, of the frames that are worked on side by side.
        let rows = |frame: &Frame| {
            let factor = of.get(frame.sprite()).copied().unwrap_or(Ratio::ONE);
            u64::from(factor.scale_length(frame.canvas().width)) * u64::from(frame.canvas().height)
        };
        let most = set.frames().iter().map(rows).max().unwrap_or(0);
        let side_by_side = parallel::threads().min(set.frames().len()) as u64;
        pixels = pixels.saturating_add(most.saturating_mul(SMOOTHING * side_by_side));
    }
    let _room = cx.check_memory(SizeCause::Scale, pixels)?;
    Ok(scale_each(set, &factors, how)?)
}

/// Holds pictures that are made to the limit for pictures that are read, before anything of their size is asked of the system.
fn check_frame_sizes(set: &FrameSet, by: SizeCause, cx: &Context<'_>) -> Result<(), Error> {
    set.frames().iter().try_for_each(|frame| check_frame_size(frame, frame.canvas(), by, cx))
}

pub(crate) fn check_frame_size(
    frame: &Frame,
    size: Size,
    by: SizeCause,
    cx: &Context<'_>,
) -> Result<(), Error> {
    let limit = cx.limits().pixels;
    match size.area() > limit {
        true => Err(Error::Limit(LimitError::TooLarge { by, frame: frame.name().clone(), size, limit })),
        false => Ok(()),
    }
}

fn run_clean_step(
    done: &mut PlanOutcome,
    set: FrameSet,
    step: CleanStep,
    change: impl Fn(CanvasView<'_>) -> CleanResult + Sync,
) -> Result<FrameSet, Error> {
    let (set, changed) = clean_frames(set, change)?;
    done.mended.push(CleanReport { step, pixels: changed.pixels, frames: Some(changed.frames) });
    Ok(set)
}

fn apply_key(
    done: &mut PlanOutcome,
    set: FrameSet,
    colors: &KeyColors,
    scope: KeyScope,
) -> Result<FrameSet, Error> {
    let set = run_clean_step(done, set, CleanStep::Key(colors.clone()), |part| {
        let keyed = key(part.pixels, colors, scope, &[]);
        (keyed.pixels > 0).then_some((keyed.image, keyed.pixels))
    })?;
    match done.mended.last() {
        Some(CleanReport { pixels: 0, .. }) => Err(Error::Sheet(SheetError::KeyNowhere {
            sheet: None,
            colors: colors.clone(),
            enclosed: 0,
            background: None,
        })),
        _ => Ok(set),
    }
}

/// Names that depend on clips come after them, all others before, so that clips can be chosen by name.
fn named(set: FrameSet, naming: &Naming, cx: &Context<'_>) -> Result<FrameSet, Error> {
    let Naming { template, first, rows, sheet_rows, clips, events } = naming;
    let with_clips = |set: FrameSet| -> Result<FrameSet, Error> {
        let rows = match rows {
            Some(list) => {
                let found = list.specs(&set, |sprite| sheet_rows.get(sprite).copied())?;
                found.empty.into_iter().for_each(|row| cx.notify(Notice::EmptyRow(row)));
                found.specs
            }
            None => Vec::new(),
        };
        let set = add_clips(add_clips(set, &rows)?, clips)?;
        Ok(set_events(set, events)?)
    };
    match template {
        Some(template) if template.uses_clips() => Ok(template.rename(with_clips(set)?, *first)?),
        Some(template) => with_clips(template.rename(set, *first)?),
        None => with_clips(set),
    }
}

fn canvases(set: &FrameSet) -> Vec<Size> {
    set.frames().iter().map(Frame::canvas).collect()
}

/// Notes that canvases grew to keep moved drawings whole.
fn note_grown(before: &[Size], moved: &FrameSet, cx: &Context<'_>) {
    let pairs = before.iter().copied().zip(canvases(moved));
    let mut grown = pairs.filter(|(before, now)| before != now);
    if let Some((from, to)) = grown.next() {
        cx.notify(Notice::MovedOver { frames: 1 + grown.count(), from, to });
    }
}

fn apply_box(done: &mut PlanOutcome, set: FrameSet, spec: &BoxSpec, share: f64) -> Result<FrameSet, Error> {
    let (set, covered) = set_box(set, spec, share)?;
    for coverage in covered.into_iter().filter(|_| spec.rule == BoxRule::AutoClip) {
        let clip = set.first_clip_of(coverage.frame).map(|clip| clip.name().clone());
        let of = clip.unwrap_or_else(|| set.frames()[coverage.frame].sprite().clone());
        done.covered.push(BoxCover { name: spec.name.clone(), of, coverage });
    }
    Ok(set)
}

fn warn_unmatched(set: &FrameSet, shifts: &[Shift], cx: &Context<'_>) {
    for (frame, shift) in set.frames().iter().zip(shifts).filter(|(_, shift)| shift.is_lost) {
        let (sprite, frame) = (frame.sprite().clone(), frame.name().clone());
        cx.notify(Notice::NoMatch { sprite, frame, likeness: shift.likeness.unwrap_or(0.0) });
    }
    for sprite in set.sprites() {
        let own = set.frames_of(sprite).iter();
        let doubtful: Vec<usize> = own.copied().filter(|&at| shifts[at].is_doubtful()).collect();
        if let Some(&first) = doubtful.first() {
            let likeness = shifts[first].likeness.unwrap_or(0.0);
            let (sprite, first) = (sprite.clone(), set.frames()[first].name().clone());
            cx.notify(Notice::PoorMatch { sprite, frames: doubtful.len(), first, likeness });
        }
    }
}

/// A pivot outside the canvas is allowed, but seldom meant.
fn tell_of_pivots_outside(set: &FrameSet, cx: &Context<'_>) {
    let is_outside = |frame: &&Frame| {
        let (canvas, pivot) = (Rect::of(frame.canvas()), frame.pivot());
        pivot.x < 0.0
            || pivot.y < 0.0
            || pivot.x > f64::from(canvas.width)
            || pivot.y > f64::from(canvas.height)
    };
    let mut outside = set.frames().iter().filter(is_outside);
    if let Some(first) = outside.next() {
        let (pivot, canvas) = (first.pivot(), first.canvas());
        let notice =
            Notice::PivotsOutside { frames: 1 + outside.count(), first: first.name().clone(), pivot, canvas };
        cx.notify(notice);
    }
}
