//! The pages of an atlas: each frame's border and name drawn over, free space hatched.
//!
//! A frame that is there rotated has a border of another color, with a bar along the side that is its top. A name
//! is inside its frame's border only where it fits, on a strip of its own; what does not fit is left to the list.
//! Nothing is moved.

use image::{Rgba, RgbaImage};

use crate::surface::{PixelLimitError, PixelLimits, Surface, ink};
use crate::text;
use shibori_core::{Pixels, Rect, Size};

/// A page with what is where.
#[derive(Clone, Debug)]
pub struct PagePlan {
    /// The page's name.
    pub name: String,
    /// Its pixels.
    pub pixels: Pixels,
    /// What is on it; frames that share a place are listed once.
    pub frames: Vec<PlannedFrame>,
}

/// A frame on a page.
#[derive(Clone, Debug)]
pub struct PlannedFrame {
    /// Its place.
    pub rect: Rect,
    /// Its name.
    pub name: String,
    /// Whether it is there rotated a quarter turn clockwise.
    pub rotated: bool,
}

const MARGIN: u32 = 16;
/// The lines across free space.
const HATCH: Rgba<u8> = Rgba([0x2b, 0x33, 0x40, 0xff]);
const HEADING: u32 = 40;
/// The widest a page is drawn where nothing else is said.
const WIDTH: u32 = 1248;
const HEIGHT: u32 = 900;
/// How thick the side is drawn that is a rotated frame's top.
const BAR: u32 = 2;

/// Draws pages below each other, all at one zoom.
///
/// # Errors
/// If the picture would be larger than the limits.
pub fn draw_pages(
    pages: &[PagePlan],
    zoom: Option<u32>,
    limits: PixelLimits,
) -> Result<RgbaImage, PixelLimitError> {
    let largest = pages.iter().fold(Size::default(), |size, page| size.union(page.pixels.size()));
    let fits = |zoom: &u32| largest.width * zoom <= WIDTH && largest.height * zoom <= HEIGHT;
    let zoom = zoom.unwrap_or_else(|| (1..=6).rev().find(fits).unwrap_or(1));
    let head = |page: &PagePlan| {
        let size = page.pixels.size();
        let covered: u64 = page.frames.iter().map(|frame| frame.rect.size().area()).sum();
        let share = covered as f64 * 100.0 / size.area().max(1) as f64;
        let rotated = match page.frames.iter().filter(|frame| frame.rotated).count() {
            0 => String::new(),
            rotated => format!("  {rotated} rotated (the bar is the frame's top)"),
        };
        format!("{size} px  {} places  {share:.1}% covered{rotated}", page.frames.len())
    };
    let label = |page: &PagePlan| text::width(&page.name).max(text::width(&head(page)));
    let width =
        pages.iter().map(|page| (page.pixels.size().width * zoom).max(label(page))).max().unwrap_or(0);
    let height: u32 = pages.iter().map(|page| HEADING + page.pixels.size().height * zoom + MARGIN).sum();
    let size = Size::new(width + 2 * MARGIN, height + MARGIN);
    limits.check(1, size)?;
    let mut paper = Surface::new(size, ink::PAGE);
    let mut top = MARGIN;
    for page in pages {
        paper.draw_title(&page.name, MARGIN, top, ink::TEXT);
        paper.draw_text(&head(page), MARGIN, top + 18, ink::DIM);
        draw_page(&mut paper, page, (MARGIN, top + HEADING), zoom);
        top += HEADING + page.pixels.size().height * zoom + MARGIN;
    }
    Ok(paper.into_image())
}

fn draw_page(paper: &mut Surface, page: &PagePlan, (left, top): (u32, u32), zoom: u32) {
    let size = page.pixels.size();
    let whole = Rect::new(left, top, size.width * zoom, size.height * zoom);
    paper.fill(whole, ink::SHADE);
    paper.hatch(whole, 8, 1, HATCH);
    let place = |rect: &Rect| {
        Rect::new(left + rect.x * zoom, top + rect.y * zoom, rect.width * zoom, rect.height * zoom)
    };
    for frame in &page.frames {
        paper.fill_checkerboard(place(&frame.rect), 4 * zoom.max(2));
    }
    paper.blit(&page.pixels, i64::from(left), i64::from(top), zoom);
    for PlannedFrame { rect, name, rotated } in &page.frames {
        let shown = place(rect);
        let corner = (i64::from(shown.x) - 1, i64::from(shown.y) - 1);
        let size = (i64::from(shown.width) + 2, i64::from(shown.height) + 2);
        let border = if *rotated { ink::POLYGON } else { ink::TRIM };
        paper.stroke_rect(corner, size, [border, ink::SHADE]);
        if *rotated {
            // A quarter turn clockwise brings the top to the right.
            let bar = BAR.min(shown.width);
            paper.fill(Rect { x: shown.x + shown.width - bar, width: bar, ..shown }, ink::POLYGON);
        }
        let needed = text::width(name) + 2;
        // A strip that hides more than a fifth of a drawing hides too much.
        if needed <= shown.width && text::LINE * 5 <= shown.height {
            paper.fill(Rect::new(shown.x, shown.y, needed, text::LINE), ink::SHADE);
            paper.draw_text(name, shown.x + 1, shown.y, ink::TEXT);
        }
    }
    let (x, y) = (i64::from(left) - 1, i64::from(top) - 1);
    let around = (i64::from(whole.width) + 2, i64::from(whole.height) + 2);
    paper.stroke_rect((x, y), around, [ink::CANVAS, ink::CANVAS]);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn frames_are_bordered_and_free_space_is_hatched() {
        let pixels = Pixels::from_image(RgbaImage::from_pixel(40, 20, Rgba([0; 4])));
        let frame =
            |x, rotated| PlannedFrame { rect: Rect::new(x, 1, 10, 10), name: "koi-00".to_owned(), rotated };
        let frames = vec![frame(1, false), frame(12, true)];
        let plan = PagePlan { name: "pond.png".to_owned(), pixels, frames };
        let image = draw_pages(&[plan], Some(2), PixelLimits::default()).unwrap();
        // Below the heading: a corner of the border, the checker inside, the hatch outside.
        let at = |x: u32, y: u32| *image.get_pixel(MARGIN + x, MARGIN + HEADING + y);
        assert_eq!(at(1, 1), ink::TRIM);
        assert!(ink::CHECKER.contains(&at(6, 6)));
        assert!(!ink::CHECKER.contains(&at(60, 30)));
        // The top of what is rotated is on its right.
        assert_eq!(at(42, 10), ink::POLYGON);
        assert_ne!(at(26, 10), ink::POLYGON);
    }
}
