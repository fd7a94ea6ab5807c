//! What is kept of every record between the passes: 9 bytes each, and 16 for each key.

use super::chunks::ChunkPlace;
use super::counts::{ListCounts, SourceChunk, Tail};
use super::list_entries::Entries;
use crate::columns::lines::Line;
use crate::job::row_range::RowRange;
use crate::person::keys::{KeyStore, Role};
use crate::run::row_bits::{LEFT_OUT, LINE_BITS};
use crate::suppress::RowChecks;
use crate::suppress::marks::{Mark, MarkSet, MarkSets};
use pebblebank_table::units::{FileId, ListId, MAX_RECORDS, RowId, RowNumber};
use pebblebank_table::{Chunk, Error, ErrorKind, Result};
use pebblebank_values::identity::{Identity, IdentityHash, IdentityHasher};
use pebblebank_values::suggest::holds_mailbox_provider;
use std::path::Path;

/// What is kept of a record besides its keys: its kind, its marks, its survivor.
pub const BYTES_PER_RECORD: u64 = 9;

/// What is kept besides where other keys than the address decide: its rank, its key, the first row with its address; 2 of
/// them for what vectors take besides while they grow.
pub const BYTES_PER_RANKED_RECORD: u64 = 11;

/// What is kept besides of a record that has a value in common with an entry: the number of the value, and its own.
pub const BYTES_PER_CROSSING: u64 = 8;

/// What a run keeps of each record beyond its kind and its keys.
#[derive(Debug, Clone, Copy)]
pub struct Kept {
    /// Ranks among copies, and what joins rows by other keys than the address.
    pub has_ranks: bool,
    /// Which rows have which entries' values: for lists that values are taken from or that go by another field, and for
    /// counting mailings.
    pub has_crossings: bool,
}

/// What buffers take, whatever the number of records.
pub const MEMORY_FOR_BUFFERS: u64 = 48 << 20;

/// All records of a run, by number.
pub struct People {
    /// Makes identities into hashes.
    pub hasher: IdentityHasher,
    /// What each row's identities are compared with as soon as it is read.
    pub checks: RowChecks,
    /// The keys of rows and entries.
    pub keys: KeyStore,
    /// What each record is: a [`crate::columns::lines::Line`], with [`HAS_ADDRESS`] and [`IS_CLEAN`].
    pub lines: Vec<u8>,
    /// What each record is ranked by among the copies of a person; empty where all are equal.
    pub ranks: Vec<u32>,
    /// What each record is marked with.
    pub marks: Vec<MarkSet>,
    /// The combinations of marks.
    pub mark_sets: MarkSets,
    /// The chunks of the sources, in reading order.
    pub chunks: Vec<ChunkPlace>,
    /// The first record of each source file.
    pub first_of_file: Vec<u32>,
    pub(crate) entries: u64,
    /// The first entry of each stretch of entries that count mailings, and the number of their mailing.
    pub(crate) mailings: Vec<(u32, u32)>,
    memory: u64,
    /// How many records there will be, as far as can be told.
    records_estimated: u64,
    /// How many bytes of the sources are still to be read, as far as can be told.
    pub(super) bytes_to_come: u64,
    bytes_per_record: u64,
    has_ranks: bool,
}

impl People {
    /// Nobody yet, with addresses to be compared by `identity`. Keys beyond `memory` bytes go to `spill_folder`. Fails
    /// where `records_estimated` cannot fit.
    pub fn new(
        identity: Identity,
        memory: u64,
        records_estimated: u64,
        kept: Kept,
        spill_folder: &Path,
    ) -> Result<People> {
        let Kept { has_ranks, has_crossings } = kept;
        let bytes_per_record = BYTES_PER_RECORD
            + if has_ranks { BYTES_PER_RANKED_RECORD } else { 0 }
            + if has_crossings { BYTES_PER_CROSSING } else { 0 };
        let needed = MEMORY_FOR_BUFFERS + records_estimated * bytes_per_record;
        if needed > memory {
            return Err(not_enough_memory(memory, needed));
        }
        Ok(People {
            hasher: IdentityHasher::random().comparing(identity),
            checks: RowChecks::default(),
            keys: KeyStore::new(part_for_keys(memory - needed), spill_folder),
            lines: Vec::with_capacity(records_estimated as usize),
            marks: Vec::with_capacity(records_estimated as usize),
            mark_sets: MarkSets::default(),
            chunks: Vec::new(),
            first_of_file: Vec::new(),
            entries: 0,
            mailings: Vec::new(),
            memory,
            records_estimated,
            bytes_to_come: 0,
            bytes_per_record,
            has_ranks,
            ranks: Vec::with_capacity(if has_ranks { records_estimated as usize } else { 0 }),
        })
    }

    /// Adds entries of a list, and counts them.
    pub(super) fn add_list_entries(&mut self, entries: Entries, list: ListId, counts: &mut ListCounts) -> Result<()> {
        const PROVIDERS_KEPT: usize = 5;
        let first = self.entries as u32;
        self.add_entries(&entries.compared, counts)?;
        for (place, mailing) in entries.mailings.iter().enumerate() {
            if self.mailings.last().is_none_or(|(_, last)| last != mailing) {
                self.mailings.push((first + place as u32, *mailing));
            }
        }
        for (place, hash) in &entries.also {
            self.keys.add(*hash, Role::Entry, first + place)?;
        }
        for domain in &entries.domains {
            self.checks.domains.add(domain, list, &self.hasher);
            if counts.providers.len() < PROVIDERS_KEPT && holds_mailbox_provider(domain) {
                counts.providers.push(domain.clone());
            }
        }
        entries.digest_kinds.into_iter().for_each(|kind| self.checks.digests.add(kind));
        counts.addresses += entries.compared.len() as u64 - entries.unusable;
        counts.digests += entries.digests;
        counts.domains += entries.domains.len() as u64;
        counts.unusable += entries.unusable;
        counts.blank += entries.blank;
        Ok(())
    }

    /// Adds entries of a list that are compared by their hash.
    pub fn add_entries(&mut self, hashes: &[IdentityHash], list: &mut ListCounts) -> Result<()> {
        if hashes.is_empty() {
            return Ok(());
        }
        let first = self.entries as u32;
        self.entries += hashes.len() as u64;
        if self.entries > MAX_RECORDS {
            return Err(too_many("entries of suppression lists"));
        }
        match list.entry_numbers.last_mut() {
            Some(numbers) if numbers.end == first => numbers.end = self.entries as u32,
            _ => list.entry_numbers.push(first..self.entries as u32),
        }
        hashes.iter().zip(first..).try_for_each(|(hash, entry)| self.keys.add(*hash, Role::Entry, entry))
    }

    /// Begins to take in the records of `files` source files.
    ///
    /// `ranges` are the rows of each that can be written; none for all.
    pub(super) fn intake(&mut self, ranges: Vec<Option<RowRange>>) -> Intake<'_> {
        let files = ranges.len();
        self.first_of_file = vec![0; files];
        Intake { people: self, file: None, row_in_file: 0, tail: Tail::default(), footnotes: vec![0; files], ranges }
    }

    /// How many contacts of a file stand outside of a range of its rows.
    pub(super) fn contacts_outside(&self, file: FileId, range: RowRange) -> u64 {
        let first = self.first_of_file[file.0 as usize] as usize;
        let end = self.first_of_file.get(file.0 as usize + 1).map_or(self.lines.len(), |end| *end as usize);
        let rows = (1..).map(RowNumber).zip(&self.lines[first..end]);
        let is_contact = |line: u8| line & LINE_BITS == Line::Contact as u8;
        rows.filter(|(row, line)| is_contact(**line) && !range.holds(*row)).count() as u64
    }

    /// Estimates anew how many records there will be, by the chunk that was read last: rows may get shorter.
    fn estimate_records(&mut self, chunk_bytes: u64, chunk_records: u64) {
        self.bytes_to_come = self.bytes_to_come.saturating_sub(chunk_bytes);
        let to_come = (self.bytes_to_come * chunk_records).checked_div(chunk_bytes).unwrap_or_default();
        self.records_estimated = (self.lines.len() as u64 + to_come).min(MAX_RECORDS);
    }

    /// How much memory is left for keys.
    fn memory_for_keys(&self) -> Result<u64> {
        // What the records still to come need is not given to keys first, which would have to give it back.
        let needed = |records: u64| MEMORY_FOR_BUFFERS + records * self.bytes_per_record + self.mark_sets.bytes();
        let needed_now = needed(self.lines.len() as u64);
        if needed_now > self.memory {
            return Err(not_enough_memory(self.memory, needed_now));
        }
        // An estimate may be far too high: with hardly any room, keys would go to disk a few at a time.
        let least = self.memory / 16;
        Ok(part_for_keys(self.memory.saturating_sub(needed(self.records_estimated)).max(least)))
    }
}

/// Takes in the records of the sources, chunk by chunk in reading order.
pub(super) struct Intake<'a> {
    people: &'a mut People,
    file: Option<FileId>,
    row_in_file: u64,
    /// The end of the file so far, as far as it may be footnotes.
    tail: Tail,
    /// How many footnotes each file has.
    footnotes: Vec<u64>,
    /// The rows of each file that can be written; none for all.
    ranges: Vec<Option<RowRange>>,
}

impl Intake<'_> {
    /// Adds the records of a chunk; says how many of its file came before.
    pub fn add(&mut self, file: FileId, chunk: &Chunk, read: &SourceChunk) -> Result<u64> {
        let first = self.people.lines.len() as u64;
        if first + read.lines.len() as u64 > MAX_RECORDS {
            return Err(too_many("rows"));
        }
        let first = first as u32;
        if self.file != Some(file) {
            let begun = self.file.map_or(0, |file| file.0 as usize + 1);
            self.people.first_of_file[begun..].fill(first);
            self.end_file();
            self.file = Some(file);
            self.row_in_file = 0;
        }
        let range = self.ranges[file.0 as usize];
        let people = &mut *self.people;
        make_room(&mut people.lines, read.lines.len());
        people.lines.extend_from_slice(&read.lines);
        self.tail.append(&read.tail, first);
        make_room(&mut people.marks, read.lines.len());
        people.marks.resize(people.lines.len(), MarkSet::NONE);
        if people.has_ranks {
            make_room(&mut people.ranks, read.lines.len());
            people.ranks.resize(people.lines.len(), 0);
            for (row, rank) in &read.ranks {
                people.ranks[(first + row) as usize] = *rank;
            }
        }
        let row_in_file = self.row_in_file;
        let is_outside =
            |row: u32| range.is_some_and(|range| !range.holds(RowNumber(row_in_file + u64::from(row) + 1)));
        if range.is_some() {
            for (row, line) in (0..).zip(&mut people.lines[first as usize..]) {
                *line |= if is_outside(row) && *line & LINE_BITS == Line::Contact as u8 { LEFT_OUT } else { 0 };
            }
        }
        for (row, mark) in &read.marks {
            // What the row says of its person counts; that the person is in the part of the source that is wanted it does not say.
            if matches!(mark, Mark::From(_)) && is_outside(*row) {
                continue;
            }
            let number = people.mark_sets.number_of(*mark);
            let marks = &mut people.marks[(first + row) as usize];
            *marks = people.mark_sets.union(*marks, number);
        }
        people.estimate_records(chunk.bytes.len() as u64, read.lines.len() as u64);
        people.keys.keep_in_memory(people.memory_for_keys()?);
        for (row, role, hash) in &read.keys {
            people.keys.add(*hash, *role, first + row)?;
        }
        people.chunks.push(ChunkPlace {
            file,
            first: RowId(first),
            records: read.lines.len() as u32,
            bytes: chunk.bytes.len() as u32,
            shape: chunk.shape,
            checksum: read.checksum,
        });
        let above = self.row_in_file;
        self.row_in_file += read.lines.len() as u64;
        Ok(above)
    }

    /// Judges the end of the file that was read.
    fn end_file(&mut self) {
        let Some(file) = self.file else { return };
        for row in std::mem::take(&mut self.tail).footnotes(&self.people.lines) {
            self.people.lines[row as usize] = Line::Footnote as u8;
            self.footnotes[file.0 as usize] += 1;
        }
    }

    /// How many footnotes each file has, after the last chunk.
    pub fn footnotes(mut self) -> Vec<u64> {
        self.end_file();
        std::mem::take(&mut self.footnotes)
    }
}

impl Drop for Intake<'_> {
    /// Files after the last one that holds records begin at the end.
    fn drop(&mut self) {
        let begun = self.file.map_or(0, |file| file.0 as usize + 1);
        let end = self.people.lines.len() as u32;
        self.people.first_of_file[begun..].fill(end);
    }
}

/// The part of the free memory that keys may take; the rest is what allocators and growing vectors take besides.
fn part_for_keys(bytes: u64) -> u64 {
    bytes / 4 * 3
}

/// Makes room for so many more, without taking twice as much as is there.
fn make_room<T>(vector: &mut Vec<T>, more: usize) {
    if vector.len() + more > vector.capacity() {
        vector.reserve_exact(more.max(vector.len() / 16));
    }
}

fn not_enough_memory(memory: u64, needed: u64) -> Error {
    let mib = |bytes: u64| bytes.div_ceil(1 << 20);
    let (memory, needed) = (mib(memory), mib(needed + needed / 8));
    Error::new(
        ErrorKind::Memory,
        format!("the run may take {memory} MiB of memory, and these files need more"),
        format!("allow it more, for example --memory \"{needed} MiB\""),
    )
}

fn too_many(what: &str) -> Error {
    Error::new(
        ErrorKind::Input,
        format!("there are more than {MAX_RECORDS} {what}"),
        "part the job into several, for example by source",
    )
}
