//! What cleans records keeps from one to the next: its buffers, what it remembers, and what it says of the record that was
//! cleaned last. The cleaning itself is in [`super::record`].

use super::double_encoded::{DecodedRecord, TextRepair};
use crate::clean::known_words::KnownWords;
use pebblebank_table::split::RecordBuffer;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{CsvBuffer, Record, cell};
use pebblebank_values::address::{AddressCleaner, AddressWishes};
use pebblebank_values::place::Country;
use pebblebank_values::quick_map::QuickMap;
use pebblebank_values::{Doubt, Rules};
use std::borrow::Cow;
use std::ops::Range;
use std::sync::Arc;

/// A repair of one cell.
#[derive(Debug, Clone)]
pub struct CellRepair {
    /// Where.
    pub column: ColumnIndex,
    /// What was done.
    pub rules: Rules,
    before: Range<usize>,
    pub(super) after: Range<usize>,
}

/// Cleans records, one after the other. Keeps its buffers from record to record.
#[derive(Debug, Default)]
pub struct RowCleaner {
    pub(super) decoded: DecodedRecord,
    pub(super) is_decoded: bool,
    pub(super) record: RecordBuffer,
    pub(super) cell: CsvBuffer,
    /// The texts of the repairs, before and after.
    pub(super) texts: String,
    pub(super) repairs: Vec<CellRepair>,
    pub(super) doubts: Vec<(ColumnIndex, Doubt)>,
    pub(super) out: String,
    /// What one kind of value makes of a text.
    pub(super) value: String,
    pub(super) known_countries: QuickMap<Vec<u8>, Option<Country>>,
    pub(super) known_words: KnownWords,
    pub(super) addresses: AddressCleaner,
    pub(super) is_changed: bool,
}

impl RowCleaner {
    /// A cleaner for a job, which says how further addresses are cleaned.
    pub fn with(addresses: Arc<AddressWishes>) -> RowCleaner {
        RowCleaner { addresses: AddressCleaner::with(addresses), ..RowCleaner::default() }
    }

    /// What was repaired in the record that was cleaned last, by column.
    pub fn repairs(&self) -> impl Iterator<Item = (ColumnIndex, Rules, &str, &str)> {
        self.repairs.iter().map(|repair| {
            (repair.column, repair.rules, &self.texts[repair.before.clone()], &self.texts[repair.after.clone()])
        })
    }

    /// What is doubtful in it.
    pub fn doubts(&self) -> &[(ColumnIndex, Doubt)] {
        &self.doubts
    }

    /// Whether anything was changed or added.
    pub fn is_changed(&self) -> bool {
        self.is_changed
    }

    /// What was put right in it that had been decoded wrongly.
    pub fn decoded(&self) -> &[TextRepair] {
        if self.is_decoded { self.decoded.repairs() } else { &[] }
    }

    /// The record that was cleaned last, cleaned; itself where nothing was changed or added.
    pub fn after<'a>(&'a self, record: &Record<'a>) -> Record<'a> {
        match (self.is_changed, self.is_decoded) {
            (true, _) => self.record.record(),
            (false, true) => self.decoded.record(),
            (false, false) => *record,
        }
    }

    /// Notes a change of a cell.
    pub(super) fn change(&mut self, column: ColumnIndex, rules: Rules, before: &str, after: &str) {
        note_change(&mut self.texts, &mut self.repairs, column, rules, (before, after));
    }

    /// The value of a cell after the changes so far.
    pub(super) fn value<'a>(&'a self, record: &Record<'a>, column: ColumnIndex) -> Cow<'a, str> {
        match self.repairs.iter().rev().find(|repair| repair.column == column) {
            Some(repair) => Cow::Borrowed(&self.texts[repair.after.clone()]),
            None => cell::text(record.raw(column.0)),
        }
    }
}

/// The tag of contacts with a role address.
pub const ROLE_TAG: &str = "role-address";

pub(super) fn note_change(
    texts: &mut String,
    repairs: &mut Vec<CellRepair>,
    column: ColumnIndex,
    rules: Rules,
    (before, after): (&str, &str),
) {
    let start = texts.len();
    texts.push_str(before);
    let middle = texts.len();
    texts.push_str(after);
    repairs.push(CellRepair { column, rules, before: start..middle, after: middle..texts.len() });
}
