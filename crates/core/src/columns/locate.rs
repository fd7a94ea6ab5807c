//! Where the table begins in a file: title lines above the header, the header, or none.

use super::headers;
use crate::clean::address;
use crate::read::cell;
use crate::read::record::{RecordEnd, split_record};
use crate::read::split::Records;
use crate::read::{Chunk, Dialect, Shape};

/// How many records from the top may come before the header.
pub const HEADER_IS_WITHIN: usize = 30;

/// How many records of the sample are looked at to judge a column by its values.
const RECORDS_JUDGED: usize = 1_000;

/// More bytes than most records have.
const LIKELY_RECORD: usize = 512;

/// The shape of the table in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Table {
    /// How many records stand above the first contact: title lines and the header.
    pub records_above: u64,
    /// Whether the last of them is a header.
    pub has_header: bool,
    /// The headers, or "column 1" and so on.
    pub headers: Vec<String>,
}

/// The records of a sample that are complete.
pub struct SampleRecords {
    chunk: Chunk,
    records: Records,
    dialect: Dialect,
}

impl SampleRecords {
    /// Splits a sample; `is_whole` where the file ends with it.
    pub fn new(sample: &[u8], dialect: Dialect, is_whole: bool) -> SampleRecords {
        let mut bytes = sample[..sample.len().min(RECORDS_JUDGED * LIKELY_RECORD)].to_vec();
        let is_whole = is_whole && bytes.len() == sample.len();
        if is_whole && bytes.last().is_some_and(|last| *last != dialect.line_end) {
            bytes.push(dialect.line_end);
        }
        let mut used = 0;
        let mut ends = Vec::new();
        let mut left = HEADER_IS_WITHIN + RECORDS_JUDGED;
        while used < bytes.len() && left > 0 {
            let RecordEnd::At(next) = split_record(&bytes, used, dialect, is_whole, &mut ends) else { break };
            used = next;
            left -= 1;
        }
        bytes.truncate(used);
        let chunk = Chunk { bytes, shape: Shape::Unusual, is_first: true };
        let mut records = Records::default();
        records.split(&chunk, dialect);
        SampleRecords { chunk, records, dialect }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.records.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.records.is_empty()
    }

    /// About how many records a file of so many bytes has, if it goes on like this.
    pub fn estimate(&self, file_bytes: u64) -> u64 {
        let sampled = self.chunk.bytes.len() as u64;
        (self.len() as u64 * file_bytes).checked_div(sampled).unwrap_or_default()
    }

    /// The values of a record.
    pub fn values(&self, index: usize) -> Vec<String> {
        let record = self.records.get(index, &self.chunk.bytes, self.dialect);
        record.raw_cells().map(|raw| cell::text(raw).into_owned()).collect()
    }

    /// The filled values of a column, from record `first` on.
    pub fn column(&self, column: usize, first: u64) -> impl Iterator<Item = String> + '_ {
        (first as usize..self.len().min(first as usize + RECORDS_JUDGED)).filter_map(move |index| {
            let record = self.records.get(index, &self.chunk.bytes, self.dialect);
            let raw = record.raw(column);
            (!cell::is_empty(raw)).then(|| cell::text(raw).into_owned())
        })
    }
}

impl Table {
    /// How many of its headers are known words.
    pub fn known_headers(&self) -> usize {
        let known = |header: &&String| headers::recognise(header).is_some();
        if self.has_header { self.headers.iter().filter(known).count() } else { 0 }
    }
}

/// Finds the table. `header_row` is what the job says: the header's row from 1, or 0 for no header.
///
/// The header is the first record among the first [`HEADER_IS_WITHIN`] in which a word is known and no
/// cell holds an address; failing that, the first filled record, unless it holds an address or, in a
/// file of one column, a domain: then there is none.
pub fn locate_table(sample: &SampleRecords, header_row: Option<u64>) -> Table {
    let rows: Vec<Vec<String>> = (0..sample.len().min(HEADER_IS_WITHIN)).map(|index| sample.values(index)).collect();
    let is_filled = |row: &&Vec<String>| row.iter().any(|value| !value.trim().is_empty());
    match header_row {
        Some(0) => return without_header(rows.iter().find(is_filled), 0),
        Some(row) => {
            let headers = sample.values(row as usize - 1);
            return Table { records_above: row, has_header: true, headers };
        }
        None => {}
    }
    let widest = rows.iter().map(Vec::len).max().unwrap_or(0);
    let first_looked_at = usize::from(rows.first().is_some_and(|row| says_delimiter(row)));
    for (index, row) in rows.iter().enumerate().skip(first_looked_at) {
        if row.iter().any(|value| value.contains('@')) {
            break;
        }
        let known = row.iter().filter(|value| headers::recognise(value).is_some()).count();
        let filled = row.iter().filter(|value| !value.trim().is_empty()).count();
        if known > 0 && (filled > 1 || widest == 1) {
            if let Some(headers) = rows.get(index + 1).and_then(|next| header_of_two_lines(row, next)) {
                return Table { records_above: index as u64 + 2, has_header: true, headers };
            }
            return Table { records_above: index as u64 + 1, has_header: true, headers: row.clone() };
        }
    }
    let is_first = |(index, row): (usize, &Vec<String>)| index >= first_looked_at && is_filled(&row);
    let Some(first) = rows.iter().enumerate().position(is_first) else { return without_header(None, 0) };
    let row = &rows[first];
    let holds_contact = |value: &String| value.contains('@') || (widest == 1 && address::domain(value).is_some());
    if row.iter().any(holds_contact) {
        return without_header(Some(row), first as u64);
    }
    let header = rows.iter().skip(first).position(|row| row.len() == widest).map_or(first, |at| first + at);
    Table { records_above: header as u64 + 1, has_header: true, headers: rows[header].clone() }
}

/// A first line such as `sep=;`, parted by the very delimiter that it names.
fn says_delimiter(row: &[String]) -> bool {
    row.first().is_some_and(|first| first.len() <= 5 && first.to_ascii_lowercase().starts_with("sep="))
}

/// The headers of a header over two lines: groups of columns above, or words broken in two. None where the second
/// line is a contact.
fn header_of_two_lines(upper: &[String], lower: &[String]) -> Option<Vec<String>> {
    let is_known = |value: &str| headers::recognise(value).is_some();
    let is_text = |value: &String| !value.contains('@') && !value.bytes().any(|byte| byte.is_ascii_digit());
    let lower_known = lower.iter().filter(|value| is_known(value)).count();
    let upper_known = upper.iter().filter(|value| is_known(value)).count();
    let is_repeated = lower.iter().zip(upper).all(|(lower, upper)| lower == upper);
    if is_repeated || !lower.iter().all(is_text) || lower.iter().all(|value| value.trim().is_empty()) {
        return None;
    }
    let mut group = "";
    let mut combined = Vec::with_capacity(upper.len().max(lower.len()));
    for column in 0..upper.len().max(lower.len()) {
        let at = |row: &'_ [String]| row.get(column).map_or(String::new(), |value| value.trim().to_owned());
        let (above, below) = (at(upper), at(lower));
        // A group's name stands over its first column only.
        group = if above.is_empty() { group } else { upper[column].trim() };
        let both = format!("{above} {below}");
        combined.push(match (above.is_empty(), below.is_empty()) {
            (_, true) => above,
            (true, false) if is_known(&below) || group.is_empty() => below,
            (true, false) => format!("{group} {below}"),
            // "E-mail" over "address" means more than "address"; "Address" over "City" does not.
            (false, false) if headers::recognise(&both) == headers::recognise(&below) && is_known(&below) => below,
            (false, false) if is_known(&both) || !is_known(&below) => both,
            (false, false) => below,
        });
    }
    let combined_known = combined.iter().filter(|value| is_known(value)).count();
    // A contact may bear a known word by chance ("City" is a family name somewhere), but hardly two.
    let all_known = combined_known == combined.iter().filter(|value| !value.is_empty()).count();
    let says_more = lower_known > upper_known || (all_known && combined_known > upper_known);
    (lower_known >= 2 && says_more || combined_known > upper_known + 1).then_some(combined)
}

fn without_header(first: Option<&Vec<String>>, records_above: u64) -> Table {
    let columns = first.map_or(0, Vec::len);
    Table { records_above, has_header: false, headers: (1..=columns).map(|n| format!("column {n}")).collect() }
}

/// How much some first rows look like a table of contacts: 0 not at all, 1 by its headers alone, more where it holds
/// addresses.
pub fn likeness(rows: &[Vec<String>]) -> u32 {
    let known = |row: &Vec<String>| row.iter().filter(|value| headers::recognise(value).is_some()).count();
    let most_known = rows.iter().map(known).max().unwrap_or(0) as u32;
    let holds_addresses = rows.iter().flatten().any(|value| value.contains('@'));
    if holds_addresses { 2 + most_known } else { most_known.min(1) }
}
