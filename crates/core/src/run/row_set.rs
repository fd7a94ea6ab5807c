//! A set of rows, a bit each.

use pebblebank_table::units::RowId;
/// A set of rows, a bit each.
pub struct RowSet {
    bits: Vec<u64>,
}

impl RowSet {
    /// An empty set for `rows` rows.
    pub fn new(rows: usize) -> RowSet {
        RowSet { bits: vec![0; rows.div_ceil(64)] }
    }

    /// Adds a row.
    pub fn add(&mut self, row: RowId) {
        self.bits[row.index() / 64] |= 1 << (row.0 % 64);
    }

    /// How many of these numbers are in it.
    pub fn count(&self, numbers: std::ops::Range<u32>) -> u64 {
        let (first, end) = (numbers.start as usize, numbers.end as usize);
        let in_word = |word: usize| {
            let below = |number: usize| if number >= 64 { u64::MAX } else { (1u64 << number) - 1 };
            let wanted = below((end - word * 64).min(64)) & !below(first.saturating_sub(word * 64));
            u64::from((self.bits[word] & wanted).count_ones())
        };
        (first / 64..end.div_ceil(64)).map(in_word).sum()
    }

    /// Whether a row is in it.
    #[inline]
    pub fn holds(&self, row: RowId) -> bool {
        self.bits[row.index() / 64] >> (row.0 % 64) & 1 == 1
    }
}
