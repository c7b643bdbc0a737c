//! Small sheets whose grid is known. The large corpus is the benchmark `find_grid`.

use image::{Rgba, RgbaImage};

use super::*;
use crate::cut::{Counts, Spacing, find_crossings};
use crate::{Cell, Pixels};
use crate::{Rect, UVec2};

fn detect(sheet: &Pixels) -> GridDetection {
    detect_grid(&SheetAnalysis::of(sheet))
}

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
    (Pixels::from_image(image), grid)
}

#[track_caller]
fn found(sheet: &(Pixels, Grid)) {
    let found = detect(&sheet.0);
    assert_eq!(found.candidates[0].grid, sheet.1, "{found:?}");
    assert!(found.is_sure(), "{found:?}");
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
    let spacing = Spacing { gutter: UVec2 { x: 5, y: 5 }, ..Spacing::default() };
    let (pixels, grid) = sheet(Size::new(31, 28), 6, &[6, 6, 6, 3], spacing, None);
    let found = detect(&pixels);
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
    let found = detect(&Pixels::from_image(image));
    assert_eq!(found.candidates[0].grid.counts(), Counts::new(8, 5).unwrap());
    assert!(found.is_sure());
}

#[test]
fn nothing_drawn_and_one_drawing_are_no_grids() {
    let blank = detect(&Pixels::from_image(RgbaImage::new(64, 64)));
    assert!(blank.is_blank() && blank.confidence() == 0.0);
    let (one, _) = sheet(Size::new(64, 64), 1, &[1], Spacing::default(), None);
    assert!(!detect(&one).is_sure());
}

#[test]
fn a_picture_whose_size_is_usual_is_no_sheet_of_squares() {
    // Sizes and shapes that cells usually have say nothing of what is in one picture.
    for seed in 0..40u32 {
        let grain = |x: u32, y: u32| (x * (31 + seed) + y * (17 + 3 * seed) + x * y * seed) % 97;
        let picture = RgbaImage::from_fn(16, 16, |x, y| {
            let is_round = (x.abs_diff(8)).pow(2) + (y.abs_diff(8)).pow(2) < 60 + seed;
            Rgba([
                (grain(x, y) * 2) as u8,
                90,
                (grain(y, x) * 2) as u8,
                if is_round || seed % 2 == 0 { 255 } else { 0 },
            ])
        });
        let found = detect(&Pixels::from_image(picture));
        assert!(!found.is_sure(), "{seed}: {found:?}");
    }
}

#[test]
fn confidence_grows_with_the_lead() {
    let found = |lead: f64, doubts: Vec<Doubt>| {
        GridDetection { candidates: Vec::new(), lead, doubts, background: Background::Clear }.confidence()
    };
    assert_eq!(found(0.0, vec![Doubt::CloseSecond]), 0.5);
    assert!(found(sureness::SURE, Vec::new()) > 0.99);
    assert_eq!(found(0.0, vec![Doubt::Blank]), 0.0);
}

/// Rows of figures on transparency: a firm body in the middle of each cell, and what `around` adds to it.
fn figures(counts: (u32, u32), cell: u32, around: impl Fn(u32, u32) -> [u8; 4]) -> Pixels {
    Pixels::from_image(RgbaImage::from_fn(counts.0 * cell, counts.1 * cell, |x, y| {
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
    let found = detect(&sheet);
    assert_eq!(found.candidates[0].grid.counts(), Counts::new(6, 4).unwrap(), "{found:?}");
    assert!(found.is_sure(), "{found:?}");
}

#[test]
fn a_solid_sheet_in_a_clear_rim_is_judged_inside_it() {
    let inner = figures((5, 4), 24, |_, _| [40, 60, 90, 255]).to_image();
    let mut image = RgbaImage::new(inner.width() + 6, inner.height() + 6);
    image::imageops::replace(&mut image, &inner, 3, 3);
    let found = detect(&Pixels::from_image(image));
    let grid = &found.candidates[0].grid;
    assert_eq!(grid.counts(), Counts::new(5, 4).unwrap(), "{found:?}");
    assert_eq!(grid.spacing().offset, UVec2 { x: 3, y: 3 });
    assert_eq!(grid.cell_size(), Size::new(24, 24));
}

#[test]
fn drawings_that_touch_all_along_a_row_are_parted_where_they_repeat_but_never_surely() {
    // Panels side by side, with room between the rows only.
    let sheet = Pixels::from_image(RgbaImage::from_fn(8 * 30, 3 * 34, |x, y| {
        let (px, py) = (x % 30, y % 34);
        let is_clear = !(4..30).contains(&py) || (px + py) % 11 == 0;
        let level = (px * 8) as u8 ^ (py * 5) as u8;
        Rgba(if is_clear { [0; 4] } else { [level, (px * 3) as u8, 90, 255] })
    }));
    let found = detect(&sheet);
    assert_eq!(found.candidates[0].grid.counts(), Counts::new(8, 3).unwrap(), "{found:?}");
    assert!(!found.is_sure(), "{found:?}");
}

#[test]
fn a_cell_that_may_hold_a_pair_is_not_sure() {
    // Two frames in every cell touch by a thread: 4 columns of 48 px, or 8 of 24?
    let sheet = Pixels::from_image(RgbaImage::from_fn(4 * 48, 4 * 28, |x, y| {
        let (px, py) = (x % 24, y % 28);
        let body = (4..20).contains(&px) && (4..24).contains(&py);
        let thread = x % 48 >= 18 && x % 48 < 30 && py == 12;
        let color = [((x / 24 + y / 28) * 9) as u8 + 60, (px * 7) as u8, (py * 7) as u8, 255];
        if body || thread { Rgba(color) } else { Rgba([0; 4]) }
    }));
    let found = detect(&sheet);
    let is_right = found.candidates[0].grid.counts() == Counts::new(8, 4).unwrap();
    assert!(is_right || !found.is_sure(), "{found:?}");
}

/// Solid tiles with wide gutters, each of another shade.
fn spaced_tiles(side: u32, gutter: u32, counts: (u32, u32)) -> Pixels {
    let pitch = side + gutter;
    let image = RgbaImage::from_fn(counts.0 * pitch - gutter, counts.1 * pitch - gutter, |x, y| {
        let inside = x % pitch < side && y % pitch < side;
        let shade = ((x / pitch * 31 + y / pitch * 57) % 200) as u8;
        Rgba(if inside { [shade, 90, 255 - shade, 255] } else { [0; 4] })
    });
    Pixels::from_image(image)
}

#[test]
fn gutters_wider_than_an_offset_may_be_are_found() {
    for gutter in [10, 16, 20, 32] {
        let found = detect(&spaced_tiles(32, gutter, (6, 5)));
        let grid = found.candidates[0].grid;
        assert_eq!(
            (grid.counts(), grid.cell_size()),
            (Counts::new(6, 5).unwrap(), Size::new(32, 32)),
            "{gutter}"
        );
        assert_eq!(grid.spacing().gutter, UVec2 { x: gutter, y: gutter });
    }
}

#[test]
fn what_differs_in_where_a_cell_ends_only_is_one_answer() {
    let (sheet, _) = sheet(Size::new(40, 40), 5, &[5, 5, 5], Spacing::default(), None);
    let found = detect(&sheet);
    let mut kinds = found.candidates.clone();
    kinds.dedup_by(|a, b| a.answer(sheet.size()) == b.answer(sheet.size()));
    assert_eq!(kinds.len(), found.candidates.len());
    assert_eq!(found.candidates[0].grid.spacing(), Spacing::default());
}

#[test]
fn a_name_settles_what_pixels_leave_open_and_never_goes_against_them() {
    // Two cells prove no grid, nor do they with a name; but the name chooses.
    let tiles = Pixels::from_image(RgbaImage::from_fn(96, 48, |x, y| {
        let shade = ((x / 16 * 7 + y / 16 * 13) % 5 * 40) as u8;
        Rgba([shade, 255 - shade, ((x * 3 + y * 5) % 11) as u8, 255])
    }));
    let of = |name: &str| {
        detect_grid_with_hints(&SheetAnalysis::of(&tiles), &NameHints::of(name)).candidates[0]
            .grid
            .cell_size()
    };
    assert_eq!(of("tiles_16x16"), Size::new(16, 16));
    let drawn = sheet(Size::new(40, 40), 5, &[5, 5, 5], Spacing::default(), None);
    let found = detect_grid_with_hints(&SheetAnalysis::of(&drawn.0), &NameHints::of("hero_50x60"));
    assert_eq!(found.candidates[0].grid, drawn.1);
}

#[test]
fn enlarged_art_is_cut_as_the_art_itself() {
    let (art, grid) = sheet(Size::new(18, 20), 6, &[6, 6, 4], Spacing::default(), None);
    for factor in [2, 3, 4] {
        let large = art.to_image();
        let size = (large.width() * factor, large.height() * factor);
        let large = image::imageops::resize(&large, size.0, size.1, image::imageops::FilterType::Nearest);
        let found = detect(&Pixels::from_image(large));
        assert_eq!(found.candidates[0].grid, grid.enlarged(factor));
        assert!(found.is_sure(), "{found:?}");
    }
}

#[test]
fn a_tile_set_in_groups_is_found_by_the_sides_of_its_tiles() {
    // Blocks of tiles that touch, with room between the blocks; some tiles are slopes.
    let side = 16;
    let image = RgbaImage::from_fn(side * 20, side * 10, |x, y| {
        let (column, row) = (x / side, y / side);
        let is_tile = column % 5 < 3 && row % 4 < 3 && (column + 3 * row) % 7 != 0;
        let is_slope = (column * 3 + row) % 6 == 0 && x % side + y % side < side;
        let grain = (x * 13 + y * 29 + x * y) % 40;
        let shade = (90 + grain + column * 31 % 60) as u8;
        if is_tile && !is_slope { Rgba([shade, 200 - shade, grain as u8, 255]) } else { Rgba([0; 4]) }
    });
    let found = detect(&Pixels::from_image(image));
    assert_eq!(found.candidates[0].grid.cell_size(), Size::new(side, side), "{found:?}");
    assert!(found.is_sure(), "{found:?}");
}

/// A sheet in the corner of a larger page.
fn on_page(sheet: &Pixels, width: u32, height: u32) -> Pixels {
    let mut page = RgbaImage::new(width, height);
    image::imageops::replace(&mut page, &sheet.to_image(), 0, 0);
    Pixels::from_image(page)
}

#[test]
fn a_page_larger_than_its_grid_leaves_a_rest() {
    let drawn = figures((6, 5), 40, |_, _| [0; 4]);
    let page = on_page(&drawn, 256, 222);
    let found = detect(&page);
    let best = found.candidates[0].grid;
    assert_eq!(
        (best.counts(), best.cell_size()),
        (Counts::new(6, 5).unwrap(), Size::new(40, 40)),
        "{found:?}"
    );
    assert_eq!(best.remainder(page.size()), UVec2 { x: 16, y: 22 });
}

#[test]
fn the_reading_that_stands_for_a_kind_loses_no_pixel_and_shows_the_gutters_of_full_cells() {
    let axis =
        |gutter: u32, count: u32, cell: u32| Division { offset: 0, gutter, count, covered: count * cell };
    let cards = spaced_tiles(14, 6, (5, 4));
    let loose = Grid::of_axes(axis(2, 5, 18), axis(1, 4, 19));
    let canonical = canonical_grid::canonicalize(&loose, &SheetAnalysis::of(&cards));
    assert_eq!(
        (canonical.cell_size(), canonical.spacing().gutter),
        (Size::new(14, 14), UVec2 { x: 6, y: 6 })
    );
    // Round drawings as wide as the pitch in the middle row only.
    let round = Pixels::from_image(RgbaImage::from_fn(60, 20, |x, y| {
        let is_inside = (x % 20).abs_diff(10) + y.abs_diff(10) <= 9;
        Rgba([80, 90, 100, if is_inside { 255 } else { 0 }])
    }));
    let narrow = Grid::of_axes(axis(4, 3, 16), axis(0, 1, 20));
    let canonical = canonical_grid::canonicalize(&narrow, &SheetAnalysis::of(&round));
    assert!((0..3).all(|column| canonical.rect(Cell { row: 0, column }).width >= 19), "{canonical:?}");
    assert!(find_crossings(&round, Background::Clear, &canonical).is_empty());
}

#[test]
fn a_long_sheet_that_tells_nothing_is_proposed_as_a_strip_of_squares() {
    let noise = |x: u32, y: u32| (x * 7919 + y * 104_729 + x * y * 31) % 251;
    let image = RgbaImage::from_fn(120, 15, |x, y| Rgba([noise(x, y) as u8, noise(y, x) as u8, 90, 255]));
    let found = detect(&Pixels::from_image(image));
    assert_eq!(found.candidates[0].grid.counts(), Counts::new(8, 1).unwrap(), "{found:?}");
    assert!(!found.is_sure());
}

#[test]
fn any_small_picture_is_looked_at_and_none_breaks_the_finder() {
    let noise = |x: u32, y: u32| (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(40_503)) >> 9;
    for (width, height) in (1..=25).flat_map(|width| (1..=25).map(move |height| (width, height))) {
        let image = RgbaImage::from_fn(width, height, |x, y| {
            let value = noise(x, y);
            Rgba([value as u8, (value >> 8) as u8, 90, 255])
        });
        detect(&Pixels::from_image(image));
    }
    for (width, height) in [(16, 1), (64, 4), (36, 4), (4, 64), (1, 400), (300, 2)] {
        detect(&Pixels::from_image(RgbaImage::from_pixel(width, height, Rgba([9, 9, 9, 255]))));
    }
}
