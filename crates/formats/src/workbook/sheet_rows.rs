//! The cells of a sheet put together into rows, with what may be lost on the way counted.

use crate::workbook::book::broken;
use crate::workbook::value::Value;
use pebblebank_table::observe::{Finding, Met, Observer, Weight, counted};
use pebblebank_table::spool::{Extracted, RowSpool};
use pebblebank_table::units::{MAX_COLUMNS, RowNumber};
use pebblebank_table::{Error, Result};
use std::path::Path;

/// Most rows of a sheet, in every format read here.
const MOST_ROWS: u32 = 1 << 20;

/// Takes in the cells of a sheet, in their order.
pub(super) struct SheetRows<'a> {
    pub(super) spool: RowSpool,
    pub(super) observer: &'a dyn Observer,
    pub(super) path: &'a Path,
    pub(super) text: Vec<u8>,
    pub(super) row: u32,
    pub(super) errors: Met,
    pub(super) cut_digits: Met,
}

impl<'a> SheetRows<'a> {
    pub(super) fn new(spool: RowSpool, observer: &'a dyn Observer, path: &'a Path) -> Self {
        SheetRows {
            spool,
            observer,
            path,
            text: Vec::new(),
            row: 0,
            errors: Met::default(),
            cut_digits: Met::default(),
        }
    }

    pub(super) fn cell(&mut self, row: u32, column: u32, value: Value) -> Result<()> {
        if value == Value::Nothing {
            return Ok(());
        }
        if row >= MOST_ROWS || row < self.row || column as usize >= MAX_COLUMNS {
            return Err(broken(self.path, "a cell lies outside of the sheet or out of order"));
        }
        while self.row < row {
            self.end_row()?;
        }
        let number = RowNumber(u64::from(row) + 1);
        match value {
            Value::Error => self.errors.at(number),
            Value::Number { cut: true, .. } => self.cut_digits.at(number),
            _ => {}
        }
        if (column as usize) < self.spool.cells() {
            return Err(broken(self.path, "two cells at one place"));
        }
        self.spool.fill_up_to(column as usize);
        self.text.clear();
        value.write(&mut self.text);
        self.spool.cell(&self.text);
        Ok(())
    }

    /// How many rows there are, the one that is being filled included, which is ended.
    pub(super) fn rows_so_far(&mut self) -> Result<u32> {
        if self.spool.cells() > 0 {
            self.end_row()?;
        }
        Ok(self.row)
    }

    pub(super) fn end_row(&mut self) -> Result<()> {
        self.row += 1;
        if self.row.is_multiple_of(1_024) && self.observer.wants_stop() {
            return Err(Error::interrupted());
        }
        self.spool.end_row()
    }

    pub(super) fn finish(mut self, mut findings: Vec<Finding>) -> Result<Extracted> {
        if self.spool.cells() > 0 {
            self.end_row()?;
        }
        if self.errors.count > 0 {
            let cells = counted(self.errors.count, "cell", "has", "have");
            let text = format!("{cells} an error such as #N/A; errors were read as blank");
            findings.push(Finding::new("error-cells", Weight::Warning, text).at_rows(&self.errors));
        }
        if self.cut_digits.count > 0 {
            let numbers = counted(self.cut_digits.count, "number", "has", "have");
            let text =
                format!("{numbers} more than 15 digits, of which a spreadsheet keeps 15: the rest was lost before");
            findings.push(Finding::new("cut-digits", Weight::Warning, text).at_rows(&self.cut_digits));
        }
        self.spool.finish(None, findings)
    }
}
