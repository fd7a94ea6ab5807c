//! `written.csv`: the identity of the address of each contact that was written, in reading order.
//!
//! `people.idx` knows people by digests alone. This file has their addresses, so that a later comparison can name who is
//! gone, and a mistyped address can be told from the closest one. Its digests are those of `people.idx`.

use pebblebank_table::CsvBuffer;

/// The only column. Its name tells it from a list of contacts.
pub const HEADER: &str = "pebblebank_address";

/// The header line.
pub fn header() -> Vec<u8> {
    format!("{HEADER}\n").into_bytes()
}

/// Adds the address of a contact.
pub fn add(identity: &[u8], out: &mut CsvBuffer) {
    out.value(identity);
    out.end_row();
}
