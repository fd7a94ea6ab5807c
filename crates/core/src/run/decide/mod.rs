//! The third stage of a run: who is the same person, who survives, who must not be contacted.
//!
//! [`settle`] decides it from keys and row numbers alone, partition by partition; [`settled`] is the result of it, and the
//! only place that makes a [`settled::Cleared`]. What needs values is read again ([`read_again`]): what people are filled
//! with ([`fill`]), who may be one person ([`near_duplicates`]), and which entries are close to somebody ([`near_misses`]).

mod close_entries;
pub mod copied;
pub mod copies;
pub mod crossings;
mod entry_numbers;
pub mod fill;
pub mod folding;
mod key_bits;
pub mod known;
mod likely_entries;
pub mod near_duplicates;
pub mod near_misses;
mod near_values;
pub mod partitions;
mod people_of_entries;
pub mod read_again;
mod reasons;
mod refusals;
pub mod settle;
pub mod settled;
pub mod supplied;
pub mod supply;
pub mod taking;
mod unmatched_entries;
mod who_is_who;
pub mod why;

pub use known::Known;

use crate::job::Job;
use crate::run::gather::{Gathered, gather};
use crate::run::open::Opening;
use crate::run::setting::Setting;
use pebblebank_table::Result;
use pebblebank_table::observe::Observer;

/// Decides who is who and who must not be contacted.
pub fn decide(gathered: Gathered, job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<Known> {
    let Gathered { files, people, source_counts, list_files, entrants, looked_up, spool_folder } = gathered;
    let decisions = files.decisions.as_ref();
    let settled = settle::settle(people, &entrants, job, decisions, &spool_folder, setting.threads, observer)?;
    tracing::info!("duplicates and suppression decided");
    Ok(Known { files, settled, source_counts, list_files, entrants, looked_up, spool_folder })
}

/// Reads the files of a job, and decides: for commands that are more than a job.
pub fn read_and_decide(opening: Opening, job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<Known> {
    decide(gather(opening, job, setting, observer)?, job, setting, observer)
}
