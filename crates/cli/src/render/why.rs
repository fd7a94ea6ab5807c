//! What became of one person, in plain sentences.

use super::bank_entries::entry_table;
use super::{Screen, Tone, number, safe, wrapped};
use pebblebank_bank::find::Found;
use pebblebank_report::receipt::people::Fate;
use pebblebank_report::receipt::{Place, Receipt};
use pebblebank_report::story::{RowStory, Story};
use pebblebank_table::observe::counted;
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
    /// The entries of lists that suppressed the person.
    pub lists: Vec<ListedIn>,
}

/// Where a person is on a list.
#[derive(Default)]
pub struct ListedIn {
    /// The list.
    pub list: String,
    /// File, row, and what the entry is.
    pub entries: Vec<(String, u64, String)>,
    /// Whether the list is no longer as the run read it.
    pub has_changed: bool,
    /// Whether the list is too large to be searched in passing.
    pub is_large: bool,
}

/// What the bank knows of a person today.
pub struct BankSaid {
    /// Why it could not be asked.
    pub silence: Option<String>,
    /// Its entries.
    pub found: Found,
    /// The day.
    pub today: String,
    /// The bank.
    pub path: PathBuf,
}

/// The stories of a person; the latest run at length, the others in a line each.
pub fn told(who: &str, told: &[Told], bank: Option<&BankSaid>, screen: &Screen) -> String {
    let who = safe(who, 60);
    let Some((latest, earlier)) = told.split_first() else { return String::new() };
    let mut text = format!("{}\n", headline(&who, latest, screen));
    text.push_str(&format!("  {}\n", run_of(&latest.receipt)));
    text.push_str(&written_where(latest));
    text.push_str(&warnings(&latest.receipt, screen));
    text.push_str(&rows(latest, screen));
    text.push_str(&lists(latest, screen));
    for near in &latest.story.near_misses {
        let line = format!("near miss: the list \"{}\" has {} ({})", near.list, safe(&near.entry, 60), near.why);
        text.push_str(&paragraph(&line));
    }
    text.push_str(&bank_said(bank, screen));
    text.push_str(&unknown(&latest.story));
    if !earlier.is_empty() {
        text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, "In other runs")));
        for one in earlier {
            text.push_str(&format!("  {}: {}\n", run_of(&one.receipt), outcome(one).1));
        }
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
        text.push_str(&cells(row, screen));
        for repair in &row.repairs {
            let (before, after) = (safe(&repair.before, 40), safe(&repair.after, 40));
            let line = format!("repaired {}: {before} → {after} ({})", repair.field, repair.rule);
            for line in wrapped(&line, WIDTH - 6, "  ") {
                text.push_str(&format!("      {line}\n"));
            }
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

fn cells(row: &RowStory, screen: &Screen) -> String {
    let most = if screen.is_verbose { usize::MAX } else { CELLS_SHOWN };
    let shown = row.read.iter().take(most);
    let cells: Vec<String> =
        shown.map(|(header, value)| format!("{}: {}", safe(header, 24), safe(value, 40))).collect();
    if cells.is_empty() {
        return String::new();
    }
    let more = row.read.len().saturating_sub(cells.len());
    let more = if more > 0 { format!("; {more} more") } else { String::new() };
    let lines = wrapped(&format!("read as {}{more}", cells.join("; ")), WIDTH - 6, "  ");
    lines.iter().map(|line| format!("      {}\n", screen.paint(Tone::Faint, line))).collect()
}

fn lists(told: &Told, screen: &Screen) -> String {
    if told.lists.is_empty() {
        return String::new();
    }
    let mut text = format!("\n  {}\n", screen.paint(Tone::Heading, "The lists"));
    for list in &told.lists {
        if list.has_changed {
            text.push_str(&paragraph(&format!("{}: the list has changed since, so its entry is not known", list.list)));
        }
        if list.is_large {
            text.push_str(&paragraph(&format!("{}: a large list; --verbose looks for the entry", list.list)));
        }
        for (file, row, what) in &list.entries {
            text.push_str(&format!("  {}: {what}, in {file} row {}\n", list.list, number(*row)));
        }
    }
    text
}

fn bank_said(bank: Option<&BankSaid>, screen: &Screen) -> String {
    if let Some(why) = bank.and_then(|bank| bank.silence.as_ref()) {
        return format!("\n{}", paragraph(&format!("What the bank says today is not known: {why}")));
    }
    let Some(bank) = bank.filter(|bank| !bank.found.entries.is_empty() || !bank.found.by_domain.is_empty()) else {
        return String::new();
    };
    let mut text = String::from("\n");
    let parts = [("In the bank today", &bank.found.entries), ("By the domain", &bank.found.by_domain)];
    for (heading, entries) in parts.into_iter().filter(|(_, entries)| !entries.is_empty()) {
        text.push_str(&entry_table(heading, entries, heading == "By the domain", screen));
    }
    text
}

/// What to do where nobody was found.
fn unknown(story: &Story) -> String {
    if !story.rows.is_empty() {
        return String::new();
    }
    let mut text = String::new();
    if !story.closest.is_empty() {
        let close: Vec<String> = story.closest.iter().map(|address| safe(address, 60)).collect();
        text.push_str(&paragraph(&format!("close to it, and written: {}", close.join(", "))));
    }
    if !story.not_searched.is_empty() {
        let files = counted(story.not_searched.len() as u64, "file", "was", "were");
        text.push_str(&paragraph(&format!(
            "{files} not searched, because only delimited text that has not changed since is: {}",
            story.not_searched.join(", ")
        )));
    }
    text
}

fn paragraph(line: &str) -> String {
    wrapped(line, WIDTH - 2, "  ").iter().map(|line| format!("  {line}\n")).collect()
}
