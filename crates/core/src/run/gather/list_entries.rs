//! The entries that a chunk of a list gives.

use crate::suppress::alike::{Alike, address_alike};
use pebblebank_values::digest::{Digest, DigestKind};
use pebblebank_values::entry::Entry;
use pebblebank_values::identity::{IdentityHash, IdentityHasher};
/// Entries of a list.
#[derive(Default)]
pub(crate) struct Entries {
    /// Those that are compared by their hash.
    pub compared: Vec<IdentityHash>,
    /// Further hashes of some of these, by their place.
    pub also: Vec<(u32, IdentityHash)>,
    /// The mailing of each, where mailings are counted.
    pub mailings: Vec<u32>,
    pub domains: Vec<String>,
    pub digest_kinds: Vec<DigestKind>,
    pub digests: u64,
    pub unusable: u64,
    pub blank: u64,
    /// For each that is compared what may be close to it, where that is wanted.
    pub texts: Vec<Option<Alike>>,
}

impl Entries {
    /// Adds an entry.
    pub(crate) fn add(&mut self, entry: Entry, hasher: &IdentityHasher) {
        match entry {
            Entry::Address(identity) => self.compared.push(hasher.hash_address(identity)),
            Entry::Domain(domain) => self.domains.push(domain),
            Entry::Digest(digest) => self.digest(digest, hasher),
            Entry::Unusable(text) => {
                self.unusable += 1;
                self.compared.push(hasher.hash_address(text));
            }
        }
    }

    /// How many entries there are that can be compared with contacts.
    pub(crate) fn usable(&self) -> usize {
        self.compared.len() + self.domains.len() - self.unusable as usize
    }

    /// Adds an entry that goes by other fields: the first of its hashes counts as the entry. Says whether
    /// there is one.
    pub(crate) fn add_keys(&mut self, hashes: &[IdentityHash], alike: Option<Alike>) -> bool {
        let Some((first, others)) = hashes.split_first() else { return false };
        let place = self.compared.len();
        self.also.extend(others.iter().map(|other| (place as u32, *other)));
        self.compared.push(*first);
        if alike.is_some() {
            self.texts.resize(place, None);
            self.texts.push(alike);
        }
        true
    }

    /// Adds an entry, and what may be close to it, with the name beside it.
    pub(crate) fn add_alike(&mut self, entry: Entry, name: &str, hasher: &IdentityHasher) {
        let shown = match &entry {
            Entry::Address(text) | Entry::Unusable(text) => Some(String::from_utf8_lossy(text)),
            _ => None,
        };
        let alike = shown.map(|text| address_alike(&text, name.to_owned(), hasher));
        self.add(entry, hasher);
        if self.texts.len() < self.compared.len() {
            self.texts.resize(self.compared.len() - 1, None);
            self.texts.push(alike);
        }
    }

    pub fn digest(&mut self, digest: Digest, hasher: &IdentityHasher) {
        self.compared.push(digest.hash(hasher));
        self.digests += 1;
        if !self.digest_kinds.contains(&digest.kind) {
            self.digest_kinds.push(digest.kind);
        }
    }
}
