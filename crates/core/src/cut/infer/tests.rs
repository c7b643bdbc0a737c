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

/// A sheet with `lengths` frames in its rows, on transparency or on a color.
fn sheet(
    cell: Size,
    columns: u32,
    lengths: &[u32],
    spacing: Spacing,
    background: Option<Rgba<u8>>,
) -> (Pixels, Grid) {
    let Spacing { offset, gutter } = spacing;
    let side =
        |count: u32, cell: u32, offset: u32, gutter: u32| 2 * offset + count * cell + (count - 1) * gutter;
    let rows = lengths.len() as u32;
    let size =
        Size::new(side(columns, cell.width, offset.x, gutter.x), side(rows, cell.height, offset.y, gutter.y));
    let mut image = RgbaImage::from_pixel(size.width, size.height, background.unwrap_or(Rgba([0; 4])));
    let grid = Grid::by_cell(size, cell, spacing).unwrap();
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

/// Rows of figures on transparency: a firm body in the middle of each cell, and what `around` adds to it.
fn figures(counts: (u32, u32), cell: u32, around: impl Fn(u32, u32) -> [u8; 4]) -> Pixels {
    Pixels::whole(RgbaImage::from_fn(counts.0 * cell, counts.1 * cell, |x, y| {
        let (column, row) = (x / cell, y / cell);
        let (px, py) = (x % cell, y % cell);
        let wobble = (column * 7 + row * 5) % 3;
        let far = |at: u32, middle: u32| at.abs_diff(middle);
        let inside = far(px, cell / 2 + wobble) < cell / 4 && far(py, cell / 2) < cell / 4 + wobble;
        if inside { Rgba([190, (px * 6) as u8, (py * 6) as u8, 255]) } else { Rgba(around(px, py)) }
    }))
}

#[test]
fn a_glow_that_reaches_over_the_lines_does_not_hide_the_firm_drawings() {
    // The glow of every cell runs into its neighbors on all sides.
    let sheet = figures((6, 4), 32, |x, y| if (x + y) % 2 == 0 { [255, 220, 120, 40] } else { [0; 4] });
    let found = find_grid(&sheet);
    assert_eq!(found.candidates[0].grid.counts(), Counts::new(6, 4).unwrap(), "{found:?}");
    assert!(matches!(found.certainty, Certainty::Sure(_)), "{found:?}");
}

#[test]
fn a_solid_sheet_in_a_clear_rim_is_judged_inside_it() {
    let inner = figures((5, 4), 24, |_, _| [40, 60, 90, 255]).to_image();
    let mut image = RgbaImage::new(inner.width() + 6, inner.height() + 6);
    image::imageops::replace(&mut image, &inner, 3, 3);
    let found = find_grid(&Pixels::whole(image));
    let grid = &found.candidates[0].grid;
    assert_eq!(grid.counts(), Counts::new(5, 4).unwrap(), "{found:?}");
    assert_eq!(grid.spacing().offset, Pair { x: 3, y: 3 });
    assert_eq!(grid.cell_size(), Size::new(24, 24));
}

#[test]
fn drawings_that_touch_all_along_a_row_are_parted_where_they_repeat_but_never_surely() {
    // Panels side by side, with room between the rows only.
    let sheet = Pixels::whole(RgbaImage::from_fn(8 * 30, 3 * 34, |x, y| {
        let (px, py) = (x % 30, y % 34);
        let is_clear = !(4..30).contains(&py) || (px + py) % 11 == 0;
        let level = (px * 8) as u8 ^ (py * 5) as u8;
        Rgba(if is_clear { [0; 4] } else { [level, (px * 3) as u8, 90, 255] })
    }));
    let found = find_grid(&sheet);
    assert_eq!(found.candidates[0].grid.counts(), Counts::new(8, 3).unwrap(), "{found:?}");
    assert!(matches!(found.certainty, Certainty::Unsure(_)), "{found:?}");
}

#[test]
fn a_cell_that_may_hold_a_pair_is_not_sure() {
    // Two frames in every cell touch by a thread: 4 columns of 48 px, or 8 of 24?
    let sheet = Pixels::whole(RgbaImage::from_fn(4 * 48, 4 * 28, |x, y| {
        let (px, py) = (x % 24, y % 28);
        let body = (4..20).contains(&px) && (4..24).contains(&py);
        let thread = x % 48 >= 18 && x % 48 < 30 && py == 12;
        let color = [((x / 24 + y / 28) * 9) as u8 + 60, (px * 7) as u8, (py * 7) as u8, 255];
        if body || thread { Rgba(color) } else { Rgba([0; 4]) }
    }));
    let found = find_grid(&sheet);
    let is_right = found.candidates[0].grid.counts() == Counts::new(8, 4).unwrap();
    assert!(is_right || matches!(found.certainty, Certainty::Unsure(_)), "{found:?}");
}

/// Solid tiles with wide gutters, each of another shade.
fn spaced_tiles(side: u32, gutter: u32, counts: (u32, u32)) -> Pixels {
    let pitch = side + gutter;
    let image = RgbaImage::from_fn(counts.0 * pitch - gutter, counts.1 * pitch - gutter, |x, y| {
        let inside = x % pitch < side && y % pitch < side;
        let shade = ((x / pitch * 31 + y / pitch * 57) % 200) as u8;
        Rgba(if inside { [shade, 90, 255 - shade, 255] } else { [0; 4] })
    });
    Pixels::whole(image)
}

#[test]
fn gutters_wider_than_an_offset_may_be_are_found() {
    for gutter in [10, 16, 20, 32] {
        let found = find_grid(&spaced_tiles(32, gutter, (6, 5)));
        let grid = found.candidates[0].grid;
        assert_eq!(
            (grid.counts(), grid.cell_size()),
            (Counts::new(6, 5).unwrap(), Size::new(32, 32)),
            "{gutter}"
        );
        assert_eq!(grid.spacing().gutter, Pair { x: gutter, y: gutter });
    }
}

#[test]
fn cells_that_corridors_part_evenly_are_never_sure() {
    let sheet = spaced_tiles(32, 10, (6, 4));
    let background = Background::Clear;
    let grid = |columns: u32, cell: u32, gutter: u32| {
        let axis = Axis { offset: 0, gutter, count: columns, covered: columns * cell };
        Grid::of_axes(axis, Axis { offset: 0, gutter: 10, count: 4, covered: 4 * 32 })
    };
    assert!(corridors::run_through(&sheet, background, &grid(3, 74, 10)), "pairs");
    assert!(corridors::run_through(&sheet, background, &grid(2, 116, 10)), "threes");
    assert!(!corridors::run_through(&sheet, background, &grid(6, 32, 10)));
}

#[test]
fn what_differs_in_where_a_cell_ends_only_is_one_answer() {
    let (sheet, _) = sheet(Size::new(40, 40), 5, &[5, 5, 5], Spacing::default(), None);
    let found = find_grid(&sheet);
    let mut kinds = found.candidates.clone();
    kinds.dedup_by(|a, b| a.is_of_kind(b));
    assert_eq!(kinds.len(), found.candidates.len());
    assert_eq!(found.candidates[0].grid.spacing(), Spacing::default());
}

#[test]
fn a_name_settles_what_pixels_leave_open_and_never_goes_against_them() {
    // Two cells prove no grid, nor do they with a name; but the name chooses.
    let tiles = Pixels::whole(RgbaImage::from_fn(96, 48, |x, y| {
        let shade = ((x / 16 * 7 + y / 16 * 13) % 5 * 40) as u8;
        Rgba([shade, 255 - shade, ((x * 3 + y * 5) % 11) as u8, 255])
    }));
    let of = |name: &str| find_grid_named(&tiles, &NameHints::of(name)).candidates[0].grid.cell_size();
    assert_eq!(of("tiles_16x16"), Size::new(16, 16));
    let drawn = sheet(Size::new(40, 40), 5, &[5, 5, 5], Spacing::default(), None);
    let found = find_grid_named(&drawn.0, &NameHints::of("hero_50x60"));
    assert_eq!(found.candidates[0].grid, drawn.1);
}
