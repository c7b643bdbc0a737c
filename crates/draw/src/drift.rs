//! Where the figure, its feet and its center are in each step of a clip, across and up, seen from the pivot: a plot with units.
//!
//! The figure is what is registered: what stays the same from frame to frame, drawn at the center of the first. It is
//! what `align` holds and what `check` looks at; feet and center also move with a stride or a reach.
//!
//! With a second set its frames are drawn in full color and the first set's in dashes: before and after.

use std::convert::Infallible;

use image::{Rgba, RgbaImage};
use plotters::coord::ranged1d::SegmentedCoord;
use plotters::coord::types::{RangedCoordf64, RangedCoordi32};
use plotters::prelude::*;

use crate::groups::display_groups;
use crate::plot::Plot;
use crate::surface::{PixelLimitError, PixelLimits, Surface, ink};
use crate::text;
use shibori_core::parallel;
use shibori_core::register::{Registration, register};
use shibori_core::shape::{center, feet};
use shibori_core::{Frame, FrameSet, Point, Rect, Size};

const FIGURE: Rgba<u8> = Rgba([0xf4, 0xf4, 0xfa, 0xff]);
const FEET: Rgba<u8> = Rgba([0x6f, 0xd3, 0xb5, 0xff]);
const CENTER: Rgba<u8> = Rgba([0xff, 0xa9, 0x5e, 0xff]);
const MARGIN: u32 = 16;
const HEADING: u32 = 44;
const PANEL: Size = Size::new(600, 300);
/// Room for the numbers of the axes.
const LEFT: u32 = 58;
const RIGHT: u32 = 8;
const BOTTOM: u32 = 44;
const TOP: u32 = 22;
/// Pixels that an axis spans at least.
const LEAST_SPAN: f64 = 4.0;
const DASH: u32 = 4;

type PlotError = DrawingAreaErrorKind<Infallible>;
type Chart<'a, 'b> = ChartContext<'a, Plot<'b>, Cartesian2d<SegmentedCoord<RangedCoordi32>, RangedCoordf64>>;

/// For each step where figure, feet and center stand.
type StepPoints = Vec<[Option<Point>; 3]>;

/// What is drawn, the most important last, so that it is on top.
const SERIES: [(usize, &str, Rgba<u8>); 3] =
    [(2, "center", CENTER), (1, "feet", FEET), (0, "figure", FIGURE)];

/// Plots every clip of a set; of a second one, those of the same name.
///
/// # Errors
/// If the picture would be larger than the limits.
pub fn draw_drift(
    before: &FrameSet,
    after: Option<&FrameSet>,
    limits: PixelLimits,
) -> Result<RgbaImage, PixelLimitError> {
    let clips: Vec<(String, StepPoints, Option<StepPoints>)> = rows(before)
        .into_iter()
        .map(|(title, seen)| {
            let other = after.and_then(|set| rows(set).into_iter().find(|(other, _)| *other == title));
            (title, seen, other.map(|(_, seen)| seen))
        })
        .collect();
    let width = 2 * PANEL.width + 3 * MARGIN;
    let each = HEADING + PANEL.height + MARGIN;
    let size = Size::new(width, MARGIN + each * clips.len().max(1) as u32 + 10);
    limits.check(1, size)?;
    let mut paper = Surface::new(size, ink::PAGE);
    for (number, (title, seen, other)) in (0u32..).zip(&clips) {
        let top = MARGIN + number * each;
        paper.draw_title(title, MARGIN, top, ink::TEXT);
        legend(&mut paper, MARGIN, top + 18, other.is_some());
        for (at, (what, value)) in [
            ("px right of the pivot", (|p: Point| p.x) as fn(Point) -> f64),
            ("px above the pivot", |p: Point| -p.y),
        ]
        .into_iter()
        .enumerate()
        {
            let corner = (MARGIN + at as u32 * (PANEL.width + MARGIN), top + HEADING);
            Panel::new(seen, other.as_ref(), value)
                .draw(&mut paper, corner, what)
                .expect("a paper takes whatever is drawn on it");
        }
    }
    Ok(paper.into_image())
}

fn legend(paper: &mut Surface, left: u32, top: u32, has_other: bool) {
    let mut x = left;
    let mut entry = |paper: &mut Surface, name: &str, color: Rgba<u8>, is_dashed: bool| {
        let y = i64::from(top) + 7;
        let gap = if is_dashed { ink::PAGE } else { color };
        paper.line((i64::from(x), y), (i64::from(x) + 22, y), [color, gap], 4);
        paper.line((i64::from(x), y + 1), (i64::from(x) + 22, y + 1), [color, gap], 4);
        paper.draw_text(name, x + 28, top, ink::TEXT);
        x += 28 + text::width(name) + 20;
    };
    for (_, name, color) in SERIES.into_iter().rev() {
        match has_other {
            true => {
                entry(paper, &format!("{name} before"), color, true);
                entry(paper, &format!("{name} after"), color, false);
            }
            false => entry(paper, name, color, false),
        }
    }
}

/// Each clip with where its steps stand; a set without clips by sprite.
fn rows(set: &FrameSet) -> Vec<(String, StepPoints)> {
    // A frame that many clips show is looked at once.
    let seen: Vec<Option<[Point; 2]>> = parallel::map_slice(set.frames(), |frame| {
        Some([from_pivot(frame, feet(frame)?), from_pivot(frame, center(frame)?)])
    });
    let row = |(title, places): (String, Vec<usize>)| {
        let figure = registered_points(set, &places);
        let stand = |(&at, figure): (&usize, Option<Point>)| {
            let [feet, center] = seen[at].map_or([None; 2], |seen| seen.map(Some));
            [figure, feet, center]
        };
        (title, places.iter().zip(figure).map(stand).collect())
    };
    display_groups(set).into_iter().map(row).collect()
}

/// Where the registered figure is in each step, from the pivot: where the first step has its center.
pub(crate) fn registered_points(set: &FrameSet, places: &[usize]) -> Vec<Option<Point>> {
    let mut own = places.to_vec();
    own.sort_unstable();
    own.dedup();
    let frames: Vec<&Frame> = own.iter().map(|&at| &set.frames()[at]).collect();
    let registered = register(&frames, &[(0..frames.len()).collect()], None);
    let place = |at: usize| own.binary_search(&at).ok().and_then(|number| registered[number]);
    let start = places.iter().find_map(|&at| Some((center(&set.frames()[at])?, place(at)?.offset)));
    let stand = |&at: &usize| {
        let ((center, first), Registration { offset: (x, y), .. }) = (start?, place(at)?);
        let here = Point::new(center.x + (first.0 - x) as f64, center.y + (first.1 - y) as f64);
        Some(from_pivot(&set.frames()[at], here))
    };
    places.iter().map(stand).collect()
}

fn from_pivot(frame: &Frame, at: Point) -> Point {
    Point::new(at.x - frame.pivot().x, at.y - frame.pivot().y)
}

/// One direction of a clip.
struct Panel<'a> {
    seen: &'a StepPoints,
    other: Option<&'a StepPoints>,
    value: fn(Point) -> f64,
    low: f64,
    high: f64,
    count: i32,
}

impl<'a> Panel<'a> {
    fn new(seen: &'a StepPoints, other: Option<&'a StepPoints>, value: fn(Point) -> f64) -> Self {
        let all = || [Some(seen), other].into_iter().flatten();
        let values = || all().flatten().flatten().flatten().map(|point| value(*point));
        let (low, high) = (values().fold(f64::MAX, f64::min), values().fold(f64::MIN, f64::max));
        let (low, high) = if low > high { (0.0, 1.0) } else { (low.floor(), high.ceil()) };
        // A figure that stands still is a line in the middle, not one that fills the panel with its last digits.
        let spare = (LEAST_SPAN - (high - low)).max(0.0) / 2.0;
        let air = (high - low).max(LEAST_SPAN) / 24.0;
        let (low, high) = (low - spare.ceil() - air, high + spare.ceil() + air);
        let count = all().map(Vec::len).max().unwrap_or(1).max(1);
        Self { seen, other, value, low, high, count: count as i32 }
    }

    fn draw(&self, paper: &mut Surface, corner: (u32, u32), what: &str) -> Result<(), PlotError> {
        paper.draw_text(what, corner.0, corner.1 + 2, ink::TEXT);
        let rect = Rect::new(corner.0, corner.1 + TOP, PANEL.width, PANEL.height - TOP);
        let inner = Rect::new(rect.x + LEFT, rect.y, rect.width - LEFT - RIGHT, rect.height - BOTTOM);
        paper.fill(inner, ink::SHADE);
        let area = Plot::on(paper, rect).into_drawing_area();
        let mut chart = ChartBuilder::on(&area)
            .x_label_area_size(BOTTOM)
            .y_label_area_size(LEFT)
            .margin_right(RIGHT)
            .build_cartesian_2d((0..self.count - 1).into_segmented(), self.low..self.high)?;
        let dim = color(ink::DIM);
        // As many numbers as have room beside each other.
        let steps = inner.width / (text::width(&self.count.to_string()) + 3 * text::LETTER);
        let label = TextStyle::from(("sans-serif", text::LINE).into_font()).color(&dim);
        chart
            .configure_mesh()
            .disable_x_mesh()
            .bold_line_style(color(ink::RULE))
            .light_line_style(TRANSPARENT)
            .axis_style(color(ink::RULE))
            .label_style(label)
            .x_labels(steps as usize)
            .y_labels(8)
            .x_label_formatter(&|step| match step {
                SegmentValue::Exact(step) | SegmentValue::CenterOf(step) => step.to_string(),
                SegmentValue::Last => String::new(),
            })
            .y_label_formatter(&|value| text::plain(*value))
            .x_desc("step of the clip")
            .draw()?;
        for (which, _, tone) in SERIES {
            self.curve(&mut chart, self.seen, (which, tone), self.other.is_some())?;
            if let Some(other) = self.other {
                self.curve(&mut chart, other, (which, tone), false)?;
            }
        }
        Ok(())
    }

    fn curve(
        &self,
        chart: &mut Chart<'_, '_>,
        seen: &StepPoints,
        (which, tone): (usize, Rgba<u8>),
        is_dashed: bool,
    ) -> Result<(), PlotError> {
        let line = color(tone).stroke_width(2);
        let place = |step: usize, point: Point| (SegmentValue::CenterOf(step as i32), (self.value)(point));
        let points = || seen.iter().enumerate().map(|(step, seen)| seen[which].map(|at| place(step, at)));
        // Where a step shows nothing, the line has a gap.
        for run in points().collect::<Vec<_>>().split(Option::is_none) {
            let run = run.iter().flatten().cloned();
            if is_dashed {
                chart.draw_series(DashedLineSeries::new(run, DASH, DASH, line))?;
            } else {
                chart.draw_series(LineSeries::new(run, line))?;
            }
        }
        let inside = if is_dashed { color(ink::SHADE) } else { color(tone) };
        chart.draw_series(points().flatten().map(|at| {
            EmptyElement::at(at)
                + Rectangle::new([(-2, -2), (3, 3)], inside.filled())
                + Rectangle::new([(-2, -2), (3, 3)], color(tone).stroke_width(1))
        }))?;
        Ok(())
    }
}

fn color(Rgba([red, green, blue, _]): Rgba<u8>) -> RGBColor {
    RGBColor(red, green, blue)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_figure_that_stands_still_is_a_level_line_and_one_that_slides_is_not() {
        use crate::test_sets::{rows, with_clips};
        let still = with_clips(rows("frog", &[4]), &["sit = 0-3"]);
        let slid = still.clone().map_frames(|at, frame| {
            Ok::<_, shibori_core::SetError>(frame.with_pivot(Point::new(at as f64 * 3.0, 4.0)))
        });
        let slid = slid.unwrap();
        let heights = |set: &FrameSet| {
            let seen = rows_of(set);
            let mut paper = Surface::new(PANEL, ink::PAGE);
            Panel::new(&seen, None, |point| point.x).draw(&mut paper, (0, 0), "across").unwrap();
            let image = paper.into_image();
            // The figure's line halfway between steps.
            let each = (PANEL.width - LEFT - RIGHT) / 4;
            let top = |x: u32| (0..PANEL.height).find(|&y| *image.get_pixel(x, y) == FIGURE);
            (1..4).map(|step| top(LEFT + step * each).unwrap()).collect::<Vec<_>>()
        };
        let level = heights(&still);
        assert!(level.iter().all(|y| *y == level[0]), "{level:?}");
        let slope = heights(&slid);
        assert!(slope.windows(2).all(|pair| pair[0] != pair[1]), "{slope:?}");
        let drift = |after| draw_drift(&still, after, PixelLimits::default()).unwrap();
        assert_ne!(drift(None), drift(Some(&slid)));
    }

    fn rows_of(set: &FrameSet) -> StepPoints {
        super::rows(set).remove(0).1
    }
}
