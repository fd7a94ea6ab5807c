//! Domains that lists hold, with all below them.

use crate::person::{IdentityHash, IdentityHasher};
use crate::units::ListId;
use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};

/// The domain entries of all lists.
#[derive(Debug, Default)]
pub struct HeldDomains {
    by_hash: HashMap<IdentityHash, u32>,
    /// Which lists hold each, and how often.
    lists: Vec<Vec<(ListId, u64)>>,
    matched: Vec<AtomicBool>,
}

impl HeldDomains {
    /// Adds an entry; `domain` as A-labels in lower case.
    pub fn add(&mut self, domain: &str, list: ListId, hasher: &IdentityHasher) {
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
        while memchr::memchr(b'.', rest).is_some() {
            if let Some(index) = self.by_hash.get(&hasher.hash(rest)) {
                self.matched[*index as usize].store(true, Ordering::Relaxed);
                self.lists[*index as usize].iter().for_each(|(list, _)| each(*list));
            }
            rest = match memchr::memchr(b'.', rest) {
                Some(dot) => &rest[dot + 1..],
                None => &[],
            };
        }
    }

    /// How many entries of a list matched.
    pub fn matched_entries(&self, list: ListId) -> u64 {
        let counts = self.lists.iter().zip(&self.matched).filter(|(_, matched)| matched.load(Ordering::Relaxed));
        counts.flat_map(|(lists, _)| lists).filter(|(other, _)| *other == list).map(|(_, count)| count).sum()
    }
}
