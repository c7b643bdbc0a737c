//! A cut drawn over its sheet before anything is cut, so that wrong numbers are seen at a glance.
//!
//! Cells have two-toned lines that show on light, dark and nothing; blank cells are hatched; pixels where a
//! line crosses a drawing, and drawings outside all cells, are marked. Column and row numbers are beside
//! the sheet, never on it.

use image::{Rgba, RgbaImage};

use crate::surface::{PixelLimitError, PixelLimits, Surface, ink};
use crate::text;
use shibori_core::Background;
use shibori_core::cut::Grid;
use shibori_core::{Cell, Pixels, Rect, Size};

const LEFT: u32 = 44;
const TOP: u32 = 30;
const RIGHT: u32 = 100;
const BOTTOM: u32 = 14;

/// The places that become frames.
#[derive(Clone, Debug)]
pub enum CutPlan {
    /// Cells of a grid.
    Grid(Grid),
    /// Separate places, each with a name.
    Rects(Vec<(Rect, String)>),
}

/// What a picture of a cut shows.
#[derive(Clone, Debug)]
pub struct CutPicture {
    /// The picture.
    pub image: RgbaImage,
    /// Pixels of drawings that a line crosses, or that are in no cell.
    pub marked: usize,
    /// Cells without a drawing.
    pub blank: usize,
}

/// Draws a plan over a sheet. `zoom` 0 picks the largest that keeps the picture near 1280 px wide.
///
/// # Errors
/// If the picture would be larger than the limits.
pub fn draw_cut(
    sheet: &Pixels,
    background: Background,
    plan: &CutPlan,
    zoom: u32,
    limits: PixelLimits,
) -> Result<CutPicture, PixelLimitError> {
    let size = sheet.size();
    let zoom = if zoom > 0 { zoom } else { fitting(size) };
    let whole = Size::new(LEFT + size.width * zoom + RIGHT, TOP + size.height * zoom + BOTTOM);
    limits.check(1, whole)?;
    let cells = cells(sheet, background, plan);
    let marked = crossed_pixels(sheet, background, &cells);
    let mut paper = Surface::new(whole, ink::PAGE);
    paper.fill_checkerboard(Rect::new(LEFT, TOP, size.width * zoom, size.height * zoom), 4 * zoom.max(2));
    paper.blit(sheet, i64::from(LEFT), i64::from(TOP), zoom);
    let on_paper = |rect: Rect| {
        Rect::new(LEFT + rect.x * zoom, TOP + rect.y * zoom, rect.width * zoom, rect.height * zoom)
    };
    for cell in cells.iter().filter(|cell| cell.is_blank) {
        paper.hatch(on_paper(cell.rect), 6, 2, ink::SHADE);
    }
    for cell in &cells {
        paper.frame(on_paper(cell.rect));
    }
    for &(x, y) in &marked {
        paper.fill(on_paper(Rect::new(x, y, 1, 1)), ink::ALARM);
    }
    match plan {
        CutPlan::Grid(grid) => number_grid(&mut paper, grid, &cells, zoom),
        CutPlan::Rects(_) => number_places(&mut paper, &cells, zoom),
    }
    let blank = cells.iter().filter(|cell| cell.is_blank).count();
    Ok(CutPicture { image: paper.into_image(), marked: marked.len(), blank })
}

fn fitting(size: Size) -> u32 {
    let by_width = (1280 - LEFT - RIGHT) / size.width.max(1);
    let by_height = 1000 / size.height.max(1);
    by_width.min(by_height).clamp(1, 8)
}

struct LabeledCell {
    rect: Rect,
    label: String,
    is_blank: bool,
}

fn cells(sheet: &Pixels, background: Background, plan: &CutPlan) -> Vec<LabeledCell> {
    let is_blank = |rect: Rect| {
        let part = sheet.crop(rect);
        part.is_none_or(|part| {
            !part.rows().any(|row| row.chunks_exact(4).any(|pixel| background.is_content(pixel)))
        })
    };
    let mark = |rect: Rect, label: String| LabeledCell { rect, label, is_blank: is_blank(rect) };
    match plan {
        CutPlan::Grid(grid) => {
            let counts = grid.counts();
            let all =
                (0..counts.rows).flat_map(|row| (0..counts.columns).map(move |column| Cell { row, column }));
            all.map(|cell| mark(grid.rect(cell), cell.to_string())).collect()
        }
        CutPlan::Rects(places) => places.iter().map(|(rect, name)| mark(*rect, name.clone())).collect(),
    }
}

/// Content in no cell, and content that goes on from one cell into the next, straight or slanting.
fn crossed_pixels(sheet: &Pixels, background: Background, cells: &[LabeledCell]) -> Vec<(u32, u32)> {
    if background == Background::None {
        // Everything is content there, and every line would cross everything.
        return Vec::new();
    }
    let Size { width, height } = sheet.size();
    let at = |x: u32, y: u32| y as usize * width as usize + x as usize;
    let mut owner = vec![0u32; at(0, height)];
    for (number, cell) in (1..).zip(cells) {
        for y in cell.rect.y..cell.rect.y + cell.rect.height {
            owner[at(cell.rect.x, y)..at(cell.rect.x, y) + cell.rect.width as usize].fill(number);
        }
    }
    let content: Vec<bool> =
        sheet.rows().flat_map(|row| row.chunks_exact(4)).map(|p| background.is_content(p)).collect();
    let crosses = |x: u32, y: u32| {
        let own = owner[at(x, y)];
        let columns = x.saturating_sub(1)..=(x + 1).min(width - 1);
        let mut near = (y.saturating_sub(1)..=(y + 1).min(height - 1))
            .flat_map(|ny| columns.clone().map(move |nx| (nx, ny)));
        own == 0 || near.any(|(nx, ny)| content[at(nx, ny)] && owner[at(nx, ny)] != own)
    };
    let all = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
    all.filter(|&(x, y)| content[at(x, y)] && crosses(x, y)).collect()
}

fn number_grid(paper: &mut Surface, grid: &Grid, cells: &[LabeledCell], zoom: u32) {
    let counts = grid.counts();
    for column in 0..counts.columns {
        let rect = grid.rect(Cell { row: 0, column });
        let label = text::fitted(&format!("c{column}"), rect.width * zoom);
        let x = LEFT + rect.x * zoom + (rect.width * zoom).saturating_sub(text::width(&label)) / 2;
        paper.draw_text(&label, x, TOP - text::LINE - 2, ink::TEXT);
    }
    for row in 0..counts.rows {
        let rect = grid.rect(Cell { row, column: 0 });
        let y = TOP + rect.y * zoom + (rect.height * zoom).saturating_sub(text::LINE) / 2;
        paper.draw_text(&format!("r{row}"), 10, y, ink::TEXT);
        let drawn = cells[(row * counts.columns) as usize..((row + 1) * counts.columns) as usize].iter();
        let count = drawn.filter(|cell| !cell.is_blank).count();
        let right = cells.iter().map(|cell| cell.rect.x + cell.rect.width).max().unwrap_or(0);
        let label = format!("{count} of {}", counts.columns);
        paper.draw_text(
            &label,
            LEFT + right * zoom + 10,
            y,
            if count == counts.columns as usize { ink::DIM } else { ink::END },
        );
    }
}

fn number_places(paper: &mut Surface, cells: &[LabeledCell], zoom: u32) {
    for cell in cells {
        let label = text::fitted(&cell.label, (cell.rect.width * zoom).max(3 * text::LETTER));
        let (x, y) = (LEFT + cell.rect.x * zoom, (TOP + cell.rect.y * zoom).saturating_sub(text::LINE + 1));
        paper.fill(Rect::new(x, y, text::width(&label) + 2, text::LINE), ink::PAGE);
        paper.draw_text(&label, x + 1, y, ink::TEXT);
    }
}

impl Surface {
    /// A line round the inside of a rectangle, dashed dark and light.
    fn frame(&mut self, rect: Rect) {
        const DASH: u32 = 4;
        let tone = |at: u32| {
            if (at / DASH).is_multiple_of(2) { Rgba([0, 0, 0, 255]) } else { Rgba([255, 255, 255, 255]) }
        };
        for x in 0..rect.width {
            for y in [0, rect.height.saturating_sub(1)] {
                self.fill(Rect::new(rect.x + x, rect.y + y, 1, 1), tone(rect.x + x));
            }
        }
        for y in 0..rect.height {
            for x in [0, rect.width.saturating_sub(1)] {
                self.fill(Rect::new(rect.x + x, rect.y + y, 1, 1), tone(rect.y + y));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use shibori_core::cut::{Counts, Spacing};

    #[test]
    fn a_cut_through_a_drawing_is_marked_and_blank_cells_are_counted() {
        // A bar from cell 0 into cell 1; cell 2 is blank.
        let sheet = Pixels::from_image(RgbaImage::from_fn(12, 4, |x, y| {
            Rgba([200, 10, 10, if (2..6).contains(&x) && y == 1 { 255 } else { 0 }])
        }));
        let grid =
            Grid::by_counts(sheet.size(), Counts::new(3, 1).unwrap(), Spacing::default(), false).unwrap();
        let drawn =
            draw_cut(&sheet, Background::Clear, &CutPlan::Grid(grid), 3, PixelLimits::default()).unwrap();
        assert_eq!((drawn.marked, drawn.blank), (2, 1));
        let alarm = drawn.image.pixels().filter(|pixel| **pixel == ink::ALARM).count();
        assert_eq!(alarm, 2 * 9);
        let places = CutPlan::Rects(vec![(Rect::new(2, 0, 3, 4), "bar".into())]);
        // One pixel of the bar is in no place, and its neighbor goes on into it.
        assert_eq!(
            draw_cut(&sheet, Background::Clear, &places, 1, PixelLimits::default()).unwrap().marked,
            2
        );
    }
}
