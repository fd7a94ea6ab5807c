//! The files that a list was split into.

use super::table::{Side, Table};
use super::tally::{first_rows, one_finding, other_lines_in_words};
use super::{Screen, Tone, counted, number, safe};
use crate::documents::document;
use crate::documents::lists::SplitDocument;
use pebblebank_core::tasks::split::wishes::Split;

/// How many files are shown, unless all are asked for.
const FILES_SHOWN: usize = 18;

/// How many findings are.
const FINDINGS_SHOWN: usize = 4;

/// The files with their rows, and what was left out.
pub fn finished(split: &Split, dry_run: bool, screen: &Screen) -> String {
    let files = counted(split.files.len() as u64, "file");
    let contacts = counted(split.rows, "contact");
    let what = if dry_run {
        format!("{contacts} would go into {files} (a dry run: nothing was written)")
    } else {
        format!("{contacts} in {files}, each in exactly one")
    };
    let mut text = format!("{}: {}\n\n", safe(&split.list, 60), screen.paint(Tone::Good, &what));
    let shown = if screen.is_verbose { usize::MAX } else { FILES_SHOWN };
    let mut table = Table::new(&[("File", Side::Left), ("rows", Side::Right), ("value", Side::Left)]).keeping(0);
    for file in split.files.iter().take(shown) {
        let value = match file.value.as_deref() {
            Some("") => "(blank)".to_owned(),
            Some(value) => safe(value, 40),
            None if split.gathered > 0 => format!("{} with few rows each", counted(split.gathered, "value")),
            None => String::new(),
        };
        table.row(vec![file.file.display().to_string(), number(file.rows), value]);
    }
    text.push_str(&table.render(screen));
    let more = split.files.len().saturating_sub(shown);
    if more > 0 {
        text.push_str(&format!("  and {} more: --verbose shows them\n", number(more as u64)));
    }
    let findings = split.findings.iter().take(if screen.is_verbose { usize::MAX } else { FINDINGS_SHOWN });
    let findings: String = findings.map(|finding| one_finding(finding, screen)).collect();
    if !findings.is_empty() {
        text.push_str(&format!("\n{findings}"));
    }
    let others = other_lines_in_words(&split.other_lines);
    if dry_run && !split.preview.is_empty() {
        text.push_str(&format!("\n{}", first_rows(&split.preview, screen)));
    }
    let outside = match split.outside_of_range {
        0 => None,
        rows => Some(format!("{} outside of --rows", counted(rows, "contact"))),
    };
    let not_written: Vec<String> = outside.into_iter().chain((!others.is_empty()).then_some(others)).collect();
    if !not_written.is_empty() {
        let line = format!("not written: {}", not_written.join(", "));
        text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &line)));
    }
    text
}

/// The JSON document that `--json` prints.
pub fn json(split: &Split, dry_run: bool) -> String {
    document("pebblebank/split/1", SplitDocument { dry_run, split })
}
