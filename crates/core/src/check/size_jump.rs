//! One frame scaled on its own: larger or smaller than its neighbors have the figure.
//!
//! What is drawn in more or fewer pixels than the trend has it may wave or turn. Only where the figure agrees clearly better with the
//! others of its clip when it is scaled, it was.

use crate::check::trajectory::Trajectory;
use crate::check::{Finding, Fix, Observation, Rule, Thresholds, clip_finding};
use crate::parallel;
use crate::register::{best_scale, path};
use crate::shape::points::SOLID;
use crate::{Frame, FrameSet, UVec2};

/// Frames whose figure may be scaled are looked at in full: at most this many of a clip.
const MOST: usize = 16;

pub(super) fn find(set: &FrameSet, limits: &Thresholds, figures: &[Trajectory<'_>]) -> Vec<Finding> {
    let mut findings: Vec<Finding> = Vec::new();
    for figure in figures {
        let found = of_figure(set, limits, figure);
        findings.extend(found);
    }
    findings
}

fn of_figure(set: &FrameSet, limits: &Thresholds, figure: &Trajectory<'_>) -> Vec<Finding> {
    let logs = |at: &usize| {
        figure.places.get(at)?;
        Some(libm::log(solid(&set.frames()[*at]) as f64) / 2.0)
    };
    let sizes: Vec<Option<f64>> = parallel::map_slice(&figure.frames, logs);
    if let Some(finding) = growth(set, figure, &sizes, limits) {
        return vec![finding];
    }
    let off = path::path_deviations(&sizes, figure.loops);
    let least = libm::log(1.0 + limits.size) / 2.0;
    let mut suspects: Vec<usize> = (0..off.len()).filter(|&at| off[at].abs() > least).collect();
    suspects.sort_by(|&a, &b| off[b].abs().total_cmp(&off[a].abs()));
    let mut seen = Vec::new();
    suspects.retain(|&at| {
        !seen.contains(&figure.frames[at]) && {
            seen.push(figure.frames[at]);
            true
        }
    });
    suspects.truncate(MOST);
    suspects.sort_unstable();
    let ends = [figure.frames.first(), figure.frames.last()];
    let confirmed = |&at: &usize| {
        let number = figure.frames[at];
        let (frames, places, place) = figure.with_peers(set, number);
        let factor = 1.0 / best_scale(&frames, &places, place)?;
        let jump = if factor > 1.0 { factor - 1.0 } else { 1.0 / factor - 1.0 };
        // What it covers and how it fits must say the same.
        if jump <= limits.size || (factor > 1.0) != (off[at] > 0.0) {
            return None;
        }
        let finding = clip_finding(
            figure.clip,
            number,
            Rule::SizeJump,
            Observation::Size { factor, is_at_end: ends.contains(&Some(&number)) },
            Fix::Scale(1.0 / factor),
        );
        let spot = set.frames()[number].content(SOLID).map(|rect| UVec2 { x: rect.x, y: rect.y });
        Some(Finding { at: spot, value: jump, limit: limits.size, ..finding })
    };
    suspects.iter().filter_map(confirmed).collect()
}

/// A clip that loops although its drawing grows or shrinks from step to step: a blast, a splash. It is meant to play once.
fn growth(
    set: &FrameSet,
    figure: &Trajectory<'_>,
    sizes: &[Option<f64>],
    limits: &Thresholds,
) -> Option<Finding> {
    let known: Vec<f64> = sizes.iter().copied().flatten().collect();
    let (&first, &last) = (known.first()?, known.last()?);
    let is_steady = known.windows(2).all(|pair| (pair[1] - pair[0]) * (last - first) >= 0.0);
    let factor = libm::exp(last - first);
    let is_large = factor.max(1.0 / factor) >= (1.0 + limits.size).powi(known.len() as i32);
    if !figure.loops || known.len() < sizes.len() || !is_steady || !is_large {
        return None;
    }
    let clip = set.clips().iter().position(|clip| std::ptr::eq(clip, figure.clip))?;
    let (at, seen) = (*figure.frames.last()?, Observation::Grows { factor });
    let finding = clip_finding(figure.clip, at, Rule::SizeJump, seen, Fix::PlayOnce(clip));
    Some(Finding { value: factor.max(1.0 / factor) - 1.0, limit: limits.size, ..finding })
}

fn solid(frame: &Frame) -> usize {
    frame.pixels().rows().flat_map(|row| row.chunks_exact(4)).filter(|pixel| pixel[3] > SOLID).count()
}
