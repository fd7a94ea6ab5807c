//! A record as it was meant: what the job replaces replaced, its values cleaned.

use crate::clean::replace::{Change, Replaced};
use crate::clean::row::RowCleaner;
use crate::run::decide::fill::Supplied;
use crate::run::open::files::{OpenFile, OpenFiles};
use pebblebank_table::csv::RawCells;
use pebblebank_table::units::{ColumnIndex, SourceId};
use pebblebank_table::{Chunk, Record, Records, Shape};
use pebblebank_values::Doubt;
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::suggest::DomainLooks;
use std::sync::Arc;

/// Which cells of a chunk can be copied without a look at each.
pub(super) enum ChunkCells {
    /// All: they come from a regular comma-delimited chunk.
    All,
    /// Those of records in which nothing would need quotes.
    OfPlainRecords,
    /// None.
    None,
}

impl ChunkCells {
    pub fn of(file: &OpenFile<SourceId>, chunk: &Chunk) -> ChunkCells {
        if file.dialect.line_end != b'\n' {
            return ChunkCells::None;
        }
        let has_lone_return =
            || memchr::memchr_iter(b'\r', &chunk.bytes).any(|at| chunk.bytes.get(at + 1) != Some(&b'\n'));
        let is_ours = file.dialect.delimiter == b',' && chunk.shape != Shape::Unusual;
        if is_ours && !has_lone_return() { ChunkCells::All } else { ChunkCells::OfPlainRecords }
    }

    #[inline]
    pub fn in_record(&self, record: &Record) -> RawCells {
        let fits = match self {
            ChunkCells::All => true,
            ChunkCells::OfPlainRecords => memchr::memchr3(b',', b'"', b'\r', record.bytes()).is_none(),
            ChunkCells::None => false,
        };
        if fits { RawCells::FitAsTheyAre } else { RawCells::NeedALook }
    }
}

/// What a thread reuses from chunk to chunk.
#[derive(Default)]
pub(super) struct Scratch {
    pub records: Records,
    pub cleaner: AddressCleaner,
    pub replaced: Replaced,
    pub values: RowCleaner,
    pub domains: DomainLooks,
    pub supplied: Supplied,
}

impl Scratch {
    pub fn new(files: &OpenFiles) -> Scratch {
        let (cleaner, values) =
            (AddressCleaner::with(Arc::clone(&files.addresses)), RowCleaner::with(Arc::clone(&files.addresses)));
        Scratch { cleaner, values, ..Scratch::default() }
    }
}

/// A record as it was meant, before it is laid out.
pub(super) struct Meant<'a> {
    pub record: Record<'a>,
    pub cells: RawCells,
    pub replaced: &'a [Change],
    /// What was cleaned in it, if it may be written.
    pub values: Option<&'a RowCleaner>,
}

impl Meant<'_> {
    /// What could not be cleaned in it, or looks like something else.
    pub fn doubts(&self) -> &[(ColumnIndex, Doubt)] {
        self.values.map_or(&[], RowCleaner::doubts)
    }
}
