//! Which entries can be close to anybody, where more have no contact than memory has room for: of them only those are kept
//! that share a key with a contact, and the search itself is one round instead of many.
//!
//! The keys of all entries make bits, the contacts that have one of these make bits of their own for it, and an entry that
//! has none of those is close to nobody. A bit that two keys have in common keeps an entry too many, and never loses one.

use super::close_entries::{Entry, for_each_alike};
use super::key_bits::KeyBits;
use super::known::Known;
use super::read_again::{RowAgain, Wants, read_again_sieved};
use super::settled::Standing;
use super::unmatched_entries::for_each_unmatched;
use crate::job::Job;
use crate::run::setting::Setting;
use crate::suppress::alike::Alike;
use pebblebank_table::Result;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::{ListId, RowId};
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};

/// The part of the memory that the bits of either side may take.
const MEMORY_PARTS: u64 = 8;

/// About how many keys are looked at together.
const KEYS_AT_ONCE: usize = 1 << 17;

/// Hands over the unmatched entries that may be close to somebody.
pub(super) fn for_each_likely(
    job: &Job,
    known: &Known,
    wanted: &[bool],
    setting: &Setting,
    observer: &dyn Observer,
    each: &mut (dyn FnMut(Entry) -> Result<()> + Send),
) -> Result<()> {
    let of_contacts = {
        let of_entries = EntryBits::new(setting.memory, job.lists.len());
        let note = |entries: &mut Vec<(u32, Entry)>| of_entries.add_all(entries.drain(..));
        for_each_unmatched(job, known, wanted, &note, setting, observer, &mut |_| Ok(()))?;
        shared_with_contacts(known, &of_entries, setting, observer)?
    };
    let keep = |entries: &mut Vec<(u32, Entry)>| keep_likely(&of_contacts, entries);
    for_each_unmatched(job, known, wanted, &keep, setting, observer, each)
}

/// Keeps the entries that have a key in common with a contact, or seem to.
fn keep_likely(of_contacts: &KeyBits, entries: &mut Vec<(u32, Entry)>) {
    let mut keys = Vec::with_capacity(KEYS_AT_ONCE);
    let mut is_likely = vec![false; entries.len()];
    let mut look = |keys: &mut Vec<(u64, u32)>| {
        of_contacts.for_each_known(keys, |_, number| is_likely[number as usize] = true);
        keys.clear();
    };
    for (number, (_, entry)) in (0u32..).zip(&*entries) {
        entry.alike.for_each_key(|key| keys.push((key, number)));
        if keys.len() >= KEYS_AT_ONCE {
            look(&mut keys);
        }
    }
    look(&mut keys);
    let mut is_likely = is_likely.into_iter();
    entries.retain(|_| is_likely.next() == Some(true));
}

/// The keys that entries and the contacts that nothing holds have in common.
fn shared_with_contacts(
    known: &Known,
    entries: &EntryBits,
    setting: &Setting,
    observer: &dyn Observer,
) -> Result<KeyBits> {
    let shared = KeyBits::new(setting.memory / MEMORY_PARTS);
    let has_names = entries.has_names.load(Relaxed);
    let by_field = entries.by_field();
    let is_free = |row: RowId| matches!(known.settled.standing(row), Standing::Free(_));
    let cleaning = if by_field.is_empty() { None } else { known.key_cleaning() };
    let wants = Wants { rows: is_free, values: cleaning.as_deref(), stage: Stage::Comparing };
    let each = |again: &RowAgain, keys: &mut Vec<(u64, ())>| {
        for_each_alike(known, again, has_names, &by_field, |_, alike| alike.for_each_key(|key| keys.push((key, ()))));
    };
    let keep_common = |keys: &mut Vec<(u64, ())>| {
        let mut of_both = Vec::new();
        for some in keys.chunks(KEYS_AT_ONCE) {
            entries.bits.for_each_known(some, |key, ()| of_both.push((key, ())));
        }
        *keys = of_both;
    };
    read_again_sieved(known, setting, observer, &wants, each, keep_common, |of_both| {
        shared.add_all(&of_both);
        Ok(())
    })?;
    Ok(shared)
}

/// The bits of entries, and what contacts must be asked for.
struct EntryBits {
    bits: KeyBits,
    has_names: AtomicBool,
    /// By list: whether it goes by another field than the address.
    is_by_field: Vec<AtomicBool>,
}

impl EntryBits {
    fn new(memory: u64, lists: usize) -> EntryBits {
        EntryBits {
            bits: KeyBits::new(memory / MEMORY_PARTS),
            has_names: AtomicBool::new(false),
            is_by_field: (0..lists).map(|_| AtomicBool::new(false)).collect(),
        }
    }

    fn add_all(&self, entries: impl Iterator<Item = (u32, Entry)>) {
        let mut keys = Vec::with_capacity(KEYS_AT_ONCE);
        for (_, Entry { list, alike }) in entries {
            match &alike {
                Alike::Address { name, .. } if name.is_empty() => {}
                Alike::Address { .. } => self.has_names.store(true, Relaxed),
                _ => self.is_by_field[list.0 as usize].store(true, Relaxed),
            }
            alike.for_each_key(|key| keys.push((key, ())));
            if keys.len() >= KEYS_AT_ONCE {
                self.bits.add_all(&keys);
                keys.clear();
            }
        }
        self.bits.add_all(&keys);
    }

    fn by_field(&self) -> Vec<ListId> {
        let is_by_field = |list: &usize| self.is_by_field[*list].load(Relaxed);
        (0..self.is_by_field.len()).filter(is_by_field).map(|list| ListId(list as u16)).collect()
    }
}
