//! How many different values there are, in bounded memory: exact up to a limit, estimated beyond.

use std::collections::HashSet;
use std::hash::{BuildHasherDefault, Hasher};

/// How many bits of a hash choose the register of the estimate: 16,384 of them, a standard error of 0.8 %.
const REGISTER_BITS: u32 = 14;

/// Counts different values by their hashes.
///
/// Beyond the limit it estimates as Flajolet, Fusy, Gandouet and Meunier described (`HyperLogLog`, 2007). What is
/// counted depends on the set of values alone, not on their order.
#[derive(Debug, Clone)]
pub struct Distinct {
    exact: HashSet<u64, BuildHasherDefault<TakeAsItIs>>,
    most: usize,
    registers: Option<Vec<u8>>,
}

/// The hash of a value; the same in every run.
pub fn hash(value: &[u8]) -> u64 {
    xxhash_rust::xxh3::xxh3_64(value)
}

impl Distinct {
    /// Counts exactly up to `most` values.
    pub fn new(most: usize) -> Distinct {
        Distinct { exact: HashSet::default(), most, registers: None }
    }

    /// Adds a value by its hash. Gives whether it was new, as long as the count is exact.
    #[inline]
    pub fn add(&mut self, hash: u64) -> bool {
        if let Some(registers) = &mut self.registers {
            register(registers, hash);
            return false;
        }
        let is_new = self.exact.insert(hash);
        if self.exact.len() > self.most {
            let mut registers = vec![0; 1 << REGISTER_BITS];
            self.exact.iter().for_each(|hash| register(&mut registers, *hash));
            self.exact = HashSet::default();
            self.registers = Some(registers);
        }
        is_new
    }

    /// Whether the count is an estimate.
    pub fn is_estimate(&self) -> bool {
        self.registers.is_some()
    }

    /// How many different values there were.
    pub fn count(&self) -> u64 {
        self.registers.as_ref().map_or(self.exact.len() as u64, |registers| estimate(registers))
    }
}

fn register(registers: &mut [u8], hash: u64) {
    let index = (hash >> (64 - REGISTER_BITS)) as usize;
    let rank = (hash << REGISTER_BITS).leading_zeros().min(64 - REGISTER_BITS) as u8 + 1;
    registers[index] = registers[index].max(rank);
}

fn estimate(registers: &[u8]) -> u64 {
    let count = registers.len() as f64;
    let sum: f64 = registers.iter().map(|rank| 2f64.powi(-i32::from(*rank))).sum();
    let raw = 0.7213 / (1.0 + 1.079 / count) * count * count / sum;
    let empty = memchr::memchr_iter(0, registers).count();
    let estimate = if raw <= 2.5 * count && empty > 0 { count * (count / empty as f64).ln() } else { raw };
    (estimate.round() as i64).unsigned_abs()
}

/// What is counted are hashes already.
#[derive(Debug, Clone, Default)]
struct TakeAsItIs(u64);

impl Hasher for TakeAsItIs {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, _: &[u8]) {
        unreachable!("only whole hashes are counted")
    }

    fn write_u64(&mut self, hash: u64) {
        self.0 = hash;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn is_exact_up_to_its_limit_and_within_three_percent_beyond() {
        let mut distinct = Distinct::new(1_000);
        for round in 0..2 {
            for value in 0..1_000u32 {
                assert_eq!(distinct.add(hash(&value.to_le_bytes())), round == 0);
            }
        }
        assert_eq!((distinct.count(), distinct.is_estimate()), (1_000, false));
        for value in 0..500_000u32 {
            distinct.add(hash(&value.to_le_bytes()));
        }
        assert!(distinct.is_estimate());
        assert!((485_000..515_000).contains(&distinct.count()), "{}", distinct.count());
    }
}
