//! `people.idx`: who was where, for `why` and for the comparison of runs.
//!
//! A header of 16 bytes: the letters `PBLPEOPL`, then the version (3) and the bytes of a record (21), 32 bits
//! each. Then a record for each identity of each contact, in reading order: the first 12 bytes of the
//! identity's unkeyed XXH3-128, the row, its survivor (both counted from 0 over all records of all source
//! files), 32 bits each, and one byte for its fate. All numbers are little-endian.
//!
//! Records stand in blocks of 65,536, the last one with those that are left. A block has its records column by column, so
//! that a search reads the column that it needs and no more: the first 4 bytes of each identity, each survivor, each row,
//! the other 8 bytes of each identity, each fate. Version 2 had whole records one after the other; version 1 as well, with
//! other numbers of reasons.

use crate::suppress::reason::Reason;
use pebblebank_table::units::RowId;
use pebblebank_values::address::Address;
use pebblebank_values::identity::stable_digest;

/// The version of the format.
pub const VERSION: u32 = 3;

/// Bytes of a record.
pub const RECORD_BYTES: usize = 21;

/// What became of a contact.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate {
    /// 0: written.
    Written,
    /// 1: merged into its survivor.
    Merged,
    /// 2 and above: set aside, 2 for the gravest reason.
    SetAside(Reason),
}

impl Fate {
    fn byte(self) -> u8 {
        match self {
            Fate::Written => 0,
            Fate::Merged => 1,
            Fate::SetAside(reason) => 2 + reason as u8,
        }
    }
}

/// The header.
pub fn header() -> Vec<u8> {
    header_of(VERSION)
}

fn header_of(version: u32) -> Vec<u8> {
    [b"PBLPEOPL".as_slice(), &version.to_le_bytes(), &(RECORD_BYTES as u32).to_le_bytes()].concat()
}

/// How many records a block has.
const BLOCK_RECORDS: u64 = 64 << 10;

/// A column of a block that can be searched.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Column {
    /// The first 4 bytes of the identity, as a number.
    IdentityStart,
    /// The survivor.
    Survivor,
    /// The row.
    Row,
}

/// Where records stand in an index.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Form {
    is_in_columns: bool,
    /// Where the first one begins.
    start: u64,
    /// How many there are.
    pub records: u64,
}

/// A run of records that stand together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Block {
    /// Where it begins in the file.
    pub start: u64,
    /// How many records it has.
    pub records: usize,
    is_in_columns: bool,
}

impl Form {
    /// The form of an index with this header and of this length; none where it is no index, not whole, or older than the
    /// `oldest` version that will do.
    pub fn of(first_bytes: &[u8], length: u64, oldest: u32) -> Option<Form> {
        let version = (oldest..=VERSION).find(|version| first_bytes.starts_with(&header_of(*version)))?;
        let start = header().len() as u64;
        let bytes = length.checked_sub(start)?;
        let records = bytes / RECORD_BYTES as u64;
        let is_whole = bytes.is_multiple_of(RECORD_BYTES as u64);
        is_whole.then_some(Form { is_in_columns: version >= 3, start, records })
    }

    /// The blocks, in order.
    pub fn blocks(self) -> impl Iterator<Item = Block> {
        (0..self.records.div_ceil(BLOCK_RECORDS)).map(move |number| {
            let first = number * BLOCK_RECORDS;
            Block {
                start: self.start + first * RECORD_BYTES as u64,
                records: (self.records - first).min(BLOCK_RECORDS) as usize,
                is_in_columns: self.is_in_columns,
            }
        })
    }
}

impl Block {
    /// Its bytes.
    pub fn bytes(&self) -> usize {
        self.records * RECORD_BYTES
    }

    /// Where a column stands in it, as bytes from its start; none where it has whole records.
    pub fn column(&self, column: Column) -> Option<std::ops::Range<usize>> {
        let place = match column {
            Column::IdentityStart => 0,
            Column::Survivor => 1,
            Column::Row => 2,
        };
        self.is_in_columns.then_some(place * 4 * self.records..(place + 1) * 4 * self.records)
    }

    /// Where the parts of a record stand in it, as bytes from its start and in the order of a record: the start of the
    /// identity, the rest of it, the row, the survivor, the fate.
    pub fn parts(&self, place: usize) -> [std::ops::Range<usize>; 5] {
        let all = self.records;
        let (start, rest, row, survivor, fate) = if self.is_in_columns {
            (4 * place, 12 * all + 8 * place, 8 * all + 4 * place, 4 * all + 4 * place, 20 * all + place)
        } else {
            let record = place * RECORD_BYTES;
            (record, record + 4, record + 12, record + 16, record + 20)
        };
        [start..start + 4, rest..rest + 8, row..row + 4, survivor..survivor + 4, fate..fate + 1]
    }

    /// A record of a block that was read as a whole.
    pub fn record(&self, bytes: &[u8], place: usize) -> [u8; RECORD_BYTES] {
        let mut record = [0; RECORD_BYTES];
        let mut at = 0;
        for part in self.parts(place) {
            record[at..at + part.len()].copy_from_slice(&bytes[part.clone()]);
            at += part.len();
        }
        record
    }
}

/// Turns records into the blocks of an index.
#[derive(Debug, Default)]
pub struct Blocks {
    /// Whole records that make no block yet.
    waiting: Vec<u8>,
}

impl Blocks {
    /// Takes records, as [`add`] makes them, and gives the blocks that are full.
    pub fn take(&mut self, records: &[u8]) -> Vec<u8> {
        const BLOCK_BYTES: usize = BLOCK_RECORDS as usize * RECORD_BYTES;
        self.waiting.extend_from_slice(records);
        let full = self.waiting.len() / BLOCK_BYTES * BLOCK_BYTES;
        let mut blocks = Vec::with_capacity(full);
        for records in self.waiting[..full].chunks_exact(BLOCK_BYTES) {
            blocks.extend_from_slice(&in_columns(records));
        }
        self.waiting.drain(..full);
        blocks
    }

    /// The last block.
    pub fn finish(&mut self) -> Vec<u8> {
        in_columns(&std::mem::take(&mut self.waiting))
    }
}

/// The records of a block, column by column.
fn in_columns(records: &[u8]) -> Vec<u8> {
    let mut block = Vec::with_capacity(records.len());
    for part in [0..4, 16..20, 12..16, 4..12, 20..21] {
        for record in records.chunks_exact(RECORD_BYTES) {
            block.extend_from_slice(&record[part.clone()]);
        }
    }
    block
}

/// An identity of a contact.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Person {
    /// The first bytes of the identity's digest.
    pub identity: [u8; 12],
    /// The contact's row, counted from 0 over all records of all source files.
    pub row: RowId,
    /// Whether the contact was written.
    pub is_written: bool,
}

/// The identities of an index; none where the bytes are no whole index.
pub fn read(bytes: &[u8]) -> Option<impl Iterator<Item = Person>> {
    let form = Form::of(bytes, bytes.len() as u64, 1)?;
    let records = form.blocks().flat_map(move |block| {
        let own = &bytes[block.start as usize..][..block.bytes()];
        (0..block.records).map(move |place| block.record(own, place))
    });
    Some(records.map(|record| {
        let mut identity = [0; 12];
        identity.copy_from_slice(&record[..12]);
        let mut row = [0; 4];
        row.copy_from_slice(&record[12..16]);
        Person { identity, row: RowId(u32::from_le_bytes(row)), is_written: record[20] == Fate::Written.byte() }
    }))
}

/// Adds the records of the addresses of one cell of a contact.
pub fn add(out: &mut Vec<u8>, address: &Address, row: RowId, survivor: RowId, fate: Fate) {
    if address.identity.is_empty() {
        return;
    }
    let further = address.further.iter().map(|further| further.identity.as_bytes());
    for identity in std::iter::once(address.identity).chain(further) {
        let mut record = [0u8; RECORD_BYTES];
        record[..12].copy_from_slice(&stable_digest(identity));
        record[12..16].copy_from_slice(&row.0.to_le_bytes());
        record[16..20].copy_from_slice(&survivor.0.to_le_bytes());
        record[20] = fate.byte();
        out.extend_from_slice(&record);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Records whose every byte tells them apart.
    fn records(count: usize) -> Vec<u8> {
        let record = |number: usize| {
            let bytes = (number as u64).wrapping_mul(0x9E37_79B9_7F4A_7C15).to_le_bytes();
            let mut record = bytes.iter().cycle().take(RECORD_BYTES).copied().collect::<Vec<u8>>();
            record[20] = (number % 3) as u8;
            record
        };
        (0..count).flat_map(record).collect()
    }

    #[test]
    fn blocks_have_the_records_they_were_made_of_however_they_came() {
        for (count, at_once) in [(0, 1), (1, 1), (65_535, 999), (65_536, 65_536), (150_000, 70_001)] {
            let records = records(count);
            let mut blocks = Blocks::default();
            let mut index = header();
            records.chunks(at_once * RECORD_BYTES).for_each(|some| index.extend(blocks.take(some)));
            index.extend(blocks.finish());
            let form = Form::of(&index, index.len() as u64, VERSION).expect("an index");
            let back: Vec<u8> = form
                .blocks()
                .flat_map(|block| {
                    let own = index[block.start as usize..][..block.bytes()].to_vec();
                    (0..block.records).flat_map(move |place| block.record(&own, place)).collect::<Vec<u8>>()
                })
                .collect();
            assert!(form.records == count as u64 && back == records, "{count} records");
        }
    }

    #[test]
    fn earlier_versions_are_read_and_what_is_not_whole_is_not() {
        for version in 1..VERSION {
            let index = [header_of(version), records(70_000)].concat();
            let rows: Vec<u32> = read(&index).expect("an index").map(|person| person.row.0).collect();
            let expected: Vec<u32> = records(70_000)
                .chunks(RECORD_BYTES)
                .map(|record| u32::from_le_bytes([record[12], record[13], record[14], record[15]]))
                .collect();
            assert_eq!(rows, expected);
            assert!(read(&index[..index.len() - 1]).is_none());
        }
        assert!(read(&header_of(VERSION + 1)).is_none() && read(b"PBLPEOPL").is_none());
    }
}
