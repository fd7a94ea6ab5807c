//! Writes CSV (RFC 4180, with line feeds) into a buffer.

use crate::cell_digest::{CellDigest, RowsDigest};
use crate::record::is_quoted;
use crate::split::RawCell;
use std::borrow::Cow;

/// Whether cells that a spreadsheet would run as formulas get an apostrophe in front.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Defusing {
    /// They do.
    On,
    /// They stay as they are.
    Off,
}

/// Whether a cell as it was in its file can be copied without a look at it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RawCells {
    /// It came from a regular comma-delimited chunk.
    FitAsTheyAre,
    /// It may hold a comma, a quote or a line end.
    NeedALook,
}

/// Rows of CSV.
#[derive(Debug)]
pub struct CsvBuffer {
    /// The bytes so far.
    pub bytes: Vec<u8>,
    row_start: usize,
    rows: u64,
    defusing: Defusing,
    /// Of what is meant to be written, where that is compared with the file later.
    digest: Option<CellDigest>,
}

impl Default for CsvBuffer {
    /// One that defuses nothing.
    fn default() -> CsvBuffer {
        CsvBuffer::new(Defusing::Off)
    }
}

impl CsvBuffer {
    /// An empty buffer.
    pub fn new(defusing: Defusing) -> CsvBuffer {
        CsvBuffer { bytes: Vec::new(), row_start: 0, rows: 0, defusing, digest: None }
    }

    /// An empty buffer that digests the cells it is given.
    pub fn digesting(defusing: Defusing) -> CsvBuffer {
        CsvBuffer { digest: Some(CellDigest::default()), ..CsvBuffer::new(defusing) }
    }

    /// The digest of the rows; nothing where none is kept.
    pub fn digest(&self) -> RowsDigest {
        self.digest.as_ref().map(CellDigest::sum).unwrap_or_default()
    }

    /// Keeps the digest of each row, of a buffer that digests.
    pub fn keep_row_digests(&mut self) {
        self.digest.iter_mut().for_each(CellDigest::keep_each);
    }

    /// The digest of each row, where they are kept.
    pub fn row_digests(&self) -> &[u64] {
        self.digest.as_ref().map(CellDigest::each).unwrap_or_default()
    }

    /// From here on formulas are defused, or left as they are.
    #[inline]
    pub fn set_defusing(&mut self, defusing: Defusing) {
        self.defusing = defusing;
    }

    /// Empties it.
    #[inline]
    pub fn clear(&mut self) {
        self.bytes.clear();
        self.row_start = 0;
        self.rows = 0;
        if let Some(digest) = &mut self.digest {
            digest.clear();
        }
    }

    #[inline]
    fn note(&mut self, value: &[u8]) {
        if let Some(digest) = &mut self.digest {
            digest.cell(value);
        }
    }

    /// How many rows were ended.
    #[inline]
    pub fn rows(&self) -> u64 {
        self.rows
    }

    /// Adds a cell that stands for `value`.
    #[inline]
    pub fn value(&mut self, value: &[u8]) {
        if self.must_defuse(value) {
            return self.defused(value);
        }
        self.note(value);
        if needs_quotes(value) {
            self.quoted(value);
        } else {
            self.bytes.extend_from_slice(value);
        }
        self.bytes.push(b',');
    }

    /// Adds a cell of a text that the job itself says, which is never defused.
    #[inline]
    pub fn own_text(&mut self, text: &[u8]) {
        let defusing = std::mem::replace(&mut self.defusing, Defusing::Off);
        self.value(text);
        self.defusing = defusing;
    }

    /// Adds a usable address, which holds nothing that needs quotes. One that begins like a formula is still an
    /// address, unless it could be run as one.
    #[inline]
    pub fn address(&mut self, address: &[u8]) {
        let could_run = || address.iter().any(|byte| matches!(byte, b'|' | b'!'));
        if self.must_defuse(address) && could_run() {
            return self.defused(address);
        }
        self.note(address);
        self.bytes.extend_from_slice(address);
        self.bytes.push(b',');
    }

    /// Adds a cell as it was in its file.
    #[inline]
    pub fn raw(&mut self, raw: RawCell, cells: RawCells) {
        match raw.bytes.first() {
            None => {
                self.note(b"");
                self.bytes.push(b',');
            }
            Some(first) if cells == RawCells::FitAsTheyAre && !NEEDS_ATTENTION[*first as usize] => self.copy(raw),
            Some(first) => self.raw_with_care(*first, raw.bytes, cells),
        }
    }

    /// Copies a cell and its comma. Short cells are copied with what stands behind them in the chunk, which is
    /// then cut off: a copy of fixed length is several times as fast as one of some twelve bytes.
    #[inline]
    fn copy(&mut self, raw: RawCell) {
        self.note(raw.bytes);
        match raw.window {
            Some(window) if raw.bytes.len() < window.len() => {
                let end = self.bytes.len() + raw.bytes.len();
                self.bytes.extend_from_slice(window);
                self.bytes[end] = b',';
                self.bytes.truncate(end + 1);
            }
            _ => {
                self.bytes.extend_from_slice(raw.bytes);
                self.bytes.push(b',');
            }
        }
    }

    fn raw_with_care(&mut self, first: u8, raw: &[u8], cells: RawCells) {
        let is_copied = match first {
            b'"' => {
                let inner = &raw[1..raw.len().max(2) - 1];
                (cells == RawCells::FitAsTheyAre || is_quoted(raw)) && !self.must_defuse(inner)
            }
            _ => !self.must_defuse(raw) && !needs_quotes(raw),
        };
        if is_copied {
            if self.digest.is_some() {
                self.note(&crate::cell::value(raw));
            }
            self.bytes.extend_from_slice(raw);
            self.bytes.push(b',');
        } else {
            self.value(&crate::cell::value(raw));
        }
    }

    /// Ends the row.
    #[inline]
    pub fn end_row(&mut self) {
        if self.bytes.len() == self.row_start + 1 {
            // A row of one empty cell would be an empty line, which readers skip.
            self.bytes.splice(self.row_start.., *b"\"\",");
        }
        if let Some(last) = self.bytes.last_mut() {
            *last = b'\n';
        }
        self.row_start = self.bytes.len();
        self.rows += 1;
        if let Some(digest) = &mut self.digest {
            digest.end_row();
        }
    }

    #[inline]
    fn must_defuse(&self, value: &[u8]) -> bool {
        self.defusing == Defusing::On && is_formula(value)
    }

    #[cold]
    fn defused(&mut self, value: &[u8]) {
        let defused = [b"'", value].concat();
        self.note(&defused);
        if needs_quotes(&defused) {
            self.quoted(&defused);
        } else {
            self.bytes.extend_from_slice(&defused);
        }
        self.bytes.push(b',');
    }

    fn quoted(&mut self, value: &[u8]) {
        self.bytes.push(b'"');
        for byte in value {
            if *byte == b'"' {
                self.bytes.push(b'"');
            }
            self.bytes.push(*byte);
        }
        self.bytes.push(b'"');
    }
}

/// What a quoted cell or a formula begins with.
const NEEDS_ATTENTION: [bool; 256] = {
    let mut needs = [false; 256];
    let mut byte = 0;
    while byte < 256 {
        needs[byte] = matches!(byte as u8, b'"' | b'=' | b'+' | b'-' | b'@' | b'\t' | b'\r');
        byte += 1;
    }
    needs
};

const NEEDS_QUOTES: [bool; 256] = {
    let mut needs = [false; 256];
    needs[b',' as usize] = true;
    needs[b'"' as usize] = true;
    needs[b'\r' as usize] = true;
    needs[b'\n' as usize] = true;
    needs
};

/// Whether a cell with this value stands in quotes.
#[inline]
pub fn needs_quotes(value: &[u8]) -> bool {
    value.iter().any(|byte| NEEDS_QUOTES[*byte as usize])
}

/// Whether a spreadsheet would run the value: it begins with `= + - @`, a tab or a carriage return, and
/// is not a number, a phone number or a dash.
pub fn is_formula(value: &[u8]) -> bool {
    match value {
        // Signs alone are a dash or a line, and nothing that could be run.
        [b'=' | b'@' | b'+' | b'-', rest @ ..] if rest.iter().all(|byte| b"=+-_. ".contains(byte)) => false,
        [b'=' | b'@' | b'\t' | b'\r', ..] => true,
        [b'+' | b'-', rest @ ..] => {
            let is_number = rest.iter().any(u8::is_ascii_digit)
                && rest.iter().all(|byte| byte.is_ascii_digit() || b" .,()/-".contains(byte));
            !is_number && !is_extended_phone(rest)
        }
        _ => false,
    }
}

/// Whether a value, behind its plus, is a phone number with an extension as it is written: `442079460018 ext. 5`.
fn is_extended_phone(value: &[u8]) -> bool {
    const BETWEEN: &[u8] = b" ext. ";
    let is_digits = |part: &[u8]| !part.is_empty() && part.iter().all(u8::is_ascii_digit);
    memchr::memmem::find(value, BETWEEN)
        .is_some_and(|at| is_digits(&value[..at]) && is_digits(&value[at + BETWEEN.len()..]))
}

/// The value that was defused by an earlier run.
#[inline]
pub fn without_defusing(value: Cow<'_, [u8]>) -> Cow<'_, [u8]> {
    match value.strip_prefix(b"'") {
        Some(rest) if is_formula(rest) => Cow::Owned(rest.to_vec()),
        _ => value,
    }
}
