//! Exact factors: `2`, `0.75`, `2/3`. What is scaled by one is counted in whole numbers, so that nothing depends on how a
//! machine rounds fractions.

use std::fmt;
use std::str::FromStr;

use num_integer::gcd;

use crate::grammar::ValueError;

/// A number above 0, as a fraction in lowest terms.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ratio {
    times: u32,
    over: u32,
}

impl Ratio {
    /// As it is.
    pub const ONE: Self = Self { times: 1, over: 1 };

    /// `times / over`.
    ///
    /// # Errors
    /// If either is 0.
    pub fn new(times: u32, over: u32) -> Result<Self, ValueError> {
        if times == 0 || over == 0 {
            return Err(ValueError::new(&format!("{times}/{over}"), "is not a factor above 0"));
        }
        let shared = gcd(u64::from(times), u64::from(over)) as u32;
        Ok(Self { times: times / shared, over: over / shared })
    }

    /// Above the line.
    pub fn numerator(self) -> u32 {
        self.times
    }

    /// Below it.
    pub fn denominator(self) -> u32 {
        self.over
    }

    /// The nearest floating-point number.
    pub fn value(self) -> f64 {
        f64::from(self.times) / f64::from(self.over)
    }

    /// Whether it is a whole number, or one over a whole number.
    pub fn is_integer_or_inverse(self) -> bool {
        self.times == 1 || self.over == 1
    }

    /// So many pixels in this size, to the nearest whole one; half a pixel is rounded up.
    pub fn scale_length(self, pixels: u32) -> u32 {
        let doubled = 2 * u64::from(pixels) * u64::from(self.times) + u64::from(self.over);
        u32::try_from(doubled / (2 * u64::from(self.over))).unwrap_or(u32::MAX)
    }

    /// A place between pixels in this size, rounded down.
    pub fn floor(self, at: i64) -> i64 {
        (at * i64::from(self.times)).div_euclid(i64::from(self.over))
    }

    /// The same rounded up.
    pub fn ceil(self, at: i64) -> i64 {
        -self.floor(-at)
    }
}

impl fmt::Display for Ratio {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut odd = self.over;
        for prime in [2, 5] {
            while odd.is_multiple_of(prime) {
                odd /= prime;
            }
        }
        // Only such have a decimal that ends.
        if odd == 1 { write!(f, "{}", self.value()) } else { write!(f, "{}/{}", self.times, self.over) }
    }
}

impl FromStr for Ratio {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = || ValueError::new(text, "is not a positive number such as 2, 0.5 or 2/3");
        let plain = |part: &str| part.len() <= 9 && part.bytes().all(|byte| byte.is_ascii_digit());
        let whole = |part: &str| part.parse::<u32>().ok().filter(|_| plain(part)).ok_or_else(wrong);
        let (times, over) = match text.trim().split_once('/') {
            Some((times, over)) => (whole(times.trim())?, whole(over.trim())?),
            None => {
                let (units, decimals) = text.trim().split_once('.').unwrap_or((text.trim(), ""));
                (whole(&format!("{units}{decimals}"))?, 10u32.pow(decimals.len() as u32))
            }
        };
        Self::new(times, over).map_err(|_| wrong())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_typed_is_kept_exactly() {
        for (text, parts, printed) in [
            ("2", (2, 1), "2"),
            ("0.5", (1, 2), "0.5"),
            (".75", (3, 4), "0.75"),
            ("1.", (1, 1), "1"),
            ("2/6", (1, 3), "1/3"),
            ("2.2", (11, 5), "2.2"),
            ("7/3", (7, 3), "7/3"),
            ("0.333", (333, 1000), "0.333"),
        ] {
            let ratio: Ratio = text.parse().unwrap();
            assert_eq!(
                ((ratio.numerator(), ratio.denominator()), ratio.to_string().as_str()),
                (parts, printed),
                "{text}"
            );
        }
        for wrong in ["0", "-1", "", ".", "x", "1/0", "1e3", "0.0", "1/2/3", "1.2.3", "1234567890", "inf"] {
            assert!(wrong.parse::<Ratio>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn lengths_are_rounded_as_on_paper() {
        let ratio = |text: &str| text.parse::<Ratio>().unwrap();
        assert_eq!([1, 2, 3, 4].map(|px| ratio("0.5").scale_length(px)), [1, 1, 2, 2]);
        assert_eq!([3, 15, 1_000_000].map(|px| ratio("7/3").scale_length(px)), [7, 35, 2_333_333]);
        assert_eq!((ratio("2/3").floor(-4), ratio("2/3").ceil(-4), ratio("2/3").ceil(4)), (-3, -2, 3));
        assert_eq!(ratio("1.4").scale_length(5), 7);
    }
}
