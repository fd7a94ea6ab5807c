//! Which addresses of a list will not arrive: the address by itself, then whether its domain takes mail.
//!
//! The list is read once to learn which rows and which domains there are, each domain is asked for once however many
//! addresses it has, then each mailbox, and then the rows are copied with what was found. Whoever asks the network is handed in
//! ([`Others`]), and is asked only as far as the level goes.

pub mod asking;
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
use crate::run::verdicts::{Verdicts, together};
use crate::select::plan::SelectionPlan;
use asking::{Answers, AskedFor, Others};
use files::{CheckFiles, CopiedRow};
use pebblebank_table::observe::{Finding, Observer, Stage, Weight};
use pebblebank_table::sorter::Sorter;
use pebblebank_table::units::{RowId, SourceId};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::Field;
use pebblebank_values::audience::DisposableDomains;
use pebblebank_values::date::{Date, Moment};
use pebblebank_values::suggest::{DomainLooks, DomainTypos};
use pebblebank_values::verdict::{BySyntax, Level, Verdict, Why, by_syntax};
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use wishes::{CheckWishes, Checked};

/// Checks a list.
pub fn check(
    wishes: &CheckWishes,
    others: &mut dyn Others,
    setting: &Setting,
    observer: &dyn Observer,
) -> Result<Checked> {
    let job = job(wishes).with_remembered_lists();
    let opening = Opening::of(&job, setting, observer)?;
    let [file] = opening.sources() else {
        let advice = "name one of its files, as in exports.zip/shop.csv";
        return Err(Error::new(ErrorKind::Input, "this has several files in it", advice));
    };
    if file.map().column(Field::Email).is_none() && !file.is_empty {
        let what = "no column of this file was recognised as e-mail addresses";
        return Err(
            Error::new(ErrorKind::Columns, what, "say which it is: --field \"email=…\"").in_file(file.input.path())
        );
    }
    let known = read_and_decide(opening, &job, setting, observer)?;
    // A check that believes nothing old asks for everything anew.
    let verdicts = match wishes.max_age {
        0 => Verdicts::default(),
        max_age => Verdicts::remembered(&job, max_age, setting.memory)?,
    };
    let checker = Checker::new(wishes, &job, &known, &verdicts);
    let wanted = checker.wanted(setting, observer)?;
    let domains = AskedFor { different: wanted.domains.len() as u64, ..AskedFor::default() };
    let mut answers = Answers::of_nobody(domains);
    if wishes.level >= Level::Domain {
        answers = Answers::ask_domains(wanted.domains, others, wishes.today, observer)?;
        if wishes.level >= Level::Mailbox && !answers.ended.is_stopped {
            let (addresses, remembered) = checker.mailboxes(&wanted.first_rows, &answers, setting, observer)?;
            answers.of_mailboxes.remembered = remembered;
            answers.ask_mailboxes(addresses, others, wishes.today, observer)?;
        }
    }
    let mut files = CheckFiles::stage(wishes, &job, &known, setting)?;
    let written = checker.write((&wanted.rows, &wanted.first_rows), &answers, &mut files, setting, observer)?;
    let counts = &known.source_counts[0];
    let mut findings = known.files.all_findings();
    findings.splice(0..0, written.refused.finding());
    let trouble = answers.ended.trouble.map(|text| Finding::new("network", Weight::Warning, text));
    findings.splice(0..0, trouble);
    let given_out = written.given_out.len();
    let (placed, preview) = files.place(given_out, setting, observer)?;
    if given_out > 0 && !setting.dry_run {
        let mut sorted = written.given_out.finish()?;
        let text = |key: &[u8]| String::from_utf8_lossy(key).into_owned();
        others.given_out(&mut || Ok(sorted.next()?.map(|(address, _)| text(address))))?;
    }
    Ok(Checked {
        list: checker.file.input.name(),
        rows: counts.contacts,
        checked: wanted.count,
        other_lines: OtherLines(counts.others),
        counts: written.counts,
        once: written.once,
        duplicates: written.duplicates,
        known: written.known,
        domains: answers.of_domains,
        mailboxes: answers.of_mailboxes,
        is_stopped: answers.ended.is_stopped,
        given_out,
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

/// Which rows are checked, and the domains of their addresses.
struct Wanted {
    rows: RowSet,
    /// Of these, the first of each person.
    first_rows: RowSet,
    count: u64,
    domains: BTreeSet<String>,
}

/// What was counted while rows were written.
struct Written {
    counts: BTreeMap<(Verdict, Why), u64>,
    once: BTreeMap<Verdict, u64>,
    duplicates: u64,
    known: u64,
    /// By identity.
    given_out: Sorter,
    refused: Refused,
}

/// A list that is checked.
struct Checker<'a> {
    wishes: &'a CheckWishes,
    known: &'a Known,
    file: &'a OpenFile<SourceId>,
    selection: Option<SelectionPlan>,
    typos: &'a DomainTypos,
    disposable: DisposableDomains,
    verdicts: &'a Verdicts,
    today: String,
}

impl<'a> Checker<'a> {
    fn new(wishes: &'a CheckWishes, job: &'a Job, known: &'a Known, verdicts: &'a Verdicts) -> Checker<'a> {
        let file = &known.files.sources[0];
        let cleaning = &known.files.cleaning[0];
        let plan = |asked| SelectionPlan::new(asked, &cleaning.map, file.is_receipt, job.facts());
        Checker {
            wishes,
            known,
            file,
            selection: job.select.as_ref().map(plan),
            typos: &known.files.addresses.typos,
            disposable: DisposableDomains::default(),
            verdicts,
            today: iso(wishes.today),
        }
    }

    /// Finds out which rows are checked.
    fn wanted(&self, setting: &Setting, observer: &dyn Observer) -> Result<Wanted> {
        let settled = &self.known.settled;
        let none = || RowSet::new(settled.records());
        let mut wanted = Wanted { rows: none(), first_rows: none(), count: 0, domains: BTreeSet::new() };
        let mut people = none();
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
                let person = settled.survivor_of(row);
                if !domain.is_empty() && !people.holds(person) {
                    people.add(person);
                    wanted.first_rows.add(row);
                }
                if !domain.is_empty() && !wanted.domains.contains(&domain) {
                    wanted.domains.insert(domain);
                }
            }
            Ok(())
        })?;
        Ok(wanted)
    }

    /// The mailboxes to ask for, by domain, and how many are remembered.
    fn mailboxes(
        &self,
        first_rows: &RowSet,
        answers: &Answers,
        setting: &Setting,
        observer: &dyn Observer,
    ) -> Result<(BTreeMap<String, Vec<String>>, u64)> {
        let (mut wanted, mut remembered) = (BTreeMap::<String, Vec<String>>::new(), 0);
        let is_first = |row: RowId| first_rows.holds(row);
        let wants = Wants { rows: is_first, values: None, stage: Stage::Reading };
        let each = |again: &RowAgain, found: &mut (Vec<(String, String)>, u64)| {
            let address = &again.contact.address;
            let domain = answers.of_domain(address.domain(), Level::Domain);
            if self.verdicts.of_mailbox(address.identity).is_some() {
                found.1 += 1;
            } else if domain.is_some_and(|domain| domain.why == Why::HasMailServer) {
                let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
                found.0.push((text(address.domain()), text(address.identity)));
            }
        };
        read_again(self.known, setting, observer, &wants, each, |found: (Vec<(String, String)>, u64)| {
            remembered += found.1;
            for (domain, address) in found.0 {
                wanted.entry(domain).or_default().push(address);
            }
            Ok(())
        })?;
        Ok((wanted, remembered))
    }

    /// Copies the rows that were checked, each with what was found.
    fn write(
        &self,
        (rows, first_rows): (&RowSet, &RowSet),
        answers: &Answers,
        files: &mut CheckFiles,
        setting: &Setting,
        observer: &dyn Observer,
    ) -> Result<Written> {
        let settled = &self.known.settled;
        let mut written = Written {
            counts: BTreeMap::new(),
            once: BTreeMap::new(),
            duplicates: 0,
            known: 0,
            given_out: Sorter::new(setting.memory / 16, &self.known.spool_folder),
            refused: Refused::default(),
        };
        let is_checked = |row: RowId| rows.holds(row);
        let wants = Wants { rows: is_checked, values: None, stage: Stage::Writing };
        let cells = files.cells(self.file);
        let gives_out = files.gives_out();
        let each = |again: &RowAgain, chunk: &mut CheckedChunk| {
            let address = &again.contact.address;
            let is_duplicate = address.is_usable() && !first_rows.holds(again.row);
            let judged = self.judge(&again.contact, answers, is_duplicate, &mut chunk.looks);
            let copied = settled.copied(again.row);
            chunk.copies.everyone(&copied, |out| {
                cells.copy(&again.contact, out);
                judged.cells().iter().for_each(|cell| out.value(cell.as_bytes()));
            });
            chunk.duplicates += u64::from(is_duplicate);
            if !is_duplicate && address.is_usable() {
                *chunk.once.entry(judged.why.verdict()).or_default() += 1;
                chunk.known += u64::from(judged.is_known);
            }
            if gives_out && judged.why.verdict() != Verdict::Invalid && !is_duplicate && !judged.is_settled {
                chunk.to_check.everyone(&copied, |out| out.address(address.text));
                chunk.given_out.push(String::from_utf8_lossy(address.identity).into_owned());
            }
            let row = CopiedRow { end: chunk.copies.bytes().len(), digest: chunk.copies.digest(), why: judged.why };
            chunk.rows.push(row);
        };
        read_again(self.known, setting, observer, &wants, each, |chunk: CheckedChunk| {
            written.duplicates += chunk.duplicates;
            written.known += chunk.known;
            chunk.given_out.iter().try_for_each(|address| written.given_out.push(address.as_bytes(), &[]))?;
            written.refused.add_all(chunk.copies.refused());
            for row in &chunk.rows {
                *written.counts.entry((row.why.verdict(), row.why)).or_default() += 1;
            }
            for (verdict, count) in chunk.once {
                *written.once.entry(verdict).or_default() += count;
            }
            files.take_to_check(&chunk.to_check)?;
            files.take(chunk.copies.bytes(), &chunk.rows)
        })?;
        Ok(written)
    }

    /// What is known of a contact's address.
    fn judge(&self, contact: &Contact, answers: &Answers, is_duplicate: bool, looks: &mut DomainLooks) -> Judged<'_> {
        let address = &contact.address;
        let BySyntax { mut whys, suggestion } = by_syntax(address, self.typos, &self.disposable, looks);
        let mut checked_on = Cow::Borrowed(self.today.as_str());
        let (mut is_known, mut is_settled) = (false, false);
        if address.is_usable() {
            let remembered = self.verdicts.of_mailbox(address.identity);
            is_known = remembered.is_some();
            let domain = answers.of_domain(address.domain(), self.wishes.level);
            let domain = domain.or_else(|| self.verdicts.of_domain(address.domain()));
            let mailbox = remembered.or_else(|| answers.of_mailbox(address.identity, self.wishes.level, domain));
            is_settled = mailbox.is_some_and(|found| is_known || !found.why.is_passing());
            whys = together(whys, domain, mailbox);
            let decides = [mailbox, domain].into_iter().flatten().find(|found| found.why == whys.first());
            let day = decides.or(mailbox).or(domain).and_then(|found| found.day);
            if let Some(day) = day.filter(|day| *day != self.wishes.today) {
                checked_on = Cow::Owned(iso(day));
            }
        }
        let said = match (whys.as_slice(), is_duplicate) {
            ([only], false) => Cow::Borrowed(only.name()),
            (all, _) => {
                let names = all.iter().map(|why| why.name()).chain(is_duplicate.then_some(DUPLICATE));
                Cow::Owned(names.collect::<Vec<_>>().join("; "))
            }
        };
        Judged { why: whys.first(), said, checked_on, suggestion: suggestion.unwrap_or_default(), is_known, is_settled }
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
    /// Whether its mailbox is known from earlier.
    is_known: bool,
    /// Whether its mailbox is known, from earlier or by now.
    is_settled: bool,
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
    once: BTreeMap<Verdict, u64>,
    duplicates: u64,
    known: u64,
    to_check: Copies,
    given_out: Vec<String>,
    looks: DomainLooks,
}
