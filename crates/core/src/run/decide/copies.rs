//! The rows of people that have several, read again and sorted by person.

use super::known::Known;
use super::read_again::{RowAgain, Wants, read_again};
use crate::job::Job;
use crate::run::setting::Setting;
use pebblebank_table::Result;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::sorter::{Sorted, Sorter};

/// Sorts the rows of people with several by person, then in the survivor's ranking, the survivor first. Each record's
/// key begins with the survivor's row, high byte first; its payload is what `payload` adds.
pub fn sort_copies(
    job: &Job,
    known: &Known,
    setting: &Setting,
    memory: u64,
    observer: &dyn Observer,
    payload: impl Fn(&RowAgain, &mut Vec<u8>) + Sync,
) -> Result<Sorted> {
    let settled = &known.settled;
    let has_copies = settled.with_copies();
    let mut sorter = Sorter::new(memory, &known.spool_folder);
    let wants = Wants {
        rows: |row| has_copies.holds(settled.survivor_of(row)),
        values: Some(&known.files.cleaning),
        stage: Stage::Filling,
    };
    read_again(
        known,
        setting,
        observer,
        &wants,
        |copy, found: &mut Vec<(Vec<u8>, Vec<u8>)>| {
            let mut bytes = Vec::new();
            payload(copy, &mut bytes);
            found.push((settled.order_of_copy(copy.row, job.person.survivor), bytes));
        },
        |found| found.iter().try_for_each(|(key, payload)| sorter.push(key, payload)),
    )?;
    sorter.finish()
}
