//! People that have several rows.

use super::tally::one_finding;
use super::{Screen, Tone, counted, number};
use crate::documents::document;
use pebblebank_core::tasks::duplicates::DuplicateGroups;
use pebblebank_table::observe::{Finding, Weight};

/// How many there are, by which key, and where they are.
pub fn finished(found: &DuplicateGroups, screen: &Screen) -> String {
    let people =
        if found.groups == 1 { "1 person has".to_owned() } else { format!("{} people have", number(found.groups)) };
    let what = format!("{people} several rows: {} of {}", number(found.rows), counted(found.read, "row"));
    let mut text = format!("{}\n", screen.paint(Tone::Good, &what));
    if found.groups > 0 {
        let merged = found.rows - found.groups;
        let by: Vec<String> = found
            .by_key
            .iter()
            .filter(|(_, rows)| *rows > 0)
            .map(|(key, rows)| format!("{} by {key}", number(*rows)))
            .collect();
        text.push_str(&format!("\n  {} would be merged: {}\n", counted(merged, "row"), by.join(", ")));
        let within = found.merged_within;
        text.push_str(&format!("  {} in the same source, {} in another\n", number(within), number(merged - within)));
        text.push_str(&format!("  the largest group has {}\n", counted(found.largest, "row")));
    }
    let findings = found.findings.iter().filter(|finding| finding.weight != Weight::Note);
    let findings: String = findings.map(|finding: &Finding| one_finding(finding, screen)).collect();
    if !findings.is_empty() {
        text.push_str(&format!("\n{findings}"));
    }
    match &found.file {
        Some(file) => text.push_str(&format!(
            "\n  {}: every row of each, by group; pebblebank_survives says which one would be kept\n",
            file.display()
        )),
        None => text.push_str("\n  a dry run: nothing was written\n"),
    }
    text
}

/// The JSON document that `--json` prints.
pub fn json(found: &DuplicateGroups) -> String {
    document("pebblebank/duplicates/1", found)
}
