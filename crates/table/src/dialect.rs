//! How a delimited file parts its cells and its lines.

/// The quote of RFC 4180.
pub const QUOTE: u8 = b'"';

/// How a file parts its cells and its lines.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Dialect {
    /// Between cells.
    pub delimiter: u8,
    /// After records: a line feed (with or without a carriage return before it), or a lone carriage return.
    pub line_end: u8,
}

impl Dialect {
    /// Comma and line feed.
    pub const COMMA: Dialect = Dialect { delimiter: b',', line_end: b'\n' };

    /// What stands in place of a delimiter in a file of one column: a byte that no text holds.
    pub const NO_DELIMITER: u8 = 0;

    /// The delimiter's name.
    pub fn delimiter_name(self) -> &'static str {
        match self.delimiter {
            b',' => "comma",
            b';' => "semicolon",
            b'\t' => "tab",
            b'|' => "pipe",
            Dialect::NO_DELIMITER => "none",
            _ => "other",
        }
    }
}
