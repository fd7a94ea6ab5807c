//! `people.idx`: who was where, for `why` and for the comparison of runs.
//!
//! A header of 16 bytes: the letters `PBLPEOPL`, then the version (2) and the bytes of a record (21), 32 bits
//! each. Then a record for each identity of each contact, in reading order: the first 12 bytes of the
//! identity's unkeyed XXH3-128, the row, its survivor (both counted from 0 over all records of all source
//! files), 32 bits each, and one byte for its fate. All numbers are little-endian.

use crate::suppress::reason::Reason;
use pebblebank_table::units::RowId;
use pebblebank_values::address::Address;
use pebblebank_values::identity::stable_digest;

/// The version of the format.
pub const VERSION: u32 = 2;

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

/// The header of an earlier version: of it only the numbers of the reasons are other ones.
fn header_of(version: u32) -> Vec<u8> {
    [b"PBLPEOPL".as_slice(), &version.to_le_bytes(), &(RECORD_BYTES as u32).to_le_bytes()].concat()
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
    let records = (1..=VERSION).find_map(|version| bytes.strip_prefix(header_of(version).as_slice()))?;
    if records.len() % RECORD_BYTES != 0 {
        return None;
    }
    Some(records.chunks_exact(RECORD_BYTES).map(|record| {
        let mut identity = [0; 12];
        identity.copy_from_slice(&record[..12]);
        let mut row = [0; 4];
        row.copy_from_slice(&record[12..16]);
        Person { identity, row: RowId(u32::from_le_bytes(row)), is_written: record[20] == Fate::Written.byte() }
    }))
}

/// Adds the records of one contact.
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
