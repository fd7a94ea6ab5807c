//! Rows of formats that are not delimited text, kept as comma-delimited UTF-8 in a file without a name.
//!
//! What cannot be read twice cheaply (a workbook, cards, JSON) is read once into this; everything after
//! goes on as with any delimited file. Only its owner may read it, and it is gone when the program ends.

use crate::damage::{Damage, is_absurd};
use crate::dialect::QUOTE;
use crate::observe::Finding;
use crate::record::MAX_RECORD_BYTES;
use crate::units::RowNumber;
use crate::{Error, ErrorKind, Result};
use memchr::{memchr, memchr3};
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

/// How many bytes are gathered before they go to the file.
const BUFFER_BYTES: usize = 256 << 10;

/// Rows that were read out of a file.
#[derive(Debug)]
pub struct Extracted {
    /// The rows as comma-delimited UTF-8.
    pub rows: File,
    /// The size of that.
    pub bytes: u64,
    /// The headers, where the format names its columns; else a row of the file holds them.
    pub headers: Option<Vec<String>>,
    /// What was seen on the way.
    pub findings: Vec<Finding>,
}

/// Takes in rows, cell by cell.
pub struct RowSpool {
    file: File,
    folder: PathBuf,
    source: PathBuf,
    source_bytes: u64,
    buffer: Vec<u8>,
    row_start: usize,
    cells: usize,
    rows: u64,
    bytes: u64,
}

impl RowSpool {
    /// A spool in `folder` for what the file `source` of `source_bytes` holds.
    pub fn new(folder: &Path, source: &Path, source_bytes: u64) -> Result<RowSpool> {
        let file = tempfile::tempfile_in(folder).map_err(|cause| Error::unwritable(folder, &cause))?;
        Ok(RowSpool {
            file,
            folder: folder.to_path_buf(),
            source: source.to_path_buf(),
            source_bytes,
            buffer: Vec::with_capacity(BUFFER_BYTES + (64 << 10)),
            row_start: 0,
            cells: 0,
            rows: 0,
            bytes: 0,
        })
    }

    /// How many rows are finished.
    pub fn rows(&self) -> u64 {
        self.rows
    }

    /// Adds a cell to the row.
    pub fn cell(&mut self, text: &[u8]) {
        if self.cells > 0 {
            self.buffer.push(b',');
        }
        self.cells += 1;
        let needs_quotes = memchr3(b',', QUOTE, b'\n', text).is_some() || memchr(b'\r', text).is_some();
        if !needs_quotes && memchr(0, text).is_none() {
            self.buffer.extend_from_slice(text);
            return;
        }
        self.buffer.push(QUOTE);
        for byte in text {
            match *byte {
                QUOTE => self.buffer.extend_from_slice(b"\"\""),
                0 => self.buffer.extend_from_slice("\u{FFFD}".as_bytes()),
                byte => self.buffer.push(byte),
            }
        }
        self.buffer.push(QUOTE);
    }

    /// Adds empty cells until the row has `cells`.
    pub fn fill_up_to(&mut self, cells: usize) {
        while self.cells < cells {
            self.cell(b"");
        }
    }

    /// How many cells the row has so far.
    pub fn cells(&self) -> usize {
        self.cells
    }

    /// Ends the row.
    pub fn end_row(&mut self) -> Result<()> {
        self.rows += 1;
        if self.buffer.len() - self.row_start > MAX_RECORD_BYTES {
            return Err(Error::new(
                ErrorKind::Input,
                format!("a single row has more than {} MiB, so this is no table of contacts", MAX_RECORD_BYTES >> 20),
                "open the file to see what it is, and export the contacts again",
            )
            .in_file(&self.source)
            .at_row(RowNumber(self.rows)));
        }
        self.buffer.push(b'\n');
        self.cells = 0;
        if self.buffer.len() >= BUFFER_BYTES {
            self.flush()?;
        }
        self.row_start = self.buffer.len();
        Ok(())
    }

    fn flush(&mut self) -> Result<()> {
        self.file.write_all(&self.buffer).map_err(|cause| Error::unwritable(&self.folder, &cause))?;
        self.bytes += self.buffer.len() as u64;
        self.buffer.clear();
        if is_absurd(self.bytes, self.source_bytes) {
            return Err(Damage::Absurd.error(&self.source));
        }
        Ok(())
    }

    /// What was taken in.
    pub fn finish(mut self, headers: Option<Vec<String>>, findings: Vec<Finding>) -> Result<Extracted> {
        self.flush()?;
        Ok(Extracted { rows: self.file, bytes: self.bytes, headers, findings })
    }
}
