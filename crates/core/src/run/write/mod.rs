//! The fourth stage of a run: every row is read again, judged and laid out, and the files are written beside their targets.
//!
//! [`second_pass`] reads, [`chunk_rows`] says where each contact ends, [`import_rows`] is the only way into an import file,
//! [`outputs`] holds the files until all is known to be right.

pub(crate) mod chunk_rows;
pub mod copied_file;
mod faults;
pub mod import_rows;
pub mod layouts;
pub mod learned;
mod left_out;
pub mod limit;
mod meant;
pub mod outputs;
pub mod people_index;
pub mod plan;
pub(crate) mod preview;
mod repair_rows;
pub(crate) mod rows;
pub mod second_pass;
pub mod shapes;
pub mod written_people;
pub mod written_rows;

use super::decide::fill::Supplies;
use super::decide::known::Known;
use super::decide::near_duplicates::{self, NearDuplicates};
use super::decide::near_misses::{self, NearMissed};
use super::setting::Setting;
use super::tally::{FillTally, TakenTally};
use super::verdicts::Verdicts;
use crate::job::Job;
use outputs::Outputs;
use pebblebank_table::Result;
use pebblebank_table::observe::Observer;
use pebblebank_table::units::RowId;
use plan::SecondPass;
use rows::Counts;

/// What was written, not yet in place.
pub struct Written {
    /// What was counted, by source.
    pub counts: Vec<Counts>,
    /// Entries of suppression lists that are close to a contact.
    pub near_missed: NearMissed,
    /// The rows that are close to such an entry and passed everything else.
    pub passed: Vec<RowId>,
    /// Pairs of people who may be one.
    pub near_duplicates: NearDuplicates,
    /// What people were filled with.
    pub fill: Option<FillTally>,
    /// What was taken from lists.
    pub taken: Vec<TakenTally>,
}

/// A file that is sorted may take this part of the memory; who is who is decided by then.
const MEMORY_PARTS_FOR_SORTING: u64 = 4;

/// Writes the files of a run.
pub fn write(
    job: &Job,
    known: &Known,
    outputs: &mut Outputs,
    setting: &Setting,
    observer: &dyn Observer,
) -> Result<Written> {
    let columns = known.all_columns();
    let shapes = shapes::shapes(job, layouts::layouts(job, &columns));
    outputs.begin_files(job, &shapes, &columns, known)?;
    let mut conflicts = |rows: &[u8]| outputs.add_conflicts(rows);
    let supplies = Supplies::gather(job, known, setting, observer, &mut conflicts)?;
    let missed = near_misses::search(job, known, setting, observer)?;
    let second_pass = SecondPass::new(job, &known.files, &known.settled, &shapes, &columns, supplies.as_ref());
    let verdicts = Verdicts::of(job, setting.memory)?;
    let mut second_pass = second_pass.near_missing(&missed).knowing(&verdicts);
    second_pass.judge_left_out(setting, observer)?;
    second_pass.pick(setting, observer)?;
    outputs.sort(&shapes, setting.memory / MEMORY_PARTS_FOR_SORTING, &known.spool_folder);
    let counts = second_pass.run(setting, outputs, observer)?;
    outputs.write_sorted(observer)?;
    outputs.finish_files(setting.threads, observer)?;
    tracing::info!("rows written");
    let passed: Vec<RowId> = counts.iter().flat_map(|counts| counts.near_missed.iter().copied()).collect();
    outputs.add_near_misses(&missed.rows(job, known, &passed))?;
    let near = near_duplicates::search(job, known, setting, observer)?;
    outputs.add_review(&near.rows)?;
    let (fill, taken) = match supplies {
        Some(supplies) => (job.person.fill.then_some(supplies.fill), supplies.taken),
        None => (None, Vec::new()),
    };
    Ok(Written { counts, near_missed: missed, passed, near_duplicates: near, fill, taken })
}
