//! Whether a file is fit to be imported now, whoever made it: who in it must not be contacted today, and what the sending
//! service would refuse or take for something else. Nothing is written.

mod columns;
pub mod problem;
mod rows;
pub mod wishes;

use crate::job::lists::{JobList, NearMisses};
use crate::job::sources::Source;
use crate::job::verdict_rules::MAX_AGE;
use crate::job::{Job, Write};
use crate::layout::{Content, Layout, LayoutColumn};
use crate::person::same::PersonWishes;
use crate::require::Requirement;
use crate::run::account::earlier_run::EarlierRun;
use crate::run::account::guards::sort_out;
use crate::run::account::list_guards;
use crate::run::account::reports::Reports;
use crate::run::decide::read_again::{RowAgain, Wants, read_again};
use crate::run::decide::read_and_decide;
use crate::run::open::opening::Opening;
use crate::run::setting::Setting;
use crate::run::tally::{Outcome, Tally};
use crate::run::tripped_guard::TrippedGuard;
use crate::run::verdicts::Verdicts;
use pebblebank_formats::Format;
use pebblebank_formats::writing::FileForm;
use pebblebank_table::observe::{Finding, Observer, Stage, Weight};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::{ColumnRef, Field};
use problem::{Kind, Problem, Since};
use rows::{Looking, Seen};
use std::path::PathBuf;
use wishes::PreflightWishes;

/// The result of it.
#[derive(Debug, Clone)]
pub struct Preflight {
    /// The file.
    pub file: String,
    /// Its headers.
    pub headers: Vec<String>,
    /// How many contacts it has.
    pub rows: u64,
    /// How many of them nothing keeps from being imported.
    pub fit_rows: u64,
    /// What keeps it from being imported, gravest first.
    pub problems: Vec<Problem>,
    /// What else was seen.
    pub findings: Vec<Finding>,
    /// The account: rows that nothing holds count as written.
    pub tally: Tally,
    /// The guards that were tripped, so that nobody knows who must not be contacted.
    pub tripped: Vec<TrippedGuard>,
    /// How the file differs from what the run wrote, where a receipt is named.
    pub since: Option<Since>,
}

impl Preflight {
    /// Whether it can be imported.
    pub fn is_fit(&self) -> bool {
        self.problems.is_empty() && self.tripped.is_empty()
    }
}

/// Looks whether a file is fit to be imported.
pub fn preflight(wishes: &PreflightWishes, setting: &Setting, observer: &dyn Observer) -> Result<Preflight> {
    let setting = &Setting { dry_run: true, ..setting.clone() };
    let written_then = wishes.receipt.as_deref().map(rows::WrittenThen::read).transpose()?;
    let mut job = job(wishes).with_remembered_lists().with_unread_lists();
    job.lists.iter_mut().filter_map(JobList::hold_mut).for_each(|hold| hold.near_miss = NearMisses::Ignored);
    job.check()?;
    let mut opening = Opening::of(&job, setting, observer)?;
    if let Some(header) = address_of_layout(wishes, &opening) {
        job.sources[0].read.columns.headers.insert(Field::Email, vec![header]);
        opening = Opening::of(&job, setting, observer)?;
    }
    let known = read_and_decide(opening, &job, setting, observer)?;
    let [file] = known.files.sources.as_slice() else {
        let what = format!("{} files are meant, and one is looked at", known.files.sources.len());
        return Err(Error::new(ErrorKind::Job, what, "name one file"));
    };
    let form = wishes.layout.as_ref().map(|layout| form_of(layout, file.format)).transpose()?;
    let verdicts = Verdicts::remembered(&job, MAX_AGE, setting.memory)?;
    let looking = Looking::new(wishes, form.as_ref(), &known, file, &verdicts);
    let mut seen = Seen::default();
    let wants = Wants { rows: |_| true, values: Some(&known.files.cleaning), stage: Stage::Settling };
    let each = |again: &RowAgain, seen: &mut Seen| looking.take(again, &job, written_then.as_ref(), seen);
    read_again(&known, setting, observer, &wants, each, |later: Seen| {
        seen.append(later);
        Ok(())
    })?;
    let mut problems = seen.problems(&looking);
    problems.extend(columns::problems(wishes.layout.as_ref(), form.as_ref(), file, !seen.has_other_letters));
    problems.extend(columns::no_address_column(wishes.layout.as_ref(), file));
    problems.extend(columns::other_lines(&known.source_counts[0].others));
    problems.sort_by_key(|problem| problem.kind);
    let (rows, fit_rows) = (seen.rows, seen.fit_rows);
    let since = written_then.map(|then| then.compared(rows, &seen));
    let findings = seen.findings();
    let written = seen.counts.account.written;
    let mut tally = Reports { job: &job, known: &known }.tally(vec![seen.counts], &[written]);
    tally.check_balance()?;
    let earlier = EarlierRun::of(wishes.receipt.as_deref());
    let tripped = list_guards::check(&job, &known, &tally, &earlier);
    let (tripped, accepted) = sort_out(tripped, &wishes.accept);
    tally.accepted_guards = accepted;
    tally.outcome = if tripped.is_empty() { Outcome::DryRun } else { Outcome::Stopped };
    if rows == 0 {
        problems.push(Problem::of_file(Kind::Form, "no-rows", "it has no contacts".to_owned()));
    }
    let said = findings.iter().map(|finding| finding.code).collect::<Vec<_>>();
    let mut notes = findings.clone();
    notes.extend(tally.findings.iter().filter(|finding| !said.contains(&finding.code)).cloned());
    notes.retain(|finding| finding.weight != Weight::Note || finding.code == "no-bank");
    let findings = notes;
    let headers = if file.table.has_header { file.table.headers.clone() } else { Vec::new() };
    Ok(Preflight { file: file.input.name(), headers, rows, fit_rows, problems, findings, tally, tripped, since })
}

/// The header of the column that the layout calls that of the address, where another one was recognised as that.
fn address_of_layout(wishes: &PreflightWishes, opening: &Opening) -> Option<String> {
    let is_address = |column: &&LayoutColumn| column.content == Content::Column(ColumnRef::Field(Field::Email));
    let column = wishes.layout.iter().flat_map(|layout| &layout.columns).find(is_address)?;
    let is_said = wishes.file.columns.headers.contains_key(&Field::Email);
    let [file] = opening.sources() else { return None };
    let place = file.table.headers.iter().position(|header| *header == column.name)?;
    let is_recognised = file.map().column(Field::Email).is_some_and(|own| own.0 == place);
    (!is_said && !is_recognised && file.table.has_header).then(|| column.name.clone())
}

/// The form that a layout asks for, of a file of this format.
fn form_of(layout: &Layout, format: Format) -> Result<FileForm> {
    let format = layout.form.format.unwrap_or(columns::written_format(format));
    layout.form.form(format)
}

fn job(wishes: &PreflightWishes) -> Job {
    let source = Source::new(&wishes.name, wishes.file.clone());
    Job {
        country: wishes.country,
        sources: vec![source],
        person: PersonWishes { near_duplicates: Some(false), ..PersonWishes::default() },
        lists: wishes.against.iter().cloned().map(JobList::from).collect(),
        scope: wishes.scope.clone(),
        remembered: wishes.remembered.clone(),
        require: Requirement { fields: Vec::new(), ..Requirement::default() },
        // It is never written: what is cleaned is what would be.
        writes: vec![Write::as_copied(PathBuf::from("nothing"), "")],
        ..Job::new("preflight", wishes.today)
    }
}
