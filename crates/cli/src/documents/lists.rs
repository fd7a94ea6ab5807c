//! Documents of commands that look at lists: `survey`, `compare`, `top-up`, `split`, `check`.

use pebblebank_core::run::tally::OtherLines;
use pebblebank_core::tasks::compare::Compared;
use pebblebank_core::tasks::split::wishes::Split;
use pebblebank_core::tasks::survey::found::FileSurvey;
use pebblebank_table::observe::Finding;
use schemars::JsonSchema;
use serde::Serialize;
use std::path::Path;

/// What is in files.
#[derive(Serialize, JsonSchema)]
pub struct SurveyDocument<'a> {
    /// The files that could be read.
    pub files: &'a [FileSurvey],
    /// Why the others could not.
    pub errors: Vec<UnreadableFile<'a>>,
}

/// A file that could not be read.
#[derive(Serialize, JsonSchema)]
pub struct UnreadableFile<'a> {
    /// The file.
    pub file: Option<&'a Path>,
    /// What happened.
    pub what: &'a str,
    /// What to do.
    pub advice: &'a str,
}

/// Who is in which list.
#[derive(Serialize, JsonSchema)]
pub struct CompareDocument<'a> {
    /// Whether each row of the first list was written with a mark.
    pub rows_of_first_list: bool,
    #[serde(flatten)]
    pub compared: &'a Compared,
}

/// What a list was split into.
#[derive(Serialize, JsonSchema)]
pub struct SplitDocument<'a> {
    /// Whether nothing was written.
    pub dry_run: bool,
    #[serde(flatten)]
    pub split: &'a Split,
}

/// Verdicts on the addresses of a list.
#[derive(Serialize, JsonSchema)]
pub struct CheckDocument<'a> {
    /// The list.
    pub list: &'a str,
    /// How far it was checked: `syntax`, `domain` or `mailbox`.
    pub level: &'static str,
    /// Its contacts.
    pub rows: u64,
    /// Those that were checked.
    pub checked: u64,
    /// Rows with a valid address.
    pub valid: u64,
    /// Rows with a risky address.
    pub risky: u64,
    /// Rows with an invalid address.
    pub invalid: u64,
    /// Rows whose address nobody could judge.
    pub unknown: u64,
    /// Rows by verdict and reason, gravest first.
    pub counts: Vec<VerdictCount>,
    /// Rows with the address of a row above.
    pub duplicates: u64,
    /// Addresses whose mailbox was known from earlier.
    pub known: u64,
    /// Different domains.
    pub domains: u64,
    /// Domains with a remembered verdict.
    pub remembered: u64,
    /// Domains that DNS was asked about.
    pub asked: u64,
    /// How mail servers were asked.
    pub mailboxes: MailboxCounts,
    /// Whether somebody stopped the asking.
    pub stopped: bool,
    /// Addresses that were written for somebody else to check.
    pub to_check: u64,
    /// Lines that are not contacts.
    pub other_lines: OtherLines,
    /// The files that were written.
    pub files: Vec<RowsOfFile<'a>>,
    /// What should be looked at.
    pub findings: &'a [Finding],
}

/// How many rows have a verdict for a reason.
#[derive(Serialize, JsonSchema)]
pub struct VerdictCount {
    /// The verdict.
    pub verdict: &'static str,
    /// The reason.
    pub why: &'static str,
    /// How many.
    pub rows: u64,
}

/// How mail servers were asked.
#[derive(Serialize, JsonSchema)]
pub struct MailboxCounts {
    /// Addresses with a remembered verdict.
    pub remembered: u64,
    /// Addresses asked about.
    pub asked: u64,
    /// Of these, the ones that were answered.
    pub answered: u64,
}

/// A file and its rows.
#[derive(Serialize, JsonSchema)]
pub struct RowsOfFile<'a> {
    /// The file.
    pub file: &'a Path,
    /// Its rows, without the header.
    pub rows: u64,
}
