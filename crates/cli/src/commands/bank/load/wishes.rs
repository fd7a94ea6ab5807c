//! What is to be read of the files: their columns, what decides about a row, and until when entries hold.

use crate::arguments::BankLoad;
use crate::commands::bank::said::until_named;
use crate::commands::reading::{country, read_files};
use crate::setting::Now;
use pebblebank_bank::batch::What;
use pebblebank_core::job::named::unknown_name;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::select::condition::Selection;
use pebblebank_core::suppress::status::StatusReason;
use pebblebank_core::tasks::found_entries::{EntriesWishes, StatusWish};
use pebblebank_table::Result;
use pebblebank_values::ColumnRef;
use pebblebank_values::date::Date;
use pebblebank_values::fold::fold;
use std::collections::BTreeMap;
use std::path::Path;

pub(super) fn entries_wishes(command: &BankLoad, what: What, until: &Until, now: &Now) -> Result<EntriesWishes> {
    let files = command.files.iter().map(|file| FilePattern::relative(file, Path::new(""))).collect();
    Ok(EntriesWishes {
        read: ReadFiles { files, ..read_files(&command.reading)? },
        by_phone: command.by_phone,
        condition: command.condition.as_deref().map(Selection::parse).transpose()?,
        status: status_wish(command, what),
        status_means: status_means(&command.status_means)?,
        dated: None,
        until: until.column(),
        country: country(&command.reading)?,
        today: now.day(),
    })
}

/// Which column decides about rows: only where one kind is asked for.
fn status_wish(command: &BankLoad, what: What) -> StatusWish {
    match command.status.as_deref() {
        Some(name) if name.trim().eq_ignore_ascii_case("none") => StatusWish::NoColumn,
        Some(name) => StatusWish::Column(ColumnRef::new(name)),
        None if what == What::Bounced => StatusWish::OfBounces,
        None if matches!(what, What::Complained | What::OptedOut) => StatusWish::OfEvents,
        None => StatusWish::NoColumn,
    }
}

/// What `--status-means` says of words, folded.
fn status_means(options: &[String]) -> Result<BTreeMap<String, StatusReason>> {
    let known = StatusReason::NAMED.map(|(name, _)| name);
    let mut means = BTreeMap::new();
    for option in options {
        let (word, kind) = option.rsplit_once('=').ok_or_else(|| {
            wrong_use(format!("--status-means: {option} has no ="), "write --status-means \"frozen=bounced\"")
        })?;
        let found = StatusReason::NAMED.iter().find(|(name, _)| *name == kind.trim());
        let (_, said) = found
            .ok_or_else(|| unknown_name(kind.trim(), "not a kind of status", &known, "choose one of the kinds"))?;
        means.insert(fold(word), *said);
    }
    Ok(means)
}

/// Until when entries hold.
pub(super) enum Until {
    Forever,
    Day(Date),
    Column(String),
}

impl Until {
    pub fn of(command: &BankLoad, today: Date) -> Result<Until> {
        match &command.until {
            None => Ok(Until::Forever),
            Some(text) if text.starts_with(|sign: char| sign.is_ascii_digit()) => {
                until_named(text, "--until", today).map(Until::Day)
            }
            Some(text) => Ok(Until::Column(text.clone())),
        }
    }

    pub fn day(&self) -> Option<Date> {
        match self {
            Until::Day(day) => Some(*day),
            Until::Forever | Until::Column(_) => None,
        }
    }

    pub fn column(&self) -> Option<ColumnRef> {
        match self {
            Until::Column(name) => Some(ColumnRef::new(name)),
            Until::Forever | Until::Day(_) => None,
        }
    }
}
