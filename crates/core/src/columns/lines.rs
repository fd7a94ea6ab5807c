//! Which records are contacts, and which are lines of other kinds.

use pebblebank_table::{Record, cell};
use pebblebank_values::Field;
use pebblebank_values::fold::fold;
use pebblebank_values::headers::{self, Meaning};
use pebblebank_values::look::{self, Look};
use std::collections::HashSet;

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
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, strum::IntoStaticStr, strum::FromRepr)]
#[strum(serialize_all = "snake_case")]
#[repr(u8)]
pub enum Line {
    /// A person or mailbox.
    Contact,
    /// Above the header.
    Title,
    /// The header.
    Header,
    /// A header once more, where files were pasted together: the same, in other words, or that of another table.
    RepeatedHeader,
    /// All its cells are empty or invisible.
    Empty,
    /// Begins with the word total, and otherwise holds only numbers.
    Totals,
    /// A remark below the table.
    Footnote,
    /// A remark with an address in it: read, and set aside.
    Unreadable,
}

impl Line {
    /// The lines that are no contacts, in the order of the tally.
    pub const OTHERS: [Line; 6] =
        [Line::Title, Line::Header, Line::RepeatedHeader, Line::Empty, Line::Totals, Line::Footnote];

    /// The name in the tally.
    pub fn name(self) -> &'static str {
        self.into()
    }

    /// The line with this number, as [`Self`] is kept a byte a row.
    pub fn from_byte(byte: u8) -> Line {
        Line::from_repr(byte).unwrap_or(Line::Unreadable)
    }

    /// Whether it counts as a row read, which ends in a file or is set aside.
    pub fn is_row(self) -> bool {
        matches!(self, Line::Contact | Line::Unreadable)
    }
}

/// Tells a row without a usable address from the lines that are no contacts.
#[cold]
pub fn judge_line(record: &Record, headers: Option<&[String]>) -> Line {
    if record.raw_cells().all(cell::is_empty) {
        return Line::Empty;
    }
    if headers.is_some_and(|headers| repeats_header(record, headers) || header_again(record, headers).is_some()) {
        return Line::RepeatedHeader;
    }
    if is_totals(record) { Line::Totals } else { Line::Contact }
}

/// A row below the header that is a header by its words.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum HeaderAgain {
    /// It says the same of each column.
    InOtherWords,
    /// Its columns are others.
    OfAnotherTable,
}

/// Whether a record that is no contact begins another table: what stands below it would be read under the wrong headers.
pub fn begins_another_table(record: &Record, headers: &[String]) -> bool {
    !repeats_header(record, headers) && header_again(record, headers) == Some(HeaderAgain::OfAnotherTable)
}

/// Whether a cell can only be an address or a domain, and no word of a header: a quick look, since every row of a list is
/// asked.
#[inline]
fn is_plainly_an_address(raw: &[u8]) -> bool {
    let Some(at) = memchr::memchr(b'@', raw) else { return false };
    let dot = memchr::memchr(b'.', &raw[at..]).map(|dot| at + dot + 1);
    dot.and_then(|behind| raw.get(behind)).is_some_and(u8::is_ascii_alphabetic)
}

/// Whether a row without an address is a header by its words alone: two thirds of its cells are words of headers, three
/// at least and two of them name fields; or it has two cells, both are such words, and one says address.
fn header_again(record: &Record, headers: &[String]) -> Option<HeaderAgain> {
    const MOST_LETTERS: usize = 60;
    let (mut known, mut fields) = (HashSet::new(), HashSet::new());
    let (mut filled, mut differs) = (0, false);
    for (column, raw) in record.raw_cells().enumerate().filter(|(_, raw)| !cell::is_empty(raw)) {
        if is_plainly_an_address(raw) {
            return None;
        }
        filled += 1;
        let text = cell::text(raw);
        let meaning = (text.len() <= MOST_LETTERS).then(|| headers::recognise(&text)).flatten();
        if meaning.is_none() && (filled == 1 || text.contains('@') || Look::of(&text).is_typed()) {
            return None;
        }
        if let Some(meaning) = meaning {
            if let Meaning::Field(field) = meaning {
                fields.insert(field);
            }
            differs |= headers.get(column).and_then(|header| headers::recognise(header)) != Some(meaning);
            known.insert(fold(&text));
        }
    }
    let is_short = filled == 2 && known.len() == 2 && fields.contains(&Field::Email);
    let is_header = is_short || (fields.len() >= 2 && known.len() >= 3 && known.len() * 3 >= filled * 2);
    let again = if differs { HeaderAgain::OfAnotherTable } else { HeaderAgain::InOtherWords };
    is_header.then_some(again)
}

/// Whether the first filled cell begins with the word total, and all else is numbers.
fn is_totals(record: &Record) -> bool {
    let mut filled = record.raw_cells().filter(|raw| !cell::is_empty(raw));
    let Some(first) = filled.next() else { return false };
    if is_plainly_an_address(first)
        || !first.iter().take(3).any(|byte| matches!(byte.to_ascii_lowercase(), b't' | b'g' | b's' | b'i'))
    {
        return false;
    }
    let text = cell::text(first);
    let folded = fold(&text);
    // Of "Total: 12" the number is behind the sign.
    let is_total = TOTAL_WORDS.iter().any(|word| {
        folded.strip_prefix(word).is_some_and(|rest| rest.bytes().all(|byte| byte.is_ascii_digit() || byte == b' '))
    });
    let is_amount = |text: &str| look::is_number(text) && !(text.starts_with(['0', '+']) && look::is_phone(text));
    is_total && filled.all(|raw| is_amount(cell::text(raw).trim()))
}

/// Whether a record could be a footnote, if it stands below the last contact and a gap or totals line: words in the first
/// cell of a table of several columns, and nothing else.
pub fn looks_like_footnote(record: &Record, columns: usize) -> bool {
    if columns < 2 || record.raw_cells().skip(1).any(|raw| !cell::is_empty(raw)) {
        return false;
    }
    let text = cell::text(record.raw(0));
    let text = text.trim();
    let is_code = !text.contains(char::is_whitespace) && text.contains(|c: char| c.is_numeric());
    // A lone name is a person, a sentence is a remark.
    let is_remark = text.split_whitespace().count() >= 3
        || text.contains(':')
        || text.starts_with(['*', '†', '‡', '(', '©', '–', '-']);
    text.contains(char::is_alphabetic) && is_remark && !is_code && !Look::of(text).is_typed()
}

/// Whether the cells equal the headers after folding. Empty cells at the ends do not count.
fn repeats_header(record: &Record, headers: &[String]) -> bool {
    let is_likely = |(raw, header): (&[u8], &String)| {
        cell::is_empty(raw) == header.trim().is_empty()
            && is_plainly_an_address(raw) == is_plainly_an_address(header.as_bytes())
    };
    let common = record.cells().min(headers.len());
    record.raw_cells().zip(headers).all(is_likely)
        && record.raw_cells().skip(common).all(cell::is_empty)
        && headers[common..].iter().all(|header| header.trim().is_empty())
        && record.raw_cells().zip(headers).all(|(raw, header)| {
            let text = cell::text(raw);
            text == header.as_str() || fold(&text) == fold(header)
        })
}
