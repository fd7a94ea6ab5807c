//! The supplied columns in the cleaned records of one file.

use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::layout::receipt::AllColumns;
use crate::run::decide::supply::{Supply, SupplyKind};
use pebblebank_table::split::RecordBuffer;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{CsvBuffer, Record};
use pebblebank_values::blank::BlankWords;
use std::sync::Arc;

/// The supplied columns in the cleaned records of one file.
#[derive(Debug)]
pub struct SuppliedColumns {
    places: Vec<Option<ColumnIndex>>,
    sources: Vec<ValueSource>,
    blank_words: Arc<BlankWords>,
}

impl SuppliedColumns {
    /// Fits them to a file.
    pub fn new(
        columns: &AllColumns,
        map: &ColumnMap,
        is_receipt: bool,
        blank_words: &Arc<BlankWords>,
    ) -> SuppliedColumns {
        let sources: Vec<ValueSource> =
            columns.columns.iter().map(|column| ValueSource::new(column, map, is_receipt)).collect();
        let places = sources.iter().map(|source| source.columns().next()).collect();
        SuppliedColumns { places, sources, blank_words: Arc::clone(blank_words) }
    }
}

/// Records with what they are given put in. Keeps its buffers from record to record.
#[derive(Debug, Default)]
pub struct Supplied {
    buffer: RecordBuffer,
    cell: CsvBuffer,
    changes: Vec<(ColumnIndex, Vec<u8>)>,
}

impl Supplied {
    /// The record with the values of `supplies`, which are all its own.
    pub fn apply<'a>(
        &'a mut self,
        record: &Record<'a>,
        address: &[u8],
        supplies: &[Supply],
        columns: &SuppliedColumns,
    ) -> Record<'a> {
        self.changes.clear();
        for supply in supplies.iter().filter(|supply| supply.kind != SupplyKind::TakenFrom) {
            for (place, value) in supply.cells() {
                let Some(column) = columns.places[place] else { continue };
                let is_given = self.changes.iter().any(|(known, _)| *known == column);
                let is_blank = || columns.sources[place].filled(record, address, &columns.blank_words).is_empty();
                if !is_given && (supply.kind == SupplyKind::Filled || is_blank()) {
                    self.changes.push((column, value.to_vec()));
                }
            }
        }
        if self.changes.is_empty() {
            return *record;
        }
        self.buffer.clear();
        let last = self.changes.iter().map(|(column, _)| column.0 + 1).max().unwrap_or_default();
        for column in 0..record.cells().max(last) {
            match self.changes.iter().find(|(changed, _)| changed.0 == column) {
                Some((_, value)) => {
                    self.cell.clear();
                    self.cell.value(value);
                    self.buffer.cell(self.cell.bytes.strip_suffix(b",").unwrap_or(&self.cell.bytes));
                }
                None => self.buffer.cell(record.raw(column)),
            }
        }
        self.buffer.record()
    }
}
