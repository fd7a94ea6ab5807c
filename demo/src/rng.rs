//! A small generator of numbers from a seed (`SplitMix64`, Steele, Lea and Flood 2014).

/// Numbers from a seed.
#[derive(Debug, Clone)]
pub(crate) struct Rng(u64);

impl Rng {
    /// A generator; different streams of one seed are independent.
    pub(crate) fn new(seed: u64, stream: u64) -> Rng {
        let mut rng = Rng(seed ^ stream.wrapping_mul(0xD6E8_FEB8_6659_FD93));
        rng.next();
        rng
    }

    /// The next number.
    pub(crate) fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut mixed = self.0;
        mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        mixed ^ (mixed >> 31)
    }

    /// A number below `end`.
    pub(crate) fn below(&mut self, end: usize) -> usize {
        ((u128::from(self.next()) * end as u128) >> 64) as usize
    }

    /// True in so many of a hundred cases.
    pub(crate) fn percent(&mut self, share: usize) -> bool {
        self.below(100) < share
    }

    /// One of them.
    pub(crate) fn one_of<'a, T>(&mut self, choices: &'a [T]) -> &'a T {
        &choices[self.below(choices.len())]
    }
}
