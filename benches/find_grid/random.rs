//! Chance that is the same everywhere: xorshift64* (Vigna, 2016).

pub(crate) struct Random(u64);

impl Random {
    pub(crate) fn new(seed: u64) -> Self {
        let mut random = Self(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
        for _ in 0..8 {
            random.next();
        }
        random
    }

    fn next(&mut self) -> u64 {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        self.0.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 16
    }

    /// A number from `low` to `high`, both included.
    pub(crate) fn within(&mut self, low: u32, high: u32) -> u32 {
        low + (self.next() % u64::from(high - low + 1)) as u32
    }

    pub(crate) fn around(&mut self, reach: u32) -> i64 {
        i64::from(self.within(0, 2 * reach)) - i64::from(reach)
    }

    pub(crate) fn chance(&mut self, percent: u32) -> bool {
        self.within(1, 100) <= percent
    }

    pub(crate) fn pick<'a, T>(&mut self, list: &'a [T]) -> &'a T {
        &list[self.within(0, list.len() as u32 - 1) as usize]
    }
}
