//! The grid found on its own.
//!
//! # What is asked
//!
//! Which cell size, offset and gutter, on both axes, explain the sheet best? All that fit the sheet's size
//! are tried; a single cell an axis is always among them. Each is judged by evidence a person can
//! follow, in nats (natural logarithms of a likelihood ratio against a line laid anywhere):
//!
//! - **Lines that cut nothing.** A line between two cells that crosses no drawing speaks for the grid, the
//!   more so the more of the sheet is drawn on; a line that crosses speaks strongly against it. Crossings are
//!   counted in *places* (runs), border by border, so one touching pair of cells does not void a sheet.
//!   Borders outside the drawings earn nothing. Sources: projection profiles and connected components, as in
//!   document layout analysis (Wong, Casey and Wahl, "Document analysis system", 1982).
//! - **Drawings that stand steady in their cells.** The left or right edge, or the middle, of each cell's content
//!   keeps its distance to the cell: period against spread. This is what autocorrelation of the profile
//!   measures, without its blur.
//! - **Offsets and gutters pay.** About 5 nats each, so that they are found only where they explain something.
//! - **Dense sheets** (tiles, fonts), where every line crosses: the change of color along a line against the
//!   lines beside it, the second difference of the gradient, capped softly so that one strong edge does
//!   not decide.
//! - **Cells are about as wide as high,** many exactly so: a little for squares, a little against long ones.
//! - **Cells are usually** square, their sides multiples of 8, and a name may say them (`tiles_16x16`): a few nats,
//!   never against the pixels.
//! - **A rest** at the right or at the bottom that belongs to no cell pays about 10 nats, the more the nearer it is to a cell.
//!
//! Both axes are decided together by the sum. The lead over the best different cut is the certainty: with 7.5 nats or more the answer is
//! acted upon, with less it is only proposed. More is asked over what is nested with the best, or the simpler idea;
//! less over groups of cells side by side that are clean themselves. Readings that differ only in where a cell ends
//! are one answer, and the one that stands for it loses no pixel. Never sure are a grid of two cells, one that often
//! cuts, one whose cells corridors part, and one of long cells that may each hold a pair.
//!
//! Art that was enlarged by a whole factor is judged as it was drawn. Where glows or cast shadows reach over the
//! lines, what is drawn firmly is asked as well. A solid sheet in a clear rim is judged inside the rim. A tile set is
//! found by the sides of its tiles. A row that no line divides is divided where its drawings repeat, and a long sheet
//! that tells nothing is proposed as a strip of squares; that is never sure.
//!
//! # How well it does
//!
//! The benchmark `detect_grid`, with other people's frames (`-- --art FOLDER --sheets 67`): see the README for the
//! figures. Two kinds are hard and mostly refused: pages larger than a grid of odd cells, whose pitch a pixel more or
//! less explains as well, and tight sheets whose drawings touch along whole rows. Tiles with a border of their own
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
mod corridors;
mod dense;
mod named;
mod occupancy;
mod periodicity;
mod rim;
mod ruled;
mod sparse;
mod tile_edges;
mod upscale;

use crate::background::{Background, find_background};
use crate::cut::grid::Division;
use crate::cut::{Axis, Grid, Spacing};
use crate::parallel;
use crate::{Pixels, Size, UVec2};

pub use named::NameHints;
pub use ruled::{RuledGrid, ruled_grid};

/// The lead in nats from which an answer is acted upon.
const SURE: f64 = 7.5;
/// The lead needed over a grid whose cells are groups or parts of the best one's.
const SURE_IF_NESTED: f64 = 10.0;
/// The lead needed where the other is what an artist would sooner have drawn: square cells, or no spacing.
const SURE_IF_SIMPLER: f64 = 20.0;
/// The lead needed where one has two cells where the other has another number.
const SURE_IF_CLOSE: f64 = 14.0;
/// The lead needed on a sheet without a background.
const SURE_IF_DENSE: f64 = 20.0;
/// A cell this much longer than wide may be several that touch, if those are nearly square.
const LONG: f64 = 1.8;
const FAIRLY_SQUARE: f64 = 1.2;
/// The share of its evidence by which the best must lead over larger cells on a sheet without a background.
const SHARE_IF_DENSE: f64 = 0.3;
/// A lead that nothing but the drawings themselves explains.
const FAR: f64 = 30.0;
/// What clean cells need over groups of them that are no more square.
const SURE_IF_COARSER: f64 = 4.0;
/// Two cells prove no grid.
const FEWEST_WITNESSES: u32 = 2;

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
    /// The grids that explain the sheet best, the best first; at least one.
    pub candidates: Vec<GridCandidate>,
    /// Whether the best may be acted upon.
    pub certainty: Certainty,
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

    /// The longer side of a cell against its shorter.
    fn oblong(&self) -> f64 {
        let Size { width, height } = self.grid.cell_size();
        f64::from(width.max(height)) / f64::from(width.min(height))
    }

    /// Whether both are one answer: as many cells, from one to the next as far, and as many drawings crossed. Where a cell
    /// ends and the gutter begins can't be seen between drawings that do not fill their cells.
    fn is_equivalent_to(&self, other: &Self) -> bool {
        let pitch = |axis: &Division| axis.covered / axis.count + axis.gutter;
        let ((columns, rows), (others, their_rows)) = (self.grid.axes(), other.grid.axes());
        self.grid.counts() == other.grid.counts()
            && (columns.count == 1 || pitch(columns) == pitch(others))
            && (rows.count == 1 || pitch(rows) == pitch(their_rows))
            && self.cut_places == other.cut_places
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

    /// How far this must lead over another to be sure; infinitely where no lead would do.
    fn lead_needed(&self, other: &Self, background: Background) -> f64 {
        let is_square = |candidate: &Self| candidate.grid.cell_size().is_square();
        let is_plain = |candidate: &Self| candidate.grid.spacing() == Spacing::default();
        let Spacing { offset, gutter } = self.grid.spacing();
        let is_lopsided = (offset.x > 0) != (offset.y > 0) || (gutter.x > 0) != (gutter.y > 0);
        let is_offset_alone = gutter == UVec2::default() && offset != UVec2::default();
        let (own, theirs) = (self.grid.counts(), other.grid.counts());
        let is_parted = own.columns.is_multiple_of(theirs.columns) && own.rows.is_multiple_of(theirs.rows);
        // A drawing that is parted all alike, as a head from a body, looks like two rows that begin a little lower.
        let is_clean_whole = is_plain(other) && other.grid.len() > 1 && other.cut_places == 0;
        if is_lopsided && is_parted && own != theirs && is_clean_whole {
            return f64::INFINITY;
        }
        // Groups of cells that touch look like long cells.
        let is_of_square_parts = theirs.columns.is_multiple_of(own.columns)
            && theirs.rows.is_multiple_of(own.rows)
            && own != theirs
            && self.grid.spacing() == other.grid.spacing();
        if is_of_square_parts
            && self.oblong() >= LONG
            && other.oblong() < FAIRLY_SQUARE
            && other.evidence > 0.0
        {
            return f64::INFINITY;
        }
        // If the coarser grid were right, every drawing would have to split exactly at the finer boundaries. Characters
        // can (head and body), so the lower threshold is for cells side by side only.
        let is_group = own != theirs && is_parted;
        let is_side_by_side = own.rows == theirs.rows;
        if is_group && is_side_by_side && self.cut_places == 0 && self.oblong() <= other.oblong() {
            return SURE_IF_COARSER;
        }
        if is_group && self.cut_places > self.touches && is_clean_whole {
            return FAR;
        }
        // Long cells of squarer ones: drawings that all part at the same place look like it.
        if is_group && self.oblong() >= LONG && other.oblong() < FAIRLY_SQUARE && other.cut_places == 0 {
            return FAR;
        }
        // Two cells where the other has three.
        let has_two = own.columns.min(theirs.columns) == 2 || own.rows.min(theirs.rows) == 2;
        if own != theirs && has_two && !self.is_nested_with(other) && !is_lopsided {
            return SURE_IF_CLOSE;
        }
        // What is inside square tiles may repeat, too.
        if background == Background::None
            && is_square(other)
            && !is_square(self)
            && self.is_nested_with(other)
        {
            return f64::INFINITY;
        }
        if self.is_nested_with(other) {
            let is_finer = other.grid.len() > self.grid.len();
            let is_simpler = is_square(other) && !is_square(self) && !is_finer;
            let is_as_clean = is_finer
                && other.cut_places == 0
                && (other.witnesses > self.witnesses || other.oblong() < self.oblong());
            return if is_simpler || is_as_clean { SURE_IF_SIMPLER } else { SURE_IF_NESTED };
        }
        if is_lopsided && is_plain(other) && other.grid.counts() == self.grid.counts() {
            return SURE_IF_SIMPLER;
        }
        if is_offset_alone { SURE_IF_NESTED } else { SURE }
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

/// How sure an answer is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Certainty {
    /// Far enough ahead of every other cut: the lead in nats.
    Sure(f64),
    /// Not far enough: the lead in nats.
    Unsure(f64),
    /// Nothing is drawn on the sheet.
    Blank,
}

impl Certainty {
    /// A number from 0 to 1: the chance that the best is right, were the runner-up the only other.
    pub fn confidence(self) -> f64 {
        match self {
            Self::Sure(lead) | Self::Unsure(lead) => 1.0 / (1.0 + libm::exp(-lead)),
            Self::Blank => 0.0,
        }
    }
}

/// Looks for the regular grid that explains a sheet.
pub fn detect_grid(sheet: &Pixels) -> GridDetection {
    detect_grid_with_hints(sheet, &NameHints::default())
}

/// The same for a sheet whose name says something.
pub fn detect_grid_with_hints(sheet: &Pixels, hints: &NameHints) -> GridDetection {
    if let Some(ruled) = ruled_grid(sheet) {
        let candidate = GridCandidate { grid: ruled.grid, evidence: FAR, ..whole_sheet(sheet.size()) };
        return GridDetection {
            candidates: vec![candidate],
            certainty: Certainty::Sure(FAR),
            background: ruled.background,
        };
    }
    let factor = upscale::upscale_factor(sheet);
    if factor == 1 {
        return detect_native(sheet, hints);
    }
    let mut found = detect_native(&upscale::downscale(sheet, factor), &hints.reduced(factor));
    for candidate in &mut found.candidates {
        candidate.grid = candidate.grid.enlarged(factor);
    }
    found
}

/// The same for a sheet that was not enlarged.
fn detect_native(sheet: &Pixels, hints: &NameHints) -> GridDetection {
    let background = find_background(sheet);
    let enclosed = rim::inside(sheet, background).and_then(|inner| Some((inner, sheet.crop(inner)?)));
    if let Some((inner, part)) = enclosed
        && let Some(found) = rim::with_rim(self::detect_native(&part, hints), inner, sheet.size())
    {
        return found;
    }
    let by_lines = match background {
        Background::None => None,
        _ => match detect_by_lines(sheet, background, hints) {
            None => {
                return GridDetection {
                    candidates: vec![whole_sheet(sheet.size())],
                    certainty: Certainty::Blank,
                    background,
                };
            }
            found => found,
        },
    };
    let found = match by_lines {
        Some(found) if matches!(found.certainty, Certainty::Sure(_)) => return prefer_tiles(found, sheet),
        // Where drawings touch everywhere, a background between them does not help.
        Some(found) if found.candidates[0].grid.len() > 1 => found,
        _ => rank_candidates(sheet, dense::candidates(sheet, hints), background, hints, true),
    };
    match found.certainty {
        Certainty::Sure(_) => found,
        _ => propose_strip(detect_by_tile_edges(sheet, background, &found).unwrap_or(found), sheet.size()),
    }
}

/// Cells that may be groups of tiles are not sure, and the tiles are proposed first.
fn prefer_tiles(mut found: GridDetection, sheet: &Pixels) -> GridDetection {
    let best = &found.candidates[0];
    let Some((grid, evidence)) = tile_edges::inside(sheet, found.background, &best.grid) else {
        return found;
    };
    if evidence >= SIDES_INSIDE {
        let tiles = GridCandidate {
            grid,
            evidence: best.evidence + evidence,
            cut_places: 0,
            touches: 0,
            witnesses: 0,
        };
        found.candidates.retain(|other| other.grid.counts() != grid.counts());
        found.candidates.insert(0, tiles);
        found.candidates.truncate(SHOWN);
        found.certainty = Certainty::Unsure(evidence);
    }
    found
}

/// Where no grid was found on a long sheet, a strip of squares is worth a try. Never sure.
fn propose_strip(mut found: GridDetection, sheet: Size) -> GridDetection {
    let best = &found.candidates[0];
    if (best.grid.len() == 1 || best.evidence < STRIP_OF_SQUARES)
        && let Some((columns, rows)) = candidates::strip_of_squares(sheet)
    {
        let evidence = found.candidates[0].evidence.max(0.0) + STRIP_OF_SQUARES;
        let grid = Grid::of_axes(columns, rows);
        found.candidates.retain(|other| other.grid.counts() != grid.counts());
        found.candidates.insert(0, GridCandidate { grid, evidence, cut_places: 0, touches: 0, witnesses: 0 });
        found.certainty = Certainty::Unsure(STRIP_OF_SQUARES);
    }
    found
}

/// The grid whose lines keep clear of the drawings; `None` where nothing is drawn. Faint pixels, a glow or a cast shadow,
/// often reach into the next cell: where there are any, what is drawn firmly is asked as well.
fn detect_by_lines(sheet: &Pixels, background: Background, hints: &NameHints) -> Option<GridDetection> {
    let found = match background {
        // Asked millions of times: what is clear need not look at colors.
        Background::Clear => sparse::candidates(sheet, hints, |pixel| pixel[3] > 0)?,
        _ => sparse::candidates(sheet, hints, |pixel| background.is_content(pixel))?,
    };
    let all = rank_candidates(sheet, found, background, hints, false);
    let is_faint = |pixel: &[u8]| (1..FIRM).contains(&pixel[3]);
    let has_faint = |y: u32| sheet.row(y).chunks_exact(4).any(is_faint);
    if background != Background::Clear
        || !parallel::any(sheet.size().height as usize, |y| has_faint(y as u32))
    {
        return Some(all);
    }
    let Some(firm) = sparse::candidates(sheet, hints, |pixel| pixel[3] >= FIRM) else { return Some(all) };
    let firm = rank_candidates(sheet, firm, background, hints, false);
    let (best, other) = (&all.candidates[0], &firm.candidates[0]);
    let is_refined = other.is_nested_with(best) && other.grid.len() > best.grid.len();
    Some(match (all.certainty, firm.certainty) {
        (Certainty::Sure(_), Certainty::Sure(_)) if is_refined => firm,
        (Certainty::Sure(_), Certainty::Sure(_)) if best.grid.counts() != other.grid.counts() => {
            let candidates = [&all.candidates[..1], &firm.candidates[..1], &all.candidates[1..]].concat();
            GridDetection { candidates, certainty: Certainty::Unsure(0.0), background }
        }
        (Certainty::Sure(_), _) => all,
        (_, Certainty::Sure(_)) => firm,
        _ if best.grid.len() == 1 || is_refined => firm,
        _ => all,
    })
}

/// The cells of a tile set, where sides of tiles tell more than lines that cut nothing.
fn detect_by_tile_edges(
    sheet: &Pixels,
    background: Background,
    by_lines: &GridDetection,
) -> Option<GridDetection> {
    let found = tile_edges::candidates(sheet, background);
    let &(grid, evidence) = found.first()?;
    let lead = evidence - found.get(1).map_or(0.0, |(_, next)| *next);
    if grid.len() < SIDES_CELLS || evidence < SIDES.max(by_lines.candidates[0].evidence) || lead < SIDES_AHEAD
    {
        return None;
    }
    let best = GridCandidate { grid, evidence, cut_places: 0, touches: 0, witnesses: 0 };
    let others = by_lines.candidates.iter().filter(|other| !other.is_equivalent_to(&best)).cloned();
    let candidates: Vec<GridCandidate> = std::iter::once(best.clone()).chain(others).take(SHOWN).collect();
    let is_sure = evidence >= SIDES_SURE && lead >= SIDES_SURE / 2.0;
    let certainty = if is_sure { Certainty::Sure(lead) } else { Certainty::Unsure(lead) };
    Some(GridDetection { candidates, certainty, background })
}

/// The candidates in order, and how far the first leads.
fn rank_candidates(
    sheet: &Pixels,
    mut candidates: Vec<GridCandidate>,
    background: Background,
    hints: &NameHints,
    is_dense: bool,
) -> GridDetection {
    for candidate in &mut candidates {
        candidate.evidence += hints.evidence(&candidate.grid);
    }
    candidates.sort_by(|a, b| b.evidence.total_cmp(&a.evidence));
    // Keep the best candidate of each equivalence class; the others are the same answer.
    let mut kinds: Vec<GridCandidate> = Vec::with_capacity(candidates.len());
    for candidate in candidates {
        if !kinds.iter().any(|other| other.is_equivalent_to(&candidate)) {
            kinds.push(candidate);
        }
    }
    let mut candidates = kinds;
    if let Some(plain) = candidates.first().and_then(|best| best.without_spacing(sheet.size())) {
        candidates[0] = plain;
    }
    let Some((best, others)) = candidates.split_first() else {
        return GridDetection { candidates, certainty: Certainty::Blank, background };
    };
    let lead = others.first().map_or(0.0, |next| best.evidence - next.evidence);
    // Where the name says it and the sheet is full of it, letters may touch.
    let is_named = hints.says(&best.grid) && best.grid.spacing() == Spacing::default();
    let usual = |candidate: &GridCandidate| {
        let (columns, rows) = candidate.grid.axes();
        let (shape, habit) = (candidates::aspect_prior(columns, rows), candidates::size_prior(columns, rows));
        if is_dense { dense::usual(shape, habit) } else { shape + habit }.max(0.0)
    };
    let is_roomy = has_room(sheet, background, &best.grid);
    // Without a background the lines themselves are in doubt: patterns inside tiles make lines too.
    let is_ahead = |other: &GridCandidate| {
        let is_coarser = other.grid.len() < best.grid.len() && other.grid.spacing() == best.grid.spacing();
        let share = if background == Background::None && is_coarser { SHARE_IF_DENSE } else { 0.0 };
        let dense = if is_dense { SURE_IF_DENSE } else { 0.0 };
        let least = best.lead_needed(other, background).max(dense);
        let least = if is_named { least.min(SURE) } else { least };
        let least = if is_roomy { least.max(FAR) } else { least };
        // A picture isn't a sheet because of what cells usually are.
        let (own, usual) = if other.grid.len() == 1 { (usual(best), usual(other)) } else { (0.0, 0.0) };
        (best.evidence - own) - (other.evidence - usual) >= least.max(best.evidence * share)
    };
    let is_grid = best.grid.len() > 1
        && (is_named
            || best.witnesses >= FEWEST_WITNESSES
                && (!best.cuts_often(10) || lead > FAR && best.oblong() < LONG && !best.cuts_often(3)))
        && best.undivided_axis().is_none()
        && !corridors::run_through(sheet, background, &best.grid)
        && (best.cut_places == 0 || lead > FAR || !corridors::part_many_cells(sheet, background, &best.grid));
    let grid = canonical_grid::canonicalize(&best.grid, sheet, background);
    // Drawings that touch in pairs are beside each other; letters are as high as two.
    let is_high = best.grid.cell_size().height > best.grid.cell_size().width;
    let may_be_pairs = !(lead > FAR && is_high && !best.cuts_often(20))
        && periodicity::has_inner_period(sheet, background, best);
    let is_sure = is_grid && others.iter().all(is_ahead) && !may_be_pairs;
    let certainty = if is_sure { Certainty::Sure(lead) } else { Certainty::Unsure(lead) };
    candidates[0].grid = grid;
    // To choose from, answers must differ.
    let mut shown: Vec<GridCandidate> = Vec::new();
    for candidate in candidates {
        if shown.len() < SHOWN && !shown.iter().any(|other| other.grid.counts() == candidate.grid.counts()) {
            shown.push(candidate);
        }
    }
    GridDetection { candidates: shown, certainty, background }
}

/// Whether a sheet is a page of powers of two with room at the right or at the bottom that cells account for: those
/// may be a little smaller or larger, and leave a rest instead.
fn has_room(sheet: &Pixels, background: Background, grid: &Grid) -> bool {
    let size = sheet.size();
    let is_page = size.width.is_power_of_two() && size.height.is_power_of_two();
    if !is_page || background != Background::Clear || grid.len() == 1 {
        return false;
    }
    let Some(content) = sheet.content_bounds(0) else { return false };
    let (right, bottom) =
        (u64::from(size.width) - content.right(), u64::from(size.height) - content.bottom());
    let cell = grid.cell_size();
    let is_much = |after: u64, before: u32, cell: u32| after > u64::from(before) + u64::from(cell / 4);
    is_much(right, content.x, cell.width) || is_much(bottom, content.y, cell.height)
}

/// The sheet as one cell.
fn whole_sheet(size: Size) -> GridCandidate {
    let axis = |length| candidates::single(length);
    GridCandidate {
        grid: Grid::of_axes(axis(size.width), axis(size.height)),
        evidence: 0.0,
        cut_places: 0,
        touches: 0,
        witnesses: 0,
    }
}

#[cfg(test)]
mod tests;
