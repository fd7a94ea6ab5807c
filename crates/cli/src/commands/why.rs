//! `pebblebank why WHO`: what became of one person in a run, and why.

use crate::arguments::{Shared, Why};
use crate::commands::memory::bank_of_run;
use crate::finish::Said;
use crate::render::why::{BankSaid, NotOpened, Told};
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_bank::find::Found;
use pebblebank_bank::{Bank, Text};
use pebblebank_core::run::wrong_use;
use pebblebank_report::receipt::Receipt;
use pebblebank_report::story::files::job_of;
use pebblebank_report::story::{Reading, Story, tell};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::place::Country;
use std::path::{Path, PathBuf};

/// The largest source or list that is opened again, unless everything is wanted.
const MOST_OF_INPUT: u64 = 8 << 20;

/// Tells what became of a person in one run, or in several.
pub fn why(command: &Why, shared: &Shared) -> Result<Said, Error> {
    let now = Now::read();
    let setting = setting(shared, true, &now);
    let most_of_input = if shared.verbose { u64::MAX } else { MOST_OF_INPUT };
    let folders = receipts(&command.receipts)?;
    // Of several runs one is told at length, but for programs.
    let is_whole = shared.json || folders.len() == 1;
    let reading = Reading { setting: &setting, most_of_input, is_whole };
    let (mut told, not_opened) = stories(folders, &command.who, reading)?;
    // Runs that have the person come first, of these the ones that wrote files, the latest at the top.
    told.sort_by(|a, b| {
        let order = a.story.rows.is_empty().cmp(&b.story.rows.is_empty());
        let order = order.then_with(|| b.receipt.has_written().cmp(&a.receipt.has_written()));
        let order = order.then_with(|| b.receipt.started.cmp(&a.receipt.started));
        order.then_with(|| a.receipt.folder.cmp(&b.receipt.folder))
    });
    let screen = Screen::new(shared);
    if let Some(latest) = told.first_mut().filter(|_| !is_whole) {
        latest.story = tell(&latest.receipt, &command.who, Reading { is_whole: true, ..reading })?;
    }
    let bank = told.first().and_then(|latest| of_bank(&command.who, latest, shared, &now));
    let is_found = told.iter().any(|one| !one.story.rows.is_empty());
    let text = if shared.json {
        render::why_document::json(&command.who, &told, &not_opened, bank.as_ref())
    } else {
        render::why::told(&command.who, &told, &not_opened, bank.as_ref(), &screen)
    };
    Ok(Said { status: u8::from(!is_found), ..Said::done(text) })
}

/// What became of somebody in each run, and the receipts among several that cannot be opened.
fn stories(folders: Vec<PathBuf>, who: &str, reading: Reading) -> Result<(Vec<Told>, Vec<NotOpened>)> {
    let is_one = folders.len() == 1;
    let (mut told, mut not_opened) = (Vec::new(), Vec::new());
    for folder in folders {
        let one = Receipt::open(&folder).and_then(|receipt| {
            let story = tell(&receipt, who, reading)?;
            Ok(Told { receipt, story })
        });
        match one {
            Ok(one) => told.push(one),
            Err(error) if is_one => return Err(error),
            // What the others tell does not depend on it.
            Err(error) => not_opened.push(NotOpened { folder, error }),
        }
    }
    match not_opened.first() {
        Some(first) if told.is_empty() => Err(first.error.clone()),
        _ => Ok((told, not_opened)),
    }
}

/// The receipts that are meant: those that are named, by patterns too, or all that lie here or one folder below.
pub fn receipts(named: &[String]) -> Result<Vec<PathBuf>> {
    let usual = ["*.receipt", "*/*.receipt", "*.receipt.stopped", "*/*.receipt.stopped"].map(str::to_owned);
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

/// The most texts of one person that the bank is asked about.
const MOST_TEXTS: usize = 20;

/// What the bank of the latest run knows of somebody today, by every address and phone number of the person; nothing
/// without a bank.
fn of_bank(who: &str, latest: &Told, shared: &Shared, now: &Now) -> Option<BankSaid> {
    let job = job_of(&latest.receipt);
    let texts = texts_of(who, &latest.story, job.country);
    let suppressed = latest.story.rows.iter().any(|row| row.details.split("; ").any(|list| list.starts_with("bank: ")));
    if texts.is_empty() && !suppressed {
        return None;
    }
    let said = |silence, found, path: &Path| {
        Some(BankSaid { silence, found, suppressed, today: now.today.clone(), path: path.to_path_buf() })
    };
    let (location, is_named) = match bank_of_run(shared, &latest.receipt, &job) {
        Ok(found) => found,
        Err(error) => return said(Some(error.what().to_owned()), Vec::new(), Path::new("")),
    };
    let bank = match Bank::open_if_there(&location, &now.moment, now.day()) {
        Ok(Some(bank)) => bank,
        Ok(None) if is_named || suppressed => {
            let silence = format!("there is no bank at {}; --bank names another", location.shown().display());
            return said(Some(silence), Vec::new(), location.shown());
        }
        Ok(None) => return None,
        Err(error) => return said(Some(error.what().to_owned()), Vec::new(), location.shown()),
    };
    let found: Result<Vec<Found>> = texts.iter().map(|text| bank.find(text, &mut |_| ())).collect();
    match found {
        Ok(found) => said(None, found, location.shown()),
        Err(error) => said(Some(error.what().to_owned()), Vec::new(), location.shown()),
    }
}

/// What a bank can be asked about one person: what was typed, then the addresses and numbers of its rows.
fn texts_of(who: &str, story: &Story, country: Option<Country>) -> Vec<Text> {
    let typed = Text::read(who, country).into_iter();
    // A value that several people have says of none of them what the bank has.
    let rows = if story.people > 1 { &[][..] } else { &story.addresses };
    let numbers = if story.people > 1 { &[][..] } else { &story.phones };
    let of_rows = rows.iter().chain(numbers).filter_map(|text| Text::read(text, country));
    let mut texts: Vec<Text> = Vec::new();
    for text in typed.chain(of_rows) {
        if !texts.contains(&text) && texts.len() < MOST_TEXTS {
            texts.push(text);
        }
    }
    texts
}
