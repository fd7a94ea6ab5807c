//! Lists compared: how many people each has, who is in which, who is new.
//!
//! A comparison is a job whose sources are the lists: rows of one person come together by a key, every row is marked with
//! its list, and consent is not asked. What is written are people with a yes or no for each list, or the rows of the
//! first list with the same ([`mark`]).

pub mod mark;

use crate::columns::wishes::{ConsentQuestions, OwnField};
use crate::job::lists::ListKey;
use crate::job::remembering::Remembering;
use crate::job::row_range::RowRange;
use crate::job::sources::{ReadFiles, Source};
use crate::job::{Job, Mode, Write};
use crate::layout::{Layout, SortColumn};
use crate::person::same::{PersonKey, PersonWishes};
use crate::require::Requirement;
use crate::run;
use crate::run::finished::Finished;
use crate::run::setting::Setting;
use crate::run::tally::{Account, OtherLines, Outcome};
use crate::select::condition::Selection;
use crate::suppress::reason::Reason;
use pebblebank_formats::writing::FileFormat;
use pebblebank_table::observe::{Finding, Observer};
use pebblebank_table::units::SourceId;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use pebblebank_values::{ColumnRef, Field};
use schemars::JsonSchema;
use serde::Serialize;
use std::path::PathBuf;

/// More lists than these are hardly meant.
pub const MOST_LISTS: usize = 26;

/// A list to be compared.
#[derive(Debug, Clone)]
pub struct ComparedList {
    /// What it is called.
    pub name: String,
    /// Its files.
    pub read: ReadFiles,
    /// The rows of its file that are compared; none for all.
    pub rows: Option<RowRange>,
}

/// What is asked of a comparison.
#[derive(Debug, Clone)]
pub struct CompareWishes {
    /// The lists.
    pub lists: Vec<ComparedList>,
    /// What people are compared by: a column of the first list, and one of the others. None for the address.
    pub by: Option<ListKey>,
    /// Who is picked.
    pub select: Option<Selection>,
    /// Where the picked are written to; none to count alone.
    pub output: Option<PathBuf>,
    /// The shape of what is written; none for all columns, then one for each list.
    pub layout: Option<Layout>,
    /// The format of the file; else that of its name.
    pub format: Option<FileFormat>,
    /// What is sorted by.
    pub sort: Vec<SortColumn>,
    /// Where the rows that were not picked, or have no key, are written to, if anywhere.
    pub set_aside: Option<PathBuf>,
    /// Whether existing outputs are replaced.
    pub replace: bool,
    /// Who is remembered from earlier work.
    pub remembered: Remembering,
    /// Which client or brand it is for.
    pub scope: Option<String>,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The day.
    pub today: Date,
}

/// A list, compared.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct ListCount {
    /// What it is called.
    pub name: String,
    /// Its rows.
    pub rows: u64,
    /// Its lines that are no contacts.
    pub other_lines: OtherLines,
    /// The different people in it.
    pub people: u64,
    /// Its rows beyond the first of each person.
    pub repeats: u64,
    /// Its rows that nothing can be compared by.
    pub without_key: u64,
    /// The people who are in no other list.
    pub only_here: u64,
}

/// What a comparison found.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct Compared {
    /// What people were compared by.
    pub by: String,
    /// The lists, in the order in which they were given.
    pub lists: Vec<ListCount>,
    /// The different people in all lists together.
    pub people: u64,
    /// The people who are in exactly one list.
    pub in_exactly_one: u64,
    /// The people who are in every list.
    pub in_all: u64,
    /// The people who are in exactly one list, in exactly two, and so on.
    pub by_number_of_lists: Vec<u64>,
    /// For each list how many of its people are in each list; its own people in its own place.
    pub shared: Vec<Vec<u64>>,
    /// The condition by which people were picked.
    pub condition: Option<String>,
    /// The people picked; of rows of the first list, where those are written.
    pub picked: u64,
    /// Where they were written to, if anywhere.
    pub written: Option<PathBuf>,
    /// The first rows as they are written, where a file is named.
    #[serde(skip)]
    pub preview: Vec<u8>,
    /// What should be looked at.
    pub findings: Vec<Finding>,
}

/// Compares lists, and writes the people who were picked.
pub fn compare(wishes: &CompareWishes, setting: &Setting, observer: &dyn Observer) -> Result<Compared> {
    let job = job(wishes)?;
    let finished = run::run(&job, setting, observer)?;
    let written = wishes.output.clone().filter(|_| finished.tally.outcome == Outcome::Written);
    let preview = if wishes.output.is_some() { finished.preview.clone() } else { Vec::new() };
    Ok(Compared { written, preview, ..counted(&job, &finished) })
}

/// The job that a comparison is.
fn job(wishes: &CompareWishes) -> Result<Job> {
    let wrong = |what: String, advice: &str| Err(Error::new(ErrorKind::Job, what, advice));
    match wishes.lists.len() {
        0 | 1 => return wrong("only one list is given".to_owned(), "name two or more: pebblebank compare A.csv B.csv"),
        count if count > MOST_LISTS => {
            return wrong(format!("{count} lists are given, more than {MOST_LISTS}"), "compare fewer at a time");
        }
        _ => {}
    }
    let email = ColumnRef::Field(Field::Email);
    let key = wishes.by.clone().unwrap_or(ListKey::of(email.clone()));
    let source = |(place, list): (usize, &ComparedList)| {
        let own = if place == 0 { &key.ours } else { &key.theirs };
        keyed_source(list, own, &key.ours)
    };
    let is_by_address =
        key.ours == [email] && (key.ours == key.theirs || matches!(key.theirs[..], [ColumnRef::Extra(_)]));
    let required = if is_by_address { vec![Field::Email] } else { Vec::new() };
    Ok(Job {
        country: wishes.country,
        sources: wishes.lists.iter().enumerate().map(source).collect(),
        person: PersonWishes {
            same: vec![PersonKey { columns: key.ours.clone() }],
            near_duplicates: Some(false),
            ..PersonWishes::default()
        },
        require: Requirement { fields: required, ..Requirement::default() },
        select: wishes.select.clone(),
        writes: wishes
            .output
            .iter()
            .map(|file| Write::new(file.clone(), file.display().to_string(), wishes.layout.clone(), wishes.format))
            .collect::<Result<_>>()?,
        sort: wishes.sort.clone(),
        mode: Mode::Compares,
        consent_questions: ConsentQuestions::Warn,
        remembered: wishes.remembered.clone(),
        scope: wishes.scope.clone(),
        set_aside: wishes.set_aside.clone(),
        replace: wishes.replace,
        ..Job::new("compare", wishes.today)
    })
}

/// A list as a source with the columns `own` for its key, which are cleaned as those of the first list are.
fn keyed_source(list: &ComparedList, own: &[ColumnRef], first: &[ColumnRef]) -> Source {
    let mut source = Source::new(&list.name, list.read.clone()).only_rows(list.rows);
    let columns = &mut source.read.columns;
    let mut key = Vec::new();
    for (first, own) in first.iter().zip(own) {
        match (first, own) {
            _ if own == first => {}
            (ColumnRef::Field(field), ColumnRef::Extra(extra)) => {
                columns.headers.insert(*field, vec![extra.header.clone()]);
            }
            (ColumnRef::Extra(first), ColumnRef::Extra(own)) => {
                let header = Some(own.header.clone());
                columns.own.push(OwnField { name: first.header.clone(), kind: pebblebank_values::Kind::Text, header });
            }
            (_, ColumnRef::Field(_)) => {
                key.push(own.clone());
                continue;
            }
        }
        key.push(first.clone());
    }
    source.same = (key != first).then(|| vec![PersonKey { columns: key }]);
    source
}

/// The numbers of a comparison that was run.
fn counted(job: &Job, finished: &Finished) -> Compared {
    let memberships = &finished.memberships;
    let people_in = |wanted: &dyn Fn(&[SourceId]) -> bool| -> u64 {
        memberships.iter().filter(|(sources, _)| wanted(sources)).map(|(_, people)| people).sum()
    };
    let ids: Vec<SourceId> = (0..job.sources.len()).map(|place| SourceId(place as u16)).collect();
    let list = |id: &SourceId| {
        let source = &finished.tally.sources[id.0 as usize];
        let mut other_lines = OtherLines::default();
        source.files.iter().for_each(|file| other_lines.add(file.other_lines));
        let people = people_in(&|sources| sources.contains(id));
        let without_key = rows_without_key(&source.account);
        let rows = source.account.read - source.files.iter().map(|file| file.outside_of_range).sum::<u64>();
        ListCount {
            name: source.name.clone(),
            rows,
            other_lines,
            people,
            repeats: rows - without_key - people,
            without_key,
            only_here: people_in(&|sources| sources == [*id]),
        }
    };
    let shared = |id: &SourceId| {
        ids.iter().map(|other| people_in(&|sources| sources.contains(id) && sources.contains(other))).collect()
    };
    Compared {
        by: match &job.sources[job.sources.len() - 1].same {
            Some(same) => format!("{} = {}", job.person.same[0].name(), same[0].name()),
            None => job.person.same[0].name(),
        },
        lists: ids.iter().map(list).collect(),
        people: people_in(&|_| true),
        in_exactly_one: people_in(&|sources| sources.len() == 1),
        in_all: people_in(&|sources| sources.len() == ids.len()),
        by_number_of_lists: (1..=ids.len()).map(|count| people_in(&|sources| sources.len() == count)).collect(),
        shared: ids.iter().map(shared).collect(),
        condition: job.select.as_ref().map(|selection| selection.text.clone()),
        picked: finished.tally.all.written,
        written: None,
        preview: Vec::new(),
        findings: finished.tally.findings.clone(),
    }
}

/// Rows that nothing can be compared by.
fn rows_without_key(account: &Account) -> u64 {
    let reasons = [Reason::BlankAddress, Reason::InvalidAddress, Reason::PlaceholderAddress, Reason::MissingField];
    reasons.into_iter().map(|reason| account.set_aside[reason as usize]).sum()
}
