//! Small maps and sets for what is asked again and again, such as the words of a column: bounded by who fills them.

use std::collections::{HashMap, HashSet};
use std::hash::{BuildHasherDefault, Hasher};
use xxhash_rust::xxh3::xxh3_64_with_seed;

/// A map with a quick hash that is the same in every run. Nothing may depend on its order.
pub type QuickMap<K, V> = HashMap<K, V, BuildHasherDefault<QuickHasher>>;

/// A set with the same hash: the words that the program itself knows.
pub type QuickSet<T> = HashSet<T, BuildHasherDefault<QuickHasher>>;

/// XXH3 over the bytes of short keys.
#[derive(Debug, Default, Clone, Copy)]
pub struct QuickHasher(u64);

impl Hasher for QuickHasher {
    #[inline]
    fn write(&mut self, bytes: &[u8]) {
        self.0 = xxh3_64_with_seed(bytes, self.0);
    }

    #[inline]
    fn write_u8(&mut self, number: u8) {
        self.0 = (self.0 ^ u64::from(number)).wrapping_mul(0x9E37_79B9_7F4A_7C15);
    }

    #[inline]
    fn write_usize(&mut self, number: usize) {
        self.0 = (self.0 ^ number as u64).wrapping_mul(0x9E37_79B9_7F4A_7C15);
    }

    #[inline]
    fn finish(&self) -> u64 {
        self.0
    }
}
