//! The shape of each import file: its layout, and the form of its rows.

use crate::job::Job;
use crate::layout::Layout;
use pebblebank_formats::writing::file_writer::FormedRows;
use pebblebank_formats::writing::row_buffer::{FormedBuffer, RowBuffer, Shape};
use pebblebank_table::CsvBuffer;
use pebblebank_table::csv::Defusing;
use std::sync::Arc;

/// The shape of an import file.
#[derive(Debug)]
pub struct ImportShape {
    /// Its columns.
    pub layout: Layout,
    /// Its form.
    pub file: Arc<Shape>,
}

/// The shapes of the import files of a job, which have these layouts.
pub fn shapes(job: &Job, layouts: Vec<Layout>) -> Vec<ImportShape> {
    let shape = |(write, layout): (&crate::job::Write, Layout)| {
        let defusing = if layout.defuse { Defusing::On } else { Defusing::Off };
        let columns = layout.columns.iter().map(|column| column.name.clone()).collect();
        ImportShape { file: Arc::new(Shape::new(write.form.clone(), defusing, columns)), layout }
    };
    job.writes.iter().zip(layouts).map(shape).collect()
}

impl ImportShape {
    /// Hands the row of column names, in the file's form, to `take`.
    pub fn with_header<T>(&self, take: impl FnOnce(FormedRows) -> T) -> T {
        if self.file.form.is_plain_csv() {
            let mut header = CsvBuffer::digesting(self.file.defusing);
            self.add_names(&mut header);
            return take(FormedRows { bytes: &header.bytes, ends: &[], rows: 1, digest: header.digest() });
        }
        let mut header = FormedBuffer::new(&self.file);
        self.add_names(&mut header);
        take(FormedRows { bytes: header.bytes(), ends: header.row_ends(), rows: 1, digest: header.digest() })
    }

    fn add_names(&self, header: &mut impl RowBuffer) {
        self.file.columns.iter().for_each(|name| header.value(name.as_bytes()));
        header.end_row();
    }
}
