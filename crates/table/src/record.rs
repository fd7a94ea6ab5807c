//! What a record is, byte by byte: the definition that the fast way must agree with.
//!
//! A cell that begins with a quote runs to the closing quote; two quotes inside stand for one
//! (RFC 4180, section 2). What the RFC leaves open is read so that as little as possible is swallowed:
//!
//! - a quote inside an unquoted cell is text;
//! - spaces between a delimiter and a quote are not part of the cell;
//! - text after a closing quote belongs to the cell, and the cell then is as it is, quotes included
//!   (`"Moss, Ida" <ida@post.example>`), unless the quoted part held a line end: then
//! - a quote that does not close, within [`MAX_QUOTED_LINES`] or at all, is no quote but text.

use crate::Dialect;
use crate::dialect::QUOTE;
use memchr::{memchr, memchr2};

/// A quoted cell of more line ends than this was never meant to be one.
pub const MAX_QUOTED_LINES: usize = 1_000;

/// The longest record, in bytes.
pub const MAX_RECORD_BYTES: usize = 16 << 20;

/// How the search for a record's end came out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RecordEnd {
    /// The next record begins here.
    At(usize),
    /// The bytes end before the record does, and more may come.
    NeedsMore,
}

/// Adds where each cell of the record at `start` ends. The last cell ends at the line end.
///
/// With `is_whole`, nothing comes after `bytes`, which end with a line end.
pub fn split_record(bytes: &[u8], start: usize, dialect: Dialect, is_whole: bool, ends: &mut Vec<u32>) -> RecordEnd {
    let mut at = start;
    loop {
        let Some(end) = cell_end(bytes, at, start, dialect, is_whole) else { return RecordEnd::NeedsMore };
        ends.push(end as u32);
        if bytes[end] == dialect.line_end {
            return RecordEnd::At(end + 1);
        }
        at = end + 1;
    }
}

/// The place of the delimiter or line end after the cell at `start`; none where more bytes are needed.
fn cell_end(bytes: &[u8], start: usize, record: usize, dialect: Dialect, is_whole: bool) -> Option<usize> {
    let open = start + spaces(bytes.get(start..)?);
    if open == bytes.len() && !is_whole {
        return None;
    }
    if bytes.get(open) == Some(&QUOTE) {
        match closing_quote(bytes, open, record, dialect, is_whole) {
            Closing::At { place, holds_line_end } => {
                let end = place + 1 + spaces(&bytes[place + 1..]);
                match &bytes[end..] {
                    [] | [b'\r'] if !is_whole => return None,
                    [next, ..] if *next == dialect.delimiter || *next == dialect.line_end => return Some(end),
                    [b'\r', next, ..] if *next == dialect.line_end => return Some(end + 1),
                    _ if holds_line_end => {}
                    _ => return plain_end(bytes, place + 1, dialect),
                }
            }
            Closing::Never => {}
            Closing::NeedsMore => return None,
        }
    }
    plain_end(bytes, start, dialect)
}

/// How many spaces the bytes begin with.
fn spaces(bytes: &[u8]) -> usize {
    bytes.iter().take_while(|byte| **byte == b' ').count()
}

fn plain_end(bytes: &[u8], from: usize, dialect: Dialect) -> Option<usize> {
    memchr2(dialect.delimiter, dialect.line_end, bytes.get(from..)?).map(|found| from + found)
}

enum Closing {
    At { place: usize, holds_line_end: bool },
    Never,
    NeedsMore,
}

/// Looks for the quote that closes the one at `open`.
fn closing_quote(bytes: &[u8], open: usize, record: usize, dialect: Dialect, is_whole: bool) -> Closing {
    let mut at = open + 1;
    let mut lines = 0;
    loop {
        let Some(found) = memchr(QUOTE, &bytes[at..]) else {
            let lines = lines + count(&bytes[at..], dialect.line_end);
            let given_up = is_whole || lines > MAX_QUOTED_LINES || bytes.len() - record >= MAX_RECORD_BYTES;
            return if given_up { Closing::Never } else { Closing::NeedsMore };
        };
        lines += count(&bytes[at..at + found], dialect.line_end);
        if lines > MAX_QUOTED_LINES || at + found - record >= MAX_RECORD_BYTES {
            return Closing::Never;
        }
        at += found + 1;
        match bytes.get(at) {
            Some(&QUOTE) => at += 1,
            None if !is_whole => return Closing::NeedsMore,
            _ => return Closing::At { place: at - 1, holds_line_end: lines > 0 },
        }
    }
}

fn count(bytes: &[u8], byte: u8) -> usize {
    memchr::memchr_iter(byte, bytes).count()
}

/// Whether a cell as it is in the file is a quoted one, so that its quotes are not part of its value.
pub fn is_quoted(raw: &[u8]) -> bool {
    let [QUOTE, inner @ .., QUOTE] = raw else { return false };
    let mut rest = inner;
    while let Some(found) = memchr(QUOTE, rest) {
        if rest.get(found + 1) != Some(&QUOTE) {
            return false;
        }
        rest = &rest[found + 2..];
    }
    true
}
