//! The first records of a file, from which its shape and its columns are recognised.

use pebblebank_table::record::{RecordEnd, split_record};
use pebblebank_table::{Chunk, Dialect, Records, Shape, cell};

/// How many records from the top may come before the header.
pub const HEADER_IS_WITHIN: usize = 30;

/// How many records of the sample are looked at to judge a column by its values.
pub const RECORDS_JUDGED: usize = 1_000;

/// More bytes than most records have.
const LIKELY_RECORD: usize = 512;

/// The records of a sample that are complete.
pub struct SampleRecords {
    chunk: Chunk,
    records: Records,
    dialect: Dialect,
}

impl SampleRecords {
    /// Splits a sample; `is_whole` where the file ends with it.
    pub fn new(sample: &[u8], dialect: Dialect, is_whole: bool) -> SampleRecords {
        let mut bytes = sample[..sample.len().min(RECORDS_JUDGED * LIKELY_RECORD)].to_vec();
        let is_whole = is_whole && bytes.len() == sample.len();
        if is_whole && bytes.last().is_some_and(|last| *last != dialect.line_end) {
            bytes.push(dialect.line_end);
        }
        let mut used = 0;
        let mut ends = Vec::new();
        let mut left = HEADER_IS_WITHIN + RECORDS_JUDGED;
        while used < bytes.len() && left > 0 {
            let RecordEnd::At(next) = split_record(&bytes, used, dialect, is_whole, &mut ends) else { break };
            used = next;
            left -= 1;
        }
        bytes.truncate(used);
        let chunk = Chunk { bytes, shape: Shape::Unusual, is_first: true };
        let mut records = Records::default();
        records.split(&chunk, dialect);
        SampleRecords { chunk, records, dialect }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.records.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.records.is_empty()
    }

    /// About how many records a file of this many bytes has, if it goes on like this.
    pub fn estimate(&self, file_bytes: u64) -> u64 {
        let sampled = self.chunk.bytes.len() as u64;
        (self.len() as u64 * file_bytes).checked_div(sampled).unwrap_or_default()
    }

    /// How many cells a record has, blank ones included.
    pub fn cells(&self, index: usize) -> usize {
        self.records.get(index, &self.chunk.bytes, self.dialect).cells()
    }

    /// The values of a record.
    pub fn values(&self, index: usize) -> Vec<String> {
        let record = self.records.get(index, &self.chunk.bytes, self.dialect);
        record.raw_cells().map(|raw| cell::text(raw).into_owned()).collect()
    }

    /// All values of a column, blank ones included, from record `first` on.
    pub fn all_of_column(&self, column: usize, first: u64) -> impl Iterator<Item = String> + '_ {
        (first as usize..self.len().min(first as usize + RECORDS_JUDGED)).filter_map(move |index| {
            let record = self.records.get(index, &self.chunk.bytes, self.dialect);
            let is_row = !record.raw_cells().all(cell::is_empty);
            is_row.then(|| cell::text(record.raw(column)).into_owned())
        })
    }

    /// The filled values of a column, from record `first` on.
    pub fn column(&self, column: usize, first: u64) -> impl Iterator<Item = String> + '_ {
        (first as usize..self.len().min(first as usize + RECORDS_JUDGED)).filter_map(move |index| {
            let record = self.records.get(index, &self.chunk.bytes, self.dialect);
            let raw = record.raw(column);
            (!cell::is_empty(raw)).then(|| cell::text(raw).into_owned())
        })
    }
}
