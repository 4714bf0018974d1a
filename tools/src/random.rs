//! A small generator of numbers: the data must be the same on every machine.

/// Two rounds of multiply and shift over a counter.
#[derive(Debug, Clone, Copy)]
pub struct Random(u64);

impl Random {
    /// A generator for a seed.
    pub fn new(seed: u64) -> Self {
        Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ 0x5851_f42d_4c95_7f2d)
    }

    /// The next 64 bits.
    pub fn bits(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A number below `n`.
    pub fn below(&mut self, n: usize) -> usize {
        (self.bits() % n.max(1) as u64) as usize
    }

    /// One of a list.
    pub fn pick<'a, T>(&mut self, list: &'a [T]) -> &'a T {
        &list[self.below(list.len())]
    }

    /// Whether a chance of so many in a thousand comes true.
    pub fn chance(&mut self, in_a_thousand: usize) -> bool {
        self.below(1000) < in_a_thousand
    }
}
