//! People who must not be contacted, in files of commands that hold nobody back: how many there are, by reason.

use crate::columns::lines::Line;
use crate::columns::mapping::ConsentQuestions;
use crate::job::{Job, ReadFiles, Remembering, Source, Write};
use crate::person::same::PersonWishes;
use crate::require::Requirement;
use crate::run::decide::read_and_decide;
use crate::run::open::opening::Opening;
use crate::run::setting::Setting;
use crate::suppress::reason::Reason;
use pebblebank_table::Result;
use pebblebank_table::observe::{Finding, Observer, Weight};
use pebblebank_table::units::RowId;
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use std::collections::BTreeMap;
use std::path::PathBuf;

/// How many of some rows are of people who must not be contacted, by reason.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Refused {
    by_reason: BTreeMap<Reason, u64>,
}

impl Refused {
    /// Counts a row, if it is of such a person.
    pub fn add(&mut self, reason: Option<Reason>) {
        if let Some(reason) = reason {
            *self.by_reason.entry(reason).or_default() += 1;
        }
    }

    /// Adds what was counted elsewhere.
    pub fn add_all(&mut self, counts: &BTreeMap<Reason, u64>) {
        for (reason, count) in counts {
            *self.by_reason.entry(*reason).or_default() += count;
        }
    }

    /// What should be said of it; nothing where there are none.
    pub fn finding(&self) -> Option<Finding> {
        let count: u64 = self.by_reason.values().sum();
        if count == 0 {
            return None;
        }
        let reasons: Vec<String> =
            self.by_reason.iter().map(|(reason, count)| format!("{} {count}", reason.name())).collect();
        let rows = if count == 1 { "1 of the rows written is of somebody" } else { "rows written are of people" };
        let rows = if count == 1 { rows.to_owned() } else { format!("{count} of the {rows}") };
        let text = format!(
            "{rows} who must not be contacted ({}): pebblebank suppress FILE -o OUT takes them out before anything is sent",
            reasons.join(", ")
        );
        Some(Finding { count, ..Finding::new("must-not-be-contacted", Weight::Warning, text) })
    }
}

/// A list whose people are looked up.
#[derive(Debug, Clone)]
pub struct LookedUp {
    /// Its files.
    pub read: ReadFiles,
    /// Who is remembered from earlier work.
    pub remembered: Remembering,
    /// Which client or brand it is for.
    pub scope: Option<String>,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The day.
    pub today: Date,
}

/// Counts the rows of a list whose people must not be contacted: by the bank, or by what the list itself says of them.
pub fn count_in_list(list: &LookedUp, setting: &Setting, observer: &dyn Observer) -> Result<Refused> {
    let unwritten = Write { file: PathBuf::from("counted"), shown: String::new(), layout: None };
    let job = Job {
        country: list.country,
        sources: vec![Source::new("list", list.read.clone())],
        person: PersonWishes { near_duplicates: Some(false), ..PersonWishes::default() },
        scope: list.scope.clone(),
        remembered: list.remembered.clone(),
        require: Requirement { fields: Vec::new(), ..Requirement::default() },
        writes: vec![unwritten],
        consent_questions: ConsentQuestions::Warn,
        ..Job::new("standing", list.today)
    };
    let job = job.with_remembered_lists();
    let known = read_and_decide(Opening::of(&job, setting, observer)?, &job, setting, observer)?;
    let settled = &known.settled;
    let mut refused = Refused::default();
    for row in (0..settled.records() as u32).map(RowId).filter(|row| settled.line(*row) == Line::Contact) {
        refused.add(settled.refusal(row));
    }
    Ok(refused)
}
