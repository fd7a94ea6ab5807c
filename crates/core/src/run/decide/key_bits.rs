//! Which of very many keys are there: two bits for each in a table that is far larger than the processor's caches.
//!
//! Keys are looked at many at a time, parted by the region of the table that they belong to, so that hardly one of them waits
//! for memory: asked one by one in the order in which they come, nearly all of the time is waiting.

use std::sync::atomic::{AtomicU64, Ordering::Relaxed};

/// The fewest words of a table.
const FEWEST_WORDS: u64 = 1 << 12;

/// How many regions a table has, by the first bits of keys.
const REGION_BITS: u32 = 9;
const REGIONS: usize = 1 << REGION_BITS;

/// A set of keys in which a key may seem to be that is not, and every key is that was added. Keys are evenly scattered
/// hashes; the word of a key is told by its first bits, its bits in that word by its last ones.
pub(super) struct KeyBits {
    words: Vec<AtomicU64>,
    shift: u32,
}

impl KeyBits {
    /// An empty table of at most `bytes` bytes, but never fewer than a small table has.
    pub fn new(bytes: u64) -> KeyBits {
        let bits = (bytes / 8).max(FEWEST_WORDS).ilog2();
        KeyBits { words: (0..1u64 << bits).map(|_| AtomicU64::new(0)).collect(), shift: u64::BITS - bits }
    }

    #[inline]
    fn place(&self, key: u64) -> (&AtomicU64, u64) {
        (&self.words[(key >> self.shift) as usize], 1 << (key & 63) | 1 << (key >> 6 & 63))
    }

    #[inline]
    fn has(&self, key: u64) -> bool {
        let (word, bits) = self.place(key);
        word.load(Relaxed) & bits == bits
    }

    /// Adds keys.
    pub fn add_all(&self, keys: &[(u64, ())]) {
        let mut new = Vec::new();
        for_each_region(keys, |of_region| {
            // Looking first brings the words near, so that writing does not wait.
            new.clear();
            new.extend(of_region.iter().map(|(key, ())| *key).filter(|key| !self.has(*key)));
            for key in &new {
                let (word, bits) = self.place(*key);
                word.fetch_or(bits, Relaxed);
            }
        });
    }

    /// Hands over each key that is there, with what stands beside it.
    pub fn for_each_known<T: Copy + Default>(&self, keys: &[(u64, T)], mut give: impl FnMut(u64, T)) {
        for_each_region(keys, |of_region| {
            for (key, of) in of_region.iter().filter(|(key, _)| self.has(*key)) {
                give(*key, *of);
            }
        });
    }
}

/// Hands over the keys of each region together.
fn for_each_region<T: Copy + Default>(keys: &[(u64, T)], mut each: impl FnMut(&[(u64, T)])) {
    let region = |key: u64| (key >> (u64::BITS - REGION_BITS)) as usize;
    let mut ends = [0usize; REGIONS];
    for (key, _) in keys {
        ends[region(*key)] += 1;
    }
    let mut start = 0;
    for end in &mut ends {
        start += std::mem::replace(end, start);
    }
    let mut parted = vec![(0u64, T::default()); keys.len()];
    for (key, of) in keys {
        let end = &mut ends[region(*key)];
        parted[*end] = (*key, *of);
        *end += 1;
    }
    let mut start = 0;
    for end in ends {
        each(&parted[start..end]);
        start = end;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_key_that_was_added_is_there_and_few_others_seem_to_be() {
        let scattered =
            |number: u64| number.wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ number.wrapping_mul(0xC2B2_AE3D_27D4_EB4F) >> 29;
        let keys: Vec<(u64, u32)> = (1..200_000).map(|number| (scattered(number), number as u32)).collect();
        let bits = KeyBits::new(1 << 20);
        bits.add_all(&keys.iter().filter(|(_, number)| number % 2 == 0).map(|(key, _)| (*key, ())).collect::<Vec<_>>());
        let (mut added, mut others) = (Vec::new(), 0);
        bits.for_each_known(&keys, |_, number| if number % 2 == 0 { added.push(number) } else { others += 1 });
        added.sort_unstable();
        assert_eq!(added, (1..200_000).filter(|number| number % 2 == 0).collect::<Vec<u32>>());
        assert!(others < 10_000, "{others}");
    }
}
