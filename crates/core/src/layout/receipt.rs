//! The receipt: what is in its files, column by column.

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

/// Whether a file with these headers comes from the receipt of an earlier run.
///
/// Most receipt files begin with a column of the receipt. Rows that were set aside or merged end with these columns;
/// both have the file and the row of origin, which no other file of Pebblebank has.
pub fn is_receipt(headers: &[String]) -> bool {
    let has = |name: &str| headers.iter().any(|header| header == name);
    headers.first().is_some_and(|first| first.starts_with(RESERVED_PREFIX))
        || (has("pebblebank_file") && has("pebblebank_row"))
}

/// The columns of all sources together: known fields in their order, then extra columns in reading order.
#[derive(Debug, Clone, Default)]
pub struct AllColumns {
    /// The columns.
    pub columns: Vec<ColumnRef>,
    /// Whether some row has more cells than its header.
    pub has_surplus: bool,
    /// The columns as all files have them, where their headers are the same: rows can be pasted back into the file.
    shared: Option<Vec<(ColumnIndex, String)>>,
}

impl AllColumns {
    /// The columns of files with these maps.
    pub fn of<'a>(maps: impl Iterator<Item = &'a ColumnMap> + Clone) -> AllColumns {
        let known = Field::ALL.into_iter().filter(|field| maps.clone().any(|map| map.column(*field).is_some()));
        let mut columns: Vec<ColumnRef> = known.map(ColumnRef::Field).collect();
        let shared = shared_columns(maps.clone());
        let mut seen = std::collections::HashSet::new();
        for map in maps {
            for column in map.extras.iter().chain(&map.further_addresses) {
                let extra = ColumnRef::Extra(extra_column(map, *column));
                if seen.insert(extra.clone()) {
                    columns.push(extra);
                }
            }
        }
        AllColumns { columns, has_surplus: false, shared }
    }

    /// The header of a receipt file whose rows begin with the receipt's `own` columns, then have a value for each of
    /// these.
    pub fn header(&self, own: &[&str]) -> Vec<u8> {
        let names = self.columns.iter().map(ColumnRef::name);
        header_line(own.iter().copied().chain(names).chain(self.surplus()))
    }

    /// The header of a receipt file whose rows begin with [`OriginalValues`] and end with the receipt's `own` columns.
    pub fn header_of_originals(&self, own: &[&str]) -> Vec<u8> {
        header_line(self.names_of_originals().chain(own.iter().copied()))
    }

    /// The names of the columns of [`OriginalValues`].
    pub fn names_of_originals(&self) -> impl Iterator<Item = &str> {
        let shared = self.shared.iter().flatten().map(|(_, header)| header.as_str());
        let together = self.columns.iter().map(ColumnRef::name).filter(|_| self.shared.is_none());
        shared.chain(together).chain(self.surplus())
    }

    fn surplus(&self) -> Option<&'static str> {
        self.has_surplus.then_some(SURPLUS)
    }
}

/// A header line with these names.
pub fn header_line<'a>(names: impl Iterator<Item = &'a str>) -> Vec<u8> {
    let mut header = CsvBuffer::new(Defusing::On);
    names.for_each(|name| header.value(name.as_bytes()));
    header.end_row();
    header.bytes
}

/// The columns of files that all have the same headers; without those of an earlier receipt.
fn shared_columns<'a>(mut maps: impl Iterator<Item = &'a ColumnMap>) -> Option<Vec<(ColumnIndex, String)>> {
    let headers = &maps.next()?.headers;
    let columns = headers.iter().enumerate().filter(|(_, header)| !header.starts_with(RESERVED_PREFIX));
    let columns = columns.map(|(column, header)| (ColumnIndex(column), header.clone())).collect();
    maps.all(|map| map.headers.iter().eq(headers.iter())).then_some(columns)
}

/// An extra column as it is named across files.
fn extra_column(map: &ColumnMap, column: ColumnIndex) -> ExtraColumn {
    let header = map.header(column).to_owned();
    let folded = pebblebank_values::fold::fold(&header);
    ExtraColumn { header, folded }
}

/// The columns of one file as they were read: in the file's own order where all files have the same headers, otherwise in
/// that of [`AllColumns`].
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
        let columns = match &all.shared {
            Some(shared) => shared.iter().map(|(column, _)| Some(*column)).collect(),
            None => all.columns.iter().map(place).collect(),
        };
        OriginalValues { columns, width: map.width(), has_surplus: all.has_surplus }
    }

    /// Adds the cells of a record; the row goes on.
    pub fn write(&self, record: &Record, cells: RawCells, out: &mut CsvBuffer) {
        for column in &self.columns {
            out.raw(column.map_or(RawCell::EMPTY, |column| record.raw_cell(column.0)), cells);
        }
        if self.has_surplus {
            out.value(record.raw_from(self.width));
        }
    }
}
