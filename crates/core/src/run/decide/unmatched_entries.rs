//! The entries of suppression lists that no contact has, read again with their texts.

use super::close_entries::Entry;
use super::known::Known;
use crate::job::Job;
use crate::job::remembering::Remembering;
use crate::run::gather::chunks::{ChunkJob, Reading};
use crate::run::gather::list_chunk::{EntryScratch, ListPlan, read_list_chunk};
use crate::run::setting::Setting;
use crate::suppress::alike::{Alike, address_alike};
use crate::suppress::remembered::RememberedEntry;
use pebblebank_table::Result;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::{ListId, RowId};

/// The entries of one chunk of a list file: how many there are, and those that are kept, each with its place among them.
type EntriesOfChunk = (u32, Vec<(u32, Entry)>);

/// What leaves entries out, many at once, on all threads; it is asked of entries that a contact has as well.
pub(super) type Sieve<'a> = &'a (dyn Fn(&mut Vec<(u32, Entry)>) + Sync);

/// How many entries of the bank are sieved at once.
const OF_BANK_AT_ONCE: usize = 1 << 14;

/// Hands over the entries of the wanted lists that no contact has, as far as they can be close to somebody and `sieve` keeps
/// them.
pub(super) fn for_each_unmatched(
    job: &Job,
    known: &Known,
    wanted: &[bool],
    sieve: Sieve,
    setting: &Setting,
    observer: &dyn Observer,
    each: &mut (dyn FnMut(Entry) -> Result<()> + Send),
) -> Result<()> {
    let files = &known.files;
    let matched = &known.settled.matched_entries;
    let mut number = 0u32;
    let mut reading = Reading::new(&files.lists, Stage::Comparing, observer);
    in_order(
        setting.threads,
        || reading.next(),
        || EntryScratch::with_texts(files),
        |chunk, scratch| {
            let entries = entries_of_chunk(known, &chunk, wanted, sieve, scratch);
            Ok((chunk, entries))
        },
        |(chunk, (count, kept)): (ChunkJob, EntriesOfChunk)| {
            chunk.give_back();
            let first = number;
            number += count;
            let unmatched = kept.into_iter().filter(|(place, _)| !matched.holds(RowId(first + place)));
            unmatched.map(|(_, entry)| entry).try_for_each(&mut *each)
        },
    )?;
    known.check_lists_again(&reading.files_read())?;
    let Remembering::From(memory) = &job.remembered else { return Ok(()) };
    let of_hold = |hold: usize| job.lists.iter().position(|list| list.place_in_bank() == Some(hold));
    let is_wanted = |hold: usize| of_hold(hold).is_some_and(|list| wanted[list]);
    if (0..memory.holds().len()).any(is_wanted) && !known.looked_up {
        let mut some: Vec<(u32, Entry)> = Vec::new();
        let mut hand_over = |some: &mut Vec<(u32, Entry)>| {
            sieve(some);
            some.drain(..).map(|(_, entry)| entry).try_for_each(&mut *each)
        };
        memory.entries(None, &mut |hold, entry| {
            if let RememberedEntry::Domain(_) = entry {
                return Ok(());
            }
            let own = RowId(number);
            number += 1;
            let Some(list) = of_hold(hold).filter(|list| wanted[*list] && !matched.holds(own)) else { return Ok(()) };
            let list = ListId(list as u16);
            let alike = match entry {
                RememberedEntry::Address(address) => address_alike(address, String::new(), &known.settled.hasher),
                RememberedEntry::Phone(phone) => Alike::Phone(phone.trim_start_matches('?').to_owned()),
                _ => return Ok(()),
            };
            some.push((own.0, Entry { list, alike }));
            if some.len() < OF_BANK_AT_ONCE { Ok(()) } else { hand_over(&mut some) }
        })?;
        hand_over(&mut some)?;
    }
    Ok(())
}

fn entries_of_chunk(
    known: &Known,
    chunk: &ChunkJob,
    wanted: &[bool],
    sieve: Sieve,
    scratch: &mut EntryScratch,
) -> EntriesOfChunk {
    let files = &known.files;
    let index = chunk.file.0 as usize;
    let file = &files.lists[index];
    let plan = ListPlan::of(files, index);
    let read = read_list_chunk(file, &plan, &chunk.chunk, &known.settled.hasher, scratch);
    let (mut count, mut kept) = (0u32, Vec::new());
    for (share, entries) in read.shares.into_iter().enumerate() {
        let list = ListId(file.owner.0 + share as u16);
        if wanted.get(list.0 as usize) == Some(&true) {
            let texts = entries.texts.into_iter().zip(count..);
            kept.extend(texts.filter_map(|(text, place)| text.map(|alike| (place, Entry { list, alike }))));
        }
        count += entries.compared.len() as u32;
    }
    sieve(&mut kept);
    (count, kept)
}
