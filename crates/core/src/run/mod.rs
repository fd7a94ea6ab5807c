//! The stages in order, the tally, the guards: from a [`Job`] to files in place.
//!
//! Two passes over the sources. The first reads every row and keeps its keys and marks; between them it is
//! settled who is who and who is held; the second reads again and writes. Nothing is put in place before
//! the account balances.

pub mod account;
pub mod contact;
pub mod decide;
pub mod gather;
pub mod open;
pub mod row_bits;
pub mod row_set;
pub mod setting;
pub mod tally;
pub mod write;

use crate::run::decide::read_and_decide;
use setting::journal_of;
pub use setting::{Setting, threads_of_this_machine, wrong_use};
pub use tally::TrippedGuard;
pub use tally::{Account, Outcome, Tally};

use crate::job::{Job, Write};
use crate::layout::receipt::AllColumns;
use crate::layout::{Content, Layout, LayoutColumn, Membership, OnViolation};
use crate::suppress::marks::Mark;
use crate::suppress::reason::Reason;
use account::Reports;
use account::list_guards::EarlierRun;
use account::refused::Refused;
use decide::fill::Supplies;
use decide::settled::Settled;
use open::opening::Opening;
use pebblebank_table::observe::{Observer, Progress, Stage};
use pebblebank_table::units::{RowId, SourceId};
use pebblebank_table::{Error, Result, staged};
use std::collections::BTreeMap;
use std::path::PathBuf;
use write::SecondPass;
use write::learned::Learned;
use write::outputs::Outputs;
use write::rows::Counts;

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
    let completed_earlier = !setting.dry_run && staged::complete_interrupted(&journal)?;
    let earlier = EarlierRun::of(job.receipt.as_deref());
    let opening = Opening::of(job, setting, observer)?;
    let mut outputs = Outputs::stage(job, setting)?;
    let known = read_and_decide(opening, job, setting, observer)?;

    let columns = known.all_columns();
    let layouts = layouts(job, &columns);
    outputs.write_headers(&layouts, &columns)?;
    let mut conflicts = |rows: &[u8]| outputs.add_conflicts(rows);
    let supplies = Supplies::gather(job, &known, setting, observer, &mut conflicts)?;
    let missed = decide::near_misses::search(job, &known, setting, observer)?;
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
    let near = decide::near_duplicates::search(job, &known, setting, observer)?;
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
    let mut tripped = account::list_guards::check(job, &known, &tally, &earlier);
    tripped.extend(account::guards::check(&job.guards, &tally));
    let (tripped, accepted) = account::guards::sort_out(tripped, &job.guards.accept);
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
