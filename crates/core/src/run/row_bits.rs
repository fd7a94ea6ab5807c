//! What the byte of a record says besides its kind, and the bit in its rank.

/// Set in the byte of a record whose first address can be used: it outranks the copies without.
pub const HAS_ADDRESS: u8 = 0x80;

/// Set in the byte of a record whose address is clean as it is in the file, so that it is not cleaned again.
pub const IS_CLEAN: u8 = 0x40;

/// Set in the byte of a record that its source's condition leaves out: it joins its person and cannot survive.
pub const LEFT_OUT: u8 = 0x20;

/// Set in the byte of a record that has another key than the address.
pub const HAS_OTHER_KEY: u8 = 0x10;

/// The part of the byte that says what the record is.
pub const LINE_BITS: u8 = !(HAS_ADDRESS | IS_CLEAN | LEFT_OUT | HAS_OTHER_KEY);

/// Set in the rank of a record that lacks a field which the job requires: it ranks below those of its person that have it.
pub const LACKS_FIELD: u32 = 1 << 31;
