//! Small sheets whose grid is known. The large corpus is the benchmark `find_grid`.

use image::{Rgba, RgbaImage};

use super::*;
use crate::Cell;
use crate::cut::{Counts, Spacing};
use crate::{Pair, Rect};

/// A drawing in a cell: a blob that depends on the cell, and a spark apart from it.
fn draw(image: &mut RgbaImage, cell: Rect, number: u32) {
    let (cx, cy) =
        (cell.width as i64 / 2 + i64::from(number % 3) - 1, cell.height as i64 / 2 + i64::from(number % 2));
    let (rx, ry) = (cell.width as i64 / 3, cell.height as i64 / 3 - i64::from(number % 4));
    for y in 0..i64::from(cell.height) {
        for x in 0..i64::from(cell.width) {
            let inside = (x - cx).pow(2) * ry * ry + (y - cy).pow(2) * rx * rx <= rx * rx * ry * ry;
            if inside || (x, y) == (2 + i64::from(number % 3), 2) {
                image.put_pixel(
                    cell.x + x as u32,
                    cell.y + y as u32,
                    Rgba([200, 90, (number * 7) as u8, 255]),
                );
            }
        }
    }
}

/// A sheet with `lengths` frames in its rows, on transparency or on a colour.
fn sheet(
    cell: Size,
    columns: u32,
    lengths: &[u32],
    spacing: Spacing,
    ground: Option<Rgba<u8>>,
) -> (Pixels, Grid) {
    let Spacing { offset, gutter } = spacing;
    let side =
        |count: u32, cell: u32, offset: u32, gutter: u32| 2 * offset + count * cell + (count - 1) * gutter;
    let rows = lengths.len() as u32;
    let size =
        Size::new(side(columns, cell.width, offset.x, gutter.x), side(rows, cell.height, offset.y, gutter.y));
    let mut image = RgbaImage::from_pixel(size.width, size.height, ground.unwrap_or(Rgba([0; 4])));
    let grid = Grid::by_cell(size, cell, spacing, false).unwrap();
    let mut number = 0;
    for (row, &length) in (0..).zip(lengths) {
        for column in 0..length {
            draw(&mut image, grid.rect(Cell { row, column }), number);
            number += 1;
        }
    }
    (Pixels::whole(image), grid)
}

#[track_caller]
fn found(sheet: &(Pixels, Grid)) {
    let found = find_grid(&sheet.0);
    assert_eq!(found.candidates[0].grid, sheet.1, "{found:?}");
    assert!(matches!(found.certainty, Certainty::Sure(_)), "{found:?}");
    assert_eq!(found.candidates[0].cut_places, 0);
}

#[test]
fn rows_of_different_length_with_frames_in_pieces() {
    found(&sheet(Size::new(24, 32), 7, &[7, 4, 6, 2], Spacing::default(), None));
    found(&sheet(Size::new(40, 20), 5, &[5, 5, 1], Spacing::default(), Some(Rgba([30, 160, 90, 255]))));
}

#[test]
fn a_strip() {
    found(&sheet(Size::new(30, 26), 9, &[9], Spacing::default(), None));
}

#[test]
fn a_grid_that_only_a_gutter_explains() {
    // 6 cells of 31 with 5 px between them: 211 px, a prime number.
    let spacing = Spacing { gutter: Pair { x: 5, y: 5 }, ..Spacing::default() };
    let (pixels, grid) = sheet(Size::new(31, 28), 6, &[6, 6, 6, 3], spacing, None);
    let found = find_grid(&pixels);
    assert_eq!(found.candidates[0].grid.counts(), grid.counts());
    assert_eq!(found.candidates[0].cut_places, 0);
    let pitch =
        |grid: &Grid| grid.rect(Cell { row: 0, column: 1 }).x - grid.rect(Cell { row: 0, column: 0 }).x;
    assert_eq!(pitch(&found.candidates[0].grid), pitch(&grid));
}

#[test]
fn tiles_that_touch_everywhere() {
    let side = 12;
    let image = RgbaImage::from_fn(side * 8, side * 5, |x, y| {
        let tile = x / side + y / side * 8;
        let (grain, shade) = ((x * 7 + y * 13 + x * y) % 9, tile * 53 % 150);
        Rgba([(60 + shade + grain) as u8, (40 + tile * 31 % 120 + grain) as u8, 90, 255])
    });
    let found = find_grid(&Pixels::whole(image));
    assert_eq!(found.candidates[0].grid.counts(), Counts::new(8, 5).unwrap());
    assert!(matches!(found.certainty, Certainty::Sure(_)));
}

#[test]
fn nothing_drawn_and_one_drawing_are_no_grids() {
    let blank = find_grid(&Pixels::whole(RgbaImage::new(64, 64)));
    assert_eq!(blank.certainty, Certainty::Blank);
    let (one, _) = sheet(Size::new(64, 64), 1, &[1], Spacing::default(), None);
    assert!(matches!(find_grid(&one).certainty, Certainty::Unsure(_)));
}

#[test]
fn confidence_grows_with_the_lead() {
    assert_eq!(Certainty::Unsure(0.0).confidence(), 0.5);
    assert!(Certainty::Sure(SURE).confidence() > 0.99);
    assert_eq!(Certainty::Blank.confidence(), 0.0);
}
