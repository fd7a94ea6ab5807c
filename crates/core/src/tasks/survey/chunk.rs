//! One chunk of a file, looked at: what its rows and their values are.

use super::column::ColumnChunk;
use super::distinct::hash;
use crate::clean::plan::CleaningPlan;
use crate::columns::lines::{Line, looks_like_footnote};
use crate::run::contact::{Contact, ContactReader, ContactWishes};
use crate::run::gather::counts::{FileCounts, Problem, Tail};
use crate::run::gather::records::{has_open_quote, line_above, not_text};
use crate::run::open::files::OpenFile;
use crate::tasks::survey::found::AddressSurvey;
use pebblebank_formats::Format;
use pebblebank_table::units::{ColumnIndex, RowNumber};
use pebblebank_table::{Chunk, Record, Records, Shape, cell};
use pebblebank_values::Field;
use pebblebank_values::address::State;
use pebblebank_values::audience::{self, DisposableDomains};
use pebblebank_values::suggest::{self, DomainLooks, DomainTypos};
use std::collections::HashMap;

/// What a thread reuses from chunk to chunk.
#[derive(Default)]
pub(crate) struct Scratch {
    pub(super) records: Records,
    pub(super) contacts: ContactReader,
    pub(super) looks: Looks,
}

/// What is known of domains.
#[derive(Default)]
pub(crate) struct Looks {
    disposable: DisposableDomains,
    domains: DomainLooks,
}

/// What is looked for in every chunk.
pub(crate) struct Asked<'a> {
    pub(super) cleaning: &'a CleaningPlan,
    pub(super) typos: &'a DomainTypos,
    pub(super) with_domains: bool,
    pub(super) values_of: Option<ColumnIndex>,
}

/// What one chunk holds.
#[derive(Default)]
pub(crate) struct SurveyChunk {
    pub(super) records: u64,
    pub(super) lines: FileCounts,
    /// What each record is.
    pub(super) kinds: Vec<u8>,
    pub(super) columns: Vec<ColumnChunk>,
    /// The end of the chunk, as far as it may be footnotes.
    pub(super) tail: Tail,
    /// The first cells of those records, with their rows.
    pub(super) waiting: Vec<(u64, Vec<u8>)>,
    /// Whether that cell is the one of the address.
    pub(super) address_is_first: bool,
    pub(super) addresses: AddressSurvey,
    pub(super) identities: Vec<u64>,
    pub(super) domain_entries: u64,
    pub(super) domains: HashMap<String, u64>,
    pub(super) values: HashMap<String, u64>,
    pub(super) problem: Option<Problem>,
}

impl SurveyChunk {
    /// What was taken for a possible footnote stands above a contact, so it is a row like others.
    fn look_at_waiting(&mut self) {
        for (row, raw) in self.waiting.drain(..) {
            self.columns[0].look(&raw, row);
            self.addresses.without_at_sign(self.address_is_first);
        }
    }

    /// Counts what the address is, what was repaired, and what could be.
    fn look_at_address(&mut self, contact: &Contact, asked: &Asked, looks: &mut Looks) {
        let address = &contact.address;
        let counts = &mut self.addresses;
        match address.state {
            State::Usable => {
                counts.usable += 1;
                counts.repaired += u64::from(address.rules.iter().any(|rule| !rule.changes_form_only()));
                counts.role += u64::from(audience::is_role(address.local()));
                counts.disposable += u64::from(looks.disposable.holds(address.domain()));
                self.identities.push(hash(address.identity));
                if asked.with_domains {
                    let domain = String::from_utf8_lossy(address.domain()).into_owned();
                    *self.domains.entry(domain).or_default() += 1;
                }
            }
            State::Invalid(_) => {
                counts.invalid += 1;
                self.domain_entries += u64::from(is_domain_entry(contact.typed));
            }
            State::Placeholder => counts.placeholder += 1,
            State::Blank => counts.blank += 1,
        }
        for rule in address.rules.iter() {
            *counts.repairs.entry(rule.name()).or_default() += 1;
        }
        let may_be_typo = match address.state {
            State::Usable => looks.domains.look(address.domain(), asked.typos).is_typo,
            State::Invalid(_) => true,
            State::Blank | State::Placeholder => false,
        };
        let text = String::from_utf8_lossy(address.text);
        if may_be_typo && let Some((_, rules)) = suggest::mended(&text, suggest::ALL, asked.typos) {
            rules.iter().for_each(|rule| *counts.suggestions.entry(rule.name()).or_default() += 1);
        }
    }

    /// Looks at each value, as it is read and as it is cleaned.
    fn look_at_values(&mut self, contact: &Contact, record: &Record, row: RowNumber, asked: &Asked) {
        for (column, counts) in self.columns.iter_mut().enumerate() {
            counts.look(record.raw(column), row.0);
        }
        for (column, rules, ..) in contact.values.iter().flat_map(|values| values.repairs()) {
            self.columns[column.0].repaired(rules);
        }
        for (column, doubt) in contact.doubts() {
            self.columns[column.0].doubt(*doubt, row);
        }
        if let Some(column) = asked.values_of {
            let value = cell::text(record.raw(column.0)).trim().to_owned();
            *self.values.entry(value).or_default() += 1;
        }
    }

    /// Notes rows of another width than the header, and quotes that stay open.
    fn look_at_shape(&mut self, file: &OpenFile<()>, chunk: &Chunk, record: &Record, row: RowNumber) {
        if chunk.shape == Shape::Unusual && has_open_quote(record) {
            self.lines.open_quotes.at(row);
        }
        match record.cells().cmp(&file.map().width()) {
            std::cmp::Ordering::Greater => self.lines.long_rows.at(row),
            std::cmp::Ordering::Less if file.format == Format::Delimited => self.lines.short_rows.at(row),
            _ => {}
        }
    }
}

/// Looks at the rows of one chunk.
pub(crate) fn read_chunk(file: &OpenFile<()>, chunk: &Chunk, asked: &Asked, scratch: &mut Scratch) -> SurveyChunk {
    let mut read = SurveyChunk::default();
    let Scratch { records, contacts, looks } = scratch;
    records.split(chunk, file.dialect);
    read.records = records.len() as u64;
    read.problem = not_text(file, chunk, records);
    if read.problem.is_some() {
        return read;
    }
    let map = file.map();
    read.address_is_first = map.column(Field::Email) == Some(ColumnIndex(0));
    read.kinds = vec![Line::Title as u8; records.len()];
    read.columns = (0..map.width()).map(|column| ColumnChunk::new(map, ColumnIndex(column))).collect();
    for index in 0..records.len() {
        let record = records.get(index, &chunk.bytes, file.dialect);
        if let Some(line) = line_above(file, chunk, index) {
            read.lines.count(line);
            continue;
        }
        let contact = file.contact(contacts, record, ContactWishes::values(asked.cleaning));
        let line = if contact.address.is_usable() { Line::Contact } else { file.judge(&record) };
        read.lines.count(line);
        read.kinds[index] = line as u8;
        if line != Line::Contact {
            continue;
        }
        if !contact.address.is_usable() && looks_like_footnote(&record, map.width()) {
            read.tail.rows.push(index as u32);
            read.waiting.push((index as u64 + 1, record.raw(0).to_vec()));
            continue;
        }
        read.tail.contact();
        read.look_at_waiting();
        if map.column(Field::Email).is_some() {
            read.look_at_address(&contact, asked, looks);
        }
        read.look_at_values(&contact, &record, RowNumber(index as u64 + 1), asked);
        read.look_at_shape(file, chunk, &record, RowNumber(index as u64 + 1));
    }
    read.columns.iter_mut().for_each(ColumnChunk::finish);
    read
}

pub(crate) fn is_domain_entry(typed: &[u8]) -> bool {
    let text = String::from_utf8_lossy(typed);
    let text = text.trim();
    pebblebank_values::address_syntax::domain(text.strip_prefix('@').unwrap_or(text)).is_some()
}
