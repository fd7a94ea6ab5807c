//! The second pass: read again, require, lay out, write. Every contact ends in exactly one place.

pub(crate) mod chunk_rows;
pub mod learned;
mod left_out;
pub mod limit;
mod meant;
pub mod outputs;
pub mod people_index;
pub(crate) mod rows;

pub use chunk_rows::DECISION;
pub use rows::{Counts, RowOrder, Rows, Sink};

use super::decide::fill::{SuppliedColumns, Supplies, Supply, SupplyKind};
use super::decide::near_misses::NearMissed;
use super::decide::settled::{Settled, Standing};
use super::decide::why::describe;
use super::gather::chunks::{ChunkJob, Reading, changed};
use super::gather::records::{address_value, checksum};
use super::open::files::{OpenFile, OpenFiles};
use super::setting::Setting;
use crate::clean::plan::CleaningPlan;
use crate::job::Job;
use crate::layout::Layout;
use crate::person::same::PersonKey;
use limit::{Picked, Picking};
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::address::Address;

use crate::layout::plan::LayoutPlan;
use crate::layout::receipt::{AllColumns, OriginalValues};
use crate::require::RequirementPlan;
use crate::select::plan::SelectionPlan;
use chunk_rows::ChunkRows;
use left_out::{Judged, LeftOut};
use meant::{ChunkCells, Meant, Scratch};
use pebblebank_table::CsvBuffer;
use pebblebank_table::csv::{Defusing, RawCells};
use pebblebank_table::units::{FileId, RowId, RowNumber, SourceId};
use std::sync::Mutex;

/// The job fitted to the columns of one file.
struct FilePlan {
    layouts: Vec<LayoutPlan>,
    requirement: RequirementPlan,
    selection: Option<SelectionPlan>,
    originals: OriginalValues,
    /// The source's and the file's name as two cells.
    name_cells: Vec<u8>,
    source: SourceId,
    /// Its place among the source files.
    file: usize,
    /// Where values go that other rows or lists give.
    supplied: Option<SuppliedColumns>,
}

/// All that the second pass needs to know, the same for every chunk.
pub struct SecondPass<'a> {
    job: &'a Job,
    files: &'a OpenFiles,
    settled: &'a Settled,
    layouts: &'a [Layout],
    plans: Vec<FilePlan>,
    /// What is said of each combination of marks.
    details: Vec<String>,
    /// The keys of the job, as receipts name them.
    key_names: Vec<String>,
    pick: Picking,
    supplies: Option<&'a Supplies>,
    near: Option<&'a NearMissed>,
    left_out: LeftOut,
    spare: Mutex<Vec<Rows>>,
}

impl<'a> SecondPass<'a> {
    /// Fits the job to all files. `layouts` has one for each import file.
    pub fn new(
        job: &'a Job,
        files: &'a OpenFiles,
        settled: &'a Settled,
        layouts: &'a [Layout],
        columns: &AllColumns,
        supplies: Option<&'a Supplies>,
    ) -> SecondPass<'a> {
        let plan = |(file, cleaning): (&OpenFile<SourceId>, &CleaningPlan)| FilePlan {
            layouts: layouts
                .iter()
                .map(|layout| LayoutPlan::new(layout, &cleaning.map, file.is_receipt, job.facts()))
                .collect(),
            requirement: RequirementPlan::new(&job.require, &cleaning.map, file.is_receipt),
            selection: job
                .select
                .as_ref()
                .map(|selection| SelectionPlan::new(selection, &cleaning.map, file.is_receipt, job.facts())),
            originals: OriginalValues::new(columns, file.map()),
            name_cells: name_cells(&job.sources[file.owner.0 as usize].name, &file.input.name()),
            source: file.owner,
            file: file.id.0 as usize,
            supplied: files
                .supplied
                .as_ref()
                .map(|supplied| SuppliedColumns::new(supplied, &cleaning.map, file.is_receipt, &job.clean.blank_words)),
        };
        let plans = files.sources.iter().zip(&files.cleaning).map(plan).collect();
        let details = settled.all_marks().map(|marks| describe(job, marks)).collect();
        let key_names = job.person.same.iter().map(PersonKey::name).collect();
        SecondPass {
            job,
            files,
            settled,
            layouts,
            plans,
            details,
            key_names,
            pick: Picking::All,
            supplies,
            near: None,
            left_out: LeftOut::Nobody,
            spare: Mutex::default(),
        }
    }

    /// With what was found of near misses, so that the job can set contacts aside for it.
    #[must_use]
    pub fn near_missing(self, near: &'a NearMissed) -> SecondPass<'a> {
        SecondPass { near: Some(near), ..self }
    }

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
                if let Some((row, column)) = counted.stop.take() {
                    return Err(self.violation_stops(job.file, row, &column));
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

    fn violation_stops(&self, file: FileId, row: RowNumber, column: &str) -> Error {
        Error::new(
            ErrorKind::Guard,
            format!("the required column \"{column}\" would stay blank, and the layout says to stop then"),
            "fill the cell in the source's own program, or let the layout set such rows aside (on_violation = \"set-aside\")",
        )
        .in_file(self.files.sources[file.0 as usize].input.path())
        .at_row(row)
    }

    fn spare_rows(&self) -> Rows {
        let spare = self.spare.lock().expect("no thread panics while it holds the spare rows").pop();
        let mut rows = spare.unwrap_or_else(|| Rows {
            imports: self.layouts.iter().map(|layout| CsvBuffer::new(defusing(layout))).collect(),
            orders: self.layouts.iter().map(|_| RowOrder::default()).collect(),
            candidates: Vec::new(),
            set_aside: CsvBuffer::new(Defusing::On),
            merged: CsvBuffer::new(Defusing::On),
            repairs: CsvBuffer::new(Defusing::On),
            suggestions: CsvBuffer::new(Defusing::On),
            people: Vec::new(),
            learned: Vec::new(),
            judged: Vec::new(),
            counts: Counts::default(),
        });
        rows.imports.iter_mut().for_each(CsvBuffer::clear);
        rows.orders.iter_mut().for_each(RowOrder::clear);
        rows.candidates.clear();
        for buffer in [&mut rows.set_aside, &mut rows.merged, &mut rows.repairs, &mut rows.suggestions] {
            buffer.clear();
        }
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
        let Scratch { records, cleaner, replaced, values, domains, supplied } = scratch;
        let mut supplies = supplies;
        replaced.changes.clear();
        let cells = ChunkCells::of(file, &job.chunk);
        let mut chunk = ChunkRows {
            pass: self,
            plan: &self.plans[job.file.0 as usize],
            first_of_file: self.settled.first_of(job.file).0,
            cells: RawCells::NeedALook,
            rows: &mut rows,
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
            let after = if file.replacements.is_empty() {
                record
            } else {
                file.replacements.apply(&record, replaced);
                replaced.after(&record)
            };
            let typed = address_value(file.map(), &after);
            let address =
                if self.settled.is_clean(row) { Address::clean_already(&typed) } else { cleaner.clean(&typed) };
            let cells = if replaced.changes.is_empty() { chunk.cells } else { RawCells::NeedALook };
            let mut meant = Meant { record: after, cells, replaced: &replaced.changes, values: None };
            if matches!(standing, Standing::Free(_)) || self.left_out.asks_of(row) {
                values.clean(&self.files.cleaning[job.file.0 as usize], &meant.record, &address);
                meant.record = values.after(&meant.record);
                meant.values = Some(values);
                if !values.decoded().is_empty() {
                    meant.cells = RawCells::NeedALook;
                }
                chunk.suggest(row, &address, domains);
                if let (Some(columns), false) = (&chunk.plan.supplied, given.is_empty()) {
                    meant.record = supplied.apply(&meant.record, address.text, given, columns);
                }
            }
            let taken_from = given.iter().find(|supply| supply.kind == SupplyKind::TakenFrom);
            chunk.taken_from = taken_from.map_or(&[], Supply::names);
            chunk.contact(row, standing, &record, &meant, &typed, &address);
        }
        Ok(rows)
    }
}

fn defusing(layout: &Layout) -> Defusing {
    if layout.defuse { Defusing::On } else { Defusing::Off }
}

fn name_cells(source: &str, file: &str) -> Vec<u8> {
    let mut cells = CsvBuffer::new(Defusing::On);
    cells.value(source.as_bytes());
    cells.value(file.as_bytes());
    cells.bytes
}
