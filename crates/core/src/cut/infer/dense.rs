//! Sheets without a background, tiles and fonts: only a change of color along the lines tells.
//!
//! A border is judged in each band on its own: how much more the color changes across it than across the
//! lines beside it (the second difference of the gradient), in units of what is usual in that band. Some
//! neighbors match, so a true border need not show: the evidence is that of a mixture.

use crate::cut::Grid;
use crate::cut::grid::Division;
use crate::cut::infer::candidates::{WIDEST, divisions, named, single};
use crate::cut::infer::evidence::{Term, Terms, Weights};
use crate::cut::infer::{GridCandidate, NameHints};
use crate::parallel;
use crate::{Pixels, Size};

/// The share of true borders that show.
const SHOWS: f64 = 0.55;
/// How strong those are, and how widely that varies.
const STRENGTH: f64 = 4.0;
const SPREAD: f64 = 2.0;
const MOST_FOR: f64 = 2.5;
/// A line along which nothing changes, in any band.
const NOTHING: f64 = -3.0;
/// A band is flat where only one line in so many changes.
const FLAT: usize = 3;
const FINALISTS: usize = 14;
const LENDERS: usize = 4;
/// Rows looked at together.
const BLOCK: usize = 32;

pub(super) fn candidates(sheet: &Pixels, hints: &NameHints) -> Vec<GridCandidate> {
    let (across, down) = changes(sheet);
    let Size { width, height } = sheet.size();
    let (all_columns, all_rows) = (divisions(width, WIDEST), divisions(height, WIDEST));
    let first_rows = best(&down, &all_rows, &[single(width)], LENDERS);
    let mut columns = best(&across, &all_columns, &first_rows, FINALISTS);
    let mut rows = best(&down, &all_rows, &columns[..columns.len().min(LENDERS)], FINALISTS);
    rows.extend(first_rows.into_iter().filter(|row| !rows.contains(row)).collect::<Vec<_>>());
    named(&mut columns, width, hints.sizes().map(|size| size.width));
    named(&mut rows, height, hints.sizes().map(|size| size.height));
    let in_rows: Vec<Strength> = parallel::map_slice(&rows, |row| across.strength(row));
    let in_columns: Vec<Strength> = parallel::map_slice(&columns, |column| down.strength(column));
    let mut found = Vec::with_capacity(columns.len() * rows.len());
    for (c, column) in columns.iter().enumerate() {
        for (r, row) in rows.iter().enumerate() {
            let mut terms = Terms::of_axes(column, row);
            terms.add(Term::Lines, in_rows[r].evidence(column) + in_columns[c].evidence(row));
            let evidence = terms.weighed(&Weights::DENSE);
            let grid = Grid::of_axes(*column, *row);
            let witnesses = grid.counts().columns * (grid.counts().rows - 1)
                + grid.counts().rows * (grid.counts().columns - 1);
            found.push(GridCandidate { grid, evidence, terms, cut_places: 0, touches: 0, witnesses });
        }
    }
    found
}

/// How much the color changes before each pixel, along one direction; lines first.
struct Changes {
    /// Pixels across the lines: how many lines there are.
    lines: u32,
    /// Pixels along a line.
    length: u32,
    values: Vec<u8>,
    table: EvidenceTable,
}

impl Changes {
    fn new(lines: u32, length: u32) -> Self {
        Self { lines, length, values: vec![0; lines as usize * length as usize], table: EvidenceTable::new() }
    }

    /// How much each line stands out, over all bands.
    fn strength(&self, bands: &Division) -> Strength {
        let lines = self.lines as usize;
        // A gutter is narrower than the cells it separates.
        let gutters = lines.min(WIDEST as usize + 1);
        let mut strength = Strength { lines, nats: vec![0.0; lines * gutters] };
        let mut own = vec![0.0; lines];
        let sums = self.profile(bands);
        for sums in sums.chunks_exact(lines) {
            let stands = edge_contrast(sums);
            own.iter_mut().zip(&stands).for_each(|(nats, stands)| *nats = self.table.nats(*stands));
            strength.add(&own);
        }
        strength
    }
}

impl Changes {
    /// How much the color changes on each line, by band and then by line.
    fn profile(&self, bands: &Division) -> Vec<u32> {
        let (lines, length) = (self.lines as usize, self.length as usize);
        let spans: Vec<(u32, u32)> = (0..bands.count).map(|at| bands.cell_range(at)).collect();
        let mut sums = vec![0; lines * spans.len()];
        // A block of lines at a time, so that what is written for a band lies close together.
        for first in (0..lines).step_by(BLOCK) {
            let block = BLOCK.min(lines - first);
            for (band, &(start, count)) in spans.iter().enumerate() {
                let target = &mut sums[band * lines + first..][..block];
                for (sum, line) in target.iter_mut().zip(first..) {
                    let from = line * length + start as usize;
                    *sum = self.values[from..from + count as usize].iter().map(|&v| u32::from(v)).sum();
                }
            }
        }
        sums
    }
}

/// Second differences in units of what is usual; not a number where nothing changes at all.
fn edge_contrast(sums: &[u32]) -> Vec<f64> {
    let count = sums.len();
    // The first line has nothing before it, and the second no line on one side.
    let second = |at: usize| match at {
        at if at < 2 || at + 1 >= count => 0.0,
        at => f64::from(sums[at]) - f64::from(sums[at - 1] + sums[at + 1]) / 2.0,
    };
    let raw: Vec<f64> = (0..count).map(second).collect();
    let mut sizes: Vec<f64> = raw.iter().map(|v| v.abs()).filter(|v| *v > 0.0).collect();
    let usual = match sizes.len() {
        0 => 1.0,
        changed => {
            let middle = *sizes.select_nth_unstable_by(changed / 2, f64::total_cmp).1 * 1.4826;
            // Where most lines do not change at all, those that do are what is looked for.
            if changed * FLAT < count { middle / STRENGTH } else { middle }
        }
    };
    let is_blank = |at: usize| (at.saturating_sub(1)..(at + 2).min(count)).all(|near| sums[near] == 0);
    (0..count).map(|at| if is_blank(at) { f64::NAN } else { raw[at] / usual }).collect()
}

/// Changes across vertical lines and across horizontal ones.
fn changes(sheet: &Pixels) -> (Changes, Changes) {
    let Size { width, height } = sheet.size();
    let (mut across, mut down) = (Changes::new(width, height), Changes::new(height, width));
    // A block of rows at a time, so that what is written down a column lies close together.
    let rows: Vec<&[u8]> = sheet.rows().collect();
    for (block, rows) in rows.chunks(BLOCK).enumerate() {
        for x in 1..width as usize {
            let from = x * height as usize + block * BLOCK;
            let values = &mut across.values[from..from + rows.len()];
            let pixels = rows.iter().map(|row| row[x * 4 - 4..x * 4 + 4].split_at(4));
            values.iter_mut().zip(pixels).for_each(|(value, (a, b))| *value = change(a, b));
        }
    }
    let mut above: Option<&[u8]> = None;
    for (y, row) in rows.into_iter().enumerate() {
        if let Some(above) = above {
            let line = &mut down.values[y * width as usize..][..width as usize];
            let pairs = above.chunks_exact(4).zip(row.chunks_exact(4));
            line.iter_mut().zip(pairs).for_each(|(value, (a, b))| *value = change(a, b));
        }
        above = Some(row);
    }
    (across, down)
}

/// The difference of two pixels, capped softly below 96: a black outline says little more than a clear step.
fn change(a: &[u8], b: &[u8]) -> u8 {
    let difference: u32 = a.iter().zip(b).map(|(a, b)| u32::from(a.abs_diff(*b))).sum();
    (96 * difference / (96 + difference)) as u8
}

/// Nats for each line, over all bands: as a border on its own, and for each width of a gutter as its second border, with
/// the first one so many lines before.
struct Strength {
    lines: usize,
    /// By gutter, then by line.
    nats: Vec<f64>,
}

impl Strength {
    /// Adds a band's nats for each line. A gutter has two borders, and both should show.
    fn add(&mut self, own: &[f64]) {
        for (gutter, sums) in self.nats.chunks_exact_mut(self.lines).enumerate() {
            let pairs = sums[gutter..].iter_mut().zip(own[gutter..].iter().zip(own));
            pairs.for_each(|(sum, (second, first))| *sum += second.min(*first));
        }
    }

    /// Nats for the borders of an axis. All lines of a grid show about equally often, so the weakest third
    /// speaks for all: lines inside the cells, as of bricks, can't be carried by true ones between them.
    fn evidence(&self, axis: &Division) -> f64 {
        let line = |cell: u32| {
            let nats = self.nats[axis.gutter as usize * self.lines + axis.cell_range(cell).0 as usize];
            if nats == 0.0 { NOTHING } else { nats }
        };
        let mut lines: Vec<f64> = (1..axis.count).map(line).collect();
        lines.sort_by(f64::total_cmp);
        let weakest = &lines[..lines.len().div_ceil(3)];
        let mean = weakest.iter().sum::<f64>() / weakest.len().max(1) as f64;
        mean * lines.len() as f64
    }
}

/// Nats by strength, looked up: they are asked for each line of each band, millions of times.
struct EvidenceTable {
    nats: Vec<f64>,
}

/// Strengths beyond this, either way, are as sure as it gets.
const STRONGEST: f64 = 16.0;
/// Steps of the table for a strength of 1: finer than what is measured.
const STEPS: f64 = 256.0;

impl EvidenceTable {
    fn new() -> Self {
        let count = (2.0 * STRONGEST * STEPS) as u32;
        Self { nats: (0..=count).map(|at| nats(f64::from(at) / STEPS - STRONGEST)).collect() }
    }

    /// Nothing where all is blank.
    fn nats(&self, strength: f64) -> f64 {
        if strength.is_nan() {
            return 0.0;
        }
        let at = (strength.clamp(-STRONGEST, STRONGEST) + STRONGEST) * STEPS;
        self.nats[(at + 0.5) as usize]
    }
}

/// A border that shows, or one that does not, against a line like any other.
fn nats(strength: f64) -> f64 {
    let signal = (strength - STRENGTH) / SPREAD;
    let ratio = (-0.5 * signal * signal - libm::log(SPREAD) + 0.5 * strength * strength).min(20.0);
    let ratio = if strength > STRENGTH { 20.0 } else { ratio };
    libm::log(1.0 - SHOWS + SHOWS * libm::exp(ratio)).min(MOST_FOR)
}

fn best(changes: &Changes, divisions: &[Division], others: &[Division], count: usize) -> Vec<Division> {
    let strengths: Vec<Strength> = parallel::map_slice(others, |other| changes.strength(other));
    let score = |axis: &Division| {
        let in_bands = strengths.iter().map(|strength| strength.evidence(axis));
        let mut terms = Terms::of_axis(axis, changes.lines);
        terms.add(Term::Lines, in_bands.fold(f64::MIN, f64::max));
        terms.weighed(&Weights::DENSE)
    };
    let mut scored: Vec<(f64, usize)> = parallel::map(divisions.len(), |at| (score(&divisions[at]), at));
    scored.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let mut found: Vec<Division> = scored.iter().take(count).map(|&(_, at)| divisions[at]).collect();
    let whole = single(changes.lines);
    if !found.contains(&whole) {
        found.push(whole);
    }
    found
}
