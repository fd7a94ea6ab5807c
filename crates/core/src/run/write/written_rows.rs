//! `written.idx`: the digest of each row that was written, for finding out later which rows of a file were changed.
//!
//! A header of 16 bytes: the letters `PBLWRITN`, then the version (1) and the bytes of a record (8), 32 bits each. Then the digest
//! of each row of each import file, 64 bits, by the values of its cells. All numbers are little-endian.

/// The version of the format.
pub const VERSION: u32 = 1;

/// Bytes of a record.
pub const RECORD_BYTES: usize = 8;

/// The header.
pub fn header() -> Vec<u8> {
    [b"PBLWRITN".as_slice(), &VERSION.to_le_bytes(), &(RECORD_BYTES as u32).to_le_bytes()].concat()
}

/// Adds the digests of rows.
pub fn add(digests: &[u64], out: &mut Vec<u8>) {
    out.extend(digests.iter().flat_map(|digest| digest.to_le_bytes()));
}

/// The digests; none where the bytes are no whole file of this version.
pub fn read(bytes: &[u8]) -> Option<impl Iterator<Item = u64>> {
    let (records, rest) = bytes.strip_prefix(header().as_slice())?.as_chunks::<RECORD_BYTES>();
    rest.is_empty().then(|| records.iter().map(|record| u64::from_le_bytes(*record)))
}
