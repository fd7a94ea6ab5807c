//! The story of a person, as data.

use crate::receipt::Place;
use crate::receipt::people::{Fate, Person};
use pebblebank_core::run::retrace::{NotRead, RetracedEntry, Stated};
use pebblebank_core::run::setting::Setting;
use pebblebank_core::suppress::reason::Reason;
use std::collections::{HashMap, HashSet};
use std::path::PathBuf;

/// How far a story goes.
#[derive(Clone, Copy)]
pub struct Reading<'a> {
    /// How files are read.
    pub setting: &'a Setting,
    /// The largest input that is opened again, in bytes.
    pub most_of_input: u64,
    /// Whether the words of rows and the entries of lists are wanted, and not only what became of the person.
    pub is_whole: bool,
}

/// What became of one person in a run.
#[derive(Debug, Clone, Default)]
pub struct Story {
    /// The rows of the person, in reading order; as far as a story names them.
    pub rows: Vec<RowStory>,
    /// How many rows the person has.
    pub rows_in_all: usize,
    /// How many people have these rows: a value such as a name may be that of several.
    pub people: usize,
    /// How many of them were written.
    pub written_people: usize,
    /// The gravest reason of all rows, those that are not named included.
    pub(super) gravest: Option<Reason>,
    /// Entries of suppression lists that are close to the person and did not match.
    pub near_misses: Vec<NearMiss>,
    /// The import file and the line in which the address is, if the file is delimited text and still there.
    pub import_line: Option<(PathBuf, u64)>,
    /// If nobody of the run has this address: the closest addresses that were written.
    pub closest: Vec<String>,
    /// Entries of lists that the person has, or that came close to it, as far as the lists are as the run read them.
    pub entries: Vec<ListEntry>,
    /// Why the job writes to the person although a list has it, where it says so.
    pub allowed: Option<String>,
    /// Files that should have been read again and were not, by name: sources of the person, or that were searched for a value,
    /// and lists that the receipt tells of.
    pub not_read: Vec<(String, NotRead)>,
    /// Every address by which the person is known in rows that were read again.
    pub addresses: Vec<String>,
    /// The phone numbers in them.
    pub phones: Vec<String>,
}

/// An entry of a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ListEntry {
    /// The file.
    pub file: String,
    /// Whether the list is of people who must not be contacted.
    pub suppresses: bool,
    /// The entry.
    pub entry: RetracedEntry,
}

/// What became of one row.
#[derive(Debug, Clone)]
pub struct RowStory {
    /// Its number among all rows of all sources, from 0.
    pub(super) number: u32,
    /// Where it was read.
    pub place: Place,
    /// The source.
    pub source: String,
    /// The file.
    pub file: String,
    /// What became of it.
    pub fate: Fate,
    /// What the reason rests on: the lists, what the source says, or what the row lacks.
    pub details: String,
    /// The key by which it was merged.
    pub key: String,
    /// The row that survives for the person; none for the survivor itself.
    pub survivor: Option<Place>,
    /// What the survivor was filled with from it.
    pub taken: String,
    /// Its filled cells with their headers: those of the file while it is as it was, else those that the receipt kept, if it
    /// did.
    pub read: Vec<(String, String)>,
    /// What was repaired in it.
    pub repairs: Vec<Repair>,
    /// What it says of consent, cell by cell, if the file is as it was.
    pub consent: Vec<Stated>,
    /// Why somebody took the person out by hand.
    pub note: String,
}

/// A repair.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Repair {
    /// The rule.
    pub rule: String,
    /// The field or header.
    pub field: String,
    /// The value as it was read.
    pub before: String,
    /// The value after it.
    pub after: String,
}

/// An entry that is close to a contact.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NearMiss {
    /// The list.
    pub list: String,
    /// The entry.
    pub entry: String,
    /// What makes them close.
    pub why: String,
}

impl Story {
    /// Whether a row of the person was written.
    pub fn is_written(&self) -> bool {
        self.written_people > 0
    }

    /// The gravest reason for which a row of the person was set aside.
    pub fn reason(&self) -> Option<Reason> {
        self.gravest
    }

    /// Counts the people of the rows, by what the index knows of all of them and the tables of the rest.
    pub(super) fn count_people(&mut self, fates: &HashMap<u32, Person>) {
        let survivors: HashSet<u32> = fates.values().map(|person| person.survivor).collect();
        let unknown: Vec<Fate> =
            self.rows.iter().filter(|row| !fates.contains_key(&row.number)).map(|row| row.fate).collect();
        let is_end = |fate: &&Fate| **fate != Fate::Merged;
        self.people = survivors.len() + unknown.iter().filter(is_end).count();
        let written = fates.values().filter(|person| person.fate == Fate::Written).map(|person| person.survivor);
        let written: HashSet<u32> = written.collect();
        self.written_people = written.len() + unknown.iter().filter(|fate| **fate == Fate::Written).count();
        let reason = |fate: Fate| match fate {
            Fate::SetAside(reason) => Some(reason),
            Fate::Written | Fate::Merged => None,
        };
        self.gravest = fates.values().map(|person| person.fate).chain(unknown).filter_map(reason).min();
    }
}
