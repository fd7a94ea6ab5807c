//! The account of a run for people: the result first, then where every row went, then what to look at.

use super::table::{Side, Table};
use super::{Screen, Tone, WIDTH, counted, number, safe, safe_ends, wrapped};
use pebblebank_core::columns::lines::Line;
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::tally::{
    Account, NearMissExample, OtherLines, Outcome, RepairTally, SuppressionTally, Tally, TrippedGuard,
};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::observe::{Finding, Weight};

/// How many findings of a kind are shown; the receipt has them all.
const FINDINGS_SHOWN: usize = 12;

/// The whole report. `again` is the command to type after a dry run.
pub fn finished(finished: &Finished, again: &str, screen: &Screen) -> String {
    let tally = &finished.tally;
    let mut text = headline(finished, screen);
    if finished.completed_earlier {
        text.push_str("First, the outputs of an earlier run that was cut off were put in place.\n");
    }
    let preview = if tally.outcome == Outcome::DryRun { preview(finished, screen) } else { String::new() };
    let sections = [
        guards(&finished.tripped, screen),
        sources(tally, screen),
        set_aside(&tally.all, screen),
        suppression(tally, screen),
        near_misses(tally, &near_miss_advice(finished), screen),
        lists(tally, screen),
        repairs(tally, screen),
        suggestions(tally, screen),
        near_duplicates(finished, screen),
        findings(tally, screen),
        preview,
        where_to_look(finished, again, screen),
    ];
    for section in sections.iter().filter(|section| !section.is_empty()) {
        text.push('\n');
        text.push_str(section);
    }
    text
}

fn headline(finished: &Finished, screen: &Screen) -> String {
    let tally = &finished.tally;
    let files: Vec<String> = finished.imports.iter().map(|file| file.display().to_string()).collect();
    let contacts = counted(tally.all.written, "contact");
    let (tone, text) = match tally.outcome {
        Outcome::Written => (Tone::Good, format!("{contacts} written to {}", files.join(", "))),
        Outcome::DryRun => {
            (Tone::Good, format!("{contacts} would be written to {} (a dry run: nothing was)", files.join(", ")))
        }
        Outcome::Stopped => (Tone::Bad, "stopped by a guard; no import file was written".to_owned()),
    };
    format!("{}: {}\n", tally.job, screen.paint(tone, &text))
}

/// The guards that stopped it, and how to say that it is meant.
pub fn guards(tripped: &[TrippedGuard], screen: &Screen) -> String {
    let mut text = String::new();
    for guard in tripped {
        let found = wrapped(&format!("{}: {}", guard.guard, guard.text), WIDTH - 8, "");
        let advice = wrapped(&guard.advice, WIDTH - 8, "");
        text.push_str(&format!("  {} {}\n", screen.paint(Tone::Bad, "guard"), found[0]));
        for line in found[1..].iter().chain(&advice) {
            text.push_str(&format!("        {line}\n"));
        }
    }
    text
}

fn sources(tally: &Tally, screen: &Screen) -> String {
    let right = Side::Right;
    let mut table = Table::new(&[
        ("Source", Side::Left),
        ("read", right),
        ("written", right),
        ("merged", right),
        ("set aside", right),
    ]);
    let row = |name: &str, account: &Account| {
        let counts = [account.read, account.written, account.merged, account.set_aside_in_all()];
        std::iter::once(safe(name, 40)).chain(counts.map(number)).collect::<Vec<_>>()
    };
    for source in &tally.sources {
        table.row(row(&source.name, &source.account));
    }
    table.sum(row("all", &tally.all));
    let mut text = table.render(screen);
    let merged = wrapped(&merged_in_words(tally), WIDTH - 2, "  ");
    let given = given_in_words(tally);
    let lines = merged.iter().chain(&given).map(String::as_str);
    for line in lines.chain(["Every row read is accounted for."]) {
        text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, line)));
    }
    text.push_str(&other_lines(tally, screen));
    text
}

/// What made rows one person, and how many copies stood in one source and in several.
fn merged_in_words(tally: &Tally) -> String {
    let what = match tally.same.as_slice() {
        [only] if only == "email" => "the same address as another row".to_owned(),
        keys => format!("the same person as another row, by {}", keys.join(" or ")),
    };
    let within: u64 = tally.sources.iter().map(|source| source.merged_within).sum();
    let between = tally.all.merged - within;
    let counts = match (tally.sources.len(), tally.all.merged) {
        (0 | 1, _) | (_, 0) => String::new(),
        _ => format!(", {} in the same source and {} in another", number(within), number(between)),
    };
    format!("merged: {what}{counts}.")
}

/// What people were given from their copies and from lists.
fn given_in_words(tally: &Tally) -> Vec<String> {
    let mut given = Vec::new();
    if let Some(fill) = tally.fill {
        let conflicts = match fill.conflicts {
            0 => String::new(),
            count => format!("; {} of copies differ from what was kept (conflicts.csv)", counted(count, "value")),
        };
        let values = counted(fill.values, "blank value");
        given.push(format!("filled: {values} of {} from merged rows{conflicts}.", counted(fill.persons, "person")));
    }
    for taken in &tally.taken {
        let several = match taken.several {
            0 => String::new(),
            count => format!("; {} have several rows there that differ, and the survivor rule decided", number(count)),
        };
        let persons = counted(taken.persons, "person");
        given.push(format!("taken from {}: values for {persons}{several}.", safe(&taken.list, 40)));
    }
    given.iter().flat_map(|line| wrapped(line, WIDTH - 2, "  ")).collect()
}

fn other_lines(tally: &Tally, screen: &Screen) -> String {
    let mut all = OtherLines::default();
    for file in tally.sources.iter().flat_map(|source| &source.files) {
        all.add(file.other_lines);
    }
    let kinds = other_lines_in_words(&all);
    if kinds.is_empty() {
        return String::new();
    }
    let line = format!("not counted as rows: {kinds}");
    format!("  {}\n", screen.paint(Tone::Faint, &line))
}

/// The lines that are no contacts, by kind.
pub fn other_lines_in_words(lines: &OtherLines) -> String {
    let of_kind = |(line, count)| match line {
        Line::Title => counted(count, "title line"),
        Line::Header => counted(count, "header"),
        Line::RepeatedHeader => counted(count, "repeated header"),
        Line::Empty => counted(count, "empty line"),
        Line::Totals => counted(count, "totals line"),
        Line::Footnote => counted(count, "footnote"),
        Line::Contact | Line::Unreadable => counted(count, "contact"),
    };
    lines.iter().map(of_kind).collect::<Vec<_>>().join(", ")
}

/// The reasons, with what each means.
pub fn set_aside(all: &Account, screen: &Screen) -> String {
    if all.set_aside_in_all() == 0 {
        return String::new();
    }
    let mut table = Table::new(&[("Set aside because", Side::Left), ("rows", Side::Right), ("", Side::Left)]);
    for (reason, count) in all.reasons() {
        table.row(vec![reason.name().to_owned(), number(count), meaning(reason).to_owned()]);
    }
    table.render(screen)
}

fn meaning(reason: Reason) -> &'static str {
    match reason {
        Reason::Complained => "reported a mailing as unwanted",
        Reason::OptedOut => "said no, in a source or on a list",
        Reason::NoConsent => "pending, or a word about consent that is not known",
        Reason::DoNotContact => "on a do-not-contact list",
        Reason::Bounced => "mail to this address came back",
        Reason::AlreadySent => "has had this mailing",
        Reason::TooOften => "has been written to often enough",
        Reason::OnOtherList => "on another list",
        Reason::BlankAddress => "no address",
        Reason::InvalidAddress => "the address cannot be one",
        Reason::PlaceholderAddress => "typed instead of an address, like noemail@…",
        Reason::MissingField => "a required field is blank or cannot be read",
        Reason::RoleAddress => "an office's address, like info@…, which the job leaves out",
        Reason::DisposableDomain => "a mailbox that is thrown away after use",
        Reason::NearMiss => "one slip from somebody who must not be contacted",
        Reason::NotSelected => "not in the audience that the job picks",
        Reason::OverLimit => "more than the job picks",
        Reason::RemovedByHand => "taken out by hand, in the file of decisions",
        Reason::UnreadableRow => "a remark with an address in it, outside the table",
        Reason::LayoutViolation => "a required column of the layout would stay blank",
    }
}

/// The suppression lists.
pub fn suppression(tally: &Tally, screen: &Screen) -> String {
    if tally.suppression.is_empty() {
        return String::new();
    }
    let right = Side::Right;
    let mut table = Table::new(&[
        ("Suppression list", Side::Left),
        ("entries", right),
        ("matched", right),
        ("matched nobody", right),
        ("persons", right),
        ("reason", Side::Left),
    ]);
    for SuppressionTally { list, reason, persons_held } in &tally.suppression {
        let counts = [list.entries, list.matched, list.unmatched, *persons_held].map(number);
        let cells = std::iter::once(safe(&list.name, 36)).chain(counts).chain([reason.name().to_owned()]);
        table.row(cells.collect());
    }
    let explained =
        "matched nobody: entries in no source. persons: whom it holds; who is on two lists counts for both.";
    let mut lines = vec![explained.to_owned()];
    for SuppressionTally { list, .. } in tally.suppression.iter().filter(|counts| counts.list.unusable > 0) {
        let entries = counted(list.unusable, "entry");
        lines.push(format!("{}: {entries} of it can be no address, domain or digest.", safe(&list.name, 36)));
    }
    for allowed in &tally.allowed {
        let lifted = counted(allowed.lifted, "person");
        let addresses = if allowed.addresses == 1 { "address" } else { "addresses" };
        lines.push(format!(
            "allowed: {} {addresses} ({}); {lifted} written to although a list holds them.",
            number(allowed.addresses),
            safe(&allowed.why, 60)
        ));
    }
    let lines = lines.iter().flat_map(|line| wrapped(line, WIDTH - 2, "  "));
    let lines = lines.map(|line| format!("  {}\n", screen.paint(Tone::Faint, &line)));
    table.render(screen) + &lines.collect::<String>()
}

/// What can be done about near misses, in the words of a command.
pub struct NearMissAdvice {
    /// Where those are that are not shown.
    pub more: &'static str,
    /// What looks for them among many entries.
    pub search: &'static str,
    /// What takes them out.
    pub take_out: &'static str,
}

fn near_miss_advice(finished: &Finished) -> NearMissAdvice {
    NearMissAdvice {
        more: if finished.receipt.is_some() {
            "all of them are in near-misses.csv of the receipt"
        } else {
            "a receipt (--receipt DIR) lists all of them"
        },
        search: "near_miss = \"report\" in [[suppress]] does",
        take_out: "they stay; near_miss = \"set-aside\" in [[suppress]] takes them out.",
    }
}

/// Entries that matched nobody and are close to a contact.
pub fn near_misses(tally: &Tally, advice: &NearMissAdvice, screen: &Screen) -> String {
    let near = &tally.near_misses;
    if near.pairs == 0 {
        if near.not_searched == 0 || tally.suppression.is_empty() {
            return String::new();
        }
        let in_files = near.not_searched - near.not_searched_in_bank;
        let text = if in_files == 0 {
            let entries = counted(near.not_searched_in_bank, "entry");
            format!("near misses were not looked for among the {entries} of the bank that matched nobody: too many")
        } else {
            let entries = counted(near.not_searched, "entry");
            format!("near misses were not looked for among {entries}: too many; {}", advice.search)
        };
        let lines = wrapped(&text, WIDTH - 2, "  ");
        return lines.iter().map(|line| format!("  {}\n", screen.paint(Tone::Faint, line))).collect();
    }
    let left = Side::Left;
    let headings =
        [("Near miss: an entry of nobody", left), ("a contact close to it", left), ("", left), ("list", left)];
    let mut table = Table::new(&headings);
    for NearMissExample { list, entry, contact, why } in &near.examples {
        let [entry, contact] =
            from_difference(entry, contact, ADDRESS_WIDTH).map(|text| safe_ends(&text, ADDRESS_WIDTH));
        table.row(vec![entry, contact, in_short(why).to_owned(), safe(list, 12)]);
    }
    let more = near.pairs - near.examples.len() as u64;
    let mut text = table.render(screen);
    if more > 0 {
        text.push_str(&format!("  and {more} more; {}\n", advice.more));
    }
    let set_aside = match (near.set_aside, near.pairs) {
        (0, _) => advice.take_out,
        _ => "those whose list says near_miss = \"set-aside\" are set aside.",
    };
    text + &format!("  {}\n", screen.paint(Tone::Faint, set_aside))
}

/// How much of an address is shown beside one that is close to it.
const ADDRESS_WIDTH: usize = 31;

/// What two addresses have in common, as a table has room for it.
fn in_short(why: &str) -> &str {
    match why {
        "one slip before the @" => "slip before @",
        "one slip in the domain" => "slip in domain",
        "a tag or dots apart" => "tag or dots",
        "same name and domain" => "same name",
        other => other,
    }
}

/// The lists that can be asked about.
fn lists(tally: &Tally, screen: &Screen) -> String {
    if tally.lists.is_empty() {
        return String::new();
    }
    let right = Side::Right;
    let headings = [
        ("List", Side::Left),
        ("entries", right),
        ("matched", right),
        ("matched nobody", right),
        ("contacts in it", right),
    ];
    let mut table = Table::new(&headings);
    for list in &tally.lists {
        let counts = [list.entries, list.matched, list.unmatched, list.persons].map(number);
        table.row(std::iter::once(safe(&list.name, 40)).chain(counts).collect());
    }
    let explanation =
        "contacts in it: persons of all that were read, written or not. A list by itself holds nobody back.";
    format!("{}  {}\n", table.render(screen), screen.paint(Tone::Faint, explanation))
}

fn repairs(tally: &Tally, screen: &Screen) -> String {
    if tally.repairs.is_empty() {
        return String::new();
    }
    let mut table = Table::new(&[("Repair", Side::Left), ("rows", Side::Right), ("for example", Side::Left)]);
    for repair in &tally.repairs {
        table.row(vec![repair.rule.to_owned(), number(repair.rows), example(repair)]);
    }
    table.render(screen)
}

fn example(repair: &RepairTally) -> String {
    let first = repair.examples.first();
    first.map_or(String::new(), |example| {
        let [before, after] = from_difference(&example.before, &example.after, EXAMPLE_WIDTH);
        format!("{}  →  {}", quoted(&before), quoted(&after))
    })
}

/// How much of an example is shown.
const EXAMPLE_WIDTH: usize = 29;

/// Two long texts that begin alike, from shortly before where they differ.
fn from_difference(before: &str, after: &str, width: usize) -> [String; 2] {
    const LEAD: usize = 12;
    let length = before.chars().count();
    let same = before.chars().zip(after.chars()).take_while(|(a, b)| a == b).count();
    if length <= width || same < width / 2 {
        return [before.to_owned(), after.to_owned()];
    }
    // As much as fits, where the difference is near the end.
    let start = (same - LEAD).min(length + 1 - width);
    [before, after].map(|text| format!("…{}", text.chars().skip(start).collect::<String>()))
}

fn suggestions(tally: &Tally, screen: &Screen) -> String {
    if tally.suggestions.is_empty() {
        return String::new();
    }
    let mut table =
        Table::new(&[("Suggested, not made", Side::Left), ("rows", Side::Right), ("for example", Side::Left)]);
    for suggestion in &tally.suggestions {
        table.row(vec![suggestion.rule.to_owned(), number(suggestion.rows), example(suggestion)]);
    }
    let explanation =
        "to make one: apply = [\"domain-slip\"] in [clean], or --apply. Receipts list all (suggestions.csv).";
    format!("{}  {}\n", table.render(screen), screen.paint(Tone::Faint, explanation))
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", safe_ends(text, EXAMPLE_WIDTH))
}

/// Persons that are likely one, and how to go through them.
fn near_duplicates(finished: &Finished, screen: &Screen) -> String {
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
        (false, ..) if near.persons > 0 && finished.receipt.is_some() => format!(
            "near duplicates were not looked for among {} persons; near_duplicates = true in [person] does",
            number(near.persons)
        ),
        _ => return String::new(),
    };
    let lines = wrapped(&text, WIDTH - 2, "  ");
    lines
        .iter()
        .map(|line| format!("  {}\n", if near.searched { line.clone() } else { screen.paint(Tone::Faint, line) }))
        .collect()
}

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

fn preview(finished: &Finished, screen: &Screen) -> String {
    let heading = screen.paint(Tone::Heading, "The first rows");
    let text = String::from_utf8_lossy(&finished.preview);
    let lines: Vec<String> = text.lines().map(|line| format!("  {}\n", safe(line, WIDTH - 2))).collect();
    format!("  {heading}\n{}", lines.concat())
}

fn tally_has_conflicts(finished: &Finished) -> bool {
    finished.tally.fill.is_some_and(|fill| fill.conflicts > 0)
}

fn where_to_look(finished: &Finished, again: &str, screen: &Screen) -> String {
    let mut rows: Vec<(String, String)> = Vec::new();
    if finished.tally.outcome == Outcome::Written {
        for (path, file) in finished.imports.iter().zip(&finished.tally.written) {
            rows.push((path.display().to_string(), format!("{} to import", counted(file.rows, "contact"))));
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
            rows.push((in_receipt("near-misses.csv"), "entries one slip from a contact".to_owned()));
        }
        if finished.tally.near_duplicates.pairs > 0 {
            rows.push((in_receipt("review.csv"), "who is likely the same person".to_owned()));
        }
        if tally_has_conflicts(finished) {
            rows.push((in_receipt("conflicts.csv"), "differing values of copies".to_owned()));
        }
        rows.push((in_receipt("repairs.csv"), "what was changed in which row".to_owned()));
        if !finished.tally.suggestions.is_empty() {
            rows.push((in_receipt("suggestions.csv"), "likely slips in addresses".to_owned()));
        }
        rows.push((in_receipt("tally.json"), "these numbers, for programs".to_owned()));
    }
    let mut table = Table::new(&[("Where to look next", Side::Left), ("", Side::Left)]);
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
    table.render(screen)
}
