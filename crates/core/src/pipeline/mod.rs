//! The stages in order, the tally, the guards: from a [`Job`] to files in place.
//!
//! Two passes over the sources. The first reads every row and keeps its keys and marks; between them it is
//! settled who is who and who is held; the second reads again and writes. Nothing is put in place before
//! the account balances.

pub(crate) mod again;
mod alike;
mod check;
pub(crate) mod chunks;
mod copies;
pub(crate) mod counts;
mod date_orders;
pub mod duplicates;
pub mod entries;
pub(crate) mod first_pass;
mod glimpse;
pub mod guards;
pub mod in_order;
pub(crate) mod known;
pub mod learned;
pub mod list_guards;
pub mod near;
pub mod near_misses;
pub mod open;
mod outputs;
pub(crate) mod people;
pub mod people_index;
mod picking;
mod plan;
pub mod refused;
pub(crate) mod remembered;
pub(crate) mod report;
mod row_keys;
pub(crate) mod second_pass;
pub mod settle;
mod settling;
pub mod status_columns;
pub mod supply;
pub mod tally;
pub(crate) mod why_held;

pub use guards::TrippedGuard;
pub use tally::{Account, Outcome, Tally};

use crate::error::{Error, ErrorKind, Result};
use crate::job::layout::Membership;
use crate::job::{Content, Job, Layout, LayoutColumn, OnViolation, Write};
use crate::observe::{Observer, Progress, Stage};
use crate::suppress::{Mark, Reason};
use crate::units::{RowId, SourceId};
use crate::write::commit;
use crate::write::receipt::AllColumns;
use known::Opening;
use learned::Learned;
use list_guards::EarlierRun;
use outputs::Outputs;
use refused::Refused;
use report::Reports;
use second_pass::{Counts, SecondPass};
use settle::Settled;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use supply::Supplies;

/// How a run is to be done; changes nothing about its result.
#[derive(Debug, Clone)]
pub struct Setting {
    /// How many threads work.
    pub threads: usize,
    /// How much memory may be taken, in bytes.
    pub memory: u64,
    /// Whether nothing is to be put in place.
    pub dry_run: bool,
    /// Where jobs that write nothing keep what cannot be read twice.
    pub spool_folder: PathBuf,
    /// When the run began (RFC 3339), for `run.json`.
    pub started: String,
}

/// What a run leaves.
#[derive(Debug)]
pub struct Finished {
    /// The account.
    pub tally: Tally,
    /// The guards that stopped it; empty where none did.
    pub tripped: Vec<TrippedGuard>,
    /// The import files, where they are put in place.
    pub imports: Vec<PathBuf>,
    /// The receipt that was left, if any; its name ends with `.stopped` where a guard stopped the run.
    pub receipt: Option<PathBuf>,
    /// The file of rows set aside outside a receipt, if any.
    pub set_aside: Option<PathBuf>,
    /// The first rows of the first import file, with its header.
    pub preview: Vec<u8>,
    /// Whether the outputs of an earlier, killed run were put in place first.
    pub completed_earlier: bool,
    /// What the bank learns from it, where it was written.
    pub learned: Option<Learned>,
    /// Where sources are compared: how many persons with a key are in which of them.
    pub memberships: Vec<(Vec<SourceId>, u64)>,
}

/// A file that is sorted may take this part of the memory; who is who is settled by then.
const MEMORY_PARTS_FOR_SORTING: u64 = 4;

/// Does a job.
pub fn run(job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<Finished> {
    job.check()?;
    let job = &job.with_remembered_lists().with_unread_lists();
    let journal = journal_of(job, setting);
    let completed_earlier = !setting.dry_run && commit::complete_interrupted(&journal)?;
    let earlier = EarlierRun::of(job.receipt.as_deref());
    let opening = Opening::of(job, setting, observer)?;
    let mut outputs = Outputs::stage(job, setting)?;
    let known = opening.read(job, setting, observer)?;

    let columns = known.all_columns();
    let layouts = layouts(job, &columns);
    outputs.write_headers(&layouts, &columns)?;
    let mut conflicts = |rows: &[u8]| outputs.add_conflicts(rows);
    let supplies = Supplies::gather(job, &known, setting, observer, &mut conflicts)?;
    let missed = near_misses::search(job, &known, setting, observer)?;
    let second_pass = SecondPass::new(job, &known.files, &known.settled, &layouts, &columns, supplies.as_ref());
    let mut second_pass = second_pass.near_missing(&missed);
    second_pass.judge_left_out(setting, observer)?;
    second_pass.pick(setting, observer)?;
    outputs.sort(&layouts, setting.memory / MEMORY_PARTS_FOR_SORTING, &known.spool_folder);
    let counts = second_pass.run(setting, &mut outputs, observer)?;
    outputs.write_sorted(observer)?;
    let mut refused = Refused::default();
    for counts in &counts {
        refused.add_all(&counts.refused_written);
    }
    let memberships = if job.compares { memberships(&counts, &known.settled) } else { Vec::new() };

    let passed: Vec<RowId> = counts.iter().flat_map(|counts| counts.near_missed.iter().copied()).collect();
    outputs.add_near_misses(&missed.rows(job, &known, &passed))?;
    let near = near::search(job, &known, setting, observer)?;
    outputs.add_review(&near.rows)?;
    let reports = Reports { job, known: &known };
    let mut tally = reports.tally(counts, &outputs.import_rows().collect::<Vec<_>>());
    tally.near_duplicates = near.tally;
    tally.findings.splice(0..0, refused.finding());
    let set_aside = tally.all.set_aside[Reason::NearMiss as usize];
    tally.near_misses = missed.tally(job, set_aside, &passed);
    if let Some(supplies) = supplies {
        tally.fill = job.person.fill.then_some(supplies.fill);
        tally.taken = supplies.taken;
    }
    tally.check_balance()?;
    let mut tripped = list_guards::check(job, &known, &tally, &earlier);
    tripped.extend(guards::check(&job.guards, &tally));
    let (tripped, accepted) = guards::sort_out(tripped, &job.guards.accept);
    tally.accepted_guards = accepted;
    tally.outcome = match (setting.dry_run, tripped.is_empty()) {
        (_, false) => Outcome::Stopped,
        (true, true) => Outcome::DryRun,
        (false, true) => Outcome::Written,
    };
    let preview = outputs.preview();
    if observer.wants_stop() {
        return Err(Error::interrupted());
    }
    observer.progress(Progress { stage: Stage::Placing, bytes: 0, bytes_in_all: 0, rows: tally.all.read });
    let documents = reports.documents(&tally, setting);
    let outcome = tally.outcome;
    let placed = outputs.place(tally.outcome, &documents, &journal)?;
    Ok(Finished {
        tally,
        tripped,
        imports: job.writes.iter().map(|write| write.file.clone()).collect(),
        receipt: placed.receipt,
        set_aside: placed.set_aside,
        preview,
        completed_earlier,
        learned: placed.learned.filter(|_| outcome == Outcome::Written),
        memberships,
    })
}

/// How many persons with a key are in which sources.
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

/// The layout of each import file; without one, all columns of all sources, and where sources are compared one for each.
fn layouts(job: &Job, columns: &AllColumns) -> Vec<Layout> {
    let all = || {
        let column = |name: &str, content| LayoutColumn { content, ..LayoutColumn::of_column(name) };
        let taken = job.lists.iter().flat_map(|list| &list.take).map(|taken| &taken.ours);
        let taken: Vec<_> = taken.filter(|column| !columns.columns.contains(column)).collect();
        let mut all: Vec<_> = columns
            .columns
            .iter()
            .chain(taken)
            .map(|wanted| column(wanted.name(), Content::Column(wanted.clone())))
            .collect();
        if columns.has_surplus {
            all.push(column("surplus cells", Content::Surplus));
        }
        if job.compares {
            let membership = |name: &String| column(&format!("in {name}"), Content::Membership(Membership::of(name)));
            all.extend(job.sources.iter().map(|source| membership(&source.name)));
        }
        Layout {
            name: "all columns".to_owned(),
            columns: all,
            defuse: true,
            on_violation: OnViolation::SetAside,
            sort: Vec::new(),
        }
    };
    let layout = |write: &Write| {
        let layout = write.layout.clone().unwrap_or_else(all);
        // What --sort says holds for a layout that says nothing.
        let sort = if layout.sort.is_empty() { job.sort.clone() } else { layout.sort };
        Layout { sort, ..layout }
    };
    job.writes.iter().map(layout).collect()
}

/// The journal stands beside the first output, and is the same for every run that writes it.
pub(crate) fn journal_of(job: &Job, setting: &Setting) -> PathBuf {
    let mut name = std::ffi::OsString::from(".");
    match job.outputs().next() {
        Some(first) => {
            name.push(first.file_name().unwrap_or_default());
            name.push(".commit");
            first.with_file_name(name)
        }
        // Nothing is put in place, so that there is never a journal.
        None => setting.spool_folder.join(".none.commit"),
    }
}

/// Where the journal of a job that is not run as a whole stands.
pub(crate) use journal_of as commit_journal;

/// Beside the first output, which is on a disk with room for it; a dry run may be without that folder.
pub(crate) fn folder_for_spooling(job: &Job, setting: &Setting) -> PathBuf {
    match job.outputs().next().map(|first| first.parent()) {
        Some(Some(folder)) if folder != Path::new("") && folder.is_dir() => folder.to_path_buf(),
        Some(folder) if folder.is_none_or(|folder| folder == Path::new("")) => PathBuf::from("."),
        _ => setting.spool_folder.clone(),
    }
}

/// The number of threads that a machine has use for.
pub fn threads_of_this_machine() -> usize {
    std::thread::available_parallelism().map_or(1, std::num::NonZero::get)
}

/// What the user is told where a job cannot be done for a reason that lies in the job alone.
pub fn wrong_use(what: impl Into<String>, advice: impl Into<String>) -> Error {
    Error::new(ErrorKind::Job, what, advice)
}
