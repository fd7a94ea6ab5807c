//! The rows of import files. The only way into one is [`ImportRows::write`], which uses up the row's
//! [`Cleared`](crate::run::decide::settled::Cleared): a row whose person must not be contacted cannot get there.

use crate::layout::Layout;
use crate::layout::plan::LayoutPlan;
use crate::run::decide::settled::Cleared;
use crate::suppress::marks::Mark;
use pebblebank_table::csv::{Defusing, RawCells};
use pebblebank_table::{CsvBuffer, Record};

/// The rows that one chunk gives to each import file.
pub struct ImportRows {
    files: Vec<OneImport>,
}

/// The rows that one chunk gives to one import file.
pub struct OneImport {
    rows: CsvBuffer,
    order: RowOrder,
}

/// A contact that is laid out.
pub struct LaidOut<'a> {
    /// Its record, cleaned and filled.
    pub record: &'a Record<'a>,
    /// Its address; empty where it cannot be used.
    pub address: &'a [u8],
    /// What its person is marked with.
    pub marks: &'a [Mark],
    /// Whether its cells can be copied as they are.
    pub cells: RawCells,
}

impl ImportRows {
    /// No rows yet, for files of these layouts.
    pub fn new(layouts: &[Layout]) -> ImportRows {
        let defusing = |layout: &Layout| if layout.defuse { Defusing::On } else { Defusing::Off };
        let file = |layout: &Layout| OneImport { rows: CsvBuffer::new(defusing(layout)), order: RowOrder::default() };
        ImportRows { files: layouts.iter().map(file).collect() }
    }

    /// Writes a contact into every import file; `plans` are their layouts, fitted to the contact's file.
    pub fn write(&mut self, cleared: Cleared, plans: &[LayoutPlan], contact: &LaidOut) {
        let row = cleared.into_row();
        for (plan, OneImport { rows, order }) in plans.iter().zip(&mut self.files) {
            plan.lay_out(contact.record, contact.address, contact.marks, contact.cells, rows);
            if !plan.sort().is_empty() {
                plan.sort().add_key(contact.record, contact.address, row, &mut order.keys);
                order.ends.push((order.keys.len(), rows.bytes.len()));
            }
        }
    }

    /// By import file.
    pub fn files(&self) -> &[OneImport] {
        &self.files
    }

    /// Forgets the rows, and keeps the room for new ones.
    pub fn clear(&mut self) {
        for OneImport { rows, order } in &mut self.files {
            rows.clear();
            order.clear();
        }
    }
}

impl OneImport {
    /// The rows, as CSV.
    pub fn bytes(&self) -> &[u8] {
        &self.rows.bytes
    }

    /// How many rows there are.
    pub fn rows(&self) -> u64 {
        self.rows.rows()
    }

    /// The rows, each with what it is sorted by; none where the layout does not sort.
    pub fn sorted_rows(&self) -> impl Iterator<Item = (&[u8], &[u8])> {
        self.order.rows(&self.rows.bytes)
    }
}

/// What the rows of a buffer are sorted by.
#[derive(Debug, Default)]
struct RowOrder {
    keys: Vec<u8>,
    /// Where each key and each row ends.
    ends: Vec<(usize, usize)>,
}

impl RowOrder {
    fn clear(&mut self) {
        self.keys.clear();
        self.ends.clear();
    }

    /// The keys, each with its row out of `rows`.
    fn rows<'a>(&'a self, rows: &'a [u8]) -> impl Iterator<Item = (&'a [u8], &'a [u8])> {
        let mut at = (0, 0);
        self.ends.iter().map(move |(key_end, row_end)| {
            let found = (&self.keys[at.0..*key_end], &rows[at.1..*row_end]);
            at = (*key_end, *row_end);
            found
        })
    }
}
