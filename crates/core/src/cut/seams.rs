//! Packed pages: drawings that lie wall to wall and touch where they bulge.
//!
//! Drawings in adjacent boxes touch only along the line between the boxes. The contact is short compared with their
//! height, and weaker still where pixels are faint (a soft edge, a shadow) or differ in color. A component is split at its
//! weakest line, and its parts again. A single drawing has weak lines too, such as a thin neck, so components are split
//! only on a packed page: where boxes fill it, a good share of them splits, and the parts are as large as other drawings.
//! Drawings that touch along a whole side stay together.
//!
//! Looks at straight lines only, and changes no pixel.

use crate::background::Background;
use crate::components::{Components, label_mask};
use crate::cut::SheetAnalysis;
use crate::{Pixels, Rect, Size};

/// What two drawings may have in common across a line: so many firm pixels, or this share of the lower one's height.
const TOUCH: f64 = 2.0;
const TOUCH_SHARE: f64 = 0.15;
/// Colors further apart than this, over three channels, belong together half as much.
const ALIKE: u32 = 60;
/// A drawing is at least this many pixels long each way, and has this many pixels.
const LEAST: u32 = 6;
const LEAST_AREA: u32 = 20;
/// A piece is looked at this many times, in pixels of the whole sheet.
const MOST_LOOKS: u64 = 32;
/// A packed page has at least this many pieces, and so many more parts, as a share of the pieces.
const FEWEST: usize = 8;
const PACKED: f64 = 0.3;
/// So much of a packed page is taken by the boxes of pieces.
const FULL: f64 = 0.75;

/// The pieces of a packed page, parted, and how many were; `None` of other sheets.
pub(super) fn split_packed(sheet: &SheetAnalysis) -> Option<(Components, usize)> {
    let width = sheet.size().width;
    let found = sheet.components();
    if found.areas.len() < FEWEST {
        return None;
    }
    let boxes = found.bounding_boxes(sheet.size());
    if !is_full(&boxes) {
        return None;
    }
    let page = Splitter {
        sheet: sheet.pixels(),
        background: sheet.background(),
        least_area: LEAST_AREA.max(usual(&found.areas) / 3),
    };
    let parts: Vec<Vec<Region>> = (1u32..)
        .zip(boxes)
        .map(|(label, rect)| {
            let is_own = |x: u32, y: u32| found.labels[(y * width + x) as usize] == label;
            page.split(Region::of(rect, is_own))
        })
        .collect();
    let parted = parts.iter().filter(|parts| parts.len() > 1).count();
    let more = parts.iter().map(|parts| parts.len().saturating_sub(1)).sum::<usize>();
    if (more as f64) < PACKED * found.areas.len() as f64 {
        return None;
    }
    let mut found = Components::clone(found);
    for (piece, parts) in parts.iter().enumerate() {
        for (number, part) in parts.iter().enumerate() {
            let label = if number == 0 { piece as u32 + 1 } else { found.areas.len() as u32 + 1 };
            let area = part.is_own.iter().filter(|&&own| own).count() as u32;
            match number {
                0 => found.areas[piece] = area,
                _ => found.areas.push(area),
            }
            for (at, _) in part.is_own.iter().enumerate().filter(|(_, own)| **own) {
                let (x, y) =
                    (part.rect.x + at as u32 % part.rect.width, part.rect.y + at as u32 / part.rect.width);
                found.labels[(y * width + x) as usize] = label;
            }
        }
    }
    Some((found, parted))
}

/// Whether boxes take up nearly all of the place that they take together. Letters and icons have room around them.
fn is_full(boxes: &[Rect]) -> bool {
    let all = boxes.iter().copied().reduce(Rect::union);
    let taken: u64 = boxes.iter().map(|rect| rect.size().area()).sum();
    all.is_some_and(|all| taken as f64 >= FULL * all.size().area() as f64)
}

/// The area of the piece in the middle, crumbs left out.
fn usual(areas: &[u32]) -> u32 {
    let mut areas: Vec<u32> = areas.iter().copied().filter(|&area| area >= LEAST_AREA).collect();
    areas.sort_unstable();
    areas.get(areas.len() / 2).copied().unwrap_or(0)
}

/// Pixels that hang together, in their box.
struct Region {
    rect: Rect,
    is_own: Vec<bool>,
}

impl Region {
    /// The pixels of a place that are its own, cut down to their box.
    fn of(place: Rect, is_own: impl Fn(u32, u32) -> bool) -> Self {
        let mut rect: Option<Rect> = None;
        for (x, y) in places(place).filter(|&(x, y)| is_own(x, y)) {
            let pixel = Rect::new(x, y, 1, 1);
            rect = Some(rect.map_or(pixel, |rect| rect.union(pixel)));
        }
        let rect = rect.unwrap_or(Rect { width: 0, height: 0, ..place });
        Self { rect, is_own: places(rect).map(|(x, y)| is_own(x, y)).collect() }
    }

    fn is_own(&self, x: u32, y: u32) -> bool {
        let (dx, dy) = (x.wrapping_sub(self.rect.x), y.wrapping_sub(self.rect.y));
        dx < self.rect.width && dy < self.rect.height && self.is_own[(dy * self.rect.width + dx) as usize]
    }

    /// The pieces into which a half of it falls, without crumbs: those stay with the largest.
    fn pieces(&self, half: Rect) -> Vec<Self> {
        let own: Vec<bool> = places(half).map(|(x, y)| self.is_own(x, y)).collect();
        let Components { labels, areas } = label_mask(&own, half.size());
        let Some(largest) = (0..areas.len()).max_by_key(|&at| (areas[at], usize::MAX - at)) else {
            return Vec::new();
        };
        let label = |x: u32, y: u32| labels[((y - half.y) * half.width + x - half.x) as usize] as usize;
        let is_crumb = |at: usize| areas[at] < LEAST_AREA && at != largest;
        let kept = (0..areas.len()).filter(|&at| !is_crumb(at));
        let piece = |at: usize| {
            Self::of(half, |x, y| match label(x, y) {
                0 => false,
                own => own - 1 == at || at == largest && is_crumb(own - 1),
            })
        };
        kept.map(piece).collect()
    }
}

fn places(rect: Rect) -> impl Iterator<Item = (u32, u32)> {
    (rect.y..rect.y + rect.height).flat_map(move |y| (rect.x..rect.x + rect.width).map(move |x| (x, y)))
}

struct Splitter<'a> {
    sheet: &'a Pixels,
    background: Background,
    /// What a line parts are whole drawings: about as large as others of the page.
    least_area: u32,
}

impl Splitter<'_> {
    /// The parts of a piece, itself where no line parts it.
    fn split(&self, part: Region) -> Vec<Region> {
        let mut done = Vec::new();
        let mut open = vec![part];
        let mut left = self.sheet.size().area() * MOST_LOOKS;
        while let Some(part) = open.pop() {
            left = left.saturating_sub(part.rect.size().area());
            match if left > 0 { self.seam(&part) } else { None } {
                None => done.push(part),
                Some((first, second)) => {
                    // As the first half comes before the second, so do its parts.
                    let mut halves = part.pieces(first);
                    halves.extend(part.pieces(second));
                    open.extend(halves.into_iter().rev());
                }
            }
        }
        done
    }

    /// The halves beside the line with the least in common across it.
    fn seam(&self, part: &Region) -> Option<(Rect, Rect)> {
        let rect = part.rect;
        let mut best: Option<(f64, (Rect, Rect))> = None;
        for is_across in [true, false] {
            let length = if is_across { rect.width } else { rect.height };
            let (common, spans) = self.lines(part, is_across);
            let before = joined(spans.iter().copied());
            let mut after = joined(spans.iter().rev().copied());
            after.reverse();
            let mut areas: Vec<u32> = vec![0; length as usize];
            for ((x, y), _) in places(rect).zip(&part.is_own).filter(|(_, own)| **own) {
                areas[if is_across { x - rect.x } else { y - rect.y } as usize] += 1;
            }
            let (mut area, total) =
                (areas[..LEAST.min(length) as usize].iter().sum::<u32>(), areas.iter().sum::<u32>());
            for at in LEAST..length.saturating_sub(LEAST - 1) {
                let height = |span: Option<(u32, u32)>| span.map_or(0, |(from, to)| to - from);
                let lower = height(before[at as usize - 1]).min(height(after[at as usize]));
                let touches = common[at as usize];
                let smaller = area.min(total - area);
                area += areas[at as usize];
                if lower < LEAST
                    || smaller < self.least_area
                    || touches > TOUCH.max(TOUCH_SHARE * f64::from(lower))
                {
                    continue;
                }
                let halves = if is_across {
                    let first = Rect { width: at, ..rect };
                    (first, Rect { x: rect.x + at, width: rect.width - at, ..rect })
                } else {
                    let first = Rect { height: at, ..rect };
                    (first, Rect { y: rect.y + at, height: rect.height - at, ..rect })
                };
                let score = touches / f64::from(lower);
                if best.as_ref().is_none_or(|(least, _)| score < *least) {
                    best = Some((score, halves));
                }
            }
        }
        best.map(|(_, halves)| halves)
    }

    /// For each line of a part: what it has in common with the line before, and from where to where it is drawn.
    fn lines(&self, part: &Region, is_across: bool) -> (Vec<f64>, Vec<Option<(u32, u32)>>) {
        let Size { width, height } = part.rect.size();
        let (lines, length) = if is_across { (width, height) } else { (height, width) };
        let place = |line: u32, at: u32| match is_across {
            true => (part.rect.x + line, part.rect.y + at),
            false => (part.rect.x + at, part.rect.y + line),
        };
        let is_own = |line: u32, at: u32| {
            let (x, y) = place(line, at);
            part.is_own(x, y)
        };
        let common = |line: u32| -> f64 {
            let near = |at: u32| {
                (at.saturating_sub(1)..=(at + 1).min(length - 1)).filter(move |&near| is_own(line, near))
            };
            let own = (0..length).filter(|&at| is_own(line - 1, at));
            let most = |at: u32| {
                near(at)
                    .map(|near| self.link_strength(place(line - 1, at), place(line, near)))
                    .fold(0.0, f64::max)
            };
            own.map(most).sum()
        };
        let span = |line: u32| {
            let first = (0..length).find(|&at| is_own(line, at))?;
            let last = (0..length).rev().find(|&at| is_own(line, at))?;
            Some((first, last + 1))
        };
        (
            (0..lines).map(|line| if line == 0 { 0.0 } else { common(line) }).collect(),
            (0..lines).map(span).collect(),
        )
    }

    /// How firmly two neighbors hang together, from 0 to 1.
    fn link_strength(&self, a: (u32, u32), b: (u32, u32)) -> f64 {
        let (Some(a), Some(b)) = (self.sheet.get(a.0, a.1), self.sheet.get(b.0, b.1)) else { return 0.0 };
        let firm = if self.background == Background::Clear { f64::from(a[3].min(b[3])) / 255.0 } else { 1.0 };
        let apart: u32 = (0..3).map(|channel| u32::from(a[channel].abs_diff(b[channel]))).sum();
        if apart < ALIKE { firm } else { firm * 0.2 }
    }
}

/// From where to where all lines up to each are drawn.
fn joined(spans: impl Iterator<Item = Option<(u32, u32)>>) -> Vec<Option<(u32, u32)>> {
    let mut all: Option<(u32, u32)> = None;
    let join = |span: Option<(u32, u32)>| {
        if let Some((from, to)) = span {
            all = Some(all.map_or((from, to), |(first, last)| (first.min(from), last.max(to))));
        }
        all
    };
    spans.map(join).collect()
}

#[cfg(test)]
mod tests {
    use image::{Rgba, RgbaImage};

    use super::*;

    /// Round drawings in boxes that lie wall to wall, so that they touch; or only one of them beside loose ones.
    fn page(is_packed: bool) -> Pixels {
        Pixels::from_image(RgbaImage::from_fn(6 * 24, 4 * 24, |x, y| {
            let (column, row, px, py) = (x / 24, y / 24, x % 24, y % 24);
            let radius = if is_packed || row == 0 && column < 2 { 11.7 } else { 9.0 };
            let far = ((f64::from(px) - 11.5).powi(2) + (f64::from(py) - 11.5).powi(2)).sqrt();
            let alpha = ((radius - far).clamp(0.0, 1.0) * 255.0) as u8;
            Rgba([(column * 40) as u8, (row * 60) as u8, 120, alpha])
        }))
    }

    #[test]
    fn touching_neighbors_of_a_packed_page_are_parted() {
        let sheet = page(true);
        let sheet = SheetAnalysis::with_background(&sheet, Background::Clear);
        let found = sheet.components();
        let content = found.labels.iter().filter(|&&label| label > 0).count();
        // Fewer pieces than a packed page has: all is one.
        assert_eq!(found.areas.len(), 1);
        assert!(split_packed(&sheet).is_none());
        let mut wide = RgbaImage::new(6 * 24, 4 * 24 + 40);
        image::imageops::replace(&mut wide, &sheet.pixels().to_image(), 0, 0);
        for at in 0..8u32 {
            let dot = RgbaImage::from_pixel(6, 6, Rgba([200, 10, 10, 255]));
            image::imageops::replace(&mut wide, &dot, i64::from(at * 12), 110);
        }
        let wide = Pixels::from_image(wide);
        let (found, parted) =
            split_packed(&SheetAnalysis::with_background(&wide, Background::Clear)).unwrap();
        assert_eq!(parted, 1);
        assert_eq!(found.areas.len(), 24 + 8);
        // No pixel is lost, and areas are those of the labels.
        let total: u32 = found.areas[..].iter().sum();
        assert_eq!(total as usize, content + 8 * 36);
        for (at, &area) in found.areas.iter().enumerate() {
            assert_eq!(found.labels.iter().filter(|&&label| label as usize == at + 1).count(), area as usize);
        }
    }

    #[test]
    fn one_pair_that_touches_on_a_loose_sheet_stays_together() {
        let sheet = page(false);
        let sheet = SheetAnalysis::with_background(&sheet, Background::Clear);
        assert_eq!(sheet.components().areas.len(), 23);
        assert!(split_packed(&sheet).is_none());
    }

    #[test]
    fn a_page_with_room_round_its_drawings_is_not_parted() {
        // Dumbbells with a neck of one pixel, as letters at a small size have.
        let sheet = Pixels::from_image(RgbaImage::from_fn(6 * 30, 4 * 30, |x, y| {
            let (px, py) = (x % 30, y % 30);
            let is_bell = (4..12).contains(&py) && (2..10).contains(&px)
                || (4..12).contains(&py) && (14..22).contains(&px);
            let is_neck = py == 8 && (10..14).contains(&px);
            if is_bell || is_neck { Rgba([90, 20, 20, 255]) } else { Rgba([0; 4]) }
        }));
        let sheet = SheetAnalysis::with_background(&sheet, Background::Clear);
        assert_eq!(sheet.components().areas.len(), 24);
        assert!(split_packed(&sheet).is_none());
    }
}
