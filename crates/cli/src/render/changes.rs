//! What changed between two runs: the people first, then what moved.

use super::table::{Side, Table};
use super::{Screen, Tone, number, safe};
use crate::documents::document;
use crate::documents::receipts::{ChangesDocument, InputCompared, ListMoved, PathAndRows, ReasonMoved, RunCompared};
use pebblebank_report::changes::{Changes, FileChange, Gone};
use pebblebank_report::receipt::Receipt;
use pebblebank_table::observe::counted;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// How many lists and files are shown on one screen.
const SHOWN: usize = 8;

/// The files that were written.
pub struct Files {
    /// The rows of the people who are new, and how many.
    pub new: (PathBuf, u64),
    /// The addresses of those who are gone, with the reasons, and how many.
    pub gone: (PathBuf, u64),
}

/// What changed, on one screen.
pub fn finished(found: &Changes, now: &Receipt, before: &Receipt, files: Option<&Files>, screen: &Screen) -> String {
    let (new, gone) = (found.new_people(), found.gone_people());
    let headline = format!("{} new and {} gone since the run before", people(new), number(gone));
    let mut text = format!("{}\n", screen.paint(Tone::Good, &headline));
    text.push_str(&format!(
        "  {} written{}; before, {}{}\n",
        counted(found.written_now, "contact", "", "").trim_end(),
        on(now),
        number(found.written_before),
        on(before)
    ));
    if found.moved > 0 {
        let who =
            if found.moved == 1 { "1 person is".to_owned() } else { format!("{} people are", number(found.moved)) };
        text.push_str(&format!("  {who} written at another address than before\n"));
    }
    if now.job() != before.job() {
        let jobs = format!("\"{}\" and \"{}\"", safe(now.job(), 40), safe(before.job(), 40));
        let what = format!("these are receipts of two jobs: {jobs}");
        text.push_str(&format!("  {}\n", screen.paint(Tone::Warning, &what)));
    }
    for receipt in [now, before].into_iter().filter(|receipt| !receipt.has_written()) {
        let what =
            format!("{} is of a run that wrote nothing: it says who would have been written", receipt.folder.display());
        text.push_str(&format!("  {}\n", screen.paint(Tone::Warning, &what)));
    }
    for receipt in [now, before].into_iter().filter(|receipt| !receipt.edited.is_empty()) {
        let what = format!("{} was edited after the run: {}", receipt.folder.display(), receipt.edited.join(", "));
        text.push_str(&format!("  {}\n", screen.paint(Tone::Warning, &what)));
    }
    if found.not_compared > 0 {
        let contacts = counted(found.not_compared, "contact", "has", "have");
        let what = format!("{contacts} no address and could not be compared with the run before");
        text.push_str(&format!("  {}\n", screen.paint(Tone::Warning, &what)));
    }
    text.push_str(&why_gone(found, screen));
    text.push_str(&reasons(found, screen));
    text.push_str(&lists(found, screen));
    text.push_str(&inputs(found, screen));
    if let Some(Files { new, gone }) = files {
        let mut table = Table::new(&[("Written", Side::Left), ("", Side::Left)]).keeping(0);
        let contacts = counted(new.1, "contact", "", "");
        let addresses = if gone.1 == 1 { "1 address".to_owned() } else { format!("{} addresses", number(gone.1)) };
        table.row(vec![new.0.display().to_string(), format!("{} to import", contacts.trim_end())]);
        table.row(vec![gone.0.display().to_string(), format!("{addresses} to remove at the service")]);
        text.push_str(&format!("\n{}", table.render(screen)));
    } else if new + gone + found.moved > 0 {
        let next = format!("pebblebank changes {} -o FOLDER writes new.csv and gone.csv", now.folder.display());
        text.push_str(&format!("\n  {}\n  {next}\n", screen.paint(Tone::Heading, "Next")));
    }
    text
}

/// How many reasons for people who are gone the report of a run has room for.
const REASONS_IN_SHORT: usize = 2;

/// The changes for the report of a run: a line, and how to see all of them.
pub fn in_short(found: &Changes, receipt: &Path) -> String {
    let (new, gone) = (found.new_people(), found.gone_people());
    let mut because: Vec<(u64, Gone)> = counts_of_gone(found).into_iter().map(|(why, count)| (count, why)).collect();
    because.retain(|(_, why)| *why != Gone::AnotherAddress);
    because.sort_by(|a, b| b.0.cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
    let first = because.iter().take(REASONS_IN_SHORT);
    let first: Vec<String> = first.map(|(count, why)| format!("{} {}", number(*count), why.name())).collect();
    let because = match first.as_slice() {
        [] => String::new(),
        _ if because.len() > REASONS_IN_SHORT => format!(" ({} …)", first.join(", ")),
        _ => format!(" ({})", first.join(", ")),
    };
    let same = found.files.iter().filter(|(_, change)| *change == FileChange::Same).count();
    let files = format!("{same} of {} files the same", found.files.len());
    let mut text = format!("  Since the run before: {} new, {} gone{because}; {files}\n", people(new), number(gone));
    if new + gone + found.moved > 0 {
        text.push_str(&format!("  who and why: pebblebank changes {}\n", receipt.display()));
    }
    text
}

fn people(count: u64) -> String {
    if count == 1 { "1 person".to_owned() } else { format!("{} people", number(count)) }
}

fn on(receipt: &Receipt) -> String {
    receipt.started.as_deref().and_then(|moment| moment.get(..10)).map_or(String::new(), |day| format!(" on {day}"))
}

fn counts_of_gone(found: &Changes) -> BTreeMap<Gone, u64> {
    let mut counts = BTreeMap::new();
    found.gone.iter().for_each(|(_, why)| *counts.entry(*why).or_default() += 1);
    counts
}

fn why_gone(found: &Changes, screen: &Screen) -> String {
    if found.gone.is_empty() {
        return String::new();
    }
    let mut table = Table::new(&[("Gone because", Side::Left), ("people", Side::Right), ("", Side::Left)]);
    for (why, count) in counts_of_gone(found) {
        let phrase = match why {
            Gone::SetAside(reason) => super::tally::meaning(reason),
            Gone::AnotherAddress => "written at another address now",
            Gone::InNoSource => "in no row of any source any more",
        };
        table.row(vec![why.name().to_owned(), number(count), phrase.to_owned()]);
    }
    format!("\n{}", table.render(screen))
}

fn reasons(found: &Changes, screen: &Screen) -> String {
    let moved: Vec<_> = found.reasons.iter().filter(|(_, (before, now))| before != now).collect();
    if moved.is_empty() {
        return String::new();
    }
    let right = Side::Right;
    let mut table = Table::new(&[("Set aside as", Side::Left), ("before", right), ("now", right), ("change", right)]);
    for (reason, (before, now)) in moved {
        table.row(vec![reason.clone(), number(*before), number(*now), change(*before, *now)]);
    }
    format!("\n{}", table.render(screen))
}

fn change(before: u64, now: u64) -> String {
    if now >= before { format!("+{}", number(now - before)) } else { format!("−{}", number(before - now)) }
}

fn lists(found: &Changes, screen: &Screen) -> String {
    let moved: Vec<_> = found.lists.iter().filter(|(_, (before, now))| before != now).collect();
    if moved.is_empty() {
        return String::new();
    }
    let (left, right) = (Side::Left, Side::Right);
    let mut table = Table::new(&[
        ("Suppression list", left),
        ("entries", right),
        ("before", right),
        ("matched", right),
        ("before", right),
    ]);
    let most = if screen.is_verbose { usize::MAX } else { SHOWN };
    let count = |value: Option<u64>| value.map_or("–".to_owned(), number);
    for (name, (before, now)) in moved.iter().take(most) {
        table.row(vec![
            safe(name, 40),
            count(now.map(|counts| counts.entries)),
            count(before.map(|counts| counts.entries)),
            count(now.map(|counts| counts.matched)),
            count(before.map(|counts| counts.matched)),
        ]);
    }
    format!("\n{}{}", table.render(screen), more(moved.len(), most, "list"))
}

fn inputs(found: &Changes, screen: &Screen) -> String {
    let same = found.files.iter().filter(|(_, change)| *change == FileChange::Same).count() as u64;
    let moved: Vec<_> = found.files.iter().filter(|(_, change)| *change != FileChange::Same).collect();
    let mut text = format!(
        "\n  {}\n  {}\n",
        screen.paint(Tone::Heading, "Files"),
        if same == 0 {
            "none is the same as before".to_owned()
        } else {
            format!("{} the same as before", counted(same, "file", "is", "are"))
        }
    );
    let most = if screen.is_verbose { usize::MAX } else { SHOWN };
    for (file, change) in moved.iter().take(most) {
        let what = match change {
            FileChange::Same => continue,
            FileChange::Changed => "changed",
            FileChange::New => "not read before",
            FileChange::Gone => "no longer read",
        };
        text.push_str(&format!("  {}: {what}\n", safe(file, 60)));
    }
    text + &more(moved.len(), most, "file")
}

fn more(all: usize, most: usize, noun: &str) -> String {
    match all.saturating_sub(most) {
        0 => String::new(),
        more => format!("  and {} (--verbose)\n", counted(more as u64, &format!("more {noun}"), "", "").trim_end()),
    }
}

/// What changed, for programs.
pub fn json(found: &Changes, now: &Receipt, before: &Receipt, files: Option<&Files>) -> String {
    let gone_because = counts_of_gone(found).into_iter().map(|(why, count)| (why.name(), count)).collect();
    let reasons =
        found.reasons.iter().map(|(reason, (before, now))| ReasonMoved { reason, before: *before, now: *now });
    let lists = found.lists.iter().map(|(list, (before, now))| ListMoved { list, before: *before, now: *now });
    let inputs = found.files.iter().map(|(file, change)| InputCompared { file, change: *change });
    let body = ChangesDocument {
        now: run_compared(now, found.written_now),
        before: run_compared(before, found.written_before),
        not_compared: found.not_compared,
        new: found.new_people(),
        gone: found.gone_people(),
        moved: found.moved,
        gone_because,
        reasons: reasons.collect(),
        lists: lists.collect(),
        inputs: inputs.collect(),
        new_file: files.map(|files| PathAndRows { file: &files.new.0, rows: files.new.1 }),
        gone_file: files.map(|files| PathAndRows { file: &files.gone.0, rows: files.gone.1 }),
    };
    document("pebblebank/changes/1", body)
}

fn run_compared(receipt: &Receipt, written: u64) -> RunCompared<'_> {
    RunCompared { receipt: &receipt.folder, started: receipt.started.as_deref(), edited: &receipt.edited, written }
}
