//! What somebody is given from elsewhere, as bytes: blank fields from other rows, values from lists.

use pebblebank_table::units::RowId;

/// What a record of the supplies is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SupplyKind {
    /// Values that the survivor is written with.
    Filled,
    /// The names of the columns that were taken from a merged row.
    TakenFrom,
    /// Values of a list, for fields that are blank.
    FromList,
}

impl SupplyKind {
    pub(crate) fn from_byte(byte: u8) -> SupplyKind {
        match byte {
            0 => SupplyKind::Filled,
            1 => SupplyKind::TakenFrom,
            _ => SupplyKind::FromList,
        }
    }
}

/// What one row is given.
#[derive(Debug)]
pub struct Supply {
    /// The row.
    pub row: RowId,
    /// Which part of it.
    pub kind: SupplyKind,
    pub(super) payload: Vec<u8>,
}

impl Supply {
    /// The values by their place among the supplied columns.
    pub fn cells(&self) -> impl Iterator<Item = (usize, &[u8])> {
        let mut rest = &self.payload[..];
        std::iter::from_fn(move || {
            let (place, after) = take_u32(rest)?;
            let (value, after) = take_text(after)?;
            rest = after;
            Some((place as usize, value))
        })
    }

    /// The names of the columns, of [`SupplyKind::TakenFrom`].
    pub fn names(&self) -> &[u8] {
        &self.payload
    }
}

pub(crate) fn take_u32(bytes: &[u8]) -> Option<(u32, &[u8])> {
    let (number, rest) = bytes.split_first_chunk::<4>()?;
    Some((u32::from_le_bytes(*number), rest))
}

pub(crate) fn take_text(bytes: &[u8]) -> Option<(&[u8], &[u8])> {
    let (length, rest) = take_u32(bytes)?;
    rest.split_at_checked(length as usize)
}

pub(crate) fn put_text(out: &mut Vec<u8>, text: &[u8]) {
    out.extend_from_slice(&(text.len() as u32).to_le_bytes());
    out.extend_from_slice(text);
}
