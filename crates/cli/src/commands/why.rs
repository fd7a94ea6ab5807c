//! `pebblebank why WHO`: what became of one person in a run, and why.

use crate::arguments::{Shared, Why};
use crate::commands::memory::bank_location;
use crate::finish::Said;
use crate::render::why::{BankSaid, ListedIn, Told};
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_bank::find::Found;
use pebblebank_bank::{Bank, Text};
use pebblebank_core::job::lists::EntriesToCompare;
use pebblebank_core::job::{self, Job};
use pebblebank_core::person::decisions::Named;
use pebblebank_core::run::wrong_use;
use pebblebank_core::tasks::entries::read_entries;
use pebblebank_core::tasks::found_entries::{EntriesWishes, FoundText, StatusWish};
use pebblebank_report::receipt::Receipt;
use pebblebank_report::story::{Reading, Story, tell};
use pebblebank_table::observe::Silent;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::digest::DigestKind;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// The largest source or list that is opened again, unless everything is wanted.
const MOST_OF_INPUT: u64 = 8 << 20;

/// Tells what became of a person in one run, or in several.
pub fn why(command: &Why, shared: &Shared) -> Result<Said, Error> {
    let now = Now::read();
    let threads = setting(shared, true, &now).threads;
    let most_of_input = if shared.verbose { u64::MAX } else { MOST_OF_INPUT };
    let reading = Reading { threads, most_of_input };
    let mut told = Vec::new();
    for folder in receipts(&command.receipts)? {
        let receipt = Receipt::open(&folder)?;
        let story = tell(&receipt, &command.who, reading)?;
        told.push(Told { receipt, story, lists: Vec::new() });
    }
    // Runs that have the person come first, the latest of them at the top.
    told.sort_by(|a, b| {
        let order = a.story.rows.is_empty().cmp(&b.story.rows.is_empty());
        let order = order.then_with(|| b.receipt.started.cmp(&a.receipt.started));
        order.then_with(|| a.receipt.folder.cmp(&b.receipt.folder))
    });
    let screen = Screen::new(shared);
    for one in told.iter_mut().take(1) {
        one.lists = listed_in(&one.receipt, &one.story, &command.who, most_of_input, &setting(shared, true, &now));
    }
    let bank = of_bank(&command.who, shared, &now);
    let is_found = told.iter().any(|one| !one.story.rows.is_empty());
    let text = if shared.json {
        render::why_document::json(&command.who, &told, bank.as_ref())
    } else {
        render::why::told(&command.who, &told, bank.as_ref(), &screen)
    };
    Ok(Said { status: u8::from(!is_found), ..Said::done(text) })
}

/// The receipts that are meant: those that are named, by patterns too, or all that lie here or one folder below.
pub fn receipts(named: &[String]) -> Result<Vec<PathBuf>> {
    let usual = ["*.receipt".to_owned(), "*/*.receipt".to_owned()];
    let patterns = if named.is_empty() { &usual[..] } else { named };
    let mut found = Vec::new();
    for pattern in patterns {
        // A folder whose name has the signs of a pattern is meant as it is.
        if Path::new(pattern).exists() {
            found.push(PathBuf::from(pattern));
            continue;
        }
        let matching =
            glob::glob(pattern).map_err(|_| wrong_use(format!("{pattern} is no pattern"), "name a folder"))?;
        found.extend(matching.filter_map(Result::ok).filter(|path| path.is_dir()));
    }
    found.sort();
    found.dedup();
    if found.is_empty() {
        let what = match named.first() {
            Some(pattern) => format!("there is no receipt {pattern}"),
            None => "there is no receipt here, nor in a folder here".to_owned(),
        };
        let advice = "name the folder that a run left, whose name ends with .receipt: --receipt DIR";
        return Err(Error::new(ErrorKind::Input, what, advice));
    }
    Ok(found)
}

/// What the bank knows of somebody today; nothing without a bank.
fn of_bank(who: &str, shared: &Shared, now: &Now) -> Option<BankSaid> {
    let text = Text::read(who, None)?;
    let location = bank_location(shared).ok()?;
    let asked = Bank::open_if_there(&location, &now.moment, now.day());
    let asked = asked.and_then(|bank| bank.map(|bank| bank.find(&text, &mut |_| ())).transpose());
    let (found, silence) = match asked {
        Ok(found) => (found?, None),
        Err(error) => (Found::default(), Some(error.what().to_owned())),
    };
    Some(BankSaid { silence, found, today: now.today.clone(), path: location.shown().to_path_buf() })
}

/// The entries of the lists that suppressed a person, as far as the lists are still as the run read them.
fn listed_in(
    receipt: &Receipt,
    story: &Story,
    who: &str,
    most: u64,
    setting: &pebblebank_core::run::Setting,
) -> Vec<ListedIn> {
    let named: Vec<&str> = story.rows.iter().flat_map(|row| row.details.split("; ")).collect();
    let Some(job) = job_of(receipt) else { return Vec::new() };
    let mut found: BTreeMap<String, ListedIn> = BTreeMap::new();
    for list in job.lists.iter().filter(|list| list.hold().is_some_and(|hold| named.contains(&hold.name.as_str()))) {
        let (Some(hold), Some(files)) = (list.hold(), list.files()) else { continue };
        let mut one = ListedIn { list: hold.name.clone(), ..ListedIn::default() };
        let inputs = receipt.inputs.iter().filter(|input| input.part != "source" && input.of == list.name());
        one.is_large = inputs.clone().any(|input| input.bytes > most);
        one.has_changed = !one.is_large && inputs.clone().any(|input| input.unchanged(most).is_none());
        if !one.has_changed && !one.is_large && files.by.is_none() {
            one.entries = entries_of(files, who, &job, setting).unwrap_or_default();
        }
        found.insert(hold.name.clone(), one);
    }
    found.into_values().collect()
}

/// The job of a receipt, as its own copy says it.
fn job_of(receipt: &Receipt) -> Option<Job> {
    let path = receipt.job_file.as_ref()?;
    let text = std::fs::read_to_string(receipt.path("job.toml")).ok()?;
    job::file::parse_job(&text, path, receipt.started.as_deref()?.get(..10)?).ok()
}

/// The entries that the address has: file, row, and what the entry is.
fn entries_of(
    files: &pebblebank_core::job::lists::ListFiles,
    who: &str,
    job: &Job,
    setting: &pebblebank_core::run::Setting,
) -> Result<Vec<(String, u64, String)>> {
    let Some(Named::Address(identity)) = Named::parse(who) else { return Ok(Vec::new()) };
    let domain = identity.rsplit_once('@').map_or("", |(_, domain)| domain);
    let wishes = EntriesWishes {
        read: files.read.clone(),
        by_phone: false,
        condition: files.condition.clone(),
        status: StatusWish::NoColumn,
        status_means: BTreeMap::new(),
        dated: None,
        until: None,
        country: job.country,
        today: job.today,
    };
    let mut found = Vec::new();
    let mut each = |entry: pebblebank_core::tasks::found_entries::FoundEntry| {
        let what = match &entry.text {
            FoundText::Address(address) if *address == identity => Some("the address".to_owned()),
            FoundText::Domain(held) if domain == held || domain.ends_with(&format!(".{held}")) => {
                Some(format!("the domain {held}"))
            }
            FoundText::Digest(digest) if digest.kind != DigestKind::Keyed => {
                (digest.kind.of(identity.as_bytes(), None) == *digest).then(|| "a hash of the address".to_owned())
            }
            _ => None,
        };
        found.extend(what.map(|what| (entry.file, entry.row.0, what)));
        Ok(())
    };
    let read = read_entries(&wishes, setting, &Silent, &mut each)?;
    let name = |file: usize| read.files.get(file).map_or(String::new(), |file| file.name.clone());
    Ok(found.into_iter().map(|(file, row, what)| (name(file), row, what)).collect())
}
