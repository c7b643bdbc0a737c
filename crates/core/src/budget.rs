//! How much memory the pictures of a run may take together, and who holds how much of it.
//!
//! Whoever is about to make pictures takes a lease first; it is given back when it is dropped. Pixels keep their lease with
//! them ([`Pixels::with_lease`](crate::Pixels::leased)), so that what is let go counts no more. Nothing here allocates or
//! measures anything: it is a sum.

use std::fmt;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// A share of memory, in bytes, spent by everything that holds a clone of it.
#[derive(Clone, Debug)]
pub struct Budget(Arc<Account>);

#[derive(Debug)]
struct Account {
    limit: u64,
    taken: AtomicU64,
}

/// Bytes taken from a budget, given back when this is dropped.
#[derive(Debug)]
#[must_use = "what was taken is given back as soon as this is dropped"]
pub struct Lease {
    budget: Budget,
    bytes: u64,
}

/// More is needed than is left.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("needs {} of memory in addition to {} in use; the limit is {}", ByteSize(*need), ByteSize(*taken), ByteSize(*limit))]
pub struct OverBudget {
    /// Bytes needed.
    pub need: u64,
    /// Bytes in use by then.
    pub taken: u64,
    /// Bytes allowed in all.
    pub limit: u64,
}

/// A number of bytes as people write it: `12.3 MB`; 1 kB is 1000 bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ByteSize(pub u64);

/// Units above a byte, each a thousand of the one before.
pub(crate) const UNITS: [&str; 4] = ["kB", "MB", "GB", "TB"];

impl fmt::Display for ByteSize {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.0 < 1000 {
            return write!(f, "{} B", self.0);
        }
        let (mut value, mut unit) = (self.0 as f64 / 1000.0, 0);
        while value >= 1000.0 && unit + 1 < UNITS.len() {
            (value, unit) = (value / 1000.0, unit + 1);
        }
        write!(f, "{value:.1} {}", UNITS[unit])
    }
}

impl Budget {
    /// A budget of this many bytes.
    pub fn with_limit(bytes: u64) -> Self {
        Self(Arc::new(Account { limit: bytes, taken: AtomicU64::new(0) }))
    }

    /// Bytes that are not taken.
    pub fn available(&self) -> u64 {
        self.0.limit.saturating_sub(self.0.taken.load(Ordering::Relaxed))
    }

    /// Takes bytes that are about to be asked of the system.
    ///
    /// # Errors
    /// If not so many are left; then none are taken.
    pub fn lease(&self, bytes: u64) -> Result<Lease, OverBudget> {
        let Account { limit, taken } = &*self.0;
        let with = |taken: u64| taken.checked_add(bytes).filter(|sum| sum <= limit);
        match taken.fetch_update(Ordering::Relaxed, Ordering::Relaxed, with) {
            Ok(_) => Ok(Lease { budget: self.clone(), bytes }),
            Err(taken) => Err(OverBudget { need: bytes, taken, limit: *limit }),
        }
    }

    /// Whether this many bytes are left.
    ///
    /// # Errors
    /// If they are not.
    pub fn check(&self, bytes: u64) -> Result<(), OverBudget> {
        self.lease(bytes).map(drop)
    }

    /// Leases bytes that are already allocated, even beyond the limit.
    pub fn lease_unchecked(&self, bytes: u64) -> Lease {
        self.0.taken.fetch_add(bytes, Ordering::Relaxed);
        Lease { budget: self.clone(), bytes }
    }
}

impl Default for Budget {
    /// One that never ends.
    fn default() -> Self {
        Self::with_limit(u64::MAX)
    }
}

impl Lease {
    /// The budget that it was taken from.
    pub fn budget(&self) -> &Budget {
        &self.budget
    }
}

impl Drop for Lease {
    fn drop(&mut self) {
        self.budget.0.taken.fetch_sub(self.bytes, Ordering::Relaxed);
    }
}

#[cfg(test)]
mod tests {
    use image::RgbaImage;

    use super::*;
    use crate::{Pixels, Rect};

    #[test]
    fn what_is_taken_is_given_back_and_never_more_than_there_is() {
        let budget = Budget::with_limit(100);
        let sixty = budget.lease(60).unwrap();
        assert_eq!(budget.lease(41).unwrap_err(), OverBudget { need: 41, taken: 60, limit: 100 });
        assert_eq!(budget.lease(u64::MAX).unwrap_err().taken, 60);
        let forty = budget.clone().lease(40).unwrap();
        assert_eq!(budget.available(), 0);
        drop(sixty);
        assert_eq!(budget.available(), 60);
        drop(forty);
        assert!(Budget::default().check(1 << 60).is_ok());
    }

    #[test]
    fn sizes_are_read_as_they_are_printed() {
        for (text, bytes) in [
            ("2g", 2_000_000_000),
            ("800 MB", 800_000_000),
            ("1.5kb", 1500),
            ("7", 7),
            ("3 TB", 3_000_000_000_000),
        ] {
            assert_eq!(text.parse(), Ok(ByteSize(bytes)), "{text}");
        }
        for text in ["", "GB", "0", "-1", "1.2.3", "5 apples", "9e99", "1 mm", "0.2"] {
            assert!(text.parse::<ByteSize>().is_err(), "{text}");
        }
        let texts = [999, 1000, 12_345_678, 2_500_000_000, 1 << 60].map(|size| ByteSize(size).to_string());
        assert_eq!(texts, ["999 B", "1.0 kB", "12.3 MB", "2.5 GB", "1152921.5 TB"]);
    }

    #[test]
    fn pictures_count_as_long_as_anything_looks_at_them() {
        let budget = Budget::with_limit(1000);
        let image = RgbaImage::new(10, 10);
        let whole = Pixels::with_lease(image, budget.lease(400).unwrap());
        let part = whole.crop(Rect::new(0, 0, 2, 2)).unwrap();
        whole.charge_to(&budget);
        drop(whole);
        assert_eq!(budget.available(), 600);
        // A copy of a small part lets the rest go, and counts on its own.
        let small = part.compacted();
        assert_eq!(budget.available(), 1000 - 16);
        drop(small);
        let made = Pixels::from_image(RgbaImage::new(5, 5));
        assert_eq!(budget.available(), 1000);
        made.charge_to(&budget);
        made.clone().charge_to(&budget);
        assert_eq!(budget.available(), 900);
    }
}
