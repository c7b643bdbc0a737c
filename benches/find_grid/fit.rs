//! The weight of each term of the evidence: those under which the grids that were drawn are the likeliest.
//!
//! A conditional logit model (D. McFadden, 1974) over all grids that were judged for a sheet; variants of one answer are one
//! choice, represented by the best of them. Weights are drawn toward those in use, so that a term no sheet tests stays as it
//! is. Some are fixed: lines, which are nats already; the shape and size of cells, which random sheets can't teach; and cuts,
//! which decide less which grid is right than whether any is. Each fit is tested on the fold of sprites it left out: "unseen".

use shibori_core::Pixels;
use shibori_core::cut::{Grid, GridCandidate, SheetAnalysis, TERMS, Term, Weights, judge_grids};

use crate::corpus::{Art, KINDS, Sheet};
use crate::random::Random;
use crate::{is_one_answer, same};

const FOLDS: usize = 5;
const STEPS: i32 = 600;
/// The most a weight changes in a step, relative to itself.
const PACE: f64 = 0.02;
/// How strongly weights are drawn toward those in use: as if this many sheets supported them.
const HELD: f64 = 5.0;
/// Terms that are not fitted.
const FIXED: [Term; 5] = [Term::Lines, Term::Oblong, Term::Square, Term::Eights, Term::Cuts];

/// A sheet to choose on.
struct Example {
    is_dense: bool,
    choices: Vec<Choice>,
}

/// Grids that are one answer, by their terms.
struct Choice {
    is_right: bool,
    variants: Vec<[f64; TERMS]>,
}

impl Choice {
    fn best(&self, weights: &[f64; TERMS]) -> (f64, &[f64; TERMS]) {
        let scored = self.variants.iter().map(|terms| (dot(terms, weights), terms));
        scored.max_by(|a, b| a.0.total_cmp(&b.0)).expect("an answer has a grid")
    }
}

fn dot(a: &[f64; TERMS], b: &[f64; TERMS]) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}

/// Fits and prints both sets of weights.
pub(crate) fn run(arts: &[Art], sheets: u64, seed: u64) {
    let folds: Vec<Vec<Example>> = (0..FOLDS)
        .map(|fold| arts.iter().flat_map(|art| examples(&art.part(fold, FOLDS), sheets, seed)).collect())
        .collect();
    for (name, is_dense, used) in [("SPARSE", false, Weights::SPARSE), ("DENSE", true, Weights::DENSE)] {
        let of = |fold: &usize| folds[*fold].iter().filter(|example| example.is_dense == is_dense);
        let (mut before, mut after, mut count) = (0, 0, 0);
        for held in 0..FOLDS {
            let others: Vec<usize> = (0..FOLDS).filter(|fold| *fold != held).collect();
            let fitted = fit(&others.iter().flat_map(of).collect::<Vec<_>>(), &used.0);
            let unseen: Vec<&Example> = of(&held).collect();
            count += unseen.len();
            before += unseen.iter().filter(|example| is_found(example, &used.0)).count();
            after += unseen.iter().filter(|example| is_found(example, &fitted)).count();
        }
        println!("{name}: {count} sheets; right as it is {before}, fitted on other art, unseen {after}");
        let all: Vec<usize> = (0..FOLDS).collect();
        let fitted = fit(&all.iter().flat_map(of).collect::<Vec<_>>(), &used.0);
        let rounded: Vec<String> = fitted.iter().map(|weight| format!("{weight:.1}")).collect();
        println!("    pub const {name}: Self = Self([{}]);", rounded.join(", "));
    }
}

fn examples(art: &Art, sheets: u64, seed: u64) -> Vec<Example> {
    let mut found = Vec::new();
    for (number, kind) in (0..).zip(KINDS) {
        for at in 0..sheets {
            let mut random = Random::new(seed * 1_000_003 + number * 10_007 + at);
            found.extend(Example::of(&(kind.make)(art, &mut random)));
        }
    }
    found
}

impl Example {
    /// `None` where nothing is to be chosen: a single picture, or a grid that isn't among those judged.
    fn of(sheet: &Sheet) -> Option<Self> {
        if sheet.truth.len() == 1 {
            return None;
        }
        let pixels = Pixels::from_image(sheet.image.clone());
        let (judged, is_dense) = judge_grids(&SheetAnalysis::of(&pixels));
        let mut choices: Vec<(GridCandidate, Choice)> = Vec::new();
        for candidate in judged {
            let pitch = |grid: &Grid| {
                let (cell, gutter) = (grid.cell_size(), grid.spacing().gutter);
                (cell.width + gutter.x, cell.height + gutter.y)
            };
            let key = |one: &GridCandidate| (one.grid.counts(), pitch(&one.grid));
            let is_alike = |other: &GridCandidate| key(other) == key(&candidate);
            match choices.iter_mut().find(|(other, _)| is_alike(other)) {
                Some((_, choice)) => choice.variants.push(candidate.terms.0),
                None => {
                    let counts = (candidate.grid.counts(), sheet.truth.counts());
                    let is_near = counts.0.columns.abs_diff(counts.1.columns) <= 1
                        && counts.0.rows.abs_diff(counts.1.rows) <= 1;
                    let is_right = same(&candidate.grid, &sheet.truth)
                        || is_near && is_one_answer(&candidate.grid, &sheet.truth, &pixels);
                    let variants = vec![candidate.terms.0];
                    choices.push((candidate, Choice { is_right, variants }));
                }
            }
        }
        let choices: Vec<Choice> = choices.into_iter().map(|(_, choice)| choice).collect();
        choices.iter().any(|choice| choice.is_right).then_some(Self { is_dense, choices })
    }
}

fn is_found(example: &Example, weights: &[f64; TERMS]) -> bool {
    let scored = example.choices.iter().map(|choice| (choice.best(weights).0, choice.is_right));
    scored.max_by(|a, b| a.0.total_cmp(&b.0)).is_some_and(|(_, is_right)| is_right)
}

/// Weights that make the right choices the likeliest, by gradient ascent with the steps of each weight scaled by its own
/// gradients (Adam: D. Kingma and J. Ba, 2014).
fn fit(examples: &[&Example], used: &[f64; TERMS]) -> [f64; TERMS] {
    // Relative to the weights in use, so a weight of 0 stays 0.
    let mut scale = [1.0; TERMS];
    let (mut mean, mut square) = ([0.0; TERMS], [0.0; TERMS]);
    for step in 1..=STEPS {
        let mut weights = *used;
        weights.iter_mut().zip(&scale).for_each(|(weight, scale)| *weight *= scale);
        let mut gradient = [0.0; TERMS];
        for example in examples {
            let best: Vec<_> =
                example.choices.iter().map(|choice| (choice.best(&weights), choice.is_right)).collect();
            let expected = |is_asked: fn(bool) -> bool| {
                let asked = || best.iter().filter(|(_, is_right)| is_asked(*is_right)).map(|(best, _)| best);
                let most = asked().map(|(score, _)| *score).fold(f64::MIN, f64::max);
                let (mut terms, mut all) = ([0.0; TERMS], 0.0);
                for (score, own) in asked() {
                    let share = f64::exp(score - most);
                    all += share;
                    terms.iter_mut().zip(own.iter()).for_each(|(sum, amount)| *sum += share * amount);
                }
                terms.map(|sum| sum / all)
            };
            let (right, any) = (expected(|is_right| is_right), expected(|_| true));
            for at in 0..TERMS {
                gradient[at] += (right[at] - any[at]) * used[at];
            }
        }
        for at in 0..TERMS {
            if FIXED.iter().any(|term| *term as usize == at) {
                continue;
            }
            let slope = gradient[at] - HELD * (scale[at] - 1.0);
            mean[at] = 0.9 * mean[at] + 0.1 * slope;
            square[at] = 0.999 * square[at] + 0.001 * slope * slope;
            let (mean, square): (f64, f64) =
                (mean[at] / (1.0 - 0.9f64.powi(step)), square[at] / (1.0 - 0.999f64.powi(step)));
            scale[at] += PACE * mean / (square.sqrt() + 1e-9);
        }
    }
    let mut fitted = *used;
    fitted.iter_mut().zip(&scale).for_each(|(weight, scale)| *weight *= scale);
    fitted
}
