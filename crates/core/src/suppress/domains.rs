//! Domains that lists hold, with all below them.

use pebblebank_table::units::ListId;
use pebblebank_values::identity::{IdentityHash, IdentityHasher};
use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hasher};
use std::sync::atomic::{AtomicBool, Ordering};

/// The domain entries of all lists.
#[derive(Debug)]
pub struct HeldDomains {
    /// A bit for each beginning and length that some domain has, so that most others are told apart at a glance.
    beginnings: Vec<u64>,
    by_hash: HashMap<IdentityHash, u32, BuildHasherDefault<AlreadyHashed>>,
    /// Which lists hold each, and how often.
    lists: Vec<Vec<(ListId, u64)>>,
    matched: Vec<AtomicBool>,
}

/// Takes an [`IdentityHash`] as the hash that it is.
#[derive(Debug, Default)]
struct AlreadyHashed(u64);

impl Hasher for AlreadyHashed {
    fn write_u128(&mut self, hash: u128) {
        self.0 = hash as u64;
    }

    fn write(&mut self, bytes: &[u8]) {
        self.0 = bytes.iter().fold(self.0, |hash, byte| hash.rotate_left(8) ^ u64::from(*byte));
    }

    fn finish(&self) -> u64 {
        self.0
    }
}

impl Default for HeldDomains {
    fn default() -> Self {
        HeldDomains {
            beginnings: vec![0; BEGINNINGS / 64],
            by_hash: HashMap::default(),
            lists: Vec::new(),
            matched: Vec::new(),
        }
    }
}

/// How many bits tell beginnings apart.
const BEGINNINGS: usize = 1 << 15;

/// The bit of a domain: by its first eight bytes and its length.
#[inline]
fn beginning(domain: &[u8]) -> usize {
    let first = domain.first_chunk::<8>().map_or(domain.len() as u64, |bytes| u64::from_le_bytes(*bytes));
    let mixed = (first ^ (domain.len() as u64) << 56).wrapping_mul(0x9E37_79B9_7F4A_7C15);
    (mixed >> 49) as usize
}

impl HeldDomains {
    /// Adds an entry; `domain` as A-labels in lower case.
    pub fn add(&mut self, domain: &str, list: ListId, hasher: &IdentityHasher) {
        let bit = beginning(domain.as_bytes());
        self.beginnings[bit / 64] |= 1 << (bit % 64);
        let next = self.lists.len() as u32;
        let index = *self.by_hash.entry(hasher.hash(domain.as_bytes())).or_insert(next);
        if index == next {
            self.lists.push(Vec::new());
            self.matched.push(AtomicBool::new(false));
        }
        let lists = &mut self.lists[index as usize];
        match lists.iter_mut().find(|(other, _)| *other == list) {
            Some((_, count)) => *count += 1,
            None => lists.push((list, 1)),
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.lists.is_empty()
    }

    /// Calls `each` with every list that holds the domain or one above it.
    #[inline]
    pub fn for_each_match(&self, domain: &[u8], hasher: &IdentityHasher, mut each: impl FnMut(ListId)) {
        let mut rest = domain;
        while let Some(dot) = memchr::memchr(b'.', rest) {
            let bit = beginning(rest);
            if self.beginnings[bit / 64] >> (bit % 64) & 1 == 1
                && let Some(index) = self.by_hash.get(&hasher.hash(rest))
            {
                self.matched[*index as usize].store(true, Ordering::Relaxed);
                self.lists[*index as usize].iter().for_each(|(list, _)| each(*list));
            }
            rest = &rest[dot + 1..];
        }
    }

    /// How many entries of a list matched.
    pub fn matched_entries(&self, list: ListId) -> u64 {
        let counts = self.lists.iter().zip(&self.matched).filter(|(_, matched)| matched.load(Ordering::Relaxed));
        counts.flat_map(|(lists, _)| lists).filter(|(other, _)| *other == list).map(|(_, count)| count).sum()
    }
}
