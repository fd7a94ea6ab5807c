//! The last stage of a run: where every row went, whether a guard stops it, and what is put in place.
//!
//! [`reports`] makes the account and the documents of the receipt, [`guards`], [`list_guards`] and [`file_guards`] look at
//! it, and [`earlier`] knows what earlier runs left.

pub mod earlier;
pub mod earlier_run;
pub mod file_guards;
pub mod guards;
pub mod guards_document;
mod list_findings;
pub mod list_guards;
pub mod people_findings;
mod people_on_lists;
pub mod reports;
mod source_findings;
mod source_guards;
mod tally_of_run;

use super::decide::copied::Refused;
use super::decide::known::Known;
use super::decide::settled::Settled;
use super::finished::Finished;
use super::setting::Setting;
use super::tally::{Outcome, PartTally, Tally};
use super::tripped_guard::TrippedGuard;
use super::write::Written;
use super::write::outputs::{Documents, Outputs};
use super::write::rows::Counts;
use crate::job::Job;
use crate::suppress::marks::Mark;
use crate::suppress::reason::Reason;
use earlier::Earlier;
use pebblebank_formats::writing::file_writer::WrittenPart;
use pebblebank_table::observe::{Finding, Observer, Progress, Stage};
use pebblebank_table::units::SourceId;
use pebblebank_table::{Error, Result};
use reports::Reports;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// The account of a run that balances, and what to say about it.
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
    name_files(&mut tally, job, outputs);
    tally.near_duplicates = near_duplicates.tally;
    tally.findings.splice(0..0, refused.finding());
    let set_aside = tally.all.set_aside[Reason::NearMiss as usize];
    tally.near_misses = near_missed.tally(job, set_aside, &passed);
    tally.fill = fill;
    tally.taken = taken;
    tally.check_balance()?;
    let mut tripped = list_guards::check(job, known, &tally, &earlier.run);
    tripped.extend(file_guards::of_sources(known));
    tripped.extend(source_guards::check(job, known, &earlier.run));
    tripped.extend(guards::check(&job.guards, &tally, &earlier.run));
    let unchecked = guards::unchecked(job, &earlier.run);
    tally.findings.splice(0..0, unchecked);
    let empty = guards::empty_files(&tally);
    tally.findings.splice(0..0, empty);
    let step = guards::billing_step(&job.guards, &tally);
    tally.findings.extend(step);
    let (tripped, accepted) = guards::sort_out(tripped, &job.guards.accept);
    tally.accepted_guards = accepted;
    tally.outcome = match (setting.dry_run, tripped.is_empty()) {
        (_, false) => Outcome::Stopped,
        (true, true) => Outcome::DryRun,
        (false, true) => Outcome::Written,
    };
    let mut tripped = tripped;
    if job.is_from_file {
        tally.findings.iter_mut().for_each(Finding::tell_for_job);
        tripped.iter_mut().for_each(TrippedGuard::tell_for_job);
    }
    log(&tally, &tripped);
    let documents = reports.documents(&tally, &tripped, setting);
    Ok(Accounted { tally, tripped, documents, memberships })
}

/// Logs the account: counts and names of guards and findings, and nothing of anybody.
fn log(tally: &Tally, tripped: &[TrippedGuard]) {
    for finding in &tally.findings {
        tracing::info!(code = finding.code, count = finding.count, "finding");
    }
    for guard in tripped {
        tracing::warn!(guard = guard.guard, count = guard.count, "guard stopped the run");
    }
    for guard in &tally.accepted_guards {
        tracing::warn!(guard = guard.guard, count = guard.count, "guard accepted");
    }
    let all = &tally.all;
    tracing::info!(
        read = all.read,
        written = all.written,
        merged = all.merged,
        set_aside = all.set_aside_in_all(),
        "account balances"
    );
}

/// Puts in place what the account allows.
pub fn finish(account: Accounted, outputs: Outputs, earlier: &Earlier, observer: &dyn Observer) -> Result<Finished> {
    let Accounted { tally, tripped, documents, memberships } = account;
    let preview = outputs.preview();
    if observer.wants_stop() {
        return Err(Error::interrupted());
    }
    observer.progress(Progress { stage: Stage::Placing, bytes: 0, bytes_in_all: 0, rows: tally.all.read });
    let imports: Vec<PathBuf> = outputs.written_files().flatten().map(|part| part.path.to_path_buf()).collect();
    let placed = outputs.place(tally.outcome, &documents)?;
    Ok(Finished {
        tripped,
        imports,
        receipt: placed.receipt,
        set_aside: placed.set_aside,
        preview,
        completed_earlier: earlier.completed,
        learned: placed.learned.filter(|_| tally.outcome == Outcome::Written),
        memberships,
        tally,
    })
}

/// Says which files and sheets each import file came to.
fn name_files(tally: &mut Tally, job: &Job, outputs: &Outputs) {
    for ((file, parts), write) in tally.written.iter_mut().zip(outputs.written_files()).zip(&job.writes) {
        if write.form.most.is_any() {
            let shown = |part: &WrittenPart| {
                let name = part.path.file_name().unwrap_or_default();
                Path::new(&write.shown).with_file_name(name).display().to_string()
            };
            file.files = parts.iter().map(|part| PartTally { file: shown(part), rows: part.rows }).collect();
        }
        file.sheets = parts.iter().map(|part| part.sheets).max().filter(|sheets| *sheets > 1);
    }
}

/// How many people with a key are in which sources.
fn memberships(counts: &[Counts], settled: &Settled) -> Vec<(Vec<SourceId>, u64)> {
    let source = |mark: &Mark| match mark {
        Mark::From(source) => Some(*source),
        _ => None,
    };
    let mut memberships: BTreeMap<Vec<SourceId>, u64> = BTreeMap::new();
    for (set, marks) in settled.all_marks().enumerate() {
        let people: u64 = counts.iter().filter_map(|counts| counts.people_with_key.get(set)).sum();
        if people > 0 {
            *memberships.entry(marks.iter().filter_map(source).collect()).or_default() += people;
        }
    }
    memberships.into_iter().collect()
}
