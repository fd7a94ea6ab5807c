//! Which records are contacts, and which are lines of other kinds.

use super::{Record, cell};
use crate::columns::fold::fold;

/// The words that a totals line begins with, folded, in seven languages.
const TOTAL_WORDS: [&str; 14] = [
    "total",
    "totals",
    "grand total",
    "sum",
    "summe",
    "gesamt",
    "insgesamt",
    "somme",
    "totaal",
    "totale",
    "totali",
    "totales",
    "totais",
    "soma",
];

/// What a record is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[repr(u8)]
pub enum Line {
    /// A person or mailbox.
    Contact,
    /// Above the header.
    Title,
    /// The header.
    Header,
    /// The header once more, where files were pasted together.
    RepeatedHeader,
    /// All its cells are empty or invisible.
    Empty,
    /// Begins with the word total and holds no `@`.
    Totals,
    /// A remark below the table.
    Footnote,
}

impl Line {
    /// The lines that are no contacts, in the order of the tally.
    pub const OTHERS: [Line; 6] =
        [Line::Title, Line::Header, Line::RepeatedHeader, Line::Empty, Line::Totals, Line::Footnote];

    /// The name in the tally.
    pub fn name(self) -> &'static str {
        match self {
            Line::Contact => "contact",
            Line::Title => "title",
            Line::Header => "header",
            Line::RepeatedHeader => "repeated_header",
            Line::Empty => "empty",
            Line::Totals => "totals",
            Line::Footnote => "footnote",
        }
    }

    /// The line with this number, as [`Self`] is kept a byte a row.
    pub fn from_byte(byte: u8) -> Line {
        match byte {
            0 => Line::Contact,
            1 => Line::Title,
            2 => Line::Header,
            3 => Line::RepeatedHeader,
            4 => Line::Empty,
            5 => Line::Totals,
            _ => Line::Footnote,
        }
    }
}

/// Tells a contact without a usable address from the lines that are no contacts.
#[cold]
pub fn judge_line(record: &Record, header: &[String], has_header: bool) -> Line {
    if record.raw_cells().all(cell::is_empty) {
        return Line::Empty;
    }
    if has_header && repeats_header(record, header) {
        return Line::RepeatedHeader;
    }
    let Some(first) = record.raw_cells().find(|raw| !cell::is_empty(raw)) else { return Line::Empty };
    let begins_with_total = || {
        if !first.iter().take(3).any(|byte| matches!(byte.to_ascii_lowercase(), b't' | b'g' | b's' | b'i')) {
            return false;
        }
        let folded = fold(&cell::text(first));
        TOTAL_WORDS
            .iter()
            .any(|word| folded.strip_prefix(word).is_some_and(|rest| rest.is_empty() || rest.starts_with(' ')))
    };
    let holds_at = || record.raw_cells().any(|raw| raw.contains(&b'@'));
    if !holds_at() && begins_with_total() { Line::Totals } else { Line::Contact }
}

/// How a record could be a footnote, if it stands at the end of its file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FootnoteLook {
    /// Not at all.
    None,
    /// Below a gap or a totals line.
    BelowGap,
    /// Anywhere below the contacts: it begins with a sign of footnotes.
    Signed,
}

/// Whether a record has the look of a footnote: one text in the first cell of a table of several columns, no `@`.
pub fn footnote_look(record: &Record, columns: usize) -> FootnoteLook {
    if columns < 2 || record.raw_cells().skip(1).any(|raw| !cell::is_empty(raw)) {
        return FootnoteLook::None;
    }
    let text = cell::text(record.raw(0));
    let text = text.trim();
    if text.is_empty() || text.contains('@') {
        FootnoteLook::None
    } else if text.starts_with(['*', '†', '‡', '(', '©']) || text.starts_with("--") {
        FootnoteLook::Signed
    } else if text.split_whitespace().count() >= 3 || text.contains(':') {
        FootnoteLook::BelowGap
    } else {
        FootnoteLook::None
    }
}

/// Whether the cells equal the headers after folding.
fn repeats_header(record: &Record, header: &[String]) -> bool {
    let is_likely = |(raw, header): (&[u8], &String)| cell::is_empty(raw) == header.trim().is_empty();
    record.cells() == header.len()
        && record.raw_cells().zip(header).all(is_likely)
        && record.raw_cells().zip(header).all(|(raw, header)| {
            let text = cell::text(raw);
            text == header.as_str() || fold(&text) == fold(header)
        })
}
