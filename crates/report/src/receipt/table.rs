//! Looks rows up in the tables of a receipt, which stand in reading order, by where they were read.
//!
//! A table may have gigabytes, so it is searched by halves. If that finds nothing and the table was edited, all of it is read:
//! it may have been sorted in a spreadsheet.

use super::{Input, Place};
use pebblebank_table::dialect::Dialect;
use pebblebank_table::saved_table::rows_in;
use pebblebank_table::{Error, Result};
use pebblebank_values::Field;
use pebblebank_values::headers::{Meaning, recognise};
use std::collections::HashMap;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

/// How many bytes are looked at in one place.
const STEP: u64 = 64 << 10;

/// The byte order mark of UTF-8.
const MARK: &[u8] = b"\xEF\xBB\xBF";

/// The largest part of a table that is read at once: room for the longest record.
const MOST: u64 = 48 << 20;

/// A table of a receipt.
pub struct Table {
    path: PathBuf,
    file: File,
    length: u64,
    dialect: Dialect,
    /// Whether its rows are surely in reading order.
    is_in_order: bool,
    /// The names of its columns.
    pub header: Vec<String>,
    /// Where the rows begin.
    start: u64,
    source: usize,
    name: usize,
    row: usize,
    /// The place of each file among the inputs, by source and name.
    inputs: HashMap<(String, String), usize>,
}

/// A row of a table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TableRow {
    /// Where it was read.
    pub place: Place,
    /// Its cells.
    pub cells: Vec<String>,
}

impl Table {
    /// Opens a table, whose rows are as the run wrote them if it `is_in_order`; none if the receipt does not have it, or if it has no columns that say where rows were read.
    pub fn open(path: &Path, inputs: &[Input], is_in_order: bool) -> Result<Option<Table>> {
        let unreadable = |cause: std::io::Error| Error::unreadable(path, &cause);
        let mut file = match File::open(path) {
            Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(None),
            other => other.map_err(unreadable)?,
        };
        let length = file.metadata().map_err(unreadable)?.len();
        let bytes = read_at(&mut file, 0, STEP.max(1 << 20)).map_err(unreadable)?;
        let Some(end) = memchr::memchr(b'\n', &bytes) else { return Ok(None) };
        // Tables for spreadsheets begin with a byte order mark and have semicolons.
        let is_for_spreadsheet = bytes.starts_with(MARK);
        let dialect = if is_for_spreadsheet { Dialect { delimiter: b';', ..Dialect::COMMA } } else { Dialect::COMMA };
        let line = bytes[..=end].strip_prefix(MARK).unwrap_or(&bytes[..=end]);
        let Some((_, header)) = rows_in(line, dialect).into_iter().next() else { return Ok(None) };
        let column = |name: &str| header.iter().position(|cell| cell == name);
        let columns = (column("pebblebank_source"), column("pebblebank_file"), column("pebblebank_row"));
        let (Some(source), Some(name), Some(row)) = columns else { return Ok(None) };
        let sources = inputs.iter().enumerate().filter(|(_, input)| input.part == "source");
        let inputs = sources.map(|(place, input)| ((input.of.clone(), input.file.clone()), place)).collect();
        let path = path.to_path_buf();
        Ok(Some(Table {
            path,
            file,
            length,
            dialect,
            is_in_order,
            header,
            start: end as u64 + 1,
            source,
            name,
            row,
            inputs,
        }))
    }

    /// The value of a column in a row of this table.
    pub fn cell<'a>(&self, row: &'a TableRow, column: &str) -> &'a str {
        let place = self.header.iter().position(|name| name == column);
        place.and_then(|place| row.cells.get(place)).map_or("", String::as_str)
    }

    /// The rows that were read there.
    pub fn at(&mut self, place: &Place) -> Result<Vec<TableRow>> {
        let found = self.by_halves(place)?;
        if found.is_empty() && !self.is_in_order { self.by_reading(&|row| row.place == *place) } else { Ok(found) }
    }

    fn by_halves(&mut self, place: &Place) -> Result<Vec<TableRow>> {
        // All rows that begin before `low` were read before the place.
        let (mut low, mut high) = (self.start, self.length);
        while high - low > STEP {
            let middle = low + (high - low) / 2;
            match self.first_behind(middle)? {
                Some((at, row)) if at < high && row.place < *place => low = at,
                _ => high = middle,
            }
        }
        let mut found = Vec::new();
        let bytes = self.read(low, high - low + 2 * STEP)?;
        for row in self.rows_of(&bytes) {
            if row.place > *place {
                break;
            }
            if row.place == *place {
                found.push(row);
            }
        }
        Ok(found)
    }

    /// Where rows were read that have a cell like this, the receipt's own cells aside, or whose first and last name are like it
    /// when they are joined; the table is read to its end.
    pub fn places_with(&mut self, is_it: &dyn Fn(&str) -> bool) -> Result<Vec<Place>> {
        let own: Vec<bool> = self.header.iter().map(|name| name.starts_with("pebblebank_")).collect();
        let column = |field| self.header.iter().position(|name| recognise(name) == Some(Meaning::Field(field)));
        let names = column(Field::FirstName).zip(column(Field::LastName));
        let has_it = |row: &TableRow| {
            let has_name = |(first, last)| is_it(&format!("{} {}", row.cells[first], row.cells[last]));
            row.cells.iter().zip(&own).any(|(cell, is_own)| !is_own && is_it(cell)) || names.is_some_and(has_name)
        };
        Ok(self.by_reading(&has_it)?.into_iter().map(|row| row.place).collect())
    }

    /// Its size in bytes.
    pub fn bytes(&self) -> u64 {
        self.length
    }

    fn by_reading(&mut self, is_wanted: &dyn Fn(&TableRow) -> bool) -> Result<Vec<TableRow>> {
        let mut found = Vec::new();
        let mut at = self.start;
        while at < self.length {
            let bytes = self.read(at, MOST)?;
            let is_last = at + bytes.len() as u64 >= self.length;
            // What may be cut off at the end is read again with the next part.
            let whole = if is_last { bytes.len() } else { last_start(self, &bytes).unwrap_or(bytes.len()) };
            found.extend(self.rows_of(&bytes[..whole]).into_iter().filter(is_wanted));
            at += whole.max(1) as u64;
        }
        Ok(found)
    }

    /// The first row that begins behind an offset, and where it begins. A line end inside a cell begins no row.
    fn first_behind(&mut self, offset: u64) -> Result<Option<(u64, TableRow)>> {
        let mut size = STEP;
        loop {
            let bytes = self.read(offset, size)?;
            let is_all = offset + bytes.len() as u64 >= self.length || size >= MOST;
            for line_end in memchr::memchr_iter(b'\n', &bytes) {
                let at = line_end + 1;
                let rest = &bytes[at..];
                let Some(row) = self.first_of(rest, is_all) else { continue };
                return Ok(Some((offset + at as u64, row)));
            }
            if is_all {
                return Ok(None);
            }
            size *= 8;
        }
    }

    /// The row at the beginning of `bytes`; none if none begins there, or if it may be cut off.
    fn first_of(&self, bytes: &[u8], is_all: bool) -> Option<TableRow> {
        let mut end = 0;
        let mut in_quotes = false;
        for (at, byte) in bytes.iter().enumerate() {
            match byte {
                b'"' => in_quotes = !in_quotes,
                b'\n' if !in_quotes => {
                    end = at + 1;
                    break;
                }
                _ => {}
            }
        }
        if end == 0 {
            end = if is_all { bytes.len() } else { return None };
        }
        self.rows_of(&bytes[..end]).into_iter().next()
    }

    fn rows_of(&self, bytes: &[u8]) -> Vec<TableRow> {
        let row = |(_, cells): (usize, Vec<String>)| {
            let key = (cells.get(self.source)?.clone(), cells.get(self.name)?.clone());
            let place = Place { input: *self.inputs.get(&key)?, row: cells.get(self.row)?.parse().ok()? };
            (cells.len() == self.header.len()).then_some(TableRow { place, cells })
        };
        rows_in(bytes, self.dialect).into_iter().filter_map(row).collect()
    }

    fn read(&mut self, at: u64, bytes: u64) -> Result<Vec<u8>> {
        read_at(&mut self.file, at, bytes).map_err(|cause| Error::unreadable(&self.path, &cause))
    }
}

/// Where the last row of `bytes` begins.
fn last_start(table: &Table, bytes: &[u8]) -> Option<usize> {
    let ends = memchr::memrchr_iter(b'\n', &bytes[..bytes.len().saturating_sub(1)]);
    ends.map(|end| end + 1).find(|at| table.first_of(&bytes[*at..], true).is_some())
}

fn read_at(file: &mut File, at: u64, bytes: u64) -> std::io::Result<Vec<u8>> {
    file.seek(SeekFrom::Start(at))?;
    let mut read = Vec::new();
    file.take(bytes).read_to_end(&mut read)?;
    Ok(read)
}
