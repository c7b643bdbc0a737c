//! Frames that were cut out by their outlines, put where they belong to each other: by the figure where they make a clip, by the middle of
//! their lower edge where they do not. Frames of a row drawn on one ground line keep their height above it, so that a fallen figure
//! doesn't float.
//!
//! Only sets pivots; the canvas that holds frames together by those is [`set_canvas`](crate::shape::set_canvas)'s.

use std::collections::BTreeMap;

use crate::register::{Registration, register};
use crate::shape::points::feet;
use crate::{Frame, FrameSet, Point, Rect, SetError};

/// The drawings of a clip are one figure where they agree so far.
const ONE_FIGURE: f64 = 0.25;
/// The least that any of them agrees.
const EACH: f64 = 0.1;
/// Lower edges this many pixels apart are on one line.
const SAME_LINE: u32 = 1;

/// How frames were put together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(rename_all = "snake_case"))]
pub struct Coregistration {
    /// Frames whose figure was registered with the others of their clip.
    pub by_figure: usize,
    /// Frames placed by the middle of their lower edge.
    pub by_feet: usize,
    /// How many of them all are placed vertically by the ground line of their row on the sheet.
    pub on_ground: usize,
}

/// Sets each frame's pivot so that frames whose pivots are on one point show one figure standing still: on the ground line of the clip, in
/// the middle of its feet. Frames of no clip, and clips of different drawings, stand on the middle of their own lower edge. A clip of one row
/// of the sheet stands on the ground line of that row, if it has one.
///
/// # Errors
/// None that a set can have; names do not change.
pub fn coregister_pivots(set: FrameSet) -> Result<(FrameSet, Coregistration), SetError> {
    let mut pivots: Vec<Point> = set.frames().iter().map(bottom_center).collect();
    let mut done = Coregistration::default();
    for group in clips(&set) {
        let frames: Vec<&Frame> = group.iter().map(|&at| &set.frames()[at]).collect();
        let places = register(&frames, &[(0..frames.len()).collect()], None);
        if is_same_subject(&places) {
            done.by_figure += group.len();
            let ground = ground_point(&frames, &places);
            for (&at, place) in group.iter().zip(&places) {
                if let (Some(ground), Some(Registration { offset: (x, y), .. })) = (ground, *place) {
                    pivots[at] = Point::new(ground.x - x as f64, ground.y - y as f64);
                }
            }
        }
        if let Some(ground) = row_ground(&frames) {
            done.on_ground += group.len();
            for (&at, frame) in group.iter().zip(&frames) {
                let Some((rect, scale)) = rect_on_sheet(frame) else { continue };
                pivots[at].y = ((f64::from(ground) - f64::from(rect.y)) * scale).round();
            }
        }
    }
    done.by_feet = set.frames().len() - done.by_figure;
    Ok((set.map_frames(|at, frame| Ok::<_, SetError>(frame.with_pivot(pivots[at])))?, done))
}

fn bottom_center(frame: &Frame) -> Point {
    Point::new(f64::from(frame.canvas().width) / 2.0, f64::from(frame.canvas().height))
}

/// Where a frame was on the sheet, and its scale since, if its canvas still is what was cut.
fn rect_on_sheet(frame: &Frame) -> Option<(Rect, f64)> {
    let (rect, canvas) = (frame.source()?.rect?, frame.canvas());
    let scale = f64::from(canvas.height) / f64::from(rect.height);
    // Scaled sides are rounded.
    let is_whole = (f64::from(rect.width) * scale - f64::from(canvas.width)).abs() <= scale.max(1.0);
    is_whole.then_some((rect, scale))
}

/// The line on which the drawings of one row of a sheet stand: at least half of them end there, and fewer share an upper
/// edge. Drawings lined up by their upper edges were packed, not drawn on a ground.
fn row_ground(frames: &[&Frame]) -> Option<u32> {
    let first = frames.first()?.source()?;
    let row = first.cell?.row;
    let is_beside = |frame: &&Frame| {
        frame
            .source()
            .is_some_and(|own| own.file == first.file && own.cell.is_some_and(|cell| cell.row == row))
    };
    let rects: Option<Vec<Rect>> =
        frames.iter().map(|frame| Some(rect_on_sheet(frame).filter(|_| is_beside(frame))?.0)).collect();
    let rects = rects?;
    let (_, level) = shared_line(&rects.iter().map(|rect| rect.y).collect::<Vec<u32>>());
    let (ground, standing) =
        shared_line(&rects.iter().map(|rect| rect.y + rect.height).collect::<Vec<u32>>());
    (standing > level && standing * 2 >= rects.len()).then_some(ground)
}

/// The line that most of them are on, the lowest if there are several, and how many are.
fn shared_line(lines: &[u32]) -> (u32, usize) {
    let near = |line: u32| lines.iter().filter(|other| other.abs_diff(line) <= SAME_LINE).count();
    lines.iter().map(|&line| (near(line), line)).max().map_or((0, 0), |(count, line)| (line, count))
}

/// The frames of each clip. Those in none may be anything, and are left out.
fn clips(set: &FrameSet) -> Vec<Vec<usize>> {
    let mut groups: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for at in 0..set.frames().len() {
        if let Some(clip) = set.index().first_clip_of(at) {
            groups.entry(clip).or_default().push(at);
        }
    }
    groups.into_values().collect()
}

fn is_same_subject(places: &[Option<Registration>]) -> bool {
    let mut agreements: Vec<f64> = places.iter().flatten().map(|place| place.agreement).collect();
    agreements.sort_by(f64::total_cmp);
    let (least, middle) = (agreements.first(), agreements.get(agreements.len() / 2));
    agreements.len() > 1
        && least.is_some_and(|&least| least >= EACH)
        && middle.is_some_and(|&middle| middle >= ONE_FIGURE)
}

/// The middle of the registered figure's feet, on the lowest line that any frame reaches, in the first frame's place.
fn ground_point(frames: &[&Frame], places: &[Option<Registration>]) -> Option<Point> {
    let stand = |(frame, place): (&&Frame, &Option<Registration>)| {
        let (feet, (x, y)) = (feet(frame)?, (*place)?.offset);
        Some(Point::new(feet.x + x as f64, feet.y + y as f64))
    };
    let stands: Vec<Point> = frames.iter().zip(places).filter_map(stand).collect();
    let mut across: Vec<f64> = stands.iter().map(|stand| stand.x).collect();
    across.sort_by(f64::total_cmp);
    let lowest = stands.iter().map(|stand| stand.y).fold(f64::MIN, f64::max);
    Some(Point::new(*across.get(across.len() / 2)?, lowest))
}
