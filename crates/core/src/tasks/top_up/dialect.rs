//! Rows in the manner of another file: its delimiter, its line ends, its encoding.

use encoding_rs::{Encoding, UTF_16BE, UTF_16LE};
use pebblebank_table::{Error, ErrorKind, Result};

/// The manner of a file.
#[derive(Debug, Clone, Copy)]
pub struct Manner {
    /// What stands between cells.
    pub delimiter: u8,
    /// What ends a record.
    pub line_end: &'static str,
    /// The encoding.
    pub encoding: &'static Encoding,
}

impl Manner {
    /// Turns rows of our own CSV into rows in this manner, as UTF-8.
    pub fn rows(&self, rows: &[u8]) -> Vec<u8> {
        let mut out = Vec::with_capacity(rows.len());
        let mut value = Vec::new();
        let mut rest = rows;
        while !rest.is_empty() {
            value.clear();
            rest = take_cell(rest, &mut value);
            self.cell(&value, &mut out);
            match rest.split_first() {
                Some((b',', after)) => {
                    out.push(self.delimiter);
                    rest = after;
                    continue;
                }
                Some((_, after)) => rest = after,
                None => {}
            }
            out.extend_from_slice(self.line_end.as_bytes());
        }
        out
    }

    /// Adds a cell, in quotes where it needs them.
    pub fn cell(&self, value: &[u8], out: &mut Vec<u8>) {
        let needs_quotes = |byte: &u8| *byte == self.delimiter || matches!(byte, b'"' | b'\n' | b'\r');
        if !value.iter().any(needs_quotes) {
            return out.extend_from_slice(value);
        }
        out.push(b'"');
        for byte in value {
            out.extend_from_slice(if *byte == b'"' { b"\"\"" } else { std::slice::from_ref(byte) });
        }
        out.push(b'"');
    }

    /// A text in the encoding of the master; an error names a character that the encoding lacks.
    pub fn encoded(&self, text: &[u8]) -> Result<Vec<u8>> {
        let text = String::from_utf8_lossy(text);
        if self.encoding == UTF_16LE {
            return Ok(text.encode_utf16().flat_map(u16::to_le_bytes).collect());
        }
        if self.encoding == UTF_16BE {
            return Ok(text.encode_utf16().flat_map(u16::to_be_bytes).collect());
        }
        let (bytes, _, lacks_some) = self.encoding.encode(&text);
        if !lacks_some {
            return Ok(bytes.into_owned());
        }
        let lacking = text.chars().find(|c| self.encoding.encode(c.encode_utf8(&mut [0; 4])).2).unwrap_or('?');
        let what =
            format!("the master is in {}, which has no \"{lacking}\" (U+{:04X})", self.encoding.name(), lacking as u32);
        Err(Error::new(ErrorKind::Output, what, "save the master as UTF-8 first, then every letter can be added"))
    }
}

/// Takes a cell of our own CSV, which is regular; gives what follows it.
fn take_cell<'a>(bytes: &'a [u8], value: &mut Vec<u8>) -> &'a [u8] {
    let Some(mut rest) = bytes.strip_prefix(b"\"") else {
        let end = memchr::memchr2(b',', b'\n', bytes).unwrap_or(bytes.len());
        value.extend_from_slice(&bytes[..end]);
        return &bytes[end..];
    };
    while let Some(quote) = memchr::memchr(b'"', rest) {
        value.extend_from_slice(&rest[..quote]);
        rest = &rest[quote + 1..];
        match rest.strip_prefix(b"\"") {
            Some(after) => {
                value.push(b'"');
                rest = after;
            }
            None => break,
        }
    }
    rest
}
