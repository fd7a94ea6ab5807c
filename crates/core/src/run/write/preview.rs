//! The first rows of an import file, to be shown as they are written.

use encoding_rs::Encoding;
use pebblebank_formats::writing::FileFormat;
use pebblebank_formats::writing::file_writer::FormedRows;
use pebblebank_formats::writing::form::Separator;
use pebblebank_formats::writing::row_buffer::Shape;
use pebblebank_formats::writing::sheet::unpacked;
use pebblebank_table::CsvBuffer;
use std::sync::Arc;

/// The first rows of the first file.
#[derive(Debug, Default)]
pub struct Preview {
    most: usize,
    rows: usize,
    text: Vec<u8>,
    shape: Option<Arc<Shape>>,
}

impl Preview {
    /// Of the first `most` rows.
    pub fn of(most: usize) -> Preview {
        Preview { most, ..Preview::default() }
    }

    /// Begins with the header of the first file; those of further files are not shown.
    pub fn begin(&mut self, shape: &Arc<Shape>, header: &[u8]) {
        if self.shape.is_some() {
            return;
        }
        self.shape = Some(Arc::clone(shape));
        let form = &shape.form;
        let is_shown = form.has_header && matches!(form.format, FileFormat::Csv | FileFormat::Tsv | FileFormat::Xlsx);
        if is_shown {
            self.add(header, &[header.len()]);
        }
    }

    /// Takes over rows until there are enough.
    pub fn take(&mut self, rows: FormedRows) {
        let room = self.most.saturating_sub(self.rows);
        let count = usize::try_from(rows.rows).unwrap_or(usize::MAX).min(room);
        if count == 0 {
            return;
        }
        self.rows += count;
        if rows.ends.is_empty() {
            let end = end_of_rows(rows.bytes, count);
            self.add(&rows.bytes[..end], &[end]);
        } else {
            self.add(&rows.bytes[..rows.ends[count - 1]], &rows.ends[..count]);
        }
    }

    fn add(&mut self, bytes: &[u8], ends: &[usize]) {
        let Some(shape) = &self.shape else { return };
        match shape.form.format {
            FileFormat::Xlsx => {
                let mut start = 0;
                for end in ends {
                    self.text.extend_from_slice(&as_csv(&bytes[start..*end]));
                    start = *end;
                }
            }
            FileFormat::RecipientLine => {
                let mut start = 0;
                for end in ends {
                    if !self.text.is_empty() {
                        self.text.extend_from_slice(match shape.form.recipients.separator {
                            Separator::Comma => b", ",
                            Separator::Semicolon => b"; ",
                            Separator::Line => b"\n",
                        });
                    }
                    self.text.extend_from_slice(&bytes[start..*end]);
                    start = *end;
                }
            }
            FileFormat::Csv | FileFormat::Tsv | FileFormat::Jsonl => {
                self.text.extend_from_slice(&in_utf8(bytes, shape.form.encoding));
            }
        }
    }

    /// The rows as text.
    pub fn text(&self) -> Vec<u8> {
        let mut text = self.text.clone();
        if text.last().is_some_and(|last| *last != b'\n') {
            text.push(b'\n');
        }
        text
    }
}

fn in_utf8(bytes: &[u8], encoding: &'static Encoding) -> Vec<u8> {
    encoding.decode_without_bom_handling(bytes).0.into_owned().into_bytes()
}

/// A row of a workbook, as it would are in a CSV file.
fn as_csv(row: &[u8]) -> Vec<u8> {
    let mut csv = CsvBuffer::default();
    unpacked(row).for_each(|cell| csv.value(cell));
    csv.end_row();
    csv.bytes
}

/// Where the first `count` rows of CSV end.
fn end_of_rows(bytes: &[u8], count: usize) -> usize {
    let mut is_quoted = false;
    let mut rows = 0;
    for (at, byte) in bytes.iter().enumerate() {
        match byte {
            b'"' => is_quoted = !is_quoted,
            b'\n' if !is_quoted => {
                rows += 1;
                if rows == count {
                    return at + 1;
                }
            }
            _ => {}
        }
    }
    bytes.len()
}
