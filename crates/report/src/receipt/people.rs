//! Looks people up in `people.idx`, whose records stand in reading order.
//!
//! The file is scanned from end to end, on several threads and without holding it: 5 million records take some tens of
//! milliseconds.

use super::Receipt;
use pebblebank_core::run::write::people_index::{self, RECORD_BYTES};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::{Error, ErrorKind, Result};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};

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

/// How many records a thread reads at once.
const RECORDS_AT_ONCE: usize = 32 << 10;

impl Receipt {
    /// The records that `wanted` picks, in reading order.
    pub fn people(&self, threads: usize, wanted: impl Fn(&Person) -> bool + Sync) -> Result<Vec<Person>> {
        let mut found = Vec::new();
        let each = |person: Person, found: &mut Vec<Person>| {
            if wanted(&person) {
                found.push(person);
            }
        };
        self.scan(threads, &each)?.into_iter().for_each(|part: Vec<Person>| found.extend(part));
        Ok(found)
    }

    /// Hands every record to `each`; parts of the file have a result of their own, in reading order.
    pub fn scan<T: Default + Send>(&self, threads: usize, each: &(impl Fn(Person, &mut T) + Sync)) -> Result<Vec<T>> {
        let path = self.path("people.idx");
        let damaged = || {
            let advice = "run the job again; its receipt is then whole";
            Error::new(ErrorKind::Input, "this is no index of people, or it is not whole", advice).in_file(&path)
        };
        let unreadable = |cause: std::io::Error| Error::unreadable(&path, &cause);
        let mut file = File::open(&path).map_err(unreadable)?;
        let length = file.metadata().map_err(unreadable)?.len();
        let mut header = vec![0; people_index::header().len()];
        file.read_exact(&mut header).map_err(|_| damaged())?;
        if header != people_index::header() || !(length - header.len() as u64).is_multiple_of(RECORD_BYTES as u64) {
            return Err(damaged());
        }
        let records = (length - header.len() as u64) / RECORD_BYTES as u64;
        let parts = threads.clamp(1, 16) as u64;
        let part = |number: u64| -> std::io::Result<T> {
            let (first, end) = (records * number / parts, records * (number + 1) / parts);
            let mut file = File::open(&path)?;
            file.seek(SeekFrom::Start(header.len() as u64 + first * RECORD_BYTES as u64))?;
            let mut found = T::default();
            let mut buffer = vec![0; RECORDS_AT_ONCE * RECORD_BYTES];
            let mut left = (end - first) as usize;
            while left > 0 {
                let now = left.min(RECORDS_AT_ONCE);
                let bytes = &mut buffer[..now * RECORD_BYTES];
                file.read_exact(bytes)?;
                bytes.chunks_exact(RECORD_BYTES).for_each(|record| each(person(record), &mut found));
                left -= now;
            }
            Ok(found)
        };
        let results: Vec<std::io::Result<T>> = std::thread::scope(|scope| {
            let running: Vec<_> = (0..parts).map(|number| scope.spawn(move || part(number))).collect();
            running
                .into_iter()
                .map(|thread| thread.join().unwrap_or_else(|_| Err(std::io::Error::other("a thread gave up"))))
                .collect()
        });
        results.into_iter().map(|result| result.map_err(unreadable)).collect()
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
