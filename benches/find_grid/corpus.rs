//! Sheets of every kind that artists have, made by chance from the demo art or from a folder of frames, each with the truth.

use std::path::Path;

use image::{Rgba, RgbaImage, imageops};
use shibori_core::cut::{Counts, Grid, Spacing};
use shibori_core::{Size, UVec2};
use shibori_formats::decode::{ReadOptions, source};

use crate::random::Random;

pub(crate) struct Sheet {
    pub(crate) image: RgbaImage,
    pub(crate) truth: Grid,
}

pub(crate) struct Kind {
    pub(crate) name: &'static str,
    pub(crate) make: fn(&Art, &mut Random) -> Sheet,
}

pub(crate) const KINDS: [Kind; 19] = [
    Kind { name: "plain", make: |art, r| Plan::new(r).build(art, r) },
    Kind { name: "flat color", make: |art, r| Plan { ground: Ground::Flat, ..Plan::new(r) }.build(art, r) },
    Kind { name: "noisy color", make: |art, r| Plan { ground: Ground::Noisy, ..Plan::new(r) }.build(art, r) },
    Kind { name: "pieces", make: |art, r| Plan { pieces: true, ..Plan::new(r) }.build(art, r) },
    Kind {
        name: "drifting",
        make: |art, r| Plan { drift: 5, padding: (6, 14), ..Plan::new(r) }.build(art, r),
    },
    Kind { name: "short row", make: |art, r| Plan { short: true, ..Plan::new(r) }.build(art, r) },
    Kind { name: "many blanks", make: |art, r| Plan { blank: 45, ..Plan::new(r) }.build(art, r) },
    Kind { name: "not square", make: |art, r| Plan { stretch: true, ..Plan::new(r) }.build(art, r) },
    Kind { name: "strip", make: strip },
    Kind { name: "spaced", make: |art, r| Plan { spaced: true, tight: true, ..Plan::new(r) }.build(art, r) },
    Kind { name: "ragged", make: |art, r| Plan { ragged: true, ..Plan::new(r) }.build(art, r) },
    Kind { name: "tight", make: |art, r| Plan { tight: true, ..Plan::new(r) }.build(art, r) },
    Kind { name: "burst", make: |art, r| if art.is_own { burst(r) } else { effects(art, r) } },
    Kind {
        name: "tiles",
        make: |art, r| if art.tiles.is_empty() { tiles(r) } else { cells_of(&art.tiles, r) },
    },
    Kind { name: "page", make: page },
    Kind { name: "one picture", make: one_picture },
    Kind {
        name: "tile set",
        make: |art, r| {
            let squares: Vec<&Vec<RgbaImage>> =
                art.tiles.iter().filter(|set| set[0].width() == set[0].height()).collect();
            if squares.is_empty() { tile_set(&[&own_tiles(r)], r) } else { tile_set(&squares, r) }
        },
    },
    Kind { name: "font", make: |art, r| if art.fonts.is_empty() { font(r) } else { letters(&art.fonts, r) } },
    Kind {
        name: "uneven",
        make: |art, r| Plan { uneven: true, columns: r.within(2, 6), ..Plan::new(r) }.build(art, r),
    },
];

/// Frames to make sheets of.
pub(crate) struct Art {
    /// Each sprite's frames, trimmed.
    sprites: Vec<Vec<RgbaImage>>,
    /// Frames that fill their cells, a set of tiles each.
    tiles: Vec<Vec<RgbaImage>>,
    /// Small frames in their cells, as fonts have them.
    fonts: Vec<Vec<RgbaImage>>,
    /// Whether it is the demo art.
    is_own: bool,
}

/// Of more frames of one kind, the first so many are enough.
const MOST_FRAMES: usize = 300;
/// Cells of fonts are no wider.
const WIDEST_LETTER: u32 = 20;

impl Art {
    pub(crate) fn load() -> Self {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../crates/cli/demo/art");
        let cut = |file: &str, width: u32, height: u32| -> Vec<RgbaImage> {
            let set = source(&folder.join(file), &ReadOptions::default()).expect("demo art can be read").set;
            let frames: Vec<RgbaImage> = set.frames().iter().map(|f| f.pixels().to_image()).collect();
            frames
                .iter()
                .flat_map(|sheet| cells(sheet, width, height))
                .filter_map(|cell| trimmed(&cell))
                .collect()
        };
        let sprites = vec![
            cut("koi.png", 32, 32),
            cut("frog.png", 32, 32),
            cut("duckling.png", 24, 24),
            cut("heron.png", 56, 64),
            cut("firefly.gif", 24, 24),
            cut("lantern", 32, 44),
            cut("signboard.png", 48, 48),
        ];
        Self { sprites, tiles: Vec::new(), fonts: Vec::new(), is_own: true }
    }

    /// Frames from a folder: each folder in it is a sprite, a set of tiles or a font, a PNG per frame.
    pub(crate) fn from_folder(folder: &Path) -> Self {
        let mut art = Self { sprites: Vec::new(), tiles: Vec::new(), fonts: Vec::new(), is_own: false };
        let mut folders: Vec<_> =
            std::fs::read_dir(folder).expect("a folder").flatten().map(|e| e.path()).collect();
        folders.sort();
        for folder in folders.iter().filter(|path| path.is_dir()) {
            let set = source(folder, &ReadOptions::default()).expect("frames can be read").set;
            let frames: Vec<RgbaImage> =
                set.frames().iter().take(MOST_FRAMES).map(|f| f.pixels().to_image()).collect();
            let is_full = |frame: &&RgbaImage| frame.pixels().all(|pixel| pixel[3] == 255);
            let full = frames.iter().filter(is_full).count();
            let is_small = frames[0].width() <= WIDEST_LETTER && frames.len() > 90;
            match (full * 5 > frames.len() * 4, is_small) {
                (true, _) => art.tiles.push(frames),
                (false, true) => art.fonts.push(frames),
                (false, false) => art.sprites.push(frames.iter().filter_map(trimmed).collect()),
            }
        }
        art
    }

    /// Every `count`th sprite, tile set and font, from the one at `first`.
    pub(crate) fn part(&self, first: usize, count: usize) -> Self {
        let part = |all: &[Vec<RgbaImage>]| all.iter().skip(first).step_by(count).cloned().collect();
        Self {
            sprites: part(&self.sprites),
            tiles: part(&self.tiles),
            fonts: part(&self.fonts),
            is_own: self.is_own,
        }
    }
}

fn cells(sheet: &RgbaImage, width: u32, height: u32) -> Vec<RgbaImage> {
    let corner = |x, y| imageops::crop_imm(sheet, x * width, y * height, width, height).to_image();
    let (columns, rows) = (sheet.width() / width, sheet.height() / height);
    (0..rows).flat_map(|y| (0..columns).map(move |x| (x, y))).map(|(x, y)| corner(x, y)).collect()
}

fn trimmed(cell: &RgbaImage) -> Option<RgbaImage> {
    let pixels = shibori_core::Pixels::from_image(cell.clone());
    Some(pixels.crop(pixels.content_bounds(0)?)?.to_image())
}

enum Ground {
    Clear,
    Flat,
    Noisy,
}

/// What a sheet is like.
struct Plan {
    columns: u32,
    rows: u32,
    ground: Ground,
    pieces: bool,
    drift: u32,
    padding: (u32, u32),
    short: bool,
    blank: u32,
    stretch: bool,
    spaced: bool,
    ragged: bool,
    tight: bool,
    uneven: bool,
}

impl Plan {
    fn new(random: &mut Random) -> Self {
        Self {
            columns: random.within(3, 10),
            rows: random.within(2, 8),
            ground: Ground::Clear,
            pieces: false,
            drift: 1,
            padding: (1, 10),
            short: false,
            blank: 0,
            stretch: false,
            spaced: false,
            ragged: false,
            tight: false,
            uneven: false,
        }
    }

    fn build(&self, art: &Art, random: &mut Random) -> Sheet {
        let zoom = *random.pick(&[1, 1, 1, 2, 3]);
        let frames: Vec<RgbaImage> =
            random.pick(&art.sprites).iter().map(|frame| zoomed(frame, zoom)).collect();
        let largest = frames.iter().fold((0, 0), |s, f| (s.0.max(f.width()), s.1.max(f.height())));
        let mut pad = || {
            if self.spaced {
                0
            } else if self.tight {
                random.within(0, 1)
            } else {
                random.within(self.padding.0, self.padding.1)
            }
        };
        let (mut width, mut height) = (largest.0 + 2 * pad(), largest.1 + 2 * pad());
        if self.stretch {
            let more = random.within(12, 40);
            if random.chance(50) { width += more } else { height += more }
        }
        let spacing = if self.spaced {
            let offset = if random.chance(60) { random.within(1, 8) } else { 0 };
            let gutter = if offset == 0 || random.chance(70) { random.within(1, 8) } else { 0 };
            Spacing { offset: UVec2 { x: offset, y: offset }, gutter: UVec2 { x: gutter, y: gutter } }
        } else {
            Spacing::default()
        };
        let (grid, image) = empty(self.columns, self.rows, Size::new(width, height), spacing, random);
        let (grid, mut image) = if self.uneven { widened(&grid, &image, random) } else { (grid, image) };
        let anchor = (random.within(0, 2), random.within(0, 2));
        // Spaced sheets are often of solid cards or tiles.
        let is_card = self.spaced && random.chance(50);
        let card = Rgba([random.within(40, 200) as u8, random.within(40, 200) as u8, 90, 255]);
        let mut number = 0;
        for row in 0..self.rows {
            let length = match (self.ragged, self.short && row + 1 == self.rows) {
                (true, _) => random.within(1, self.columns),
                (_, true) => random.within(1, self.columns - 1),
                _ => self.columns,
            };
            for column in 0..length {
                if random.chance(self.blank) {
                    continue;
                }
                let cell = grid.rect(shibori_core::Cell { row, column });
                let frame = &frames[number % frames.len()];
                number += 1;
                if is_card {
                    let back = RgbaImage::from_pixel(cell.width, cell.height, card);
                    imageops::replace(&mut image, &back, i64::from(cell.x), i64::from(cell.y));
                }
                let place = |room: u32, size: u32, anchor: u32, slip: i64| {
                    let spare = i64::from(room) - i64::from(size);
                    (spare * i64::from(anchor) / 2 + slip).clamp(0, spare)
                };
                let reach = if self.tight { 0 } else { self.drift * zoom };
                let (slip_x, slip_y) = (random.around(reach), random.around(reach));
                let x = place(width, frame.width(), if self.drift > 1 { 1 } else { anchor.0 }, slip_x);
                let y = place(height, frame.height(), if self.drift > 1 { 1 } else { anchor.1 }, slip_y);
                imageops::overlay(&mut image, frame, i64::from(cell.x) + x, i64::from(cell.y) + y);
                if self.pieces {
                    scatter(&mut image, cell, random);
                }
            }
        }
        on_ground(&mut image, &self.ground, random);
        Sheet { image, truth: grid }
    }
}

/// The same cells on a sheet of a width that they share out unevenly.
fn widened(grid: &Grid, image: &RgbaImage, random: &mut Random) -> (Grid, RgbaImage) {
    let counts = grid.counts();
    let size = Size::new(image.width() + random.within(1, counts.columns - 1), image.height());
    let grid = Grid::by_counts(size, counts, Spacing::default(), true).expect("cells have room");
    (grid, RgbaImage::new(size.width, size.height))
}

/// Sparks and crumbs beside the drawing, each a piece of its own.
fn scatter(image: &mut RgbaImage, cell: shibori_core::Rect, random: &mut Random) {
    for _ in 0..random.within(1, 4) {
        let size = random.within(1, 3);
        let x = cell.x + random.within(0, cell.width - size);
        let y = cell.y + random.within(0, cell.height - size);
        let color = Rgba([250, random.within(150, 250) as u8, 90, 255]);
        for (dx, dy) in (0..size).flat_map(|dx| (0..size).map(move |dy| (dx, dy))) {
            image.put_pixel(x + dx, y + dy, color);
        }
    }
}

fn zoomed(image: &RgbaImage, zoom: u32) -> RgbaImage {
    imageops::resize(image, image.width() * zoom, image.height() * zoom, imageops::FilterType::Nearest)
}

/// A blank sheet for a grid; with spacing it ends after the last cell, with a gutter, or as it began.
fn empty(columns: u32, rows: u32, cell: Size, spacing: Spacing, random: &mut Random) -> (Grid, RgbaImage) {
    let Spacing { offset, gutter } = spacing;
    // Where offset and end together are a gutter, the sheet is the same picture as a plain grid of wider cells.
    let ends = [0, gutter.x, offset.x].into_iter().filter(|end| gutter.x == 0 || offset.x + end != gutter.x);
    let ends: Vec<u32> = ends.collect();
    let end = *random.pick(&ends);
    let length =
        |count: u32, cell: u32, offset: u32, gutter: u32| offset + count * cell + (count - 1) * gutter + end;
    let size = Size::new(
        length(columns, cell.width, offset.x, gutter.x),
        length(rows, cell.height, offset.y, gutter.y),
    );
    let grid = Grid::by_cell(size, cell, spacing).expect("the sheet was made for it");
    assert_eq!(grid.counts(), Counts::new(columns, rows).unwrap());
    (grid, RgbaImage::new(size.width, size.height))
}

fn on_ground(image: &mut RgbaImage, ground: &Ground, random: &mut Random) {
    if matches!(ground, Ground::Clear) {
        return;
    }
    let color = [random.within(20, 230), random.within(20, 230), random.within(20, 230)];
    let noise = if matches!(ground, Ground::Noisy) { random.within(1, 4) } else { 0 };
    for pixel in image.pixels_mut() {
        let shade = |channel: u32, random: &mut Random| {
            (i64::from(channel) + random.around(noise)).clamp(0, 255) as u8
        };
        let [r, g, b] = color.map(|channel| shade(channel, random));
        let top = *pixel;
        *pixel = shibori_core::over(Rgba([r, g, b, 255]), top);
    }
}

fn strip(art: &Art, random: &mut Random) -> Sheet {
    let columns = random.within(3, 14);
    Plan { columns, rows: 1, ..Plan::new(random) }.build(art, random)
}

/// A sheet on a page of powers of two, as textures are, with room at the right and at the bottom.
fn page(art: &Art, random: &mut Random) -> Sheet {
    let sheet = Plan::new(random).build(art, random);
    let size = (sheet.image.width() + 1, sheet.image.height() + 1);
    let mut image = RgbaImage::new(size.0.next_power_of_two(), size.1.next_power_of_two());
    imageops::replace(&mut image, &sheet.image, 0, 0);
    // A page holds as many cells as there is room for; those after the sheet's own are blank.
    let cell = sheet.truth.cell_size();
    let counts = Counts::new(image.width() / cell.width, image.height() / cell.height).expect("a cell fits");
    let page = Size::new(image.width(), image.height());
    let truth = Grid::by_both(page, counts, cell, Spacing::default()).expect("they fit");
    Sheet { image, truth }
}

/// A single drawing or tile in its cell: no sheet, so nothing is to be cut.
fn one_picture(art: &Art, random: &mut Random) -> Sheet {
    let all: Vec<&Vec<RgbaImage>> = art.sprites.iter().chain(&art.tiles).chain(&art.fonts).collect();
    let (frames, zoom) = (*random.pick(&all), *random.pick(&[1, 1, 2]));
    let frame = zoomed(random.pick(frames), zoom);
    let pad = random.within(0, 6);
    let size = Size::new(frame.width() + 2 * pad, frame.height() + 2 * pad);
    let (grid, mut image) = empty(1, 1, size, Spacing::default(), random);
    imageops::overlay(&mut image, &frame, i64::from(pad), i64::from(pad));
    Sheet { image, truth: grid }
}

/// Tiles in groups with room between them, some of them cut off aslant.
fn tile_set(squares: &[&Vec<RgbaImage>], random: &mut Random) -> Sheet {
    let frames = *random.pick(squares);
    let side = frames[0].width();
    let (columns, rows) = (random.within(8, 20), random.within(6, 14));
    let (grid, mut image) = empty(columns, rows, Size::new(side, side), Spacing::default(), random);
    let (wide, high) = (random.within(2, 4), random.within(2, 4));
    let mut at = random.within(0, frames.len() as u32 - 1) as usize;
    for (row, column) in (0..rows).flat_map(|row| (0..columns).map(move |column| (row, column))) {
        if column % (wide + 1) == wide || row % (high + 1) == high || random.chance(10) {
            continue;
        }
        at = (at + 1) % frames.len();
        let mut tile = frames[at].clone();
        if random.chance(20) {
            for (x, y) in (0..side).flat_map(|x| (0..side).map(move |y| (x, y))).filter(|(x, y)| x + y < side)
            {
                tile.put_pixel(x, y, Rgba([0; 4]));
            }
        }
        let cell = grid.rect(shibori_core::Cell { row, column });
        imageops::replace(&mut image, &tile, i64::from(cell.x), i64::from(cell.y));
    }
    Sheet { image, truth: grid }
}

/// Tiles of the sheet that [`tiles`] draws.
fn own_tiles(random: &mut Random) -> Vec<RgbaImage> {
    let sheet = tiles(random);
    let side = sheet.truth.cell_size().width;
    cells(&sheet.image, side, side)
}

/// A burst of sparks that flies apart: the last frames are a few specks.
fn burst(random: &mut Random) -> Sheet {
    let side = *random.pick(&[24, 32, 48, 64]);
    let (columns, rows) = (random.within(4, 8), random.within(1, 4));
    let (grid, mut image) = empty(columns, rows, Size::new(side, side), Spacing::default(), random);
    let sparks: Vec<(f64, f64, f64)> = (0..random.within(14, 40))
        .map(|_| {
            let turn = f64::from(random.within(0, 6283)) / 1000.0;
            (turn.cos(), turn.sin(), f64::from(random.within(30, 100)) / 100.0)
        })
        .collect();
    let count = columns * rows;
    for at in 0..count {
        let cell = grid.rect(shibori_core::Cell { row: at / columns, column: at % columns });
        let age = f64::from(at + 1) / f64::from(count);
        for (number, (dx, dy, speed)) in sparks.iter().enumerate() {
            // Sparks go out one by one.
            if f64::from(number as u32) / sparks.len() as f64 > 1.25 - age {
                continue;
            }
            let far = age * speed * (f64::from(side) / 2.0 - 2.0);
            let size = if age < 0.4 { 3 } else { 1 };
            for (px, py) in (0..size).flat_map(|px| (0..size).map(move |py| (px, py))) {
                let x = f64::from(side) / 2.0 + dx * far + f64::from(px) - 1.0;
                let y = f64::from(side) / 2.0 + dy * far + f64::from(py) - 1.0;
                image.put_pixel(
                    cell.x + (x as u32).min(side - 1),
                    cell.y + (y as u32).min(side - 1),
                    Rgba([255, 210, 90, 255]),
                );
            }
        }
    }
    Sheet { image, truth: grid }
}

/// An effect or any other sprite, on cells of a power of two that hold it loosely.
fn effects(art: &Art, random: &mut Random) -> Sheet {
    let frames = random.pick(&art.sprites);
    let largest = frames.iter().map(|f| f.width().max(f.height())).max().unwrap_or(1);
    let side = (largest + 2).next_power_of_two();
    let (columns, rows) = (random.within(4, 8), random.within(1, 4));
    let (grid, mut image) = empty(columns, rows, Size::new(side, side), Spacing::default(), random);
    for at in 0..columns * rows {
        let cell = grid.rect(shibori_core::Cell { row: at / columns, column: at % columns });
        let frame = &frames[at as usize % frames.len()];
        let (x, y) = ((side - frame.width()) / 2, (side - frame.height()) / 2);
        imageops::overlay(&mut image, frame, i64::from(cell.x + x), i64::from(cell.y + y));
    }
    Sheet { image, truth: grid }
}

/// Tiles of a set beside each other, some of them several times in a row.
fn cells_of(sets: &[Vec<RgbaImage>], random: &mut Random) -> Sheet {
    let frames = random.pick(sets);
    // Blank tiles and letters make a blank sheet.
    let is_drawn = |frame: &&RgbaImage| frame.pixels().any(|pixel| pixel != frame.get_pixel(0, 0));
    let drawn: Vec<&RgbaImage> = frames.iter().filter(is_drawn).collect();
    let frames = if drawn.len() > 3 { drawn } else { frames.iter().collect() };
    let size = Size::new(frames[0].width(), frames[0].height());
    let (columns, rows) = (random.within(4, 12), random.within(3, 10));
    let (grid, mut image) = empty(columns, rows, size, Spacing::default(), random);
    let first = random.within(0, frames.len() as u32 - 1);
    let mut at = first;
    for row in 0..rows {
        for column in 0..columns {
            // As in a set, one after another; or one again.
            at = if random.chance(10) { at } else { at + 1 };
            let cell = grid.rect(shibori_core::Cell { row, column });
            imageops::replace(
                &mut image,
                frames[at as usize % frames.len()],
                i64::from(cell.x),
                i64::from(cell.y),
            );
        }
    }
    Sheet { image, truth: grid }
}

/// Letters of a font in its own cells, 16 or 32 a row.
fn letters(fonts: &[Vec<RgbaImage>], random: &mut Random) -> Sheet {
    let frames = random.pick(fonts);
    let zoom = *random.pick(&[1, 1, 2]);
    let size = Size::new(frames[0].width() * zoom, frames[0].height() * zoom);
    let columns = *random.pick(&[16, 32]);
    let rows = random.within(3, 8);
    let (grid, mut image) = empty(columns, rows, size, Spacing::default(), random);
    for at in 0..columns * rows {
        let Some(frame) = frames.get(at as usize) else { break };
        let cell = grid.rect(shibori_core::Cell { row: at / columns, column: at % columns });
        imageops::replace(&mut image, &zoomed(frame, zoom), i64::from(cell.x), i64::from(cell.y));
    }
    Sheet { image, truth: grid }
}

/// Tiles without a background: neighbors touch everywhere.
fn tiles(random: &mut Random) -> Sheet {
    let side = *random.pick(&[8, 12, 16, 16, 24, 32]);
    let (columns, rows) = (random.within(4, 12), random.within(3, 10));
    let (grid, mut image) = empty(columns, rows, Size::new(side, side), Spacing::default(), random);
    let grounds: [[u32; 3]; 6] =
        [[70, 120, 60], [120, 90, 60], [60, 90, 140], [130, 130, 140], [150, 120, 70], [60, 60, 80]];
    for row in 0..rows {
        let family = *random.pick(&grounds);
        for column in 0..columns {
            let own = if random.chance(50) { *random.pick(&grounds) } else { family };
            let (family, other, brick) = (own, *random.pick(&grounds), random.within(5, 9));
            let (style, phase) = (random.within(0, 4), random.within(0, 7));
            let cell = grid.rect(shibori_core::Cell { row, column });
            for (x, y) in (0..side).flat_map(|x| (0..side).map(move |y| (x, y))) {
                let mixed = match style {
                    0 => family,
                    // A shore that runs through the tile, a path, bricks, a frame.
                    1 if x + y / 2 + phase > side => other,
                    2 if x.abs_diff(side / 2) < side / 5 => other,
                    3 if (y + phase) % 6 == 0 || (x + (y / 6) * 3) % brick == 0 => family.map(|c| c / 2),
                    4 if x.min(y).min(side - 1 - x).min(side - 1 - y) == 1 => other,
                    _ => family,
                };
                let grain = random.around(7);
                let [r, g, b] = mixed.map(|c| (i64::from(c) + grain).clamp(0, 255) as u8);
                image.put_pixel(cell.x + x, cell.y + y, Rgba([r, g, b, 255]));
            }
        }
    }
    Sheet { image, truth: grid }
}

/// Letters in a fixed cell, 16 a row, as game fonts come: on transparency or a flat color.
fn font(random: &mut Random) -> Sheet {
    let zoom = *random.pick(&[1, 2, 2, 3]);
    let (wider, higher) = (random.within(0, 3), random.within(0, 4));
    let (width, height) = ((8 + wider) * zoom, (8 + higher) * zoom);
    let (grid, mut image) = empty(16, 6, Size::new(width, height), Spacing::default(), random);
    for code in 32u8..127 {
        let at = u32::from(code - 32);
        let cell = grid.rect(shibori_core::Cell { row: at / 16, column: at % 16 });
        let glyph = font8x8::legacy::BASIC_LEGACY[code as usize];
        for (x, y) in (0..8 * zoom).flat_map(|x| (0..8 * zoom).map(move |y| (x, y))) {
            if glyph[(y / zoom) as usize] >> (x / zoom) & 1 == 1 {
                image.put_pixel(cell.x + x, cell.y + y, Rgba([240, 240, 240, 255]));
            }
        }
    }
    let ground = if random.chance(40) { Ground::Flat } else { Ground::Clear };
    on_ground(&mut image, &ground, random);
    Sheet { image, truth: grid }
}
