//! Counts of agreeing places for every shift at once: correlations of planes by way of the frequency domain.
//!
//! The planes hold whole numbers and so do their correlations; results are rounded to them, which makes them the same on every
//! machine, whatever the order in which a transform adds up.

use std::sync::Arc;

use realfft::num_complex::Complex;
use realfft::{ComplexToReal, RealFftPlanner, RealToComplex};
use rustfft::{Fft, FftPlanner};

/// A plane in the frequency domain.
pub(super) type Spectrum = Vec<Complex<f64>>;

/// Room to transform in, and what came of it.
pub(super) struct Scratch {
    pub(super) spectrum: Spectrum,
    row: Spectrum,
    rows: Spectrum,
    columns: Spectrum,
}

/// Transforms planes of one size.
pub(super) struct Planes {
    width: usize,
    height: usize,
    rows: Arc<dyn RealToComplex<f64>>,
    rows_back: Arc<dyn ComplexToReal<f64>>,
    columns: Arc<dyn Fft<f64>>,
    columns_back: Arc<dyn Fft<f64>>,
}

impl Planes {
    /// Planes that have room for so many columns and rows, so that nothing reaches round.
    pub(super) fn of(width: usize, height: usize) -> Self {
        let (width, height) = (fast(width), fast(height));
        let (mut real, mut complex) = (RealFftPlanner::new(), FftPlanner::new());
        Self {
            width,
            height,
            rows: real.plan_fft_forward(width),
            rows_back: real.plan_fft_inverse(width),
            columns: complex.plan_fft_forward(height),
            columns_back: complex.plan_fft_inverse(height),
        }
    }

    pub(super) fn width(&self) -> usize {
        self.width
    }

    pub(super) fn height(&self) -> usize {
        self.height
    }

    fn bins(&self) -> usize {
        self.width / 2 + 1
    }

    /// Nothing, in the frequency domain.
    pub(super) fn nothing(&self) -> Spectrum {
        vec![Complex::default(); self.bins() * self.height]
    }

    /// Room to transform in.
    pub(super) fn scratch(&self) -> Scratch {
        Scratch {
            spectrum: self.nothing(),
            row: self.rows.make_output_vec(),
            rows: self.rows.make_scratch_vec(),
            columns: vec![Complex::default(); self.columns.get_inplace_scratch_len()],
        }
    }

    /// Puts a plane into the frequency domain, column by column, in `scratch.spectrum`. Rows that are left out at the bottom are
    /// empty. Destroys the plane.
    pub(super) fn forward(&self, plane: &mut [f64], scratch: &mut Scratch) {
        let Scratch { spectrum, row: row_out, rows, columns } = scratch;
        for column in spectrum.chunks_exact_mut(self.height) {
            column[plane.len() / self.width..].fill(Complex::default());
        }
        for (y, row) in plane.chunks_exact_mut(self.width).enumerate() {
            self.rows
                .process_with_scratch(row, row_out, rows)
                .expect("all rows have the length that was planned");
            for (bin, value) in row_out.iter().enumerate() {
                spectrum[bin * self.height + y] = *value;
            }
        }
        self.columns.process_with_scratch(spectrum, columns);
    }

    /// The plane of a spectrum, rounded to whole numbers.
    pub(super) fn counts(&self, mut spectrum: Spectrum) -> Vec<i64> {
        let mut scratch = vec![Complex::default(); self.columns_back.get_inplace_scratch_len()];
        self.columns_back.process_with_scratch(&mut spectrum, &mut scratch);
        let scale = 1.0 / (self.width * self.height) as f64;
        let mut scratch = self.rows_back.make_scratch_vec();
        let mut row_in = self.rows_back.make_input_vec();
        let mut row_out = self.rows_back.make_output_vec();
        let mut counts = Vec::with_capacity(self.width * self.height);
        for y in 0..self.height {
            for (bin, value) in row_in.iter_mut().enumerate() {
                *value = spectrum[bin * self.height + y];
            }
            // A real plane has no imaginary part there; rounding may leave a trace of one.
            row_in[0].im = 0.0;
            if self.width.is_multiple_of(2) {
                row_in[self.width / 2].im = 0.0;
            }
            self.rows_back
                .process_with_scratch(&mut row_in, &mut row_out, &mut scratch)
                .expect("all rows have the length that was planned");
            counts.extend(row_out.iter().map(|value| (value * scale).round() as i64));
        }
        counts
    }
}

/// Adds the correlation of two planes, `a` moved over `b`, to a sum.
pub(super) fn correlate(sum: &mut [Complex<f64>], a: &[Complex<f64>], b: &[Complex<f64>]) {
    for ((sum, a), b) in sum.iter_mut().zip(a).zip(b) {
        *sum += a.conj() * b;
    }
}

/// The least length from here up that is quick to transform: only small prime factors, and even.
fn fast(length: usize) -> usize {
    let is_fast = |&length: &usize| {
        let mut rest = length;
        for prime in [2, 3, 5] {
            while rest.is_multiple_of(prime) {
                rest /= prime;
            }
        }
        rest == 1 && length.is_multiple_of(4)
    };
    (length.max(4)..).find(is_fast).unwrap_or(length)
}
