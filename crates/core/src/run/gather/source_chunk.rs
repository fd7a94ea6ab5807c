//! One chunk of a source, read: what each row is, its keys and its marks. [`super::sources`] puts the chunks together.

use super::counts::{SourceChunk, WatchedColumn};
use super::records::{checksum, has_open_quote, is_unreadable, line_above, not_text};
use super::source_row::RowRead;
use super::statements::Statements;
use crate::clean::plan::CleaningPlan;
use crate::columns::lines::{Line, looks_like_footnote};
use crate::run::contact::keys::RowKeys;
use crate::run::contact::{Contact, ContactReader, ContactWishes};
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::row_bits::{HAS_ADDRESS, IS_CLEAN};
use crate::suppress::RowChecks;
use crate::suppress::marks::Mark;
use pebblebank_table::units::{ColumnIndex, RowNumber, SourceId};
use pebblebank_table::{Chunk, Records, Shape};
use pebblebank_values::address::{Address, AddressCleaner, State};
use pebblebank_values::date_column::OrderEvidence;
use pebblebank_values::identity::IdentityHasher;
use std::sync::Arc;

/// What a thread reuses from chunk to chunk.
#[derive(Default)]
pub(crate) struct Scratch {
    records: Records,
    contacts: ContactReader,
    further: AddressCleaner,
    statements: Statements,
}

impl Scratch {
    pub fn new(files: &OpenFiles) -> Scratch {
        Scratch {
            contacts: ContactReader::new(&files.addresses),
            further: AddressCleaner::with(Arc::clone(&files.addresses)),
            ..Scratch::default()
        }
    }
}

/// What is looked for in a source file's rows beside addresses and consent.
pub(crate) struct RowPlan<'a> {
    pub cleaning: &'a CleaningPlan,
    pub keys: Option<&'a RowKeys>,
    /// Whether rows are marked with their source.
    pub marks_source: bool,
    /// Whether a yes or no about consent whose direction is not known stops the work.
    pub consent_stops: bool,
    /// Whether the identities are kept as text, beside their hashes.
    pub keeps_identities: bool,
}

/// Reads the rows of one chunk of a source.
pub(crate) fn read_source_chunk(
    file: &OpenFile<SourceId>,
    plan: &RowPlan,
    chunk: &Chunk,
    hasher: &IdentityHasher,
    checks: &RowChecks,
    scratch: &mut Scratch,
) -> SourceChunk {
    let identities = plan.keeps_identities.then(Vec::new);
    let mut read = SourceChunk { checksum: checksum(chunk), identities, ..SourceChunk::default() };
    scratch.records.split(chunk, file.dialect);
    let Scratch { records, contacts, further, statements } = scratch;
    read.problem = not_text(file, chunk, records);
    if read.problem.is_some() {
        return read;
    }
    let wishes = ContactWishes { values: plan.keys.map(RowKeys::cleaning), is_clean: false };
    let date_columns: Vec<ColumnIndex> = plan.cleaning.date_columns().collect();
    read.counts.dates = vec![OrderEvidence::default(); date_columns.len()];
    read.counts.watched = vec![WatchedColumn::default(); file.map().watched.len()];
    let fields: Vec<_> = file.map().field_columns().map(|(_, column, second)| (column, second)).collect();
    read.counts.filled = vec![0; fields.len()];
    read.lines.reserve(records.len());
    read.keys.reserve(records.len());
    for index in 0..records.len() {
        let record = records.get(index, &chunk.bytes, file.dialect);
        if let Some(line) = line_above(file, chunk, index) {
            read.line(line);
            continue;
        }
        let row = index as u32;
        let contact = file.contact(contacts, record, wishes);
        for change in contact.replaced {
            read.counts.replacement(change.replacement, RowNumber(u64::from(row) + 1));
        }
        let (line, bits) = judge(file, &contact);
        read.line(line);
        if line != Line::Contact {
            if line == Line::RepeatedHeader && file.begins_another_table(&contact.as_meant) {
                read.counts.other_tables.at(RowNumber(u64::from(row) + 1));
            }
            continue;
        }
        read.add_bits(bits);
        if bits == 0 && !file.needs_first_column && looks_like_footnote(&contact.as_meant, file.map().width()) {
            read.tail.rows.push(row);
        } else {
            read.tail.contact();
        }
        for (count, (column, second)) in read.counts.filled.iter_mut().zip(&fields) {
            let is_filled = |column: ColumnIndex| is_filled(contact.as_read.raw(column.0));
            *count += u64::from(is_filled(*column) || second.is_some_and(is_filled));
        }
        let mut row_read = RowRead { row, file, read: &mut read, hasher, checks };
        row_read.identities(&contact, further);
        if bits == 0 {
            row_read.stray_addresses(&contact.as_meant, is_unreadable(file, chunk, index, &contact.as_meant));
        }
        row_read.consent(&contact, plan.consent_stops, statements);
        row_read.width(&contact.as_meant);
        if let Some(keys) = plan.keys {
            row_read.other_keys(keys, &contact);
        }
        if plan.marks_source {
            read.marks.push((row, Mark::From(file.owner)));
        }
        read.look_at_dates(&contact.as_meant, row, &date_columns);
        if chunk.shape == Shape::Unusual && has_open_quote(&contact.as_meant) {
            read.counts.open_quotes.at(RowNumber(u64::from(row) + 1));
        }
    }
    read
}

/// Whether a cell holds more than spaces and quotes.
#[inline]
fn is_filled(raw: &[u8]) -> bool {
    raw.iter().any(|byte| !matches!(byte, b'"' | b' ' | b'\t' | b'\r' | b'\n'))
}

/// What a row is, and the bits that are kept with it.
fn judge(file: &OpenFile<SourceId>, contact: &Contact) -> (Line, u8) {
    let address = &contact.address;
    match address.state {
        State::Usable if address.rules.is_empty() && address.further.is_empty() && is_ascii_text(address) => {
            (Line::Contact, HAS_ADDRESS | IS_CLEAN)
        }
        State::Usable => (Line::Contact, HAS_ADDRESS),
        _ => (file.judge(&contact.as_meant), 0),
    }
}

/// Whether what is written is also what is compared.
fn is_ascii_text(address: &Address) -> bool {
    address.text.len() == address.identity.len()
}
