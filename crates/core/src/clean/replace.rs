//! Find and replace, as a job says it: in one column, before anything else is done with the value.

use crate::columns::map::ColumnMap;
use pebblebank_table::split::RecordBuffer;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::unseen::is_unseen;
use pebblebank_table::{CsvBuffer, Record, cell};
use pebblebank_values::{ColumnRef, Field};

/// What is looked for in a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Find {
    /// The whole value, whatever its letter case and the blanks around it.
    Whole(String),
    /// Every place in the value where this text stands.
    Part(String),
    /// A whole value that fits a pattern: `*` stands for any letters, `?` for one.
    Pattern(glob::Pattern),
}

/// One replacement.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Replacement {
    /// The field or column.
    pub column: ColumnRef,
    /// What is looked for.
    pub find: Find,
    /// What comes in its place.
    pub with: String,
}

impl Replacement {
    /// The value after the replacement; none where it is not found, or where nothing would change.
    pub fn applied(&self, value: &str) -> Option<String> {
        let shown = value.trim_matches(is_unseen);
        let options = glob::MatchOptions { case_sensitive: false, ..glob::MatchOptions::default() };
        let replaced = match &self.find {
            Find::Whole(text) => (shown.to_lowercase() == text.to_lowercase()).then(|| self.with.clone())?,
            Find::Pattern(pattern) => pattern.matches_with(shown, options).then(|| self.with.clone())?,
            Find::Part(text) => value.contains(text.as_str()).then(|| value.replace(text.as_str(), &self.with))?,
        };
        (replaced != value).then_some(replaced)
    }

    /// What is looked for, in quotes.
    pub fn wanted(&self) -> String {
        match &self.find {
            Find::Whole(text) | Find::Part(text) => format!("\"{text}\""),
            Find::Pattern(pattern) => format!("\"{pattern}\""),
        }
    }
}

/// A change that a replacement made: its number in the job, the column, the value before and after.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// The replacement's place in the job.
    pub replacement: usize,
    /// Where.
    pub column: ColumnIndex,
    /// The value before.
    pub before: String,
    /// The value after.
    pub after: String,
}

/// The replacements of a job, fitted to one file.
#[derive(Debug, Clone, Default)]
pub struct ReplacementPlan {
    columns: Vec<(ColumnIndex, usize, Replacement)>,
}

/// What the replacements need from record to record.
#[derive(Debug, Default)]
pub struct Replaced {
    buffer: RecordBuffer,
    cell: CsvBuffer,
    /// What was changed in the record.
    pub changes: Vec<Change>,
}

impl ReplacementPlan {
    /// Fits replacements to a file with these columns.
    pub fn new(replacements: &[Replacement], map: &ColumnMap) -> ReplacementPlan {
        let mut columns = Vec::new();
        for (number, replacement) in replacements.iter().enumerate() {
            let in_columns = columns_of(&replacement.column, map);
            columns.extend(in_columns.into_iter().map(|column| (column, number, replacement.clone())));
        }
        ReplacementPlan { columns }
    }

    /// Whether there is nothing to replace in the file.
    pub fn is_empty(&self) -> bool {
        self.columns.is_empty()
    }

    /// Does all replacements in a record, one after the other.
    pub fn apply(&self, record: &Record, replaced: &mut Replaced) {
        replaced.changes.clear();
        for (column, number, replacement) in &self.columns {
            let earlier = replaced.changes.iter().rev().find(|change| change.column == *column);
            let before = match earlier {
                Some(change) => change.after.clone(),
                None => cell::text(record.raw(column.0)).into_owned(),
            };
            if let Some(after) = replacement.applied(&before) {
                replaced.changes.push(Change { replacement: *number, column: *column, before, after });
            }
        }
        if replaced.changes.is_empty() {
            return;
        }
        replaced.buffer.clear();
        for column in 0..record.cells() {
            match replaced.changes.iter().rev().find(|change| change.column.0 == column) {
                Some(change) => {
                    replaced.cell.clear();
                    replaced.cell.value(change.after.as_bytes());
                    let cell = &replaced.cell.bytes;
                    replaced.buffer.cell(cell.strip_suffix(b",").unwrap_or(cell));
                }
                None => replaced.buffer.cell(record.raw(column)),
            }
        }
    }
}

impl Replaced {
    /// The record after the replacements that were done last; itself where none applied.
    pub fn after<'a>(&'a self, record: &Record<'a>) -> Record<'a> {
        if self.changes.is_empty() { *record } else { self.buffer.record() }
    }
}

/// Where a field or column is: its first and its second choice.
pub fn columns_of(wanted: &ColumnRef, map: &ColumnMap) -> Vec<ColumnIndex> {
    match wanted {
        ColumnRef::Field(Field::Email) => {
            map.column(Field::Email).into_iter().chain(map.further_addresses.iter().copied()).collect()
        }
        ColumnRef::Field(field) => map.column(*field).into_iter().chain(map.second_choice(*field)).collect(),
        ColumnRef::Extra(extra) => map.headers.column(&extra.folded).into_iter().collect(),
    }
}
