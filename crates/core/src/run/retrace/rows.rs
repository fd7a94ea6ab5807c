//! Rows of a source, read again: their cells, what they say of consent, and what they are compared by.

use super::file::{FileOfRun, NotReadYet, check_unchanged, part_of};
use crate::columns::lines::Line;
use crate::person::keys::Role;
use crate::run::contact::{ContactReader, ContactWishes};
use crate::run::gather::chunks::Reading;
use crate::run::gather::counts::{Problem, SourceChunk};
use crate::run::gather::source_chunk::{RowPlan, Scratch, read_source_chunk};
use crate::run::gather::statements::Statements;
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::row_bits::LINE_BITS;
use crate::suppress::RowChecks;
use pebblebank_table::observe::{Silent, Stage};
use pebblebank_table::units::SourceId;
use pebblebank_table::{Chunk, Record, Records, cell};
use pebblebank_values::consent::{Consent, Statement};
use pebblebank_values::digest::DigestKind;
use pebblebank_values::identity::{IdentityHash, IdentityHasher};
use pebblebank_values::{Field, Kind};
use std::collections::BTreeSet;

/// Which rows are wanted.
pub enum RowsWanted<'a> {
    /// Those of these numbers, from 1, as a spreadsheet shows them.
    Numbers(&'a BTreeSet<u64>),
    /// Contacts that have a cell like this, or whose first and last name are like it when they are joined.
    WithCell(&'a dyn Fn(&str) -> bool),
}

/// What a cell says of consent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stated {
    /// The header of its column.
    pub header: String,
    /// The cell.
    pub value: String,
    /// What it says.
    pub consent: Consent,
}

/// A row that was read again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RetracedRow {
    /// Its number, from 1, as a spreadsheet shows it.
    pub row: u64,
    /// Its filled cells, with their headers.
    pub cells: Vec<(String, String)>,
    /// What it says of consent, cell by cell.
    pub consent: Vec<Stated>,
    /// Every address by which the person is known in it, as it is compared.
    pub addresses: Vec<String>,
    /// The phone numbers in it that can be read (E.164 where the country is known).
    pub phones: Vec<String>,
    /// By what it is compared with lists.
    pub(super) keys: Vec<IdentityHash>,
}

/// Reads the wanted rows of a file.
pub(super) fn read(
    files: &OpenFiles,
    of: &FileOfRun,
    wanted: &RowsWanted,
    hasher: &IdentityHasher,
) -> Result<Vec<RetracedRow>, NotReadYet> {
    let (index, file) = part_of(&files.sources, of).map_err(NotReadYet::For)?;
    let mut rows = RowReader::new(files, index, hasher);
    let mut reading = Reading::new(std::slice::from_ref(file), Stage::Reading, &Silent);
    let (mut found, mut above) = (Vec::new(), 0);
    while let Some(chunk) = reading.next()? {
        above = rows.read(&chunk.chunk, above, wanted, &mut found)?;
        chunk.give_back();
    }
    check_unchanged(reading, of).map_err(NotReadYet::For)?;
    Ok(found)
}

/// Reads rows of one file.
struct RowReader<'a> {
    files: &'a OpenFiles,
    index: usize,
    file: &'a OpenFile<SourceId>,
    hasher: &'a IdentityHasher,
    checks: RowChecks,
    records: Records,
    scratch: Scratch,
    contacts: ContactReader,
    statements: Statements,
}

impl<'a> RowReader<'a> {
    fn new(files: &'a OpenFiles, index: usize, hasher: &'a IdentityHasher) -> RowReader<'a> {
        let mut checks = RowChecks::default();
        // Which hashes the lists have is not known yet.
        for kind in [DigestKind::Sha256, DigestKind::Md5] {
            checks.digests.add(kind);
        }
        RowReader {
            files,
            index,
            file: &files.sources[index],
            hasher,
            checks,
            records: Records::default(),
            scratch: Scratch::new(files),
            contacts: ContactReader::new(&files.addresses),
            statements: Statements::default(),
        }
    }

    /// Reads the wanted rows of a chunk that has `above` records of the file before it; gives how many there are behind it.
    fn read(
        &mut self,
        chunk: &Chunk,
        above: u64,
        wanted: &RowsWanted,
        found: &mut Vec<RetracedRow>,
    ) -> Result<u64, NotReadYet> {
        self.records.split(chunk, self.file.dialect);
        let next = above + self.records.len() as u64;
        let indexes = self.wanted(chunk, above, wanted);
        if indexes.is_empty() {
            return Ok(next);
        }
        let plan = RowPlan {
            cleaning: &self.files.cleaning[self.index],
            keys: self.files.row_keys[self.index].as_ref(),
            marks_source: false,
            consent_stops: false,
            keeps_identities: true,
        };
        let read = read_source_chunk(self.file, &plan, chunk, self.hasher, &self.checks, &mut self.scratch);
        if read.problem.as_ref().is_some_and(Problem::is_not_text) {
            return Err(NotReadYet::NotText(self.index));
        }
        for index in indexes {
            let is_contact = read.lines.get(index).is_some_and(|line| line & LINE_BITS == Line::Contact as u8);
            if is_contact {
                found.push(self.row(chunk, index, above, &read));
            }
        }
        Ok(next)
    }

    fn wanted(&self, chunk: &Chunk, above: u64, wanted: &RowsWanted) -> Vec<usize> {
        let is_wanted = |index: &usize| match wanted {
            RowsWanted::Numbers(numbers) => numbers.contains(&(above + *index as u64 + 1)),
            RowsWanted::WithCell(is_it) => {
                let record = self.records.get(*index, &chunk.bytes, self.file.dialect);
                record.raw_cells().any(|raw| is_it(&cell::text(raw)))
                    || self.joined_name(&record).is_some_and(|name| is_it(&name))
            }
        };
        (0..self.records.len()).filter(is_wanted).collect()
    }

    /// The first and the last name, where they have columns of their own and both are filled.
    fn joined_name(&self, record: &Record) -> Option<String> {
        let part = |field| {
            let text = cell::text(record.raw(self.file.map().column(field)?.0)).trim().to_owned();
            (!text.is_empty()).then_some(text)
        };
        Some(format!("{} {}", part(Field::FirstName)?, part(Field::LastName)?))
    }

    fn row(&mut self, chunk: &Chunk, index: usize, above: u64, read: &SourceChunk) -> RetracedRow {
        let record = self.records.get(index, &chunk.bytes, self.file.dialect);
        let own = index as u32;
        let keys = read.keys.iter().filter(|(row, role, _)| *row == own && !matches!(role, Role::Other(_)));
        let identities = read.identities.iter().flatten().filter(|(row, _)| *row == own);
        let mut addresses: Vec<String> = Vec::new();
        for (_, identity) in identities {
            if !identity.is_empty() && !addresses.contains(identity) {
                addresses.push(identity.clone());
            }
        }
        let wishes = ContactWishes::values(&self.files.cleaning[self.index]);
        let contact = self.file.contact(&mut self.contacts, record, wishes);
        let consent = stated(self.file, &contact.as_meant, &mut self.statements);
        let is_readable =
            |column| !contact.doubts().iter().any(|(other, doubt)| *other == column && doubt.is_unusable());
        let map = self.file.map();
        let columns = map.field_columns().filter(|(field, ..)| Kind::of_field(*field) == Kind::Phone);
        let columns = columns.flat_map(|(_, column, second)| std::iter::once(column).chain(second));
        let own = map.own.iter().filter(|(_, kind)| *kind == Kind::Phone).map(|(column, _)| *column);
        let columns = columns.chain(own).filter(|column| is_readable(*column));
        let phones = columns.map(|column| cell::text(contact.cleaned.raw(column.0)).trim().to_owned());
        RetracedRow {
            row: above + index as u64 + 1,
            cells: cells(self.file, &record),
            consent,
            addresses,
            phones: phones.filter(|number| !number.is_empty()).collect(),
            keys: keys.map(|(_, _, hash)| *hash).collect(),
        }
    }
}

/// The filled cells of a record, with their headers.
pub(super) fn cells<Owner>(file: &OpenFile<Owner>, record: &Record) -> Vec<(String, String)> {
    let cells = record.raw_cells().enumerate().map(|(column, raw)| {
        let header = file.map().headers.get(column).map_or_else(|| format!("column {}", column + 1), String::clone);
        (header, cell::text(raw).into_owned())
    });
    cells.filter(|(_, value)| !value.trim().is_empty()).collect()
}

fn stated(file: &OpenFile<SourceId>, record: &Record, statements: &mut Statements) -> Vec<Stated> {
    let mut found = Vec::new();
    for column in &file.map().consents {
        let raw = record.raw(column.column.0);
        if let Statement::Says(consent) = statements.read(raw, column) {
            let header = file.map().header(column.column).to_owned();
            found.push(Stated { header, value: cell::text(raw).into_owned(), consent });
        }
    }
    found
}
