//! What is met in a sheet, in its order.

use super::value::Value;

/// Something in a sheet. Rows and columns count from 0.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Seen<'a> {
    /// A cell.
    Cell { row: u32, column: u32, value: Value<'a> },
    /// The cell that comes there reaches down to the row `last`.
    Spanning { row: u32, column: u32, last: u32 },
    /// A row that is hidden, and has cells.
    HiddenRow { row: u32 },
    /// Hidden columns, counted.
    HiddenColumns { count: u64 },
    /// A formula whose value is not stored.
    FormulaWithoutValue { row: u32 },
}
