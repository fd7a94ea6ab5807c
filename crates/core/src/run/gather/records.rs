//! What the first and the second pass both ask of a record.

use crate::columns::lines::Line;
use crate::run::gather::counts::Problem;
use crate::run::open::files::OpenFile;
use pebblebank_table::dialect::QUOTE;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Chunk, Record, Records, cell};
use pebblebank_values::{Field, look};
/// A file that turned out not to be in the encoding that it began in, by its place among the files of its kind.
#[derive(Debug, Clone, Copy)]
pub enum NotText {
    /// Among the lists.
    List(usize),
    /// Among the sources.
    Source(usize),
}

/// What a record at the top of a file is, by its place in the file's first chunk; none where its own content decides.
pub(crate) fn line_above<Owner>(file: &OpenFile<Owner>, chunk: &Chunk, index: usize) -> Option<Line> {
    let line = if chunk.is_first { file.table.above.get(index).copied() } else { None };
    line.filter(|line| !line.is_row())
}

/// Whether a record is a remark above or below the table that holds an address: it is read, so that what it says of that
/// address counts, and never written.
pub(crate) fn is_unreadable<Owner>(file: &OpenFile<Owner>, chunk: &Chunk, index: usize, record: &Record) -> bool {
    if chunk.is_first && file.table.above.get(index) == Some(&Line::Unreadable) {
        return true;
    }
    let map = file.map();
    let first = ColumnIndex(0);
    map.width() > 1
        && map.column(Field::Email) != Some(first)
        && !map.further_addresses.contains(&first)
        && record.raw_cells().skip(1).all(cell::is_empty)
        && look::holds_address(&cell::text(record.raw(0)))
}

/// The first row that is not UTF-8.
pub(crate) fn not_text<Owner>(file: &OpenFile<Owner>, chunk: &Chunk, records: &Records) -> Option<Problem> {
    if simdutf8::basic::from_utf8(&chunk.bytes).is_ok() {
        return None;
    }
    let is_bad = |index: &usize| {
        let record = records.get(*index, &chunk.bytes, file.dialect);
        record.raw_cells().any(|raw| simdutf8::basic::from_utf8(raw).is_err())
    };
    let row = (0..records.len()).find(is_bad).unwrap_or_default() as u32;
    Some(Problem::NotText { row })
}

/// Whether a cell begins with a quote that is never closed.
pub(crate) fn has_open_quote(record: &Record) -> bool {
    let is_open = |raw: &[u8]| raw.first() == Some(&QUOTE) && memchr::memchr(QUOTE, &raw[1..]).is_none();
    record.raw_cells().any(is_open)
}

/// What the bytes of a chunk must still be when they are read again.
pub(crate) fn checksum(chunk: &Chunk) -> u64 {
    xxhash_rust::xxh3::xxh3_64(&chunk.bytes)
}
