//! What the second pass makes of a chunk: its rows, laid out, and what was counted.

use super::import_rows::ImportRows;
use crate::job::Job;
use crate::layout::plan::Violation;
use crate::run::decide::copied::Refused;
use crate::run::tally::{Account, DoubtfulTally, RepairCounts};
use crate::suppress::marks::Mark;
use crate::suppress::reason::Reason;
use pebblebank_table::observe::{EXAMPLE_ROWS, Met};
use pebblebank_table::units::{ColumnIndex, FileId, ListId, RowId, RowNumber};
use pebblebank_table::{CsvBuffer, Result};
use pebblebank_values::Doubt;
use std::collections::BTreeMap;

/// Where the rows of the second pass go.
pub trait Sink: Send {
    /// Takes the rows of the next chunk.
    fn take(&mut self, rows: &Rows) -> Result<()>;
}

/// The rows of one chunk, laid out.
pub struct Rows {
    /// For each import file.
    pub imports: ImportRows,
    /// Rows that could be written, with what decides who is picked, where that is to be found out.
    pub candidates: Vec<Candidate>,
    /// Rows set aside.
    pub set_aside: CsvBuffer,
    /// Rows merged.
    pub merged: CsvBuffer,
    /// Repairs.
    pub repairs: CsvBuffer,
    /// Repairs that are suggested.
    pub suggestions: CsvBuffer,
    /// Records of `people.idx`.
    pub people: Vec<u8>,
    /// Rows of `written.csv`.
    pub written_people: CsvBuffer,
    /// What the bank learns.
    pub learned: Vec<u8>,
    /// Why people are not written, where that is to be found out.
    pub(super) judged: Vec<(RowId, Reason, String)>,
    pub(super) counts: Counts,
}

/// Contacts about to be written whom something names that was not read of a suppression list.
#[derive(Debug, Clone, Default)]
pub struct UnreadWritten {
    /// How many.
    pub count: u64,
    /// The first of them.
    pub rows: Vec<RowId>,
}

impl UnreadWritten {
    /// One more.
    pub fn at(&mut self, row: RowId) {
        self.count += 1;
        if self.rows.len() < EXAMPLE_ROWS {
            self.rows.push(row);
        }
    }

    fn append(&mut self, later: &UnreadWritten) {
        self.count += later.count;
        let room = EXAMPLE_ROWS.saturating_sub(self.rows.len());
        self.rows.extend(later.rows.iter().take(room));
    }
}

impl Counts {
    /// Notes a contact that is about to be written, where something names it that was not read.
    pub fn note_unread(&mut self, row: RowId, marks: &[Mark], job: &Job) {
        for mark in marks {
            if let Mark::On(list) = mark
                && job.lists[list.0 as usize].unread_of().is_some()
            {
                self.unread.entry(*list).or_default().at(row);
            }
        }
    }
}

/// What is counted in the second pass.
#[derive(Debug, Clone, Default)]
pub struct Counts {
    /// Rows written, merged, set aside; `read` stays 0.
    pub account: Account,
    /// Repairs.
    pub repairs: RepairCounts,
    /// Repairs that are suggested.
    pub suggestions: RepairCounts,
    /// Values that could not be cleaned or look like something else, by file and column.
    pub doubts: BTreeMap<(FileId, ColumnIndex, Doubt), Met>,
    /// Survivors by what they are marked with, by the number of the combination.
    pub people: Vec<u64>,
    /// Survivors that have all that the job requires, picked or not, by the number of the combination of marks.
    pub people_with_key: Vec<u64>,
    /// Rows written although their person must not be contacted: a master's, and those of compared lists.
    pub refused_written: Refused,
    /// Rows merged into a survivor of the same source.
    pub merged_within: u64,
    /// Rows that are close to an entry of a suppression list and passed everything else.
    pub near_missed: Vec<RowId>,
    /// Rows whose unusable address was written blank.
    pub written_without_address: Met,
    /// Contacts about to be written whom something names that was not read of a suppression list, by the place of the
    /// list that holds what was not read.
    pub unread: BTreeMap<ListId, UnreadWritten>,
    /// Contacts written whose address has no verdict that is young enough.
    pub without_verdict: u64,
    /// Contacts written that might be left out.
    pub doubtful: DoubtfulTally,
    /// Rows of each import file that are in another one too.
    pub also_elsewhere: Vec<u64>,
    /// The row that a layout stops at, and why.
    pub(super) stop: Option<(RowNumber, Violation)>,
}

impl Counts {
    /// Adds what was counted further down.
    pub fn add(&mut self, later: Counts) {
        self.near_missed.extend(later.near_missed);
        self.account.add(&later.account);
        self.merged_within += later.merged_within;
        self.refused_written.add_all(&later.refused_written);
        self.repairs.add(later.repairs);
        self.suggestions.add(later.suggestions);
        for (place, met) in later.doubts {
            self.doubts.entry(place).or_default().append(&met);
        }
        self.written_without_address.append(&later.written_without_address);
        for (list, unread) in later.unread {
            self.unread.entry(list).or_default().append(&unread);
        }
        self.without_verdict += later.without_verdict;
        self.doubtful.roles += later.doubtful.roles;
        self.doubtful.disposable += later.doubtful.disposable;
        add_each(&mut self.also_elsewhere, &later.also_elsewhere);
        add_each(&mut self.people, &later.people);
        add_each(&mut self.people_with_key, &later.people_with_key);
    }
}

fn add_each(sums: &mut Vec<u64>, counts: &[u64]) {
    sums.resize(sums.len().max(counts.len()), 0);
    sums.iter_mut().zip(counts).for_each(|(sum, count)| *sum += count);
}

/// A row that could be written; the smaller ones are picked first.
pub type Candidate = (u64, RowId);
