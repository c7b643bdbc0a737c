//! How often the grid is found on its own, over sheets made by chance from the demo art.
//!
//! `cargo bench --bench find_grid` prints a row for each kind of sheet: how many, the share answered right,
//! the share answered as sure, and how many of the sure answers are wrong; then a row for each rule that keeps answers
//! from being sure: how many wrong and how many right ones it alone does. `-- --sheets 100`
//! makes more of each kind, `-- --seed 7` others, `-- --show` names each sheet that fails, `-- --art FOLDER` makes them of frames of
//! anybody's: one folder per sprite, a PNG per frame; `-- --fit` fits the weights of the evidence instead. Right means: every cell at the very pixel, or, where borders of
//! cells can't be seen, the same drawings whole in the same cells.

mod corpus;
mod fit;
mod random;

use std::collections::BTreeMap;
use std::time::{Duration, Instant};

use shibori_core::cut::{Doubt, Grid, SheetAnalysis, detect_grid};
use shibori_core::{Cell, Pixels, Rect, find_background};

use corpus::{KINDS, Sheet};
use random::Random;
use shibori_benches::{Figures, argument, has_argument};

fn main() {
    let number =
        |name: &str, default: u64| argument(name).and_then(|value| value.parse().ok()).unwrap_or(default);
    let (sheets, seed) = (number("--sheets", 20), number("--seed", 1));
    let show = has_argument("--show");
    let folder = argument("--art");
    let own = if folder.is_some() { "given art" } else { "own art" };
    let art = match folder {
        Some(folder) => corpus::Art::from_folder(std::path::Path::new(&folder)),
        None => corpus::Art::load(),
    };
    if has_argument("--fit") {
        let arts = if own == "own art" { vec![art] } else { vec![corpus::Art::load(), art] };
        return fit::run(&arts, sheets, seed);
    }
    println!(
        "{:12} {:>6} {:>9} {:>9} {:>11} {:>10}",
        "kind", "sheets", "right", "sure", "sure, wrong", "time each"
    );
    let mut total = Tally::default();
    for (number, kind) in (0..).zip(KINDS) {
        let mut tally = Tally::default();
        for at in 0..sheets {
            let mut random = Random::new(seed * 1_000_003 + number * 10_007 + at);
            let sheet = (kind.make)(&art, &mut random);
            tally.add(&sheet, show.then_some((kind.name, at)));
        }
        tally.print(kind.name);
        total.merge(&tally);
    }
    total.print("all");
    total.print_rules();
    let figures = Figures::of("find_grid");
    let share = |count: u32| f64::from(count) * 100.0 / f64::from(total.sheets.max(1));
    for (what, value) in [
        ("right", share(total.right)),
        ("answered and right", f64::from(total.answered) * 100.0 / f64::from(total.grids.max(1))),
        ("sure", share(total.sure)),
        ("sure and wrong", share(total.sure_wrong)),
    ] {
        println!("{what}: {value:.1} %, {}", figures.verdict(&format!("{own}, {what}"), value));
    }
}

/// Answers that one rule alone keeps from being sure.
#[derive(Clone, Copy, Default)]
struct Alone {
    /// Right ones.
    costs: u32,
    /// Wrong ones.
    prevents: u32,
}

#[derive(Default)]
struct Tally {
    /// Sheets that have a grid, and those of them that are answered, rightly.
    grids: u32,
    answered: u32,
    alone: BTreeMap<Doubt, Alone>,
    sheets: u32,
    right: u32,
    sure: u32,
    sure_wrong: u32,
    time: Duration,
}

impl Tally {
    fn add(&mut self, sheet: &Sheet, show: Option<(&str, u64)>) {
        let pixels = Pixels::from_image(sheet.image.clone());
        let start = Instant::now();
        let found = detect_grid(&SheetAnalysis::of(&pixels));
        self.time += start.elapsed();
        let best = &found.candidates[0];
        let is_sure = found.is_sure();
        // A picture that isn't a sheet is right where nothing is cut.
        let is_right = sheet.truth.len() == 1 && !is_sure
            || same(&best.grid, &sheet.truth)
            || is_one_answer(&best.grid, &sheet.truth, &pixels);
        self.sheets += 1;
        self.right += u32::from(is_right);
        self.sure += u32::from(is_sure);
        self.sure_wrong += u32::from(is_sure && !is_right);
        // A picture that isn't a sheet is never to be cut: no rule costs anything there.
        if sheet.truth.len() > 1 {
            self.grids += 1;
            self.answered += u32::from(is_sure && is_right);
        }
        if let [only] = found.doubts[..] {
            let alone = self.alone.entry(only).or_default();
            match is_right && sheet.truth.len() > 1 {
                true => alone.costs += 1,
                false => alone.prevents += 1,
            }
        }
        if let Some((kind, number)) = show.filter(|_| !is_right || !is_sure) {
            let texts =
                |grid: &Grid| format!("{} of {} {:?}", grid.counts(), grid.cell_size(), grid.spacing());
            let list: Vec<String> = found
                .candidates
                .iter()
                .map(|c| format!("{} ({:.1}, cuts {})", texts(&c.grid), c.evidence, c.cut_places))
                .collect();
            println!(
                "  {kind} {number}: {} {:?}, lead {:.1}; truth {} ; found {}",
                if is_right { "right," } else { "wrong," },
                found.doubts,
                found.lead,
                texts(&sheet.truth),
                list.join(" | ")
            );
            let path = std::env::temp_dir().join(format!("grid-{kind}-{number}.png"));
            let _ = shibori_formats::encode::png(&sheet.image).map(|bytes| std::fs::write(path, bytes));
        }
    }

    fn merge(&mut self, other: &Self) {
        self.sheets += other.sheets;
        self.right += other.right;
        self.sure += other.sure;
        self.sure_wrong += other.sure_wrong;
        self.time += other.time;
        self.grids += other.grids;
        self.answered += other.answered;
        for (&doubt, other) in &other.alone {
            let alone = self.alone.entry(doubt).or_default();
            alone.costs += other.costs;
            alone.prevents += other.prevents;
        }
    }

    /// What leaving out each of the rules would change.
    fn print_rules(&self) {
        println!("{:12} {:>14} {:>12}", "rule", "prevents wrong", "costs right");
        for doubt in Doubt::ALL {
            let Alone { costs, prevents } = self.alone.get(doubt).copied().unwrap_or_default();
            println!("{:12} {prevents:>14} {costs:>12}", format!("{doubt:?}"));
        }
    }

    fn print(&self, name: &str) {
        let share = |count: u32| format!("{:.1} %", f64::from(count) * 100.0 / f64::from(self.sheets));
        let each = self.time.as_secs_f64() * 1000.0 / f64::from(self.sheets);
        println!(
            "{name:12} {:>6} {:>9} {:>9} {:>11} {:>7.1} ms",
            self.sheets,
            share(self.right),
            share(self.sure),
            self.sure_wrong,
            each
        );
    }
}

/// Whether two grids give the same drawings in the same cells, as far from one to the next: where a cell ends and the
/// gutter begins can't be seen between drawings that do not fill their cells.
fn is_one_answer(a: &Grid, b: &Grid, sheet: &Pixels) -> bool {
    let background = find_background(sheet);
    let drawing = |rect: Rect| {
        let part = sheet.crop(rect)?;
        let mut drawn: Option<Rect> = None;
        for (y, row) in (0..).zip(part.rows()) {
            for (x, _) in (0..).zip(row.chunks_exact(4)).filter(|(_, pixel)| background.is_content(pixel)) {
                let one = Rect::new(rect.x + x, rect.y + y, 1, 1);
                drawn = Some(drawn.map_or(one, |all| all.union(one)));
            }
        }
        drawn
    };
    // Columns and rows at the end in which nothing is drawn make no other frames.
    let drawn = |grid: &Grid| -> BTreeMap<(u32, u32), Rect> {
        let counts = grid.counts();
        let cells =
            (0..counts.rows).flat_map(|row| (0..counts.columns).map(move |column| Cell { row, column }));
        cells.filter_map(|cell| Some(((cell.row, cell.column), drawing(grid.rect(cell))?))).collect()
    };
    let (ours, theirs) = (drawn(a), drawn(b));
    let are_steps_same = |a: &Grid, b: &Grid| {
        let at = |row, column| Cell { row, column };
        let last = ours.keys().fold((0, 0), |(row, column), &(y, x)| (row.max(y), column.max(x)));
        let (from, to) = (a.rect(at(0, 0)), a.rect(at(last.0, last.1)));
        let (start, end) = (b.rect(at(0, 0)), b.rect(at(last.0, last.1)));
        (to.x - from.x, to.y - from.y) == (end.x - start.x, end.y - start.y)
    };
    // Cells that share out what is left over are no step apart anyway.
    let is_uneven = |grid: &Grid| {
        let widths = (0..grid.counts().columns).map(|column| grid.rect(Cell { row: 0, column }).width);
        widths.clone().min() != widths.max()
    };
    ours == theirs && (is_uneven(b) || are_steps_same(a, b))
}

/// Whether two grids cut the same cells.
fn same(a: &Grid, b: &Grid) -> bool {
    let counts = a.counts();
    let corner = Cell { row: counts.rows - 1, column: counts.columns - 1 };
    let first = Cell { row: 0, column: 0 };
    counts == b.counts() && a.rect(first) == b.rect(first) && a.rect(corner) == b.rect(corner)
}
