//! Values as they go to where a bank is kept and come from there, whatever keeps it.

use crate::text::{Kind, Text};

/// A value of a column, or what a statement is given.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Cell<'a> {
    /// Nothing.
    Null,
    /// A whole number; a truth is 0 or 1.
    Integer(i64),
    /// Text.
    Text(&'a str),
    /// Bytes.
    Bytes(&'a [u8]),
    /// Many numbers: `integers(?1)` is a table of them, with the column `value`.
    Integers(&'a [i64]),
    /// Many byte strings: `blobs(?1)`.
    Blobs(&'a [&'a [u8]]),
    /// Many texts: `texts(?1)`.
    Texts(&'a [&'a str]),
}

/// What a statement is given, in order.
macro_rules! cells {
    ($($value:expr),* $(,)?) => { &[$($crate::store::cell::Cell::from($value)),*][..] };
}
pub(crate) use cells;

impl From<i64> for Cell<'_> {
    fn from(value: i64) -> Self {
        Cell::Integer(value)
    }
}

impl From<i32> for Cell<'_> {
    fn from(value: i32) -> Self {
        Cell::Integer(i64::from(value))
    }
}

impl From<bool> for Cell<'_> {
    fn from(value: bool) -> Self {
        Cell::Integer(i64::from(value))
    }
}

impl From<Kind> for Cell<'_> {
    fn from(value: Kind) -> Self {
        Cell::Integer(value.code())
    }
}

impl<'a> From<&'a str> for Cell<'a> {
    fn from(value: &'a str) -> Self {
        Cell::Text(value)
    }
}

impl<'a> From<&'a String> for Cell<'a> {
    fn from(value: &'a String) -> Self {
        Cell::Text(value)
    }
}

impl<'a> From<&'a Option<String>> for Cell<'a> {
    fn from(value: &'a Option<String>) -> Self {
        value.as_deref().map_or(Cell::Null, Cell::Text)
    }
}

impl<'a> From<&'a [u8]> for Cell<'a> {
    fn from(value: &'a [u8]) -> Self {
        Cell::Bytes(value)
    }
}

impl<'a> From<&'a Vec<u8>> for Cell<'a> {
    fn from(value: &'a Vec<u8>) -> Self {
        Cell::Bytes(value)
    }
}

impl<'a, const N: usize> From<&'a [u8; N]> for Cell<'a> {
    fn from(value: &'a [u8; N]) -> Self {
        Cell::Bytes(value)
    }
}

/// The value of a text column: digests are bytes, all else is text, and both are kept as bytes.
impl<'a> From<&'a Text> for Cell<'a> {
    fn from(value: &'a Text) -> Self {
        Cell::Bytes(&value.value)
    }
}

impl<'a, T: Into<Cell<'a>>> From<Option<T>> for Cell<'a> {
    fn from(value: Option<T>) -> Self {
        value.map_or(Cell::Null, Into::into)
    }
}

/// The cells of a row, each of the kinds that a column can have.
pub(crate) trait Cells {
    /// The cell at this place; none where it is of no kind that a bank has.
    fn cell(&self, at: usize) -> Option<Cell<'_>>;
}

/// What a cell can be read as.
pub(crate) trait FromCell<'a>: Sized {
    fn from_cell(cell: Cell<'a>) -> Option<Self>;
}

impl FromCell<'_> for i64 {
    fn from_cell(cell: Cell<'_>) -> Option<i64> {
        if let Cell::Integer(value) = cell { Some(value) } else { None }
    }
}

impl FromCell<'_> for i32 {
    fn from_cell(cell: Cell<'_>) -> Option<i32> {
        i64::from_cell(cell).and_then(|value| i32::try_from(value).ok())
    }
}

impl FromCell<'_> for bool {
    fn from_cell(cell: Cell<'_>) -> Option<bool> {
        i64::from_cell(cell).map(|value| value != 0)
    }
}

impl<'a> FromCell<'a> for &'a str {
    fn from_cell(cell: Cell<'a>) -> Option<&'a str> {
        if let Cell::Text(value) = cell { Some(value) } else { None }
    }
}

impl FromCell<'_> for String {
    fn from_cell(cell: Cell<'_>) -> Option<String> {
        <&str>::from_cell(cell).map(str::to_owned)
    }
}

/// Bytes; text is read as its bytes.
impl<'a> FromCell<'a> for &'a [u8] {
    fn from_cell(cell: Cell<'a>) -> Option<&'a [u8]> {
        match cell {
            Cell::Bytes(value) => Some(value),
            Cell::Text(value) => Some(value.as_bytes()),
            _ => None,
        }
    }
}

impl FromCell<'_> for Vec<u8> {
    fn from_cell(cell: Cell<'_>) -> Option<Vec<u8>> {
        <&[u8]>::from_cell(cell).map(<[u8]>::to_vec)
    }
}

impl<'a, T: FromCell<'a>> FromCell<'a> for Option<T> {
    fn from_cell(cell: Cell<'a>) -> Option<Option<T>> {
        match cell {
            Cell::Null => Some(None),
            cell => T::from_cell(cell).map(Some),
        }
    }
}
