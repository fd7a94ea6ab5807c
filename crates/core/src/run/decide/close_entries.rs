//! Entries that no contact has and are close to a contact: found by keys that texts a typo apart have in common, never by
//! comparing each with each.

use super::known::Known;
use super::read_again::{RowAgain, Wants, read_again};
use super::settled::Standing;
use crate::run::setting::Setting;
use crate::suppress::alike::{Alike, address_alike, name_in};
use pebblebank_table::Result;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::{ListId, RowId};
use std::collections::BTreeSet;

/// How many entries of a list are named for each contact; where all are alike, each contact would be close to all of them.
pub const MOST_PER_LIST: usize = 10;

/// An entry that no contact has.
#[derive(Clone)]
pub(super) struct Entry {
    pub list: ListId,
    pub alike: Alike,
}

/// An entry and a contact that are close.
pub(super) struct Pair {
    pub row: RowId,
    pub entry: u32,
    pub contact: String,
    pub why: &'static str,
}

pub(super) fn has_name(alike: &Alike) -> bool {
    matches!(alike, Alike::Address { name, .. } if !name.is_empty())
}

/// The keys of entries, sorted, each with its list and its entry; with a bit for each beforehand so that most contacts are
/// told apart at a glance.
pub(super) struct Keys {
    bits: Vec<u64>,
    keys: Vec<(u64, ListId, u32)>,
    has_names: bool,
}

impl Keys {
    pub fn new(entries: &[Entry]) -> Keys {
        let mut keys: Vec<(u64, ListId, u32)> = Vec::new();
        for (number, entry) in entries.iter().enumerate() {
            entry.alike.for_each_key(|key| keys.push((key, entry.list, number as u32)));
        }
        keys.sort_unstable();
        keys.dedup();
        let size = (keys.len() * 16).next_power_of_two().max(1024);
        let mut bits = vec![0u64; size / 64];
        for (key, ..) in &keys {
            let bit = *key as usize & (size - 1);
            bits[bit / 64] |= 1 << (bit % 64);
        }
        Keys { bits, keys, has_names: entries.iter().any(|entry| has_name(&entry.alike)) }
    }

    /// Whether an entry may have this key.
    #[inline]
    fn may_have(&self, key: u64) -> bool {
        let bit = key as usize & (self.bits.len() * 64 - 1);
        self.bits[bit / 64] >> (bit % 64) & 1 == 1
    }

    /// Adds to `found` the first entries of each list that have this key and are close to the contact.
    fn close_to(&self, key: u64, is_close: impl Fn(u32) -> Option<&'static str>, found: &mut Vec<(u32, &'static str)>) {
        let mut at = self.keys.partition_point(|(other, ..)| *other < key);
        let (mut list, mut count) = (None, 0);
        while let Some((_, of, entry)) = self.keys.get(at).filter(|(other, ..)| *other == key) {
            if list != Some(*of) {
                (list, count) = (Some(*of), 0);
            }
            if let Some(why) = is_close(*entry) {
                found.push((*entry, why));
                count += 1;
            }
            at = if count < MOST_PER_LIST {
                at + 1
            } else {
                self.keys.partition_point(|(other, other_list, _)| (*other, *other_list) <= (key, *of))
            };
        }
    }
}

/// The pairs of an entry and a contact that nothing holds.
pub(super) fn pairs(
    known: &Known,
    entries: &[Entry],
    keys: &Keys,
    setting: &Setting,
    observer: &dyn Observer,
) -> Result<Vec<Pair>> {
    let is_free = |row: RowId| matches!(known.settled.standing(row), Standing::Free(_));
    let by_field = lists_by_field(entries);
    let cleaning = if by_field.is_empty() { None } else { known.key_cleaning() };
    let wants = Wants { rows: is_free, values: cleaning.as_deref(), stage: Stage::Comparing };
    let each = |again: &RowAgain, found: &mut Vec<Pair>| {
        for_each_alike(known, again, keys.has_names, &by_field, |list, contact| {
            add_close(again.row, contact, list, entries, keys, found);
        });
    };
    let mut pairs = Vec::new();
    read_again(known, setting, observer, &wants, each, |found| {
        pairs.extend(found);
        Ok(())
    })?;
    Ok(pairs)
}

/// Hands over what a contact is compared by: its address, with the name beside it where an entry has one, and for each of the
/// lists that go by another field its value of that.
pub(super) fn for_each_alike(
    known: &Known,
    again: &RowAgain,
    has_names: bool,
    by_field: &[ListId],
    mut give: impl FnMut(Option<ListId>, &Alike),
) {
    if again.contact.address.is_usable() {
        let identity = String::from_utf8_lossy(again.contact.address.identity);
        let map = known.files.sources[again.file].map();
        let name = if has_names { name_in(map, &again.contact.as_read) } else { String::new() };
        give(None, &address_alike(&identity, name, &known.settled.hasher));
    }
    if let Some(row_keys) = &known.files.row_keys[again.file] {
        for list in by_field {
            if let Some(contact) = row_keys.alike(*list, &again.contact) {
                give(Some(*list), &contact);
            }
        }
    }
}

/// The lists that go by another field than the address, in their order.
fn lists_by_field(entries: &[Entry]) -> Vec<ListId> {
    let by_field = entries.iter().filter(|entry| !matches!(entry.alike, Alike::Address { .. }));
    let lists: BTreeSet<ListId> = by_field.map(|entry| entry.list).collect();
    lists.into_iter().collect()
}

/// Adds the entries that are close to a contact: of one list, or of all.
fn add_close(row: RowId, contact: &Alike, list: Option<ListId>, entries: &[Entry], keys: &Keys, found: &mut Vec<Pair>) {
    let is_close = |number: u32| {
        let entry = &entries[number as usize];
        let is_of_list = list.is_none_or(|list| entry.list == list);
        if is_of_list { Alike::why_close(&entry.alike, contact) } else { None }
    };
    // All keys are made before any is looked up, so that the look-ups wait for memory together.
    let mut of_contact: Vec<u64> = Vec::with_capacity(64);
    contact.for_each_key(|key| of_contact.push(key));
    of_contact.retain(|key| keys.may_have(*key));
    let mut close: Vec<(u32, &'static str)> = Vec::new();
    for key in of_contact {
        keys.close_to(key, is_close, &mut close);
    }
    close.sort_unstable();
    close.dedup();
    let shown = || contact.shown().to_owned();
    found.extend(close.into_iter().map(|(entry, why)| Pair { row, entry, contact: shown(), why }));
}
