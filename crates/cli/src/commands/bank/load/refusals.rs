//! What stops a load before anything changes: options that do not fit, words that are not known, entries that were not
//! read, files that give nobody.

use crate::arguments::BankLoad;
use pebblebank_bank::batch::What;
use pebblebank_core::job::guard::{Accepted, Guard};
use pebblebank_core::run::account::file_guards::{PARTS_TABLES, STORES_VALUES};
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::suppress::status::StatusReason;
use pebblebank_core::tasks::entries::{EntriesRead, KEPT_AS_WRITTEN, LOST_ENTRIES, UNREADABLE_ENTRIES};
use pebblebank_table::observe::Finding;
use pebblebank_table::{Error, ErrorKind, Result};
use std::path::Path;

/// A mailing is named where one was sent, and only there.
pub(super) fn check_campaign(command: &BankLoad, what: What) -> Result<()> {
    match (what == What::Sent, command.campaign.is_some()) {
        (false, true) => Err(wrong_use("--campaign goes with --as sent", "leave it out, or write --as sent")),
        (true, false) => {
            let advice = "name the mailing, so that nobody gets it twice: --campaign \"spring fair 2026\"";
            Err(wrong_use("--as sent needs to know which mailing it was", advice))
        }
        _ => Ok(()),
    }
}

/// A load that would take nobody in is more likely a file read wrongly than an empty one.
pub(super) fn refuse_no_entry(read: &EntriesRead, what: What, entries: u64, came_back: u64) -> Result<()> {
    if entries == 0 && came_back > 0 {
        let what = "everybody in it came back since the file was last changed, so nothing was changed";
        return Err(Error::new(ErrorKind::Input, what, "export the list anew"));
    }
    if entries == 0 {
        let what = match read.status_columns.as_slice() {
            [] => "no entry was found, so nothing was changed".to_owned(),
            columns => format!(
                "by its column \"{}\" no row is {} ({}), so nothing was changed",
                columns.join("\", \""),
                what.name(),
                words_in_short(read)
            ),
        };
        let advice = "look whether it is the right file; --field \"email=HEADER\" says which column has the addresses, --status COLUMN which one says what happened";
        return Err(Error::new(ErrorKind::Input, what, advice));
    }
    Ok(())
}

/// The words of the status columns, what they were read as, and how often they occur.
fn words_in_short(read: &EntriesRead) -> String {
    let word = |(word, (said, count)): (&String, &(StatusReason, u64))| match word.as_str() {
        "" => format!("blank {count}"),
        word => format!("\"{word}\" {count}: {}", said.name()),
    };
    read.words.iter().take(5).map(word).collect::<Vec<_>>().join(", ")
}

/// A word that nobody listed may be a refusal or none: the user says which.
pub(super) fn refuse_unlisted_words(read: &EntriesRead, what: What) -> Result<()> {
    const SHOWN: usize = 5;
    let unlisted: Vec<_> = read.words.iter().filter(|(_, (said, _))| *said == StatusReason::Unlisted).collect();
    let Some((first, _)) = unlisted.first() else { return Ok(()) };
    let shown: Vec<String> =
        unlisted.iter().take(SHOWN).map(|(word, (_, count))| format!("\"{word}\" ({count})")).collect();
    let more = unlisted.len().saturating_sub(SHOWN);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    let what_happened = format!(
        "the column \"{}\" says what happened, and some of its words are not known: {}{more}; nothing was changed",
        read.status_columns.join("\", \""),
        shown.join(", ")
    );
    let advice = format!(
        "say what each means: --status-means \"{first}={}\" (or soft-bounce, complained, opted-out, do-not-contact, sent, nothing); --status COLUMN names another column, --status none takes every row",
        what.name()
    );
    Err(Error::new(ErrorKind::Question, what_happened, advice))
}

/// What looks like an entry and was not read stops the load, unless it is accepted.
pub(super) fn refuse_unread(read: &EntriesRead, accept: &Accepted) -> Result<()> {
    let count = read.unread.count;
    if count == 0 || accept.covers(Guard::UnreadEntries, count) {
        return Ok(());
    }
    let texts = if count == 1 {
        "1 text looks like an entry and stands".to_owned()
    } else {
        format!("{count} texts look like entries and stand")
    };
    let what = format!(
        "{}: {texts} outside of what was read ({}); nothing was changed",
        Guard::UnreadEntries.name(),
        read.unread.in_words()
    );
    let advice = "--field \"email=HEADER\" once for each column reads further columns, --sheet all reads all sheets; if these are nobody's, --accept unread-entries goes on without them";
    Err(Error::new(ErrorKind::Guard, what, advice))
}

/// An entry that cannot even be kept as it stands stops the load, unless it is accepted: whoever is meant would still be
/// written.
pub(super) fn refuse_lost(read: &EntriesRead, accept: &Accepted) -> Result<()> {
    let is_lost =
        |finding: &&Finding| finding.code == LOST_ENTRIES && !accept.covers(Guard::UnreadEntries, finding.count);
    read.findings.iter().find(is_lost).map_or(Ok(()), |finding| {
        let advice = "correct these rows, and load the file again; if they stand for nobody, --accept unread-entries loads the others without them";
        Err(unreadable(finding, "so whoever is meant could still be written", advice))
    })
}

/// Entries that are kept as they stand protect little. Where they outnumber those that were read, the wrong column was read, or
/// the country of phone numbers is missing: the load stops, unless it is accepted.
pub(super) fn refuse_mostly_unreadable(read: &EntriesRead, lacks_country: bool, accept: &Accepted) -> Result<()> {
    let mut found = read.findings.iter().filter(|finding| finding.code == UNREADABLE_ENTRIES);
    let count = found.clone().map(|finding| finding.count).sum();
    let stops = count > read.readable || lacks_country;
    let Some(finding) = found.next().filter(|_| stops && !accept.covers(Guard::UnreadEntries, count)) else {
        return Ok(());
    };
    let advice = if lacks_country {
        "say the country of numbers that name none: --country GB; to keep them as written all the same, --accept unread-entries"
    } else {
        "look whether the right column was read: --field \"email=HEADER\" names it; to keep them as written all the same, --accept unread-entries"
    };
    Err(unreadable(finding, &format!("beside {} that can be read", read.readable), advice))
}

/// The guard of a finding about entries that cannot be read, with its first rows.
fn unreadable(finding: &Finding, so: &str, advice: &str) -> Error {
    let rows: Vec<String> = finding.rows.iter().map(u64::to_string).collect();
    let more = if finding.count > rows.len() as u64 { " …" } else { "" };
    let row = if finding.count == 1 { "row" } else { "rows" };
    let guard = Guard::UnreadEntries.name();
    // Nothing is kept where the load stops.
    let found = finding.text.trim_end_matches(KEPT_AS_WRITTEN);
    let what = format!("{guard}: {found} ({row} {}{more}), {so}; nothing was changed", rows.join(", "));
    let error = Error::new(ErrorKind::Guard, what, advice);
    match &finding.file {
        Some(file) => error.in_file(Path::new(file)),
        None => error,
    }
}

/// Rows that may be in the wrong columns, and values that are not there, stop the load, unless they are accepted.
pub(super) fn refuse_misread(read: &EntriesRead, accept: &Accepted) -> Result<()> {
    let guards = [
        ("another-table", Guard::AnotherTable, PARTS_TABLES),
        ("formulas-without-value", Guard::FormulasWithoutValue, STORES_VALUES),
    ];
    for (code, guard, advice) in guards {
        let found = read.findings.iter().find(|finding| finding.code == code && !accept.covers(guard, finding.count));
        if let Some(finding) = found {
            let what = format!("{}: {}; nothing was changed", guard.name(), finding.text);
            let advice = format!("{advice}; to go on all the same, --accept {}", guard.name());
            return Err(Error::new(ErrorKind::Guard, what, advice));
        }
    }
    Ok(())
}

/// People whom another bank has forgotten would be contacted again: only a copy of that bank can tell who they are.
pub(super) fn refuse_forgotten_elsewhere(count: u64, accept: &Accepted) -> Result<()> {
    if count == 0 || accept.covers(Guard::UnreadEntries, count) {
        return Ok(());
    }
    let people =
        if count == 1 { "1 entry stands for somebody".to_owned() } else { format!("{count} entries stand for people") };
    let what = format!(
        "{}: {people} whom another bank has forgotten, and would be contacted again; nothing was changed",
        Guard::UnreadEntries.name()
    );
    let advice = "copy that bank as a whole (pebblebank bank backup), and use the copy; --accept unread-entries loads the others without them";
    Err(Error::new(ErrorKind::Guard, what, advice))
}

/// A file that is there already is known before anything changes.
pub(super) fn refuse_existing(file: &Path) -> Result<()> {
    if !file.exists() {
        return Ok(());
    }
    let what = "there is a file of this name already, so nothing was changed";
    Err(Error::new(ErrorKind::Output, what, "name a new file behind --take-out").in_file(file))
}
