//! The second pass: every row is read again, judged and laid out. Every contact ends in exactly one place.

use crate::run::contact::ContactWishes;

use super::import_rows::ImportRows;
use super::limit::{Picked, Picking};
use super::plan::SecondPass;
use super::rows::{Counts, Rows, Sink};
use crate::layout::plan::{Violation, WOULD_STAY_BLANK};
use crate::run::decide::fill::Supplies;
use crate::run::decide::settled::Standing;
use crate::run::decide::supply::{Supply, SupplyKind};
use crate::run::gather::chunks::{ChunkJob, Reading, changed};
use crate::run::gather::records::checksum;
use crate::run::setting::Setting;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::{Error, ErrorKind, Result};

use super::chunk_rows::ChunkRows;
use super::left_out::{Judged, LeftOut};
use super::meant::{ChunkCells, Meant, Scratch};
use pebblebank_table::CsvBuffer;
use pebblebank_table::csv::{Defusing, RawCells};
use pebblebank_table::units::{FileId, RowId, RowNumber};
use pebblebank_values::address::AddressCleaner;
use std::sync::Arc;

impl SecondPass<'_> {
    /// Finds out why people are not written of whom the condition of a source leaves rows out: these rows are set aside for
    /// the same reason, if it is graver.
    pub fn judge_left_out(&mut self, setting: &Setting, observer: &dyn Observer) -> Result<()> {
        let Some(people) = self.settled.people_with_rows_left_out() else { return Ok(()) };
        self.left_out = LeftOut::Asking(people);
        let mut judged = Judged::default();
        self.read_again(setting, Stage::Picking, &mut judged, observer)?;
        self.left_out = LeftOut::Known(judged);
        Ok(())
    }

    /// Finds out who is picked, where the job does not want all; so that [`Self::run`] then writes those alone.
    pub fn pick(&mut self, setting: &Setting, observer: &dyn Observer) -> Result<()> {
        let Some(pick) = self.job.pick else { return Ok(()) };
        self.pick = Picking::Asking(pick);
        let mut picked = Picked::new(pick);
        self.read_again(setting, Stage::Picking, &mut picked, observer)?;
        self.pick = picked.decided();
        Ok(())
    }

    /// Reads all sources again and hands their rows to `sink`. Gives the counts of each source.
    pub fn run(&self, setting: &Setting, sink: &mut dyn Sink, observer: &dyn Observer) -> Result<Vec<Counts>> {
        self.read_again(setting, Stage::Writing, sink, observer)
    }

    fn read_again(
        &self,
        setting: &Setting,
        stage: Stage,
        sink: &mut dyn Sink,
        observer: &dyn Observer,
    ) -> Result<Vec<Counts>> {
        let mut counts = vec![Counts::default(); self.job.sources.len()];
        let mut reading = Reading::again(&self.files.sources, &self.settled.chunks, stage, observer);
        let mut supplies = self.supplies.map(Supplies::reader).transpose()?;
        let mut chunks = 0;
        in_order(
            setting.threads,
            || {
                let Some(job) = reading.next()? else { return Ok(None) };
                let end = self.settled.chunks.get(job.index).map(|place| RowId(place.first.0 + place.records));
                let supplies = match (&mut supplies, end) {
                    (Some(supplies), Some(end)) => supplies.up_to(end)?,
                    _ => Vec::new(),
                };
                Ok(Some((job, supplies)))
            },
            || Scratch::new(self.files),
            |(job, supplies), scratch| self.lay_out(&job, &supplies, scratch).map(|rows| (job, rows)),
            |(job, mut rows)| {
                chunks += 1;
                let mut counted = std::mem::take(&mut rows.counts);
                if let Some((row, violation)) = counted.stop.take() {
                    return Err(self.violation_stops(job.file, row, &violation));
                }
                sink.take(&rows)?;
                counts[self.plans[job.file.0 as usize].source.0 as usize].add(counted);
                job.give_back();
                self.spare.lock().expect("no thread panics while it holds the spare rows").push(rows);
                Ok(())
            },
        )?;
        if chunks < self.settled.chunks.len() {
            let last = self.files.sources.last().map(|file| file.input.path().to_path_buf()).unwrap_or_default();
            return Err(changed(&last));
        }
        Ok(counts)
    }

    fn violation_stops(&self, file: FileId, row: RowNumber, violation: &Violation) -> Error {
        let Violation { column, fault, .. } = violation;
        let what = match fault.as_str() {
            WOULD_STAY_BLANK => {
                format!("the required column \"{column}\" {WOULD_STAY_BLANK}, and the layout says to stop then")
            }
            fault => format!("the column \"{column}\" does not fit: {fault}, and the layout says to stop then"),
        };
        Error::new(
            ErrorKind::Guard,
            what,
            "correct the cell in the source's own program, or let the layout set such rows aside (on_violation = \"set-aside\")",
        )
        .in_file(self.files.sources[file.0 as usize].input.path())
        .at_row(row)
    }

    fn spare_rows(&self) -> Rows {
        let spare = self.spare.lock().expect("no thread panics while it holds the spare rows").pop();
        let mut rows = spare.unwrap_or_else(|| Rows {
            imports: ImportRows::new(self.shapes, self.job.receipt.is_some()),
            candidates: Vec::new(),
            set_aside: CsvBuffer::new(Defusing::On),
            merged: CsvBuffer::new(Defusing::On),
            repairs: CsvBuffer::new(Defusing::On),
            suggestions: CsvBuffer::new(Defusing::On),
            people: Vec::new(),
            written_people: CsvBuffer::new(Defusing::On),
            learned: Vec::new(),
            judged: Vec::new(),
            counts: Counts::default(),
        });
        rows.imports.clear();
        rows.candidates.clear();
        let Rows { set_aside, merged, repairs, suggestions, written_people, .. } = &mut rows;
        [set_aside, merged, repairs, suggestions, written_people].into_iter().for_each(CsvBuffer::clear);
        rows.people.clear();
        rows.learned.clear();
        rows.judged.clear();
        rows
    }

    fn lay_out(&self, job: &ChunkJob, supplies: &[Supply], scratch: &mut Scratch) -> Result<Rows> {
        let file = &self.files.sources[job.file.0 as usize];
        let place = self.settled.chunks.get(job.index).ok_or_else(|| changed(file.input.path()))?;
        scratch.records.split(&job.chunk, file.dialect);
        if checksum(&job.chunk) != place.checksum || scratch.records.len() != place.records as usize {
            return Err(changed(file.input.path()));
        }
        let mut rows = self.spare_rows();
        let Scratch { records, contacts, domains, supplied } = scratch;
        let mut supplies = supplies;
        let cells = ChunkCells::of(file, &job.chunk);
        let mut chunk = ChunkRows {
            pass: self,
            plan: &self.plans[job.file.0 as usize],
            first_of_file: self.settled.first_of(job.file).0,
            cells: RawCells::NeedALook,
            rows: &mut rows,
            further: AddressCleaner::with(Arc::clone(&self.files.addresses)),
            taken_from: &[],
        };
        for index in 0..records.len() {
            let row = RowId(place.first.0 + index as u32);
            let standing = self.settled.standing(row);
            let own = supplies.iter().take_while(|supply| supply.row == row).count();
            let given;
            (given, supplies) = supplies.split_at(own);
            if matches!(standing, Standing::NoContact) {
                continue;
            }
            if self.settled.is_of_master(row) {
                chunk.of_master(row);
                continue;
            }
            let record = records.get(index, &job.chunk.bytes, file.dialect);
            chunk.cells = cells.in_record(&record);
            let is_laid_out = matches!(standing, Standing::Free(_)) || self.left_out.asks_of(row);
            let cleaning = &self.files.cleaning[job.file.0 as usize];
            let values = is_laid_out.then_some(cleaning);
            let wishes = ContactWishes { values, is_clean: self.settled.is_clean(row) };
            let contact = file.contact(contacts, record, wishes);
            let is_decoded = contact.values.is_some_and(|values| !values.decoded().is_empty());
            let as_they_are = contact.replaced.is_empty() && !is_decoded;
            let cells = if as_they_are { chunk.cells } else { RawCells::NeedALook };
            let mut meant = Meant { record: contact.cleaned, contact, cells };
            if is_laid_out {
                let address = &meant.contact.address;
                chunk.suggest(row, address, domains);
                if let (Some(columns), false) = (&chunk.plan.supplied, given.is_empty()) {
                    meant.record = supplied.apply(&meant.record, address.text, given, columns);
                }
            }
            let taken_from = given.iter().find(|supply| supply.kind == SupplyKind::TakenFrom);
            chunk.taken_from = taken_from.map_or(&[], Supply::names);
            chunk.contact(row, standing, &meant);
        }
        Ok(rows)
    }
}
