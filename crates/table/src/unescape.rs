//! Quotes that are escaped with a backslash (`"Ida \"Moss\""`) → quotes that are doubled, as RFC 4180 has them.

use crate::dialect::QUOTE;
use crate::recognise_dialect;
use crate::record::{RecordEnd, is_quoted, split_record};
use memchr::memmem;
use std::io::Read;

/// Reads text and, where the file is written so, gives its escaped quotes doubled and its doubled backslashes single.
pub struct Unescaping<R> {
    input: R,
    is_on: bool,
    /// The text ends, so far, with a backslash whose next byte is not known yet.
    is_open: bool,
    at_end: bool,
    raw: Vec<u8>,
    text: Vec<u8>,
    text_at: usize,
}

impl<R: Read> Unescaping<R> {
    /// Reads `input`; as it is, unless `is_on`.
    pub fn new(input: R, is_on: bool) -> Self {
        let raw = if is_on { vec![0; 64 << 10] } else { Vec::new() };
        Unescaping { input, is_on, is_open: false, at_end: false, raw, text: Vec::new(), text_at: 0 }
    }

    /// What is read from.
    pub fn input(&self) -> &R {
        &self.input
    }
}

impl<R: Read> Read for Unescaping<R> {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        if !self.is_on {
            return self.input.read(out);
        }
        while self.text_at == self.text.len() && !self.at_end {
            let count = self.input.read(&mut self.raw)?;
            self.text.clear();
            self.text_at = 0;
            self.at_end = count == 0;
            self.is_open = unescape(&self.raw[..count], self.is_open, &mut self.text);
            if self.at_end && self.is_open {
                self.text.push(b'\\');
                self.is_open = false;
            }
        }
        let count = out.len().min(self.text.len() - self.text_at);
        out[..count].copy_from_slice(&self.text[self.text_at..self.text_at + count]);
        self.text_at += count;
        Ok(count)
    }
}

/// Adds `raw` unescaped. `is_open` says whether a backslash stands before; given back is whether one stands at the end.
fn unescape(raw: &[u8], mut is_open: bool, text: &mut Vec<u8>) -> bool {
    for byte in raw {
        match (is_open, *byte) {
            (false, b'\\') => is_open = true,
            (false, byte) => text.push(byte),
            (true, QUOTE) => {
                text.extend_from_slice(b"\"\"");
                is_open = false;
            }
            (true, b'\\') => {
                text.push(b'\\');
                is_open = false;
            }
            (true, byte) => {
                text.extend_from_slice(&[b'\\', byte]);
                is_open = false;
            }
        }
    }
    is_open
}

/// The whole of a text, unescaped.
pub fn unescaped(raw: &[u8]) -> Vec<u8> {
    let mut text = Vec::with_capacity(raw.len());
    if unescape(raw, false, &mut text) {
        text.push(b'\\');
    }
    text
}

/// Whether a text is written with escaped quotes: read so, fewer of its quoted cells are broken.
pub fn has_backslash_quotes(sample: &[u8]) -> bool {
    const LOOKED_AT: usize = 256 << 10;
    let sample = &sample[..sample.len().min(LOOKED_AT)];
    if memmem::find(sample, b"\\\"").is_none() {
        return false;
    }
    let unescaped = unescaped(sample);
    broken_cells(&unescaped) < broken_cells(sample)
}

/// How many cells begin with a quote and are not properly quoted.
fn broken_cells(text: &[u8]) -> usize {
    let dialect = recognise_dialect(text);
    let (mut at, mut broken) = (0, 0);
    let mut ends = Vec::new();
    while at < text.len() {
        ends.clear();
        let RecordEnd::At(next) = split_record(text, at, dialect, false, &mut ends) else { break };
        let mut start = at;
        for end in &ends {
            let cell = text[start..*end as usize].trim_ascii_end();
            broken += usize::from(cell.first() == Some(&QUOTE) && !is_quoted(cell));
            start = *end as usize + 1;
        }
        at = next;
    }
    broken
}
