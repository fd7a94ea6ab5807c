//! A digest of rows of cells: what was meant to be written, compared with what a reader finds in the written file.
//!
//! It goes by the values of cells, whatever their quotes, delimiters and encoding, and by which cells stand in one row. The
//! order of rows does not count, so that chunks and sorted files can be digested piece by piece.

use xxhash_rust::xxh3::xxh3_64;

/// What the digest of a row begins with.
const SEED: u64 = 0x9E37_79B9_7F4A_7C15;

/// An odd number with well-mixed bits, for multiplying.
const FACTOR: u64 = 0xD6E8_FEB8_6659_FD93;

/// The digest of some rows.
///
/// ```
/// use pebblebank_table::cell_digest::CellDigest;
/// let of = |rows: &[&[&str]]| {
///     let mut digest = CellDigest::default();
///     for row in rows {
///         row.iter().for_each(|cell| digest.cell(cell.as_bytes()));
///         digest.end_row();
///     }
///     digest.sum()
/// };
/// assert_eq!(of(&[&["a", "b"], &["c"]]), of(&[&["c"], &["a", "b"]]));
/// assert_ne!(of(&[&["a", "b"]]), of(&[&["b", "a"]]));
/// assert_ne!(of(&[&["a", ""]]), of(&[&["a"]]));
/// ```
#[derive(Debug, Clone)]
pub struct CellDigest {
    row: u64,
    sum: RowsDigest,
    /// The digest of each row, where these are wanted.
    each: Option<Vec<u64>>,
}

/// The digest of whole rows, and how many there were.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct RowsDigest {
    /// How many rows.
    pub rows: u64,
    low: u64,
    high: u64,
}

impl Default for CellDigest {
    fn default() -> CellDigest {
        CellDigest { row: SEED, sum: RowsDigest::default(), each: None }
    }
}

impl CellDigest {
    /// Keeps the digest of each row from here on.
    pub fn keep_each(&mut self) {
        self.each.get_or_insert_default();
    }

    /// The digest of each row, where they are kept.
    pub fn each(&self) -> &[u64] {
        self.each.as_deref().unwrap_or_default()
    }

    /// The next cell of the row.
    #[inline]
    pub fn cell(&mut self, value: &[u8]) {
        self.row = (self.row ^ hash(value)).wrapping_mul(FACTOR).rotate_left(23);
    }

    /// Ends the row.
    #[inline]
    pub fn end_row(&mut self) {
        let row = std::mem::replace(&mut self.row, SEED);
        if let Some(each) = &mut self.each {
            each.push(row);
        }
        self.sum.rows += 1;
        self.sum.low = self.sum.low.wrapping_add(row);
        self.sum.high = self.sum.high.wrapping_add((row ^ (row >> 29)).wrapping_mul(SEED));
    }

    /// The digest of the rows that were ended.
    #[inline]
    pub fn sum(&self) -> RowsDigest {
        self.sum
    }

    /// Forgets the rows.
    pub fn clear(&mut self) {
        (self.row, self.sum) = (SEED, RowsDigest::default());
        self.each.iter_mut().for_each(Vec::clear);
    }
}

/// The hash of a cell. Most are short: their first and last bytes, which may overlap, are all of them, and one
/// multiplication mixes these.
#[inline]
fn hash(value: &[u8]) -> u64 {
    let length = value.len();
    let (begin, end) = match length {
        0 => (0, 0),
        1..=3 => (u64::from(value[0]) | u64::from(value[length / 2]) << 8 | u64::from(value[length - 1]) << 16, 0),
        4..=7 => (first_four(value), first_four(&value[length - 4..])),
        8..=16 => (first_eight(value), first_eight(&value[length - 8..])),
        _ => return xxh3_64(value),
    };
    let product = u128::from(begin ^ SEED ^ length as u64) * u128::from(end ^ FACTOR);
    (product as u64) ^ ((product >> 64) as u64)
}

#[inline]
fn first_four(bytes: &[u8]) -> u64 {
    bytes.first_chunk::<4>().map_or(0, |four| u64::from(u32::from_le_bytes(*four)))
}

#[inline]
fn first_eight(bytes: &[u8]) -> u64 {
    bytes.first_chunk::<8>().map_or(0, |eight| u64::from_le_bytes(*eight))
}

impl RowsDigest {
    /// The rows that came after `earlier`, which is a digest of the first of these rows.
    #[must_use]
    pub fn since(self, earlier: RowsDigest) -> RowsDigest {
        RowsDigest {
            rows: self.rows - earlier.rows,
            low: self.low.wrapping_sub(earlier.low),
            high: self.high.wrapping_sub(earlier.high),
        }
    }

    /// Adds the rows of another part.
    pub fn add(&mut self, other: RowsDigest) {
        self.rows += other.rows;
        self.low = self.low.wrapping_add(other.low);
        self.high = self.high.wrapping_add(other.high);
    }
}
