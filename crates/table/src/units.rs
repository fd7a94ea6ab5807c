//! The small number types that must not be mixed up.

use std::fmt;

/// The place of a record in its file, from 1, header and other lines included, as a spreadsheet shows it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RowNumber(pub u64);

/// The place of a column in its file, from 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ColumnIndex(pub usize);

/// A record among all records of all source files of a run, in reading order, from 0.
///
/// Headers, empty lines and the like have one too, so that a [`RowNumber`] is this less the file's first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RowId(pub u32);

/// How many records a run can tell apart.
pub const MAX_RECORDS: u64 = u32::MAX as u64 - 1;

/// The most columns that a file may have.
pub const MAX_COLUMNS: usize = 16_384;

/// The place of a source in the job, from 0: the order of trust.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct SourceId(pub u16);

/// The place of a suppression list in the job, from 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ListId(pub u16);

/// The place of a file among the files of a run, from 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FileId(pub u32);

impl RowId {
    /// As an index into what is kept for every record.
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

impl fmt::Display for RowNumber {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}
