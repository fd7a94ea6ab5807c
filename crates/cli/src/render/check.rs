//! Which addresses will not arrive: by verdict and reason, with what to do next.

use super::json::of_schema;
use super::table::{Side, Table};
use super::tally::{first_rows, one_finding, other_lines_in_words};
use super::{Screen, Tone, counted, number, safe};
use crate::arguments;
use pebblebank_core::tasks::check::wishes::{CheckWishes, Checked, CheckedFile};
use pebblebank_values::verdict::{Level, Verdict};
use serde_json::json;

/// How many findings are shown.
const FINDINGS_SHOWN: usize = 6;

/// The numbers, gravest first, and what to type next.
pub fn finished(checked: &Checked, asked: &arguments::Check, screen: &Screen) -> String {
    let mut text = headline(checked, asked, screen);
    let sections = [
        reasons(checked, screen),
        notes(checked, asked, screen),
        findings(checked, screen),
        if asked.dry_run { first_rows(&checked.preview, screen) } else { String::new() },
        files(checked, asked, screen),
        next(checked, asked, screen),
    ];
    for section in sections.iter().filter(|section| !section.is_empty()) {
        text.push('\n');
        text.push_str(section);
    }
    text
}

fn headline(checked: &Checked, asked: &arguments::Check, screen: &Screen) -> String {
    let of = |verdict: Verdict| number(checked.with(verdict));
    let how = match asked.level {
        Level::Syntax => "as they are written",
        Level::Domain => "by their domains",
    };
    let what = format!(
        "{} checked {how}: {} valid, {} risky, {} invalid, {} unknown",
        counted(checked.checked, "contact"),
        of(Verdict::Valid),
        of(Verdict::Risky),
        of(Verdict::Invalid),
        of(Verdict::Unknown)
    );
    let tone = if checked.with(Verdict::Unknown) > 0 { Tone::Warning } else { Tone::Good };
    format!("{}: {}\n", safe(&checked.list, 60), screen.paint(tone, &what))
}

fn reasons(checked: &Checked, screen: &Screen) -> String {
    let headings =
        [("Verdict", Side::Left), ("why", Side::Left), ("rows", Side::Right), ("", Side::Right), ("", Side::Left)];
    let mut table = Table::new(&headings);
    for ((verdict, why), count) in &checked.counts {
        let share = share(*count, checked.checked);
        table.row(vec![verdict.name().to_owned(), why.name().to_owned(), number(*count), share, why.says().to_owned()]);
    }
    if checked.counts.is_empty() { String::new() } else { table.render(screen) }
}

fn share(part: u64, whole: u64) -> String {
    match (part * 100 + whole / 2) / whole.max(1) {
        0 => "under 1 %".to_owned(),
        share => format!("{share} %"),
    }
}

fn notes(checked: &Checked, asked: &arguments::Check, screen: &Screen) -> String {
    let mut lines = Vec::new();
    if checked.duplicates > 0 {
        lines.push(format!(
            "{} have the address of a row above; each address was checked once.",
            counted(checked.duplicates, "row")
        ));
    }
    if asked.level >= Level::Domain {
        lines.push(format!(
            "{}: {} asked for, {} known from the last {} days.",
            counted(checked.domains, "different domain"),
            number(checked.asked),
            number(checked.remembered),
            asked.max_age
        ));
    }
    if asked.to_check.is_some() {
        let cost = asked
            .price
            .map_or(String::new(), |price| format!(", {:.2} at {price} each", price * checked.to_check as f64));
        lines.push(format!("{} to be checked by somebody else{cost}.", counted(checked.to_check, "address")));
    }
    let left = checked.rows - checked.checked;
    if left > 0 {
        lines.push(format!("{} of the list were not checked, and are in no file.", counted(left, "other contact")));
    }
    let others = other_lines_in_words(&checked.other_lines);
    if !others.is_empty() {
        lines.push(format!("not counted as rows: {others}"));
    }
    lines.iter().map(|line| format!("  {}\n", screen.paint(Tone::Faint, line))).collect()
}

fn findings(checked: &Checked, screen: &Screen) -> String {
    let mut text: String =
        checked.findings.iter().take(FINDINGS_SHOWN).map(|finding| one_finding(finding, screen)).collect();
    let more = checked.findings.len().saturating_sub(FINDINGS_SHOWN);
    if more > 0 {
        text.push_str(&format!("  and {more} more (--json has them all)\n"));
    }
    text
}

fn files(checked: &Checked, asked: &arguments::Check, screen: &Screen) -> String {
    if checked.files.is_empty() || asked.dry_run {
        return String::new();
    }
    let mut table = Table::new(&[("Written", Side::Left), ("rows", Side::Right)]);
    for CheckedFile { file, rows } in &checked.files {
        table.row(vec![file.display().to_string(), number(*rows)]);
    }
    table.render(screen)
}

fn next(checked: &Checked, asked: &arguments::Check, screen: &Screen) -> String {
    let list = super::survey::in_shell(&asked.list);
    let command = match () {
        () if asked.level == Level::Syntax && checked.with(Verdict::Valid) + checked.with(Verdict::Risky) > 0 => {
            format!("ask DNS whether their domains take mail: pebblebank check {list} --level domain")
        }
        () if checked.files.is_empty() => {
            format!("part them: pebblebank check {list} --level {} --good good.csv --bad bad.csv", asked.level.name())
        }
        () => return String::new(),
    };
    format!("  {}\n  {command}\n", screen.paint(Tone::Heading, "Next"))
}

/// The JSON document that `--json` prints.
pub fn json(checked: &Checked, wishes: &CheckWishes) -> String {
    let counts: Vec<_> = checked
        .counts
        .iter()
        .map(|((verdict, why), rows)| json!({ "verdict": verdict.name(), "why": why.name(), "rows": rows }))
        .collect();
    let of = |verdict: Verdict| json!(checked.with(verdict));
    let files: Vec<_> =
        checked.files.iter().map(|CheckedFile { file, rows }| json!({ "file": file, "rows": rows })).collect();
    let document = json!({
        "list": checked.list,
        "level": wishes.level.name(),
        "rows": checked.rows,
        "checked": checked.checked,
        "valid": of(Verdict::Valid),
        "risky": of(Verdict::Risky),
        "invalid": of(Verdict::Invalid),
        "unknown": of(Verdict::Unknown),
        "counts": counts,
        "duplicates": checked.duplicates,
        "domains": checked.domains,
        "remembered": checked.remembered,
        "asked": checked.asked,
        "to_check": checked.to_check,
        "other_lines": checked.other_lines,
        "files": files,
        "findings": checked.findings,
    });
    of_schema("pebblebank/check/1", &[], document)
}
