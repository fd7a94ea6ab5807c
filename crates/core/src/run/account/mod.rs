//! The last stage of a run: where every row went, whether a guard stops it, and what is put in place.
//!
//! [`reports`] makes the account and the documents of the receipt, [`guards`] and [`list_guards`] look at it, and
//! [`earlier`] knows what earlier runs left.

pub mod earlier;
pub mod guards;
mod list_findings;
pub mod list_guards;
pub mod people_findings;
mod people_on_lists;
pub mod reports;
mod source_findings;
mod tally_of_run;

use super::decide::copied::Refused;
use super::decide::known::Known;
use super::decide::settled::Settled;
use super::finished::Finished;
use super::setting::Setting;
use super::tally::{Outcome, Tally, TrippedGuard};
use super::write::Written;
use super::write::outputs::{Documents, Outputs};
use super::write::rows::Counts;
use crate::job::Job;
use crate::suppress::marks::Mark;
use crate::suppress::reason::Reason;
use earlier::Earlier;
use pebblebank_table::observe::{Observer, Progress, Stage};
use pebblebank_table::units::SourceId;
use pebblebank_table::{Error, Result};
use reports::Reports;
use std::collections::BTreeMap;

/// The account of a run that balances, and what is said of it.
pub struct Accounted {
    tally: Tally,
    tripped: Vec<TrippedGuard>,
    documents: Documents,
    memberships: Vec<(Vec<SourceId>, u64)>,
}

/// Accounts for every row, and finds out which guards stop the run. Fails where the account does not balance.
pub fn account(
    job: &Job,
    known: &Known,
    written: Written,
    outputs: &Outputs,
    earlier: &Earlier,
    setting: &Setting,
) -> Result<Accounted> {
    let Written { counts, near_missed, passed, near_duplicates, fill, taken } = written;
    let mut refused = Refused::default();
    for counts in &counts {
        refused.add_all(&counts.refused_written);
    }
    let memberships = if job.compares() { memberships(&counts, &known.settled) } else { Vec::new() };
    let reports = Reports { job, known };
    let mut tally = reports.tally(counts, &outputs.import_rows().collect::<Vec<_>>());
    tally.near_duplicates = near_duplicates.tally;
    tally.findings.splice(0..0, refused.finding());
    let set_aside = tally.all.set_aside[Reason::NearMiss as usize];
    tally.near_misses = near_missed.tally(job, set_aside, &passed);
    tally.fill = fill;
    tally.taken = taken;
    tally.check_balance()?;
    let mut tripped = list_guards::check(job, known, &tally, &earlier.run);
    tripped.extend(guards::check(&job.guards, &tally));
    let (tripped, accepted) = guards::sort_out(tripped, &job.guards.accept);
    tally.accepted_guards = accepted;
    tally.outcome = match (setting.dry_run, tripped.is_empty()) {
        (_, false) => Outcome::Stopped,
        (true, true) => Outcome::DryRun,
        (false, true) => Outcome::Written,
    };
    let documents = reports.documents(&tally, setting);
    Ok(Accounted { tally, tripped, documents, memberships })
}

/// Puts in place what the account allows.
pub fn finish(
    account: Accounted,
    outputs: Outputs,
    earlier: &Earlier,
    job: &Job,
    observer: &dyn Observer,
) -> Result<Finished> {
    let Accounted { tally, tripped, documents, memberships } = account;
    let preview = outputs.preview();
    if observer.wants_stop() {
        return Err(Error::interrupted());
    }
    observer.progress(Progress { stage: Stage::Placing, bytes: 0, bytes_in_all: 0, rows: tally.all.read });
    let placed = outputs.place(tally.outcome, &documents)?;
    Ok(Finished {
        tripped,
        imports: job.writes.iter().map(|write| write.file.clone()).collect(),
        receipt: placed.receipt,
        set_aside: placed.set_aside,
        preview,
        completed_earlier: earlier.completed,
        learned: placed.learned.filter(|_| tally.outcome == Outcome::Written),
        memberships,
        tally,
    })
}

/// How many people with a key are in which sources.
fn memberships(counts: &[Counts], settled: &Settled) -> Vec<(Vec<SourceId>, u64)> {
    let source = |mark: &Mark| match mark {
        Mark::From(source) => Some(*source),
        _ => None,
    };
    let mut memberships: BTreeMap<Vec<SourceId>, u64> = BTreeMap::new();
    for (set, marks) in settled.all_marks().enumerate() {
        let persons: u64 = counts.iter().filter_map(|counts| counts.persons_with_key.get(set)).sum();
        if persons > 0 {
            *memberships.entry(marks.iter().filter_map(source).collect()).or_default() += persons;
        }
    }
    memberships.into_iter().collect()
}
