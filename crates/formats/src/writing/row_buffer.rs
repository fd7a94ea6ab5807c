//! The rows of a chunk → bytes of a file's form, on whichever thread lays them out.

use super::encode::encode;
use super::form::{FileForm, FileFormat, Lacking, Quoting};
use super::{json_line, recipient_entry};
use encoding_rs::UTF_8;
use pebblebank_table::cell_digest::{CellDigest, RowsDigest};
use pebblebank_table::csv::{Defusing, RawCells, is_formula};
use pebblebank_table::split::RawCell;
use pebblebank_table::{CsvBuffer, cell};
use std::borrow::Cow;
use std::sync::Arc;

/// Takes rows in, cell by cell.
pub trait RowBuffer {
    /// Adds a cell that stands for `value`.
    fn value(&mut self, value: &[u8]);
    /// Adds a cell of a text that the job itself says, which is never defused.
    fn own_text(&mut self, text: &[u8]);
    /// Adds a usable address.
    fn address(&mut self, address: &[u8]);
    /// Adds a cell as it was in its file.
    fn raw(&mut self, raw: RawCell, cells: RawCells);
    /// Ends the row.
    fn end_row(&mut self);
}

impl RowBuffer for CsvBuffer {
    #[inline]
    fn value(&mut self, value: &[u8]) {
        CsvBuffer::value(self, value);
    }

    #[inline]
    fn own_text(&mut self, text: &[u8]) {
        CsvBuffer::own_text(self, text);
    }

    #[inline]
    fn address(&mut self, address: &[u8]) {
        CsvBuffer::address(self, address);
    }

    #[inline]
    fn raw(&mut self, raw: RawCell, cells: RawCells) {
        CsvBuffer::raw(self, raw, cells);
    }

    #[inline]
    fn end_row(&mut self) {
        CsvBuffer::end_row(self);
    }
}

/// The names of the columns, and the form of the file: the same for all chunks.
#[derive(Debug)]
pub struct Shape {
    /// The form.
    pub form: FileForm,
    /// Whether cells that a spreadsheet would run get an apostrophe; only text for spreadsheets is defused.
    pub defusing: Defusing,
    /// The columns.
    pub columns: Vec<String>,
    pub(super) json_names: Vec<Vec<u8>>,
}

impl Shape {
    /// Of a file with these columns.
    pub fn new(form: FileForm, defusing: Defusing, columns: Vec<String>) -> Shape {
        let json_names = columns.iter().map(|name| json_line::string(name.as_bytes())).collect();
        let defusing = if form.format.is_delimited() { defusing } else { Defusing::Off };
        Shape { form, defusing, columns, json_names }
    }
}

/// Rows of any form.
#[derive(Debug)]
pub struct FormedBuffer {
    shape: Arc<Shape>,
    bytes: Vec<u8>,
    row_ends: Vec<usize>,
    digest: CellDigest,
    /// The cells of the row that is being added, one after the other, and where each ends.
    cells: Vec<u8>,
    ends: Vec<usize>,
    line: Vec<u8>,
}

impl FormedBuffer {
    /// An empty buffer.
    pub fn new(shape: &Arc<Shape>) -> FormedBuffer {
        FormedBuffer {
            shape: Arc::clone(shape),
            bytes: Vec::new(),
            row_ends: Vec::new(),
            digest: CellDigest::default(),
            cells: Vec::new(),
            ends: Vec::new(),
            line: Vec::new(),
        }
    }

    /// The rows.
    pub fn bytes(&self) -> &[u8] {
        &self.bytes
    }

    /// Where each row ends among the bytes.
    pub fn row_ends(&self) -> &[usize] {
        &self.row_ends
    }

    /// The digest of the rows.
    pub fn digest(&self) -> RowsDigest {
        self.digest.sum()
    }

    /// Keeps the digest of each row.
    pub fn keep_row_digests(&mut self) {
        self.digest.keep_each();
    }

    /// The digest of each row, where they are kept.
    pub fn row_digests(&self) -> &[u64] {
        self.digest.each()
    }

    /// Empties it.
    pub fn clear(&mut self) {
        self.bytes.clear();
        self.row_ends.clear();
        self.digest.clear();
    }

    fn add(&mut self, text: &[u8]) {
        let text = self.as_written(text);
        match text {
            Cow::Borrowed(text) => self.cells.extend_from_slice(text),
            Cow::Owned(text) => self.cells.extend_from_slice(&text),
        }
        self.ends.push(self.cells.len());
    }

    /// The value as the file can hold it.
    fn as_written<'a>(&self, text: &'a [u8]) -> Cow<'a, [u8]> {
        let form = &self.shape.form;
        let utf8 = || std::str::from_utf8(text).unwrap_or_default();
        match form.format {
            FileFormat::Xlsx if text.contains(&b'\r') => Cow::Owned(super::sheet::with_line_feeds(text)),
            FileFormat::RecipientLine if !self.ends.is_empty() => match recipient_entry::name_of(utf8()) {
                Cow::Borrowed(name) => Cow::Borrowed(name.as_bytes()),
                Cow::Owned(name) => Cow::Owned(name.into_bytes()),
            },
            FileFormat::Csv | FileFormat::Tsv if form.lacking == Lacking::Nearest && !text.is_ascii() => {
                match super::encode::nearest(utf8(), form.encoding) {
                    Some(near) => Cow::Owned(near.into_bytes()),
                    None => Cow::Borrowed(text),
                }
            }
            _ => Cow::Borrowed(text),
        }
    }

    fn cells(&self) -> impl Iterator<Item = &[u8]> {
        self.ends.iter().scan(0, |start, end| Some(&self.cells[std::mem::replace(start, *end)..*end]))
    }

    fn add_delimited(&mut self) {
        let form = &self.shape.form;
        let is_utf8 = form.encoding == UTF_8;
        let mut line = std::mem::take(&mut self.line);
        line.clear();
        for (place, cell) in self.cells().enumerate() {
            if place > 0 {
                line.push(form.delimiter);
            }
            let is_lone = self.ends.len() == 1 && cell.is_empty();
            if is_lone || form.quoting == Quoting::All || needs_quotes(cell, form.delimiter) {
                add_quoted(cell, &mut line);
            } else {
                line.extend_from_slice(cell);
            }
        }
        line.extend_from_slice(form.line_end.bytes());
        if is_utf8 {
            self.bytes.extend_from_slice(&line);
        } else {
            encode(std::str::from_utf8(&line).unwrap_or_default(), form.encoding, &mut self.bytes);
        }
        self.line = line;
    }

    fn digest_row(&mut self) {
        let is_sheet = self.shape.form.format == FileFormat::Xlsx;
        let mut start = 0;
        // A sheet does not keep blank cells at the end of a row, nor rows of blank cells.
        let filled = if is_sheet { self.filled_cells() } else { self.ends.len() };
        if is_sheet && filled == 0 {
            return;
        }
        for end in &self.ends[..filled] {
            self.digest.cell(&self.cells[start..*end]);
            start = *end;
        }
        self.digest.end_row();
    }

    fn filled_cells(&self) -> usize {
        let is_filled = |place: &usize| self.ends[*place] > if *place == 0 { 0 } else { self.ends[*place - 1] };
        (0..self.ends.len()).rev().find(is_filled).map_or(0, |last| last + 1)
    }
}

impl RowBuffer for FormedBuffer {
    fn value(&mut self, value: &[u8]) {
        if self.shape.defusing == Defusing::On && is_formula(value) {
            let defused = [b"'", value].concat();
            self.add(&defused);
        } else {
            self.add(value);
        }
    }

    fn own_text(&mut self, text: &[u8]) {
        self.add(text);
    }

    fn address(&mut self, address: &[u8]) {
        let could_run = address.iter().any(|byte| matches!(byte, b'|' | b'!'));
        if could_run { self.value(address) } else { self.add(address) }
    }

    fn raw(&mut self, raw: RawCell, _cells: RawCells) {
        self.value(&cell::value(raw.bytes));
    }

    fn end_row(&mut self) {
        self.digest_row();
        let shape = Arc::clone(&self.shape);
        match shape.form.format {
            FileFormat::Csv | FileFormat::Tsv => self.add_delimited(),
            FileFormat::Jsonl => {
                let mut bytes = std::mem::take(&mut self.bytes);
                json_line::add(&shape.json_names, self.cells(), &mut bytes);
                bytes.extend_from_slice(shape.form.line_end.bytes());
                self.bytes = bytes;
            }
            FileFormat::RecipientLine => {
                let mut bytes = std::mem::take(&mut self.bytes);
                let mut cells = self.cells();
                let address = cells.next().unwrap_or_default();
                let name = std::str::from_utf8(cells.next().unwrap_or_default()).unwrap_or_default();
                recipient_entry::add(address, name, &mut bytes);
                drop(cells);
                self.bytes = bytes;
            }
            FileFormat::Xlsx => {
                let mut bytes = std::mem::take(&mut self.bytes);
                super::sheet::pack_row(self.cells(), &mut bytes);
                self.bytes = bytes;
            }
        }
        self.row_ends.push(self.bytes.len());
        self.cells.clear();
        self.ends.clear();
    }
}

fn needs_quotes(cell: &[u8], delimiter: u8) -> bool {
    cell.iter().any(|byte| *byte == delimiter || matches!(byte, b'"' | b'\r' | b'\n'))
}

fn add_quoted(cell: &[u8], line: &mut Vec<u8>) {
    line.push(b'"');
    for byte in cell {
        if *byte == b'"' {
            line.push(b'"');
        }
        line.push(*byte);
    }
    line.push(b'"');
}
