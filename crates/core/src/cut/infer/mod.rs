//! The grid found on its own.
//!
//! # What is asked
//!
//! Which cell size, offset and gutter, on both axes, explain the sheet best? All that fit the sheet's size
//! are tried; a single cell per axis is always among them. Each is judged by evidence a person can
//! follow, in nats (natural logarithms of a likelihood ratio against a line laid anywhere):
//!
//! - **Lines that cut nothing.** A line between two cells that crosses no drawing speaks for the grid, the
//!   more so the more of the sheet is drawn on; a line that crosses speaks strongly against it. Crossings are
//!   counted in *places* (runs), border by border, so one touching pair of cells does not void a sheet.
//!   Borders outside the drawings earn nothing. Sources: projection profiles and connected components, as in
//!   document layout analysis (Wong, Casey and Wahl, "Document analysis system", 1982).
//! - **Drawings placed alike in their cells.** The left or right edge, or the middle, of each cell's content
//!   keeps its distance to the cell: period against spread. This is what autocorrelation of the profile
//!   measures, without its blur.
//! - **Dense sheets** (tiles, fonts), where every line crosses: the change of color along a line against the
//!   lines beside it, the second difference of the gradient, capped softly so that one strong edge does
//!   not decide.
//! - **Shape and spacing**: the other [`Term`]s, each with one weight. Where the weights come from is in [`Weights`].
//! - **A name** may say the cells (`tiles_16x16`): a few nats, never against the pixels.
//!
//! Both axes are decided together by the sum. Readings that differ only in where a cell ends, or in blank columns and rows at
//! the end, are one answer, and the one that is taken for it loses no pixel. The best is acted upon where no rule of
//! [`sureness`] doubts it; else it is proposed.
//!
//! Art that was enlarged by a whole factor is judged as it was drawn. Where glows or cast shadows reach over the
//! lines, what is drawn firmly is asked as well. A solid sheet in a clear rim is judged inside the rim. A tile set is
//! found by the sides of its tiles. A row that no line divides is divided where its drawings repeat, and a long sheet
//! that shows nothing is proposed as a strip of squares; that is never sure.
//!
//! # How well it does
//!
//! The benchmark `find_grid` measures it, on the demo art or, with `-- --art FOLDER`, on anybody's; figures are in
//! `docs/performance.md`. Two kinds are hard and often refused: pages larger than a grid of odd cells, whose pitch a pixel
//! more or less explains as well, and tight sheets whose drawings touch along whole rows. Tiles with a border of their own
//! that fill oblong cells (flags side by side) come out wrong, but unsure. Figures that all part at one height, as a
//! flame over its bowl, look like two rows.
//!
//! # What it never does
//!
//! It never follows the shapes of pieces: cells are always a regular grid (loose sheets are [`islands`]'s
//! work), and it changes no pixel.
//!
//! [`islands`]: crate::cut

mod borders;
mod candidates;
mod canonical_grid;
mod dense;
mod evidence;
mod named;
mod periodicity;
mod rim;
mod ruled;
mod sparse;
mod sureness;
mod tile_edges;
mod upscale;

use std::collections::HashSet;

use crate::Size;
use crate::background::Background;
use crate::cut::grid::Division;
use crate::cut::occupancy::Occupancy;
use crate::cut::{Axis, Grid, SheetAnalysis, Spacing};
use crate::parallel;

pub use evidence::{TERMS, Term, Terms, Weights};
pub use named::NameHints;
pub use ruled::{RuledGrid, ruled_grid};
pub use sureness::Doubt;

use sureness::Ranking;

/// The evidence of lines drawn around each cell, in nats: far more than any lead that is needed.
const RULED: f64 = 30.0;

/// What sides of tiles must speak for their cells, and by how much more than for any others, to be asked first; and to be sure.
const SIDES: f64 = 30.0;
const SIDES_AHEAD: f64 = 10.0;
const SIDES_SURE: f64 = 100.0;
/// A tile set has at least this many cells; a picture has straight edges, too.
const SIDES_CELLS: u64 = 24;
/// And inside the cells of another grid, to be proposed instead of it.
const SIDES_INSIDE: f64 = 15.0;

/// What a long sheet speaks for being a strip of squares, in nats.
const STRIP_OF_SQUARES: f64 = 5.0;

/// Answers shown at most.
const SHOWN: usize = 4;

/// Opacity from which a pixel is drawn firmly.
const FIRM: u8 = 128;

/// What was found.
#[derive(Clone, Debug)]
pub struct GridDetection {
    /// The grids that explain the sheet best, the best first; at least one if the sheet has a pixel.
    pub candidates: Vec<GridCandidate>,
    /// How far the best is ahead of every other answer, in nats.
    pub lead: f64,
    /// Why the best may still be wrong.
    pub doubts: Vec<Doubt>,
    /// What is behind the drawings.
    pub background: Background,
}

/// A grid and how well it explains the sheet.
#[derive(Clone, Debug)]
pub struct GridCandidate {
    /// The grid.
    pub grid: Grid,
    /// Evidence in nats against no grid at all.
    pub evidence: f64,
    /// How much of each term there is, where the evidence is a sum of them.
    pub terms: Terms,
    /// Places where a line between cells crosses a drawing.
    pub cut_places: u32,
    /// Of those, the ones where two drawings only touch.
    pub touches: u32,
    /// Borders between two drawings that cross neither.
    pub witnesses: u32,
}

impl GridCandidate {
    /// Whether the cells of one are whole groups of the other's. Where drawings of neighboring cells touch,
    /// pairs of them look like cells.
    fn is_nested_with(&self, other: &Self) -> bool {
        let (a, b) = (self.grid.counts(), other.grid.counts());
        let nests = |a: u32, b: u32| a.is_multiple_of(b) || b.is_multiple_of(a);
        a != b
            && self.grid.spacing() == other.grid.spacing()
            && nests(a.columns, b.columns)
            && nests(a.rows, b.rows)
    }

    /// What readings of one answer have in common: as many cells up to where drawings end, the same distance from one to the
    /// next, and as many drawings crossed. Where a cell ends and the gutter begins can't be seen between drawings that don't
    /// fill their cells.
    fn answer(&self, end: Size) -> Answer {
        let axis = |axis: &Division, end: u32| match axis.count_until(end) {
            1 => (1, 0),
            count => (count, axis.pitch()),
        };
        let (columns, rows) = self.grid.axes();
        Answer { axes: [axis(columns, end.width), axis(rows, end.height)], cut_places: self.cut_places }
    }

    /// The same cells without any spacing, where they account for the whole sheet: their empty edges look like it.
    fn without_spacing(&self, sheet: Size) -> Option<Self> {
        let (columns, rows) = self.grid.axes();
        let fits = |axis: &Division, length: u32| axis.covered + axis.count * axis.gutter == length;
        let is_plain = self.grid.spacing() == Spacing::default();
        let whole = |count: u32, length: u32| Division { offset: 0, gutter: 0, count, covered: length };
        (!is_plain && fits(columns, sheet.width) && fits(rows, sheet.height)).then(|| Self {
            grid: Grid::of_axes(whole(columns.count, sheet.width), whole(rows.count, sheet.height)),
            ..self.clone()
        })
    }

    /// The axis whose one cell is so long that it may well be several whose drawings touch.
    fn undivided_axis(&self) -> Option<Axis> {
        let (counts, cell) = (self.grid.counts(), self.grid.cell_size());
        let is_long = |long: u32, short: u32| u64::from(long) * 2 > u64::from(short) * 5;
        if counts.columns == 1 && is_long(cell.width, cell.height) {
            return Some(Axis::Columns);
        }
        (counts.rows == 1 && is_long(cell.height, cell.width)).then_some(Axis::Rows)
    }

    /// Whether more than one border in so many crosses a drawing.
    fn cuts_often(&self, many: u64) -> bool {
        let (columns, rows) = (u64::from(self.grid.counts().columns), u64::from(self.grid.counts().rows));
        u64::from(self.cut_places - self.touches) * many > (columns - 1) * rows + (rows - 1) * columns
    }
}

impl GridDetection {
    /// Whether the best may be acted upon.
    pub fn is_sure(&self) -> bool {
        self.doubts.is_empty()
    }

    /// Whether nothing is drawn on the sheet.
    pub fn is_blank(&self) -> bool {
        self.doubts.contains(&Doubt::Blank)
    }

    /// A number from 0 to 1: the chance that the best is right, were the runner-up the only other.
    pub fn confidence(&self) -> f64 {
        if self.is_blank() { 0.0 } else { 1.0 / (1.0 + libm::exp(-self.lead)) }
    }
}

/// What readings of one answer share: for each axis the number of cells and the pixels from one to the next.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
struct Answer {
    axes: [(u32, u32); 2],
    cut_places: u32,
}

/// Looks for the regular grid that explains a sheet.
pub fn detect_grid(sheet: &SheetAnalysis) -> GridDetection {
    detect_grid_with_hints(sheet, &NameHints::default())
}

/// The same for a sheet whose name says something.
pub fn detect_grid_with_hints(sheet: &SheetAnalysis, hints: &NameHints) -> GridDetection {
    if sheet.size().is_empty() {
        let (candidates, doubts, background) = (Vec::new(), vec![Doubt::Blank], sheet.background());
        return GridDetection { candidates, lead: 0.0, doubts, background };
    }
    if let Some(ruled) = sheet.ruled() {
        let candidate = GridCandidate { grid: ruled.grid, evidence: RULED, ..whole_sheet(sheet.size()) };
        return GridDetection {
            candidates: vec![candidate],
            lead: RULED,
            doubts: Vec::new(),
            background: ruled.background,
        };
    }
    let Some(upscale) = upscale::find_upscale(sheet.pixels()) else { return detect_native(sheet, hints) };
    let art = SheetAnalysis::of(&upscale::downscale(sheet.pixels(), upscale));
    let mut found = detect_native(&art, &hints.reduced(upscale.factor));
    for candidate in &mut found.candidates {
        candidate.grid = candidate.grid.enlarged(upscale.factor);
    }
    if upscale.blocks.size() == sheet.size() {
        return found;
    }
    // Small drawings that are all alike look like pixels that begin a little later.
    let whole = found.is_sure().then(|| rim::with_rim(found, upscale.blocks, sheet.size())).flatten();
    whole.unwrap_or_else(|| detect_native(sheet, hints))
}

/// Every grid judged for a sheet, in no order, and whether by changes of color: the data for a fit of the weights.
pub fn judge_grids(sheet: &SheetAnalysis) -> (Vec<GridCandidate>, bool) {
    let hints = NameHints::default();
    match sheet.background() {
        _ if sheet.size().is_empty() => (Vec::new(), false),
        Background::None => (dense::candidates(sheet.pixels(), &hints), true),
        _ if sheet.occupancy().is_blank() => (Vec::new(), false),
        _ => (sparse::candidates(sheet.pixels(), &hints, sheet.occupancy()), false),
    }
}

/// The same for a sheet that was not enlarged.
fn detect_native(sheet: &SheetAnalysis, hints: &NameHints) -> GridDetection {
    let background = sheet.background();
    let enclosed = rim::inside(sheet.pixels(), background)
        .and_then(|inner| Some((inner, SheetAnalysis::of(&sheet.pixels().crop(inner)?))));
    if let Some((inner, part)) = enclosed
        && let Some(found) = rim::with_rim(self::detect_native(&part, hints), inner, sheet.size())
    {
        return found;
    }
    if background != Background::None && sheet.occupancy().is_blank() {
        let candidates = vec![whole_sheet(sheet.size())];
        return GridDetection { candidates, lead: 0.0, doubts: vec![Doubt::Blank], background };
    }
    let by_lines = (background != Background::None).then(|| detect_by_lines(sheet, hints));
    let found = match by_lines {
        Some(found) if found.is_sure() => return prefer_tiles(found, sheet),
        // Where drawings touch everywhere, a background between them does not help.
        Some(found) if found.candidates[0].grid.len() > 1 => found,
        _ => rank_candidates(sheet, dense::candidates(sheet.pixels(), hints), hints, true),
    };
    match found.is_sure() {
        true => found,
        false => propose_strip(detect_by_tile_edges(sheet, &found).unwrap_or(found), sheet.size()),
    }
}

/// Cells that may be groups of tiles are not sure, and the tiles are proposed first.
fn prefer_tiles(mut found: GridDetection, sheet: &SheetAnalysis) -> GridDetection {
    let best = &found.candidates[0];
    let Some((grid, evidence)) = tile_edges::inside(sheet, &best.grid) else {
        return found;
    };
    if evidence >= SIDES_INSIDE {
        let tiles = GridCandidate {
            grid,
            evidence: best.evidence + evidence,
            terms: Terms::default(),
            cut_places: 0,
            touches: 0,
            witnesses: 0,
        };
        found.candidates.retain(|other| other.grid.counts() != grid.counts());
        found.candidates.insert(0, tiles);
        found.candidates.truncate(SHOWN);
        found.lead = evidence;
        found.doubts = if evidence < SIDES { vec![Doubt::TilesInside] } else { Vec::new() };
    }
    found
}

/// Where no grid was found on a long sheet, a strip of squares is worth a try. Never sure.
fn propose_strip(mut found: GridDetection, sheet: Size) -> GridDetection {
    let best = &found.candidates[0];
    let is_unfounded = best.grid.len() == 1
        || best.evidence < STRIP_OF_SQUARES
        || found.doubts.contains(&Doubt::LittleEvidence);
    if is_unfounded && let Some((columns, rows)) = candidates::strip_of_squares(sheet) {
        let evidence = found.candidates[0].evidence.max(0.0) + STRIP_OF_SQUARES;
        let grid = Grid::of_axes(columns, rows);
        found.candidates.retain(|other| other.grid.counts() != grid.counts());
        found.candidates.insert(
            0,
            GridCandidate {
                grid,
                evidence,
                terms: Terms::default(),
                cut_places: 0,
                touches: 0,
                witnesses: 0,
            },
        );
        found.lead = STRIP_OF_SQUARES;
        found.doubts.push(Doubt::ShapeOnly);
    }
    found
}

/// The grid whose lines keep clear of the drawings. Faint pixels, a glow or a cast shadow, often reach into the next cell;
/// where there are any, the opaque pixels are judged as well.
fn detect_by_lines(sheet: &SheetAnalysis, hints: &NameHints) -> GridDetection {
    let (pixels, background) = (sheet.pixels(), sheet.background());
    let all = rank_candidates(sheet, sparse::candidates(pixels, hints, sheet.occupancy()), hints, false);
    let is_faint = |pixel: &[u8]| (1..FIRM).contains(&pixel[3]);
    let has_faint = |y: usize| pixels.row(y as u32).chunks_exact(4).any(is_faint);
    if background != Background::Clear || !parallel::any(pixels.size().height as usize, has_faint) {
        return all;
    }
    let firm = Occupancy::of(pixels, |pixel| pixel[3] >= FIRM);
    if firm.is_blank() {
        return all;
    }
    let firm = rank_candidates(sheet, sparse::candidates(pixels, hints, &firm), hints, false);
    let (best, other) = (&all.candidates[0], &firm.candidates[0]);
    let is_refined = other.is_nested_with(best) && other.grid.len() > best.grid.len();
    match (all.is_sure(), firm.is_sure()) {
        (true, true) if is_refined => firm,
        (true, true) if best.grid.counts() != other.grid.counts() => {
            let candidates = [&all.candidates[..1], &firm.candidates[..1], &all.candidates[1..]].concat();
            GridDetection { candidates, lead: 0.0, doubts: vec![Doubt::FaintPixels], background }
        }
        (true, _) => all,
        (_, true) => firm,
        _ if best.grid.len() == 1 || is_refined => firm,
        _ => all,
    }
}

/// The cells of a tile set, where sides of tiles tell more than lines that cut nothing.
fn detect_by_tile_edges(sheet: &SheetAnalysis, by_lines: &GridDetection) -> Option<GridDetection> {
    let background = sheet.background();
    let found = tile_edges::candidates(sheet);
    let &(grid, evidence) = found.first()?;
    let lead = evidence - found.get(1).map_or(0.0, |(_, next)| *next);
    if grid.len() < SIDES_CELLS || evidence < SIDES.max(by_lines.candidates[0].evidence) || lead < SIDES_AHEAD
    {
        return None;
    }
    let best =
        GridCandidate { grid, evidence, terms: Terms::default(), cut_places: 0, touches: 0, witnesses: 0 };
    let end = content_end(sheet);
    let others = by_lines.candidates.iter().filter(|other| other.answer(end) != best.answer(end)).cloned();
    let candidates: Vec<GridCandidate> = std::iter::once(best.clone()).chain(others).take(SHOWN).collect();
    let is_sure = evidence >= SIDES_SURE && lead >= SIDES_SURE / 2.0;
    let doubts = if is_sure { Vec::new() } else { vec![Doubt::FewSides] };
    Some(GridDetection { candidates, lead, doubts, background })
}

/// The candidates in order, and how far the first leads.
fn rank_candidates(
    sheet: &SheetAnalysis,
    mut candidates: Vec<GridCandidate>,
    hints: &NameHints,
    is_dense: bool,
) -> GridDetection {
    let background = sheet.background();
    for candidate in &mut candidates {
        candidate.evidence += hints.evidence(&candidate.grid);
    }
    candidates.sort_by(|a, b| b.evidence.total_cmp(&a.evidence));
    let end = content_end(sheet);
    // Keep the best candidate of each equivalence class; the others are the same answer.
    let mut kinds: Vec<GridCandidate> = Vec::with_capacity(candidates.len());
    let mut answers = HashSet::with_capacity(candidates.len());
    for candidate in candidates {
        if answers.insert(candidate.answer(end)) {
            kinds.push(candidate);
        }
    }
    let mut candidates = kinds;
    if let Some(plain) = candidates.first().and_then(|best| best.without_spacing(sheet.size())) {
        candidates[0] = plain;
    }
    let Some((best, others)) = candidates.split_first() else {
        return GridDetection { candidates, lead: 0.0, doubts: vec![Doubt::Blank], background };
    };
    let is_named = hints.says(&best.grid) && best.grid.spacing() == Spacing::default();
    let ranking = Ranking { sheet, best, others, is_dense, is_named };
    let (lead, doubts) = (ranking.lead(), ranking.doubts());
    candidates[0].grid = canonical_grid::canonicalize(&best.grid, sheet);
    // To choose from, answers must differ.
    let mut shown: Vec<GridCandidate> = Vec::new();
    for candidate in candidates {
        if shown.len() < SHOWN && !shown.iter().any(|other| other.grid.counts() == candidate.grid.counts()) {
            shown.push(candidate);
        }
    }
    GridDetection { candidates: shown, lead, doubts, background }
}

/// Where drawings end at the right and at the bottom; the sheet's size where it has no background.
fn content_end(sheet: &SheetAnalysis) -> Size {
    match sheet.background() {
        Background::None => sheet.size(),
        _ => sheet.occupancy().end(),
    }
}

/// The sheet as one cell.
fn whole_sheet(size: Size) -> GridCandidate {
    let axis = |length| candidates::single(length);
    GridCandidate {
        grid: Grid::of_axes(axis(size.width), axis(size.height)),
        evidence: 0.0,
        terms: Terms::default(),
        cut_places: 0,
        touches: 0,
        witnesses: 0,
    }
}

#[cfg(test)]
mod tests;
