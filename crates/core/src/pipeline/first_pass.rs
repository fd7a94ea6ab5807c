//! The first pass: read, map, clean. Every row leaves its kind, its keys and its marks; no value is kept.

use super::counts::{FileCounts, ListCounts, Problem, SourceChunk, UNLISTED_WORDS_KEPT};
use super::in_order::in_order;
use super::near_misses::name_in;
use super::open::{EntryStatus, OpenFile, OpenFiles};
use super::people::{HAS_ADDRESS, HAS_OTHER_KEY, IS_CLEAN, LEFT_OUT, People};
use super::row_keys::RowKeys;
use super::{Setting, chunks};
use crate::clean::address::{Address, AddressCleaner, State};
use crate::clean::consent::{self, Consent, Statement};
use crate::clean::date::OrderEvidence;
use crate::clean::replace::Replaced;
use crate::clean::{CleaningPlan, RowCleaner};
use crate::columns::{ColumnMap, ConsentColumn, Field};
use crate::error::Result;
use crate::job::{Hold, Job, ListFiles};
use crate::observe::{Observer, Stage};
use crate::person::{IdentityHash, IdentityHasher, Role};
use crate::read::dialect::QUOTE;
use crate::read::lines::{FootnoteLook, footnote_look, judge_line};
use crate::read::{Chunk, Format, Line, Record, Records, Shape, cell};
use crate::suppress::entry::{self, Entry};
use crate::suppress::{Digest, DigestKind, Mark, Reason, Returned, RowChecks, StatusReason, StatusReasons, status};
use crate::units::{ColumnIndex, ListId, RowNumber, SourceId};
use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

/// A file that turned out not to be in the encoding that it began in, by its place among the files of its kind.
#[derive(Debug, Clone, Copy)]
pub enum NotText {
    /// Among the lists.
    List(usize),
    /// Among the sources.
    Source(usize),
}

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

/// Reads all sources.
pub fn read_sources(
    files: &OpenFiles,
    setting: &Setting,
    people: &mut People,
    not_text: &mut Option<NotText>,
    observer: &dyn Observer,
) -> Result<Vec<FileCounts>> {
    let mut counts = vec![FileCounts::default(); files.sources.len()];
    let mut reading = chunks::Reading::new(&files.sources, Stage::Reading, observer);
    let hasher = people.hasher.clone();
    let checks = std::mem::take(&mut people.checks);
    let mut intake = people.intake(files.sources.len());
    in_order(
        setting.threads,
        || reading.next(),
        || Scratch::new(files),
        |job, scratch| {
            let file = &files.sources[job.file.0 as usize];
            let cleaning = &files.cleaning[job.file.0 as usize];
            let keys = files.row_keys[job.file.0 as usize].as_ref();
            let plan = RowPlan { cleaning, keys, marks_source: files.marks_sources, asks_consent: files.asks_consent };
            let read = read_source_chunk(file, &plan, &job.chunk, &hasher, &checks, scratch);
            Ok((job, read))
        },
        |(job, read)| {
            let first_row = intake.add(job.file, &job.chunk, &read)?;
            if let Some(problem) = read.problem {
                *not_text = problem.is_not_text().then_some(NotText::Source(job.file.0 as usize));
                return Err(problem.at(&files.sources[job.file.0 as usize], first_row));
            }
            counts[job.file.0 as usize].add(&read.counts, first_row);
            job.give_back();
            Ok(())
        },
    )?;
    for (counts, footnotes) in counts.iter_mut().zip(intake.footnotes()) {
        counts.are_footnotes(footnotes);
    }
    people.checks = checks;
    for (counts, read) in counts.iter_mut().zip(reading.files_read()) {
        counts.file_read(read);
    }
    Ok(counts)
}

/// What a thread reuses from chunk to chunk.
#[derive(Default)]
struct Scratch {
    records: Records,
    cleaner: AddressCleaner,
    further: AddressCleaner,
    statements: Statements,
    replaced: Replaced,
    values: RowCleaner,
}

impl Scratch {
    fn new(files: &OpenFiles) -> Scratch {
        Scratch {
            cleaner: AddressCleaner::with(Arc::clone(&files.addresses)),
            further: AddressCleaner::with(Arc::clone(&files.addresses)),
            ..Scratch::default()
        }
    }
}

/// What a thread reuses from chunk to chunk of lists.
#[derive(Default)]
pub(super) struct EntryScratch {
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

/// What status cells say, by the direction of their column. Few different ones occur, so they are remembered.
type Statements = HashMap<Option<consent::YesMeans>, HashMap<Vec<u8>, Statement>>;

/// The part of a list that one chunk holds.
#[derive(Default)]
pub(super) struct ListChunk {
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
pub(super) struct Entries {
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
pub(super) struct ListPlan<'a> {
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

pub(super) fn read_list_chunk(
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

/// A record above the first contact, by its place in the file's first chunk.
pub(crate) fn line_above<Owner>(file: &OpenFile<Owner>, chunk: &Chunk, index: usize) -> Option<Line> {
    let above = file.table.records_above as usize;
    if !chunk.is_first || index >= above {
        return None;
    }
    Some(if file.table.has_header && index + 1 == above { Line::Header } else { Line::Title })
}

/// The first row that is not UTF-8.
pub(crate) fn not_text<Owner>(file: &OpenFile<Owner>, chunk: &Chunk, records: &Records) -> Option<Problem> {
    if simdutf8::basic::from_utf8(&chunk.bytes).is_ok() {
        return None;
    }
    let is_bad = |index: &usize| {
        let record = records.get(*index, &chunk.bytes, file.dialect);
        record.raw_cells().any(|raw| simdutf8::basic::from_utf8(raw).is_err())
    };
    let row = (0..records.len()).find(is_bad).unwrap_or_default() as u32;
    Some(Problem::NotText { row })
}

/// Whether a cell begins with a quote that is never closed.
pub(crate) fn has_open_quote(record: &Record) -> bool {
    let is_open = |raw: &[u8]| raw.first() == Some(&QUOTE) && memchr::memchr(QUOTE, &raw[1..]).is_none();
    record.raw_cells().any(is_open)
}

/// What the bytes of a chunk must still be when they are read again.
pub(crate) fn checksum(chunk: &Chunk) -> u64 {
    xxhash_rust::xxh3::xxh3_64(&chunk.bytes)
}

/// What is looked for in a source file's rows beside addresses and consent.
struct RowPlan<'a> {
    cleaning: &'a CleaningPlan,
    keys: Option<&'a RowKeys>,
    /// Whether rows are marked with their source.
    marks_source: bool,
    /// Whether it counts what they say of consent.
    asks_consent: bool,
}

fn read_source_chunk(
    file: &OpenFile<SourceId>,
    plan: &RowPlan,
    chunk: &Chunk,
    hasher: &IdentityHasher,
    checks: &RowChecks,
    scratch: &mut Scratch,
) -> SourceChunk {
    let mut read = SourceChunk { checksum: checksum(chunk), ..SourceChunk::default() };
    scratch.records.split(chunk, file.dialect);
    let Scratch { records, cleaner, further, statements, replaced, values } = scratch;
    read.problem = not_text(file, chunk, records);
    if read.problem.is_some() {
        return read;
    }
    let date_columns: Vec<ColumnIndex> = plan.cleaning.date_columns().collect();
    read.counts.dates = vec![OrderEvidence::default(); date_columns.len()];
    read.lines.reserve(records.len());
    read.keys.reserve(records.len());
    for index in 0..records.len() {
        let record = records.get(index, &chunk.bytes, file.dialect);
        if let Some(line) = line_above(file, chunk, index) {
            read.lines.push(line as u8);
            read.counts.count(line);
            continue;
        }
        let row = index as u32;
        let record = if file.replacements.is_empty() {
            record
        } else {
            file.replacements.apply(&record, replaced);
            replaced.changes.iter().for_each(|change| {
                read.counts.replacement(change.replacement, RowNumber(u64::from(row) + 1));
            });
            replaced.after(&record)
        };
        let value = address_value(file.map(), &record);
        let address = cleaner.clean(&value);
        let (line, flag) = match address.state {
            State::Usable if address.rules.is_empty() && address.further.is_empty() && is_ascii_text(&address) => {
                (Line::Contact, HAS_ADDRESS | IS_CLEAN)
            }
            State::Usable => (Line::Contact, HAS_ADDRESS),
            _ => (judge_line(&record, &file.map().headers, file.table.has_header), 0),
        };
        read.lines.push(line as u8 | flag);
        read.counts.count(line);
        if line != Line::Contact {
            continue;
        }
        let look = if flag == 0 { footnote_look(&record, file.map().width()) } else { FootnoteLook::None };
        if look == FootnoteLook::None {
            read.tail.contact();
        } else {
            read.tail.rows.push((row, look));
            continue;
        }
        let mut row_read =
            RowRead { row, read: &mut read, hasher, checks, is_extracted: file.format != Format::Delimited };
        row_read.identities(&address, &value, file, &record, further);
        if plan.asks_consent {
            row_read.consent(file, &record, &address, statements);
        }
        row_read.width(&record, file.map().width());
        if let Some(keys) = plan.keys {
            let mut flags = 0;
            let add = |role, hash| {
                flags |= if matches!(role, Role::Other(_)) { HAS_OTHER_KEY } else { 0 };
                read.keys.push((row, role, hash));
            };
            let seen = keys.read(&record, &address, values, hasher, add);
            read.ranks.push((row, seen.rank));
            flags |= if seen.counts { 0 } else { LEFT_OUT };
            if let Some(last) = read.lines.last_mut() {
                *last |= flags;
            }
        }
        if plan.marks_source {
            read.marks.push((row, Mark::From(file.owner)));
        }
        for (column, seen) in date_columns.iter().zip(&mut read.counts.dates) {
            seen.look(&cell::value(record.raw(column.0)), RowNumber(u64::from(row) + 1));
        }
        if chunk.shape == Shape::Unusual && has_open_quote(&record) {
            read.counts.open_quotes.at(RowNumber(u64::from(row) + 1));
        }
    }
    read
}

/// Whether what is written is also what is compared.
fn is_ascii_text(address: &Address) -> bool {
    address.text.len() == address.identity.len()
}

/// The value of the address column; empty where there is none.
pub(crate) fn address_value<'a>(map: &ColumnMap, record: &Record<'a>) -> Cow<'a, [u8]> {
    map.column(Field::Email).map_or(Cow::default(), |column| cell::value(record.raw(column.0)))
}

/// One row of a source, being read.
struct RowRead<'a> {
    row: u32,
    read: &'a mut SourceChunk,
    hasher: &'a IdentityHasher,
    checks: &'a RowChecks,
    is_extracted: bool,
}

impl RowRead<'_> {
    fn identities(
        &mut self,
        address: &Address,
        typed: &[u8],
        file: &OpenFile<SourceId>,
        record: &Record,
        further: &mut AddressCleaner,
    ) {
        if !self.checks.digests.is_empty() && address.is_usable() {
            self.digests(typed, address);
        }
        match address.state {
            State::Usable => self.identity(address.identity, address.domain(), Role::First),
            State::Invalid(_) => self.identity(address.identity, address.domain(), Role::CompareOnly),
            State::Blank | State::Placeholder => {}
        }
        for identity in address.further {
            self.further_identity(identity.as_bytes());
        }
        for column in &file.map().further_addresses {
            let value = cell::value(record.raw(column.0));
            let address = further.clean(&value);
            if address.is_usable() {
                self.identity(address.identity, address.domain(), Role::Further);
                if !self.checks.digests.is_empty() {
                    self.digests(&value, &address);
                }
            }
            for identity in address.further {
                self.further_identity(identity.as_bytes());
            }
        }
    }

    fn further_identity(&mut self, identity: &[u8]) {
        let domain = identity.iter().rposition(|byte| *byte == b'@').map_or(&[][..], |at| &identity[at + 1..]);
        self.identity(identity, domain, Role::Further);
        if !self.checks.digests.is_empty() {
            self.digest_forms(identity, identity, identity);
        }
    }

    /// The digests under which a list may hold an address.
    fn digests(&mut self, typed: &[u8], address: &Address) {
        self.digest_forms(typed, address.text, address.identity);
    }

    fn digest_forms(&mut self, typed: &[u8], text: &[u8], identity: &[u8]) {
        let (row, hasher, keys) = (self.row, self.hasher, &mut self.read.keys);
        self.checks.digests.for_each(typed, text, identity, hasher, |hash| keys.push((row, Role::Compared, hash)));
    }

    #[inline]
    fn identity(&mut self, identity: &[u8], domain: &[u8], role: Role) {
        let hash = self.hasher.hash_address(identity);
        self.read.keys.push((self.row, role, hash));
        let RowChecks { domains, allowed, .. } = self.checks;
        if !domains.is_empty() {
            let (row, marks) = (self.row, &mut self.read.marks);
            domains.for_each_match(domain, self.hasher, |list| {
                marks.push((row, if allowed.lifts(hash, list) { Mark::Lifted(list) } else { Mark::On(list) }));
            });
        }
    }

    fn consent(&mut self, file: &OpenFile<SourceId>, record: &Record, address: &Address, statements: &mut Statements) {
        for column in &file.map().consents {
            let raw = record.raw(column.column.0);
            match statement(raw, column, statements) {
                Statement::Nothing => {}
                Statement::YesOrNo => {
                    let header = file.map().header(column.column).to_owned();
                    let row = self.row;
                    self.read.problem.get_or_insert(Problem::Direction { row, header });
                }
                Statement::Says(Consent::OptedOut | Consent::Complained) if self.came_back(address, file) => {
                    self.read.counts.void_refusals.at(RowNumber(u64::from(self.row) + 1));
                }
                Statement::Says(consent) => {
                    if consent == Consent::Unlisted {
                        let word = cell::text(raw).trim().chars().take(40).collect();
                        *self.read.counts.unlisted_words.entry(word).or_default() += 1;
                    }
                    self.read.marks.push((self.row, Mark::Said(consent, file.owner)));
                }
            }
        }
        if let Some(column) = file.map().watched_status {
            let raw = record.raw(column.0);
            if !cell::is_empty(raw) {
                self.read.counts.watched_status.0 += 1;
                self.read.counts.watched_status.1 += u64::from(consent::is_listed(&cell::text(raw)));
            }
        }
    }

    /// Whether the person came back after the file was last changed.
    fn came_back(&self, address: &Address, file: &OpenFile<SourceId>) -> bool {
        let returned = &self.checks.returned;
        !returned.is_empty()
            && address.is_usable()
            && returned.voids(self.hasher.hash_address(address.identity), file.changed_on)
    }

    fn width(&mut self, record: &Record, width: usize) {
        let row = RowNumber(u64::from(self.row) + 1);
        match record.cells().cmp(&width) {
            // Other formats leave out the empty cells at a row's end.
            std::cmp::Ordering::Less if self.is_extracted => {}
            std::cmp::Ordering::Less => self.read.counts.short_rows.at(row),
            std::cmp::Ordering::Greater => self.read.counts.long_rows.at(row),
            std::cmp::Ordering::Equal => {}
        }
    }
}

/// Reads a status cell.
fn statement(raw: &[u8], column: &ConsentColumn, known: &mut Statements) -> Statement {
    const KEPT: usize = 256;
    let known = known.entry(column.yes_means).or_default();
    if let Some(statement) = known.get(raw) {
        return *statement;
    }
    let statement = consent::read(&cell::text(raw), column.yes_means);
    if known.len() < KEPT {
        known.insert(raw.to_vec(), statement);
    }
    statement
}
