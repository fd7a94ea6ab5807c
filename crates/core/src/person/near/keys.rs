//! Who is compared with whom: people that share one of these keys.
//!
//! One typo in the part before the `@`: two texts that are an insertion, deletion, replacement or swap of neighbours apart
//! have a text in common when one letter, or none, is taken out of each. So each text gives as many keys as it has
//! letters, and one. Names: with the same postal code or phone number, the family name with the initial, with the groups
//! of short forms, and both names in either order.

use super::NearPerson;
use super::nicknames::groups_of;
use pebblebank_values::suggest::{is_mailbox_provider, is_one_typo};
use std::collections::HashMap;
use xxhash_rust::xxh3::xxh3_64;

/// With fewer letters before the `@`, one typo makes somebody else's address.
pub const SHORTEST_LOCAL: usize = 4;

/// With fewer letters, one typo makes somebody else's domain.
const SHORTEST_DOMAIN: usize = 6;

/// Domains that share a text with more others than these are alike by nature.
const MOST_ALIKE: usize = 40;

/// Hands the keys of a person to `add`, as bytes that are compared; `typos` are the domains that another one may be meant by.
pub fn keys(person: &NearPerson, typos: &TypoDomains, mut add: impl FnMut(&[u8])) {
    let mut key = Vec::with_capacity(64);
    let (local, domain) = person.local_and_domain();
    if local.chars().count() >= SHORTEST_LOCAL {
        without_one_letter(local, |text| {
            key.clear();
            key.extend_from_slice(b"l");
            key.extend_from_slice(domain.as_bytes());
            key.push(b'@');
            key.extend_from_slice(text.0.as_bytes());
            key.extend_from_slice(text.1.as_bytes());
            add(&key);
        });
        for pair in typos.pairs_of(domain) {
            key.clear();
            key.extend_from_slice(b"d");
            key.extend_from_slice(&pair.to_le_bytes());
            key.extend_from_slice(local.as_bytes());
            add(&key);
        }
    }
    if person.last.is_empty() || person.first.is_empty() {
        return;
    }
    for (place, sign) in [(&person.postal_code, b"p"), (&person.phone, b"t")] {
        if place.is_empty() {
            continue;
        }
        let mut of = |kind: &[u8], parts: [&str; 2]| {
            key.clear();
            for part in [sign.as_slice(), place.as_bytes(), kind, parts[0].as_bytes(), parts[1].as_bytes()] {
                key.extend_from_slice(part);
                key.push(0);
            }
            add(&key);
        };
        let initial: String = person.first.chars().take(1).collect();
        of(b"i", [&person.last, &initial]);
        for group in groups_of(person.called()) {
            of(b"n", [&person.last, &group.to_string()]);
        }
        let (a, b) = (person.first.as_str().min(&person.last), person.first.as_str().max(&person.last));
        of(b"w", [a, b]);
    }
}

/// The text itself and the text without each of its letters, in two parts.
pub fn without_one_letter(text: &str, mut give: impl FnMut((&str, &str))) {
    give((text, ""));
    for (at, letter) in text.char_indices() {
        give((&text[..at], &text[at + letter.len_utf8()..]));
    }
}

/// Pairs of domains that are one typo apart.
#[derive(Debug, Default)]
pub struct TypoDomains {
    pairs: HashMap<String, Vec<u32>>,
}

impl TypoDomains {
    /// Finds them among all domains that occur. Two mailbox providers are no typo of each other, nor are numbered domains.
    pub fn new(domains: impl IntoIterator<Item = String>) -> TypoDomains {
        let mut domains: Vec<String> = domains.into_iter().filter(|domain| domain.len() >= SHORTEST_DOMAIN).collect();
        domains.sort_unstable();
        let mut texts: Vec<(u64, u32)> = Vec::new();
        for (number, domain) in domains.iter().enumerate() {
            without_one_letter(domain, |(a, b)| texts.push((xxh3_64([a, b].concat().as_bytes()), number as u32)));
        }
        texts.sort_unstable();
        texts.dedup();
        let mut found: Vec<(u32, u32)> = Vec::new();
        for alike in texts.chunk_by(|a, b| a.0 == b.0).filter(|alike| (2..=MOST_ALIKE).contains(&alike.len())) {
            for (place, (_, a)) in alike.iter().enumerate() {
                found.extend(alike[place + 1..].iter().map(|(_, b)| (*a, *b)));
            }
        }
        found.sort_unstable();
        found.dedup();
        let mut pairs: HashMap<String, Vec<u32>> = HashMap::new();
        let is_pair = |(a, b): &&(u32, u32)| {
            let (a, b) = (&domains[*a as usize], &domains[*b as usize]);
            is_one_typo(a, b) && !are_numbered(a, b) && !(is_mailbox_provider(a) && is_mailbox_provider(b))
        };
        for (number, (a, b)) in found.iter().filter(is_pair).enumerate() {
            for domain in [a, b] {
                pairs.entry(domains[*domain as usize].clone()).or_default().push(number as u32);
            }
        }
        TypoDomains { pairs }
    }

    /// The pairs that a domain belongs to.
    fn pairs_of(&self, domain: &str) -> &[u32] {
        self.pairs.get(domain).map_or(&[], Vec::as_slice)
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.pairs.is_empty()
    }
}

/// Whether two texts differ in their digits alone, as `info1` and `info2` do.
pub fn are_numbered(a: &str, b: &str) -> bool {
    let letters = |text: &str| text.chars().filter(|c| !c.is_ascii_digit()).collect::<String>();
    a != b && letters(a) == letters(b)
}
