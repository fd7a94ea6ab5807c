//! `pebblebank check LIST`: which addresses will not arrive.

use crate::arguments::{Check, Shared};
use crate::commands::clean::{columns_of, named_by_stem};
use crate::commands::memory::{self, remembering};
use crate::commands::reading::{country, read_files};
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_bank::{Access, Bank};
use pebblebank_check::dns::{self, Asking};
use pebblebank_core::job::named::file_format;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::Setting;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::select::condition::Selection;
use pebblebank_core::tasks::check::wishes::{CheckWishes, WantedFiles};
use pebblebank_core::tasks::check::{DomainAnswer, DomainAnswers, check};
use pebblebank_table::observe::Observer;
use pebblebank_table::{Error, Result};
use pebblebank_values::date::Date;
use pebblebank_values::verdict::{Level, Verdict, Why};
use std::collections::{BTreeSet, HashMap};
use std::path::Path;

/// How many answers are kept in memory before they are remembered.
const REMEMBERED_AT_ONCE: usize = 500;

/// Checks the list and says what was found.
pub fn check_list(command: &Check, shared: &Shared) -> Result<Said, Error> {
    check_at(command, shared, &Now::read())
}

/// The same at a moment.
pub fn check_at(command: &Check, shared: &Shared, now: &Now) -> Result<Said, Error> {
    let outputs = command.output.iter().chain(&command.good).chain(&command.bad).chain(&command.to_check);
    if outputs.clone().any(|output| crate::commands::standard_output::is_meant(output)) {
        return Err(wrong_use("check cannot write to standard output", "name a file: -o checked.csv"));
    }
    let wishes = wishes(command, shared, now)?;
    let mut answers = Answers {
        asking: Asking {
            server: command.resolver,
            at_once: usize::from(command.at_once),
            per_second: command.per_second,
            patience: command.patience(),
        },
        max_age: command.max_age,
        today: now.day(),
        bank: bank(command, shared, now)?,
        remembers: !command.dry_run,
    };
    let drawn = Drawn::new(!shared.quiet && !shared.json);
    let preview_rows = command.writing.previewing.preview;
    let setting = Setting { preview_rows, ..setting(shared, command.dry_run, now) };
    let checked = check(&wishes, Some(&mut answers), &setting, &drawn);
    drawn.finish();
    let checked = checked?;
    let screen = Screen::new(shared);
    let status = u8::from(command.strict && checked.with(Verdict::Unknown) > 0);
    let text = if shared.json {
        render::check::json(&checked, &wishes)
    } else if shared.quiet && status == 0 {
        String::new()
    } else {
        render::check::finished(&checked, command, &screen)
    };
    Ok(Said { status, ..Said::done(text) })
}

fn wishes(command: &Check, shared: &Shared, now: &Now) -> Result<CheckWishes> {
    let pattern = FilePattern::relative(&command.list, Path::new(""));
    let name = named_by_stem(std::slice::from_ref(&pattern)).next().unwrap_or_default();
    let remembered = &command.remembered;
    Ok(CheckWishes {
        list: ReadFiles { files: vec![pattern], ..read_files(&command.reading)? },
        name,
        rows: command.part.rows,
        select: command.condition.as_deref().map(Selection::parse).transpose()?,
        first: command.first,
        level: command.level,
        files: WantedFiles {
            all: command.output.clone().map(|output| (output, command.only)),
            good: command.good.clone(),
            bad: command.bad.clone(),
            to_check: command.to_check.clone(),
        },
        columns: command.columns.as_deref().map(columns_of).transpose()?,
        format: command.writing.format.as_deref().map(file_format).transpose()?,
        replace: command.replace,
        remembered: remembering(remembered.scope.as_ref(), remembered, command.dry_run, shared, now)?,
        scope: remembered.scope.clone(),
        country: country(&command.reading)?,
        today: now.day(),
    })
}

/// The bank that remembers answers; none where nobody is asked, or it is switched off.
fn bank(command: &Check, shared: &Shared, now: &Now) -> Result<Option<Bank>> {
    if command.level < Level::Domain || command.remembered.without_bank {
        return Ok(None);
    }
    let access = if command.dry_run { Access::Preview } else { Access::Change };
    memory::open(shared, access, now).map(Some)
}

/// Who knows whether domains take mail: the bank, else DNS.
struct Answers {
    asking: Asking,
    max_age: u32,
    today: Date,
    bank: Option<Bank>,
    /// Whether answers are put into the bank; a dry run changes nothing.
    remembers: bool,
}

impl Answers {
    fn remember(&mut self, found: &mut Vec<(String, Why)>) -> Result<()> {
        if let Some(bank) = self.bank.as_mut().filter(|_| self.remembers && !found.is_empty()) {
            bank.remember_domains(found)?;
        }
        found.clear();
        Ok(())
    }
}

impl DomainAnswers for Answers {
    fn remembered(&mut self, domains: &BTreeSet<String>) -> Result<HashMap<String, DomainAnswer>> {
        let Some(bank) = self.bank.as_ref().filter(|_| self.max_age > 0) else { return Ok(HashMap::new()) };
        let verdicts = bank.domain_verdicts(domains.iter().map(String::as_str), self.max_age)?;
        let known = domains.iter().zip(verdicts);
        Ok(known
            .filter_map(|(domain, verdict)| {
                verdict.map(|verdict| (domain.clone(), DomainAnswer { why: verdict.why, day: verdict.day }))
            })
            .collect())
    }

    fn ask(
        &mut self,
        domains: Vec<String>,
        observer: &dyn Observer,
        each: &mut dyn FnMut(String, DomainAnswer) -> Result<()>,
    ) -> Result<Option<String>> {
        let (asking, day) = (self.asking.clone(), self.today);
        let mut found = Vec::new();
        let asked = dns::ask(domains, &asking, observer, &mut |domain, why| {
            if why != Why::DnsFailed {
                found.push((domain.clone(), why));
            }
            if found.len() >= REMEMBERED_AT_ONCE {
                self.remember(&mut found)?;
            }
            each(domain, DomainAnswer { why, day })
        });
        // Also where somebody stopped it: nobody is asked twice.
        self.remember(&mut found)?;
        asked
    }
}
