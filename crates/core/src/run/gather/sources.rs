//! Sources, read: each row leaves its kind, its keys and its marks; no value is kept.

use super::chunks;
use super::counts::{FileCounts, Problem, SourceChunk, WatchedColumn};
use super::kept::People;
use super::records::{NotText, checksum, has_open_quote, is_unreadable, line_above, not_text};
use crate::clean::decoded_twice;
use crate::clean::plan::CleaningPlan;
use crate::columns::consent::is_sure_refusal;
use crate::columns::lines::{Line, looks_like_footnote};
use crate::columns::map::ConsentColumn;
use crate::person::keys::Role;
use crate::run::contact::keys::RowKeys;
use crate::run::contact::{ContactReader, ContactWishes};
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::row_bits::{HAS_ADDRESS, HAS_OTHER_KEY, IS_CLEAN, LEFT_OUT};
use crate::run::setting::Setting;
use crate::suppress::RowChecks;
use crate::suppress::marks::Mark;
use pebblebank_formats::Format;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::{ColumnIndex, RowNumber, SourceId};
use pebblebank_table::{Chunk, Record, Records, Result, Shape, cell};
use pebblebank_values::address::{Address, AddressCleaner, FurtherAddress, State};
use pebblebank_values::consent::{self, Consent, Statement};
use pebblebank_values::date_column::OrderEvidence;
use pebblebank_values::identity::IdentityHasher;
use pebblebank_values::{Field, look};
use std::borrow::Cow;
use std::collections::HashMap;
use std::sync::Arc;

/// Reads all sources.
pub fn read_sources(
    files: &OpenFiles,
    setting: &Setting,
    people: &mut People,
    not_text: &mut Option<NotText>,
    observer: &dyn Observer,
) -> Result<Vec<FileCounts>> {
    let mut counts = vec![FileCounts::default(); files.sources.len()];
    let mut reading = chunks::Reading::new(&files.sources, Stage::Reading, observer);
    let hasher = people.hasher.clone();
    let checks = std::mem::take(&mut people.checks);
    let mut intake = people.intake(files.sources.len());
    in_order(
        setting.threads,
        || reading.next(),
        || Scratch::new(files),
        |job, scratch| {
            let file = &files.sources[job.file.0 as usize];
            let cleaning = &files.cleaning[job.file.0 as usize];
            let keys = files.row_keys[job.file.0 as usize].as_ref();
            let plan =
                RowPlan { cleaning, keys, marks_source: files.marks_sources, consent_stops: files.consent_stops };
            let read = read_source_chunk(file, &plan, &job.chunk, &hasher, &checks, scratch);
            Ok((job, read))
        },
        |(job, read)| {
            let first_row = intake.add(job.file, &job.chunk, &read)?;
            if let Some(problem) = read.problem {
                *not_text = problem.is_not_text().then_some(NotText::Source(job.file.0 as usize));
                return Err(problem.at(&files.sources[job.file.0 as usize], first_row));
            }
            counts[job.file.0 as usize].add(&read.counts, first_row);
            job.give_back();
            Ok(())
        },
    )?;
    for (counts, footnotes) in counts.iter_mut().zip(intake.footnotes()) {
        counts.are_footnotes(footnotes);
    }
    people.checks = checks;
    for (counts, read) in counts.iter_mut().zip(reading.files_read()) {
        counts.file_read(read);
    }
    Ok(counts)
}

/// What a thread reuses from chunk to chunk.
#[derive(Default)]
struct Scratch {
    records: Records,
    contacts: ContactReader,
    further: AddressCleaner,
    statements: Statements,
}

impl Scratch {
    fn new(files: &OpenFiles) -> Scratch {
        Scratch {
            contacts: ContactReader::new(&files.addresses),
            further: AddressCleaner::with(Arc::clone(&files.addresses)),
            ..Scratch::default()
        }
    }
}

/// What status cells say. Few different ones occur, so they are remembered.
#[derive(Default)]
struct Statements {
    /// By the direction of their column.
    said: SaidByDirection,
    /// Whether values of watched columns are words of a status, and refusals.
    watched: HashMap<Vec<u8>, (bool, bool)>,
}

/// What status cells say, by the direction of their column.
type SaidByDirection = HashMap<Option<consent::YesMeans>, HashMap<Vec<u8>, Statement>>;

/// What is looked for in a source file's rows beside addresses and consent.
struct RowPlan<'a> {
    cleaning: &'a CleaningPlan,
    keys: Option<&'a RowKeys>,
    /// Whether rows are marked with their source.
    marks_source: bool,
    /// Whether a yes or no about consent whose direction is not known stops the work.
    consent_stops: bool,
}

fn read_source_chunk(
    file: &OpenFile<SourceId>,
    plan: &RowPlan,
    chunk: &Chunk,
    hasher: &IdentityHasher,
    checks: &RowChecks,
    scratch: &mut Scratch,
) -> SourceChunk {
    let mut read = SourceChunk { checksum: checksum(chunk), ..SourceChunk::default() };
    scratch.records.split(chunk, file.dialect);
    let Scratch { records, contacts, further, statements } = scratch;
    let wishes = ContactWishes { values: plan.keys.map(RowKeys::cleaning), is_clean: false };
    read.problem = not_text(file, chunk, records);
    if read.problem.is_some() {
        return read;
    }
    let date_columns: Vec<ColumnIndex> = plan.cleaning.date_columns().collect();
    read.counts.dates = vec![OrderEvidence::default(); date_columns.len()];
    read.counts.watched = vec![WatchedColumn::default(); file.map().watched.len()];
    read.lines.reserve(records.len());
    read.keys.reserve(records.len());
    for index in 0..records.len() {
        let record = records.get(index, &chunk.bytes, file.dialect);
        if let Some(line) = line_above(file, chunk, index) {
            read.lines.push(line as u8);
            read.counts.count(line);
            continue;
        }
        let row = index as u32;
        let contact = file.contact(contacts, record, wishes);
        contact.replaced.iter().for_each(|change| {
            read.counts.replacement(change.replacement, RowNumber(u64::from(row) + 1));
        });
        let (record, address) = (contact.as_meant, &contact.address);
        let (line, flag) = match address.state {
            State::Usable if address.rules.is_empty() && address.further.is_empty() && is_ascii_text(address) => {
                (Line::Contact, HAS_ADDRESS | IS_CLEAN)
            }
            State::Usable => (Line::Contact, HAS_ADDRESS),
            _ => (file.judge(&record), 0),
        };
        read.lines.push(line as u8 | flag);
        read.counts.count(line);
        if line != Line::Contact {
            continue;
        }
        if flag == 0 && !file.needs_first_column && looks_like_footnote(&record, file.map().width()) {
            read.tail.rows.push(row);
        } else {
            read.tail.contact();
        }
        let mut row_read =
            RowRead { row, read: &mut read, hasher, checks, is_extracted: file.format != Format::Delimited };
        row_read.identities(address, contact.typed, file, &record, further);
        row_read.compared_addresses(file, &record, further);
        if !file.replacements.is_empty() {
            row_read.replaced_addresses(file, &contact.as_read, &record, further);
        }
        if flag == 0 {
            let is_remark = is_unreadable(file, chunk, index, &record);
            row_read.stray_addresses(file, &record, is_remark);
        }
        row_read.consent(file, &record, address, plan.consent_stops, statements);
        row_read.width(&record, file.map().width());
        if let Some(keys) = plan.keys {
            let mut flags = 0;
            let add = |role, hash| {
                flags |= if matches!(role, Role::Other(_)) { HAS_OTHER_KEY } else { 0 };
                read.keys.push((row, role, hash));
            };
            let seen = keys.read(&contact, hasher, add);
            read.ranks.push((row, seen.rank));
            flags |= if seen.counts { 0 } else { LEFT_OUT };
            if let Some(last) = read.lines.last_mut() {
                *last |= flags;
            }
        }
        if plan.marks_source {
            read.marks.push((row, Mark::From(file.owner)));
        }
        for (column, seen) in date_columns.iter().zip(&mut read.counts.dates) {
            seen.look(&cell::value(record.raw(column.0)), RowNumber(u64::from(row) + 1));
        }
        if chunk.shape == Shape::Unusual && has_open_quote(&record) {
            read.counts.open_quotes.at(RowNumber(u64::from(row) + 1));
        }
    }
    read
}

/// Whether what is written is also what is compared.
fn is_ascii_text(address: &Address) -> bool {
    address.text.len() == address.identity.len()
}

/// One row of a source, being read.
struct RowRead<'a> {
    row: u32,
    read: &'a mut SourceChunk,
    hasher: &'a IdentityHasher,
    checks: &'a RowChecks,
    is_extracted: bool,
}

impl RowRead<'_> {
    fn identities(
        &mut self,
        address: &Address,
        typed: &[u8],
        file: &OpenFile<SourceId>,
        record: &Record,
        further: &mut AddressCleaner,
    ) {
        match address.state {
            State::Usable => self.identity(address.identity, address.domain(), Role::First),
            // Only what looks like an address says anything of other rows.
            State::Invalid(_) if address.identity.contains(&b'@') => {
                self.identity(address.identity, address.domain(), Role::CompareOnly);
            }
            State::Invalid(_) => self.identity(address.identity, b"", Role::Compared),
            State::Blank | State::Placeholder => {}
        }
        if !self.checks.digests.is_empty() && !address.identity.is_empty() && address.state != State::Placeholder {
            let role = if address.is_usable() { Role::FirstHash } else { Role::Compared };
            self.hashes(typed, address, role);
        }
        self.beside(address);
        for column in &file.map().further_addresses {
            let value = cell::value(record.raw(column.0));
            let address = further.clean(&value);
            if address.is_usable() {
                self.identity(address.identity, address.domain(), Role::Further);
                if !self.checks.digests.is_empty() {
                    self.hashes(&value, &address, Role::Compared);
                }
            } else if let State::Invalid(_) = address.state {
                let role = if address.identity.contains(&b'@') { Role::CompareOnly } else { Role::Compared };
                self.identity(address.identity, address.domain(), role);
            }
            self.beside(&address);
        }
    }

    /// What a cell holds beside its first address: further ones, and texts that only lists are asked about.
    fn beside(&mut self, address: &Address) {
        for FurtherAddress { text, identity, typed } in address.further {
            let domain = identity.rsplit_once('@').map_or("", |(_, domain)| domain);
            self.identity(identity.as_bytes(), domain.as_bytes(), Role::Further);
            if !self.checks.digests.is_empty() {
                self.hash_forms(typed.as_bytes(), text.as_bytes(), identity.as_bytes(), Role::Compared);
            }
        }
        for text in address.held_by {
            let (role, domain) = match text.rsplit_once('@') {
                Some((_, domain)) => (Role::CompareOnly, domain),
                None => (Role::Compared, ""),
            };
            self.identity(text.as_bytes(), domain.as_bytes(), role);
            if !self.checks.digests.is_empty() {
                self.hash_forms(text.as_bytes(), text.as_bytes(), text.as_bytes(), Role::Compared);
            }
        }
    }

    /// Addresses as they were read, where the job replaced them: who is on a list under the old one is on it all the same.
    fn replaced_addresses(
        &mut self,
        file: &OpenFile<SourceId>,
        as_read: &Record,
        record: &Record,
        cleaner: &mut AddressCleaner,
    ) {
        for column in file.map().address_columns() {
            let value = cell::value(as_read.raw(column.0));
            if value == cell::value(record.raw(column.0)) {
                continue;
            }
            let address = cleaner.clean(&value);
            if address.is_usable() {
                self.identity(address.identity, address.domain(), Role::CompareOnly);
                if !self.checks.digests.is_empty() {
                    self.hashes(&value, &address, Role::Compared);
                }
            }
        }
    }

    /// Addresses of which it is not clear whose they are.
    fn compared_addresses(&mut self, file: &OpenFile<SourceId>, record: &Record, cleaner: &mut AddressCleaner) {
        for column in &file.map().compared_addresses {
            let value = cell::value(record.raw(column.0));
            let address = cleaner.clean(&value);
            if address.is_usable() {
                self.identity(address.identity, address.domain(), Role::CompareOnly);
            }
        }
    }

    /// Addresses outside the columns of addresses, of a row that has none in them: shifted cells, remarks. What the row
    /// says counts for them, and what others say of them for the row; it joins nobody.
    #[cold]
    fn stray_addresses(&mut self, file: &OpenFile<SourceId>, record: &Record, is_remark: bool) {
        let map = file.map();
        let is_read = |column: usize| {
            let column = ColumnIndex(column);
            map.column(Field::Email) == Some(column) || map.further_addresses.contains(&column)
        };
        for (column, raw) in record.raw_cells().enumerate() {
            if is_read(column) || memchr::memchr(b'@', raw).is_none() {
                continue;
            }
            let text = cell::text(raw);
            for identity in look::addresses_in(&text) {
                // A note may name somebody else; a whole cell is the contact's own.
                if is_remark || text.split_whitespace().count() == 1 {
                    let at = identity.rfind('@').map_or(0, |at| at + 1);
                    self.identity(identity.as_bytes(), &identity.as_bytes()[at..], Role::CompareOnly);
                }
            }
        }
        if is_remark {
            self.read.marks.push((self.row, Mark::UnreadableRow));
        }
    }

    /// The hashes under which a list may hold an address.
    fn hashes(&mut self, typed: &[u8], address: &Address, role: Role) {
        self.hash_forms(typed, address.text, address.identity, role);
    }

    fn hash_forms(&mut self, typed: &[u8], text: &[u8], identity: &[u8], role: Role) {
        let (row, hasher, keys) = (self.row, self.hasher, &mut self.read.keys);
        self.checks.digests.for_each(typed, text, identity, hasher, |hash| keys.push((row, role, hash)));
    }

    #[inline]
    fn identity(&mut self, identity: &[u8], domain: &[u8], role: Role) {
        let hash = self.hasher.hash_address(identity);
        self.read.keys.push((self.row, role, hash));
        let RowChecks { domains, allowed, lists_of_addresses, .. } = self.checks;
        if !domains.is_empty() {
            let (row, marks) = (self.row, &mut self.read.marks);
            domains.for_each_match(domain, self.hasher, |list| {
                marks.push((row, if allowed.lifts(hash, list) { Mark::Lifted(list) } else { Mark::On(list) }));
                if role == Role::First && lists_of_addresses[list.0 as usize] {
                    marks.push((row, Mark::FirstOn(list)));
                }
            });
        }
    }

    fn consent(
        &mut self,
        file: &OpenFile<SourceId>,
        record: &Record,
        address: &Address,
        stops: bool,
        statements: &mut Statements,
    ) {
        for column in &file.map().consents {
            let raw = record.raw(column.column.0);
            match statement(raw, column, &mut statements.said) {
                Statement::Nothing => self.read.counts.unticked += u64::from(column.is_ticks),
                Statement::YesOrNo if !stops => {}
                Statement::YesOrNo => {
                    let header = file.map().header(column.column).to_owned();
                    let row = self.row;
                    self.read.problem.get_or_insert(Problem::Direction { row, header });
                }
                Statement::Says(Consent::OptedOut | Consent::Complained) if self.came_back(address, file) => {
                    self.read.counts.void_refusals.at(RowNumber(u64::from(self.row) + 1));
                }
                Statement::Says(consent) => {
                    if consent == Consent::Unlisted {
                        let word = cell::text(raw).trim().chars().take(40).collect();
                        *self.read.counts.unlisted_words.entry(word).or_default() += 1;
                    }
                    self.read.marks.push((self.row, Mark::Said(consent, file.owner)));
                    if consent == Consent::Bounced && address.is_usable() {
                        self.read.marks.push((self.row, Mark::FirstBounced(file.owner)));
                    }
                }
            }
        }
        for (column, seen) in file.map().watched.iter().zip(&mut self.read.counts.watched) {
            let raw = record.raw(column.0);
            if !cell::is_empty(raw) {
                let (is_word, is_refusal) = watched_value(raw, &mut statements.watched);
                seen.filled += 1;
                seen.words += u64::from(is_word);
                seen.refusals += u64::from(is_refusal);
            }
        }
    }

    /// Whether the person came back after the file was last changed.
    fn came_back(&self, address: &Address, file: &OpenFile<SourceId>) -> bool {
        let returned = &self.checks.returned;
        !returned.is_empty()
            && address.is_usable()
            && returned.voids(self.hasher.hash_address(address.identity), file.changed_on)
    }

    fn width(&mut self, record: &Record, width: usize) {
        let row = RowNumber(u64::from(self.row) + 1);
        match record.cells().cmp(&width) {
            // Other formats leave out the empty cells at a row's end.
            std::cmp::Ordering::Less if self.is_extracted => {}
            std::cmp::Ordering::Less => self.read.counts.short_rows.at(row),
            std::cmp::Ordering::Greater => self.read.counts.long_rows.at(row),
            std::cmp::Ordering::Equal => {}
        }
    }
}

/// How many different values are remembered.
const KEPT: usize = 256;

/// Whether the value of a watched column is a word of a status, and one that can only be a refusal.
fn watched_value(raw: &[u8], known: &mut HashMap<Vec<u8>, (bool, bool)>) -> (bool, bool) {
    if let Some(seen) = known.get(raw) {
        return *seen;
    }
    let text = cell::text(raw);
    let seen = (consent::is_listed(&text), is_sure_refusal(&text));
    if known.len() < KEPT {
        known.insert(raw.to_vec(), seen);
    }
    seen
}

/// Reads a status cell.
fn statement(raw: &[u8], column: &ConsentColumn, known: &mut SaidByDirection) -> Statement {
    let known = known.entry(column.yes_means).or_default();
    if let Some(statement) = known.get(raw) {
        return *statement;
    }
    let text = cell::text(raw);
    let meant = decoded_twice::repaired(&text).map_or(text, Cow::Owned);
    let statement = consent::read(&meant, column.yes_means);
    if known.len() < KEPT {
        known.insert(raw.to_vec(), statement);
    }
    statement
}
