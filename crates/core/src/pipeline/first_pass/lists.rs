//! Lists, read: each row leaves what it is compared by.

use super::{NotText, line_above, not_text};
use crate::clean::RowCleaner;
use crate::clean::address::AddressCleaner;
use crate::columns::{ColumnMap, Field};
use crate::error::Result;
use crate::job::{Hold, Job, ListFiles};
use crate::observe::{Observer, Stage};
use crate::person::{IdentityHash, IdentityHasher};
use crate::pipeline::counts::{FileCounts, ListCounts, Problem, UNLISTED_WORDS_KEPT};
use crate::pipeline::in_order::in_order;
use crate::pipeline::near_misses::name_in;
use crate::pipeline::open::{EntryStatus, OpenFile, OpenFiles};
use crate::pipeline::people::People;
use crate::pipeline::row_keys::RowKeys;
use crate::pipeline::{Setting, chunks};
use crate::read::lines::judge_line;
use crate::read::{Chunk, Line, Record, Records, cell};
use crate::suppress::entry::Entry;
use crate::suppress::{Digest, DigestKind, Reason, Returned, StatusReason, StatusReasons, entry, status};
use crate::units::ListId;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

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
            let plan = ListPlan::of(files, index);
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
            rows_above[index] += read.records;
            let list = files.lists[index].owner;
            for (share, entries) in read.shares.into_iter().enumerate() {
                let place = list.0 as usize + share;
                let entries =
                    without_returned(entries, &people.checks.returned, &files.lists[index], &job_lists[place]);
                if let Some(counts) = lists.get_mut(place) {
                    people.add_list_entries(entries, ListId(place as u16), counts)?;
                }
            }
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
    Ok((counts, lists))
}

/// Of a list of refusals, what still counts: who came back after its file was last changed is in it no longer. The entry
/// keeps its number.
fn without_returned(mut entries: Entries, returned: &Returned, file: &OpenFile<ListId>, list: &ListFiles) -> Entries {
    let refuses = |hold: &Hold| matches!(hold.reason, Reason::OptedOut | Reason::Complained);
    if !returned.is_empty() && list.hold.as_ref().is_some_and(refuses) {
        for hash in entries.compared.iter_mut().filter(|hash| returned.voids(**hash, file.changed_on)) {
            *hash = IdentityHash(!hash.0);
        }
    }
    entries
}

/// What a thread reuses from chunk to chunk of lists.
#[derive(Default)]
pub(in crate::pipeline) struct EntryScratch {
    records: Records,
    cleaner: AddressCleaner,
    further: AddressCleaner,
    values: RowCleaner,
    /// Whether the texts of entries are wanted.
    pub keeps_texts: bool,
}

impl EntryScratch {
    pub fn new(files: &OpenFiles) -> EntryScratch {
        EntryScratch {
            cleaner: AddressCleaner::with(Arc::clone(&files.addresses)),
            further: AddressCleaner::with(Arc::clone(&files.addresses)),
            ..EntryScratch::default()
        }
    }
}

/// The part of a list that one chunk holds.
#[derive(Default)]
pub(in crate::pipeline) struct ListChunk {
    records: u64,
    counts: FileCounts,
    /// The entries of the list itself, then of its shares by reason.
    pub shares: Vec<Entries>,
    left_out: u64,
    no_refusal: u64,
    soft_bounces: u64,
    unlisted_words: BTreeMap<String, u64>,
    /// How many compared entries the list itself has after each record.
    pub entries_after_row: Vec<u32>,
    problem: Option<Problem>,
}

/// Entries of a list.
#[derive(Default)]
pub(in crate::pipeline) struct Entries {
    /// Those that are compared by their hash.
    pub compared: Vec<IdentityHash>,
    pub domains: Vec<String>,
    pub digest_kinds: Vec<DigestKind>,
    pub digests: u64,
    pub unusable: u64,
    pub blank: u64,
    /// For each that is compared its address and the name beside it, where texts are wanted and it has one.
    pub texts: Vec<Option<(String, String)>>,
}

impl Entries {
    /// Keeps the address of a row's first entry.
    fn keep_text(&mut self, value: &[u8], map: &ColumnMap, record: &Record, cleaner: &mut AddressCleaner) {
        let before = self.texts.len();
        if let (Entry::Address(identity), _) = entry::read(value, cleaner)
            && before < self.compared.len()
        {
            let address = String::from_utf8_lossy(identity).into_owned();
            self.texts.push(Some((address, name_in(map, record))));
        }
        self.texts.resize(self.compared.len(), None);
    }

    pub fn digest(&mut self, digest: Digest, hasher: &IdentityHasher) {
        self.compared.push(digest.hash(hasher));
        self.digests += 1;
        if !self.digest_kinds.contains(&digest.kind) {
            self.digest_kinds.push(digest.kind);
        }
    }
}

/// What is looked for in a list file's rows beside addresses.
pub(in crate::pipeline) struct ListPlan<'a> {
    keys: Option<&'a RowKeys>,
    /// The column whose words say of each entry what happened.
    status: Option<EntryStatus>,
}

impl ListPlan<'_> {
    /// Whether a row counts.
    pub fn counts(
        &self,
        record: &Record,
        addresses: &mut AddressCleaner,
        values: &mut RowCleaner,
        hasher: &IdentityHasher,
    ) -> bool {
        let address = addresses.clean(b"");
        self.keys.is_none_or(|keys| keys.read(record, &address, values, hasher, |_, _| ()).counts)
    }

    pub fn of(files: &OpenFiles, file: usize) -> ListPlan<'_> {
        ListPlan { keys: files.list_keys[file].as_ref(), status: files.list_status[file] }
    }
}

pub(in crate::pipeline) fn read_list_chunk(
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
    let EntryScratch { records, cleaner, further, values, keeps_texts } = scratch;
    records.split(chunk, file.dialect);
    read.records = records.len() as u64;
    read.problem = not_text(file, chunk, records);
    if read.problem.is_some() {
        return read;
    }
    let keys = plan.keys;
    let column = file.map().column(Field::Email);
    for index in 0..records.len() {
        // Of the record before.
        read.entries_after_row.extend((index > 0).then_some(read.shares[0].compared.len() as u32));
        let record = records.get(index, &chunk.bytes, file.dialect);
        if let Some(line) = line_above(file, chunk, index) {
            read.counts.count(line);
            continue;
        }
        let value = column.map_or(Cow::default(), |column| cell::value(record.raw(column.0)));
        let mut share = 0;
        if keys.is_some() || plan.status.is_some() {
            let line = judge_line(&record, &file.map().headers, file.table.has_header);
            read.counts.count(line);
            if line != Line::Contact {
                continue;
            }
        }
        if let Some(keys) = keys {
            let address = cleaner.clean(&value);
            let mut key = None;
            let seen = keys.read(&record, &address, values, hasher, |_, hash| key = Some(hash));
            if !seen.counts {
                read.left_out += 1;
                continue;
            }
            if let Some(status) = &plan.status {
                let Some(found) = read.share(&status.source.value(&record, address.text)) else { continue };
                share = found;
            }
            if keys.has_keys() {
                match key {
                    Some(hash) => read.shares[share].compared.push(hash),
                    None => read.shares[share].blank += 1,
                }
                continue;
            }
        } else if let Some(status) = &plan.status {
            let Some(found) = read.share(&status.source.value(&record, b"")) else { continue };
            share = found;
        }
        let (entry, more) = entry::read(&value, cleaner);
        if keys.is_none() && plan.status.is_none() {
            let line = match entry {
                Entry::Address(_) => Line::Contact,
                _ => judge_line(&record, &file.map().headers, file.table.has_header),
            };
            read.counts.count(line);
            if line != Line::Contact {
                continue;
            }
        }
        let entries = &mut read.shares[share];
        match entry {
            Entry::Nothing => entries.blank += 1,
            Entry::Address(identity) => entries.compared.push(hasher.hash_address(identity)),
            Entry::Domain(domain) => entries.domains.push(domain),
            Entry::Digest(digest) => entries.digest(digest, hasher),
            Entry::Unusable(text) => {
                entries.unusable += 1;
                entries.compared.push(hasher.hash_address(text));
            }
        }
        entries.compared.extend(more.iter().map(|identity| hasher.hash_address(identity.as_bytes())));
        for column in &file.map().further_addresses {
            let value = cell::value(record.raw(column.0));
            let address = further.clean(&value);
            if address.is_usable() {
                entries.compared.push(hasher.hash_address(address.identity));
            }
            entries.compared.extend(address.further.iter().map(|identity| hasher.hash_address(identity.as_bytes())));
        }
        if *keeps_texts {
            entries.keep_text(&value, file.map(), &record, cleaner);
        }
    }
    read.entries_after_row.push(read.shares[0].compared.len() as u32);
    read
}

impl ListChunk {
    /// The share that a status puts a row into; none where it is no refusal.
    fn share(&mut self, value: &[u8]) -> Option<usize> {
        let text = String::from_utf8_lossy(value);
        match status::read(&text) {
            StatusReason::Is(reason) => {
                let place = StatusReasons::REASONS.into_iter().position(|other| other == reason);
                // Some reasons only a list as a whole can have.
                return Some(place.map(|place| place + 1).filter(|place| *place < self.shares.len()).unwrap_or(0));
            }
            StatusReason::OfTheList => {
                if !text.trim().is_empty() {
                    *self.unlisted_words.entry(text.trim().chars().take(40).collect()).or_default() += 1;
                }
                return Some(0);
            }
            StatusReason::SoftBounce => self.soft_bounces += 1,
            StatusReason::None => {}
        }
        self.no_refusal += 1;
        None
    }
}
