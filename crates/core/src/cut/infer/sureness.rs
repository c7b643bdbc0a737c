//! When the best answer may be acted upon: each rule names one way in which a leading answer can still be wrong.
//!
//! An answer is sure if no rule casts doubt on it. Every rule is asked and its doubt kept with the answer, so that the benchmark
//! `find_grid` can print how many wrong answers each rule alone prevents and how many right ones it alone costs. A rule that
//! prevents nothing should go.

use crate::cut::infer::evidence::Weights;
use crate::cut::infer::{GridCandidate, periodicity};
use crate::cut::{SheetAnalysis, Spacing};

/// The lead in nats from which an answer is acted upon: one in a thousand is wrong, were the evidence exact.
pub(super) const SURE: f64 = 7.0;
/// The evidence an answer needs besides the shape and size of its cells: a picture isn't a sheet because of its size. Two clear
/// lines between three drawings are enough.
const ENOUGH: f64 = 4.0;
const FEWEST_CELLS: u64 = 3;
/// The lead needed on a sheet without a background: patterns inside tiles make lines too, and each counts as often as its tile appears.
const SURE_IF_DENSE: f64 = 20.0;
/// A lead that only the drawings can explain.
const FAR: f64 = 30.0;
/// The share of its evidence that an answer must owe to its own rows. Merging real rows by twos loses about half of the
/// evidence; merging parts of figures loses little.
const PARTED: f64 = 0.27;
/// With more than one border in so many through a drawing, the grid has nothing to do with the drawings.
const FEW_CUTS: u64 = 10;

/// A way in which the best answer may be wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Doubt {
    /// Nothing is drawn.
    Blank,
    /// One cell isn't a grid, and two don't prove one.
    FewCells,
    /// There is little evidence at all.
    LittleEvidence,
    /// Another answer explains the sheet nearly as well.
    CloseSecond,
    /// Spacing on one axis only, where a plain grid with fewer cells cuts nothing: drawings that all split at the same place, such
    /// as heads from bodies, look like it.
    PartedAlike,
    /// Rows that subdivide those of another answer, which cuts nothing, and add little evidence: figures that split at the
    /// waist.
    PartedRows,
    /// Many borders go through drawings.
    CutsOften,
    /// A row or column that is not divided, and is long enough to be several drawings that touch.
    LongCell,
    /// Long cells in which drawings repeat, or have a waist: two may only touch there.
    MayBePairs,
    /// Faint pixels favor another answer than opaque ones.
    FaintPixels,
    /// The cells may be groups of tiles.
    TilesInside,
    /// The straight sides of tiles favor it, but there are too few.
    FewSides,
    /// Only the shape of the sheet suggests it.
    ShapeOnly,
}

impl Doubt {
    /// Every doubt.
    pub const ALL: &'static [Self] = &[
        Self::Blank,
        Self::FewCells,
        Self::LittleEvidence,
        Self::CloseSecond,
        Self::PartedAlike,
        Self::PartedRows,
        Self::CutsOften,
        Self::LongCell,
        Self::MayBePairs,
        Self::FaintPixels,
        Self::TilesInside,
        Self::FewSides,
        Self::ShapeOnly,
    ];
}

/// Whether a rule doubts an answer.
type Rule<'a> = fn(&Ranking<'a>) -> bool;

/// The best answer and everything the rules look at.
pub(super) struct Ranking<'a> {
    pub(super) sheet: &'a SheetAnalysis,
    pub(super) best: &'a GridCandidate,
    pub(super) others: &'a [GridCandidate],
    /// Whether the evidence is changes of color.
    pub(super) is_dense: bool,
    /// Whether the sheet's name gives this cell size; then letters may touch.
    pub(super) is_named: bool,
}

impl Ranking<'_> {
    /// The doubts about the best answer.
    pub(super) fn doubts(&self) -> Vec<Doubt> {
        let rules: [(Doubt, Rule<'_>); 8] = [
            (Doubt::FewCells, |ranking| ranking.best.grid.len() < FEWEST_CELLS),
            (Doubt::LittleEvidence, |ranking| ranking.without_habit(ranking.best) < ranking.enough()),
            (Doubt::CloseSecond, |ranking| ranking.lead() < ranking.sure()),
            (Doubt::PartedAlike, |ranking| ranking.lead() < FAR && ranking.is_parted_alike()),
            (Doubt::PartedRows, Self::has_parted_rows),
            (Doubt::CutsOften, |ranking| !ranking.is_named && ranking.best.cuts_often(FEW_CUTS)),
            (Doubt::LongCell, |ranking| ranking.best.undivided_axis().is_some()),
            (Doubt::MayBePairs, |ranking| {
                let Self { sheet, best, .. } = *ranking;
                // Drawings that touch in pairs are side by side; letters are as tall as two.
                let is_high = best.grid.cell_size().height > best.grid.cell_size().width;
                !(is_high && ranking.lead() >= FAR) && periodicity::has_inner_period(sheet, best)
            }),
        ];
        rules.into_iter().filter(|(_, applies)| applies(self)).map(|(doubt, _)| doubt).collect()
    }

    /// How far the best is ahead, in nats.
    pub(super) fn lead(&self) -> f64 {
        self.best.evidence - self.others.first().map_or(0.0, |next| next.evidence)
    }

    /// The lead an answer needs.
    fn sure(&self) -> f64 {
        if self.is_dense && !self.is_named { SURE_IF_DENSE } else { SURE }
    }

    /// The evidence an answer needs at all.
    fn enough(&self) -> f64 {
        if self.is_dense && !self.is_named { SURE_IF_DENSE } else { ENOUGH }
    }

    /// The evidence for an answer without that of its cells' shape and size.
    fn without_habit(&self, answer: &GridCandidate) -> f64 {
        let weights = if self.is_dense { &Weights::DENSE } else { &Weights::SPARSE };
        answer.evidence - answer.terms.of_habit().weighed(weights)
    }

    fn is_parted_alike(&self) -> bool {
        let Spacing { offset, gutter } = self.best.grid.spacing();
        let is_lopsided = (offset.x > 0) != (offset.y > 0) || (gutter.x > 0) != (gutter.y > 0);
        let own = self.best.grid.counts();
        let is_whole_of_it = |other: &GridCandidate| {
            let theirs = other.grid.counts();
            own != theirs
                && own.columns.is_multiple_of(theirs.columns)
                && own.rows.is_multiple_of(theirs.rows)
                && other.grid.spacing() == Spacing::default()
                && other.grid.len() > 1
                && other.cut_places == 0
        };
        is_lopsided && self.others.iter().any(is_whole_of_it)
    }

    fn has_parted_rows(&self) -> bool {
        let own = self.best.grid.counts();
        let is_whole = |other: &&GridCandidate| {
            let theirs = other.grid.counts();
            own.columns == theirs.columns
                && own.rows > theirs.rows
                && own.rows.is_multiple_of(theirs.rows)
                && other.cut_places == 0
        };
        let whole = self.others.iter().find(is_whole);
        whole.is_some_and(|whole| self.best.evidence - whole.evidence < PARTED * self.best.evidence)
    }
}
