//! The evidence for and against a grid, term by term, and the weight of each term.
//!
//! Evidence is a weighted sum, so one fit can give the weights (a conditional logit model: D. McFadden, "Conditional logit
//! analysis of qualitative choice behavior", 1974): on random sheets, the grid that was drawn against all others that were
//! judged. The fit is part of the benchmark, `cargo bench --bench find_grid -- --fit`.

use crate::cut::grid::Division;
use crate::cut::infer::candidates::has_rest;

/// What is counted for each grid. Spacing that is the same on both axes counts once. Artists who leave room before the first
/// cell usually leave some between cells too, so an offset alone is a term of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Term {
    /// Nats of lines that cut nothing, or of changes of color along them.
    Lines,
    /// Nats of drawings at the same place in their cells.
    Placement,
    /// Different offsets and gutters.
    Spacing,
    /// Offsets, and gutters, that only one axis has.
    Lopsided,
    /// An offset without a gutter.
    OffsetAlone,
    /// An offset and a gutter.
    OffsetAndGutter,
    /// Pixels after the last cell that no spacing explains: 1 plus their share of a cell, doubled where the sheet divides
    /// evenly.
    Rest,
    /// Axes whose cells differ by a pixel here and there.
    Uneven,
    /// Doublings of a cell's longer side against its shorter one.
    Oblong,
    /// Square cells.
    Square,
    /// Sides that are multiples of 8.
    Eights,
    /// Places where a line crosses a drawing, at most three: the first few are what an artist sees, and where drawings touch,
    /// every grid has many.
    Cuts,
}

/// How many terms there are.
pub const TERMS: usize = Term::Cuts as usize + 1;

/// Further cuts count only as evidence of lines.
const MOST_CUTS: u32 = 3;

/// How much of each term a grid has.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Terms(pub [f64; TERMS]);

/// What each term is worth, in nats.
///
/// Placement, spacing and rests on sheets with a background are from a fit on 2026-11-30 to sheets of the demo art and of frames
/// from 36 sheets by other artists; that of uneven cells from a second one. Fitting again (`--fit --sheets 10 --seed 101`, 1,589
/// sheets) finds nothing better: 1,572 right on art left out of the fit, 1,573 with these weights. Lines are nats already. Set
/// by hand: cuts, dense sheets (the fit has only 65), and oblong, square and eights, the last two after 77 sheets by many
/// artists, of which three quarters have square cells, and three in five have both sides a multiple of 8.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Weights(pub [f64; TERMS]);

impl Weights {
    /// Of sheets with a background.
    pub const SPARSE: Self = Self([1.0, 1.0, -6.9, -5.6, -8.0, 2.3, -9.2, -24.0, -2.0, 5.0, 1.5, -6.0]);
    /// Of sheets without one, tiles and fonts: tiles are square and letters nearly so. Their borders aren't independent, since
    /// the same tile is in many places.
    pub const DENSE: Self = Self([0.6, 0.0, -6.5, -4.0, -8.0, 2.0, 0.0, 0.0, -6.0, 18.0, 6.0, 0.0]);
}

impl Terms {
    /// The sum of all terms, in nats.
    pub fn weighed(&self, weights: &Weights) -> f64 {
        self.0.iter().zip(&weights.0).map(|(amount, weight)| amount * weight).sum()
    }

    /// Only the terms of a cell's shape and size, which depend on no pixel.
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

    /// The terms of two axes that depend on no pixel.
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

    /// The terms of one axis that depend on no pixel.
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
        // Where as many cells fit without a rest, those are more likely.
        let is_even = axis.offset == 0 && axis.gutter == 0 && length.is_multiple_of(axis.count);
        let near = 1.0 + f64::from(rest) / f64::from(axis.pitch());
        self.add(Term::Rest, if is_even { 2.0 * near } else { near });
    }
}
