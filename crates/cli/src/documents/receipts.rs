//! Documents of commands that read receipts: `why`, `changes`, `report`.

use pebblebank_bank::find::KnownEntry;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_report::changes::{FileChange, ListCounts};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::Path;

/// The story of somebody in one run or several.
#[derive(Serialize, JsonSchema)]
pub struct WhyDocument<'a> {
    /// Who was asked about.
    pub asked: &'a str,
    /// What became of them in each run.
    pub runs: Vec<StoryDocument<'a>>,
    /// Receipts among several that could not be opened.
    pub not_opened: Vec<NotOpenedDocument<'a>>,
    /// What the bank has today; null without a bank.
    pub bank: Option<BankToday<'a>>,
}

/// A receipt that could not be opened.
#[derive(Serialize, JsonSchema)]
pub struct NotOpenedDocument<'a> {
    /// The receipt.
    pub receipt: &'a Path,
    /// Why not.
    pub what: &'a str,
}

/// What the bank has today.
#[derive(Serialize, JsonSchema)]
pub struct BankToday<'a> {
    /// The bank.
    pub file: &'a Path,
    /// Whether it suppresses them.
    pub held: bool,
    /// Its entries: of their addresses and phone numbers, of domains, and of hashes.
    pub entries: Vec<KnownEntry>,
}

/// The story of somebody in one run.
#[derive(Serialize, JsonSchema)]
pub struct StoryDocument<'a> {
    /// The receipt.
    pub receipt: &'a Path,
    /// The job.
    pub job: &'a str,
    /// When it ran (RFC 3339).
    pub started: Option<&'a str>,
    /// Files of the receipt that were edited.
    pub edited: &'a [String],
    /// Whether the receipt has no seals.
    pub is_unsealed: bool,
    /// Whether they were written.
    pub is_written: bool,
    /// Why not, where they were not.
    pub reason: Option<Reason>,
    /// How many rows were found in all.
    pub rows_in_all: usize,
    /// How many people have these rows.
    pub people: usize,
    /// Of these, the ones who were written.
    pub written_people: usize,
    /// The first rows.
    pub rows: Vec<RowDocument<'a>>,
    /// The lists that have them or came close, as far as their files are as the run read them.
    pub lists: Vec<ListDocument<'a>>,
    /// Why the job writes to them although a list has them, where it says so.
    pub allowed: Option<&'a str>,
    /// Files that were not read again: sources of theirs, or that were searched, and lists that the receipt tells of.
    pub not_read: Vec<NotReadDocument<'a>>,
    /// Entries that are close to them.
    pub near_misses: Vec<NearMissDocument<'a>>,
    /// Where they stand in an import file.
    pub import_line: Option<ImportLine<'a>>,
    /// Where nobody was found: addresses that are close, and written.
    pub closest: &'a [String],
}

/// A file that was not read again.
#[derive(Serialize, JsonSchema)]
pub struct NotReadDocument<'a> {
    /// The file.
    pub file: &'a str,
    /// `gone`, `changed`, `too-large` or `unreadable`.
    pub why: &'static str,
    /// What went wrong, where it cannot be read.
    pub what: Option<&'a str>,
}

/// What a cell says of consent.
#[derive(Serialize, JsonSchema)]
pub struct StatedDocument<'a> {
    /// The column's header.
    pub header: &'a str,
    /// The cell.
    pub value: &'a str,
    /// What it says, in words.
    pub says: &'static str,
}

/// A row of somebody.
#[derive(Serialize, JsonSchema)]
pub struct RowDocument<'a> {
    /// The source.
    pub source: &'a str,
    /// The file.
    pub file: &'a str,
    /// The row, from 1.
    pub row: u64,
    /// `written`, `merged` or `set-aside`.
    pub fate: &'static str,
    /// Why it was set aside.
    pub reason: Option<Reason>,
    /// Every list that has them, and other details.
    pub details: &'a str,
    /// The key by which the row was merged.
    pub key: &'a str,
    /// The row that it was merged into.
    pub survivor: Option<PlaceDocument<'a>>,
    /// What the survivor took from it.
    pub taken: &'a str,
    /// The note of a decision by hand.
    pub note: &'a str,
    /// Its cells as they were read.
    pub read: Vec<CellDocument<'a>>,
    /// What it says of consent, cell by cell.
    pub consent: Vec<StatedDocument<'a>>,
    /// What was repaired.
    pub repairs: Vec<RepairDocument<'a>>,
}

/// A row of a file.
#[derive(Serialize, JsonSchema)]
pub struct PlaceDocument<'a> {
    /// The file.
    pub file: &'a str,
    /// The row, from 1.
    pub row: u64,
}

/// A cell.
#[derive(Serialize, JsonSchema)]
pub struct CellDocument<'a> {
    /// The column's header.
    pub header: &'a str,
    /// The value.
    pub value: &'a str,
}

/// A repair.
#[derive(Serialize, JsonSchema)]
pub struct RepairDocument<'a> {
    /// The rule.
    pub rule: &'a str,
    /// The field.
    pub field: &'a str,
    /// The value as it was read.
    pub before: &'a str,
    /// The value as it is written.
    pub after: &'a str,
}

/// A list that has somebody.
#[derive(Serialize, JsonSchema)]
pub struct ListDocument<'a> {
    /// The list.
    pub list: &'a str,
    /// Whether it is of people who must not be contacted.
    pub suppresses: bool,
    /// Their entries.
    pub entries: Vec<EntryDocument<'a>>,
}

/// An entry of a list.
#[derive(Serialize, JsonSchema)]
pub struct EntryDocument<'a> {
    /// The file.
    pub file: &'a str,
    /// The row, from 1.
    pub row: u64,
    /// By what it matches: the address, its domain, a hash, another value.
    pub entry: String,
    /// Whether it did not match, and only came close.
    pub is_near_miss: bool,
    /// The cells of its row.
    pub read: Vec<CellDocument<'a>>,
}

/// An entry that is close to somebody.
#[derive(Serialize, JsonSchema)]
pub struct NearMissDocument<'a> {
    /// The list.
    pub list: &'a str,
    /// The entry.
    pub entry: &'a str,
    /// What they have in common.
    pub why: &'a str,
}

/// A line of an import file.
#[derive(Serialize, JsonSchema)]
pub struct ImportLine<'a> {
    /// The file.
    pub file: &'a Path,
    /// The line, from 1.
    pub line: u64,
}

/// What changed between two runs.
#[derive(Serialize, JsonSchema)]
pub struct ChangesDocument<'a> {
    /// The run.
    pub now: RunCompared<'a>,
    /// The run before.
    pub before: RunCompared<'a>,
    /// Contacts without an address, which are not compared.
    pub not_compared: u64,
    /// People who are new.
    pub new: u64,
    /// People who are gone.
    pub gone: u64,
    /// People who are written at another address than before.
    pub moved: u64,
    /// Why they are gone, with counts.
    pub gone_because: BTreeMap<&'a str, u64>,
    /// How many were set aside for each reason.
    pub reasons: Vec<ReasonMoved<'a>>,
    /// How each suppression list moved.
    pub lists: Vec<ListMoved<'a>>,
    /// How the files that were read compare.
    pub inputs: Vec<InputCompared<'a>>,
    /// The file of who is new; null where none was asked for.
    pub new_file: Option<PathAndRows<'a>>,
    /// The file of who is gone; null where none was asked for.
    pub gone_file: Option<PathAndRows<'a>>,
}

/// A run that is compared.
#[derive(Serialize, JsonSchema)]
pub struct RunCompared<'a> {
    /// The receipt.
    pub receipt: &'a Path,
    /// When it ran (RFC 3339).
    pub started: Option<&'a str>,
    /// Files of the receipt that were edited.
    pub edited: &'a [String],
    /// Contacts that it wrote.
    pub written: u64,
}

/// How a reason moved.
#[derive(Serialize, JsonSchema)]
pub struct ReasonMoved<'a> {
    /// The reason.
    pub reason: &'a str,
    /// Rows set aside for it before.
    pub before: u64,
    /// Rows set aside for it now.
    pub now: u64,
}

/// How a suppression list moved.
#[derive(Serialize, JsonSchema)]
pub struct ListMoved<'a> {
    /// The list.
    pub list: &'a str,
    /// Its counts before; null where it was not there.
    pub before: Option<ListCounts>,
    /// Its counts now; null where it is not there any more.
    pub now: Option<ListCounts>,
}

/// How a file compares with the one of the same name before.
#[derive(Serialize, JsonSchema)]
pub struct InputCompared<'a> {
    /// The file.
    pub file: &'a str,
    /// How it compares.
    pub change: FileChange,
}

/// A file that was written, and its rows.
#[derive(Serialize, JsonSchema)]
pub struct PathAndRows<'a> {
    /// The file.
    pub file: &'a Path,
    /// Its rows, without the header.
    pub rows: u64,
}

/// The page of a run.
#[derive(Serialize, JsonSchema)]
pub struct ReportDocument<'a> {
    /// The receipt.
    pub receipt: &'a Path,
    /// The page.
    pub page: &'a Path,
}
