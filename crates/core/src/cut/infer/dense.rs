//! Sheets without a background, tiles and fonts: only a change of colour along the lines tells.

use crate::cut::Grid;
use crate::cut::grid::Axis;
use crate::cut::infer::GridCandidate;
use crate::cut::infer::candidates::{divisions, price, single};
use crate::{Pixels, Size};

/// What one line may say at most, for and against, in nats.
const MOST_FOR: f64 = 3.5;
const MOST_AGAINST: f64 = -2.0;
/// Lines are no independent witnesses: the same tile lies at many places.
const TRUST: f64 = 0.8;
const FINALISTS: usize = 20;

pub(super) fn candidates(sheet: &Pixels) -> Vec<GridCandidate> {
    let Size { width, height } = sheet.size();
    let (across, down) = edges(sheet);
    let columns = best(&Strength::new(&across), width);
    let rows = best(&Strength::new(&down), height);
    let mut found = Vec::with_capacity(columns.len() * rows.len());
    for &(column, for_columns) in &columns {
        for &(row, for_rows) in &rows {
            let evidence = for_columns + for_rows - price(&column, &row);
            found.push(GridCandidate { grid: Grid::of_axes(column, row), evidence, cut_places: 0 });
        }
    }
    found
}

/// How much colour changes before each column and before each row, summed over the sheet.
fn edges(sheet: &Pixels) -> (Vec<f64>, Vec<f64>) {
    let Size { width, height } = sheet.size();
    let (mut across, mut down) = (vec![0.0; width as usize], vec![0.0; height as usize]);
    let mut above: &[u8] = &[];
    for (y, row) in sheet.rows().enumerate() {
        for x in 1..width as usize {
            across[x] += change(&row[x * 4 - 4..x * 4], &row[x * 4..x * 4 + 4]);
        }
        if y > 0 {
            down[y] = above.chunks_exact(4).zip(row.chunks_exact(4)).map(|(a, b)| change(a, b)).sum();
        }
        above = row;
    }
    (across, down)
}

/// The difference of two pixels, capped softly: a black outline says no more than a clear step.
fn change(a: &[u8], b: &[u8]) -> f64 {
    let difference: u32 = a.iter().zip(b).map(|(a, b)| u32::from(a.abs_diff(*b))).sum();
    let difference = f64::from(difference);
    96.0 * difference / (96.0 + difference)
}

/// How much each line stands out from the lines beside it, in units of what is usual.
struct Strength {
    at: Vec<f64>,
}

impl Strength {
    fn new(edges: &[f64]) -> Self {
        let count = edges.len();
        // Before pixel 0 and 1 there is no line with neighbours on both sides.
        let second = |at: usize| match at {
            at if at < 2 || at + 1 >= count => 0.0,
            at => edges[at] - (edges[at - 1] + edges[at + 1]) / 2.0,
        };
        let raw: Vec<f64> = (0..count).map(second).collect();
        let mut sizes: Vec<f64> = raw.iter().map(|v| v.abs()).collect();
        sizes.sort_by(f64::total_cmp);
        let usual = (sizes[count / 2] * 1.4826).max(1e-6);
        Self { at: raw.into_iter().map(|v| (v / usual).clamp(-6.0, 12.0)).collect() }
    }

    /// Nats for the lines of an axis: each line's strength as one of lines of a common strength, against
    /// one of any line.
    fn evidence(&self, axis: &Axis) -> f64 {
        let mut lines = Vec::new();
        for cell in 1..axis.count {
            let (start, _) = axis.span(cell);
            lines.push(self.at[start as usize]);
            if axis.gutter > 0 {
                lines.push(self.at[(start - axis.gutter) as usize]);
            }
        }
        if lines.is_empty() {
            return 0.0;
        }
        let mut sorted = lines.clone();
        sorted.sort_by(f64::total_cmp);
        let common = sorted[sorted.len() / 2].clamp(0.7, 6.0);
        // Normal with deviation 1.6 about the common strength against normal with deviation 1 about 0;
        // the tails are capped below.
        let ratio = |z: &f64| {
            let (signal, noise) = ((z - common) / 1.6, *z);
            (-0.5 * signal * signal - 1.6f64.ln() + 0.5 * noise * noise).clamp(MOST_AGAINST, MOST_FOR)
        };
        TRUST * lines.iter().map(ratio).sum::<f64>()
    }
}

fn best(strength: &Strength, length: u32) -> Vec<(Axis, f64)> {
    let divisions = divisions(length);
    let mut scored: Vec<(f64, usize)> = divisions
        .iter()
        .enumerate()
        .map(|(at, axis)| (strength.evidence(axis) - price(axis, axis), at))
        .collect();
    scored.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let mut found: Vec<Axis> = scored.iter().take(FINALISTS).map(|&(_, at)| divisions[at]).collect();
    if !found.contains(&single(length)) {
        found.push(single(length));
    }
    found.into_iter().map(|axis| (axis, strength.evidence(&axis))).collect()
}
