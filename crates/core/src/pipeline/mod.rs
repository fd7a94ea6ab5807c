//! The stages in order, the tally, the guards: from a [`Job`] to files in place.
//!
//! Two passes over the sources. The first reads every row and keeps its keys and marks; between them it is
//! settled who is who and who is held; the second reads again and writes. Nothing is put in place before
//! the account balances.

pub(crate) mod chunks;
pub(crate) mod counts;
mod date_orders;
pub(crate) mod first_pass;
mod glimpse;
pub mod guards;
pub mod in_order;
pub mod open;
mod outputs;
mod people;
pub mod people_index;
mod report;
mod row_keys;
mod second_pass;
pub mod settle;
pub mod tally;

pub use guards::TrippedGuard;
pub use tally::{Account, Outcome, Tally};

use crate::error::{Error, ErrorKind, Result};
use crate::job::{Content, Job, Layout, LayoutColumn, OnViolation};
use crate::observe::{Observer, Progress, Stage};
use crate::write::commit;
use crate::write::receipt::AllColumns;
use counts::{FileCounts, ListCounts};
use first_pass::{NotText, read_lists, read_sources};
use open::{OpenFile, OpenFiles, Refuted, in_another_encoding, open_again, open_files};
use outputs::Outputs;
use people::People;
use report::Reports;
use second_pass::SecondPass;
use std::path::{Path, PathBuf};

/// How a run is to be done; changes nothing about its result.
#[derive(Debug, Clone)]
pub struct Setting {
    /// How many threads work.
    pub threads: usize,
    /// How much memory may be taken, in bytes.
    pub memory: u64,
    /// Whether nothing is to be put in place.
    pub dry_run: bool,
    /// When the run began (RFC 3339), for `run.json`.
    pub started: String,
}

/// What a run leaves.
#[derive(Debug, Clone)]
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
}

/// Does a job.
pub fn run(job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<Finished> {
    job.check()?;
    let journal = journal_of(job);
    let completed_earlier = !setting.dry_run && commit::complete_interrupted(&journal)?;
    let spool_folder = folder_for_spooling(job);
    let files = open_files(job, &spool_folder, observer)?;
    let mut outputs = Outputs::stage(job, setting)?;
    let (files, people, counted) = read_everything(files, job, setting, &spool_folder, observer)?;
    let Counted { files: source_counts, list_files, lists } = counted;
    let mut files = files;
    let of_dates = date_orders::decide(&mut files, &source_counts, job)?;
    files.findings.extend(of_dates);
    let settled = settle::settle(people, &lists, job, setting.threads, observer)?;

    let mut columns = AllColumns::of(files.sources.iter().map(OpenFile::map));
    columns.has_surplus = source_counts.iter().any(|counts| counts.long_rows.count > 0);
    let layouts = layouts(job, &columns);
    outputs.write_headers(&layouts, &columns)?;
    let second_pass = SecondPass::new(job, &files, &settled, &layouts, &columns);
    let counts = second_pass.run(setting, &mut outputs, observer)?;

    let reports = Reports { job, files: &files, settled: &settled, source_counts, list_files, lists };
    let mut tally = reports.tally(counts, &outputs);
    tally.check_balance()?;
    let tripped = guards::check(&job.guards, &tally);
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
    let placed = outputs.place(tally.outcome, &documents, &journal)?;
    Ok(Finished {
        tally,
        tripped,
        imports: job.writes.iter().map(|write| write.file.clone()).collect(),
        receipt: placed.receipt,
        set_aside: placed.set_aside,
        preview,
        completed_earlier,
    })
}

/// What the first pass counted.
struct Counted {
    files: Vec<FileCounts>,
    list_files: Vec<FileCounts>,
    lists: Vec<ListCounts>,
}

/// The first pass. Starts over once where the rest of a file refutes what its beginning suggested.
fn read_everything(
    files: OpenFiles,
    job: &Job,
    setting: &Setting,
    spool_folder: &Path,
    observer: &dyn Observer,
) -> Result<(OpenFiles, People, Counted)> {
    let mut files = files;
    let mut not_text = None;
    let mut first = first_pass(job, &files, setting, spool_folder, &mut not_text, observer);
    while let (Err(error), Some(place)) = (&first, not_text.take()) {
        let Some(again) = with_another_encoding(files, job, place)? else { return Err(error.clone()) };
        files = again;
        files.plan(job);
        first = first_pass(job, &files, setting, spool_folder, &mut not_text, observer);
    }
    let (people, counted) = match first? {
        // The order of dates in keys was guessed from the beginning of the files.
        read if !date_orders::refutes_keys(&mut files, &read.1.files, job) => read,
        _ => first_pass(job, &files, setting, spool_folder, &mut not_text, observer)?,
    };
    let refuted: Vec<Option<bool>> = counted.files.iter().map(is_consent_after_all).collect();
    if refuted.iter().all(Option::is_none) {
        return Ok((files, people, counted));
    }
    let mut sources = Vec::with_capacity(files.sources.len());
    for (file, status_is_consent) in files.sources.into_iter().zip(refuted) {
        let read = &job.sources[file.owner.0 as usize].read;
        let refuted = Refuted { status_is_consent, encoding: None };
        sources.push(if status_is_consent.is_some() { open_again(file, read, false, refuted)? } else { file });
    }
    let mut files = OpenFiles { sources, ..files };
    files.plan(job);
    let (mut people, mut counted) = first_pass(job, &files, setting, spool_folder, &mut not_text, observer)?;
    if date_orders::refutes_keys(&mut files, &counted.files, job) {
        (people, counted) = first_pass(job, &files, setting, spool_folder, &mut not_text, observer)?;
    }
    Ok((files, people, counted))
}

/// Opens the file at `place` in the encoding that all of it suggests; none where that is still UTF-8.
fn with_another_encoding(mut files: OpenFiles, job: &Job, place: NotText) -> Result<Option<OpenFiles>> {
    match place {
        NotText::List(index) => {
            let file = files.lists.swap_remove(index);
            let read = &job.lists[file.owner.0 as usize].read;
            let Some(file) = in_another_encoding(file, read, true)? else { return Ok(None) };
            files.lists.push(file);
            files.lists.sort_by_key(|file| file.id);
        }
        NotText::Source(index) => {
            let file = files.sources.swap_remove(index);
            let read = &job.sources[file.owner.0 as usize].read;
            let Some(file) = in_another_encoding(file, read, false)? else { return Ok(None) };
            files.sources.push(file);
            files.sources.sort_by_key(|file| file.id);
        }
    }
    Ok(Some(files))
}

/// A column headed "status" is consent where most of its filled values are status words.
fn is_consent_after_all(counts: &FileCounts) -> Option<bool> {
    let (filled, listed) = counts.watched_status;
    (listed * 2 > filled).then_some(true)
}

fn first_pass(
    job: &Job,
    files: &OpenFiles,
    setting: &Setting,
    spool_folder: &Path,
    not_text: &mut Option<NotText>,
    observer: &dyn Observer,
) -> Result<(People, Counted)> {
    let estimated = files.sources.iter().map(|file| file.records_estimated).sum();
    let has_ranks = files.row_keys.iter().any(Option::is_some);
    let mut people = People::new(job.clean.identity, setting.memory, estimated, has_ranks, spool_folder)?;
    let (list_files, lists) = read_lists(files, job, setting, &mut people, not_text, observer)?;
    let counts = read_sources(files, setting, &mut people, not_text, observer)?;
    Ok((people, Counted { files: counts, list_files, lists }))
}

/// The layout of each import file; without one, all columns of all sources.
fn layouts(job: &Job, columns: &AllColumns) -> Vec<Layout> {
    let all = || {
        let column = |name: &str, content| LayoutColumn { content, ..LayoutColumn::of_column(name) };
        let mut all: Vec<_> =
            columns.columns.iter().map(|wanted| column(wanted.name(), Content::Column(wanted.clone()))).collect();
        if columns.has_surplus {
            all.push(column("surplus cells", Content::Surplus));
        }
        Layout { name: "all columns".to_owned(), columns: all, defuse: true, on_violation: OnViolation::SetAside, sort: Vec::new() }
    };
    job.writes.iter().map(|write| write.layout.clone().unwrap_or_else(all)).collect()
}

/// The journal stands beside the first import file, and is the same for every run that writes it.
fn journal_of(job: &Job) -> PathBuf {
    let first = &job.writes[0].file;
    let mut name = std::ffi::OsString::from(".");
    name.push(first.file_name().unwrap_or_default());
    name.push(".commit");
    first.with_file_name(name)
}

fn folder_for_spooling(job: &Job) -> PathBuf {
    match job.writes[0].file.parent() {
        Some(folder) if folder != Path::new("") => folder.to_path_buf(),
        _ => PathBuf::from("."),
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
