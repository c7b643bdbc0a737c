//! Figures that jump: a frame whose registered figure stands away from the path of its neighbors, seen from the pivot as a game sees it,
//! and a clip that slides and jumps back when it loops.

use crate::check::trajectory::Trajectory;
use crate::check::{Finding, Fix, Observation, Rule, Thresholds, clip_finding, median};
use crate::register::path::{self, JITTER_FACTOR};
use crate::{Frame, FrameSet, Point, UVec2};

/// A figure that stands elsewhere agrees this many times as well there as on the path: rings and flames agree about as well anywhere.
const CLEARLY: f64 = 1.15;
/// A figure that goes up and down by this many times the limit leaps.
const RISES: f64 = 3.0;
/// All that is drawn goes along with a figure that stands elsewhere, at least so far.
const WITH_MASS: f64 = 0.4;
/// A slide goes this many times as far as a figure may be off its path, and jumps back this many times as far as a usual step.
const SLIDES: f64 = 2.5;
const JUMPS_BACK: f64 = 2.5;

pub(super) fn find(set: &FrameSet, limits: &Thresholds, figures: &[Trajectory<'_>]) -> Vec<Finding> {
    figures.iter().flat_map(|figure| of_figure(set, limits, figure)).collect()
}

fn of_figure(set: &FrameSet, limits: &Thresholds, figure: &Trajectory<'_>) -> Vec<Finding> {
    let canvas = |&at: &usize| set.frames()[at].canvas();
    let side = figure.frames.iter().map(canvas).map(|size| size.width.max(size.height)).max().unwrap_or(0);
    let limit = limits.drift.unwrap_or_else(|| path::default_limit(side));
    let along = |axis: fn((f64, f64)) -> f64| -> Vec<Option<f64>> {
        figure.stands.iter().map(|stand| stand.map(axis)).collect()
    };
    let (across, down) = (along(|(x, _)| x), along(|(_, y)| y));
    if figure.loops
        && let Some(finding) = slide(figure, &across, &down, limit)
    {
        return vec![finding];
    }
    let shaken = path::jitter(&across, figure.loops, JITTER_FACTOR * limit);
    let shakes = shaken.is_some();
    let off_x = shaken.unwrap_or_else(|| path::path_deviations(&across, figure.loops));
    let off_y = path::path_deviations(&down, figure.loops);
    let masses = figure.masses(set);
    let mass = |axis: fn(Point) -> f64| {
        let along: Vec<Option<f64>> = masses.iter().map(|mass| mass.map(axis)).collect();
        path::midpoint_deviations(&along, figure.loops)
    };
    let (mass_x, mass_y) = (mass(|mass| mass.x), mass(|mass| mass.y));
    let far = |at: usize| off_x[at].abs().max(off_y[at].abs());
    // What shakes does not leap.
    let keeps_height = !shakes && moves_vertically(&down, &off_y, limit);
    let mut findings = Vec::new();
    for (at, &number) in figure.frames.iter().enumerate() {
        let is_told = findings.iter().any(|finding: &Finding| finding.frame == number);
        if far(at) <= limit || is_told {
            continue;
        }
        let off = (off_x[at].round() as i64, off_y[at].round() as i64);
        let goes_along = |off: f64, mass: Option<f64>| {
            off.abs() <= limit || mass.is_some_and(|mass| mass * off.signum() >= WITH_MASS * off.abs())
        };
        let is_carried = goes_along(off_x[at], mass_x[at]) && goes_along(off_y[at], mass_y[at]);
        if !is_carried || !figure.is_distinct(set, number, off, CLEARLY) {
            continue;
        }
        let beyond = |pixels: f64| if pixels.abs() > limit { pixels } else { 0.0 };
        let seen = Observation::Moved { right: beyond(off_x[at]), down: beyond(off_y[at]) };
        let fix = Fix::LineUp { keeps_height: keeps_height && off_y[at].abs() <= limit };
        let finding = clip_finding(figure.clip, number, Rule::Drift, seen, fix);
        findings.push(Finding {
            at: content_origin(&set.frames()[number]),
            value: far(at),
            limit,
            ..finding
        });
    }
    findings
}

/// Where a person looks: the top left of what is drawn.
fn content_origin(frame: &Frame) -> Option<UVec2> {
    frame.content(0).map(|rect| UVec2 { x: rect.x, y: rect.y })
}

/// Whether the figure moves up and down on its own, where it does not jump.
fn moves_vertically(down: &[Option<f64>], off: &[f64], limit: f64) -> bool {
    let own = || down.iter().zip(off).filter(|(_, off)| **off == 0.0).filter_map(|(down, _)| *down);
    let (low, high) = (own().fold(f64::MAX, f64::min), own().fold(f64::MIN, f64::max));
    high - low > RISES * limit
}

/// A clip whose figure goes one way throughout and is back at once when it begins again.
fn slide(
    figure: &Trajectory<'_>,
    across: &[Option<f64>],
    down: &[Option<f64>],
    limit: f64,
) -> Option<Finding> {
    let of_axis = |values: &[Option<f64>]| -> f64 {
        let known: Vec<f64> = values.iter().copied().flatten().collect();
        let (Some(&first), Some(&last)) = (known.first(), known.last()) else { return 0.0 };
        let steps: Vec<f64> = known.windows(2).map(|pair| pair[1] - pair[0]).collect();
        let way = last - first;
        let usual = median(steps.iter().map(|step| step.abs()).collect());
        let goes_on = |step: &&f64| **step * way > 0.0 && step.abs() >= usual / 2.0;
        let is_steady = steps.iter().filter(goes_on).count() * 4 >= steps.len() * 3 && steps.len() >= 2;
        let is_far = way.abs() > SLIDES * limit && way.abs() > JUMPS_BACK * usual;
        if is_steady && is_far { way } else { 0.0 }
    };
    let (right, below) = (of_axis(across), of_axis(down));
    let last = *figure.frames.last()?;
    let far = right.abs().max(below.abs());
    let fix = Fix::LineUp { keeps_height: below == 0.0 };
    let finding =
        clip_finding(figure.clip, last, Rule::Drift, Observation::Slides { right, down: below }, fix);
    (far > 0.0).then_some(Finding { value: far, limit, ..finding })
}
