//! The first pass: read, map, clean. Every row leaves its kind, its keys and its marks; no value is kept.

use super::in_order::in_order;
use super::open::{OpenFile, OpenFiles};
use super::people::{HAS_ADDRESS, IS_CLEAN, People};
use super::{Setting, chunks};
use crate::clean::address::{Address, AddressCleaner, State};
use crate::clean::consent::{self, Consent, Statement};
use crate::columns::{ColumnMap, ConsentColumn, Field};
use crate::error::{Error, ErrorKind, Result};
use crate::job::Job;
use crate::observe::{Met, Observer, Stage};
use crate::person::{IdentityHash, IdentityHasher, Role};
use crate::read::lines::judge_line;
use crate::read::{Chunk, Line, Record, Records, cell};
use crate::suppress::entry::{self, Entry};
use crate::suppress::{HeldDomains, Mark};
use crate::units::{ListId, RowNumber, SourceId};
use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};

/// What was counted of one file.
#[derive(Debug, Clone, Default)]
pub struct FileCounts {
    /// BLAKE3 of its bytes, in hex.
    pub fingerprint: String,
    /// Records that are contacts; for a list: rows that are no other line.
    pub contacts: u64,
    /// Lines that are no contacts, in the order of [`Line::OTHERS`].
    pub others: [u64; Line::OTHERS.len()],
    /// Rows with fewer cells than the header.
    pub short_rows: Met,
    /// Rows with more cells than the header.
    pub long_rows: Met,
    /// Words in a consent column that nobody listed, and how often.
    pub unlisted_words: BTreeMap<String, u64>,
    /// Of a column headed "status" that was not taken for consent: how many values are filled, how many are status words.
    pub watched_status: (u64, u64),
}

/// How many different words nobody listed are kept for each file.
const UNLISTED_WORDS_KEPT: usize = 50;

impl FileCounts {
    fn add(&mut self, chunk: &FileCounts, first_row: u64) {
        let moved = |met: &Met| Met {
            count: met.count,
            rows: met.rows.iter().map(|row| RowNumber(row.0 + first_row)).collect(),
        };
        self.contacts += chunk.contacts;
        self.others.iter_mut().zip(chunk.others).for_each(|(sum, count)| *sum += count);
        self.short_rows.append(&moved(&chunk.short_rows));
        self.long_rows.append(&moved(&chunk.long_rows));
        for (word, count) in &chunk.unlisted_words {
            if self.unlisted_words.contains_key(word) || self.unlisted_words.len() < UNLISTED_WORDS_KEPT {
                *self.unlisted_words.entry(word.clone()).or_default() += count;
            }
        }
        self.watched_status.0 += chunk.watched_status.0;
        self.watched_status.1 += chunk.watched_status.1;
    }

    fn count(&mut self, line: Line) {
        match Line::OTHERS.iter().position(|other| *other == line) {
            Some(index) => self.others[index] += 1,
            None => self.contacts += 1,
        }
    }
}

/// What was counted of one suppression list.
#[derive(Debug, Clone, Default)]
pub struct ListCounts {
    /// Entries that are addresses.
    pub addresses: u64,
    /// Entries that are domains.
    pub domains: u64,
    /// Entries that are neither.
    pub unusable: u64,
    /// Rows without an entry.
    pub blank: u64,
    /// The numbers of its entries among all.
    pub entry_numbers: Vec<std::ops::Range<u32>>,
}

/// Reads all lists.
pub fn read_lists(
    files: &OpenFiles,
    job: &Job,
    setting: &Setting,
    people: &mut People,
    observer: &dyn Observer,
) -> Result<(Vec<FileCounts>, Vec<ListCounts>)> {
    let mut counts = vec![FileCounts::default(); files.lists.len()];
    let mut lists = vec![ListCounts::default(); job.suppress.len()];
    let mut reading = chunks::Reading::new(&files.lists, Stage::Reading, observer);
    let mut rows_above = vec![0u64; files.lists.len()];
    let hasher = people.hasher.clone();
    in_order(
        setting.threads,
        || reading.next(),
        Scratch::default,
        |job, scratch| {
            let read = read_list_chunk(&files.lists[job.file.0 as usize], &job.chunk, &hasher, scratch);
            Ok((job, read))
        },
        |(job, read)| {
            let index = job.file.0 as usize;
            if let Some(problem) = read.problem {
                return Err(problem.at(&files.lists[index], rows_above[index]));
            }
            counts[index].add(&read.counts, rows_above[index]);
            rows_above[index] += read.records;
            let list = files.lists[index].owner;
            people.add_entries(&read.addresses, &mut lists[list.0 as usize])?;
            read.domains.iter().for_each(|domain| people.domains.add(domain, list, &hasher));
            let counts = &mut lists[list.0 as usize];
            counts.addresses += read.addresses.len() as u64 - read.unusable;
            counts.domains += read.domains.len() as u64;
            counts.unusable += read.unusable;
            counts.blank += read.blank;
            job.give_back();
            Ok(())
        },
    )?;
    for (counts, fingerprint) in counts.iter_mut().zip(reading.fingerprints()) {
        counts.fingerprint = fingerprint;
    }
    Ok((counts, lists))
}

/// Reads all sources.
pub fn read_sources(
    files: &OpenFiles,
    setting: &Setting,
    people: &mut People,
    observer: &dyn Observer,
) -> Result<Vec<FileCounts>> {
    let mut counts = vec![FileCounts::default(); files.sources.len()];
    let mut reading = chunks::Reading::new(&files.sources, Stage::Reading, observer);
    let hasher = people.hasher.clone();
    let domains = std::mem::take(&mut people.domains);
    let mut intake = people.intake(files.sources.len());
    in_order(
        setting.threads,
        || reading.next(),
        Scratch::default,
        |job, scratch| {
            let file = &files.sources[job.file.0 as usize];
            let read = read_source_chunk(file, &job.chunk, &hasher, &domains, scratch);
            Ok((job, read))
        },
        |(job, read)| {
            let first_row = intake.add(job.file, &job.chunk, &read)?;
            if let Some(problem) = read.problem {
                return Err(problem.at(&files.sources[job.file.0 as usize], first_row));
            }
            counts[job.file.0 as usize].add(&read.counts, first_row);
            job.give_back();
            Ok(())
        },
    )?;
    drop(intake);
    people.domains = domains;
    for (counts, fingerprint) in counts.iter_mut().zip(reading.fingerprints()) {
        counts.fingerprint = fingerprint;
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
}

/// What status cells say, by the direction of their column. Few different ones occur, so they are remembered.
type Statements = HashMap<Option<consent::YesMeans>, HashMap<Vec<u8>, Statement>>;

/// The part of a list that one chunk holds.
#[derive(Default)]
struct ListChunk {
    records: u64,
    counts: FileCounts,
    addresses: Vec<IdentityHash>,
    domains: Vec<String>,
    unusable: u64,
    blank: u64,
    problem: Option<Problem>,
}

fn read_list_chunk(
    file: &OpenFile<ListId>,
    chunk: &Chunk,
    hasher: &IdentityHasher,
    scratch: &mut Scratch,
) -> ListChunk {
    let mut read = ListChunk::default();
    let Scratch { records, cleaner, .. } = scratch;
    records.split(chunk, file.dialect);
    read.records = records.len() as u64;
    read.problem = not_text(file, chunk, records);
    if read.problem.is_some() {
        return read;
    }
    let column = file.map.column(Field::Email);
    for index in 0..records.len() {
        let record = records.get(index, &chunk.bytes, file.dialect);
        if let Some(line) = line_above(file, chunk, index) {
            read.counts.count(line);
            continue;
        }
        let value = column.map_or(Cow::default(), |column| cell::value(record.raw(column.0)));
        let entry = entry::read(&value, cleaner);
        if !matches!(entry, Entry::Address(_)) {
            let line = judge_line(&record, &file.map.headers, file.table.has_header);
            if line != Line::Contact {
                read.counts.count(line);
                continue;
            }
        }
        read.counts.count(Line::Contact);
        match entry {
            Entry::Nothing => read.blank += 1,
            Entry::Address(identity) => read.addresses.push(hasher.hash(identity)),
            Entry::Domain(domain) => read.domains.push(domain),
            Entry::Unusable(text) => {
                read.unusable += 1;
                read.addresses.push(hasher.hash(text));
            }
        }
    }
    read
}

/// The part of a source that one chunk holds; rows are counted from 0 within it.
#[derive(Default)]
pub(super) struct SourceChunk {
    /// What each record is: a [`Line`], with [`HAS_ADDRESS`] and [`IS_CLEAN`].
    pub lines: Vec<u8>,
    /// The identities of its rows.
    pub keys: Vec<(u32, Role, IdentityHash)>,
    /// What its rows are marked with.
    pub marks: Vec<(u32, Mark)>,
    /// What was counted.
    pub counts: FileCounts,
    /// What its bytes must still be when they are read again.
    pub checksum: u64,
    /// What stops the run.
    problem: Option<Problem>,
}

/// What stops the run at a row of the chunk.
enum Problem {
    /// A yes or no in a column whose direction is not known.
    Direction { row: u32, header: String },
    /// Bytes that are not UTF-8.
    NotText { row: u32 },
}

impl Problem {
    fn at<Owner>(self, file: &OpenFile<Owner>, rows_above: u64) -> Error {
        let place = |row: u32| RowNumber(rows_above + u64::from(row) + 1);
        match self {
            Problem::Direction { row, header } => Error::new(
                ErrorKind::Question,
                "this column says yes or no, and its header does not say to what",
                "say what yes means: in a job yes_means = \"opted-in\" or \"opted-out\" in the [[source]], with clean --yes-means",
            )
            .in_file(file.input.path())
            .at_row(place(row))
            .in_column(&header),
            Problem::NotText { row } => Error::new(
                ErrorKind::Input,
                "some bytes are not UTF-8 text",
                "open the file with the program that made it and save it as CSV (UTF-8)",
            )
            .in_file(file.input.path())
            .at_row(place(row))
            .expected("text in UTF-8"),
        }
    }
}

/// A record above the first contact, by its place in the file's first chunk.
pub(super) fn line_above<Owner>(file: &OpenFile<Owner>, chunk: &Chunk, index: usize) -> Option<Line> {
    let above = file.table.records_above as usize;
    if !chunk.is_first || index >= above {
        return None;
    }
    Some(if file.table.has_header && index + 1 == above { Line::Header } else { Line::Title })
}

/// The first row that is not UTF-8.
fn not_text<Owner>(file: &OpenFile<Owner>, chunk: &Chunk, records: &Records) -> Option<Problem> {
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

/// What the bytes of a chunk must still be when they are read again.
pub(super) fn checksum(chunk: &Chunk) -> u64 {
    xxhash_rust::xxh3::xxh3_64(&chunk.bytes)
}

fn read_source_chunk(
    file: &OpenFile<SourceId>,
    chunk: &Chunk,
    hasher: &IdentityHasher,
    domains: &HeldDomains,
    scratch: &mut Scratch,
) -> SourceChunk {
    let mut read = SourceChunk { checksum: checksum(chunk), ..SourceChunk::default() };
    scratch.records.split(chunk, file.dialect);
    let Scratch { records, cleaner, further, statements } = scratch;
    read.problem = not_text(file, chunk, records);
    if read.problem.is_some() {
        return read;
    }
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
        let value = address_value(&file.map, &record);
        let address = cleaner.clean(&value);
        let (line, flag) = match address.state {
            State::Usable if address.rules.is_empty() && address.further.is_empty() && is_ascii_text(&address) => {
                (Line::Contact, HAS_ADDRESS | IS_CLEAN)
            }
            State::Usable => (Line::Contact, HAS_ADDRESS),
            _ => (judge_line(&record, &file.map.headers, file.table.has_header), 0),
        };
        read.lines.push(line as u8 | flag);
        read.counts.count(line);
        if line != Line::Contact {
            continue;
        }
        let mut row_read = RowRead { row, read: &mut read, hasher, domains };
        row_read.identities(&address, file, &record, further);
        row_read.consent(file, &record, statements);
        row_read.width(&record, file.map.width());
    }
    read
}

/// Whether what is written is also what is compared.
fn is_ascii_text(address: &Address) -> bool {
    address.text.len() == address.identity.len()
}

/// The value of the address column; empty where there is none.
pub(super) fn address_value<'a>(map: &ColumnMap, record: &Record<'a>) -> Cow<'a, [u8]> {
    map.column(Field::Email).map_or(Cow::default(), |column| cell::value(record.raw(column.0)))
}

/// One row of a source, being read.
struct RowRead<'a> {
    row: u32,
    read: &'a mut SourceChunk,
    hasher: &'a IdentityHasher,
    domains: &'a HeldDomains,
}

impl RowRead<'_> {
    fn identities(
        &mut self,
        address: &Address,
        file: &OpenFile<SourceId>,
        record: &Record,
        further: &mut AddressCleaner,
    ) {
        match address.state {
            State::Usable => self.identity(address.identity, address.domain(), Role::First),
            State::Invalid(_) => self.identity(address.identity, address.domain(), Role::CompareOnly),
            State::Blank | State::Placeholder => {}
        }
        for identity in address.further {
            self.further_identity(identity.as_bytes());
        }
        for column in &file.map.further_addresses {
            let value = cell::value(record.raw(column.0));
            let address = further.clean(&value);
            if address.is_usable() {
                self.identity(address.identity, address.domain(), Role::Further);
            }
            for identity in address.further {
                self.further_identity(identity.as_bytes());
            }
        }
    }

    fn further_identity(&mut self, identity: &[u8]) {
        let domain = identity.iter().rposition(|byte| *byte == b'@').map_or(&[][..], |at| &identity[at + 1..]);
        self.identity(identity, domain, Role::Further);
    }

    #[inline]
    fn identity(&mut self, identity: &[u8], domain: &[u8], role: Role) {
        self.read.keys.push((self.row, role, self.hasher.hash(identity)));
        if !self.domains.is_empty() {
            let (row, marks) = (self.row, &mut self.read.marks);
            self.domains.for_each_match(domain, self.hasher, |list| marks.push((row, Mark::On(list))));
        }
    }

    fn consent(&mut self, file: &OpenFile<SourceId>, record: &Record, statements: &mut Statements) {
        for column in &file.map.consents {
            let raw = record.raw(column.column.0);
            match statement(raw, column, statements) {
                Statement::Nothing => {}
                Statement::YesOrNo => {
                    let header = file.map.header(column.column).to_owned();
                    let row = self.row;
                    self.read.problem.get_or_insert(Problem::Direction { row, header });
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
        if let Some(column) = file.map.watched_status {
            let raw = record.raw(column.0);
            if !cell::is_empty(raw) {
                self.read.counts.watched_status.0 += 1;
                self.read.counts.watched_status.1 += u64::from(consent::is_listed(&cell::text(raw)));
            }
        }
    }

    fn width(&mut self, record: &Record, width: usize) {
        let row = RowNumber(u64::from(self.row) + 1);
        match record.cells().cmp(&width) {
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
