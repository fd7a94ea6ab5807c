//! How a delimited file parts its cells, and where its table is: recognised together, since each is evidence for the other.

use super::locate::{Table, locate_table};
use super::sample::SampleRecords;
use pebblebank_table::recognise::{DELIMITERS, said_by_first_line};
use pebblebank_table::{Dialect, recognise_dialect};
use pebblebank_values::address::{AddressCleaner, State};
use pebblebank_values::look::{self, Look};
use pebblebank_values::{NamedHeaders, Rule};

/// How a file parts its cells, and where its table is.
pub struct TableShape {
    /// How it parts cells and lines.
    pub dialect: Dialect,
    /// Its beginning.
    pub records: SampleRecords,
    /// Where its table is.
    pub table: Table,
}

/// What is said about the shape of a file.
#[derive(Debug, Clone, Copy)]
pub struct ShapeWishes<'a> {
    /// The delimiter.
    pub delimiter: Option<u8>,
    /// The row of the header from 1; 0 where there is none.
    pub header_row: Option<u64>,
    /// The headers that the job names.
    pub named: &'a NamedHeaders,
}

/// How many records of the sample are looked at for each delimiter.
const RECORDS_LOOKED_AT: usize = 200;

/// Recognises the shape of a delimited file that begins with `sample`.
///
/// Every delimiter that occurs is tried, and none at all. The header with the most known words wins; among equals, the
/// reading in which cells with an address hold nothing else, rows have equally many cells, and the header has as many as
/// they. A trailing delimiter is no cell.
pub fn recognise_shape(sample: &[u8], is_whole: bool, wishes: ShapeWishes) -> TableShape {
    let even = recognise_dialect(sample);
    let shape = |delimiter: u8| {
        let dialect = Dialect { delimiter, ..even };
        let records = SampleRecords::new(sample, dialect, is_whole);
        let table = locate_table(&records, wishes.header_row, wishes.named);
        TableShape { dialect, records, table }
    };
    if let Some(delimiter) = wishes.delimiter.or_else(|| said_by_first_line(sample)) {
        return shape(delimiter);
    }
    let occurs = |delimiter: &u8| memchr::memchr(*delimiter, sample).is_some();
    let delimiters = std::iter::once(Dialect::NO_DELIMITER).chain(DELIMITERS.into_iter().filter(occurs));
    // Only the readings whose headers have the most known words.
    let (mut most_known, mut candidates) = (0, Vec::new());
    for candidate in delimiters.map(shape) {
        let known = known_words(&candidate, wishes.named);
        if known > most_known {
            most_known = known;
            candidates.clear();
        }
        if known == most_known {
            candidates.push(candidate);
        }
    }
    let mut best: Option<(i64, TableShape)> = None;
    let is_alone = candidates.len() == 1;
    for candidate in candidates {
        let score = if is_alone { 0 } else { Fit::of(&candidate).score() };
        if best.as_ref().is_none_or(|(highest, _)| score > *highest) {
            best = Some((score, candidate));
        }
    }
    match best {
        Some((_, shape)) => shape,
        None => shape(even.delimiter),
    }
}

/// The known words of its header, if that has several cells: a single word alone in its line is a header under any
/// delimiter.
fn known_words(shape: &TableShape, named: &NamedHeaders) -> usize {
    let stands_alone = shape.table.headers.iter().filter(|header| !header.trim().is_empty()).count() == 1;
    if stands_alone { 0 } else { shape.table.known_headers(named) }
}

/// How well a reading fits a file, beside the words of its header.
#[derive(Debug, Clone, Copy)]
struct Fit {
    /// Of the cells with an address, the share that holds nothing else.
    purity: f64,
    /// The share of records with the usual number of cells.
    evenness: f64,
    /// Whether the header has as many cells as the rows below.
    header_fits: bool,
}

impl Fit {
    fn of(shape: &TableShape) -> Fit {
        let is_parted = shape.dialect.delimiter != Dialect::NO_DELIMITER;
        let mut cleaner = AddressCleaner::default();
        let (mut counts, mut extents) = (Vec::new(), Vec::new());
        let (mut with_address, mut pure, mut only_addresses) = (0usize, 0usize, true);
        let first = shape.table.records_above as usize;
        for index in (first..shape.records.len()).take(RECORDS_LOOKED_AT) {
            let values = shape.records.values(index);
            let filled: Vec<&String> = values.iter().filter(|value| !value.trim().is_empty()).collect();
            if filled.is_empty() {
                continue;
            }
            // A remark says nothing about how rows are split.
            if let [only] = filled.as_slice()
                && only.split_whitespace().count() > 2
                && !Look::of(only).is_typed()
            {
                continue;
            }
            counts.push(values.len());
            extents.push(values.iter().rposition(|value| !value.trim().is_empty()).map_or(0, |last| last + 1));
            for value in filled {
                if !look::holds_address(value) {
                    only_addresses = false;
                    continue;
                }
                with_address += 1;
                pure += usize::from(is_pure(value, &mut cleaner));
            }
        }
        let purity = if with_address == 0 { 1.0 } else { pure as f64 / with_address as f64 };
        let (width, evenly) = most_frequent(&counts);
        // Addresses with nothing beside them are several of one person, however many are in a line.
        let parts_people = only_addresses && with_address > 0 && shape.dialect.delimiter != b'|';
        let evenness = match is_parted {
            true if width > 1 && !parts_people => evenly,
            true => 0.0,
            false => 0.5,
        };
        let header = shape.table.headers.iter().rposition(|header| !header.is_empty()).map_or(0, |last| last + 1);
        let header_fits = !shape.table.has_header || header >= most_frequent(&extents).0;
        Fit { purity, evenness, header_fits }
    }

    /// In tenths, since a few ragged rows must not decide.
    fn score(self) -> i64 {
        let tenths = |share: f64| (share * 10.0).round() as i64;
        4 * tenths(self.purity) + 2 * tenths(self.evenness) + if self.header_fits { 15 } else { 0 }
    }
}

/// Whether a cell holds addresses and nothing that belongs into another cell.
fn is_pure(value: &str, cleaner: &mut AddressCleaner) -> bool {
    let address = cleaner.clean(value.as_bytes());
    let is_usable = address.state == State::Usable;
    let holds_more = address.rules.has(Rule::TextBesideAddress) && !value.contains('(');
    let parts = value.split([';', '\t', '|', '\n']).filter(|part| !part.trim().is_empty());
    is_usable && !holds_more && parts.into_iter().all(|part| part.contains('@'))
}

/// The most frequent number, and its share.
fn most_frequent(numbers: &[usize]) -> (usize, f64) {
    let mut seen: Vec<(usize, usize)> = Vec::new();
    for number in numbers {
        match seen.iter_mut().find(|(other, _)| other == number) {
            Some((_, count)) => *count += 1,
            None => seen.push((*number, 1)),
        }
    }
    let most = seen.into_iter().max_by_key(|(number, count)| (*count, *number));
    most.map_or((0, 0.0), |(number, count)| (number, count as f64 / numbers.len() as f64))
}
