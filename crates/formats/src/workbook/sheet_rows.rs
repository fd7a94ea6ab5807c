//! The cells of a sheet put together into rows, with what may be lost on the way counted.

use super::seen::Seen;
use crate::workbook::refusals::broken;
use crate::workbook::value::Value;
use pebblebank_table::observe::{Finding, Met, Observer, Weight, counted};
use pebblebank_table::spool::{Extracted, RowSpool};
use pebblebank_table::units::{MAX_COLUMNS, RowNumber};
use pebblebank_table::{Error, Result};
use std::collections::HashMap;
use std::path::Path;

/// Most rows of a sheet, in every format read here.
const MOST_ROWS: u32 = 1 << 20;

/// Takes in what is in a sheet, in its order.
pub(super) struct SheetRows<'a> {
    spool: RowSpool,
    observer: &'a dyn Observer,
    path: &'a Path,
    text: Vec<u8>,
    row: u32,
    spans: Spans,
    met: MetInSheet,
}

/// What a user should know of.
#[derive(Default)]
struct MetInSheet {
    errors: Met,
    cut_digits: Met,
    hidden_rows: Met,
    hidden_columns: u64,
    formulas_without_value: Met,
    filled: Met,
}

/// Cells that reach over several rows: their text stands in each of them.
#[derive(Default)]
struct Spans {
    /// The last row of each, by the place of its cell.
    expected: HashMap<(u32, u32), u32>,
    /// Those whose cell was met, by their column.
    open: Vec<Span>,
}

struct Span {
    column: u32,
    last: u32,
    text: Vec<u8>,
}

impl<'a> SheetRows<'a> {
    pub(super) fn new(spool: RowSpool, observer: &'a dyn Observer, path: &'a Path) -> Self {
        let (spans, met) = (Spans::default(), MetInSheet::default());
        SheetRows { spool, observer, path, text: Vec::new(), row: 0, spans, met }
    }

    /// Takes what was met, in a sheet that begins below `above` rows.
    pub(super) fn take(&mut self, above: u32, seen: Seen) -> Result<()> {
        let number = |row: u32| RowNumber(u64::from(above) + u64::from(row) + 1);
        match seen {
            Seen::Cell { row, column, value } => return self.cell(above.saturating_add(row), column, value),
            Seen::Spanning { row, column, last } => {
                self.spans.expected.insert((above.saturating_add(row), column), above.saturating_add(last));
            }
            Seen::HiddenRow { row } => self.met.hidden_rows.at(number(row)),
            Seen::HiddenColumns { count } => self.met.hidden_columns += count,
            Seen::FormulaWithoutValue { row } => self.met.formulas_without_value.at(number(row)),
        }
        Ok(())
    }

    fn cell(&mut self, row: u32, column: u32, value: Value) -> Result<()> {
        if value == Value::Nothing {
            return Ok(());
        }
        if row >= MOST_ROWS || row < self.row || column as usize >= MAX_COLUMNS {
            return Err(broken(self.path, "a cell lies outside of the sheet or out of order"));
        }
        while self.row < row {
            self.end_row()?;
        }
        self.note(row, &value);
        if (column as usize) < self.spool.cells() {
            return Err(broken(self.path, "two cells at one place"));
        }
        self.fill_spans(column);
        self.spool.fill_up_to(column as usize);
        self.text.clear();
        value.write(&mut self.text);
        self.spool.cell(&self.text);
        if let Some(last) = self.spans.expected.remove(&(row, column)) {
            self.spans.open(Span { column, last, text: self.text.clone() });
        }
        Ok(())
    }

    /// Counts what a value lacks.
    pub(super) fn note(&mut self, row: u32, value: &Value) {
        let number = RowNumber(u64::from(row) + 1);
        match value {
            Value::Error => self.met.errors.at(number),
            Value::Number { cut: true, .. } => self.met.cut_digits.at(number),
            _ => {}
        }
    }

    /// Writes the cells before `column` that reach down into this row.
    fn fill_spans(&mut self, column: u32) {
        for span in &self.spans.open {
            let is_next = span.column < column && span.column as usize >= self.spool.cells();
            if is_next && span.last >= self.row {
                self.spool.fill_up_to(span.column as usize);
                self.spool.cell(&span.text);
                self.met.filled.at(RowNumber(u64::from(self.row) + 1));
            }
        }
    }

    /// How many rows there are, the one that is being filled included, which is ended.
    pub(super) fn rows_so_far(&mut self) -> Result<u32> {
        if self.spool.cells() > 0 {
            self.end_row()?;
        }
        Ok(self.row)
    }

    fn end_row(&mut self) -> Result<()> {
        // A row that is otherwise empty stays so.
        if self.spool.cells() > 0 {
            self.fill_spans(u32::MAX);
        }
        self.row += 1;
        self.spans.close(self.row);
        if self.row.is_multiple_of(1_024) && self.observer.wants_stop() {
            return Err(Error::interrupted());
        }
        self.spool.end_row()
    }

    pub(super) fn finish(mut self, mut findings: Vec<Finding>) -> Result<Extracted> {
        if self.spool.cells() > 0 {
            self.end_row()?;
        }
        findings.extend(self.met.findings());
        self.spool.finish(None, findings)
    }
}

impl Spans {
    fn open(&mut self, span: Span) {
        let place = self.open.partition_point(|other| other.column <= span.column);
        self.open.insert(place, span);
    }

    /// Leaves out those that end above a row.
    fn close(&mut self, row: u32) {
        if !self.open.is_empty() {
            self.open.retain(|span| span.last >= row);
        }
    }
}

impl MetInSheet {
    fn findings(&self) -> Vec<Finding> {
        let rows = |code, weight, met: &Met, text: &dyn Fn(u64) -> String| {
            (met.count > 0).then(|| Finding::new(code, weight, text(met.count)).at_rows(met))
        };
        let hidden_columns = (self.hidden_columns > 0).then(|| {
            let columns = counted(self.hidden_columns, "column", "is", "are");
            let text = format!("{columns} hidden in the workbook, and read like the others");
            Finding::new("hidden-columns", Weight::Doubt, text)
        });
        let findings = [
            rows("formulas-without-value", Weight::Doubt, &self.formulas_without_value, &|count| {
                let cells = counted(count, "cell", "has", "have");
                format!(
                    "{cells} a formula whose value is not stored in the file, and was read as blank: open it in a spreadsheet \
                     program, save it there, and hand that over"
                )
            }),
            rows("hidden-rows", Weight::Doubt, &self.hidden_rows, &|count| {
                let rows = counted(count, "row", "is", "are");
                format!("{rows} hidden in the workbook, and read like the others")
            }),
            hidden_columns,
            rows("merged-cells", Weight::Note, &self.filled, &|count| {
                let cells = counted(count, "cell", "was", "were");
                format!("{cells} filled from the merged cell that reaches over several rows")
            }),
            rows("error-cells", Weight::Warning, &self.errors, &|count| {
                let cells = counted(count, "cell", "has", "have");
                format!("{cells} an error such as #N/A; errors were read as blank")
            }),
            rows("cut-digits", Weight::Warning, &self.cut_digits, &|count| {
                let numbers = counted(count, "number", "has", "have");
                format!("{numbers} more than 15 digits, of which a spreadsheet keeps 15: the rest was lost before")
            }),
        ];
        findings.into_iter().flatten().collect()
    }
}
