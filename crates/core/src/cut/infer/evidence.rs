//! What speaks for and against a grid, term by term, and what each term is worth.
//!
//! Evidence is a sum of amounts times weights, so the weights come from one fit (a conditional logit model: D. McFadden,
//! "Conditional logit analysis of qualitative choice behavior", 1974) on sheets made by chance: the grid that was drawn
//! against all others that were judged. The fit is part of the benchmark, `cargo bench --bench find_grid -- --fit`.

use crate::cut::grid::Division;
use crate::cut::infer::candidates::has_rest;

/// What is counted for each grid. Spacing that is the same on both axes is one idea; and who leaves room before the first
/// cell leaves some between cells too, so an offset alone is a term of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Term {
    /// Nats of lines that cut nothing, or of changes of color along them.
    Lines,
    /// Nats of drawings that are placed alike in their cells.
    Placement,
    /// Different offsets and gutters.
    Spacing,
    /// Offsets, and gutters, that only one axis has.
    Lopsided,
    /// An offset without a gutter.
    OffsetAlone,
    /// An offset and a gutter.
    OffsetAndGutter,
    /// Rests after the last cell that no spacing explains, 1 and the share of a cell; twice where the sheet divides evenly.
    Rest,
    /// Axes whose cells differ by a pixel here and there.
    Uneven,
    /// Doublings of a cell's longer side against its shorter one.
    Oblong,
    /// Square cells.
    Square,
    /// Sides that are multiples of 8.
    Eights,
    /// Places where a line crosses a drawing, at most three: an artist sees the first few before anything else, and
    /// where drawings touch every grid cuts many.
    Cuts,
}

/// How many terms there are.
pub const TERMS: usize = Term::Cuts as usize + 1;

/// Cuts beyond so many cost no more than what their lines say.
const MOST_CUTS: u32 = 3;

/// How much of each term a grid has.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Terms(pub [f64; TERMS]);

/// What each term is worth, in nats.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Weights(pub [f64; TERMS]);

/// Weights of spacing and rests were fitted on 2026-11-30 to 1,582 sheets of the benchmark, made of the demo art and of frames
/// of 36 sheets by others. Those of cuts and of what cells usually are were held, the latter from counts of 77 sheets by many
/// hands: three quarters have square cells, three in five have sides that are both multiples of 8.
impl Weights {
    /// Of sheets with a background.
    pub const SPARSE: Self = Self([1.0, 1.0, -6.9, -5.6, -8.0, 2.3, -9.2, -24.0, -2.0, 5.0, 1.5, -6.0]);
    /// Of sheets without one, tiles and fonts: tiles are square and letters nearly so, and their borders are no independent
    /// witnesses, since the same tile is at many places.
    pub const DENSE: Self = Self([0.6, 0.0, -6.5, -4.0, -8.0, 2.0, 0.0, 0.0, -6.0, 18.0, 6.0, 0.0]);
}

impl Terms {
    /// The sum of all terms, in nats.
    pub fn weighed(&self, weights: &Weights) -> f64 {
        self.0.iter().zip(&weights.0).map(|(amount, weight)| amount * weight).sum()
    }

    /// Those of what cells usually are, which no pixel says.
    pub(super) fn of_habit(&self) -> Self {
        let mut habit = Self::default();
        for term in [Term::Oblong, Term::Square, Term::Eights] {
            habit.add(term, self.0[term as usize]);
        }
        habit
    }

    pub(super) fn add(&mut self, term: Term, amount: f64) {
        self.0[term as usize] += amount;
    }

    /// What can be said of two axes without looking at the sheet.
    pub(super) fn of_axes(columns: &Division, rows: &Division) -> Self {
        let mut terms = Self::default();
        terms.add_spacing(columns, rows);
        terms.add(Term::Uneven, f64::from(columns.is_uneven()) + f64::from(rows.is_uneven()));
        let (width, height) = (columns.cell(), rows.cell());
        terms.add(Term::Oblong, libm::log2(f64::from(width) / f64::from(height)).abs());
        // One cell is a picture, and those have any size.
        if columns.count > 1 || rows.count > 1 {
            terms.add(Term::Square, f64::from(width == height));
            terms.add(Term::Eights, f64::from(width.is_multiple_of(8)) + f64::from(height.is_multiple_of(8)));
        }
        terms
    }

    /// What can be said of one axis without looking at the sheet.
    pub(super) fn of_axis(axis: &Division, length: u32) -> Self {
        let mut terms = Self::default();
        terms.add_spacing(axis, axis);
        terms.add_rest(axis, length);
        terms.add(Term::Uneven, f64::from(axis.is_uneven()));
        terms.add(Term::Eights, f64::from(axis.cell().is_multiple_of(8)));
        terms
    }

    fn add_spacing(&mut self, columns: &Division, rows: &Division) {
        let distinct = |a: u32, b: u32| f64::from(a > 0) + f64::from(b > 0 && b != a);
        let offsets = distinct(columns.offset, rows.offset);
        let gutters = distinct(columns.gutter, rows.gutter);
        let has_gutters = columns.count > 1 && rows.count > 1;
        let is_lopsided = |a: u32, b: u32| f64::from((a > 0) != (b > 0));
        self.add(Term::Spacing, offsets + gutters);
        self.add(Term::Lopsided, is_lopsided(columns.offset, rows.offset));
        self.add(Term::Lopsided, f64::from(has_gutters) * is_lopsided(columns.gutter, rows.gutter));
        self.add(Term::OffsetAlone, f64::from(offsets > 0.0 && gutters == 0.0));
        self.add(Term::OffsetAndGutter, f64::from(offsets > 0.0 && gutters > 0.0));
    }

    pub(super) fn add_cuts(&mut self, places: u32) {
        self.add(Term::Cuts, f64::from(places.min(MOST_CUTS)));
    }

    pub(super) fn add_rest(&mut self, axis: &Division, length: u32) {
        if !has_rest(axis, length) {
            return;
        }
        let rest = length - (axis.offset + axis.covered + axis.gutter * (axis.count - 1));
        // Where the sheet divides into as many cells without a rest, those are meant sooner.
        let is_even = axis.offset == 0 && axis.gutter == 0 && length.is_multiple_of(axis.count);
        let near = 1.0 + f64::from(rest) / f64::from(axis.pitch());
        self.add(Term::Rest, if is_even { 2.0 * near } else { near });
    }
}
