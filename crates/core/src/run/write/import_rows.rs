//! The rows of import files. The only way into one is [`ImportRows::write`], which uses up the row's
//! [`Cleared`](crate::run::decide::settled::Cleared): a row whose person must not be contacted cannot get there.

use super::shapes::ImportShape;
use crate::layout::plan::{LayoutPlan, Row};
use crate::run::decide::settled::Cleared;
use pebblebank_formats::writing::file_writer::FormedRows;
use pebblebank_formats::writing::row_buffer::FormedBuffer;
use pebblebank_table::CsvBuffer;
use pebblebank_table::cell_digest::RowsDigest;
use pebblebank_table::csv::RawCells;

/// The rows that one chunk gives to each import file.
pub struct ImportRows {
    files: Vec<OneImport>,
}

/// The rows that one chunk gives to one import file.
pub struct OneImport {
    rows: RowsOfForm,
    order: RowOrder,
}

/// Rows in the form of their file.
enum RowsOfForm {
    /// As most files have them, which is quickest.
    Csv(CsvBuffer),
    /// In any other form.
    Formed(FormedBuffer),
}

impl RowsOfForm {
    fn bytes(&self) -> &[u8] {
        match self {
            RowsOfForm::Csv(rows) => &rows.bytes,
            RowsOfForm::Formed(rows) => rows.bytes(),
        }
    }
}

impl ImportRows {
    /// No rows yet, for files of these shapes. `keeps_digests` says whether the digest of each row is wanted.
    pub fn new(shapes: &[ImportShape], keeps_digests: bool) -> ImportRows {
        let file = |shape: &ImportShape| {
            let mut rows = if shape.file.form.is_plain_csv() {
                RowsOfForm::Csv(CsvBuffer::digesting(shape.file.defusing))
            } else {
                RowsOfForm::Formed(FormedBuffer::new(&shape.file))
            };
            match &mut rows {
                _ if !keeps_digests => {}
                RowsOfForm::Csv(rows) => rows.keep_row_digests(),
                RowsOfForm::Formed(rows) => rows.keep_row_digests(),
            }
            OneImport { rows, order: RowOrder::default() }
        };
        ImportRows { files: shapes.iter().map(file).collect() }
    }

    /// Writes a contact into the import files that take it; `plans` are their layouts, fitted to the contact's file, and
    /// `takes` says which take it.
    pub fn write(
        &mut self,
        cleared: Cleared,
        plans: &[LayoutPlan],
        takes: impl Fn(usize) -> bool,
        contact: &Row,
        cells: RawCells,
    ) {
        let row = cleared.into_row();
        for (place, (plan, OneImport { rows, order })) in plans.iter().zip(&mut self.files).enumerate() {
            if !takes(place) {
                continue;
            }
            match rows {
                RowsOfForm::Csv(rows) => plan.lay_out(contact, cells, rows),
                RowsOfForm::Formed(rows) => plan.lay_out(contact, cells, rows),
            }
            if !plan.sort().is_empty() {
                plan.sort().add_key(contact.record, contact.address, row, &mut order.keys);
                order.ends.push((order.keys.len(), rows.bytes().len()));
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
            match rows {
                RowsOfForm::Csv(rows) => rows.clear(),
                RowsOfForm::Formed(rows) => rows.clear(),
            }
            order.clear();
        }
    }
}

impl OneImport {
    /// The rows, as bytes of the file's form.
    pub fn bytes(&self) -> &[u8] {
        self.rows.bytes()
    }

    /// How many rows there are.
    pub fn rows(&self) -> u64 {
        match &self.rows {
            RowsOfForm::Csv(rows) => rows.rows(),
            RowsOfForm::Formed(rows) => rows.row_ends().len() as u64,
        }
    }

    /// The digest of the cells.
    pub fn digest(&self) -> RowsDigest {
        match &self.rows {
            RowsOfForm::Csv(rows) => rows.digest(),
            RowsOfForm::Formed(rows) => rows.digest(),
        }
    }

    /// The digest of each row, where they are kept.
    pub fn row_digests(&self) -> &[u64] {
        match &self.rows {
            RowsOfForm::Csv(rows) => rows.row_digests(),
            RowsOfForm::Formed(rows) => rows.row_digests(),
        }
    }

    /// The rows as a file's writer takes them.
    pub fn formed(&self) -> FormedRows<'_> {
        let ends = match &self.rows {
            RowsOfForm::Csv(_) => &[],
            RowsOfForm::Formed(rows) => rows.row_ends(),
        };
        FormedRows { bytes: self.bytes(), ends, rows: self.rows(), digest: self.digest() }
    }

    /// The rows, each with what it is sorted by; none where the layout does not sort.
    pub fn sorted_rows(&self) -> impl Iterator<Item = (&[u8], &[u8])> {
        self.order.rows(self.bytes())
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
