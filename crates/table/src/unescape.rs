//! Text that is written otherwise than RFC 4180 has it → text as it has it: quotes that are escaped with a backslash
//! (`"Ida \"Moss\""`), single quotes around all cells, NUL bytes.

use crate::dialect::QUOTE;
use crate::recognise::{DELIMITERS, recognise_dialect};
use crate::record::{RecordEnd, is_quoted, split_record};
use memchr::{memchr, memchr_iter, memmem};
use std::io::Read;

/// How a text is written otherwise than RFC 4180 has it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Oddities {
    /// Quotes inside of quotes stand behind a backslash.
    pub backslash_quotes: bool,
    /// There are NUL bytes, which mean nothing and are left out.
    pub nul_bytes: bool,
    /// All cells are in single quotes; the delimiter between them.
    pub single_quotes: Option<u8>,
}

impl Oddities {
    /// Those of a text that begins like this.
    pub fn of(sample: &[u8]) -> Oddities {
        let nul_bytes = memchr(0, sample).is_some();
        let single_quotes = recognise_single_quotes(sample);
        let backslash_quotes = single_quotes.is_none() && has_backslash_quotes(sample);
        Oddities { backslash_quotes, nul_bytes, single_quotes }
    }

    /// Whether there are any.
    pub fn is_any(self) -> bool {
        self != Oddities::default()
    }
}

/// Reads text and gives it as RFC 4180 has it.
pub struct Unescaping<R> {
    input: R,
    oddities: Oddities,
    /// The text ends, so far, with a backslash whose next byte is not known yet.
    is_open: bool,
    /// Where in a text with single quotes it is.
    single: Single,
    at_end: bool,
    raw: Vec<u8>,
    text: Vec<u8>,
    text_at: usize,
}

impl<R: Read> Unescaping<R> {
    /// Reads `input`; as it is, where it has no oddities.
    pub fn new(input: R, oddities: Oddities) -> Self {
        let raw = if oddities.is_any() { vec![0; 64 << 10] } else { Vec::new() };
        let single = Single::default();
        Unescaping { input, oddities, is_open: false, single, at_end: false, raw, text: Vec::new(), text_at: 0 }
    }

    /// What is read from.
    pub fn input(&self) -> &R {
        &self.input
    }
}

impl<R: Read> Read for Unescaping<R> {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        if !self.oddities.is_any() {
            return self.input.read(out);
        }
        while self.text_at == self.text.len() && !self.at_end {
            let count = self.input.read(&mut self.raw)?;
            self.text.clear();
            self.text_at = 0;
            self.at_end = count == 0;
            let raw = &mut self.raw[..count];
            let raw = if self.oddities.nul_bytes { without_nul_bytes(raw) } else { raw };
            match (self.oddities.single_quotes, self.oddities.backslash_quotes) {
                (Some(delimiter), _) => {
                    self.single.take(raw, delimiter, self.at_end, &mut self.text);
                }
                (None, true) => self.is_open = unescape(raw, self.is_open, &mut self.text),
                (None, false) => self.text.extend_from_slice(raw),
            }
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

/// Moves the NUL bytes out of the way.
fn without_nul_bytes(raw: &mut [u8]) -> &mut [u8] {
    let mut kept = 0;
    for at in 0..raw.len() {
        if raw[at] != 0 {
            raw[kept] = raw[at];
            kept += 1;
        }
    }
    &mut raw[..kept]
}

/// Where in a text with single quotes a reader is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
enum Single {
    /// At the beginning of a cell.
    #[default]
    Begin,
    /// In a cell without quotes.
    Bare,
    /// In quotes.
    Quoted,
    /// Behind a single quote in quotes: the end, or the first of two.
    AfterQuote,
}

impl Single {
    /// Adds `raw` with double quotes in place of the single ones. Gives back whether every cell in it is in single quotes, is a
    /// number, or is blank.
    fn take(&mut self, raw: &[u8], delimiter: u8, is_end: bool, text: &mut Vec<u8>) -> bool {
        let mut keeps_form = true;
        for byte in raw {
            if *self == Single::AfterQuote {
                if *byte == b'\'' {
                    text.push(b'\'');
                    *self = Single::Quoted;
                    continue;
                }
                text.push(QUOTE);
                *self = Single::Bare;
                keeps_form &= *byte == delimiter || byte.is_ascii_whitespace();
            }
            match (*self, *byte) {
                (Single::Begin, b'\'') => {
                    text.push(QUOTE);
                    *self = Single::Quoted;
                }
                (Single::Quoted, b'\'') => *self = Single::AfterQuote,
                (Single::Quoted, QUOTE) => text.extend_from_slice(b"\"\""),
                (Single::Quoted, byte) => text.push(byte),
                (_, byte) => {
                    text.push(byte);
                    let is_plain = byte == delimiter || byte.is_ascii_whitespace() || b"0123456789.,+-".contains(&byte);
                    keeps_form &= is_plain || *self != Single::Begin;
                    let begins = byte == delimiter || matches!(byte, b'\n' | b'\r');
                    *self =
                        if begins || (*self == Single::Begin && byte == b' ') { Single::Begin } else { Single::Bare };
                }
            }
        }
        if is_end && *self == Single::AfterQuote {
            text.push(QUOTE);
        }
        keeps_form && !(is_end && *self == Single::Quoted)
    }
}

/// The delimiter of a text all of whose cells are in single quotes, numbers and blanks aside; none of any other.
fn recognise_single_quotes(sample: &[u8]) -> Option<u8> {
    const LOOKED_AT: usize = 64 << 10;
    const FEWEST: usize = 2;
    let sample = &sample[..sample.len().min(LOOKED_AT)];
    if sample.trim_ascii_start().first() != Some(&b'\'') {
        return None;
    }
    DELIMITERS.into_iter().find(|delimiter| {
        let mut text = Vec::with_capacity(sample.len());
        // The sample may end in the middle of a cell.
        let keeps_form = Single::default().take(sample, *delimiter, false, &mut text);
        keeps_form && memchr_iter(QUOTE, &text).count() >= 2 * FEWEST
    })
}

/// Whether all of a text keeps to single quotes, as its beginning does.
///
/// # Errors
/// Where reading fails.
pub fn keeps_to_single_quotes(mut input: impl Read, delimiter: u8) -> std::io::Result<bool> {
    let mut raw = vec![0; 256 << 10];
    let mut text = Vec::new();
    let mut single = Single::default();
    loop {
        let count = input.read(&mut raw)?;
        text.clear();
        let piece = without_nul_bytes(&mut raw[..count]);
        if !single.take(piece, delimiter, count == 0, &mut text) {
            return Ok(false);
        }
        if count == 0 {
            return Ok(true);
        }
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

/// The whole of a text as RFC 4180 has it.
pub fn unescaped(raw: &[u8], oddities: Oddities) -> Vec<u8> {
    let mut text = Vec::with_capacity(raw.len());
    // Reading from memory does not fail.
    let _ = Unescaping::new(raw, oddities).read_to_end(&mut text);
    text
}

/// Whether a text is written with escaped quotes: read so, fewer of its quoted cells are broken.
fn has_backslash_quotes(sample: &[u8]) -> bool {
    const LOOKED_AT: usize = 256 << 10;
    let sample = &sample[..sample.len().min(LOOKED_AT)];
    if memmem::find(sample, b"\\\"").is_none() {
        return false;
    }
    let unescaped = unescaped(sample, Oddities { backslash_quotes: true, ..Oddities::default() });
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
