//! `pebblebank check LIST`: which addresses will not arrive.

use crate::arguments::{Check, Shared};
use crate::commands::clean::{columns_of, named_by_stem};
use crate::commands::memory::{self, remembering};
use crate::commands::reading::{country, read_files};
use crate::finish::Said;
use crate::interrupts::WhileAsking;
use crate::observe::Drawn;
use crate::render::harmless::for_screen;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_bank::verdicts::FoundVerdict;
use pebblebank_bank::{Access, Bank};
use pebblebank_check::dns::{self, Asking};
use pebblebank_check::smtp::{self, Probing};
use pebblebank_core::job::named::file_format;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::Setting;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::run::verdicts::Found;
use pebblebank_core::select::condition::Selection;
use pebblebank_core::tasks::check::asking::Others;
use pebblebank_core::tasks::check::check;
use pebblebank_core::tasks::check::wishes::{CheckWishes, WantedFiles};
use pebblebank_table::observe::{Ended, Finding, Observer, Weight};
use pebblebank_table::{Error, Result};
use pebblebank_values::verdict::{Level, Verdict, Why};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::Path;

/// How many answers about domains are kept in memory before they are remembered.
const REMEMBERED_AT_ONCE: usize = 500;

/// How many about mailboxes: they come slowly.
const MAILBOXES_AT_ONCE: usize = 20;

/// The exit status of a command that was interrupted.
const STOPPED: u8 = 130;

/// Checks the list and says what was found.
pub fn check_list(command: &Check, shared: &Shared) -> Result<Said, Error> {
    let now = Now::read();
    if command.level >= Level::Mailbox
        && !shared.quiet
        && !shared.json
        && (command.remembered.without_bank || is_first_time(shared, &now)?)
    {
        eprint!("{}", for_screen(APPROPRIATE, &Screen::new(shared)));
    }
    check_at(command, shared, &now)
}

/// Whether no mailbox is known yet.
fn is_first_time(shared: &Shared, now: &Now) -> Result<bool> {
    let is_there = Bank::is_at(memory::bank_location(shared)?)?;
    Ok(!is_there || memory::open(shared, Access::Ask, now)?.verdict_counts()?.addresses == 0)
}

/// The same at a moment.
pub fn check_at(command: &Check, shared: &Shared, now: &Now) -> Result<Said, Error> {
    let outputs = command.output.iter().chain(&command.good).chain(&command.bad).chain(&command.to_check);
    if outputs.clone().any(|output| crate::commands::standard_output::is_meant(output)) {
        return Err(wrong_use("check cannot write to standard output", "name a file: -o checked.csv"));
    }
    let probing = command.probing()?;
    let wishes = wishes(command, shared, now)?;
    let (bank, is_new) = bank(command, shared, now)?;
    let mut answers = Answers {
        asking: Asking {
            server: command.resolver,
            at_once: usize::from(command.at_once),
            per_second: command.per_second,
            patience: command.patience(),
        },
        probing,
        max_age: command.max_age,
        bank,
        remembers: !command.dry_run,
    };
    let drawn = Drawn::of(shared);
    let preview_rows = command.writing.previewing.preview;
    let setting = Setting { preview_rows, ..setting(shared, command.dry_run, now) };
    let checked = check(&wishes, &mut answers, &setting, &drawn);
    drawn.finish();
    let mut checked = checked?;
    if is_new && !command.dry_run {
        let text =
            format!("a bank was made to remember the answers: {}", memory::bank_location(shared)?.shown().display());
        checked.findings.push(Finding::new("new-bank", Weight::Note, text));
    }
    let screen = Screen::new(shared);
    let is_short = command.strict && checked.with(Verdict::Unknown) > 0;
    let status = if checked.is_stopped { STOPPED } else { u8::from(is_short) };
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
        max_age: command.max_age,
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

/// The bank that remembers answers, and whether it is made for that; none where nothing is to be remembered, or it is switched off.
fn bank(command: &Check, shared: &Shared, now: &Now) -> Result<(Option<Bank>, bool)> {
    let remembers = command.level >= Level::Domain || command.to_check.is_some();
    if !remembers || command.remembered.without_bank {
        return Ok((None, false));
    }
    let is_new = !Bank::is_at(memory::bank_location(shared)?)?;
    let access = if command.dry_run { Access::Preview } else { Access::Change };
    memory::open(shared, access, now).map(|bank| (Some(bank), is_new))
}

/// Who knows whether domains and mailboxes take mail: the bank, else DNS and mail servers.
struct Answers {
    asking: Asking,
    probing: Option<Probing>,
    max_age: u32,
    bank: Option<Bank>,
    /// Whether answers are put into the bank; a dry run changes nothing.
    remembers: bool,
}

/// Said before mail servers are asked for the first time.
const APPROPRIATE: &str = "Mail servers of others are about to be asked whether they know these addresses.\n  \
     Ask only about people whom you may write to, from a machine that may send mail, and not\n  \
     again and again: servers that feel probed refuse mail from it later. Nothing is sent.\n  \
     Ctrl-C ends it and keeps what is known.\n\n";

/// How answers go into the bank.
type Remember = fn(&mut Bank, &[(String, Why)]) -> Result<()>;

impl Answers {
    fn remember(&mut self, remember: Remember, found: &mut Vec<(String, Why)>) -> Result<()> {
        if let Some(bank) = self.bank.as_mut().filter(|_| self.remembers && !found.is_empty()) {
            // What asks the network now lets nobody else ask it from the same thread, and the bank may have to.
            std::thread::scope(|scope| scope.spawn(|| remember(bank, found)).join().map_err(|_| Error::defect())?)?;
        }
        found.clear();
        Ok(())
    }

    /// Asks, remembers what is not passing, and hands everything on.
    fn ask(
        &mut self,
        (remember, at_once): (Remember, usize),
        each: &mut dyn FnMut(String, Why) -> Result<()>,
        ask: impl FnOnce(&mut dyn FnMut(String, Why) -> Result<()>) -> Result<Ended>,
    ) -> Result<Ended> {
        let mut found = Vec::new();
        let _asking = WhileAsking::begin();
        let ended = ask(&mut |text, why| {
            if !why.is_passing() {
                found.push((text.clone(), why));
            }
            if found.len() >= at_once {
                self.remember(remember, &mut found)?;
            }
            each(text, why)
        });
        // Also where somebody stopped it: nobody is asked twice.
        self.remember(remember, &mut found)?;
        ended
    }
}

impl Others for Answers {
    fn remembered(&mut self, domains: &BTreeSet<String>) -> Result<HashMap<String, Found>> {
        let Some(bank) = self.bank.as_ref().filter(|_| self.max_age > 0) else { return Ok(HashMap::new()) };
        let verdicts = bank.domain_verdicts(domains.iter().map(String::as_str), self.max_age)?;
        let known = domains.iter().zip(verdicts);
        let found = |verdict: FoundVerdict| Found { why: verdict.why, day: Some(verdict.day) };
        Ok(known.filter_map(|(domain, verdict)| Some((domain.clone(), found(verdict?)))).collect())
    }

    fn ask_domains(
        &mut self,
        domains: Vec<String>,
        observer: &dyn Observer,
        each: &mut dyn FnMut(String, Why) -> Result<()>,
    ) -> Result<Ended> {
        let asking = self.asking.clone();
        self.ask((Bank::remember_domains, REMEMBERED_AT_ONCE), each, |each| dns::ask(domains, &asking, observer, each))
    }

    fn ask_mailboxes(
        &mut self,
        addresses: BTreeMap<String, Vec<String>>,
        observer: &dyn Observer,
        each: &mut dyn FnMut(String, Why) -> Result<()>,
    ) -> Result<Ended> {
        let Some(probing) = self.probing.clone() else { return Ok(Ended::default()) };
        let asking = self.asking.clone();
        self.ask((Bank::remember_addresses, MAILBOXES_AT_ONCE), each, |each| {
            smtp::ask(addresses, (&asking, &probing), observer, each)
        })
    }

    fn given_out(&mut self, next: &mut dyn FnMut() -> Result<Option<String>>) -> Result<()> {
        self.bank.as_mut().filter(|_| self.remembers).map_or(Ok(()), |bank| bank.await_addresses(next))
    }
}
