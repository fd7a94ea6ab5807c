//! Lists, read: each row leaves what it is compared by.

use super::chunks;
use super::counts::{FileCounts, ListCounts, Problem, UNLISTED_WORDS_KEPT};
use super::kept::People;
use super::records::{NotText, line_above, not_text};
use crate::clean::decoded_twice;
use crate::columns::lines::Line;
use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::job::lists::Hold;
use crate::job::lists::JobList;
use crate::run::contact::keys::RowKeys;
use crate::run::contact::{ContactReader, ContactWishes};
use crate::run::gather::list_entries::Entries;
use crate::run::open::files::{EntryStatus, OpenFile, OpenFiles};
use crate::run::setting::Setting;
use crate::suppress::Returned;
use crate::suppress::alike::name_in;
use crate::suppress::reason::Reason;
use crate::suppress::status::{self, StatusReason, StatusReasons};
use pebblebank_formats::Format;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::{ColumnIndex, ListId, RowNumber};
use pebblebank_table::{Chunk, Record, Records, Result, cell};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::entry;
use pebblebank_values::identity::{IdentityHash, IdentityHasher};
use pebblebank_values::look::Look;
use pebblebank_values::unread::{self, RowGave, UnreadText};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

/// The fewest digits of a hash.
const SHORTEST_HASH: usize = 32;

/// Reads all lists.
pub fn read_lists(
    files: &OpenFiles,
    job: &Job,
    setting: &Setting,
    people: &mut People,
    not_text: &mut Option<NotText>,
    observer: &dyn Observer,
) -> Result<(Vec<FileCounts>, Vec<ListCounts>)> {
    let mut counts = vec![FileCounts::default(); files.lists.len()];
    let mut lists = vec![ListCounts::default(); job.lists.len()];
    let mut reading = chunks::Reading::new(&files.lists, Stage::Reading, observer);
    let mut rows_above = vec![0u64; files.lists.len()];
    let hasher = people.hasher.clone();
    let job_lists = &job.lists;
    in_order(
        setting.threads,
        || reading.next(),
        || EntryScratch::new(files),
        |job, scratch| {
            let index = job.file.0 as usize;
            let holds = job_lists[files.lists[index].owner.0 as usize].hold().is_some()
                && files.lists[index].format != Format::Mail;
            let plan = ListPlan { looks_for_unread: holds, ..ListPlan::of(files, index) };
            let read = read_list_chunk(&files.lists[index], &plan, &job.chunk, &hasher, scratch);
            Ok((job, read))
        },
        |(job, read)| {
            let index = job.file.0 as usize;
            if let Some(problem) = read.problem {
                *not_text = problem.is_not_text().then_some(NotText::List(index));
                return Err(problem.at(&files.lists[index], rows_above[index]));
            }
            counts[index].add(&read.counts, rows_above[index]);
            let rows_before = rows_above[index];
            rows_above[index] += read.records;
            let list = files.lists[index].owner;
            for (share, entries) in read.shares.into_iter().enumerate() {
                let place = list.0 as usize + share;
                let (entries, voided) =
                    without_returned(entries, &people.checks.returned, &files.lists[index], &job_lists[place]);
                lists[list.0 as usize].voided += voided;
                if let Some(counts) = lists.get_mut(place) {
                    people.add_list_entries(entries, ListId(place as u16), counts)?;
                }
            }
            let unread =
                read.unread.into_iter().map(|text| UnreadText { row: RowNumber(text.row.0 + rows_before), ..text });
            add_unread(unread, &files.lists[index], job_lists, people, &mut lists)?;
            let counts = &mut lists[list.0 as usize];
            counts.left_out += read.left_out;
            counts.no_refusal += read.no_refusal;
            counts.soft_bounces += read.soft_bounces;
            for (word, count) in read.unlisted_words {
                if counts.unlisted_words.len() < UNLISTED_WORDS_KEPT || counts.unlisted_words.contains_key(&word) {
                    *counts.unlisted_words.entry(word).or_default() += count;
                }
            }
            job.give_back();
            Ok(())
        },
    )?;
    for (counts, read) in counts.iter_mut().zip(reading.files_read()) {
        counts.file_read(read);
    }
    for file in &files.lists {
        add_unread(file.unread.iter().cloned(), file, job_lists, people, &mut lists)?;
    }
    Ok((counts, lists))
}

/// Lets what was not read of a list mark the people whom it names, without holding them.
fn add_unread(
    unread: impl Iterator<Item = UnreadText>,
    file: &OpenFile<ListId>,
    job_lists: &[JobList],
    people: &mut People,
    lists: &mut [ListCounts],
) -> Result<()> {
    let owner = file.owner.0 as usize;
    let is_its_own = |list: &JobList| list.unread_of() == Some(owner);
    let Some(place) = job_lists.iter().position(is_its_own) else { return Ok(()) };
    let mut entries = Entries::default();
    for text in unread {
        let header =
            file.map().headers.get(text.column).map_or_else(|| format!("column {}", text.column + 1), String::clone);
        lists[owner].unread.add(&file.input.name(), &header, &text);
        match text.look {
            Look::Address => entries.compared.push(people.hasher.hash_address(text.text.as_bytes())),
            Look::Domain => entries.domains.push(text.text),
            _ => {
                if let Some(digest) = text.digest() {
                    entries.digest(digest, &people.hasher);
                }
            }
        }
    }
    people.add_list_entries(entries, ListId(place as u16), &mut lists[place])
}

/// Of a list of refusals, what still counts: who came back after its file was last changed is in it no longer. The entry
/// keeps its number. Also says how many no longer count.
fn without_returned(
    mut entries: Entries,
    returned: &Returned,
    file: &OpenFile<ListId>,
    list: &JobList,
) -> (Entries, u64) {
    let mut voided = 0;
    let refuses = |hold: &Hold| matches!(hold.reason, Reason::OptedOut | Reason::Complained);
    if !returned.is_empty() && list.hold().is_some_and(refuses) {
        for hash in entries.compared.iter_mut().filter(|hash| returned.voids(**hash, file.changed_on)) {
            *hash = IdentityHash(!hash.0);
            voided += 1;
        }
    }
    (entries, voided)
}

/// What a thread reuses from chunk to chunk of lists.
#[derive(Default)]
pub(crate) struct EntryScratch {
    records: Records,
    contacts: ContactReader,
    cleaner: AddressCleaner,
    /// Whether the texts of entries are wanted.
    pub keeps_texts: bool,
}

impl EntryScratch {
    pub fn new(files: &OpenFiles) -> EntryScratch {
        EntryScratch {
            contacts: ContactReader::new(&files.addresses),
            cleaner: AddressCleaner::with(Arc::clone(&files.addresses)),
            ..EntryScratch::default()
        }
    }
}

/// The part of a list that one chunk holds.
#[derive(Default)]
pub(crate) struct ListChunk {
    records: u64,
    counts: FileCounts,
    /// The entries of the list itself, then of its shares by reason.
    pub shares: Vec<Entries>,
    left_out: u64,
    no_refusal: u64,
    soft_bounces: u64,
    unlisted_words: BTreeMap<String, u64>,
    /// What was not read as an entry.
    pub unread: Vec<UnreadText>,
    /// How many compared entries the list itself has after each record.
    pub entries_after_row: Vec<u32>,
    problem: Option<Problem>,
}

/// What is looked for in a list file's rows beside addresses.
pub(crate) struct ListPlan<'a> {
    keys: Option<&'a RowKeys>,
    /// The column whose words say of each entry what happened.
    status: Option<EntryStatus>,
    /// The columns that the list goes by, where that is not the address.
    key_columns: Vec<ColumnIndex>,
    /// Whether it matters what is not read: the list holds people back.
    pub looks_for_unread: bool,
}

impl ListPlan<'_> {
    /// Whether a row counts.
    pub fn counts(
        &self,
        file: &OpenFile<ListId>,
        record: &Record,
        contacts: &mut ContactReader,
        hasher: &IdentityHasher,
    ) -> bool {
        self.keys.is_none_or(|keys| {
            let contact = file.contact(contacts, *record, ContactWishes::values(keys.cleaning()));
            keys.read(&contact, hasher, |_, _| ()).counts
        })
    }

    pub fn of(files: &OpenFiles, file: usize) -> ListPlan<'_> {
        let keys = files.list_keys[file].as_ref();
        ListPlan {
            keys,
            status: files.list_status[file],
            key_columns: keys.map(|keys| keys.columns().collect()).unwrap_or_default(),
            looks_for_unread: false,
        }
    }
}

pub(crate) fn read_list_chunk(
    file: &OpenFile<ListId>,
    plan: &ListPlan,
    chunk: &Chunk,
    hasher: &IdentityHasher,
    scratch: &mut EntryScratch,
) -> ListChunk {
    let mut read = ListChunk::default();
    let gives_reasons = plan.status.is_some_and(|status| status.gives_reasons);
    let shares = if gives_reasons { 1 + StatusReasons::REASONS.len() } else { 1 };
    read.shares.resize_with(shares, Entries::default);
    let EntryScratch { records, contacts, cleaner, keeps_texts } = scratch;
    records.split(chunk, file.dialect);
    read.records = records.len() as u64;
    read.problem = not_text(file, chunk, records);
    if read.problem.is_some() {
        return read;
    }
    let keys = plan.keys;
    let has_keys = keys.is_some_and(RowKeys::has_keys);
    let columns: Vec<ColumnIndex> = file.map().address_columns().collect();
    for index in 0..records.len() {
        // The entries of the records before.
        read.entries_after_row.extend((index > 0).then_some(read.shares[0].compared.len() as u32));
        let record = records.get(index, &chunk.bytes, file.dialect);
        let row = RowNumber(index as u64 + 1);
        if let Some(line) = line_above(file, chunk, index) {
            read.counts.count(line);
            read.look_for_unread(&record, row, plan, &[], RowGave::NoEntry);
            continue;
        }
        let first = columns.first().map_or(&[][..], |column| record.raw(column.0));
        if memchr::memchr(b'@', first).is_none() {
            let line = file.judge(&record);
            if line != Line::Contact {
                read.counts.count(line);
                read.look_for_unread(&record, row, plan, &[], RowGave::NoEntry);
                continue;
            }
        }
        read.counts.count(Line::Contact);
        let mut row_keys: Vec<IdentityHash> = Vec::new();
        let mut alike = None;
        let mut share = 0;
        if keys.is_some() || plan.status.is_some() {
            let wishes = ContactWishes { values: keys.map(RowKeys::cleaning), is_clean: false };
            let contact = file.contact(contacts, record, wishes);
            if let Some(keys) = keys {
                let seen = keys.read(&contact, hasher, |_, hash| row_keys.push(hash));
                if *keeps_texts && has_keys {
                    alike = keys.alike(file.owner, &contact);
                }
                if !seen.counts {
                    read.left_out += 1;
                    continue;
                }
            }
            if let Some(status) = &plan.status {
                let Some(found) = read.share(&status.source.value(&record, contact.address.text)) else { continue };
                share = found;
            }
        }
        let entries = &mut read.shares[share];
        let (before, usable_before) = (entries.compared.len(), entries.usable());
        let mut first_gave_entry = true;
        if has_keys {
            entries.add_keys(&row_keys, alike);
        } else {
            let name = keeps_texts.then(|| name_in(file.map(), &record));
            for (place, column) in columns.iter().enumerate() {
                if place == 1 {
                    first_gave_entry = entries.usable() > usable_before;
                }
                let value = cell::value(record.raw(column.0));
                entry::read(&value, cleaner, &mut |entry| match &name {
                    Some(name) => entries.add_alike(entry, name, hasher),
                    None => entries.add(entry, hasher),
                });
            }
        }
        let mut gave_entry = entries.usable() > usable_before;
        first_gave_entry &= gave_entry;
        let mut read_columns = if has_keys { plan.key_columns.clone() } else { Vec::new() };
        if !has_keys && (!first_gave_entry || record.cells() > file.map().width()) {
            for column in file.map().shifted_addresses(&record, first_gave_entry) {
                let value = cell::value(record.raw(column.0));
                entry::read(&value, cleaner, &mut |entry| entries.add(entry, hasher));
                read_columns.push(column);
            }
            if !read_columns.is_empty() {
                read.counts.shifted_entries.at(row);
                gave_entry = true;
            }
        }
        if !has_keys {
            read_columns.extend_from_slice(&columns);
        }
        let entries = &mut read.shares[share];
        entries.blank += u64::from(!gave_entry && entries.compared.len() == before);
        let read_columns = &read_columns;
        let row_gave = RowGave::new(gave_entry, file.map().is_longer(&record));
        read.look_for_unread(&record, row, plan, read_columns, row_gave);
    }
    read.entries_after_row.push(read.shares[0].compared.len() as u32);
    read
}

impl ListChunk {
    /// Keeps what a row holds beside its entries.
    #[inline]
    fn look_for_unread(
        &mut self,
        record: &Record,
        row: RowNumber,
        plan: &ListPlan,
        read: &[ColumnIndex],
        row_gave: RowGave,
    ) {
        if !plan.looks_for_unread || (row_gave != RowGave::NoEntry && record.cells() == read.len()) {
            return;
        }
        for (column, raw) in record.raw_cells().enumerate() {
            // With an entry in an ordinary row only addresses and hashes count.
            let is_possible =
                raw.len() >= SHORTEST_HASH || row_gave != RowGave::Entry || memchr::memchr(b'@', raw).is_some();
            if raw.len() < 4 || !is_possible || read.contains(&ColumnIndex(column)) {
                continue;
            }
            unread::look_at(&cell::text(raw), row_gave, &mut |look, text| {
                self.unread.push(UnreadText { sheet: None, row, column, look, text });
            });
        }
    }

    /// The share that a status puts a row into; none where it is no refusal.
    fn share(&mut self, value: &[u8]) -> Option<usize> {
        let text = String::from_utf8_lossy(value);
        let text = decoded_twice::repaired(&text).map_or(text, Cow::Owned);
        match status::read(&text) {
            StatusReason::Is(reason) => {
                let place = StatusReasons::REASONS.into_iter().position(|other| other == reason);
                // Some reasons only a list as a whole can have.
                return Some(place.map(|place| place + 1).filter(|place| *place < self.shares.len()).unwrap_or(0));
            }
            StatusReason::Unlisted | StatusReason::Verdict => {
                *self.unlisted_words.entry(text.trim().chars().take(40).collect()).or_default() += 1;
                return Some(0);
            }
            StatusReason::Blank => return Some(0),
            StatusReason::SoftBounce => self.soft_bounces += 1,
            StatusReason::None => {}
        }
        self.no_refusal += 1;
        None
    }
}
