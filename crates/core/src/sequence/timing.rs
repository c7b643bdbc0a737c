//! Exact times: a step's length as a fraction of a second, and one clock for all steps of a clip.
//!
//! Six frames of 100 ms last 600 ms, 12 frames a second last 1/12 s each and not 83 ms. Never rounds.

use num_integer::gcd;

/// A length of time: `ticks / timescale` seconds, more than 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct FrameDuration {
    ticks: u32,
    timescale: u32,
}

/// Why a length of time can't be had.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum TimeError {
    /// Nothing at all.
    #[error("a frame needs a duration above 0")]
    Zero,
    /// More than 1000 frames a second.
    #[error("rates are limited to 1000 fps; write a time such as 80ms or a rate such as 12fps")]
    Fast,
    /// The numbers do not fit 32 bits.
    #[error("the time is too long or too precise to be stored exactly")]
    Range,
}

impl FrameDuration {
    /// Where nothing says how long a frame is shown: 100 ms.
    pub const DEFAULT: FrameDuration = FrameDuration { ticks: 100, timescale: 1000 };

    /// `ticks / timescale` seconds, as given.
    pub fn new(ticks: u32, timescale: u32) -> Result<Self, TimeError> {
        if ticks == 0 || timescale == 0 { Err(TimeError::Zero) } else { Ok(Self { ticks, timescale }) }
    }

    /// `numerator / denominator` seconds, in lowest terms, or in milliseconds where those are whole.
    pub(crate) fn seconds(numerator: u64, denominator: u64) -> Result<Self, TimeError> {
        if numerator == 0 || denominator == 0 {
            return Err(TimeError::Zero);
        }
        let shared = gcd(numerator, denominator);
        let (ticks, timescale) = (numerator / shared, denominator / shared);
        let (ticks, timescale) = match 1000 % timescale {
            0 => (ticks.checked_mul(1000 / timescale).ok_or(TimeError::Range)?, 1000),
            _ => (ticks, timescale),
        };
        let fit = |number: u64| u32::try_from(number).map_err(|_| TimeError::Range);
        Self::new(fit(ticks)?, fit(timescale)?)
    }

    /// The time of one frame at `numerator / denominator` frames a second.
    pub(crate) fn rate(numerator: u64, denominator: u64) -> Result<Self, TimeError> {
        if numerator == 0 || denominator == 0 {
            return Err(TimeError::Zero);
        }
        if numerator > 1000 * denominator {
            return Err(TimeError::Fast);
        }
        let shared = gcd(numerator, denominator);
        let fit = |number: u64| u32::try_from(number / shared).map_err(|_| TimeError::Range);
        Self::new(fit(denominator)?, fit(numerator)?)
    }

    /// How many ticks.
    pub fn ticks(self) -> u32 {
        self.ticks
    }

    /// Ticks a second.
    pub fn timescale(self) -> u32 {
        self.timescale
    }

    /// The length in milliseconds, rounded to a float only here.
    pub fn millis(self) -> f64 {
        f64::from(self.ticks) * 1000.0 / f64::from(self.timescale)
    }

    /// The same length in lowest terms.
    pub fn reduced(self) -> Self {
        let shared = gcd(u64::from(self.ticks), u64::from(self.timescale)) as u32;
        Self { ticks: self.ticks / shared, timescale: self.timescale / shared }
    }

    /// Both lengths together.
    ///
    /// # Errors
    /// If the sum doesn't fit 32 bits exactly.
    pub fn plus(self, other: Self) -> Result<Self, TimeError> {
        let (a, b) = (self.reduced(), other.reduced());
        let (a_ticks, b_ticks) = (u64::from(a.ticks), u64::from(b.ticks));
        let (a_scale, b_scale) = (u64::from(a.timescale), u64::from(b.timescale));
        let shared = gcd(a_scale, b_scale);
        Self::seconds(a_ticks * (b_scale / shared) + b_ticks * (a_scale / shared), a_scale / shared * b_scale)
    }

    /// This many times as long.
    pub(crate) fn times(self, count: u32) -> Result<Self, TimeError> {
        let ticks = self.ticks.checked_mul(count).ok_or(TimeError::Range)?;
        Self::new(ticks, self.timescale)
    }
}

/// One clock for all spans: its ticks a second, and each span in its ticks.
///
/// # Errors
/// If the clock or a span doesn't fit into 32 bits.
pub fn common_clock(spans: &[FrameDuration]) -> Result<(u32, Vec<u32>), TimeError> {
    let mut clock: u64 = 1;
    for span in spans {
        let scale = u64::from(span.timescale);
        clock = clock / gcd(clock, scale) * scale;
        if clock > u64::from(u32::MAX) {
            return Err(TimeError::Range);
        }
    }
    let on_clock = |span: &FrameDuration| {
        let ticks = u64::from(span.ticks) * (clock / u64::from(span.timescale));
        u32::try_from(ticks).map_err(|_| TimeError::Range)
    };
    let ticks = spans.iter().map(on_clock).collect::<Result<_, _>>()?;
    Ok((clock as u32, ticks))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn rates_and_totals_are_exact() {
        assert_eq!(FrameDuration::rate(12, 1), FrameDuration::new(1, 12));
        assert_eq!(FrameDuration::rate(125, 10), FrameDuration::new(2, 25));
        assert_eq!(FrameDuration::seconds(80, 1000), FrameDuration::new(80, 1000));
        assert_eq!(FrameDuration::seconds(8, 60), FrameDuration::new(2, 15));
        assert_eq!(FrameDuration::rate(1001, 1), Err(TimeError::Fast));
        assert_eq!(FrameDuration::rate(0, 1), Err(TimeError::Zero));
        assert_eq!(FrameDuration::seconds(0, 1000), Err(TimeError::Zero));
        assert_eq!(FrameDuration::seconds(u64::MAX, 1), Err(TimeError::Range));
    }

    proptest! {
        #[test]
        fn a_common_clock_changes_no_span(parts in prop::collection::vec((1u32..500, 1u32..60), 1..8)) {
            let spans: Vec<FrameDuration> = parts.iter().map(|&(t, s)| FrameDuration::new(t, s).unwrap()).collect();
            if let Ok((clock, ticks)) = common_clock(&spans) {
                for (span, ticks) in spans.iter().zip(ticks) {
                    prop_assert_eq!(
                        u64::from(ticks) * u64::from(span.timescale()),
                        u64::from(span.ticks()) * u64::from(clock)
                    );
                }
            }
        }
    }
}
