//! What became of one person, in plain sentences.

use super::bank_entries::entry_table;
use super::{Screen, Tone, number, safe, wrapped};
use pebblebank_bank::find::{Found, KnownEntry};
use pebblebank_core::run::decide::why::words;
use pebblebank_core::run::retrace::{MatchedBy, NotRead, RetracedEntry};
use pebblebank_report::receipt::people::Fate;
use pebblebank_report::receipt::{Place, Receipt};
use pebblebank_report::story::{ListEntry, NearMiss, RowStory, Story};
use pebblebank_table::Error;
use std::path::PathBuf;

/// How wide lines may be.
const WIDTH: usize = 100;

/// How many rows are shown on one screen.
const ROWS_SHOWN: usize = 8;

/// How many cells of a row are shown on one screen.
const CELLS_SHOWN: usize = 6;

/// The story of a person in one run.
pub struct Told {
    /// The receipt of the run.
    pub receipt: Receipt,
    /// The story.
    pub story: Story,
}

/// A receipt that cannot be opened.
pub struct NotOpened {
    /// Its folder.
    pub folder: PathBuf,
    /// Why not.
    pub error: Error,
}

/// What the bank of the run knows of a person today.
pub struct BankSaid {
    /// Why it could not be asked.
    pub silence: Option<String>,
    /// What it knows, by each address and phone number of the person.
    pub found: Vec<Found>,
    /// Whether it suppressed the person in the run.
    pub suppressed: bool,
    /// The day.
    pub today: String,
    /// The bank.
    pub path: PathBuf,
}

impl BankSaid {
    /// Its entries of one kind, each once.
    fn entries<'a>(&'a self, of: impl Fn(&'a Found) -> &'a [KnownEntry]) -> Vec<KnownEntry> {
        let mut entries: Vec<KnownEntry> = Vec::new();
        for entry in self.found.iter().flat_map(of) {
            if !entries.contains(entry) {
                entries.push(entry.clone());
            }
        }
        entries
    }

    /// All of its entries: those of the person's addresses and numbers, of domains, and of hashes.
    pub fn all_entries(&self) -> Vec<KnownEntry> {
        [
            self.entries(|found| &found.entries),
            self.entries(|found| &found.by_domain),
            self.entries(|found| &found.by_hash),
        ]
        .concat()
    }

    /// Whether it has an entry of those that are told, or remembers somebody without showing who.
    fn has_any(&self, is_told: &dyn Fn(&KnownEntry) -> bool) -> bool {
        self.all_entries().iter().any(is_told) || self.found.iter().any(|found| found.is_forgotten)
    }
}

/// The stories of a person; the latest run at length, the others in a line each.
pub fn told(who: &str, told: &[Told], not_opened: &[NotOpened], bank: Option<&BankSaid>, screen: &Screen) -> String {
    let who = safe(who, 60);
    let Some((latest, earlier)) = told.split_first() else { return String::new() };
    let mut text = format!("{}\n", headline(&who, latest, screen));
    text.push_str(&format!("  {}\n", run_of(&latest.receipt)));
    text.push_str(&written_where(latest));
    text.push_str(&warnings(&latest.receipt, screen));
    text.push_str(&rows(latest, screen));
    text.push_str(&lists(&latest.story, screen));
    for near in latest.story.near_misses.iter().filter(|near| !is_located(near, &latest.story)) {
        let line = format!("near miss: the list \"{}\" has {} ({})", near.list, safe(&near.entry, 60), near.why);
        text.push_str(&paragraph(&line));
    }
    text.push_str(&bank_said(latest, bank, screen));
    text.push_str(&closest(&latest.story));
    text.push_str(&not_read(&latest.story));
    if !earlier.is_empty() {
        text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, "In other runs")));
        for one in earlier {
            text.push_str(&format!("  {}: {}\n", run_of(&one.receipt), outcome(one).1));
        }
    }
    for NotOpened { folder, error } in not_opened {
        let what = format!("{} could not be opened: {}", folder.display(), error.what());
        text.push_str(&format!("  {}\n", screen.paint(Tone::Warning, &what)));
    }
    text
}

fn headline(who: &str, told: &Told, screen: &Screen) -> String {
    let (tone, outcome) = outcome(told);
    screen.paint(tone, &format!("{who}: {outcome}"))
}

/// The result in a few words.
fn outcome(told: &Told) -> (Tone, String) {
    let story = &told.story;
    if story.rows.is_empty() {
        return (Tone::Warning, "in no row of this run".to_owned());
    }
    if story.people > 1 {
        let (people, written) = (number(story.people as u64), number(story.written_people as u64));
        return (
            Tone::Warning,
            format!("{people} people have this, and {written} of them are written; ask for one by address"),
        );
    }
    if story.is_written() {
        let files = import_files(&told.receipt);
        let is_done = told.receipt.has_written();
        return match (is_done, files.is_empty()) {
            (false, _) => (Tone::Warning, "would have been written, but the run wrote nothing".to_owned()),
            (true, true) => (Tone::Good, "written".to_owned()),
            (true, false) => (Tone::Good, format!("written to {}", files[0])),
        };
    }
    match story.reason() {
        Some(reason) => {
            let phrase = super::tally::meaning(reason);
            (Tone::Bad, format!("not written: {} ({phrase})", reason.name()))
        }
        None => (Tone::Bad, "not written".to_owned()),
    }
}

/// The import files that everybody is in who is written.
fn import_files(receipt: &Receipt) -> Vec<String> {
    let all = receipt.tally["written"].as_array().map(Vec::as_slice).unwrap_or_default();
    let for_all = all.iter().filter(|file| file["where"].is_null());
    for_all.filter_map(|file| file["file"].as_str()).map(str::to_owned).collect()
}

/// Where the person is written: the line, and files for which a condition decides.
fn written_where(told: &Told) -> String {
    if !told.story.is_written() {
        return String::new();
    }
    let mut text = String::new();
    if let Some((file, line)) = &told.story.import_line {
        text.push_str(&format!("  {} line {}\n", file.display(), number(*line)));
    }
    let all = told.receipt.tally["written"].as_array().map(Vec::as_slice).unwrap_or_default();
    for file in all {
        if let (Some(name), Some(condition)) = (file["file"].as_str(), file["where"].as_str()) {
            text.push_str(&paragraph(&format!("also in {name}, if {condition}")));
        }
    }
    text
}

fn run_of(receipt: &Receipt) -> String {
    let day = receipt.started.as_deref().and_then(|moment| moment.get(..10));
    let day = day.map_or(String::new(), |day| format!(" of {day}"));
    format!("\"{}\"{day}, {}", safe(receipt.job(), 40), receipt.folder.display())
}

fn warnings(receipt: &Receipt, screen: &Screen) -> String {
    let mut text = String::new();
    if !receipt.edited.is_empty() {
        let what =
            format!("edited after the run: {}; what follows may not be what the run did", receipt.edited.join(", "));
        text.push_str(&format!("  {}\n", screen.paint(Tone::Warning, &what)));
    }
    if receipt.is_unsealed {
        let what = "this receipt has no seals, so nobody can tell whether it was edited";
        text.push_str(&format!("  {}\n", screen.paint(Tone::Warning, what)));
    }
    text
}

fn rows(told: &Told, screen: &Screen) -> String {
    let story = &told.story;
    if story.rows.is_empty() {
        return String::new();
    }
    let heading = if story.rows_in_all == 1 { "The row".to_owned() } else { format!("The {} rows", story.rows_in_all) };
    let mut text = format!("\n  {}\n", screen.paint(Tone::Heading, &heading));
    let most = if screen.is_verbose { usize::MAX } else { ROWS_SHOWN };
    for row in story.rows.iter().take(most) {
        let place = format!("{} row {}", safe(&row.file, 50), number(row.place.row));
        let note = if row.note.is_empty() { String::new() } else { format!(": {}", safe(&row.note, 80)) };
        text.push_str(&paragraph(&format!("{place}: {}{note}", fate(row, &told.receipt))));
        text.push_str(&cells(&row.read, "read as", screen));
        for stated in &row.consent {
            let (header, value) = (safe(&stated.header, 40), safe(&stated.value, 40));
            text.push_str(&indented(&format!("consent: {} (\"{header}\": {value})", words(stated.consent))));
        }
        for repair in &row.repairs {
            let (before, after) = (safe(&repair.before, 40), safe(&repair.after, 40));
            text.push_str(&indented(&format!("repaired {}: {before} → {after} ({})", repair.field, repair.rule)));
        }
    }
    let more = story.rows_in_all.saturating_sub(story.rows.len().min(most));
    if more > 0 {
        text.push_str(&format!("  and {} more (--verbose)\n", number(more as u64)));
    }
    text
}

fn fate(row: &RowStory, receipt: &Receipt) -> String {
    let survivor = |place: &Option<Place>| {
        let place = place.as_ref()?;
        Some(format!("{} row {}", receipt.inputs.get(place.input)?.file, number(place.row)))
    };
    match row.fate {
        Fate::Written => "written".to_owned(),
        Fate::Merged => {
            let into = survivor(&row.survivor).unwrap_or_else(|| "another row".to_owned());
            let by = match row.key.as_str() {
                "" => String::new(),
                "decision" => ", as somebody decided".to_owned(),
                key => format!(": the same {key}"),
            };
            let taken = if row.taken.is_empty() { String::new() } else { format!("; it gave {}", row.taken) };
            format!("merged into {into}{by}{taken}")
        }
        Fate::SetAside(reason) if row.details.is_empty() => format!("set aside as {}", reason.name()),
        Fate::SetAside(reason) => format!("set aside as {} ({})", reason.name(), row.details),
    }
}

/// Filled cells with their headers, after `what` they are.
fn cells(all: &[(String, String)], what: &str, screen: &Screen) -> String {
    let most = if screen.is_verbose { usize::MAX } else { CELLS_SHOWN };
    let shown = all.iter().take(most);
    let cells: Vec<String> =
        shown.map(|(header, value)| format!("{}: {}", safe(header, 24), safe(value, 40))).collect();
    if cells.is_empty() {
        return String::new();
    }
    let more = all.len().saturating_sub(cells.len());
    let more = if more > 0 { format!("; {more} more") } else { String::new() };
    let lines = wrapped(&format!("{what} {}{more}", cells.join("; ")), WIDTH - 6, "  ");
    lines.iter().map(|line| format!("      {}\n", screen.paint(Tone::Faint, line))).collect()
}

/// Whether an entry of a list is that of a near miss.
fn is_of(found: &RetracedEntry, near: &NearMiss) -> bool {
    found.list == near.list && matches!(&found.by, MatchedBy::Near(shown) if *shown == near.entry)
}

/// Whether the entry of a near miss was found in the file of its list.
fn is_located(near: &NearMiss, story: &Story) -> bool {
    story.entries.iter().any(|found| is_of(&found.entry, near))
}

/// The entries of lists that the person has.
fn lists(story: &Story, screen: &Screen) -> String {
    if story.entries.is_empty() {
        return String::new();
    }
    let mut text = format!("\n  {}\n", screen.paint(Tone::Heading, "The lists"));
    let most = if screen.is_verbose { usize::MAX } else { ROWS_SHOWN };
    // Those that keep somebody from being written come first.
    let (suppressing, others): (Vec<_>, Vec<_>) = story.entries.iter().partition(|entry| entry.suppresses);
    for ListEntry { file, suppresses, entry } in suppressing.into_iter().chain(others).take(most) {
        let place = format!("in {} row {}", safe(file, 50), number(entry.row));
        let near = story.near_misses.iter().find(|near| is_of(entry, near));
        let why = near.map(|near| format!(" ({})", near.why));
        let what = format!("{}{}", what_matches(&entry.by), why.unwrap_or_default());
        let role = if *suppresses { "" } else { ", a list to ask about" };
        text.push_str(&paragraph(&format!("{}: {what}, {place}{role}", entry.list)));
        text.push_str(&cells(&entry.cells, "its row is", screen));
    }
    let more = story.entries.len().saturating_sub(most);
    if more > 0 {
        text.push_str(&format!("  and {} more (--verbose)\n", number(more as u64)));
    }
    let counts = |entry: &&ListEntry| entry.suppresses && !matches!(entry.entry.by, MatchedBy::Near(_));
    if story.is_written() && story.people == 1 && story.entries.iter().any(|entry| counts(&entry)) {
        text.push_str(&paragraph(&match &story.allowed {
            Some(why) => format!("it did not count, since the job allows the person: {}", safe(why, 200)),
            None => {
                "it did not count in this run: it is of an address that is not written, or the person came back since \
                     (pebblebank bank find tells)"
                    .to_owned()
            }
        }));
    }
    text
}

/// By what an entry matches, in words.
pub(super) fn what_matches(by: &MatchedBy) -> String {
    match by {
        MatchedBy::Address(address) => format!("the address {}", safe(address, 60)),
        MatchedBy::Domain(domain) => format!("the domain {}", safe(domain, 60)),
        MatchedBy::Hash => "a hash of the address".to_owned(),
        MatchedBy::Value(value) if value.is_empty() => "the value that the list goes by".to_owned(),
        MatchedBy::Value(value) => safe(value, 60),
        MatchedBy::Near(entry) => format!("the near miss {}", safe(entry, 60)),
    }
}

fn bank_said(told: &Told, bank: Option<&BankSaid>, screen: &Screen) -> String {
    let Some(bank) = bank else { return String::new() };
    if let Some(why) = &bank.silence {
        return format!("\n{}", paragraph(&format!("What the bank says today is not known: {why}")));
    }
    let started = told.receipt.started.as_deref();
    // What was taken out before the run has nothing to do with it.
    let is_told =
        |entry: &KnownEntry| entry.gone.as_deref().is_none_or(|gone| started.is_some_and(|began| gone > began));
    if !bank.has_any(&is_told) {
        let gone = "The bank suppressed the person in this run and has no entry now that would: somebody took it out since, or \
                    it is another bank (--bank)";
        return if bank.suppressed { format!("\n{}", paragraph(gone)) } else { String::new() };
    }
    let mut text = String::from("\n");
    if told.receipt.tally["bank"]["switched_off"] == true {
        text.push_str(&paragraph("This run went without the bank (--without-bank), so nobody was suppressed by it."));
    }
    let shows_text = bank.found.iter().filter(|found| !found.entries.is_empty()).count() > 1;
    if let Some(made) = told.receipt.tally["bank"]["copy"]["made"].as_str() {
        let day = made.get(..10).unwrap_or(made);
        text.push_str(&paragraph(&format!(
            "This run asked a copy of the bank of {day}: what went in later did not count."
        )));
    }
    let parts = [
        ("In the bank today", bank.entries(|found| &found.entries), shows_text),
        ("By the domain", bank.entries(|found| &found.by_domain), true),
        ("Without showing it", bank.entries(|found| &found.by_hash), false),
    ]
    .map(|(heading, mut entries, shows_text)| {
        entries.retain(is_told);
        (heading, entries, shows_text)
    });
    let mut later: Vec<String> = Vec::new();
    for (heading, entries, shows_text) in parts.into_iter().filter(|(_, entries, _)| !entries.is_empty()) {
        text.push_str(&entry_table(heading, &entries, shows_text, screen));
        let is_later = |entry: &&KnownEntry| entry.holds() && started.is_some_and(|began| entry.added.as_str() > began);
        later.extend(entries.iter().filter(is_later).map(|entry| entry.batch.0.to_string()));
    }
    if bank.found.iter().any(|found| found.is_forgotten) {
        text.push_str(&paragraph("It was forgotten: only a hash is left, and it stays uncontacted."));
    }
    if told.story.is_written() && !later.is_empty() {
        later.dedup();
        let batches = if later.len() == 1 { "batch" } else { "batches" };
        text.push_str(&paragraph(&format!("{batches} {} went in after this run", later.join(", "))));
    }
    text
}

/// Whom to ask about instead, where nobody was found.
fn closest(story: &Story) -> String {
    if !story.rows.is_empty() || story.closest.is_empty() {
        return String::new();
    }
    let close: Vec<String> = story.closest.iter().map(|address| safe(address, 60)).collect();
    paragraph(&format!("close to it, and written: {}", close.join(", ")))
}

/// The files that were not read again, so that their words are missing.
fn not_read(story: &Story) -> String {
    let what = if story.rows.is_empty() { "so it was not searched" } else { "so its words are not shown" };
    let mut text = String::new();
    for (file, why) in &story.not_read {
        let because = match why {
            NotRead::Gone => "is gone".to_owned(),
            NotRead::Changed => "has changed since the run".to_owned(),
            NotRead::TooLarge => "is large (--verbose reads it)".to_owned(),
            NotRead::Unreadable(why) => format!("cannot be read again ({})", safe(why, 120)),
        };
        text.push_str(&paragraph(&format!("{} {because}, {what}", safe(file, 60))));
    }
    text
}

fn indented(line: &str) -> String {
    wrapped(line, WIDTH - 6, "  ").iter().map(|line| format!("      {line}\n")).collect()
}

fn paragraph(line: &str) -> String {
    wrapped(line, WIDTH - 2, "  ").iter().map(|line| format!("  {line}\n")).collect()
}
