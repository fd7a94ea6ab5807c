//! What `bank load` says: what a file holds, what would go in, what went in.

use super::bank::{faint, good, held_table};
use super::table::{Side, Table};
use super::tally::one_finding;
use super::{Screen, Tone, counted, number, safe};
use crate::documents::bank::{LoadDocument, LoadedFile, WordRead};
use crate::documents::document;
use pebblebank_bank::load::Preview;
use pebblebank_bank::{Batch, What};
use pebblebank_core::tasks::entries::EntriesRead;
use std::path::Path;

/// What a load found.
pub struct LoadSeen<'a> {
    /// What the entries say.
    pub what: What,
    /// Whose they are.
    pub scope: String,
    /// What it would do.
    pub preview: &'a Preview,
    /// What was read.
    pub read: &'a EntriesRead,
    /// Soft bounces.
    pub softs: u64,
    /// Rows that are something else by their status.
    pub no_bounce: u64,
    /// Rows whose last day is past.
    pub lapsed: u64,
}

/// What a load would do.
pub fn would_load(seen: &LoadSeen, screen: &Screen) -> String {
    if screen.json {
        return load_json(seen, None);
    }
    let text = format!("would load as {}, for {}:", seen.what.name(), seen.scope);
    format!("{}\n{}", screen.paint(Tone::Heading, &text), load_numbers(seen, screen))
}

pub(crate) fn load_json(seen: &LoadSeen, batch: Option<&Batch>) -> String {
    let files = seen.read.files.iter().map(|file| LoadedFile {
        file: &file.name,
        blake3: &file.fingerprint,
        rows: file.rows,
        blank: file.blank,
        unusable: file.unusable,
        left_out: file.left_out,
    });
    let words = seen.read.words.iter();
    let words = words.map(|(word, (said, rows))| WordRead { word, read_as: said.name(), rows: *rows });
    let body = LoadDocument {
        what: seen.what,
        scope: &seen.scope,
        batch,
        seen: seen.preview,
        soft_bounces: seen.softs,
        something_else: seen.no_bounce,
        lapsed: seen.lapsed,
        status_columns: &seen.read.status_columns,
        status_words: words.collect(),
        files: files.collect(),
        findings: &seen.read.findings,
    };
    document("pebblebank/bank-load/1", body)
}

/// The column that decided, and how each of its words was read.
pub(crate) fn status_words(seen: &LoadSeen, screen: &Screen) -> String {
    const SHOWN: usize = 10;
    let EntriesRead { status_columns, words, .. } = seen.read;
    if status_columns.is_empty() {
        return match seen.what {
            What::Bounced => "\n  no column says what happened: every row counts as a hard bounce\n".to_owned(),
            _ => String::new(),
        };
    }
    let heading = format!("Decided by \"{}\"", safe(&status_columns.join("\", \""), 40));
    let mut table = Table::new(&[(heading.as_str(), Side::Left), ("rows", Side::Right), ("read as", Side::Left)]);
    let mut sorted: Vec<_> = words.iter().collect();
    sorted.sort_by_key(|(word, (_, count))| (std::cmp::Reverse(*count), word.as_str()));
    for (word, (said, count)) in sorted.iter().take(SHOWN) {
        let word = if word.is_empty() { "(blank)".to_owned() } else { safe(word, 40) };
        table.row(vec![word, number(*count), said.name().to_owned()]);
    }
    let mut text = format!("\n{}", table.render(screen));
    if sorted.len() > SHOWN {
        text.push_str(&format!("  and {} more words\n", sorted.len() - SHOWN));
    }
    text
}

pub(crate) fn load_numbers(seen: &LoadSeen, screen: &Screen) -> String {
    let right = Side::Right;
    let headings = [
        ("File", Side::Left),
        ("rows", right),
        ("without an entry", right),
        ("unreadable", right),
        ("left out", right),
    ];
    let mut table = Table::new(&headings);
    for file in &seen.read.files {
        let counts = [file.rows, file.blank, file.unusable, file.left_out].map(number);
        table.row(std::iter::once(safe(&file.name, 40)).chain(counts).collect());
    }
    let mut text = format!("\n{}", table.render(screen));
    text.push_str(&status_words(seen, screen));
    let Preview { entries, new, known, forgotten, came_back, held, .. } = seen.preview;
    let mut numbers = Table::new(&[("Entries", Side::Left), ("", right), ("", Side::Left)]);
    let mut row = |name: &str, count: u64, explained: &str| {
        numbers.row(vec![name.to_owned(), number(count), explained.to_owned()]);
    };
    row("read", *entries, "each counted once");
    row("new", *new, "not in the bank for this reason yet");
    row("known", *known, "in the bank for this reason already, in this scope or for everyone");
    if *forgotten > 0 {
        row("forgotten", *forgotten, "of the known: they stay uncontacted, and are not written down again");
    }
    if *came_back > 0 {
        row("came back", *came_back, "came back after the file was last changed; not loaded");
    }
    if seen.softs > 0 {
        row("soft", seen.softs, "came back for a reason that may pass: suppressed after three within 30 days");
    }
    if seen.no_bounce > 0 {
        row("something else", seen.no_bounce, "by their status; not loaded");
    }
    if seen.lapsed > 0 {
        row("lapsed", seen.lapsed, "their last day is past; not loaded");
    }
    text.push('\n');
    text.push_str(&numbers.render(screen));
    text.push_str(&held_table(held, screen));
    if !seen.read.findings.is_empty() {
        text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, "Worth a look")));
        text.push_str(&seen.read.findings.iter().map(|finding| one_finding(finding, screen)).collect::<String>());
    }
    text
}

/// What went in.
pub fn loaded(batch: &Batch, seen: &LoadSeen, taken_out: Option<(&Path, u64)>, screen: &Screen) -> String {
    if screen.json {
        return load_json(seen, Some(batch));
    }
    let softs = match seen.softs {
        0 => String::new(),
        count => format!(" ({} for now only)", number(count)),
    };
    let text = format!(
        "{} loaded as {}{softs}, for {}: batch {}",
        counted(batch.entries, "entry"),
        batch.what.name(),
        batch.scope,
        batch.id.0
    );
    let mut text = good(&text, screen) + &load_numbers(seen, screen);
    match taken_out {
        Some((file, 0)) => text.push_str(&format!(
            "\n  {} is empty: it suppresses nobody in files that were prepared or sent lately\n",
            file.display()
        )),
        Some((file, count)) => text.push_str(&format!(
            "\n  to take out at the sending service: {} in {}\n",
            counted(count, "address"),
            file.display()
        )),
        None => {}
    }
    text.push('\n');
    text.push_str(&faint(&format!("to undo it: pebblebank bank undo {}", batch.id.0), screen));
    text
}
