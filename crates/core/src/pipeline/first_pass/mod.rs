//! The first pass: read, map, clean. Every row leaves its kind, its keys and its marks; no value is kept.

mod lists;
mod sources;

pub use lists::read_lists;
pub(in crate::pipeline) use lists::{Entries, EntryScratch, ListPlan, read_list_chunk};
pub use sources::read_sources;

use crate::columns::{ColumnMap, Field};
use crate::pipeline::counts::Problem;
use crate::pipeline::open::OpenFile;
use crate::read::dialect::QUOTE;
use crate::read::{Chunk, Line, Record, Records, cell};
use std::borrow::Cow;

/// A file that turned out not to be in the encoding that it began in, by its place among the files of its kind.
#[derive(Debug, Clone, Copy)]
pub enum NotText {
    /// Among the lists.
    List(usize),
    /// Among the sources.
    Source(usize),
}

/// A record above the first contact, by its place in the file's first chunk.
pub(crate) fn line_above<Owner>(file: &OpenFile<Owner>, chunk: &Chunk, index: usize) -> Option<Line> {
    let above = file.table.records_above as usize;
    if !chunk.is_first || index >= above {
        return None;
    }
    Some(if file.table.has_header && index + 1 == above { Line::Header } else { Line::Title })
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

/// The value of the address column; empty where there is none.
pub(crate) fn address_value<'a>(map: &ColumnMap, record: &Record<'a>) -> Cow<'a, [u8]> {
    map.column(Field::Email).map_or(Cow::default(), |column| cell::value(record.raw(column.0)))
}
