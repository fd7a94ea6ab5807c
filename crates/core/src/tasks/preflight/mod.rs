//! Whether a file is fit to be imported now, whoever made it: who in it must not be contacted today, and what the sending
//! service would refuse or take for something else. Nothing is written.

mod columns;
mod rows;

use crate::job::guard::Accepted;
use crate::job::lists::{JobList, NearMisses, SuppressionList};
use crate::job::remembering::Remembering;
use crate::job::sources::{ReadFiles, Source};
use crate::job::{Job, Write};
use crate::layout::Layout;
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
use crate::run::tally::{Outcome, Tally, TrippedGuard};
use pebblebank_formats::Format;
use pebblebank_formats::writing::FileForm;
use pebblebank_table::observe::{Finding, Met, Observer, Stage, Weight};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use rows::{Looking, Seen};
use serde::Serialize;
use std::path::PathBuf;

/// What is asked.
#[derive(Debug, Clone)]
pub struct PreflightWishes {
    /// The file.
    pub file: ReadFiles,
    /// What it is called.
    pub name: String,
    /// The layout that it must have; none where any columns will do.
    pub layout: Option<Layout>,
    /// Who must not be in it.
    pub against: Vec<SuppressionList>,
    /// Which client or brand it is for.
    pub scope: Option<String>,
    /// Who is remembered from earlier work.
    pub remembered: Remembering,
    /// The receipt of the run that wrote it.
    pub receipt: Option<PathBuf>,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The guards that do not stop it.
    pub accept: Accepted,
    /// The day.
    pub today: Date,
}

/// What kind of thing keeps a file from being imported, gravest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Somebody in it must not be contacted today.
    MustNotBeContacted,
    /// The columns are not those of the layout.
    Columns,
    /// An address is blank, or none that mail could be sent to.
    Address,
    /// A person stands in it more than once.
    Duplicate,
    /// A value does not fit the layout.
    Value,
    /// A value was spoiled by a spreadsheet, or lost characters.
    Spoiled,
    /// A spreadsheet would run a value as a formula.
    Formula,
    /// The file as text is not what the layout says.
    Form,
}

/// Something that keeps a file from being imported.
#[derive(Debug, Clone, Serialize)]
pub struct Problem {
    /// The kind.
    pub kind: Kind,
    /// The stable short name: a reason, or the name of a finding.
    pub code: String,
    /// What was found.
    pub text: String,
    /// The column, where it is about one.
    pub column: Option<String>,
    /// In how many rows; 0 where it is about the file.
    pub rows: u64,
    /// The first of them.
    pub examples: Vec<u64>,
}

impl Problem {
    /// Something about the whole file.
    fn of_file(kind: Kind, code: &str, text: String) -> Problem {
        Problem { kind, code: code.to_owned(), text, column: None, rows: 0, examples: Vec::new() }
    }

    /// Something about some rows.
    fn of_rows(kind: Kind, code: &str, text: impl Into<String>, column: Option<&str>, met: &Met) -> Problem {
        Problem {
            kind,
            code: code.to_owned(),
            text: text.into(),
            column: column.map(str::to_owned),
            rows: met.count,
            examples: met.rows.iter().map(|row| row.0).collect(),
        }
    }
}

/// What came of it.
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

/// How a file differs from what a run wrote.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Since {
    /// How many contacts the run wrote.
    pub written: u64,
    /// How many contacts the file has.
    pub rows: u64,
    /// Rows whose address the run did not write.
    pub added: u64,
    /// Addresses that the run wrote and that are no longer there.
    pub missing: u64,
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
    let opening = Opening::of(&job, setting, observer)?;
    let known = read_and_decide(opening, &job, setting, observer)?;
    let [file] = known.files.sources.as_slice() else {
        let what = format!("{} files are meant, and one is looked at", known.files.sources.len());
        return Err(Error::new(ErrorKind::Job, what, "name one file"));
    };
    let form = wishes.layout.as_ref().map(|layout| form_of(layout, file.format)).transpose()?;
    let looking = Looking::new(wishes, form.as_ref(), &known, file);
    let mut seen = Seen::default();
    let wants = Wants { rows: |_| true, values: Some(&known.files.cleaning), stage: Stage::Settling };
    let each = |again: &RowAgain, seen: &mut Seen| looking.take(again, &job, written_then.as_ref(), seen);
    read_again(&known, setting, observer, &wants, each, |later: Seen| {
        seen.append(later);
        Ok(())
    })?;
    let mut problems = seen.problems(&looking);
    problems.extend(columns::problems(wishes.layout.as_ref(), form.as_ref(), file, !seen.has_other_letters));
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
