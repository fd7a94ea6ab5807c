//! What the first pass finds: counts of files and lists, and what one chunk brings in.

use super::open::OpenFile;
use crate::error::{Error, ErrorKind};
use crate::observe::Met;
use crate::person::{IdentityHash, Role};
use crate::read::Line;
use crate::suppress::Mark;
use crate::units::RowNumber;
use std::collections::BTreeMap;

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
    /// Adds what was counted in a chunk; so many records of the file come before it.
    pub fn add(&mut self, chunk: &FileCounts, first_row: u64) {
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

    /// Counts a record.
    pub fn count(&mut self, line: Line) {
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
    pub problem: Option<Problem>,
}

/// What stops the run at a row of the chunk.
pub(super) enum Problem {
    /// A yes or no in a column whose direction is not known.
    Direction { row: u32, header: String },
    /// Bytes that are not UTF-8.
    NotText { row: u32 },
}

impl Problem {
    /// The error, given how many records of the file come before the chunk.
    pub fn at<Owner>(self, file: &OpenFile<Owner>, rows_above: u64) -> Error {
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
                "some bytes are not UTF-8 text, though the file begins as such",
                "say what it is in: in a job encoding = \"windows-1252\", or save the file as UTF-8",
            )
            .in_file(file.input.path())
            .at_row(place(row))
            .expected("text in UTF-8"),
        }
    }
}
