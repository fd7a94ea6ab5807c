//! A contact as it is laid out, and which of its cells can be copied as they are.

use crate::run::contact::{Contact, ContactReader};
use crate::run::decide::supplied::Supplied;
use crate::run::open::files::{OpenFile, OpenFiles};
use pebblebank_table::csv::RawCells;
use pebblebank_table::units::SourceId;
use pebblebank_table::{Chunk, Record, Records, Shape};
use pebblebank_values::suggest::DomainLooks;

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
    pub contacts: ContactReader,
    pub domains: DomainLooks,
    pub supplied: Supplied,
}

impl Scratch {
    pub fn new(files: &OpenFiles) -> Scratch {
        Scratch { contacts: ContactReader::new(&files.addresses), ..Scratch::default() }
    }
}

/// A contact as it is laid out.
pub(super) struct Meant<'a> {
    /// Its record, cleaned and with the values that other rows and lists give.
    pub record: Record<'a>,
    /// The contact.
    pub contact: Contact<'a>,
    /// Whether the cells of the record can be copied as they are.
    pub cells: RawCells,
}
