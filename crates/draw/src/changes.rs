//! Two versions of a set: each frame that differs as it was, as it is, and where it differs.

use image::{Rgba, RgbaImage};

use crate::surface::{PixelLimitError, PixelLimits, Surface, ink};
use crate::text;
use shibori_core::changes::{ChangeGroup, SetChanges};
use shibori_core::{Frame, FrameSet, Pixels, Rect, Size};

/// How changes are drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ChangesStyle {
    /// The widest it may become, in pixels.
    pub width: u32,
    /// The tallest one may become, in pixels, unless one frame is taller.
    pub height: u32,
    /// How large a pixel is drawn; where not given, as large as looks right for the frames.
    pub zoom: Option<u32>,
    /// How large it may become.
    pub limits: PixelLimits,
}

impl Default for ChangesStyle {
    fn default() -> Self {
        Self { width: 1280, height: 4096, zoom: None, limits: PixelLimits::default() }
    }
}

const MARGIN: u32 = 16;
const GAP: u32 = 6;
const ITEM_GAP: u32 = 24;
const HEADING: u32 = 46;
const LEGEND: u32 = 26;
const LEAST_WIDTH: u32 = 420;
/// Lines of text about a frame, at most.
const MOST_LINES: usize = 3;
/// Frames are drawn about as large as this.
const GOOD_SIDE: u32 = 128;
const LARGEST_ZOOM: u32 = 6;
/// What stays is drawn this faintly where differences are shown.
const FAINT: u8 = 70;

/// Pixels that are new, gone, and of another color.
const COLORS: [(&str, Rgba<u8>); 3] = [("new", ink::START), ("gone", ink::ALARM), ("other color", ink::END)];

/// Where two pictures differ, their canvases lying on each other.
pub fn draw_difference(old: &Pixels, new: &Pixels) -> RgbaImage {
    let size = old.size().union(new.size());
    let color = |pixels: &Pixels, x: u32, y: u32| pixels.get(x, y).filter(|color| color[3] > 0);
    RgbaImage::from_fn(size.width, size.height, |x, y| match (color(old, x, y), color(new, x, y)) {
        (None, None) => Rgba([0; 4]),
        (None, Some(_)) => COLORS[0].1,
        (Some(_), None) => COLORS[1].1,
        (Some(before), Some(after)) if before != after => COLORS[2].1,
        (Some(Rgba([r, g, b, _])), Some(_)) => {
            let gray = ((u32::from(r) * 3 + u32::from(g) * 6 + u32::from(b)) / 10) as u8;
            Rgba([gray, gray, gray, FAINT])
        }
    })
}

/// One frame that differs.
struct Item<'a> {
    pictures: Vec<(&'static str, Pixels)>,
    name: &'a str,
    what: String,
    cell: Size,
}

impl Item<'_> {
    fn width(&self, zoom: u32) -> u32 {
        let count = self.pictures.len() as u32;
        (count * self.cell.width * zoom + (count - 1) * GAP).max(text::width(self.name)).max(200)
    }

    /// What differs, in lines no wider than the pictures where that is possible.
    fn lines(&self, zoom: u32) -> Vec<String> {
        let room = self.width(zoom);
        let mut lines: Vec<String> = Vec::new();
        for part in self.what.split(", ") {
            let is_full = lines.len() == MOST_LINES;
            match lines.last_mut() {
                Some(line) if is_full || text::width(&format!("{line}, {part}")) <= room => {
                    *line += &format!(", {part}");
                }
                _ => lines.push(part.to_owned()),
            }
        }
        lines
    }

    fn size(&self, zoom: u32) -> Size {
        let lines = self.lines(zoom);
        let widest = lines.iter().map(|line| text::width(line)).max().unwrap_or(0);
        let texts = 2 + lines.len() as u32;
        Size::new(self.width(zoom).max(widest), self.cell.height * zoom + texts * text::LINE + GAP)
    }

    fn draw(&self, paper: &mut Surface, (left, top): (u32, u32), zoom: u32) {
        for (at, (label, pixels)) in (0..).zip(&self.pictures) {
            let x = left + at * (self.cell.width * zoom + GAP);
            let y = top + text::LINE;
            paper.draw_text(label, x, top, ink::DIM);
            let size = Size::new(pixels.size().width * zoom, pixels.size().height * zoom);
            paper.fill_checkerboard(Rect::at(x, y, size), 4 * zoom.max(2));
            paper.blit(pixels, i64::from(x), i64::from(y), zoom);
        }
        let below = top + text::LINE + self.cell.height * zoom + 3;
        paper.draw_text(self.name, left, below, ink::TEXT);
        for (number, line) in (1..).zip(self.lines(zoom)) {
            paper.draw_text(&line, left, below + number * text::LINE, ink::DIM);
        }
    }
}

/// Something across the picture.
enum Row<'a> {
    Heading([String; 2]),
    /// Frames with where each begins, and the height of the tallest.
    Items(Vec<(Item<'a>, u32)>, u32),
}

impl Row<'_> {
    fn height(&self) -> u32 {
        match self {
            Self::Heading(_) => HEADING,
            Self::Items(_, height) => height + MARGIN,
        }
    }

    fn width(&self, zoom: u32) -> u32 {
        match self {
            Self::Heading(texts) => texts.iter().map(|text| text::width(text)).max().unwrap_or(0),
            Self::Items(items, _) => items.last().map_or(0, |(item, x)| x - MARGIN + item.size(zoom).width),
        }
    }
}

/// Draws every frame that differs, by clip, and what differs in clips; on as many pictures as that needs.
///
/// # Errors
/// If the pictures would be larger than the limits.
pub fn draw_changes(
    old: &FrameSet,
    new: &FrameSet,
    changes: &SetChanges,
    style: ChangesStyle,
) -> Result<Vec<RgbaImage>, PixelLimitError> {
    let zoom = style.zoom.unwrap_or_else(|| fitting_zoom(old, new, changes)).max(1);
    let mut rows: Vec<Row<'_>> = Vec::new();
    for group in &changes.by_clip(old, new) {
        rows.push(Row::Heading(heading_of(old, new, changes, group)));
        let (mut items, mut x, mut height) = (Vec::new(), MARGIN, 0);
        for &number in &group.frames {
            let item = item(old, new, changes, number);
            let size = item.size(zoom);
            if x > MARGIN && x + size.width + MARGIN > style.width {
                rows.push(Row::Items(std::mem::take(&mut items), height));
                (x, height) = (MARGIN, 0);
            }
            items.push((item, x));
            x += size.width + ITEM_GAP;
            height = height.max(size.height);
        }
        if !items.is_empty() {
            rows.push(Row::Items(items, height));
        }
    }
    if rows.is_empty() {
        rows.push(Row::Heading(["no differences".to_owned(), String::new()]));
    }
    // A heading stays with what is below it.
    let (mut pages, mut high): (Vec<Vec<Row<'_>>>, u32) = (vec![Vec::new()], 0);
    let mut rest = rows.into_iter().peekable();
    while let Some(row) = rest.next() {
        let next = if matches!(row, Row::Heading(_)) { rest.peek().map_or(0, Row::height) } else { 0 };
        if high > 0 && high + row.height() + next > style.height {
            pages.push(Vec::new());
            high = 0;
        }
        high += row.height();
        pages.last_mut().expect("there is one").push(row);
    }
    let size = |rows: &Vec<Row<'_>>| {
        let width = rows.iter().map(|row| row.width(zoom)).max().unwrap_or(0).max(LEAST_WIDTH);
        Size::new(width + 2 * MARGIN, 2 * MARGIN + LEGEND + rows.iter().map(Row::height).sum::<u32>())
    };
    style.limits.check(pages.len(), pages.iter().map(size).fold(Size::default(), Size::union))?;
    Ok(pages.iter().map(|rows| draw_page(rows, size(rows), zoom)).collect())
}

fn draw_page(rows: &[Row<'_>], size: Size, zoom: u32) -> RgbaImage {
    let mut paper = Surface::new(size, ink::PAGE);
    let mut x = MARGIN;
    for (label, color) in COLORS {
        paper.fill(Rect::new(x, MARGIN + 3, 10, 10), color);
        paper.draw_text(label, x + 16, MARGIN, ink::DIM);
        x += 16 + text::width(label) + 18;
    }
    let mut y = MARGIN + LEGEND;
    for row in rows {
        match row {
            Row::Heading([title, detail]) => {
                paper.draw_title(title, MARGIN, y, ink::TEXT);
                paper.draw_text(detail, MARGIN, y + 18, ink::DIM);
            }
            Row::Items(items, _) => items.iter().for_each(|(item, x)| item.draw(&mut paper, (*x, y), zoom)),
        }
        y += row.height();
    }
    paper.into_image()
}

/// A group's title, and what differs besides frames.
fn heading_of(old: &FrameSet, new: &FrameSet, changes: &SetChanges, group: &ChangeGroup) -> [String; 2] {
    let clip = group.clip.as_ref().map(|clip| format!(" {clip}")).unwrap_or_default();
    let frames = match group.frames.len() {
        0 => None,
        1 => Some("1 frame differs".to_owned()),
        count => Some(format!("{count} frames differ")),
    };
    let change = group.change.map(|at| format!("clip: {}", changes.clips[at].describe(old, new)));
    let detail: Vec<String> = frames.into_iter().chain(change).collect();
    [format!("{}{clip}", group.sprite), detail.join("; ")]
}

fn item<'a>(old: &'a FrameSet, new: &'a FrameSet, changes: &SetChanges, number: usize) -> Item<'a> {
    let change = &changes.frames[number];
    let frame = |set: &'a FrameSet, at: Option<usize>| at.map(|at| &set.frames()[at]);
    let (before, after) = (frame(old, change.old), frame(new, change.new));
    let pictures = match (before.map(Frame::full_image), after.map(Frame::full_image)) {
        (Some(before), Some(after)) => {
            let difference = Pixels::from_image(draw_difference(&before, &after));
            vec![("old", before), ("new", after), ("difference", difference)]
        }
        (Some(before), None) => vec![("old", before)],
        (None, Some(after)) => vec![("new", after)],
        (None, None) => Vec::new(),
    };
    let cell = pictures.iter().fold(Size::default(), |cell, (_, pixels)| cell.union(pixels.size()));
    let name = after.or(before).map_or("", |frame| frame.name().as_str());
    Item { pictures, name, what: change.describe(old, new), cell }
}

/// As large as frames are well seen, and never larger than fits in twelve.
fn fitting_zoom(old: &FrameSet, new: &FrameSet, changes: &SetChanges) -> u32 {
    let canvas = |change: &shibori_core::changes::FrameChange| {
        let (set, at) = change.place(old, new);
        set.frames()[at].canvas()
    };
    let largest = changes.frames.iter().map(canvas).fold(Size::new(1, 1), Size::union);
    (GOOD_SIDE / largest.width.max(largest.height)).clamp(1, LARGEST_ZOOM)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::test_sets::rows;

    #[test]
    fn differences_have_three_colors_and_what_stays_is_faint() {
        let picture = |dots: [u8; 4]| {
            Pixels::from_image(RgbaImage::from_fn(4, 1, |x, _| match dots[x as usize] {
                0 => Rgba([0; 4]),
                shade => Rgba([shade, 0, 0, 255]),
            }))
        };
        let difference = draw_difference(&picture([0, 9, 9, 9]), &picture([9, 0, 8, 9]));
        let colors: Vec<Rgba<u8>> = difference.pixels().copied().collect();
        assert_eq!(colors[..3], COLORS.map(|(_, color)| color));
        assert_eq!(colors[3][3], FAINT);
    }

    #[test]
    fn every_change_is_on_the_picture_and_limits_hold() {
        let (old, new) = (rows("frog", &[3]), rows("frog", &[4, 2]));
        let changes = SetChanges::between(&old, &new);
        let style = ChangesStyle { width: 600, height: 4096, zoom: None, limits: PixelLimits::default() };
        let draw = |style| draw_changes(&old, &new, &changes, style).unwrap();
        let (small, large) = (draw(style), draw(ChangesStyle { zoom: Some(12), ..style }));
        assert!(small.len() == 1 && large[0].height() > small[0].height() && small[0].width() <= 640);
        assert!(draw(ChangesStyle { height: 300, width: 250, zoom: Some(12), ..style }).len() > 1);
        let limits = PixelLimits { per_image: 100, total: 100 };
        assert!(draw_changes(&old, &new, &changes, ChangesStyle { limits, ..style }).is_err());
        draw_changes(&old, &old, &SetChanges::default(), style).unwrap();
    }
}
