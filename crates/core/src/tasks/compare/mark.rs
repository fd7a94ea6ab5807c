//! The rows of the first list, in their order and with their own columns, and a yes or no for each other list.

use super::{CompareWishes, Compared, counted, job};
use crate::clean::row::RowCleaner;
use crate::columns::lines::Line;
use crate::job::Job;
use crate::run;
use crate::run::account::refused::Refused;
use crate::run::decide::known::Known;
use crate::run::decide::read_and_decide;
use crate::run::gather::chunks::{Reading, changed};
use crate::run::gather::records::{address_value, checksum};
use crate::run::open::opening::Opening;
use crate::run::setting::Setting;
use crate::select::plan::SelectionPlan;
use crate::suppress::marks::Mark;
use pebblebank_table::csv::{Defusing, RawCells};
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::staged::early_sync::EarlySync;
use pebblebank_table::staged::{Commit, Placement, StagedFile, with_ending};
use pebblebank_table::units::{FileId, RowId, SourceId};
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Records, Result};
use pebblebank_values::address::AddressCleaner;
use std::path::Path;

/// Compares lists, and writes the rows of the first one that were picked, each with a yes or no for the other lists; a
/// row that nothing can be compared by has neither.
pub fn mark(wishes: &CompareWishes, setting: &Setting, observer: &dyn Observer) -> Result<Compared> {
    let counting = CompareWishes { output: None, set_aside: None, ..wishes.clone() };
    let finished = run::run(&job(&counting)?, setting, observer)?;
    let job = job(wishes)?;
    let mut compared = counted(&job, &finished);
    let Some(output) = wishes.output.as_ref() else { return Ok(compared) };
    let job = job.with_remembered_lists();
    let known = read_and_decide(Opening::of(&job, setting, observer)?, &job, setting, observer)?;
    let mut refused = Refused::default();
    compared.picked = write_rows(&job, &known, output, &mut refused, setting, observer)?;
    compared.findings.splice(0..0, refused.finding());
    compared.written = (!setting.dry_run).then(|| output.clone());
    Ok(compared)
}

/// Writes the rows; says how many.
fn write_rows(
    job: &Job,
    known: &Known,
    output: &Path,
    refused: &mut Refused,
    setting: &Setting,
    observer: &dyn Observer,
) -> Result<u64> {
    let mut own = known.files.sources.iter().filter(|file| file.owner == SourceId(0));
    let (Some(file), None) = (own.next(), own.next()) else {
        let what = "the first list is several files, whose rows have no columns in common to be marked in";
        return Err(Error::new(ErrorKind::Job, what, "name one file first; pebblebank clean merges several"));
    };
    let placement = if job.replace { Placement::Replace } else { Placement::New };
    let sync = EarlySync::new();
    let mut staged = if setting.dry_run { None } else { Some(StagedFile::create(output, placement)?) };
    let others: Vec<Mark> = (1..job.sources.len()).map(|place| Mark::From(SourceId(place as u16))).collect();
    let mut rows = CsvBuffer::new(Defusing::Off);
    file.table.headers.iter().for_each(|header| rows.value(header.as_bytes()));
    job.sources[1..].iter().for_each(|list| rows.value(format!("in {}", list.name).as_bytes()));
    rows.end_row();
    let cleaning = &known.files.cleaning[file.id.0 as usize];
    let selection =
        job.select.as_ref().map(|asked| SelectionPlan::new(asked, &cleaning.map, file.is_receipt, job.facts()));
    let mut values = RowCleaner::default();
    let mut addresses = AddressCleaner::with(std::sync::Arc::clone(&known.files.addresses));
    let mut records = Records::default();
    let mut picked = 0;
    let mut reading = Reading::again(&known.files.sources, &known.settled.chunks, Stage::Writing, observer);
    while let Some(chunk) = reading.next()?.filter(|chunk| chunk.file == FileId(0)) {
        let place = known.settled.chunks.get(chunk.index).ok_or_else(|| changed(file.input.path()))?;
        records.split(&chunk.chunk, file.dialect);
        if checksum(&chunk.chunk) != place.checksum || records.len() != place.records as usize {
            return Err(changed(file.input.path()));
        }
        for index in 0..records.len() {
            let row = RowId(place.first.0 + index as u32);
            if known.settled.line(row) != Line::Contact {
                continue;
            }
            let record = records.get(index, &chunk.chunk.bytes, file.dialect);
            let marks = known.settled.marks(known.settled.marks_of(known.settled.survivor_of(row)));
            if let Some(selection) = &selection {
                let typed = address_value(file.map(), &record);
                let address = addresses.clean(&typed);
                values.clean(cleaning, &record, &address);
                let usable = if address.is_usable() { address.text } else { b"" };
                if !selection.holds(&values.after(&record), usable, marks) {
                    continue;
                }
            }
            picked += 1;
            refused.add(known.settled.refusal(row));
            for column in 0..file.map().width() {
                rows.raw(record.raw_cell(column), RawCells::NeedALook);
            }
            for other in &others {
                let is_in = if marks.contains(other) { "yes" } else { "no" };
                rows.value(if known.settled.has_key(row) { is_in.as_bytes() } else { b"" });
            }
            rows.end_row();
        }
        chunk.give_back();
        if let Some(staged) = &mut staged {
            staged.write(&rows.bytes, &sync)?;
        }
        rows.clear();
    }
    if let Some(mut staged) = staged {
        staged.write(&rows.bytes, &sync)?;
        let mut commit = Commit::default();
        commit.file(staged);
        drop(sync);
        commit.place(&with_ending(output, ".commit"))?;
    }
    Ok(picked)
}
