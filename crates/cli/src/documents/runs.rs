//! Documents of runs, and of what stopped one.

use pebblebank_bank::record::Recorded;
use pebblebank_core::run::TrippedGuard;
use pebblebank_core::run::tally::{BankTally, SuppressionTally, Tally};
use pebblebank_core::tasks::preflight::problem::{Problem, Since};
use pebblebank_table::observe::Finding;
use schemars::JsonSchema;
use serde::Serialize;
use std::path::{Path, PathBuf};

/// The tally of a run, and where things are.
#[derive(Serialize, JsonSchema)]
pub struct RunDocument<'a> {
    #[serde(flatten)]
    pub tally: &'a Tally,
    /// The guards that stopped it.
    pub tripped_guards: &'a [TrippedGuard],
    /// The import files.
    pub import_files: &'a [PathBuf],
    /// The receipt.
    pub receipt: Option<&'a Path>,
    /// The file of rows set aside, outside of a receipt.
    pub set_aside_file: Option<&'a Path>,
    /// What the bank keeps of the run; null without a bank.
    pub remembered: Option<&'a Recorded>,
    /// Whether outputs of a run that was cut off were put in place first.
    pub completed_earlier_run: bool,
}

/// What `suppress` did.
#[derive(Serialize, JsonSchema)]
pub struct SuppressDocument<'a> {
    /// Rows taken out or marked.
    pub held: u64,
    /// The file that was written.
    pub output: Option<&'a Path>,
    /// The file of rows that were taken out.
    pub set_aside_file: Option<&'a Path>,
    /// The guards that stopped it.
    pub tripped_guards: &'a [TrippedGuard],
    /// The account.
    pub tally: &'a Tally,
}

/// Whether a file is fit to be imported.
#[derive(Serialize, JsonSchema)]
pub struct PreflightDocument<'a> {
    /// The file.
    pub file: &'a str,
    /// Whether it can be imported.
    pub is_fit: bool,
    /// Its contacts.
    pub rows: u64,
    /// Of these, the ones that nothing keeps from being imported.
    pub fit_rows: u64,
    /// What keeps it from being imported, gravest first.
    pub problems: &'a [Problem],
    /// What else should be looked at.
    pub findings: &'a [Finding],
    /// The guards that stopped it.
    pub tripped_guards: &'a [TrippedGuard],
    /// How the file differs from what the run wrote; null where no receipt is named.
    pub since: Option<&'a Since>,
    /// Each suppression list.
    pub suppression: &'a [SuppressionTally],
    /// The bank, and whether it counted.
    pub bank: &'a BankTally,
}

/// What stopped a command.
#[derive(Serialize, JsonSchema)]
pub struct ErrorDocument<'a> {
    /// The kind of error.
    pub kind: &'static str,
    /// The exit status of the program.
    pub exit_status: u8,
    /// What happened.
    pub what: &'a str,
    /// The file that it is about.
    pub file: Option<&'a Path>,
    /// The row of that file, from 1.
    pub row: Option<u64>,
    /// The column, by its header.
    pub column: Option<&'a str>,
    /// The line of a text such as a job file, from 1.
    pub line: Option<usize>,
    /// What was expected.
    pub expected: Option<&'a str>,
    /// What to do.
    pub advice: &'a str,
}
