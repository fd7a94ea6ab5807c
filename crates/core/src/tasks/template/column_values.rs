//! The values of a template's columns, as far as they are needed to see in which form they are written.

use crate::columns::lines::Line;
use crate::run::gather::chunks::Reading;
use crate::run::gather::records::{line_above, not_text};
use crate::run::open::files::OpenFile;
use pebblebank_table::dialect::QUOTE;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::{Record, Records, Result, cell};

/// How many cells are looked at; their form does not change further down.
const MOST_CELLS: usize = 200_000;

/// How many rows are looked at.
const MOST_ROWS: u64 = 5_000;

/// What was seen of a template's rows.
#[derive(Debug, Default)]
pub(super) struct ColumnValues {
    /// How many rows were looked at.
    pub rows: u64,
    /// Whether every cell stood in quotes, the header's included.
    pub all_are_quoted: bool,
    /// Whether there was no character beyond ASCII.
    pub is_ascii: bool,
    columns: Vec<OneColumn>,
}

/// The values of one column.
#[derive(Debug, Default, Clone)]
pub(super) struct OneColumn {
    /// The filled values, trimmed.
    pub filled: Vec<String>,
    rows: u64,
}

impl OneColumn {
    /// A column of these values alone.
    #[cfg(test)]
    pub fn of(values: &[&str]) -> OneColumn {
        OneColumn { filled: values.iter().map(|value| (*value).to_owned()).collect(), rows: values.len() as u64 }
    }

    /// The value that each of several rows has.
    pub fn only_value(&self) -> Option<&str> {
        let first = self.filled.first()?;
        let is_everywhere = self.rows > 1 && self.filled.len() as u64 == self.rows;
        (is_everywhere && self.filled.iter().all(|value| value == first)).then_some(first)
    }
}

impl ColumnValues {
    /// Those of a column.
    pub fn of(&self, column: usize) -> &OneColumn {
        &self.columns[column]
    }

    fn take(&mut self, record: &Record) {
        self.rows += 1;
        for (place, column) in self.columns.iter_mut().enumerate() {
            column.rows += 1;
            let text = cell::text(record.raw(place));
            let value = text.trim();
            if !value.is_empty() {
                column.filled.push(value.to_owned());
            }
        }
    }
}

/// Reads the first rows of a template.
pub(super) fn read(file: &OpenFile<()>, observer: &dyn Observer) -> Result<ColumnValues> {
    let width = file.table.headers.len();
    let most_rows = MOST_ROWS.min((MOST_CELLS / width.max(1)) as u64 + 1);
    let mut values = ColumnValues {
        columns: vec![OneColumn::default(); width],
        all_are_quoted: true,
        is_ascii: true,
        ..ColumnValues::default()
    };
    let mut reading = Reading::new(std::slice::from_ref(file), Stage::Reading, observer);
    let mut records = Records::default();
    let mut above = 0;
    while let Some(job) = reading.next()? {
        records.split(&job.chunk, file.dialect);
        if let Some(problem) = not_text(file, &job.chunk, &records) {
            return Err(problem.at(file, above));
        }
        above += records.len() as u64;
        values.is_ascii &= job.chunk.bytes.is_ascii();
        for index in 0..records.len() {
            let record = records.get(index, &job.chunk.bytes, file.dialect);
            let line = line_above(file, &job.chunk, index).unwrap_or_else(|| file.judge(&record));
            if line == Line::Header || line == Line::Contact {
                values.all_are_quoted &= record.raw_cells().all(|raw| raw.first() == Some(&QUOTE));
            }
            if line == Line::Contact {
                values.take(&record);
            }
        }
        job.give_back();
        if values.rows >= most_rows {
            break;
        }
    }
    Ok(values)
}
