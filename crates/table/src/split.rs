//! A chunk's bytes → where its records and cells are.

use crate::record::{RecordEnd, split_record};
use crate::scan::split_regular;
use crate::{Chunk, Dialect, Shape};

/// The places of all cells of one chunk. Reused from chunk to chunk.
#[derive(Debug, Default)]
pub struct Records {
    /// Where each cell ends: the place of the delimiter or line end after it.
    ends: Vec<u32>,
    /// How many cells there are up to the end of each record.
    row_ends: Vec<u32>,
}

impl Records {
    /// Finds the records of a chunk.
    pub fn split(&mut self, chunk: &Chunk, dialect: Dialect) {
        self.ends.clear();
        self.row_ends.clear();
        match chunk.shape {
            Shape::Plain => split_regular(&chunk.bytes, dialect, false, &mut self.ends, &mut self.row_ends),
            Shape::Quoted => split_regular(&chunk.bytes, dialect, true, &mut self.ends, &mut self.row_ends),
            Shape::Unusual => self.split_unusual(&chunk.bytes, dialect),
        }
    }

    fn split_unusual(&mut self, bytes: &[u8], dialect: Dialect) {
        let mut at = 0;
        while at < bytes.len() {
            match split_record(bytes, at, dialect, true, &mut self.ends) {
                RecordEnd::At(next) => at = next,
                RecordEnd::NeedsMore => break,
            }
            self.row_ends.push(self.ends.len() as u32);
        }
    }

    /// How many records there are.
    #[inline]
    pub fn len(&self) -> usize {
        self.row_ends.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.row_ends.is_empty()
    }

    /// The record at `index`, from 0. `bytes` are those that were split.
    #[inline]
    pub fn get<'a>(&'a self, index: usize, bytes: &'a [u8], dialect: Dialect) -> Record<'a> {
        let first = if index == 0 { 0 } else { self.row_ends[index - 1] as usize };
        let start = if first == 0 { 0 } else { self.ends[first - 1] + 1 };
        Record { bytes, start, ends: &self.ends[first..self.row_ends[index] as usize], line_end: dialect.line_end }
    }
}

/// A record that stands in no file: the cells of one with some of them changed.
#[derive(Debug, Default)]
pub struct RecordBuffer {
    bytes: Vec<u8>,
    ends: Vec<u32>,
}

impl RecordBuffer {
    /// Begins anew.
    pub fn clear(&mut self) {
        self.bytes.clear();
        self.ends.clear();
    }

    /// Adds a cell as it would are in a comma-delimited file.
    pub fn cell(&mut self, raw: &[u8]) {
        self.bytes.extend_from_slice(raw);
        self.ends.push(self.bytes.len() as u32);
        self.bytes.push(b',');
    }

    /// The record.
    #[inline]
    pub fn record(&self) -> Record<'_> {
        // Another line end than that of Windows, which a cell may end with.
        Record { bytes: &self.bytes, start: 0, ends: &self.ends, line_end: b',' }
    }
}

/// A cell as it is in the file.
#[derive(Debug, Clone, Copy)]
pub struct RawCell<'a> {
    /// The cell.
    pub bytes: &'a [u8],
    /// The cell's beginning and what follows it in the chunk, where that is long enough.
    pub window: Option<&'a [u8; 32]>,
}

impl RawCell<'static> {
    /// A cell with nothing in it.
    pub const EMPTY: RawCell<'static> = RawCell { bytes: &[], window: None };
}

/// One record of a chunk.
#[derive(Debug, Clone, Copy)]
pub struct Record<'a> {
    bytes: &'a [u8],
    start: u32,
    ends: &'a [u32],
    line_end: u8,
}

impl<'a> Record<'a> {
    /// How many cells it has.
    #[inline]
    pub fn cells(&self) -> usize {
        self.ends.len()
    }

    /// The cell in column `column` as it is in the file; empty where the record is too short.
    #[inline]
    pub fn raw(&self, column: usize) -> &'a [u8] {
        let Some(&end) = self.ends.get(column) else { return &[] };
        let start = if column == 0 { self.start } else { self.ends[column - 1] + 1 };
        let raw = &self.bytes[start as usize..end as usize];
        if column + 1 == self.ends.len() && self.line_end == b'\n' {
            return raw.strip_suffix(b"\r").unwrap_or(raw);
        }
        raw
    }

    /// The same, with what stands behind it in the chunk.
    #[inline]
    pub fn raw_cell(&self, column: usize) -> RawCell<'a> {
        let bytes = self.raw(column);
        let start = match (self.ends.get(column), column) {
            (None, _) => return RawCell { bytes, window: None },
            (_, 0) => self.start,
            _ => self.ends[column - 1] + 1,
        };
        RawCell { bytes, window: self.bytes[start as usize..].first_chunk() }
    }

    /// The whole record as it is in the file, without its line end.
    #[inline]
    pub fn bytes(&self) -> &'a [u8] {
        self.raw_from(0)
    }

    /// All cells, as they are in the file.
    #[inline]
    pub fn raw_cells(&self) -> impl Iterator<Item = &'a [u8]> + use<'a> {
        let record = *self;
        (0..record.ends.len()).map(move |column| record.raw(column))
    }

    /// The bytes from column `column` to the record's end; empty where there is no such column.
    pub fn raw_from(&self, column: usize) -> &'a [u8] {
        let (Some(_), Some(&last)) = (self.ends.get(column), self.ends.last()) else { return &[] };
        let start = if column == 0 { self.start } else { self.ends[column - 1] + 1 };
        let raw = &self.bytes[start as usize..last as usize];
        if self.line_end == b'\n' { raw.strip_suffix(b"\r").unwrap_or(raw) } else { raw }
    }
}
