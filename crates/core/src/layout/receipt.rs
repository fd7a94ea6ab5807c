//! The receipt: what stands in its files, column by column.

use crate::columns::map::ColumnMap;
use pebblebank_table::csv::{Defusing, RawCells};
use pebblebank_table::split::RawCell;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{CsvBuffer, Record};
use pebblebank_values::headers::RESERVED_PREFIX;
use pebblebank_values::{ColumnRef, ExtraColumn, Field};
use std::collections::HashMap;

/// The receipt's own columns of the rows set aside.
pub const SET_ASIDE: [&str; 5] =
    ["pebblebank_reason", "pebblebank_details", "pebblebank_source", "pebblebank_file", "pebblebank_row"];

/// The receipt's own columns of the merged rows.
pub const MERGED: [&str; 8] = [
    "pebblebank_key",
    "pebblebank_source",
    "pebblebank_file",
    "pebblebank_row",
    "pebblebank_survivor_source",
    "pebblebank_survivor_file",
    "pebblebank_survivor_row",
    "pebblebank_taken",
];

/// The columns of the groups of rows that are one person each.
pub const GROUPS: [&str; 6] = [
    "pebblebank_group",
    "pebblebank_survives",
    "pebblebank_key",
    "pebblebank_source",
    "pebblebank_file",
    "pebblebank_row",
];

/// The columns of the list of values in which the rows of a person differ.
pub const CONFLICTS: [&str; 9] = [
    "pebblebank_field",
    "pebblebank_kept",
    "pebblebank_source",
    "pebblebank_file",
    "pebblebank_row",
    "pebblebank_other",
    "pebblebank_other_source",
    "pebblebank_other_file",
    "pebblebank_other_row",
];

/// The columns of the list of repairs.
pub const REPAIRS: [&str; 7] = [
    "pebblebank_rule",
    "pebblebank_source",
    "pebblebank_file",
    "pebblebank_row",
    "pebblebank_field",
    "pebblebank_before",
    "pebblebank_after",
];

/// The columns of the list of suggested repairs, as of repairs.
pub const SUGGESTIONS: [&str; 7] = REPAIRS;

/// What holds the cells of rows that are longer than their header.
pub const SURPLUS: &str = "pebblebank_surplus";

/// Whether a file with these headers was written aside by an earlier run.
pub fn is_receipt(headers: &[String]) -> bool {
    headers.first().is_some_and(|first| first.starts_with(RESERVED_PREFIX))
}

/// The columns of all sources together: known fields in their order, then extra columns in reading order.
#[derive(Debug, Clone, Default)]
pub struct AllColumns {
    /// The columns.
    pub columns: Vec<ColumnRef>,
    /// Whether some row has more cells than its header.
    pub has_surplus: bool,
}

impl AllColumns {
    /// The columns of files with these maps.
    pub fn of<'a>(maps: impl Iterator<Item = &'a ColumnMap> + Clone) -> AllColumns {
        let known = Field::ALL.into_iter().filter(|field| maps.clone().any(|map| map.column(*field).is_some()));
        let mut columns: Vec<ColumnRef> = known.map(ColumnRef::Field).collect();
        let mut seen = std::collections::HashSet::new();
        for map in maps {
            for column in map.extras.iter().chain(&map.further_addresses) {
                let extra = ColumnRef::Extra(extra_column(map, *column));
                if seen.insert(extra.clone()) {
                    columns.push(extra);
                }
            }
        }
        AllColumns { columns, has_surplus: false }
    }

    /// The header of a receipt file: its own columns, then these.
    pub fn header(&self, own: &[&str]) -> Vec<u8> {
        let mut header = CsvBuffer::new(Defusing::On);
        for name in own.iter().copied().chain(self.columns.iter().map(ColumnRef::name)) {
            header.value(name.as_bytes());
        }
        if self.has_surplus {
            header.value(SURPLUS.as_bytes());
        }
        header.end_row();
        header.bytes
    }
}

/// An extra column as it is named across files.
fn extra_column(map: &ColumnMap, column: ColumnIndex) -> ExtraColumn {
    let header = map.header(column).to_owned();
    let folded = pebblebank_values::fold::fold(&header);
    ExtraColumn { header, folded }
}

/// The columns of all sources, fitted to one file: original values, as they were read.
#[derive(Debug, Clone)]
pub struct OriginalValues {
    columns: Vec<Option<ColumnIndex>>,
    width: usize,
    has_surplus: bool,
}

impl OriginalValues {
    /// Fits the columns to a file.
    pub fn new(all: &AllColumns, map: &ColumnMap) -> OriginalValues {
        let mut extras = HashMap::new();
        for column in map.extras.iter().chain(&map.further_addresses) {
            extras.entry(extra_column(map, *column)).or_insert(*column);
        }
        let place = |column: &ColumnRef| match column {
            ColumnRef::Field(field) => map.column(*field),
            ColumnRef::Extra(extra) => extras.get(extra).copied(),
        };
        OriginalValues {
            columns: all.columns.iter().map(place).collect(),
            width: map.width(),
            has_surplus: all.has_surplus,
        }
    }

    /// Adds the cells of a record and ends the row.
    pub fn write(&self, record: &Record, cells: RawCells, out: &mut CsvBuffer) {
        for column in &self.columns {
            out.raw(column.map_or(RawCell::EMPTY, |column| record.raw_cell(column.0)), cells);
        }
        if self.has_surplus {
            out.value(record.raw_from(self.width));
        }
        out.end_row();
    }
}
