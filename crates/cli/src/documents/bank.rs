//! Documents of the bank's commands.

use pebblebank_bank::batch::{Batch, What};
use pebblebank_bank::change::Removed;
use pebblebank_bank::find::{Found, KnownEntry};
use pebblebank_bank::history::Happened;
use pebblebank_bank::list::Held;
use pebblebank_bank::load::Preview;
use pebblebank_table::observe::Finding;
use schemars::JsonSchema;
use serde::Serialize;
use std::path::Path;

/// What is in the bank.
#[derive(Serialize, JsonSchema)]
pub struct BankDocument<'a> {
    /// The file.
    pub file: &'a Path,
    /// Whether there is one.
    pub exists: bool,
    #[serde(flatten)]
    pub has: Option<BankContents<'a>>,
}

/// What a bank has.
#[derive(Serialize, JsonSchema)]
pub struct BankContents<'a> {
    /// Its entries, by scope and kind.
    pub entries: &'a [Held],
    /// Its verdicts on addresses.
    pub verdicts: VerdictsDocument,
    /// The batches that went in last.
    pub latest: &'a [Batch],
}

/// How many verdicts a bank has.
#[derive(Serialize, JsonSchema)]
pub struct VerdictsDocument {
    /// On addresses.
    pub mailboxes: u64,
    /// On domains.
    pub domains: u64,
    /// Addresses that were given out to be checked elsewhere, and are not back.
    pub awaited: u64,
}

/// All batches.
#[derive(Serialize, JsonSchema)]
pub struct BatchesDocument<'a> {
    /// The batches, latest first.
    pub batches: &'a [Batch],
}

/// One batch: what was undone, or said to be sent.
#[derive(Serialize, JsonSchema)]
pub struct BatchDocument<'a> {
    /// The batch.
    pub batch: &'a Batch,
}

/// What was added by hand.
#[derive(Serialize, JsonSchema)]
pub struct AddedDocument<'a> {
    /// The batch.
    pub batch: &'a Batch,
    /// What it changed.
    pub seen: &'a Preview,
    /// Texts that are no entry.
    pub unreadable: &'a [String],
}

/// What was forgotten.
#[derive(Serialize, JsonSchema)]
pub struct ForgottenDocument<'a> {
    /// The entries that went.
    pub entries: u64,
    /// Notes and names that had the address or number in them.
    pub words: u64,
    /// New names of what was called by it.
    pub renamed: &'a [String],
    /// Whether the write-ahead log, backups and standby servers of a database keep it until they are recycled.
    pub server_may_keep: bool,
}

/// What was exported.
#[derive(Serialize, JsonSchema)]
pub struct ExportedDocument<'a> {
    /// The file.
    pub file: &'a Path,
    /// Its entries.
    pub entries: u64,
    /// Entries that stand for people who were forgotten.
    pub forgotten: u64,
}

/// A copy of the bank.
#[derive(Serialize, JsonSchema)]
pub struct BackupDocument<'a> {
    /// The file.
    pub file: &'a Path,
    /// Its size.
    pub bytes: u64,
}

/// A bank that was made.
#[derive(Serialize, JsonSchema)]
pub struct MadeDocument<'a> {
    /// Where it is.
    pub bank: &'a Path,
    /// Whether it is new.
    pub is_new: bool,
    /// Whether it has roles; null for a file.
    pub has_roles: Option<bool>,
}

/// A bank that was copied into another one.
#[derive(Serialize, JsonSchema)]
pub struct CopiedDocument<'a> {
    /// The other one.
    pub bank: &'a Path,
    /// Entries that count.
    pub entries: u64,
    /// Batches.
    pub batches: u64,
    /// Lines of history.
    pub history: u64,
    /// Whether an earlier command had begun it.
    pub went_on: bool,
}

/// A copy that stands for a bank.
#[derive(Serialize, JsonSchema)]
pub struct SnapshotDocument<'a> {
    /// The file.
    pub file: &'a Path,
    /// Entries that count.
    pub entries: u64,
    /// Its size.
    pub bytes: u64,
}

/// What was removed.
#[derive(Serialize, JsonSchema)]
pub struct RemovedDocument<'a> {
    /// The entries.
    pub removed: &'a [Removed],
    /// Whether other entries still suppress the person.
    pub still_held: bool,
}

/// What is known of somebody.
#[derive(Serialize, JsonSchema)]
pub struct FoundDocument<'a> {
    /// Whether the bank suppresses them.
    pub held: bool,
    #[serde(flatten)]
    pub found: &'a Found,
}

/// What was done to the bank.
#[derive(Serialize, JsonSchema)]
pub struct HistoryDocument<'a> {
    /// What was done, latest first.
    pub history: &'a [Happened],
}

/// Entries, listed.
#[derive(Serialize, JsonSchema)]
pub struct ListedDocument<'a> {
    /// How many there are.
    pub count: u64,
    /// The first of them.
    pub entries: &'a [KnownEntry],
}

/// What a load does, or would do.
#[derive(Serialize, JsonSchema)]
pub struct LoadDocument<'a> {
    /// What the entries say.
    #[serde(rename = "as")]
    pub what: What,
    /// Whose they are.
    pub scope: &'a str,
    /// The batch; null where nothing was loaded yet.
    pub batch: Option<&'a Batch>,
    /// What it changes.
    pub seen: &'a Preview,
    /// Soft bounces.
    pub soft_bounces: u64,
    /// Rows that are something else by their status.
    pub something_else: u64,
    /// Rows whose last day is past.
    pub lapsed: u64,
    /// The columns that decided what each row is.
    pub status_columns: &'a [String],
    /// How each word in them was read.
    pub status_words: Vec<WordRead<'a>>,
    /// The files.
    pub files: Vec<LoadedFile<'a>>,
    /// What should be looked at.
    pub findings: &'a [Finding],
}

/// How a status word was read.
#[derive(Serialize, JsonSchema)]
pub struct WordRead<'a> {
    /// The word.
    pub word: &'a str,
    /// What it was read as.
    pub read_as: &'static str,
    /// How many rows have it.
    pub rows: u64,
}

/// A file that was loaded.
#[derive(Serialize, JsonSchema)]
pub struct LoadedFile<'a> {
    /// Its name.
    pub file: &'a str,
    /// The BLAKE3 digest of its bytes, in hex.
    pub blake3: &'a str,
    /// Rows with an entry.
    pub rows: u64,
    /// Rows without one.
    pub blank: u64,
    /// Rows that are neither address, domain, hash nor number.
    pub unusable: u64,
    /// Rows that the condition leaves out.
    pub left_out: u64,
}

/// Results of a checking service.
#[derive(Serialize, JsonSchema)]
pub struct ResultsDocument<'a> {
    /// The file.
    pub file: &'a str,
    /// Whether nothing was kept.
    pub dry_run: bool,
    /// Its rows.
    pub rows: u64,
    /// The column of results.
    pub column: &'a str,
    /// Other columns that were read.
    pub also: &'a [String],
    /// How each word was read.
    pub words: Vec<ResultWord<'a>>,
    /// Addresses with a verdict.
    pub addresses: u64,
    /// Of these, the ones that were given out to be checked.
    pub came_back: u64,
    /// Addresses that were given out, and are not back.
    pub still_awaited: u64,
    /// Addresses of people who were forgotten, of whom nothing is kept.
    pub forgotten: u64,
    /// Addresses whose rows contradict each other.
    pub contradicting: u64,
    /// Rows without an address.
    pub without_address: u64,
    /// Rows without a verdict.
    pub without_verdict: u64,
}

/// How a word of a checking service was read.
#[derive(Serialize, JsonSchema)]
pub struct ResultWord<'a> {
    /// The word.
    pub word: &'a str,
    /// The verdict.
    pub verdict: &'static str,
    /// The reason for it.
    pub why: &'static str,
    /// How many rows have it.
    pub rows: u64,
}
