//! A sheet before it is cut: its background made transparent, and where its frames are.

use std::path::Path;

use shibori_core::clean::{Key, KeyColors, key, mixed_edges};
use shibori_core::cut::{
    Counts, CutError, Grid, GridCandidate, GridDetection, IslandOptions, Islands, NameHints, SheetAnalysis,
    Spacing, detect_grid_with_hints, find_crossings, islands,
};
use shibori_core::{Background, Cell, Color, Pixels, Rect, SignedRect, UVec2};

use shibori_formats::decode::LayeredImage;

use crate::options::{CleanOptions, CutOptions};
use crate::steps::slice::file_name;
use crate::{Context, Error, Notice, SheetError, SizeCause};

/// Evidence in nats from which a grid is worth proposing.
const MIN_PROPOSAL_EVIDENCE: f64 = 3.0;
/// The share of edge pixels from which it is worth saying that they are mixed.
const MIXED: f64 = 0.2;
/// Of so many lines between cells one may cut through a drawing, where cells leave a rest.
const MAX_CUT_DIVISOR: usize = 10;
/// Grids proposed at the most.
const PROPOSED: usize = 3;

/// Memory that looking for separate drawings takes, in pictures of the sheet's size: a label, a distance and the nearest piece
/// for every pixel, and those that are next.
const ISLANDS: u64 = 5;

/// A sheet ready to be cut.
pub(crate) struct Sheet {
    pub(crate) analysis: SheetAnalysis,
    /// The background that was made transparent, and how many pixels went.
    pub(crate) keyed: Option<(KeyColors, u64)>,
}

/// The part of a sheet that is looked at, and where it begins on the sheet.
pub(crate) fn within(
    path: &Path,
    pixels: &Pixels,
    area: Option<SignedRect>,
) -> Result<(Pixels, UVec2), Error> {
    let Some(area) = area else { return Ok((pixels.clone(), UVec2::default())) };
    let part = area.to_rect().and_then(|rect| Some((pixels.crop(rect)?, UVec2 { x: rect.x, y: rect.y })));
    part.ok_or_else(|| Error::Sheet(SheetError::Within { sheet: path.to_owned(), area, size: pixels.size() }))
}

/// A painting as the one picture that it looks like, after what there is to know of its layers.
pub(crate) fn flattened(path: &Path, painting: &LayeredImage, cx: &Context<'_>) -> Result<Pixels, Error> {
    for remark in painting.remarks(&file_name(path)) {
        cx.notify(Notice::Read(remark));
    }
    let read = |problem| Error::File(shibori_formats::FileError::Read { path: path.to_owned(), problem });
    painting.flattened(cx.limits()).map_err(read)
}

/// Makes the background transparent where that was asked for, and says so where it was not but could be. `path` is as the
/// user named the sheet.
pub(crate) fn prepare_sheet(
    path: &Path,
    pixels: &Pixels,
    cut: &CutOptions,
    clean: &CleanOptions,
    cx: &Context<'_>,
) -> Result<Sheet, Error> {
    let analysis = SheetAnalysis::of(pixels);
    let (ruled, found) = (analysis.ruled(), analysis.background());
    let as_it_is = |analysis: SheetAnalysis| Sheet { analysis, keyed: None };
    let file = || path.to_owned();
    let is_auto = *clean.key() == Key::Auto;
    let (colors, tolerance) = match (clean.key.as_ref(), found) {
        (None, Background::Flat { color, .. }) => {
            cx.notify(Notice::FlatBackground { file: file(), color: Color(color) });
            return Ok(as_it_is(analysis));
        }
        (None | Some(Key::None), _) => return Ok(as_it_is(analysis)),
        (Some(Key::Auto), Background::Flat { color, tolerance }) => (vec![Color(color)], tolerance),
        (Some(Key::Auto), Background::Clear) => {
            cx.notify(Notice::AlreadyClear { file: file() });
            return Ok(as_it_is(analysis));
        }
        (Some(Key::Auto), Background::None) => {
            return Err(Error::Sheet(SheetError::NoBackground { sheet: file() }));
        }
        (Some(Key::Colors(colors)), _) => (colors.clone(), 0),
    };
    let _room = cx.check_memory(SizeCause::Change, pixels.size().area())?;
    let colors = KeyColors { colors, tolerance: clean.tolerance.unwrap_or(tolerance) };
    // Lines round a cell cut its background off from the sheet's border.
    let grid = cut.grid_for(pixels.size()).ok().flatten().or(ruled.map(|ruled| ruled.grid));
    let cells = grid
        .filter(|_| !cut.islands.is_on())
        .map(|grid| inner_cells(&grid, clean.clear_edge))
        .unwrap_or_default();
    let keyed = key(pixels, &colors, clean.key_scope.unwrap_or_default(), &cells);
    if keyed.pixels == 0 {
        let enclosed = keyed.left;
        let background = match found {
            Background::Flat { color, .. } => Some(Color(color)),
            Background::Clear | Background::None => None,
        };
        return Err(Error::Sheet(SheetError::KeyNowhere {
            sheet: Some(file()),
            colors,
            enclosed,
            background,
        }));
    }
    if keyed.left > 0 {
        cx.notify(Notice::KeyLeft { file: file(), colors: colors.clone(), pixels: keyed.left });
    }
    let pixels = Pixels::from_image(keyed.image);
    pixels.charge_to(&cx.limits().memory);
    let share = if is_auto && !clean.defringe.is_on() { mixed_edges(&pixels, &colors.colors) } else { 0.0 };
    if share > MIXED {
        cx.notify(Notice::MixedEdges { file: file(), share });
    }
    let analysis = SheetAnalysis::with_background(&pixels, Background::Clear);
    Ok(Sheet { analysis, keyed: Some((colors, keyed.pixels)) })
}

/// The cells of a grid without the outermost pixels that are erased anyway.
fn inner_cells(grid: &Grid, edge: Option<u32>) -> Vec<Rect> {
    let edge = edge.unwrap_or(0);
    let counts = grid.counts();
    let cells = (0..counts.rows).flat_map(|row| (0..counts.columns).map(move |column| Cell { row, column }));
    let inner = |cell: Cell| {
        let Rect { x, y, width, height } = grid.rect(cell);
        let (wide, high) = (width.checked_sub(2 * edge)?, height.checked_sub(2 * edge)?);
        (wide > 0 && high > 0).then(|| Rect::new(x + edge, y + edge, wide, high))
    };
    cells.filter_map(inner).collect()
}

/// The grid that options say for a sheet, or the one that is found; and whether it was found.
pub(crate) fn grid_of(
    path: &Path,
    sheet: &Sheet,
    cut: &CutOptions,
    cx: &Context<'_>,
) -> Result<(Grid, bool), Error> {
    let size = sheet.analysis.pixels().size();
    let said = cut.grid_for(size).or_else(|error| match error {
        CutError::LeftOver { whole, .. } => grid_with_remainder(sheet, cut, whole).map(Some).ok_or(error),
        error => Err(error),
    });
    let (grid, is_found) =
        match said.map_err(|error| Error::Sheet(SheetError::Cut { sheet: path.to_owned(), error }))? {
            Some(grid) => (grid, false),
            None => (found_grid(path, &sheet.analysis, cut.within, cx)?, true),
        };
    let rest = grid.remainder(size);
    let is_meant = cut.grid.is_some() && cut.cell.is_some();
    if rest != UVec2::default() && !is_meant {
        cx.notify(Notice::Rest { file: path.to_owned(), rest });
    }
    Ok((grid, is_found))
}

/// Cells of the size that was said, though they leave a rest: where nothing is drawn there, and they cut through few drawings.
fn grid_with_remainder(sheet: &Sheet, cut: &CutOptions, whole: Counts) -> Option<Grid> {
    let size = sheet.analysis.pixels().size();
    let spacing = Spacing { offset: cut.offset.unwrap_or_default(), gutter: cut.gutter.unwrap_or_default() };
    let grid = Grid::by_both(size, whole, cut.cell?, spacing).ok()?;
    let rest = grid.remainder(size);
    let is_clear = |part: Rect| {
        let pixels = sheet.analysis.pixels().crop(part);
        let is_content = |pixel: &[u8]| sheet.analysis.background().is_content(pixel);
        pixels.is_none_or(|pixels| !pixels.rows().any(|row| row.chunks_exact(4).any(is_content)))
    };
    let right = Rect::new(size.width - rest.x, 0, rest.x, size.height);
    let bottom = Rect::new(0, size.height - rest.y, size.width, rest.y);
    let borders = (whole.columns - 1) * whole.rows + (whole.rows - 1) * whole.columns;
    let has_few = || {
        find_crossings(sheet.analysis.pixels(), sheet.analysis.background(), &grid).len() * MAX_CUT_DIVISOR
            <= borders as usize
    };
    (is_clear(right) && is_clear(bottom) && has_few()).then_some(grid)
}

/// A sheet as the finder reads it.
pub(crate) struct SheetReading {
    pub(crate) found: GridDetection,
}

impl SheetReading {
    /// Reads a sheet by its pixels and its name.
    pub(crate) fn of(path: &Path, sheet: &SheetAnalysis, cx: &Context<'_>) -> Result<Self, Error> {
        // The finder keeps a few planes of a byte a pixel.
        let _lease = cx.check_memory(SizeCause::Search, sheet.size().area())?;
        Ok(Self { found: detect_grid_with_hints(sheet, &hints_of(path)) })
    }

    /// Whether the sheet is cut by the first grid without being asked.
    pub(crate) fn is_sure(&self) -> bool {
        self.found.is_sure()
    }

    /// The grid of an image that must be a sheet: the finder is sure of it, or the name says the same as the drawings.
    pub(crate) fn grid_of_sheet(&self, path: &Path) -> Option<Grid> {
        let best = self.proposals().next()?;
        (self.is_sure() || hints_of(path).agree_with(&best.grid)).then_some(best.grid)
    }

    /// The grids that are worth proposing, the likeliest first.
    pub(crate) fn proposals(&self) -> impl Iterator<Item = &GridCandidate> {
        let is_likely = |one: &&GridCandidate| one.grid.len() > 1 && one.evidence > MIN_PROPOSAL_EVIDENCE;
        self.found.candidates.iter().filter(is_likely)
    }
}

/// The separate drawings of a sheet.
pub(crate) fn find_islands(
    sheet: &SheetAnalysis,
    options: IslandOptions,
    cx: &Context<'_>,
) -> Result<Islands, Error> {
    let _lease = cx.check_memory(SizeCause::Search, sheet.size().area().saturating_mul(ISLANDS))?;
    Ok(islands(sheet, options))
}

/// What a sheet's name says of its cells.
fn hints_of(path: &Path) -> NameHints {
    NameHints::of(&path.file_stem().unwrap_or_default().to_string_lossy())
}

/// The grid that explains a sheet, if it is sure.
fn found_grid(
    path: &Path,
    analysis: &SheetAnalysis,
    within: Option<SignedRect>,
    cx: &Context<'_>,
) -> Result<Grid, Error> {
    let reading = SheetReading::of(path, analysis, cx)?;
    if reading.is_sure() {
        return Ok(reading.found.candidates[0].grid);
    }
    let sheet = path.to_owned();
    if reading.found.is_blank() {
        return Err(Error::Sheet(SheetError::BlankSheet { sheet }));
    }
    // Grids of the same counts differ by empty borders only; a few of them are enough to choose from.
    let grids = reading.proposals().map(|candidate| candidate.grid).take(PROPOSED).collect();
    let (background, size) = (reading.found.background, analysis.size());
    Err(Error::Sheet(SheetError::UnsureGrid { sheet, grids, size, background, within }))
}
