//! What keeps a file from being imported, and how it differs from what a run wrote.

use pebblebank_table::observe::Met;
use schemars::JsonSchema;
use serde::Serialize;

/// What kind of thing keeps a file from being imported, gravest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, JsonSchema, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Somebody in it must not be contacted today.
    MustNotBeContacted,
    /// The columns are not those of the layout.
    Columns,
    /// An address is blank, or none that mail could be sent to.
    Address,
    /// A person stands in it more than once.
    Duplicate,
    /// A value does not fit the layout.
    Value,
    /// A value was spoiled by a spreadsheet, or lost characters.
    Spoiled,
    /// A spreadsheet would run a value as a formula.
    Formula,
    /// The file as text is not what the layout says.
    Form,
}

/// Something that keeps a file from being imported.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct Problem {
    /// The kind.
    pub kind: Kind,
    /// The stable short name: a reason, or the name of a finding.
    pub code: String,
    /// What was found.
    pub text: String,
    /// The column, where it is about one.
    pub column: Option<String>,
    /// In how many rows; 0 where it is about the file.
    pub rows: u64,
    /// The first of them.
    pub examples: Vec<u64>,
}

impl Problem {
    /// Something about the whole file.
    pub(super) fn of_file(kind: Kind, code: &str, text: String) -> Problem {
        Problem { kind, code: code.to_owned(), text, column: None, rows: 0, examples: Vec::new() }
    }

    /// Something about some rows.
    pub(super) fn of_rows(kind: Kind, code: &str, text: impl Into<String>, column: Option<&str>, met: &Met) -> Problem {
        Problem {
            kind,
            code: code.to_owned(),
            text: text.into(),
            column: column.map(str::to_owned),
            rows: met.count,
            examples: met.rows.iter().map(|row| row.0).collect(),
        }
    }
}

/// How a file differs from what a run wrote.
#[derive(Debug, Clone, Copy, PartialEq, Eq, JsonSchema, Serialize)]
pub struct Since {
    /// How many contacts the run wrote.
    pub written: u64,
    /// How many contacts the file has.
    pub rows: u64,
    /// Rows whose address the run did not write.
    pub added: u64,
    /// The other rows, as far as their cells are not those that the run wrote; none where its receipt does not tell.
    pub changed: Option<u64>,
    /// The first of them.
    pub first_changed: Option<u64>,
    /// Addresses that the run wrote and that are no longer there.
    pub missing: u64,
}
