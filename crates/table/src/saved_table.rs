//! Tables that Pebblebank wrote, read again; a spreadsheet may have saved them with another delimiter meanwhile.

use crate::csv::without_defusing;
use crate::dialect::Dialect;
use crate::record::{RecordEnd, split_record};
use crate::{cell, recognise_dialect};

/// The rows with the numbers of their lines, from 1; cells without quotes and apostrophes in front of formulas.
pub fn rows(text: &str) -> Vec<(usize, Vec<String>)> {
    let bytes = text.trim_start_matches('\u{feff}').as_bytes();
    rows_in(bytes, recognise_dialect(bytes))
}

/// The same for rows whose dialect is known.
///
/// ```
/// use pebblebank_table::dialect::Dialect;
/// use pebblebank_table::saved_table::rows_in;
/// let rows = rows_in(b"\"Moss, Ida\",'=1+1\n\"a\nb\",c", Dialect::COMMA);
/// let cells = |row: usize| rows[row].1.join("|");
/// assert_eq!((rows[0].0, cells(0).as_str()), (1, "Moss, Ida|=1+1"));
/// assert_eq!((rows[1].0, cells(1).as_str()), (2, "a\nb|c"));
/// ```
pub fn rows_in(bytes: &[u8], dialect: Dialect) -> Vec<(usize, Vec<String>)> {
    let mut bytes = bytes.to_vec();
    if bytes.last().is_some_and(|last| *last != dialect.line_end) {
        bytes.push(dialect.line_end);
    }
    let mut rows = Vec::new();
    let mut ends = Vec::new();
    let (mut at, mut line) = (0, 1);
    while at < bytes.len() {
        ends.clear();
        let RecordEnd::At(next) = split_record(&bytes, at, dialect, true, &mut ends) else { break };
        let mut start = at;
        let mut cells = Vec::with_capacity(ends.len());
        for end in &ends {
            let raw = &bytes[start..*end as usize];
            let value = without_defusing(cell::value(raw.strip_suffix(b"\r").unwrap_or(raw)));
            cells.push(String::from_utf8_lossy(&value).into_owned());
            start = *end as usize + 1;
        }
        rows.push((line, cells));
        line += memchr::memchr_iter(b'\n', &bytes[at..next]).count().max(1);
        at = next;
    }
    rows
}
