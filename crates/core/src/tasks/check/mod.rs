//! Which addresses of a list will not arrive: the address by itself, then whether its domain takes mail.
//!
//! The list is read once to learn which rows and which domains there are, each domain is asked for once however many
//! addresses it has, and then the rows are copied with what was found. Whoever asks the network is handed in
//! ([`DomainAnswers`]); without it nothing leaves the machine.

mod files;
pub mod wishes;

use crate::columns::wishes::ConsentQuestions;
use crate::job::sources::Source;
use crate::job::{Job, Write};
use crate::person::same::PersonWishes;
use crate::require::Requirement;
use crate::run::contact::Contact;
use crate::run::decide::copied::{Copies, Refused};
use crate::run::decide::known::Known;
use crate::run::decide::read_again::{RowAgain, Wants, read_again};
use crate::run::decide::read_and_decide;
use crate::run::open::Opening;
use crate::run::open::files::OpenFile;
use crate::run::row_set::RowSet;
use crate::run::setting::Setting;
use crate::run::tally::OtherLines;
use crate::select::plan::SelectionPlan;
use files::{CheckFiles, CopiedRow};
use pebblebank_table::observe::{Finding, Observer, Stage, Weight};
use pebblebank_table::units::{RowId, SourceId};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::Field;
use pebblebank_values::audience::DisposableDomains;
use pebblebank_values::date::{Date, Moment};
use pebblebank_values::suggest::{DomainLooks, DomainSlips};
use pebblebank_values::verdict::{BySyntax, Level, Verdict, Why, by_syntax};
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::PathBuf;
use wishes::{CheckWishes, Checked};

/// What is known of a domain, and since when.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DomainAnswer {
    /// What it came to.
    pub why: Why,
    /// The day on which it was found out.
    pub day: Date,
}

/// Whoever knows whether domains take mail: by asking, and by remembering.
pub trait DomainAnswers {
    /// What is remembered of these domains, as far as it is young enough.
    ///
    /// # Errors
    ///
    /// Where the memory cannot be read.
    fn remembered(&mut self, domains: &BTreeSet<String>) -> Result<HashMap<String, DomainAnswer>>;

    /// Asks for domains, and hands each answer to `each` as soon as it is there, in whatever order. Says what went wrong for
    /// all of them, if anything did.
    ///
    /// # Errors
    ///
    /// Where nobody can be asked at all, or `each` fails.
    fn ask(
        &mut self,
        domains: Vec<String>,
        observer: &dyn Observer,
        each: &mut dyn FnMut(String, DomainAnswer) -> Result<()>,
    ) -> Result<Option<String>>;
}

/// Checks a list.
pub fn check(
    wishes: &CheckWishes,
    answers: Option<&mut dyn DomainAnswers>,
    setting: &Setting,
    observer: &dyn Observer,
) -> Result<Checked> {
    let job = job(wishes).with_remembered_lists();
    let opening = Opening::of(&job, setting, observer)?;
    let [file] = opening.sources() else {
        let advice = "name one of its files, as in exports.zip/shop.csv";
        return Err(Error::new(ErrorKind::Input, "this holds several files", advice));
    };
    if file.map().column(Field::Email).is_none() && !file.is_empty {
        let what = "no column of this file was recognised as e-mail addresses";
        return Err(
            Error::new(ErrorKind::Columns, what, "say which it is: --field \"email=…\"").in_file(file.input.path())
        );
    }
    let known = read_and_decide(opening, &job, setting, observer)?;
    let checker = Checker::new(wishes, &job, &known);
    let wanted = checker.wanted(setting, observer)?;
    let domains = match answers {
        Some(answers) if wishes.level >= Level::Domain => found_out(wanted.domains, answers, observer)?,
        _ => FoundOut { domains: wanted.domains.len() as u64, ..FoundOut::default() },
    };
    let mut files = CheckFiles::stage(wishes, &job, &known, setting)?;
    let written = checker.write(&wanted.rows, &domains.answers, &mut files, setting, observer)?;
    let counts = &known.source_counts[0];
    let mut findings = known.files.all_findings();
    findings.splice(0..0, written.refused.finding());
    let trouble = domains.trouble.map(|text| Finding::new("dns", Weight::Warning, text));
    findings.splice(0..0, trouble);
    let (placed, preview) = files.place(written.to_check, setting, observer)?;
    Ok(Checked {
        list: checker.file.input.name(),
        rows: counts.contacts,
        checked: wanted.count,
        other_lines: OtherLines(counts.others),
        counts: written.counts,
        duplicates: written.duplicates,
        domains: domains.domains,
        remembered: domains.remembered,
        asked: domains.asked,
        to_check: written.to_check,
        files: placed,
        preview,
        findings,
    })
}

fn job(wishes: &CheckWishes) -> Job {
    Job {
        country: wishes.country,
        sources: vec![Source::new(&wishes.name, wishes.list.clone()).only_rows(wishes.rows)],
        person: PersonWishes { near_duplicates: Some(false), ..PersonWishes::default() },
        scope: wishes.scope.clone(),
        remembered: wishes.remembered.clone(),
        require: Requirement { fields: Vec::new(), ..Requirement::default() },
        select: wishes.select.clone(),
        writes: vec![Write::as_copied(PathBuf::from("checked"), "")],
        consent_questions: ConsentQuestions::Warn,
        replace: wishes.replace,
        ..Job::new("check", wishes.today)
    }
}

/// What was found out about domains.
#[derive(Default)]
struct FoundOut {
    answers: HashMap<String, DomainAnswer>,
    domains: u64,
    remembered: u64,
    asked: u64,
    trouble: Option<String>,
}

fn found_out(domains: BTreeSet<String>, answers: &mut dyn DomainAnswers, observer: &dyn Observer) -> Result<FoundOut> {
    let mut known = answers.remembered(&domains)?;
    let (all, remembered) = (domains.len() as u64, known.len() as u64);
    let open: Vec<String> = domains.into_iter().filter(|domain| !known.contains_key(domain)).collect();
    let asked = open.len() as u64;
    let trouble = answers.ask(open, observer, &mut |domain, answer| {
        known.insert(domain, answer);
        Ok(())
    })?;
    Ok(FoundOut { answers: known, domains: all, remembered, asked, trouble })
}

/// Which rows are checked, and the domains of their addresses.
struct Wanted {
    rows: RowSet,
    count: u64,
    domains: BTreeSet<String>,
}

/// What was counted while rows were written.
#[derive(Default)]
struct Written {
    counts: BTreeMap<(Verdict, Why), u64>,
    duplicates: u64,
    to_check: u64,
    refused: Refused,
}

/// A list that is checked.
struct Checker<'a> {
    wishes: &'a CheckWishes,
    known: &'a Known,
    file: &'a OpenFile<SourceId>,
    selection: Option<SelectionPlan>,
    slips: &'a DomainSlips,
    disposable: DisposableDomains,
    today: String,
}

impl<'a> Checker<'a> {
    fn new(wishes: &'a CheckWishes, job: &'a Job, known: &'a Known) -> Checker<'a> {
        let file = &known.files.sources[0];
        let cleaning = &known.files.cleaning[0];
        let plan = |asked| SelectionPlan::new(asked, &cleaning.map, file.is_receipt, job.facts());
        Checker {
            wishes,
            known,
            file,
            selection: job.select.as_ref().map(plan),
            slips: &known.files.addresses.slips,
            disposable: DisposableDomains::default(),
            today: iso(wishes.today),
        }
    }

    /// Finds out which rows are checked.
    fn wanted(&self, setting: &Setting, observer: &dyn Observer) -> Result<Wanted> {
        let settled = &self.known.settled;
        let mut wanted = Wanted { rows: RowSet::new(settled.records()), count: 0, domains: BTreeSet::new() };
        let most = self.wishes.first.unwrap_or(u64::MAX);
        let in_range = |row: RowId| !settled.is_left_out(row);
        let plans = self.selection.is_some().then_some(self.known.files.cleaning.as_slice());
        let wants = Wants { rows: in_range, values: plans, stage: Stage::Reading };
        let each = |again: &RowAgain, found: &mut Vec<(RowId, String)>| {
            let contact = &again.contact;
            let marks = settled.marks(settled.copied(again.row).marks());
            let is_picked = |plan: &SelectionPlan| plan.holds(&contact.cleaned, contact.usable_address(), marks);
            if self.selection.as_ref().is_none_or(is_picked) {
                let domain = if contact.address.is_usable() { contact.address.domain() } else { b"" };
                found.push((again.row, String::from_utf8_lossy(domain).into_owned()));
            }
        };
        read_again(self.known, setting, observer, &wants, each, |found: Vec<(RowId, String)>| {
            for (row, domain) in found {
                if wanted.count == most {
                    break;
                }
                wanted.count += 1;
                wanted.rows.add(row);
                if !domain.is_empty() && !wanted.domains.contains(&domain) {
                    wanted.domains.insert(domain);
                }
            }
            Ok(())
        })?;
        Ok(wanted)
    }

    /// Copies the rows that were checked, each with what was found.
    fn write(
        &self,
        rows: &RowSet,
        answers: &HashMap<String, DomainAnswer>,
        files: &mut CheckFiles,
        setting: &Setting,
        observer: &dyn Observer,
    ) -> Result<Written> {
        let settled = &self.known.settled;
        let mut written = Written::default();
        let is_checked = |row: RowId| rows.holds(row);
        let wants = Wants { rows: is_checked, values: None, stage: Stage::Writing };
        let cells = files.cells(self.file);
        let each = |again: &RowAgain, chunk: &mut CheckedChunk| {
            let is_duplicate = again.contact.address.is_usable() && settled.survivor_of(again.row) != again.row;
            let judged = self.judge(&again.contact, answers, is_duplicate, &mut chunk.looks);
            let copied = settled.copied(again.row);
            chunk.copies.everyone(&copied, |out| {
                cells.copy(&again.contact, out);
                judged.cells().iter().for_each(|cell| out.value(cell.as_bytes()));
            });
            chunk.duplicates += u64::from(is_duplicate);
            if judged.why.verdict() != Verdict::Invalid && !is_duplicate {
                chunk.to_check.everyone(&copied, |out| out.address(again.contact.address.text));
            }
            let row = CopiedRow { end: chunk.copies.bytes().len(), digest: chunk.copies.digest(), why: judged.why };
            chunk.rows.push(row);
        };
        read_again(self.known, setting, observer, &wants, each, |chunk: CheckedChunk| {
            written.duplicates += chunk.duplicates;
            written.refused.add_all(chunk.copies.refused());
            for row in &chunk.rows {
                *written.counts.entry((row.why.verdict(), row.why)).or_default() += 1;
            }
            written.to_check += chunk.to_check.rows();
            files.take_to_check(&chunk.to_check)?;
            files.take(chunk.copies.bytes(), &chunk.rows)
        })?;
        Ok(written)
    }

    /// What is known of a contact's address.
    fn judge(
        &self,
        contact: &Contact,
        answers: &HashMap<String, DomainAnswer>,
        is_duplicate: bool,
        looks: &mut DomainLooks,
    ) -> Judged<'_> {
        let BySyntax { mut whys, suggestion } = by_syntax(&contact.address, self.slips, &self.disposable, looks);
        let mut checked_on = Cow::Borrowed(self.today.as_str());
        if self.wishes.level >= Level::Domain && contact.address.is_usable() {
            let domain = String::from_utf8_lossy(contact.address.domain());
            let answer = answers.get(domain.as_ref());
            whys.settled_by(answer.map(|answer| answer.why));
            whys.add(answer.map_or(Why::NotReached, |answer| answer.why));
            if let Some(answer) = answer.filter(|answer| answer.day != self.wishes.today) {
                checked_on = Cow::Owned(iso(answer.day));
            }
        }
        let said = match (whys.as_slice(), is_duplicate) {
            ([only], false) => Cow::Borrowed(only.name()),
            (all, _) => {
                let names = all.iter().map(|why| why.name()).chain(is_duplicate.then_some(DUPLICATE));
                Cow::Owned(names.collect::<Vec<_>>().join("; "))
            }
        };
        Judged { why: whys.first(), said, checked_on, suggestion: suggestion.unwrap_or_default() }
    }
}

fn iso(date: Date) -> String {
    let mut text = String::new();
    Moment { date, time: None }.write(&mut text);
    text
}

/// How a row is marked whose address stands above.
const DUPLICATE: &str = "duplicate";

/// What was found for one row.
struct Judged<'a> {
    why: Why,
    said: Cow<'static, str>,
    checked_on: Cow<'a, str>,
    suggestion: String,
}

impl Judged<'_> {
    /// The cells of [`files::FOUND`].
    fn cells(&self) -> [&str; 4] {
        [self.why.verdict().name(), &self.said, &self.checked_on, &self.suggestion]
    }
}

/// The rows of a chunk.
#[derive(Default)]
struct CheckedChunk {
    copies: Copies,
    rows: Vec<CopiedRow>,
    duplicates: u64,
    to_check: Copies,
    looks: DomainLooks,
}
