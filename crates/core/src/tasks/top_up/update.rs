//! The master's rows with blank cells filled; every other byte stays.

use super::dialect::Manner;
use super::files::{Files, ends_with_line_end, tail_of};
use crate::job::Job;
use crate::run::decide::fill::Supplies;
use crate::run::decide::known::Known;
use crate::run::decide::supply::{Supply, SupplyKind};
use crate::run::gather::chunks::{Reading, changed};
use crate::run::gather::records::checksum;
use crate::run::open::beginning::Beginning;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::staged::Staged;
use pebblebank_table::units::{ColumnIndex, FileId, RowId};
use pebblebank_table::{CsvBuffer, Record, Records, Result, cell};
use pebblebank_values::{ColumnRef, Field};

/// Copies the master with its blank cells filled, and lists them; says how many there are.
pub(super) fn copy_updated(
    job: &Job,
    known: &Known,
    supplies: &Supplies,
    manner: &Manner,
    (staged, files): (&mut Staged, &Files),
    observer: &dyn Observer,
) -> Result<u64> {
    let master = &known.files.sources[0];
    let columns = known.files.supplied.as_ref().map_or(&[][..], |supplied| &supplied.columns);
    let places: Vec<Option<ColumnIndex>> = columns.iter().map(|column| own_column(known, column)).collect();
    let mut supplies = supplies.reader()?;
    let mut records = Records::default();
    let mut filled = 0;
    let mut out = Vec::new();
    if Beginning::of(master)?.has_mark {
        out.extend_from_slice("\u{FEFF}".as_bytes());
    }
    let last_chunk = known.settled.chunks.iter().take_while(|place| place.file == FileId(0)).count();
    let is_ended = ends_with_line_end(&tail_of(master)?, manner)?;
    let mut reading = Reading::again(&known.files.sources, &known.settled.chunks, Stage::Writing, observer);
    while let Some(chunk) = reading.next()?.filter(|chunk| chunk.file == FileId(0)) {
        let place = known.settled.chunks.get(chunk.index).ok_or_else(|| changed(master.input.path()))?;
        records.split(&chunk.chunk, master.dialect);
        if checksum(&chunk.chunk) != place.checksum || records.len() != place.records as usize {
            return Err(changed(master.input.path()));
        }
        let given = supplies.up_to(RowId(place.first.0 + place.records))?;
        let bytes = &chunk.chunk.bytes;
        let mut copied = 0;
        for supply in given.iter().filter(|supply| supply.kind == SupplyKind::Filled) {
            let record = records.get((supply.row.0 - place.first.0) as usize, bytes, master.dialect);
            let mut changes = Changes { job, known, row: supply.row, filled: 0, listed: CsvBuffer::new(Defusing::On) };
            let Some(cells) = changes.of(&record, supply, columns, &places) else { continue };
            let start = record.bytes().as_ptr() as usize - bytes.as_ptr() as usize;
            out.extend_from_slice(&bytes[copied..start]);
            write_record(&record, &cells, manner, &mut out);
            copied = start + record.bytes().len();
            filled += changes.filled;
            if let Some(repairs) = files.repairs {
                staged.write(repairs, &changes.listed.bytes)?;
            }
        }
        out.extend_from_slice(&bytes[copied..]);
        let is_last = chunk.index + 1 == last_chunk;
        chunk.give_back();
        if is_last && !is_ended {
            // Reading ends every record with a line feed, in whatever manner the others end.
            out.pop();
            out.extend_from_slice(manner.line_end.as_bytes());
        }
        staged.write(files.output, &manner.encoded(&out)?)?;
        out.clear();
    }
    Ok(filled)
}

/// The master's own column for it; the address is never changed, nor what the master says of consent.
fn own_column(known: &Known, column: &ColumnRef) -> Option<ColumnIndex> {
    let map = known.files.sources[0].map();
    match column {
        ColumnRef::Field(Field::Email | Field::Consent) => None,
        ColumnRef::Field(field) => map.column(*field),
        ColumnRef::Extra(extra) => {
            let is_it = |column: &&ColumnIndex| pebblebank_values::fold::fold(map.header(**column)) == extra.folded;
            map.extras.iter().find(is_it).copied()
        }
    }
}

/// What is filled in one row.
struct Changes<'a> {
    job: &'a Job,
    known: &'a Known,
    row: RowId,
    filled: u64,
    listed: CsvBuffer,
}

impl Changes<'_> {
    /// The new cells; none where nothing blank is filled.
    fn of<'s>(
        &mut self,
        record: &Record,
        supply: &'s Supply,
        columns: &[ColumnRef],
        places: &[Option<ColumnIndex>],
    ) -> Option<Vec<(ColumnIndex, &'s [u8])>> {
        let mut cells = Vec::new();
        for (place, value) in supply.cells() {
            let Some(column) = places[place].filter(|column| cell::is_empty(record.raw(column.0))) else { continue };
            self.list(columns[place].name(), value);
            cells.push((column, value));
        }
        self.filled = cells.len() as u64;
        (!cells.is_empty()).then_some(cells)
    }

    fn list(&mut self, column: &str, value: &[u8]) {
        let (_, number) = self.known.settled.place(self.row);
        self.listed.value(b"filled");
        self.listed.value(self.job.sources[0].name.as_bytes());
        self.listed.value(self.known.files.sources[0].input.name().as_bytes());
        self.listed.value(number.to_string().as_bytes());
        self.listed.value(column.as_bytes());
        self.listed.value(b"");
        self.listed.value(value);
        self.listed.end_row();
    }
}

/// Writes a record with some of its cells changed, the others as they are.
fn write_record(record: &Record, cells: &[(ColumnIndex, &[u8])], manner: &Manner, out: &mut Vec<u8>) {
    let last = cells.iter().map(|(column, _)| column.0 + 1).max().unwrap_or_default();
    for column in 0..record.cells().max(last) {
        if column > 0 {
            out.push(manner.delimiter);
        }
        match cells.iter().find(|(changed, _)| changed.0 == column) {
            Some((_, value)) => manner.cell(value, out),
            None => out.extend_from_slice(record.raw(column)),
        }
    }
}
