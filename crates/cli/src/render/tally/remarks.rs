//! What should be looked at, and where: findings, likely duplicates, the files of the receipt.

use crate::render::table::{Side, Table};
use crate::render::{Screen, Tone, WIDTH, counted, number, safe, wrapped};
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::tally::{Outcome, Tally, WriteTally};
use pebblebank_table::observe::{Finding, Weight};
use std::path::PathBuf;

/// How many findings of a kind are shown; the receipt has them all.
pub(super) const FINDINGS_SHOWN: usize = 12;

/// What should be looked at.
pub fn findings(tally: &Tally, screen: &Screen) -> String {
    if tally.findings.is_empty() {
        return String::new();
    }
    let mut text = format!("  {}\n", screen.paint(Tone::Heading, "Worth a look"));
    for finding in tally.findings.iter().take(FINDINGS_SHOWN) {
        text.push_str(&one_finding(finding, screen));
    }
    let more = tally.findings.len().saturating_sub(FINDINGS_SHOWN);
    if more > 0 {
        text.push_str(&format!("  and {more} more, in tally.json of the receipt\n"));
    }
    text
}

/// One finding, with its sign and its rows.
pub fn one_finding(finding: &Finding, screen: &Screen) -> String {
    let sign = match finding.weight {
        Weight::Warning => screen.paint(Tone::Warning, "!"),
        Weight::Doubt => screen.paint(Tone::Warning, "?"),
        Weight::Note => "·".to_owned(),
    };
    let place = finding.file.as_ref().map_or(String::new(), |file| format!("{}: ", safe(file, 60)));
    let rows: Vec<String> = finding.rows.iter().map(u64::to_string).collect();
    let more = if finding.count > finding.rows.len() as u64 { ", …" } else { "" };
    let rows = match rows.len() {
        0 => String::new(),
        1 if more.is_empty() => format!(" (row {})", rows[0]),
        _ => format!(" (rows {}{more})", rows.join(", ")),
    };
    let text = format!("{place}{}{rows}", safe(&finding.text, 400));
    let lines = wrapped(&text, WIDTH - 4, "");
    let first = format!("  {sign} {}\n", lines[0]);
    lines[1..].iter().fold(first, |text, line| format!("{text}    {line}\n"))
}

/// One finding, cut to `most_lines` lines.
pub fn cut_finding(finding: &Finding, most_lines: usize, screen: &Screen) -> String {
    let whole = one_finding(finding, screen);
    let lines: Vec<&str> = whole.lines().collect();
    if lines.len() <= most_lines { whole } else { format!("{} …\n", lines[..most_lines].join("\n")) }
}

/// The import files with whom they hold, a few of them by name.
pub(super) fn written_files(finished: &Finished) -> Vec<(String, String)> {
    let mut paths = finished.imports.iter();
    let mut all: Vec<_> = finished.tally.written.iter().flat_map(|file| import_files(file, &mut paths)).collect();
    if finished.tally.outcome != Outcome::Written {
        all.clear();
    }
    let more = all.len().saturating_sub(FILES_LISTED);
    if more > 0 {
        all.truncate(FILES_LISTED);
        all.push((format!("and {more} more files"), String::new()));
    }
    all
}

/// People that are likely one, and how to go through them.
pub(super) fn near_duplicates(finished: &Finished, screen: &Screen) -> String {
    let near = &finished.tally.near_duplicates;
    let decided = match near.decided {
        0 => String::new(),
        1 => " (1 more was decided before)".to_owned(),
        count => format!(" ({} more were decided before)", number(count)),
    };
    let text = match (near.searched, near.pairs, &finished.receipt) {
        (true, 1.., Some(receipt)) => {
            let pairs =
                if near.pairs == 1 { "1 pair is".to_owned() } else { format!("{} pairs are", number(near.pairs)) };
            let command = format!("pebblebank review {}", receipt.display());
            return format!("  {pairs} likely the same person{decided}. To decide on them:\n  {command}\n");
        }
        (true, 1.., None) => format!(
            "{} to be looked at: likely the same person; a run with a receipt lists them (review.csv)",
            counted(near.pairs, "pair")
        ),
        (false, ..) if near.people > 0 && finished.receipt.is_some() => format!(
            "near duplicates were not looked for among {} people; near_duplicates = true in [person] does",
            number(near.people)
        ),
        _ => return String::new(),
    };
    let lines = wrapped(&text, WIDTH - 2, "  ");
    lines
        .iter()
        .map(|line| format!("  {}\n", if near.searched { line.clone() } else { screen.paint(Tone::Faint, line) }))
        .collect()
}

/// The first rows as they would be written.
pub fn first_rows(rows: &[u8], screen: &Screen) -> String {
    if rows.is_empty() {
        return String::new();
    }
    let heading = screen.paint(Tone::Heading, "The first rows");
    let text = String::from_utf8_lossy(rows);
    let lines: Vec<String> = text.lines().map(|line| format!("  {}\n", safe(line, WIDTH - 2))).collect();
    format!("  {heading}\n{}", lines.concat())
}

pub(super) fn tally_has_conflicts(finished: &Finished) -> bool {
    finished.tally.fill.is_some_and(|fill| fill.conflicts > 0)
}

/// More files of one import than this are not listed one by one.
const FILES_LISTED: usize = 4;

/// The files of one import file, with how many contacts each has.
fn import_files<'a>(file: &WriteTally, paths: &mut impl Iterator<Item = &'a PathBuf>) -> Vec<(String, String)> {
    let whom =
        file.condition.as_ref().map_or(" to import".to_owned(), |condition| format!(": {}", safe(condition, 40)));
    let sheets = file.sheets.map_or(String::new(), |sheets| format!(", on {sheets} sheets"));
    let contacts = |rows: u64| format!("{}{sheets}{whom}", counted(rows, "contact"));
    if file.files.is_empty() {
        return paths.take(1).map(|path| (path.display().to_string(), contacts(file.rows))).collect();
    }
    let all: Vec<&PathBuf> = paths.take(file.files.len()).collect();
    if all.len() <= FILES_LISTED {
        return all
            .iter()
            .zip(&file.files)
            .map(|(path, part)| (path.display().to_string(), contacts(part.rows)))
            .collect();
    }
    let (first, last) = (all[0], all[all.len() - 1]);
    let last = last.file_name().unwrap_or_default().to_string_lossy();
    vec![(format!("{} … {last}", first.display()), format!("{} in {} files", contacts(file.rows), all.len()))]
}

pub(super) fn where_to_look(finished: &Finished, again: &str, screen: &Screen) -> String {
    let mut rows: Vec<(String, String)> = Vec::new();
    if finished.tally.outcome == Outcome::Written {
        let mut paths = finished.imports.iter();
        for file in &finished.tally.written {
            rows.extend(import_files(file, &mut paths));
        }
    }
    if let Some(file) = &finished.set_aside {
        rows.push((file.display().to_string(), "who was left out, and why".to_owned()));
    }
    if let Some(receipt) = &finished.receipt {
        let in_receipt = |name: &str| receipt.join(name).display().to_string();
        rows.push((in_receipt("set-aside.csv"), "who was left out, and why".to_owned()));
        rows.push((in_receipt("merged.csv"), "copies, and of which row".to_owned()));
        if finished.tally.near_misses.pairs > 0 {
            rows.push((in_receipt("near-misses.csv"), "entries one typo from a contact".to_owned()));
        }
        if finished.tally.near_duplicates.pairs > 0 {
            rows.push((in_receipt("review.csv"), "who is likely the same person".to_owned()));
        }
        if tally_has_conflicts(finished) {
            rows.push((in_receipt("conflicts.csv"), "differing values of copies".to_owned()));
        }
        rows.push((in_receipt("repairs.csv"), "what was changed in which row".to_owned()));
        if !finished.tally.suggestions.is_empty() {
            rows.push((in_receipt("suggestions.csv"), "likely typos in addresses".to_owned()));
        }
        rows.push((in_receipt("tally.json"), "these numbers, for programs".to_owned()));
    }
    let mut table = Table::new(&[("Where to look next", Side::Left), ("", Side::Left)]).keeping(0);
    match (finished.tally.outcome, rows.is_empty()) {
        (Outcome::DryRun, _) => {
            let heading = screen.paint(Tone::Heading, "Next");
            return format!("  {heading}\n  to write it: {again}\n");
        }
        (_, true) => return String::new(),
        _ => {}
    }
    for (file, what) in rows {
        table.row(vec![file, what]);
    }
    format!("{}{}", table.render(screen), in_several_files(&finished.tally.written, screen))
}

/// How many contacts of each file are in another one too.
pub(super) fn in_several_files(written: &[WriteTally], screen: &Screen) -> String {
    let also = written.iter().filter(|file| file.also_in_another > 0);
    let also = also.map(|file| {
        let count = if file.also_in_another == file.rows { "all".to_owned() } else { number(file.also_in_another) };
        format!("{count} of {}", safe(&file.file, 40))
    });
    let also: Vec<String> = also.take(FILES_LISTED).collect();
    if also.is_empty() {
        return String::new();
    }
    let text = format!("in more than one import file: {}", also.join(", "));
    wrapped(&text, WIDTH - 2, "  ").iter().map(|line| format!("  {}\n", screen.paint(Tone::Faint, line))).collect()
}
