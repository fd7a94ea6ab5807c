//! Looks people up in `people.idx`, whose records stand in reading order.
//!
//! The file is searched from end to end, on several threads and without keeping it. Somebody is looked up in one column of
//! it, a fifth of its bytes.

use super::Receipt;
use pebblebank_core::run::write::people_index::{self, Block, Column, Form, RECORD_BYTES};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::{Error, ErrorKind, Result};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

/// What became of a row.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Fate {
    /// It was written.
    Written,
    /// It was merged into its survivor.
    Merged,
    /// It was set aside.
    SetAside(Reason),
}

/// One identity of one row.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Person {
    /// The digest of the identity.
    pub identity: [u8; 12],
    /// The row, counted from 0 over all rows of all sources.
    pub row: u32,
    /// The row that survives for the person.
    pub survivor: u32,
    /// What became of the row.
    pub fate: Fate,
}

impl Receipt {
    /// The records that `wanted` picks, in reading order.
    pub fn people(&self, threads: usize, wanted: impl Fn(&Person) -> bool + Sync) -> Result<Vec<Person>> {
        let each = |person: Person, found: &mut Vec<Person>| {
            if wanted(&person) {
                found.push(person);
            }
        };
        Ok(self.scan(threads, &each)?.into_iter().flatten().collect())
    }

    /// The records with a wanted number in one column, in reading order: of the others no more than that is read.
    pub fn people_by(
        &self,
        column: Column,
        threads: usize,
        wanted: impl Fn(u32) -> bool + Sync,
    ) -> Result<Vec<Person>> {
        let found = self.each_block(threads, &|part: &mut Part, block: Block, found: &mut Vec<Person>| {
            let Some(own) = block.column(column) else {
                let all = part.read(block.start, block.bytes())?;
                let people = (0..block.records).map(|place| person(&block.record(all, place)));
                found.extend(people.filter(|person| wanted(person.of_column(column))));
                return Ok(());
            };
            let numbers = part.read(block.start + own.start as u64, own.len())?;
            for place in places_of(numbers, &wanted) {
                let mut record = Vec::with_capacity(RECORD_BYTES);
                for own in block.parts(place) {
                    record.extend_from_slice(part.read(block.start + own.start as u64, own.len())?);
                }
                found.push(person(&record));
            }
            Ok(())
        })?;
        Ok(found.into_iter().flatten().collect())
    }

    /// Hands every record to `each`; parts of the file have a result of their own, in reading order.
    pub fn scan<T: Default + Send>(&self, threads: usize, each: &(impl Fn(Person, &mut T) + Sync)) -> Result<Vec<T>> {
        self.each_block(threads, &|part: &mut Part, block: Block, found: &mut T| {
            let bytes = part.read(block.start, block.bytes())?;
            (0..block.records).for_each(|place| each(person(&block.record(bytes, place)), found));
            Ok(())
        })
    }

    /// Hands every block to `each`, on several threads; each thread has a part of the file and a result of its own.
    fn each_block<T: Default + Send>(
        &self,
        threads: usize,
        each: &(impl Fn(&mut Part, Block, &mut T) -> std::io::Result<()> + Sync),
    ) -> Result<Vec<T>> {
        let path = self.path("people.idx");
        let unreadable = |cause: std::io::Error| Error::unreadable(&path, &cause);
        let form = form_of_people(&path)?;
        let blocks: Vec<Block> = form.blocks().collect();
        let part = |blocks: &[Block]| -> std::io::Result<T> {
            let mut part = Part { file: File::open(&path)?, buffer: Vec::new() };
            let mut found = T::default();
            blocks.iter().try_for_each(|block| each(&mut part, *block, &mut found))?;
            Ok(found)
        };
        let parts = blocks.len().div_ceil(threads.clamp(1, 16)).max(1);
        let results: Vec<std::io::Result<T>> = std::thread::scope(|scope| {
            let running: Vec<_> = blocks.chunks(parts).map(|some| scope.spawn(move || part(some))).collect();
            running
                .into_iter()
                .map(|thread| thread.join().unwrap_or_else(|_| Err(std::io::Error::other("a thread gave up"))))
                .collect()
        });
        results.into_iter().map(|result| result.map_err(unreadable)).collect()
    }
}

/// How the records of an index stand in it.
fn form_of_people(path: &Path) -> Result<Form> {
    let unreadable = |cause: std::io::Error| Error::unreadable(path, &cause);
    let mut file = File::open(path).map_err(unreadable)?;
    let length = file.metadata().map_err(unreadable)?.len();
    let mut header = vec![0; people_index::header().len()];
    let is_long_enough = file.read_exact(&mut header).is_ok();
    Form::of(&header, length, OLDEST).filter(|_| is_long_enough).ok_or_else(|| {
        let advice = "run the job again; its receipt is then whole";
        Error::new(ErrorKind::Input, "this is no index of people, or it is not whole", advice).in_file(path)
    })
}

/// The oldest version whose fates are those of today.
const OLDEST: u32 = 2;

/// The part of an index that one thread reads, in a buffer that is used again.
struct Part {
    file: File,
    buffer: Vec<u8>,
}

impl Part {
    fn read(&mut self, at: u64, bytes: usize) -> std::io::Result<&[u8]> {
        // Longer than asked for it stays as it is, so that nothing is filled with zeros for nothing.
        if self.buffer.len() < bytes {
            self.buffer.resize(bytes, 0);
        }
        self.file.seek(SeekFrom::Start(at))?;
        self.file.read_exact(&mut self.buffer[..bytes])?;
        Ok(&self.buffer[..bytes])
    }
}

/// The places of the wanted numbers of 32 bits.
fn places_of(numbers: &[u8], wanted: &impl Fn(u32) -> bool) -> Vec<usize> {
    const AT_ONCE: usize = 256;
    let number = |bytes: &[u8]| u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]);
    let mut found = Vec::new();
    for (group, bytes) in numbers.chunks(AT_ONCE * 4).enumerate() {
        // Nearly every group has none: that is seen without a branch for each number.
        if bytes.chunks_exact(4).fold(false, |any, bytes| any | wanted(number(bytes))) {
            let places = bytes.chunks_exact(4).enumerate().filter(|(_, bytes)| wanted(number(bytes)));
            found.extend(places.map(|(place, _)| group * AT_ONCE + place));
        }
    }
    found
}

impl Person {
    /// Its number in a column.
    fn of_column(&self, column: Column) -> u32 {
        let [a, b, c, d, ..] = self.identity;
        match column {
            Column::IdentityStart => u32::from_le_bytes([a, b, c, d]),
            Column::Survivor => self.survivor,
            Column::Row => self.row,
        }
    }
}

#[inline]
fn person(record: &[u8]) -> Person {
    let number = |at: usize| u32::from_le_bytes([record[at], record[at + 1], record[at + 2], record[at + 3]]);
    let mut identity = [0; 12];
    identity.copy_from_slice(&record[..12]);
    Person { identity, row: number(12), survivor: number(16), fate: fate(record[20]) }
}

#[inline]
fn fate(byte: u8) -> Fate {
    match byte {
        0 => Fate::Written,
        1 => Fate::Merged,
        other => Fate::SetAside(Reason::ALL[usize::from(other - 2).min(Reason::ALL.len() - 1)]),
    }
}
