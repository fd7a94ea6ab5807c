//! `pebblebank run JOB.toml`: do the whole job.

use crate::arguments::{Run, Shared};
use crate::commands::memory::{recall, record};
use crate::commands::report::{page_beside, write_page};
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_core::job::named::guard;
use pebblebank_core::job::{self, Job};
use pebblebank_core::run::{self, Setting, wrong_use};
use pebblebank_report::changes::compare;
use pebblebank_report::receipt::Receipt;
use pebblebank_table::staged::placement::with_ending;
use pebblebank_table::{Error, ErrorKind};
use std::path::{Path, PathBuf};

/// Reads the job file and does the job.
pub fn run(command: Run, shared: &Shared) -> Result<Said, Error> {
    let now = Now::read();
    let path = command.job.clone();
    let mut job = job::file::read(&path, &now.today)?;
    let shared = &with_bank_of(&job, shared);
    job = job.written_for_spreadsheet(command.spreadsheet.for_spreadsheet);
    job.replace = command.replace;
    job.receipt = command.receipt.or(job.receipt);
    for name in &command.accepting.accept {
        job.guards.accept.add(guard(name)?, None);
    }
    let exists = job.writes.iter().map(|write| &write.first_file).chain(&job.receipt).any(|output| output.exists());
    let replace = if exists { " --replace" } else { "" };
    let again = format!("pebblebank run {}{replace}", command.job.display());
    let job = recall(job, &command.remembered, command.dry_run, shared, &now)?;
    let dry_run = DryRun { is_wanted: command.dry_run, preview: command.previewing.preview };
    let page = if command.report && !command.dry_run { Some(page_of(&job)?) } else { None };
    let mut said =
        do_job(&job, dry_run, shared, &now, &again).map_err(|error| job::file::told_for_job(error, &job, &path))?;
    if let (Some((receipt, page)), 0) = (page, said.status) {
        match write_page(&receipt, &page, false, job.replace, setting(shared, false, &now).threads) {
            Ok(()) if shared.json || shared.quiet => {}
            Ok(()) => said.text.push_str(&render::report::in_short(&page)),
            // The run is done all the same.
            Err(error) => {
                said.errors.push(error);
                said.status = 1;
            }
        }
    }
    Ok(said)
}

/// The bank of the job, unless another one is named.
fn with_bank_of(job: &Job, shared: &Shared) -> Shared {
    Shared { bank: shared.bank.clone().or_else(|| job.bank.named.clone()), ..shared.clone() }
}

/// The receipt of a job and the page that shows it, which must not be there yet unless it may be replaced.
fn page_of(job: &Job) -> Result<(PathBuf, PathBuf), Error> {
    let receipt = job.receipt.clone().ok_or_else(|| {
        wrong_use("--report shows the receipt, and this job leaves none", "give it one: receipt = \"…\" in [job]")
    })?;
    let page = page_beside(&receipt);
    if page.exists() && !job.replace {
        let what = "the page of the run exists already";
        return Err(Error::new(ErrorKind::Output, what, "add --replace, or move it away").in_file(&page));
    }
    Ok((receipt, page))
}

/// The largest indexes of people that a run compares in passing.
const MOST_OF_INDEX: u64 = 8 << 20;

/// What changed since the run whose receipt this one replaced, in a line; nothing where there is none.
fn since_before(receipt: &Path) -> String {
    let previous = with_ending(receipt, ".previous");
    let length = |folder: &Path| std::fs::metadata(folder.join("people.idx")).map_or(u64::MAX, |about| about.len());
    if !previous.is_dir() || length(receipt).saturating_add(length(&previous)) > MOST_OF_INDEX {
        return String::new();
    }
    let found = Receipt::open(receipt).and_then(|now| compare(&now, &Receipt::open(&previous)?, 2));
    found.map_or(String::new(), |found| render::changes::in_short(&found, receipt))
}

/// Whether nothing is to be written, and how many rows are shown instead.
#[derive(Debug, Clone, Copy)]
pub struct DryRun {
    /// Whether nothing is written.
    pub is_wanted: bool,
    /// How many of the first rows are shown then.
    pub preview: usize,
}

/// Does a job and says the result of it. `again` is the command to type for the same without `--dry-run`.
pub fn do_job(job: &Job, dry_run: DryRun, shared: &Shared, now: &Now, again: &str) -> Result<Said, Error> {
    let drawn = Drawn::of(shared);
    let finished =
        run::run(job, &Setting { preview_rows: dry_run.preview, ..setting(shared, dry_run.is_wanted, now) }, &drawn);
    drawn.finish();
    let mut finished = finished?;
    let status = if finished.tripped.is_empty() { 0 } else { 3 };
    let mut errors = Vec::new();
    let recorded = match finished.learned.take().map(|learned| record(job, &finished, learned, shared, now)) {
        Some(Ok(recorded)) => Some(recorded),
        // The files are in place; only the bank does not know of them.
        Some(Err(error)) => {
            let what = "the files are in place, but the bank does not know of them";
            errors.push(match error.kind() {
                ErrorKind::Unreachable => {
                    let what = format!("{what}: it can no longer be reached");
                    Error::new(error.kind(), what, "run the job once more with --replace when it can be reached again")
                }
                kind => Error::new(kind, format!("{what}: {}", error.what()), error.advice()),
            });
            None
        }
        None => None,
    };
    let status = if errors.is_empty() { status } else { 1 };
    let screen = Screen::new(shared);
    let text = if shared.json {
        render::json::finished(&finished, recorded.as_ref())
    } else if shared.quiet && status == 0 {
        String::new()
    } else {
        let since = finished.receipt.as_deref().filter(|_| status == 0).map_or(String::new(), since_before);
        let remembered = recorded.map_or(String::new(), |recorded| {
            render::bank::recorded(
                &recorded,
                finished.receipt.as_deref(),
                shared.bank.as_deref().map(Path::new),
                &screen,
            )
        });
        let remembered = format!("{since}{remembered}");
        render::tally::finished(&finished, again, &remembered, &screen)
    };
    Ok(Said { errors, status, ..Said::done(text) })
}
