//! Entries of list files with their text, as whoever keeps them asks for them and gets them.

use crate::job::sources::ReadFiles;
use crate::select::condition::Selection;
use crate::suppress::status::StatusReason;
use pebblebank_table::units::RowNumber;
use pebblebank_values::ColumnRef;
use pebblebank_values::date::Date;
use pebblebank_values::digest::Digest;
use pebblebank_values::place::Country;
use std::collections::BTreeMap;

/// What entries are read, and how.
#[derive(Debug, Clone)]
pub struct EntriesWishes {
    /// The files.
    pub read: ReadFiles,
    /// Whether phone numbers are meant, and not addresses.
    pub by_phone: bool,
    /// Which rows count.
    pub condition: Option<Selection>,
    /// Which column says what happened.
    pub status: StatusWish,
    /// What words of it mean, folded, beside those that are known.
    pub status_means: BTreeMap<String, StatusReason>,
    /// The column with the day on which it happened.
    pub dated: Option<ColumnRef>,
    /// The column with the last day on which the entry holds.
    pub until: Option<ColumnRef>,
    /// The country of phone numbers that name none.
    pub country: Option<Country>,
    /// The day.
    pub today: Date,
}

/// Which column says of each row what happened.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub enum StatusWish {
    /// Whichever is recognised, classes and codes of bounces included.
    #[default]
    OfBounces,
    /// Whichever is recognised as one of events.
    OfEvents,
    /// This one.
    Column(ColumnRef),
    /// None: every row is an entry.
    NoColumn,
}

/// What an entry holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FoundText {
    /// An address, by its identity.
    Address(String),
    /// A domain, as A-labels.
    Domain(String),
    /// A phone number (E.164).
    Phone(String),
    /// An address that is not shown.
    Digest(Digest),
    /// Somebody whom the bank with this mark has forgotten.
    Forgotten(String),
}

/// What the value of an exported entry begins with that stands for somebody whom a bank has forgotten.
pub const FORGOTTEN: &str = "forgotten";

/// An entry that was read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundEntry {
    /// The place of its file among those that are read.
    pub file: usize,
    /// Its row.
    pub row: RowNumber,
    /// What it holds.
    pub text: FoundText,
    /// What its status says, where there is such a column.
    pub status: Option<StatusReason>,
    /// The day of what happened.
    pub day: Option<Date>,
    /// The last day that it holds.
    pub until: Option<Date>,
    /// The number of the day on which the file was last changed; none where that is not known.
    pub file_day: Option<i32>,
}

/// A file that entries were read from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EntriesFile {
    /// Its name.
    pub name: String,
    /// The BLAKE3 of what was handed over, in hex.
    pub fingerprint: String,
    /// Its rows.
    pub rows: u64,
    /// Rows without an entry.
    pub blank: u64,
    /// Rows whose entry cannot be read.
    pub unusable: u64,
    /// Rows that the condition leaves out.
    pub left_out: u64,
}

impl EntriesFile {
    /// A file of which nothing was read yet.
    pub fn new(name: String) -> EntriesFile {
        EntriesFile { name, fingerprint: String::new(), rows: 0, blank: 0, unusable: 0, left_out: 0 }
    }
}
