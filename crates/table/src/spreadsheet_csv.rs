//! CSV as spreadsheet programs open it where the comma is the decimal sign: semicolons, and a byte order mark in front.

use memchr::{memchr, memchr2};

/// Turns rows of a [`CsvBuffer`](crate::CsvBuffer) into such CSV.
#[derive(Debug, Default)]
pub struct SpreadsheetCsv {
    has_begun: bool,
    bytes: Vec<u8>,
}

impl SpreadsheetCsv {
    /// The same `rows` with semicolons; the first ones with a byte order mark in front. `rows` are whole rows.
    ///
    /// ```
    /// use pebblebank_table::spreadsheet_csv::SpreadsheetCsv;
    /// let mut csv = SpreadsheetCsv::default();
    /// let header = csv.converted(b"name,note\n");
    /// assert_eq!(header, "\u{feff}name;note\n".as_bytes());
    /// assert_eq!(csv.converted(b"\"Moss, Ida\",a;b\n"), b"\"Moss, Ida\";\"a;b\"\n");
    /// ```
    pub fn converted(&mut self, mut rows: &[u8]) -> &[u8] {
        self.bytes.clear();
        if !self.has_begun && !rows.is_empty() {
            self.bytes.extend_from_slice(b"\xEF\xBB\xBF");
            self.has_begun = true;
        }
        while !rows.is_empty() {
            let cell = &rows[..cell_length(rows)];
            let needs_quotes = !cell.starts_with(b"\"") && memchr(b';', cell).is_some();
            let quote: &[u8] = if needs_quotes { b"\"" } else { b"" };
            for part in [quote, cell, quote] {
                self.bytes.extend_from_slice(part);
            }
            let end = rows.get(cell.len()).map(|end| if *end == b',' { b';' } else { *end });
            self.bytes.extend(end);
            rows = rows.get(cell.len() + 1..).unwrap_or_default();
        }
        &self.bytes
    }
}

/// The length of the first cell of `rows`, its quotes included.
fn cell_length(rows: &[u8]) -> usize {
    let mut quoted = 0;
    if rows.first() == Some(&b'"') {
        quoted = 1;
        while let Some(quote) = memchr(b'"', &rows[quoted..]) {
            quoted += quote + 1;
            if rows.get(quoted) != Some(&b'"') {
                break;
            }
            quoted += 1;
        }
    }
    memchr2(b',', b'\n', &rows[quoted..]).map_or(rows.len(), |end| quoted + end)
}

#[cfg(test)]
mod tests {
    use super::SpreadsheetCsv;
    use crate::CsvBuffer;
    use crate::csv::Defusing;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn another_reader_finds_the_same_cells_behind_the_mark(
            rows in prop::collection::vec(prop::collection::vec("[a;,\"\n ']{0,5}", 3), 1..6),
        ) {
            let mut plain = CsvBuffer::new(Defusing::Off);
            for row in &rows {
                for cell in row {
                    plain.value(cell.as_bytes());
                }
                plain.end_row();
            }
            let mut converter = SpreadsheetCsv::default();
            let converted = converter.converted(&plain.bytes);
            let mut reader = ::csv::ReaderBuilder::new()
                .has_headers(false)
                .delimiter(b';')
                .from_reader(converted.strip_prefix(b"\xEF\xBB\xBF").expect("a byte order mark"));
            let read: Vec<Vec<String>> = reader.deserialize().collect::<Result<_, _>>().expect("valid CSV");
            prop_assert_eq!(read, rows);
        }
    }
}
