//! Which addresses will not arrive: by verdict and reason, with what to do next.

use super::table::{Side, Table};
use super::tally::{first_rows, one_finding, other_lines_in_words};
use super::{Screen, Tone, WIDTH, counted, number, wrapped};
use crate::arguments;
use crate::documents::document;
use crate::documents::lists::{CheckDocument, MailboxCounts, RowsOfFile, VerdictCount};
use pebblebank_core::tasks::check::asking::AskedFor;
use pebblebank_core::tasks::check::wishes::{CheckWishes, Checked, CheckedFile};
use pebblebank_values::verdict::{Level, Verdict, Why};

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
        Level::Syntax if checked.known > 0 => "as they are written and by earlier checks",
        Level::Syntax => "as they are written",
        Level::Domain => "by their domains",
        Level::Mailbox => "by their mail servers",
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
    let stopped = if checked.is_stopped {
        let left = "Stopped: nobody was asked for the rest, which is unknown. The same command goes on from here.";
        format!("{}\n", screen.paint(Tone::Warning, left))
    } else {
        String::new()
    };
    format!("{stopped}{}\n", screen.paint(tone, &what))
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
            "{} the address of a row above; each address was checked once.",
            if checked.duplicates == 1 {
                "1 row has".to_owned()
            } else {
                format!("{} rows have", number(checked.duplicates))
            }
        ));
    }
    if asked.level >= Level::Domain {
        let AskedFor { different, remembered, asked: asked_for, .. } = checked.domains;
        lines.push(format!(
            "{}: {} asked for, {} known from the last {} days.",
            counted(different, "different domain"),
            number(asked_for),
            number(remembered),
            asked.max_age
        ));
    }
    if asked.level >= Level::Mailbox {
        let AskedFor { remembered, asked: asked_for, answered, .. } = checked.mailboxes;
        lines.push(format!(
            "{}: {} asked for, of which {} got an answer that lasts; {} known from the last {} days.",
            counted(asked_for + remembered, "mailbox"),
            number(asked_for),
            number(answered),
            number(remembered),
            asked.max_age
        ));
    } else if checked.known > 0 {
        lines.push(format!(
            "{} known from a check in the last {} days.",
            counted(checked.known, "mailbox"),
            asked.max_age
        ));
    }
    if asked.to_check.is_some() {
        let cost = asked
            .price
            .map_or(String::new(), |price| format!(", {:.2} at {price} each", price * checked.given_out as f64));
        lines.push(format!("{} to be checked by somebody else{cost}.", counted(checked.given_out, "address")));
    }
    lines.extend(saving(checked, &asked.steps));
    let left = checked.rows - checked.checked;
    if left > 0 {
        lines.push(format!("{} of the list were not checked, and are in no file.", counted(left, "other contact")));
    }
    let others = other_lines_in_words(&checked.other_lines);
    if !others.is_empty() {
        lines.push(format!("not counted as rows: {others}"));
    }
    let lines = lines.iter().flat_map(|line| wrapped(line, WIDTH - 2, "  "));
    lines.map(|line| format!("  {}\n", screen.paint(Tone::Faint, &line))).collect()
}

/// What leaving out the invalid ones would save, with the steps at which a sending service costs more.
fn saving(checked: &Checked, steps: &[u64]) -> Option<String> {
    let all: u64 = checked.once.values().sum();
    let invalid = checked.once.get(&Verdict::Invalid).copied().unwrap_or_default();
    let step = |count: u64| steps.iter().filter(|step| **step >= count).min().copied();
    let in_words = |step: Option<u64>| match step {
        Some(step) => format!("the step up to {}", number(step)),
        None => "above the last step".to_owned(),
    };
    let (now, then) = (step(all), step(all - invalid));
    if steps.is_empty() {
        return None;
    }
    let with_all = format!("{}: {}", counted(all, "different address"), in_words(now));
    let without = format!("without the {}: {}", counted(invalid, "invalid one"), number(all - invalid));
    Some(match invalid {
        0 => format!("{with_all}; none of them is invalid."),
        _ if now == then => format!("{with_all}; {without}, which saves no step."),
        _ => format!("{with_all}; {without}, {}.", in_words(then)),
    })
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
    let mut table = Table::new(&[("Written", Side::Left), ("rows", Side::Right)]).keeping(0);
    for CheckedFile { file, rows } in &checked.files {
        table.row(vec![file.display().to_string(), number(*rows)]);
    }
    table.render(screen)
}

fn next(checked: &Checked, asked: &arguments::Check, screen: &Screen) -> String {
    let list = super::survey::in_shell(&asked.list);
    let command = match () {
        () if checked.is_stopped => return String::new(),
        () if asked.to_check.is_none()
            && asked.level == Level::Syntax
            && checked.with(Verdict::Valid) + checked.with(Verdict::Risky) > 0 =>
        {
            format!("ask DNS whether their domains take mail:\n    pebblebank check {list} --level domain")
        }
        () if asked.to_check.is_some() && !asked.dry_run && checked.given_out > 0 => {
            "once the results are back:\n    pebblebank bank load RESULTS.csv --as verdicts".to_owned()
        }
        () if checked.files.is_empty() => {
            let hello = asked.mailboxes.hello.as_ref().map_or(String::new(), |hello| format!(" --hello {hello}"));
            format!(
                "split them:\n    pebblebank check {list} --level {}{hello} --good good.csv --bad bad.csv",
                asked.level.name()
            )
        }
        () => return String::new(),
    };
    format!("  {}\n  {command}\n", screen.paint(Tone::Heading, "Next"))
}

/// The JSON document that `--json` prints.
pub fn json(checked: &Checked, wishes: &CheckWishes) -> String {
    let count = |((verdict, why), rows): (&(Verdict, Why), &u64)| VerdictCount {
        verdict: verdict.name(),
        why: why.name(),
        rows: *rows,
    };
    let body = CheckDocument {
        list: &checked.list,
        level: wishes.level.name(),
        rows: checked.rows,
        checked: checked.checked,
        valid: checked.with(Verdict::Valid),
        risky: checked.with(Verdict::Risky),
        invalid: checked.with(Verdict::Invalid),
        unknown: checked.with(Verdict::Unknown),
        counts: checked.counts.iter().map(count).collect(),
        duplicates: checked.duplicates,
        known: checked.known,
        domains: checked.domains.different,
        remembered: checked.domains.remembered,
        asked: checked.domains.asked,
        mailboxes: MailboxCounts {
            remembered: checked.mailboxes.remembered,
            asked: checked.mailboxes.asked,
            answered: checked.mailboxes.answered,
        },
        stopped: checked.is_stopped,
        to_check: checked.given_out,
        other_lines: checked.other_lines,
        files: checked.files.iter().map(|CheckedFile { file, rows }| RowsOfFile { file, rows: *rows }).collect(),
        findings: &checked.findings,
    };
    document("pebblebank/check/1", body)
}
