//! An empty sheet to draw on: where each cell is, how it is called, and where its pivot goes.
//!
//! The numbers are here once, for every format that a guide is written in.

use image::{Rgba, RgbaImage};

use crate::surface::Surface;
use crate::text;
use shibori_core::cut::{Counts, Spacing};
use shibori_core::{Cell, Point, Rect, Size};

/// Line and label colors: both show on light and on dark.
const GUIDE_LINE: Rgba<u8> = Rgba([0x1f, 0x9e, 0xc4, 0xff]);
/// The mark of a pivot.
const GUIDE_PIVOT: Rgba<u8> = Rgba([0xd8, 0x9a, 0x1e, 0xff]);

/// A guide sheet.
#[derive(Clone, Debug, PartialEq)]
pub struct Guide {
    /// Columns and rows.
    pub counts: Counts,
    /// The size of a cell.
    pub cell: Size,
    /// Offset before and gutter between cells; after the last cell there is the offset again.
    pub spacing: Spacing,
    /// The pivot in fractions of a cell.
    pub pivot: Point,
    /// Names of rows from the top; rows without one are called by their number.
    pub rows: Vec<String>,
}

/// What goes into one cell.
#[derive(Clone, Debug, PartialEq)]
struct GuideCell {
    /// Its place on the sheet.
    rect: Rect,
    /// What it is called: `r0c3`, or the row's name and the column, as far as it fits.
    label: String,
    /// Its pivot on the sheet.
    pivot: Point,
}

impl Guide {
    /// The longest side of a sheet, in pixels.
    pub const LONGEST: u32 = 65_535;

    /// The sheet's size, or `None` where a side would be longer than [`Self::LONGEST`].
    pub fn size(&self) -> Option<Size> {
        let side = |count: u32, cell: u32, offset: u32, gutter: u32| {
            let length = 2 * u64::from(offset)
                + u64::from(count) * u64::from(cell)
                + (u64::from(count) - 1) * u64::from(gutter);
            u32::try_from(length).ok().filter(|&length| length <= Self::LONGEST)
        };
        let Spacing { offset, gutter } = self.spacing;
        let width = side(self.counts.columns, self.cell.width, offset.x, gutter.x)?;
        Some(Size::new(width, side(self.counts.rows, self.cell.height, offset.y, gutter.y)?))
    }

    /// All cells, row by row.
    fn cells(&self) -> Vec<GuideCell> {
        let Counts { columns, rows } = self.counts;
        let places = (0..rows).flat_map(|row| (0..columns).map(move |column| Cell { row, column }));
        places.map(|cell| self.cell(cell)).collect()
    }

    fn cell(&self, cell: Cell) -> GuideCell {
        let Spacing { offset, gutter } = self.spacing;
        let x = offset.x + cell.column * (self.cell.width + gutter.x);
        let y = offset.y + cell.row * (self.cell.height + gutter.y);
        let at = |start: u32, length: u32, part: f64| f64::from(start) + f64::from(length) * part;
        let pivot = Point::new(at(x, self.cell.width, self.pivot.x), at(y, self.cell.height, self.pivot.y));
        let label = match self.rows.get(cell.row as usize) {
            Some(name) => format!("{name} {}", cell.column),
            None => cell.to_string(),
        };
        GuideCell { rect: Rect::at(x, y, self.cell), label, pivot }
    }
}

/// The guide on transparency: lines just inside the cells, labels in their corners, a cross at each pivot.
/// `None` where the sheet would be too large.
pub fn draw_guide(guide: &Guide) -> Option<RgbaImage> {
    let mut paper = Surface::new(guide.size()?, Rgba([0; 4]));
    for GuideCell { rect, label, pivot } in guide.cells() {
        let (right, bottom) = (rect.x + rect.width - 1, rect.y + rect.height - 1);
        for line in [
            Rect::new(rect.x, rect.y, rect.width, 1),
            Rect::new(rect.x, bottom, rect.width, 1),
            Rect::new(rect.x, rect.y, 1, rect.height),
            Rect::new(right, rect.y, 1, rect.height),
        ] {
            paper.fill(line, GUIDE_LINE);
        }
        let (x, y) = (pivot.x.floor() as u32, pivot.y.floor() as u32);
        let arm = (rect.width.min(rect.height) / 12).clamp(1, 6);
        paper.fill(Rect::new(x.saturating_sub(arm), y.min(bottom), 2 * arm + 1, 1), GUIDE_PIVOT);
        paper.fill(Rect::new(x.min(right), y.saturating_sub(arm), 1, 2 * arm + 1), GUIDE_PIVOT);
        if rect.height >= text::LINE + 6 && rect.width >= 2 * text::LETTER {
            let label = text::fitted(&label, rect.width - 4);
            paper.draw_text(&label, rect.x + 3, rect.y + 2, GUIDE_LINE);
        }
    }
    Some(paper.into_image())
}

/// The same as an SVG drawing. `None` where the sheet would be too large.
pub fn guide_svg(guide: &Guide) -> Option<String> {
    let Size { width, height } = guide.size()?;
    let hex = |color: Rgba<u8>| format!("#{:02x}{:02x}{:02x}", color[0], color[1], color[2]);
    let mut text = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" viewBox=\"0 0 {width} {height}\">\n"
    );
    text += &format!(
        "<style>rect{{fill:none;stroke:{}}} path{{stroke:{};fill:none}} text{{font:8px monospace;fill:{}}}</style>\n",
        hex(GUIDE_LINE),
        hex(GUIDE_PIVOT),
        hex(GUIDE_LINE)
    );
    for GuideCell { rect, label, pivot } in guide.cells() {
        let (x, y) = (f64::from(rect.x) + 0.5, f64::from(rect.y) + 0.5);
        let arm = (rect.width.min(rect.height) / 12).clamp(1, 6);
        text += &format!(
            "<rect x=\"{x}\" y=\"{y}\" width=\"{}\" height=\"{}\"/><path d=\"M{} {}h{}M{} {}v{}\"/><text x=\"{}\" y=\"{}\">{}</text>\n",
            rect.width - 1,
            rect.height - 1,
            pivot.x - f64::from(arm),
            pivot.y,
            2 * arm,
            pivot.x,
            pivot.y - f64::from(arm),
            2 * arm,
            x + 2.5,
            y + 9.5,
            xml_text(&label)
        );
    }
    Some(text + "</svg>\n")
}

fn xml_text(label: &str) -> String {
    label.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

#[cfg(test)]
mod tests {
    use super::*;
    use shibori_core::UVec2;

    #[test]
    fn the_sums_and_the_places() {
        let spacing = Spacing { offset: UVec2 { x: 3, y: 0 }, gutter: UVec2 { x: 2, y: 4 } };
        let guide = Guide {
            counts: Counts::new(8, 2).unwrap(),
            cell: Size::new(130, 96),
            spacing,
            pivot: Point::new(0.5, 1.0),
            rows: vec!["idle".into()],
        };
        assert_eq!(guide.size(), Some(Size::new(3 + 8 * 130 + 7 * 2 + 3, 2 * 96 + 4)));
        let cells = guide.cells();
        assert_eq!((cells[1].rect, cells[1].label.as_str()), (Rect::new(135, 0, 130, 96), "idle 1"));
        assert_eq!((cells[8].label.as_str(), cells[8].pivot), ("r1c0", Point::new(68.0, 196.0)));
        let image = draw_guide(&guide).unwrap();
        assert_eq!(*image.get_pixel(135, 0), GUIDE_LINE);
        assert_eq!(image.get_pixel(134, 50)[3], 0);
        assert_eq!(*image.get_pixel(68, 195), GUIDE_PIVOT);
        assert_eq!(draw_guide(&Guide { counts: Counts::new(9999, 9999).unwrap(), ..guide }), None);
    }
}
