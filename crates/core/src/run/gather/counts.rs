//! What the first pass finds: counts of files and lists, and what one chunk brings in.

use super::chunks::FileRead;
use crate::columns::consent_columns::how_to_answer;
use crate::columns::lines::Line;
use crate::person::keys::Role;
use crate::run::open::files::OpenFile;
use crate::run::row_bits::LINE_BITS;
use crate::suppress::marks::Mark;
use pebblebank_table::encoding::BAD_BYTES_ADVICE;
use pebblebank_table::observe::{Finding, Met, Weight, counted};
use pebblebank_table::units::{ColumnIndex, RowNumber};
use pebblebank_table::{Error, ErrorKind, Record, cell};
use pebblebank_values::date_column::OrderEvidence;
use pebblebank_values::identity::IdentityHash;
use pebblebank_values::unread::UnreadCounts;
use std::collections::BTreeMap;

/// What was counted of one file.
#[derive(Debug, Clone, Default)]
pub struct FileCounts {
    /// BLAKE3 of its bytes, in hex.
    pub fingerprint: String,
    /// Records that are contacts; for a list: rows that are no other line.
    pub contacts: u64,
    /// Of the contacts, those outside of the rows that are wanted of the file.
    pub outside_of_range: u64,
    /// Lines that are no contacts, in the order of [`Line::OTHERS`].
    pub others: [u64; Line::OTHERS.len()],
    /// Headers of another table.
    pub other_tables: Met,
    /// Rows with fewer cells than the header.
    pub short_rows: Met,
    /// Rows with more cells than the header.
    pub long_rows: Met,
    /// Words in a consent column that nobody listed, and how often.
    pub unlisted_words: BTreeMap<String, u64>,
    /// How many of the contacts have each field filled, in the order of the map's own fields
    /// ([`crate::columns::map::ColumnMap::field_columns`]), as they were read.
    pub filled: Vec<u64>,
    /// What its watched columns hold, in their order.
    pub watched: Vec<WatchedColumn>,
    /// Rows of a list whose address stands outside of the columns of addresses.
    pub shifted_entries: Met,
    /// Blanks in columns of ticked boxes under an opt-in.
    pub unticked: u64,
    /// Rows with a quote that begins a cell and is never closed, so that it was read as text.
    pub open_quotes: Met,
    /// By the number of the job's replacement, in how many rows it replaced something.
    pub replacements: Vec<Met>,
    /// Lines with bytes that fit no character and were replaced.
    pub replaced: Met,
    /// What its columns of dates show of their order, as the cleaning plan has them.
    pub dates: Vec<OrderEvidence>,
    /// Rows whose refusal is void, since the person came back after the file was last changed.
    pub void_refusals: Met,
}

/// What a column holds that was not taken for consent by what the beginning of its file shows.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct WatchedColumn {
    /// Filled values.
    pub filled: u64,
    /// Words of status columns.
    pub words: u64,
    /// Of these, refusals that can mean nothing else.
    pub refusals: u64,
}

/// How many different words nobody listed are kept for each file.
pub(crate) const UNLISTED_WORDS_KEPT: usize = 50;

impl FileCounts {
    /// A replacement replaced something in this row.
    pub fn replacement(&mut self, number: usize, row: RowNumber) {
        self.replacements.resize_with(self.replacements.len().max(number + 1), Met::default);
        let met = &mut self.replacements[number];
        if met.rows.last() != Some(&row) {
            met.at(row);
        }
    }

    /// Adds what is known of the file at its end.
    pub(crate) fn file_read(&mut self, read: FileRead) {
        self.fingerprint = read.fingerprint;
        self.replaced = read.replaced;
    }

    /// Adds what was counted in a chunk; this many records of the file come before it.
    pub fn add(&mut self, chunk: &FileCounts, first_row: u64) {
        let moved = |met: &Met| met.moved(first_row);
        self.contacts += chunk.contacts;
        self.others.iter_mut().zip(chunk.others).for_each(|(sum, count)| *sum += count);
        self.other_tables.append(&moved(&chunk.other_tables));
        self.short_rows.append(&moved(&chunk.short_rows));
        self.long_rows.append(&moved(&chunk.long_rows));
        self.open_quotes.append(&moved(&chunk.open_quotes));
        self.void_refusals.append(&moved(&chunk.void_refusals));
        self.replacements.resize_with(self.replacements.len().max(chunk.replacements.len()), Met::default);
        for (met, chunk) in self.replacements.iter_mut().zip(&chunk.replacements) {
            met.append(&moved(chunk));
        }
        self.dates.resize_with(self.dates.len().max(chunk.dates.len()), OrderEvidence::default);
        for (seen, chunk) in self.dates.iter_mut().zip(&chunk.dates) {
            seen.append(&chunk.moved(first_row));
        }
        for (word, count) in &chunk.unlisted_words {
            if self.unlisted_words.contains_key(word) || self.unlisted_words.len() < UNLISTED_WORDS_KEPT {
                *self.unlisted_words.entry(word.clone()).or_default() += count;
            }
        }
        self.filled.resize(self.filled.len().max(chunk.filled.len()), 0);
        self.filled.iter_mut().zip(&chunk.filled).for_each(|(sum, count)| *sum += count);
        self.watched.resize_with(self.watched.len().max(chunk.watched.len()), WatchedColumn::default);
        for (seen, chunk) in self.watched.iter_mut().zip(&chunk.watched) {
            seen.filled += chunk.filled;
            seen.words += chunk.words;
            seen.refusals += chunk.refusals;
        }
        self.unticked += chunk.unticked;
        self.shifted_entries.append(&moved(&chunk.shifted_entries));
    }

    /// So many of the contacts turned out to be footnotes.
    pub(crate) fn are_footnotes(&mut self, count: u64) {
        self.contacts -= count;
        self.others[Line::OTHERS.len() - 1] += count;
    }

    /// What to say about the shape of the file's rows.
    pub fn row_findings(&self) -> Vec<Finding> {
        let said = [
            ("short-rows", &self.short_rows, "fewer cells than the header; the missing ones count as blank"),
            (
                "long-rows",
                &self.long_rows,
                "more cells than the header; perhaps they are shifted by a delimiter too many",
            ),
            (
                "void-refusals",
                &self.void_refusals,
                "a refusal that no longer counts: the person came back since, as the bank remembers",
            ),
            (
                "shifted-entries",
                &self.shifted_entries,
                "an address outside of its column, which was taken as an entry; perhaps the cells are shifted by a delimiter too many",
            ),
            ("open-quotes", &self.open_quotes, "a quote that is never closed; it was read as text"),
        ];
        let finding = |(code, met, what): (&'static str, &Met, &str)| {
            let text = format!("{} {what}", counted(met.count, "row", "has", "have"));
            (met.count > 0).then(|| Finding::new(code, Weight::Warning, text).at_rows(met))
        };
        let unticked = (self.unticked > 0).then(|| {
            let boxes = if self.unticked == 1 {
                "1 opt-in box is".to_owned()
            } else {
                format!("{} opt-in boxes are", self.unticked)
            };
            let only = "writes only to people who ticked it";
            let text = format!("{boxes} not ticked, which states nothing; --where 'consent is opted-in' {only}");
            let in_job =
                format!("{boxes} not ticked, which states nothing; consent = \"opted-in\" in [require] {only}");
            let finding = Finding::new("unticked-boxes", Weight::Warning, text).or_in_job(in_job);
            Finding { count: self.unticked, ..finding }
        });
        let tables = another_table(&self.other_tables);
        said.into_iter().filter_map(finding).chain(unticked).chain(tables).collect()
    }

    /// Counts a record.
    pub fn count(&mut self, line: Line) {
        match Line::OTHERS.iter().position(|other| *other == line) {
            Some(index) => self.others[index] += 1,
            None => self.contacts += 1,
        }
    }
}

/// What to say of rows that begin another table.
pub(crate) fn another_table(met: &Met) -> Option<Finding> {
    let text = format!(
        "{} the words of another header: what stands below was read under the headers at the top, and may be in the wrong \
         columns",
        counted(met.count, "row", "has", "have")
    );
    (met.count > 0).then(|| Finding::new("another-table", Weight::Doubt, text).at_rows(met))
}

/// What was counted of one suppression list.
#[derive(Debug, Clone, Default)]
pub struct ListCounts {
    /// Entries that are addresses.
    pub addresses: u64,
    /// Entries that are domains.
    pub domains: u64,
    /// Of the addresses, those that are not shown.
    pub digests: u64,
    /// Entries that are neither.
    pub unusable: u64,
    /// Rows without an entry.
    pub blank: u64,
    /// Rows that the list's condition leaves out.
    pub left_out: u64,
    /// Rows that are no refusal by their status: who may be written to, and whose mail came back for now.
    pub no_refusal: u64,
    /// Of these, those whose mail came back for now.
    pub soft_bounces: u64,
    /// Words in its status column that nobody listed, so that the list's own reason was taken, and how often.
    pub unlisted_words: BTreeMap<String, u64>,
    /// Domains that would hold everybody at a public mailbox provider.
    pub providers: Vec<String>,
    /// Entries of refusals that no longer count: the person came back since the list was last changed.
    pub voided: u64,
    /// What was not read of it.
    pub unread: UnreadCounts,
    /// The numbers of its entries among all.
    pub entry_numbers: Vec<std::ops::Range<u32>>,
}

/// The part of a source that one chunk holds; rows are counted from 0 within it.
#[derive(Default)]
pub(crate) struct SourceChunk {
    /// What each record is: a [`Line`], with [`HAS_ADDRESS`] and [`IS_CLEAN`].
    pub lines: Vec<u8>,
    /// The identities of its rows.
    pub keys: Vec<(u32, Role, IdentityHash)>,
    /// The identities that are addresses, as text; none unless they are asked for.
    pub identities: Option<Vec<(u32, String)>>,
    /// What its rows are ranked by among the copies of a person; empty where all are equal.
    pub ranks: Vec<(u32, u32)>,
    /// What its rows are marked with.
    pub marks: Vec<(u32, Mark)>,
    /// Those after the last row that is a contact beyond doubt which could be footnotes.
    pub tail: Tail,
    /// What was counted.
    pub counts: FileCounts,
    /// What its bytes must still be when they are read again.
    pub checksum: u64,
    /// What stops the run.
    pub problem: Option<Problem>,
}

impl SourceChunk {
    /// The next record is this.
    #[inline]
    pub(super) fn line(&mut self, line: Line) {
        self.lines.push(line as u8);
        self.counts.count(line);
    }

    /// Keeps bits with the record read last.
    #[inline]
    pub(super) fn add_bits(&mut self, bits: u8) {
        if let Some(last) = self.lines.last_mut() {
            *last |= bits;
        }
    }

    /// Looks at what its dates say of the order of day and month.
    pub(super) fn look_at_dates(&mut self, record: &Record, row: u32, columns: &[ColumnIndex]) {
        for (column, seen) in columns.iter().zip(&mut self.counts.dates) {
            seen.look(&cell::value(record.raw(column.0)), RowNumber(u64::from(row) + 1));
        }
    }
}

/// The end of a chunk or file, as far as it may be footnotes.
#[derive(Debug, Clone, Default)]
pub(crate) struct Tail {
    /// Whether a contact stands before it in the same chunk.
    pub follows_contact: bool,
    /// Records that may be footnotes.
    pub rows: Vec<u32>,
}

/// More than this are no footnotes.
const MOST_FOOTNOTES: usize = 50;

impl Tail {
    /// A contact beyond doubt.
    pub fn contact(&mut self) {
        self.follows_contact = true;
        self.rows.clear();
    }

    /// Goes on with the next chunk of the file, whose rows are moved by `first`.
    pub fn append(&mut self, next: &Tail, first: u32) {
        if next.follows_contact {
            self.rows.clear();
        }
        self.rows.extend(next.rows.iter().map(|row| row + first));
        if self.rows.len() > MOST_FOOTNOTES {
            self.contact();
        }
    }

    /// The records that are footnotes, given what each record of the run is.
    pub fn footnotes(&self, lines: &[u8]) -> Vec<u32> {
        let mut footnotes: Vec<u32> = Vec::new();
        for row in &self.rows {
            let above = (*row as usize).checked_sub(1).map(|row| Line::from_byte(lines[row] & LINE_BITS));
            let is_below_gap = matches!(above, Some(Line::Empty | Line::Totals))
                || footnotes.last().is_some_and(|footnote| footnote + 1 == *row);
            if is_below_gap {
                footnotes.push(*row);
            } else {
                // What stands above a contact is none.
                footnotes.clear();
            }
        }
        footnotes
    }
}

/// What stops the run at a row of the chunk.
pub(crate) enum Problem {
    /// A yes or no in a column whose direction is not known.
    Direction { row: u32, header: String },
    /// Bytes that are not UTF-8.
    NotText { row: u32 },
}

impl Problem {
    /// Whether the file is not in the encoding that it was taken to be in.
    pub fn is_not_text(&self) -> bool {
        matches!(self, Problem::NotText { .. })
    }

    /// The error, given how many records of the file come before the chunk.
    pub fn at<Owner>(self, file: &OpenFile<Owner>, rows_above: u64) -> Error {
        let place = |row: u32| RowNumber(rows_above + u64::from(row) + 1);
        match self {
            Problem::Direction { row, header } => {
                let what = "this column says yes or no, and its header does not say to what";
                let [advice, in_job] = how_to_answer(&header);
                Error::new(ErrorKind::Question, what, advice)
                    .or_in_job(in_job)
                    .in_file(file.input.path())
                    .at_row(place(row))
                    .in_column(&header)
            }
            Problem::NotText { row } => Error::new(
                ErrorKind::Input,
                "some bytes are not UTF-8 text, though the file begins as such",
                BAD_BYTES_ADVICE,
            )
            .in_file(file.input.path())
            .at_row(place(row))
            .expected("text in UTF-8"),
        }
    }
}

/// Everything that rows are compared with: the entries of lists, and the people whom the job names.
#[derive(Debug, Clone, Default)]
pub struct Entrants {
    /// What was counted of each list.
    pub lists: Vec<ListCounts>,
    /// The people whom decisions name.
    pub decided: ListCounts,
    /// The addresses that each part of the job allows.
    pub allowed: Vec<ListCounts>,
}
