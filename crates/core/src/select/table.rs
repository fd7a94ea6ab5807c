//! Conditions on rows that come from no file, by the headers of their columns.

use super::condition::{Condition, Selection, Subject};
use super::plan::{JobFacts, SelectionPlan};
use crate::columns::headers::named_in_error;
use crate::columns::map::ColumnMap;
use crate::suppress::marks::NoNames;
use pebblebank_table::csv::Defusing;
use pebblebank_table::error::closest;
use pebblebank_table::split::RecordBuffer;
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use pebblebank_values::fold::fold;
use std::sync::Arc;

/// A selection, fitted to columns that go by their headers.
pub struct TableSelection {
    plan: SelectionPlan,
    buffer: RecordBuffer,
    cell: CsvBuffer,
}

impl TableSelection {
    /// Fits a selection. Fails where it asks for a column that is not there, or for a list.
    pub fn new(selection: &Selection, headers: &[&str], today: Date) -> Result<TableSelection> {
        check(&selection.condition, headers)?;
        let map = ColumnMap::of_extras(headers.iter().map(|header| (*header).to_owned()).collect());
        let facts = JobFacts { today, country: None, blank_words: &Arc::default(), lists: &NoNames, gives_tags: false };
        let plan = SelectionPlan::new(selection, &map, false, facts);
        Ok(TableSelection { plan, buffer: RecordBuffer::default(), cell: CsvBuffer::new(Defusing::Off) })
    }

    /// Whether a row is meant; `address` is that of the row, where it has one.
    pub fn holds(&mut self, cells: &[&str], address: &str) -> bool {
        self.buffer.clear();
        for text in cells {
            self.cell.clear();
            self.cell.value(text.as_bytes());
            self.buffer.cell(self.cell.bytes.strip_suffix(b",").unwrap_or(&self.cell.bytes));
        }
        self.plan.holds(&self.buffer.record(), address.as_bytes(), &[])
    }
}

fn check(condition: &Condition, headers: &[&str]) -> Result<()> {
    let wrong = |name: &str, what: String| {
        let advice = match closest(name, headers.iter().copied()) {
            Some(near) => format!("did you mean {near}?"),
            None => "ask for one of the columns".to_owned(),
        };
        Err(Error::new(ErrorKind::Job, what, advice)
            .expected(format!("one of {}", named_in_error(headers.iter().copied()))))
    };
    match condition {
        Condition::All(parts) | Condition::Any(parts) => parts.iter().try_for_each(|part| check(part, headers)),
        Condition::Not(part) => check(part, headers),
        Condition::In(name) => wrong(name, format!("there is no list \"{name}\" here")),
        Condition::Column(Subject::Value(column), _)
            if !headers.iter().any(|header| fold(header) == fold(column.name())) =>
        {
            wrong(column.name(), format!("there is no column \"{}\"", column.name()))
        }
        Condition::Column(..) => Ok(()),
    }
}
