//! All of *Shape* in its fixed order: marks, mirror, scale, align, canvas, trim, pivot, boxes, nine-slice, polygon,
//! places. Says what a person could not see otherwise: how far frames were moved, what did not match.

use shibori_core::shape::{
    AlignOptions, AlignTo, Anchor, BoxRule, CanvasRule, MatchWith, PivotPer, Resample, Shift, Trim,
    TrimScope, align, align_to_points, is_even, mirror, restore, scale, set_box, set_canvas, set_nine,
    set_pivot, set_places, set_polygons, take_marks, trim,
};
use shibori_core::{Area, Color, FrameSet, Mirror, Point, Rect, SetError};
use shibori_formats::read::places;

use crate::args::{AlignWithArg, MirrorArg, ResampleArg, ShapeArgs};
use crate::console::Console;
use crate::failure::Failure;

/// A shaped set, and how its frames were moved where they were lined up.
pub(super) struct Shaped {
    pub(super) set: FrameSet,
    pub(super) shifts: Vec<Shift>,
}

/// Runs all steps that are asked for. `trim_default` and `canvas_default` are what happens where nothing is said.
pub(super) fn shaped(
    set: FrameSet,
    args: &ShapeArgs,
    trim_default: TrimScope,
    canvas_default: Option<CanvasRule>,
    console: &Console,
) -> Result<Shaped, Failure> {
    no_box_twice(args)?;
    let (mut set, mut shifts) = with_marks(set, args)?;
    if let Some(way) = args.mirror {
        let how = match way {
            MirrorArg::LeftRight => Mirror::LeftRight,
            MirrorArg::UpDown => Mirror::UpDown,
        };
        set = mirror(set, how)?;
    }
    if let Some(factor) = args.scale {
        set = scaled(set, factor, args.resample, console)?;
    }
    if let Some(to) = args.align.filter(|to| !matches!(to, AlignTo::Mark(_))) {
        (set, shifts) = aligned(set, to, args)?;
    }
    if args.align != Some(AlignTo::Match) && (args.region.is_some() || args.align_reach.is_some()) {
        return Err(Failure::usage("--region and --align-reach say what --align match holds still")
            .with_hint("add --align match, or leave them out"));
    }
    say_shifts(&set, &shifts, console);
    set = placed(set, args, trim_default, canvas_default)?;
    set = with_boxes(set, args, console)?;
    if let Some(rule) = args.nine {
        set = set_nine(set, rule)?;
    }
    if let Some(corners) = args.polygon {
        set = set_polygons(set, corners, args.trim_alpha)?;
    }
    if let Some(list) = &args.places {
        set = set_places(set, &places(list)?)?;
    }
    if args.pivot.is_some() || args.places.is_some() {
        say_pivots_outside(&set, console);
    }
    Ok(Shaped { set, shifts })
}

fn no_box_twice(args: &ShapeArgs) -> Result<(), Failure> {
    let names: Vec<_> = args.boxes.iter().map(|spec| &spec.name).collect();
    let twice = (1..names.len()).find(|&at| names[..at].contains(&names[at]));
    twice.map_or(Ok(()), |at| {
        Err(Failure::usage(format!("--box: the box '{}' is given twice", names[at]))
            .with_hint("leave one out, or give it another name"))
    })
}

/// Takes registration marks before anything moves: lined up by them, and pivots on them.
fn with_marks(set: FrameSet, args: &ShapeArgs) -> Result<(FrameSet, Vec<Shift>), Failure> {
    let for_pivot = match args.pivot {
        Some(Anchor::Mark(color)) => Some(color),
        _ => None,
    };
    let for_align = match args.align {
        Some(AlignTo::Mark(color)) => Some(color),
        _ => None,
    };
    let on_points = |set: FrameSet, points: &[Option<Point>]| {
        set.map_frames(|at, frame| {
            Ok::<_, SetError>(points[at].map_or(frame.clone(), |point| frame.with_pivot(point)))
        })
    };
    let same = |color: Color| for_pivot == Some(color);
    let mut set = set;
    let mut shifts = Vec::new();
    if let Some(color) = for_align {
        let (erased, points) = take_marks(set, color)?;
        let before: Vec<_> = erased.frames().iter().map(shibori_core::Frame::pivot).collect();
        let (moved, told) = align_to_points(erased, &points)?;
        // The mark that frames are lined up by moved along with them, and the canvas may have grown before it.
        let grown = |at: usize, frame: &shibori_core::Frame| {
            (frame.pivot().x - before[at].x, frame.pivot().y - before[at].y)
        };
        let moved_points: Vec<Option<Point>> = (moved.frames().iter().enumerate())
            .map(|(at, frame)| {
                let (x, y) = grown(at, frame);
                let Shift { x: dx, y: dy, .. } = told[at];
                points[at].map(|point| Point::new(point.x + x + dx as f64, point.y + y + dy as f64))
            })
            .collect();
        set = if same(color) { on_points(moved, &moved_points)? } else { moved };
        shifts = told;
    }
    if let Some(color) = for_pivot.filter(|color| for_align != Some(*color)) {
        let (erased, points) = take_marks(set, color)?;
        set = on_points(erased, &points)?;
    }
    Ok((set, shifts))
}

fn scaled(set: FrameSet, factor: f64, how: ResampleArg, console: &Console) -> Result<FrameSet, Failure> {
    let how = how.how();
    let scaled = scale(set, factor, how)?;
    if how == Resample::Nearest && !is_even(factor) {
        let text = format!("--scale {factor} draws some pixels larger than others");
        let whole = factor.round().max(1.0);
        let hint = format!("use a whole factor such as {whole}, or --resample smooth for painted art");
        console.warn(&text, Some(&hint));
    }
    Ok(scaled)
}

fn aligned(set: FrameSet, to: AlignTo, args: &ShapeArgs) -> Result<(FrameSet, Vec<Shift>), Failure> {
    let region = match args.region.map(|area| (area, area.to_rect())) {
        None => None,
        Some((_, Some(rect))) => Some(rect),
        Some((area, None)) => {
            return Err(Failure::usage(format!("--region: {area} begins outside the canvas"))
                .with_hint("a region is x,y,width,height inside the first frame's canvas"));
        }
    };
    let with = match args.align_with {
        AlignWithArg::First => MatchWith::First,
        AlignWithArg::Previous => MatchWith::Previous,
    };
    Ok(align(set, &AlignOptions { to, region, with, reach: args.align_reach })?)
}

/// How each frame was moved: the numbers that an artist would have counted by eye.
fn say_shifts(set: &FrameSet, shifts: &[Shift], console: &Console) {
    for (frame, shift) in set.frames().iter().zip(shifts) {
        let name = format!("{}:{}", frame.sprite(), frame.name());
        let likeness = shift.likeness.map(|likeness| format!(", likeness {likeness:.2}")).unwrap_or_default();
        match shift {
            shift if shift.is_lost() => {
                let text = format!(
                    "{name}: no shift matches well (best likeness {:.2})",
                    shift.likeness.unwrap_or(0.0)
                );
                console
                    .warn(&text, Some("left where it is; choose another --region, or raise --align-reach"));
            }
            Shift { is_known: false, .. } => console.say(&format!("  {name}: stays (nothing to go by)")),
            Shift { x: 0, y: 0, .. } => console.say(&format!("  {name}: stays{likeness}")),
            Shift { x, y, .. } => console.say(&format!("  {name}: moved {x:+},{y:+} px{likeness}")),
        }
    }
}

/// Canvas, trim and pivot.
fn placed(
    set: FrameSet,
    args: &ShapeArgs,
    trim_default: TrimScope,
    canvas_default: Option<CanvasRule>,
) -> Result<FrameSet, Failure> {
    let scope = args.trim_scope().unwrap_or(trim_default);
    let how = Trim { scope, alpha: args.trim_alpha, border: args.trim_border };
    let pivoted = |set: FrameSet, per: PivotPer| match args.pivot {
        Some(anchor) => set_pivot(set, anchor, per),
        None => Ok(set),
    };
    let per = args.pivot_per();
    Ok(match args.canvas.or(canvas_default) {
        // Fitting forgets what is trimmed, so it comes after.
        Some(CanvasRule::Fit) => pivoted(set_canvas(trim(set, how)?, CanvasRule::Fit)?, per)?,
        // Canvases are put together by their pivots, so those are needed first, and measured again after. Frames
        // that never shared a canvas have no common ground yet: each its own.
        Some(rule) => {
            let set = set_canvas(pivoted(set, PivotPer::Frame)?, rule)?;
            let set = if scope == TrimScope::None { restore(set)? } else { trim(set, how)? };
            pivoted(set, per)?
        }
        None => pivoted(trim(set, how)?, per)?,
    })
}

fn with_boxes(mut set: FrameSet, args: &ShapeArgs, console: &Console) -> Result<FrameSet, Failure> {
    for spec in &args.boxes {
        let (changed, covered) = set_box(set, spec, f64::from(args.box_share) / 100.0)?;
        set = changed;
        for one in covered.iter().filter(|_| spec.rule == BoxRule::AutoClip) {
            let clip = set.first_clip_of(one.frame).map(|clip| clip.name().to_string());
            let whose = clip.unwrap_or_else(|| set.frames()[one.frame].sprite().to_string());
            let Area { width, height, .. } = one.area;
            let share = (one.share * 1000.0).floor() / 10.0;
            console.say(&format!(
                "  box {} of {whose}: {width}x{height} px covers {share:.1} % of the solid pixels",
                spec.name
            ));
        }
    }
    Ok(set)
}

/// A pivot outside the canvas is allowed, but seldom meant.
fn say_pivots_outside(set: &FrameSet, console: &Console) {
    let is_outside = |frame: &&shibori_core::Frame| {
        let (canvas, pivot) = (Rect::of(frame.canvas()), frame.pivot());
        pivot.x < 0.0
            || pivot.y < 0.0
            || pivot.x > f64::from(canvas.width)
            || pivot.y > f64::from(canvas.height)
    };
    let outside: Vec<_> = set.frames().iter().filter(is_outside).collect();
    if let Some(first) = outside.first() {
        let (count, canvas) = (crate::console::counted(outside.len(), "frame"), first.canvas());
        let text = format!(
            "{count} have their pivot outside the canvas, such as '{}': {} of {canvas} px",
            first.name(),
            first.pivot()
        );
        console.note(&text);
    }
}
