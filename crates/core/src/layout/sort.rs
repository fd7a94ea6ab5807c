//! What rows are sorted by: bytes that are in the same order as the values.
//!
//! Fields go by their folded text (small letters without accents), code point by code point; extra columns by number where a value is one, numbers before
//! texts. Blanks come last, whatever the direction. Rows with equal values stay in the order in which they were read.

use super::SortColumn;
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use pebblebank_table::Record;
use pebblebank_table::units::RowId;
use pebblebank_values::ColumnRef;
use pebblebank_values::blank::BlankWords;
use pebblebank_values::fold::fold;
use std::sync::Arc;

/// The columns that rows are sorted by, in one file.
#[derive(Debug, Clone)]
pub struct SortPlan {
    columns: Vec<SortedColumn>,
    blank_words: Arc<BlankWords>,
}

#[derive(Debug, Clone)]
struct SortedColumn {
    source: ValueSource,
    may_be_number: bool,
    is_descending: bool,
}

/// Above all that a value begins with.
const BLANK: u8 = 0xFF;

impl SortPlan {
    /// Fits what is sorted by to the cleaned records of a file.
    pub fn new(sort: &[SortColumn], map: &ColumnMap, is_receipt: bool, blank_words: &Arc<BlankWords>) -> SortPlan {
        let column = |sorted: &SortColumn| SortedColumn {
            source: ValueSource::new(&sorted.column, map, is_receipt),
            may_be_number: matches!(sorted.column, ColumnRef::Extra(_)),
            is_descending: sorted.is_descending,
        };
        SortPlan { columns: sort.iter().map(column).collect(), blank_words: Arc::clone(blank_words) }
    }

    /// Whether rows stay as they were read.
    pub fn is_empty(&self) -> bool {
        self.columns.is_empty()
    }

    /// Adds the bytes of a record to `key`.
    pub fn add_key(&self, record: &Record, address: &[u8], row: RowId, key: &mut Vec<u8>) {
        for column in &self.columns {
            let value = column.source.filled(record, address, &self.blank_words);
            let value = String::from_utf8_lossy(&value);
            if value.is_empty() {
                key.push(BLANK);
                continue;
            }
            let start = key.len();
            match value.trim().parse::<f64>() {
                Ok(number) if column.may_be_number && number.is_finite() => {
                    key.push(1);
                    key.extend_from_slice(&in_order(number).to_be_bytes());
                }
                _ => {
                    key.push(2);
                    key.extend_from_slice(fold(&value).as_bytes());
                    key.push(0);
                }
            }
            if column.is_descending {
                // One more stays below that of blanks.
                key[start..].iter_mut().for_each(|byte| *byte = !*byte);
            }
        }
        key.extend_from_slice(&row.0.to_be_bytes());
    }
}

/// A number's bits in the order of the numbers: those of negative ones turned round (IEEE 754).
fn in_order(number: f64) -> u64 {
    let bits = number.to_bits();
    if bits >> 63 == 1 { !bits } else { bits | 1 << 63 }
}
