//! Where the figure, its feet and its center stand in each step of a clip, across and up, seen from the pivot: a plot with units.
//!
//! The figure is what is registered: what stays the same from frame to frame, drawn at the center of the first. It is what `align` holds and
//! what `check` looks at; feet and center also move with a stride or a reach.
//!
//! With a second set its frames are drawn in full color and the first set's in dashes: before and after.

use image::{Rgba, RgbaImage};

use crate::draw::paper::{NoRoom, Paper, Room, ink};
use crate::draw::text;
use crate::groups::shown_together;
use crate::parallel;
use crate::register::{Place, register};
use crate::shape::points::{center, feet};
use crate::{Frame, FrameSet, Point, Rect, Size};

const FIGURE: Rgba<u8> = Rgba([0xf4, 0xf4, 0xfa, 0xff]);
const FEET: Rgba<u8> = Rgba([0x6f, 0xd3, 0xb5, 0xff]);
const CENTER: Rgba<u8> = Rgba([0xff, 0xa9, 0x5e, 0xff]);
const MARGIN: u32 = 16;
const HEADING: u32 = 44;
const PANEL: Size = Size::new(600, 300);
/// Room for the numbers of the axes.
const LEFT: u32 = 58;
const BOTTOM: u32 = 34;
const TOP: u32 = 22;

/// For each step where figure, feet and center stand.
type Seen = Vec<[Option<Point>; 3]>;

/// What is drawn, the most important last, so that it lies on top.
const SERIES: [(usize, &str, Rgba<u8>); 3] =
    [(2, "center", CENTER), (1, "feet", FEET), (0, "figure", FIGURE)];

/// Plots every clip of a set; of a second one, those of the same name.
///
/// # Errors
/// Where there is no room for the picture.
pub fn draw_drift(before: &FrameSet, after: Option<&FrameSet>, room: Room) -> Result<RgbaImage, NoRoom> {
    let clips: Vec<(String, Seen, Option<Seen>)> = rows(before)
        .into_iter()
        .map(|(title, seen)| {
            let other = after.and_then(|set| rows(set).into_iter().find(|(other, _)| *other == title));
            (title, seen, other.map(|(_, seen)| seen))
        })
        .collect();
    let width = 2 * PANEL.width + 3 * MARGIN;
    let each = HEADING + PANEL.height + MARGIN;
    let size = Size::new(width, MARGIN + each * clips.len().max(1) as u32 + 10);
    room.hold(1, size)?;
    let mut paper = Paper::new(size, ink::PAGE);
    for (number, (title, seen, other)) in (0u32..).zip(&clips) {
        let top = MARGIN + number * each;
        paper.write(title, MARGIN, top, 2, ink::TEXT);
        legend(&mut paper, MARGIN, top + 22, other.is_some());
        for (at, (what, value)) in [
            ("px right of the pivot", (|p: Point| p.x) as fn(Point) -> f64),
            ("px above the pivot", |p: Point| -p.y),
        ]
        .into_iter()
        .enumerate()
        {
            let corner = (MARGIN + at as u32 * (PANEL.width + MARGIN), top + HEADING);
            Panel::new(corner, seen, other.as_ref(), value).draw(&mut paper, what);
        }
    }
    Ok(paper.into_image())
}

fn legend(paper: &mut Paper, left: u32, top: u32, has_other: bool) {
    let mut x = left;
    let mut entry = |paper: &mut Paper, name: &str, color: Rgba<u8>, is_dashed: bool| {
        let y = i64::from(top) + 3;
        let gap = if is_dashed { ink::PAGE } else { color };
        paper.line((i64::from(x), y), (i64::from(x) + 22, y), [color, gap], 4);
        paper.line((i64::from(x), y + 1), (i64::from(x) + 22, y + 1), [color, gap], 4);
        paper.write(name, x + 28, top, 1, ink::TEXT);
        x += 28 + text::width(name, 1) + 20;
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
fn rows(set: &FrameSet) -> Vec<(String, Seen)> {
    // A frame that many clips show is looked at once.
    let seen: Vec<Option<[Point; 2]>> = parallel::each(set.frames(), |frame| {
        Some([from_pivot(frame, feet(frame)?), from_pivot(frame, center(frame)?)])
    });
    let row = |(title, places): (String, Vec<usize>)| {
        let figure = figure(set, &places);
        let stand = |(&at, figure): (&usize, Option<Point>)| {
            let [feet, center] = seen[at].map_or([None; 2], |seen| seen.map(Some));
            [figure, feet, center]
        };
        (title, places.iter().zip(figure).map(stand).collect())
    };
    shown_together(set).into_iter().map(row).collect()
}

/// Where the registered figure stands in each step, from the pivot: where the first step has its center.
pub(super) fn figure(set: &FrameSet, places: &[usize]) -> Vec<Option<Point>> {
    let mut own = places.to_vec();
    own.sort_unstable();
    own.dedup();
    let frames: Vec<&Frame> = own.iter().map(|&at| &set.frames()[at]).collect();
    let registered = register(&frames, &[(0..frames.len()).collect()], None);
    let place = |at: usize| own.binary_search(&at).ok().and_then(|number| registered[number]);
    let start = places.iter().find_map(|&at| Some((center(&set.frames()[at])?, place(at)?.shift)));
    let stand = |&at: &usize| {
        let ((center, first), Place { shift: (x, y), .. }) = (start?, place(at)?);
        let here = Point::new(center.x + (first.0 - x) as f64, center.y + (first.1 - y) as f64);
        Some(from_pivot(&set.frames()[at], here))
    };
    places.iter().map(stand).collect()
}

fn from_pivot(frame: &Frame, at: Point) -> Point {
    Point::new(at.x - frame.pivot().x, at.y - frame.pivot().y)
}

struct Panel<'a> {
    corner: (u32, u32),
    seen: &'a Seen,
    other: Option<&'a Seen>,
    value: fn(Point) -> f64,
    low: f64,
    high: f64,
    step: f64,
    count: usize,
}

impl<'a> Panel<'a> {
    fn new(corner: (u32, u32), seen: &'a Seen, other: Option<&'a Seen>, value: fn(Point) -> f64) -> Self {
        let all = || [Some(seen), other].into_iter().flatten();
        let values = || all().flatten().flatten().flatten().map(|point| value(*point));
        let (low, high) = (values().fold(f64::MAX, f64::min), values().fold(f64::MIN, f64::max));
        let (low, high) = if low > high { (0.0, 1.0) } else { (low, high) };
        let step = tick((high - low).max(4.0));
        let (low, high) = ((low / step).floor() * step, (high / step).ceil() * step);
        let high = if high - low < step { low + step } else { high };
        let count = all().map(Vec::len).max().unwrap_or(1).max(1);
        Self { corner, seen, other, value, low, high, step, count }
    }

    fn inner(&self) -> Rect {
        let (x, y) = self.corner;
        Rect::new(x + LEFT, y + TOP, PANEL.width - LEFT - 8, PANEL.height - TOP - BOTTOM)
    }

    /// Where a value of a step lies.
    fn at(&self, step: usize, value: f64) -> (i64, i64) {
        let inner = self.inner();
        let last = self.count.saturating_sub(1).max(1) as f64;
        let x = f64::from(inner.x) + 8.0 + step as f64 / last * (f64::from(inner.width) - 16.0);
        let share = (value - self.low) / (self.high - self.low);
        let y = f64::from(inner.y) + (1.0 - share) * f64::from(inner.height);
        (x.round() as i64, y.round() as i64)
    }

    fn draw(&self, paper: &mut Paper, what: &str) {
        let inner = self.inner();
        paper.write(what, self.corner.0, self.corner.1 + 6, 1, ink::TEXT);
        paper.fill(inner, ink::SHADE);
        let lines = ((self.high - self.low) / self.step).round() as i64;
        for n in 0..=lines {
            let value = self.low + n as f64 * self.step;
            let (_, y) = self.at(0, value);
            let ends = ((i64::from(inner.x), y), (i64::from(inner.x + inner.width) - 1, y));
            paper.line(ends.0, ends.1, [ink::RULE, ink::RULE], 4);
            let label = if self.step < 1.0 { format!("{value:.1}") } else { format!("{value:.0}") };
            let x = (self.corner.0 + LEFT).saturating_sub(text::width(&label, 1) + 6);
            paper.write(&label, x, (y - 4).max(0) as u32, 1, ink::DIM);
        }
        let every = (self.count * 24).div_ceil(inner.width as usize).max(1);
        for step in (0..self.count).step_by(every) {
            let (x, _) = self.at(step, self.low);
            let label = step.to_string();
            let left = (x - i64::from(text::width(&label, 1)) / 2).max(0) as u32;
            paper.write(&label, left, inner.y + inner.height + 6, 1, ink::DIM);
        }
        let name = "step of the clip";
        let x = inner.x + (inner.width.saturating_sub(text::width(name, 1))) / 2;
        paper.write(name, x, inner.y + inner.height + 20, 1, ink::DIM);
        for (which, _, color) in SERIES {
            self.curve(paper, self.seen, which, color, self.other.is_some());
            if let Some(other) = self.other {
                self.curve(paper, other, which, color, false);
            }
        }
    }

    fn curve(&self, paper: &mut Paper, seen: &Seen, which: usize, color: Rgba<u8>, is_dashed: bool) {
        let gap = if is_dashed { Rgba([0; 4]) } else { color };
        let points: Vec<Option<(i64, i64)>> = seen
            .iter()
            .enumerate()
            .map(|(step, points)| points[which].map(|point| self.at(step, (self.value)(point))))
            .collect();
        for pair in points.windows(2) {
            if let [Some(from), Some(to)] = *pair {
                paper.line(from, to, [color, gap], 4);
                paper.line((from.0, from.1 + 1), (to.0, to.1 + 1), [color, gap], 4);
            }
        }
        for (x, y) in points.into_iter().flatten() {
            for (dy, dx) in (-2i64..=3).flat_map(|dy| (-2i64..=3).map(move |dx| (dy, dx))) {
                let is_rim = dy == -2 || dy == 3 || dx == -2 || dx == 3;
                paper.dot(x + dx, y + dy, if is_dashed && !is_rim { ink::SHADE } else { color });
            }
        }
    }
}

/// A round distance between lines: 1, 2 or 5 with noughts, about six of them.
fn tick(span: f64) -> f64 {
    let raw = span / 6.0;
    let power = libm::pow(10.0, libm::log10(raw).floor());
    let steps = [1.0, 2.0, 5.0, 10.0].map(|step| step * power);
    steps.into_iter().find(|step| *step >= raw).unwrap_or(power * 10.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ticks_are_round_numbers() {
        assert_eq!([4.0, 7.0, 30.0, 64.0, 300.0].map(tick), [1.0, 2.0, 5.0, 20.0, 50.0]);
    }

    #[test]
    fn a_figure_that_stands_still_is_a_level_line_and_one_that_slides_is_not() {
        use crate::set::tests::{rows, with_clips};
        let still = with_clips(rows("frog", &[4]), &["sit = 0-3"]);
        let slid = still.clone().map_frames(|at, frame| {
            Ok::<_, crate::SetError>(frame.with_pivot(Point::new(at as f64 * 3.0, 4.0)))
        });
        let slid = slid.unwrap();
        let heights = |set: &FrameSet| {
            let seen = rows_of(set);
            let panel = Panel::new((0, 0), &seen, None, |point| point.x);
            let ends = seen.iter().map(|[figure, ..]| figure.unwrap().x);
            ends.enumerate().map(|(step, x)| panel.at(step, x).1).collect::<Vec<_>>()
        };
        let level = heights(&still);
        assert!(level.iter().all(|y| *y == level[0]), "{level:?}");
        let slope = heights(&slid);
        assert!(slope.windows(2).all(|pair| pair[0] != pair[1]), "{slope:?}");
        let drift = |after| draw_drift(&still, after, Room::default()).unwrap();
        assert_ne!(drift(None), drift(Some(&slid)));
    }

    fn rows_of(set: &FrameSet) -> Seen {
        super::rows(set).remove(0).1
    }
}
